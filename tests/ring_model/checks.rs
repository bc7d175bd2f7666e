//! Properties of a round, however its threads take turns.

use super::graph::Graph;
use super::ring::{Ring, Role, Round, Threads};
use loom::sync::atomic::{AtomicUsize, Ordering};
use loom::thread;

/// Joins without giving anything away. Threads that take offers stand beside it: they come to the ring at any time, as
/// the thieves of a pool do.
struct Alone {
    is_free: bool,
}

impl Threads for Alone {
    fn join(&self, first: impl FnOnce() + Send, second: impl FnOnce() + Send) {
        first();
        second();
    }

    fn help(&self, work: impl FnOnce()) {
        if self.is_free {
            work();
        }
    }

    fn most_running(&self) -> usize {
        usize::MAX
    }
}

/// The data that places write, so that the checker notices a follower that does not see it.
struct Places {
    direct: &'static [&'static [u32]],
    runs: Vec<AtomicUsize>,
    fails_at: Option<u32>,
}

impl Places {
    fn run(&self, place: u32) -> bool {
        for &before in self.direct[place as usize] {
            // Relaxed: only what the ring orders makes this visible.
            let seen = self.runs[before as usize].load(Ordering::Relaxed);
            assert_eq!(seen, 1, "place {place} runs after place {before}");
        }
        let ran = self.runs[place as usize].fetch_add(1, Ordering::Relaxed);
        assert_eq!(ran, 0, "place {place} runs once");
        self.fails_at != Some(place)
    }

    fn all_ran(&self) -> bool {
        self.runs
            .iter()
            .all(|runs| runs.load(Ordering::Relaxed) == 1)
    }
}

type Direct = &'static [&'static [u32]];

/// Leaked, because the threads of the checker outlive every borrow; a model has few states.
fn leaked<T>(value: T) -> &'static T {
    Box::leak(Box::new(value))
}

fn set_up(
    direct: Direct,
    for_caller: &[u32],
    fails_at: Option<u32>,
) -> (&'static Ring, &'static Graph, &'static Places) {
    let owned: Vec<Vec<u32>> = direct.iter().map(|direct| direct.to_vec()).collect();
    let on_caller = (0..owned.len() as u32).map(|place| for_caller.contains(&place));
    let graph = leaked(Graph::new(&owned, on_caller.collect()));
    let mut ring = Ring::default();
    ring.restart(graph);
    let places = leaked(Places {
        direct,
        runs: owned.iter().map(|_| AtomicUsize::new(0)).collect(),
        fails_at,
    });
    (leaked(ring), graph, places)
}

fn check(forced_changes: usize, model: impl Fn() + Sync + Send + 'static) {
    let mut builder = loom::model::Builder::new();
    builder.preemption_bound = Some(forced_changes);
    builder.check(model);
}

/// Two places that wait for the first, and one that waits for both.
const DIAMOND: Direct = &[&[], &[0], &[0], &[1, 2]];

/// A round in the pool, on a thread that is free to help or not.
fn in_pool_of(
    ring: &'static Ring,
    graph: &'static Graph,
    places: &'static Places,
    is_free: bool,
) -> Round<'static, impl Fn(u32) -> bool + Sync, Alone> {
    Round::in_pool(ring, graph, |place| places.run(place), Alone { is_free })
}

fn in_pool(direct: Direct, thieves: usize) {
    // Three threads take turns in far more ways than two.
    let changes = 4 - thieves - usize::from(!cfg!(feature = "stress"));
    check(changes, move || {
        let (ring, graph, places) = set_up(direct, &[], None);
        let round = move || in_pool_of(ring, graph, places, true);
        let thieves: Vec<_> = (0..thieves)
            .map(|_| thread::spawn(move || round().help()))
            .collect();
        round().work(Role::Leader);
        // As a join does: the leader returns when the offers that were taken have returned.
        for thief in thieves {
            thief.join().expect("no place fails");
        }
        assert!(places.all_ran());
    });
}

#[test]
fn a_thief_and_the_leader_run_each_place_once_and_in_order() {
    in_pool(DIAMOND, 1);
}

#[test]
fn two_thieves_and_the_leader_run_each_place_once_and_in_order() {
    in_pool(&[&[], &[], &[0, 1]], 2);
}

#[test]
fn places_that_become_ready_late_are_not_left_behind() {
    in_pool(&[&[], &[0], &[0], &[0], &[3]], 1);
}

#[test]
fn a_thread_that_is_not_free_runs_nothing() {
    check(3, || {
        let (ring, graph, places) = set_up(&[&[], &[]], &[], None);
        let round = |is_free| in_pool_of(ring, graph, places, is_free);
        round(false).help();
        assert!(!places.all_ran());
        round(false).work(Role::Leader);
        assert!(places.all_ran());
    });
}

#[test]
fn a_place_that_fails_stops_the_round_for_all() {
    check(3, || {
        let (ring, graph, places) = set_up(DIAMOND, &[], Some(1));
        let round = move || in_pool_of(ring, graph, places, true);
        let thief = thread::spawn(move || round().help());
        round().work(Role::Leader);
        thief.join().expect("a failure is no panic");
        assert_eq!(places.runs[3].load(Ordering::Relaxed), 0);
    });
}

/// The caller parks as soon as it has nothing to run, and must be woken for its own places and for the end.
fn from_outside(direct: Direct, for_caller: &'static [u32], fails_at: Option<u32>) {
    check(3, move || {
        let (ring, graph, places) = set_up(direct, for_caller, fails_at);
        let run = move |place| places.run(place);
        let round: &'static _ = leaked(Round::from_outside(
            ring,
            graph,
            run,
            Alone { is_free: true },
        ));
        let helper = thread::spawn(move || round.help());
        round.lead_from_outside(|| (), |_| thread::park());
        helper.join().expect("no place panics");
        assert_eq!(places.all_ran(), fails_at.is_none());
    });
}

#[test]
fn the_caller_is_woken_for_its_own_places() {
    from_outside(&[&[], &[0], &[1]], &[1], None);
}

#[test]
fn the_caller_is_woken_at_the_end() {
    from_outside(&[&[], &[], &[0, 1]], &[], None);
}

#[test]
fn the_caller_is_woken_by_a_failure() {
    from_outside(&[&[], &[0]], &[1], Some(0));
}

//! The same result at any number of threads, orders that hold, and no deadlocks.
#![cfg(feature = "parallel")]

use gerust::prelude::*;
use gerust::schedule::Order;
use proptest::prelude::*;
use proptest::test_runner::TestRunner;
use std::collections::HashMap;
use std::sync::{Arc, Mutex};
use std::time::Duration;

mod watchdog;
use watchdog::watched;

/// One of four component types.
#[derive(Clone, Copy, PartialEq, Debug)]
struct Cell<const N: usize>(u64);

/// One of two globals.
struct Sum<const N: usize>(u64);

struct Ping(u64);

fn mix(a: u64, b: u64) -> u64 {
    (a ^ b.rotate_left(17))
        .wrapping_mul(0x9e37_79b9_7f4a_7c15)
        .rotate_left(23)
}

/// The work of one system of a random set.
#[derive(Clone, Copy, Debug)]
enum Kind {
    /// Reads one column and writes another.
    Mix(usize, usize),
    /// The same with the rows spread over threads.
    MixSpread(usize, usize),
    /// Folds a column into a global.
    Fold(usize, usize),
    /// Posts an event per entity of a column.
    Post(usize),
    /// Adds the events that it has not seen to a global.
    Listen(usize),
    /// Spawns entities, and despawns some of a column.
    Turnover(usize),
    /// Switches another system off or on.
    Switch(usize),
    /// Links entities of a column to each other, and unlinks some.
    Relink(usize),
    /// Adds to a global in a loop that the user writes with rayon, a loop inside of it.
    OwnLoop(usize),
}

#[derive(Clone, Debug)]
struct Made {
    kind: Kind,
    /// Comes after the system of this number, if that is a lower one: so never a circle.
    after: usize,
    label: bool,
    on_caller_thread: bool,
    salt: u64,
}

fn kind() -> impl Strategy<Value = Kind> {
    let (column, global) = (0_usize..4, 0_usize..2);
    prop_oneof![
        3 => (column.clone(), column.clone()).prop_map(|(from, to)| Kind::Mix(from, to)),
        2 => (column.clone(), column.clone()).prop_map(|(from, to)| Kind::MixSpread(from, to)),
        1 => (column.clone(), global.clone()).prop_map(|(from, to)| Kind::Fold(from, to)),
        1 => column.clone().prop_map(Kind::Post),
        1 => global.clone().prop_map(Kind::Listen),
        1 => column.clone().prop_map(Kind::Turnover),
        1 => column.prop_map(Kind::Relink),
        1 => global.prop_map(Kind::OwnLoop),
        1 => (0_usize..12).prop_map(Kind::Switch),
    ]
}

fn made() -> impl Strategy<Value = Vec<Made>> {
    let one = (kind(), 0_usize..24, any::<bool>(), 0..8, any::<u64>());
    let one = one.prop_map(|(kind, after, label, caller, salt)| Made {
        kind,
        after,
        label,
        on_caller_thread: caller == 0,
        salt,
    });
    proptest::collection::vec(one, 2..14)
}

fn name(number: usize) -> String {
    format!("system {number}")
}

fn mix_columns<const R: usize, const W: usize>(
    builder: gerust::schedule::SystemDraft,
    salt: u64,
    spread: bool,
) -> System {
    builder
        .takes::<Rows<(&Cell<R>, &mut Cell<W>)>>()
        .runs(move |mut rows| {
            let change = |(from, to): (&Cell<R>, &mut Cell<W>)| to.0 = mix(to.0, from.0 ^ salt);
            match spread {
                true => rows.par_each(change),
                false => rows.each(change),
            }
        })
}

fn stir<const W: usize>(builder: gerust::schedule::SystemDraft, salt: u64) -> System {
    builder
        .takes::<Rows<&mut Cell<W>>>()
        .runs(move |mut rows| rows.each(|cell| cell.0 = mix(cell.0, salt)))
}

fn fold<const R: usize, const G: usize>(
    builder: gerust::schedule::SystemDraft,
    salt: u64,
) -> System {
    builder
        .takes::<(Rows<&Cell<R>>, GlobalMut<Sum<G>>)>()
        .runs(move |(rows, mut sum)| {
            sum.0 = rows.iter().fold(sum.0 ^ salt, |sum, cell| mix(sum, cell.0));
        })
}

fn post<const R: usize>(builder: gerust::schedule::SystemDraft) -> System {
    builder
        .takes::<(Rows<&Cell<R>>, Outbox<Ping>)>()
        .runs(|(rows, mut outbox)| {
            rows.iter()
                .take(9)
                .for_each(|cell| outbox.post(Ping(cell.0)))
        })
}

fn listen<const G: usize>(builder: gerust::schedule::SystemDraft) -> System {
    builder
        .takes::<(Inbox<Ping>, GlobalMut<Sum<G>>)>()
        .runs(|(mut inbox, mut sum)| {
            sum.0 = inbox
                .take_unread()
                .fold(sum.0, |sum, ping| mix(sum, ping.0));
        })
}

fn turnover<const R: usize>(builder: gerust::schedule::SystemDraft, salt: u64) -> System {
    builder
        .takes::<(Rows<(Entity, &Cell<R>)>, Edits)>()
        .runs(move |(rows, mut edits)| {
            for (entity, cell) in rows.iter() {
                if mix(cell.0, salt).is_multiple_of(13) {
                    edits.despawn(entity);
                }
            }
            for new in 0..3 {
                let id = edits.spawn((Cell::<R>(salt ^ new),));
                edits.attach(id, Cell::<0>(new));
                edits.attach(id, Cell::<3>(u64::from(id.index())));
            }
        })
}

fn relink<const R: usize>(builder: gerust::schedule::SystemDraft, salt: u64) -> System {
    builder
        .takes::<(Rows<(Entity, &Cell<R>)>, Edits)>()
        .runs(move |(rows, mut edits)| {
            let all: Vec<(Entity, u64)> =
                rows.iter().map(|(entity, cell)| (entity, cell.0)).collect();
            for pair in all.windows(2).step_by(7) {
                match mix(pair[0].1, salt) % 4 {
                    0 => edits.unlink(pair[0].0),
                    1 => edits.link(pair[0].0, pair[1].0),
                    _ => edits.link(pair[1].0, pair[0].0),
                }
            }
        })
}

fn own_loop<const G: usize>(builder: gerust::schedule::SystemDraft, salt: u64) -> System {
    use rayon::prelude::*;

    builder.takes::<GlobalMut<Sum<G>>>().runs(move |mut sum| {
        let inner = |outer: u32| {
            let numbers = (0_u32..16).into_par_iter().with_max_len(1);
            numbers
                .map(|inner| mix(u64::from(outer ^ inner), salt))
                .reduce(|| 0, |a, b| a ^ b)
        };
        let numbers = (0_u32..24).into_par_iter().with_max_len(1);
        let all = numbers.map(inner).reduce(|| 0, |a, b| a ^ b);
        sum.0 = mix(sum.0, all);
    })
}

/// Calls a function with const parameters that are only known at run time.
macro_rules! chosen {
    ($f:ident, $number:expr, [$($value:literal),*], $arguments:tt) => {
        match $number {
            $($value => $f::<$value> $arguments,)*
            _ => unreachable!("numbers are drawn from these"),
        }
    };
    ($f:ident, $pair:expr, [$(($first:literal, $second:literal)),*], $arguments:tt) => {
        match $pair {
            $(($first, $second) => $f::<$first, $second> $arguments,)*
            _ => unreachable!("numbers are drawn from these"),
        }
    };
}

fn system(number: usize, made: &Made) -> System {
    let mut builder = System::named(&name(number));
    if made.after < number {
        builder = builder.after(&name(made.after));
    }
    if made.label {
        builder = builder.label("labelled");
    }
    if made.on_caller_thread {
        builder = builder.on_caller_thread();
    }
    let salt = made.salt;
    match made.kind {
        Kind::Mix(from, to) | Kind::MixSpread(from, to) if from == to => {
            chosen!(stir, to, [0, 1, 2, 3], (builder, salt))
        }
        Kind::Mix(from, to) | Kind::MixSpread(from, to) => {
            let spread = matches!(made.kind, Kind::MixSpread(..));
            chosen!(
                mix_columns,
                (from, to),
                [
                    (0, 1),
                    (0, 2),
                    (0, 3),
                    (1, 0),
                    (1, 2),
                    (1, 3),
                    (2, 0),
                    (2, 1),
                    (2, 3),
                    (3, 0),
                    (3, 1),
                    (3, 2)
                ],
                (builder, salt, spread)
            )
        }
        Kind::Fold(from, to) => chosen!(
            fold,
            (from, to),
            [
                (0, 0),
                (1, 0),
                (2, 0),
                (3, 0),
                (0, 1),
                (1, 1),
                (2, 1),
                (3, 1)
            ],
            (builder, salt)
        ),
        Kind::Post(from) => chosen!(post, from, [0, 1, 2, 3], (builder)),
        Kind::Listen(to) => chosen!(listen, to, [0, 1], (builder)),
        Kind::Turnover(of) => chosen!(turnover, of, [0, 1, 2, 3], (builder, salt)),
        Kind::Relink(of) => chosen!(relink, of, [0, 1, 2, 3], (builder, salt)),
        Kind::OwnLoop(to) => chosen!(own_loop, to, [0, 1], (builder, salt)),
        Kind::Switch(which) => {
            let target = name(which);
            builder
                .takes::<(Edits, Global<Clock>)>()
                .runs(move |(mut edits, clock)| {
                    edits.set_enabled(&target, clock.frame() % 3 != 0);
                })
        }
    }
}

fn runtime_with(systems: &[Made], threads: usize) -> Runtime {
    let mut runtime = Runtime::bare();
    runtime.set_threads(threads).expect("the pool starts");
    runtime.set_serial_below(Duration::ZERO);
    let world = runtime.world_mut();
    world.set_global(Sum::<0>(1));
    world.set_global(Sum::<1>(2));
    world.spawn_many((0..600).map(|i| (Cell::<0>(i), Cell::<1>(i * 3), Cell::<2>(7))));
    world.spawn_many((0..300).map(|i| (Cell::<2>(i), Cell::<3>(i * 5))));
    for (number, made) in systems.iter().enumerate() {
        runtime
            .add_system(system(number, made))
            .expect("its name is free");
    }
    runtime
}

type Row = (Entity, [Option<u64>; 4], Option<Entity>);

/// Everything that can differ, bit by bit.
fn state(runtime: &Runtime) -> (Vec<Row>, [u64; 2], u64) {
    let world = runtime.world();
    type All<'a> = (
        Entity,
        Option<&'a Cell<0>>,
        Option<&'a Cell<1>>,
        Option<&'a Cell<2>>,
        Option<&'a Cell<3>>,
    );
    let rows = world.rows::<All<'_>>();
    let rows = rows.iter().map(|(entity, a, b, c, d)| {
        let values = [
            a.map(|a| a.0),
            b.map(|b| b.0),
            c.map(|c| c.0),
            d.map(|d| d.0),
        ];
        (entity, values, world.parent(entity))
    });
    let sums = [
        world.global::<Sum<0>>().expect("it was put in").0,
        world.global::<Sum<1>>().expect("it was put in").0,
    ];
    (rows.collect(), sums, world.missed_edits().count())
}

/// Random schedules give the same on any number of threads, and always end. With the feature `stress` there are more of them;
/// see CONTRIBUTING.md.
#[test]
fn threads_do_not_change_the_result() {
    let cases = std::env::var("GERUST_STRESS_CASES").ok();
    let cases = match cfg!(feature = "stress") {
        true => cases.map_or(300, |text| text.parse().expect("a number of cases")),
        false => 48,
    };
    watched("random schedules", move |beat| {
        let mut runner = TestRunner::new(ProptestConfig {
            failure_persistence: None,
            ..ProptestConfig::with_cases(cases)
        });
        let outcome = runner.run(&made(), |systems| {
            let run = |threads| {
                let mut runtime = runtime_with(&systems, threads);
                runtime.run_frames(7).expect("nothing fails");
                beat();
                runtime
            };
            let alone = state(&run(1));
            for threads in [2, 3, 4, 8, 16] {
                let differs = alone != state(&run(threads));
                prop_assert!(!differs, "{threads} threads differ from one");
            }
            Ok(())
        });
        if let Err(failure) = outcome {
            panic!("{failure}");
        }
    });
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn ordered_systems_never_overlap(systems in made()) {
        /// (system, whether it begins), in the order of what happened.
        type Log = Arc<Mutex<Vec<(usize, bool)>>>;

        let log = Log::default();
        let mut runtime = Runtime::bare();
        runtime.set_threads(4).expect("the pool starts");
        runtime.set_serial_below(Duration::ZERO);
        for (number, made) in systems.iter().enumerate() {
            let mut builder = System::named(&name(number));
            if made.after < number {
                builder = builder.after(&name(made.after));
            }
            if made.label {
                builder = builder.label("labelled");
            } else if made.salt % 3 == 0 {
                builder = builder.after("labelled");
            }
            let (log, salt) = (Arc::clone(&log), made.salt);
            let body = move || {
                log.lock().expect("no system panics").push((number, true));
                std::thread::sleep(Duration::from_micros(salt % 50));
                log.lock().expect("no system panics").push((number, false));
            };
            let system = match made.kind {
                Kind::Mix(..) => builder.takes::<GlobalMut<Sum<0>>>().runs(move |_| body()),
                Kind::Fold(..) => builder.takes::<Global<Sum<0>>>().runs(move |_| body()),
                _ => builder.takes::<()>().runs(move |()| body()),
            };
            runtime.add_system(system).expect("its name is free");
        }
        runtime.world_mut().set_global(Sum::<0>(0));
        // `labelled` may be a label without systems, or the statements may form a cycle.
        let Ok(plan) = runtime.schedule().plan() else { return Ok(()) };
        for _ in 0..3 {
            log.lock().expect("no system panics").clear();
            runtime.run_frames(1).expect("nothing fails");
            let log = log.lock().expect("no system panics");
            let place: HashMap<(usize, bool), usize> =
                log.iter().enumerate().map(|(at, &event)| (event, at)).collect();
            prop_assert_eq!(place.len(), systems.len() * 2);
            for one in 0..systems.len() {
                for other in 0..one {
                    let order = plan.order_of(&name(one), &name(other)).expect("both are there");
                    let Order::ByEdges(edges) = order else { continue };
                    let one_first = edges[0].first() == name(one);
                    let (first, second) = if one_first { (one, other) } else { (other, one) };
                    prop_assert!(place[&(first, false)] < place[&(second, true)]);
                }
            }
        }
    }

    /// Systems are switched on and off at random: each one that listens sees an event once.
    #[test]
    fn toggling_loses_no_event(toggles in proptest::collection::vec((0_usize..4, any::<bool>()), 1..60)) {
        struct Heard<const N: usize>(Vec<u64>);
        struct Posted(u64);

        fn listener<const N: usize>() -> System {
            System::named(&format!("listener {N}"))
                .takes::<(Inbox<Ping>, GlobalMut<Heard<N>>)>()
                .runs(|(mut inbox, mut heard)| heard.0.extend(inbox.take_unread().map(|ping| ping.0)))
        }
        fn poster(name: &str) -> System {
            System::named(name)
                .takes::<(Outbox<Ping>, GlobalMut<Posted>)>()
                .runs(|(mut outbox, mut posted)| {
                    outbox.post(Ping(posted.0));
                    posted.0 += 1;
                })
        }

        let mut runtime = Runtime::bare();
        runtime.set_threads(2).expect("the pool starts");
        runtime.set_serial_below(Duration::ZERO);
        runtime.world_mut().set_global(Heard::<0>(Vec::new()));
        runtime.world_mut().set_global(Heard::<1>(Vec::new()));
        runtime.world_mut().set_global(Posted(0));
        for system in [poster("poster 0"), listener::<0>(), poster("poster 1"), listener::<1>()] {
            runtime.add_system(system).expect("its name is free");
        }
        let names = ["poster 0", "listener 0", "poster 1", "listener 1"];
        for (which, on) in toggles {
            runtime.set_enabled(names[which], on).expect("it is there");
            runtime.run_frames(1).expect("nothing fails");
        }
        for name in names {
            runtime.set_enabled(name, name.starts_with("listener")).expect("it is there");
        }
        runtime.run_frames(1).expect("nothing fails");
        let posted: Vec<u64> = (0..runtime.world().global::<Posted>().expect("it was put in").0).collect();
        prop_assert_eq!(&runtime.world().global::<Heard<0>>().expect("it was put in").0, &posted);
        prop_assert_eq!(&runtime.world().global::<Heard<1>>().expect("it was put in").0, &posted);
    }
}

/// Sixty-four systems, each with a parallel loop inside, on more threads than there are cores.
#[test]
fn nested_loops_never_deadlock() {
    for threads in [2, 4] {
        let mut runtime = Runtime::bare();
        runtime.set_threads(threads).expect("the pool starts");
        runtime.set_serial_below(Duration::ZERO);
        runtime
            .world_mut()
            .spawn_many((0..300).map(|i| (Cell::<0>(i), Cell::<1>(0), Cell::<2>(0))));
        for number in 0..64 {
            let builder = System::named(&name(number));
            let system = match number % 3 {
                0 => mix_columns::<0, 1>(builder, 1, true),
                1 => mix_columns::<0, 2>(builder, 2, true),
                _ => builder
                    .takes::<Rows<&Cell<0>>>()
                    .runs(|mut rows| rows.par_each(|_| ())),
            };
            runtime.add_system(system).expect("its name is free");
        }
        runtime.run_frames(4_000).expect("nothing fails");
        assert!(
            runtime
                .schedule()
                .systems()
                .all(|system| system.runs() == 4_000)
        );
        let rounds = runtime.findings().expect("it can be planned").phases()[0].rounds();
        assert!(rounds.1 > 3_900, "{rounds:?}");
    }
}

#[test]
fn a_panic_on_a_helper_ends_the_frame_and_the_next_one_runs() {
    struct Spawned;
    let mut runtime = Runtime::bare();
    runtime.set_threads(3).expect("the pool starts");
    runtime.set_serial_below(Duration::ZERO);
    runtime
        .world_mut()
        .spawn_many((0..500).map(|i| (Cell::<0>(i),)));
    for number in 0..12 {
        let system = System::named(&name(number))
            .takes::<(Rows<&Cell<0>>, Global<Clock>, Edits)>()
            .runs(move |(mut rows, clock, mut edits)| {
                edits.spawn((Spawned,));
                rows.par_each(|_| ());
                let is_faulty = number % 5 == 2 && clock.frame() % 4 == 3;
                assert!(!is_faulty, "the rope of {number} broke");
            });
        runtime.add_system(system).expect("its name is free");
    }
    let mut failures = 0;
    for frame in 1..=40 {
        let before = runtime.world().len();
        match runtime.run_frames(1) {
            Ok(()) => assert_eq!(runtime.world().len(), before + 12),
            Err(error) => {
                assert_eq!(frame % 4, 3);
                assert!(error.is_panic());
                let message = error.to_string();
                assert_eq!(error.frame(), Some(frame));
                assert!(error.panic_place().is_some_and(|(file, _)| file == file!()));
                assert!(message.contains(": the rope of"), "{message}");
                assert_eq!(
                    runtime.world().len(),
                    before,
                    "edits of the frame are discarded"
                );
                failures += 1;
            }
        }
    }
    assert_eq!(failures, 10);
}

#[test]
fn systems_for_the_callers_thread_run_there() {
    let mut runtime = Runtime::bare();
    runtime.set_threads(3).expect("the pool starts");
    runtime.set_serial_below(Duration::ZERO);
    runtime
        .world_mut()
        .spawn_many((0..500).map(|i| (Cell::<0>(i), Cell::<1>(0))));
    let caller = std::thread::current().id();
    let seen = Arc::new(Mutex::new(Vec::new()));
    for number in 0..9 {
        let builder = System::named(&name(number));
        let system = match number % 3 {
            0 => {
                let seen = Arc::clone(&seen);
                builder.on_caller_thread().takes::<()>().runs(move |()| {
                    seen.lock()
                        .expect("no system panics")
                        .push(std::thread::current().id());
                })
            }
            1 => mix_columns::<0, 1>(builder, 1, true),
            _ => builder
                .takes::<()>()
                .runs(|()| std::thread::sleep(Duration::from_micros(50))),
        };
        runtime.add_system(system).expect("its name is free");
    }
    runtime.run_frames(200).expect("nothing fails");
    let seen = seen.lock().expect("no system panics");
    assert_eq!(seen.len(), 600);
    assert!(seen.iter().all(|&thread| thread == caller));
}

#[test]
fn a_system_that_is_switched_on_while_frames_run_still_runs_on_the_callers_thread() {
    let mut runtime = Runtime::bare();
    runtime.set_threads(2).expect("the pool starts");
    runtime.set_serial_below(Duration::ZERO);
    let caller = std::thread::current().id();
    let seen = Arc::new(Mutex::new(Vec::new()));
    let noted = Arc::clone(&seen);
    let window = System::named("window").on_caller_thread().takes::<()>();
    let window = window.runs(move |()| {
        noted
            .lock()
            .expect("no system panics")
            .push(std::thread::current().id());
    });
    runtime.add_system(window).expect("its name is free");
    runtime.set_enabled("window", false).expect("it is there");
    for number in 0..2 {
        let system = System::named(&name(number))
            .takes::<(Global<Clock>, Edits)>()
            .runs(|(clock, mut edits)| {
                if clock.frame() == 20 {
                    edits.set_enabled("window", true);
                }
            });
        runtime.add_system(system).expect("its name is free");
    }
    runtime.run_frames(60).expect("nothing fails");
    let seen = seen.lock().expect("no system panics");
    assert!(seen.len() == 40 && seen.iter().all(|&thread| thread == caller));
}

#[test]
fn a_runtime_inside_of_a_system_runs() {
    let mut outer = Runtime::bare();
    outer.set_threads(2).expect("the pool starts");
    outer.set_serial_below(Duration::ZERO);
    for number in 0..4 {
        let mut inner = Runtime::bare();
        inner.set_serial_below(Duration::ZERO);
        inner
            .world_mut()
            .spawn_many((0..500).map(|i| (Cell::<0>(i), Cell::<1>(0), Cell::<2>(0))));
        inner
            .add_system(mix_columns::<0, 1>(System::named("a"), 1, true))
            .expect("its name is free");
        inner
            .add_system(mix_columns::<0, 2>(System::named("b"), 1, true))
            .expect("its name is free");
        let system = System::named(&name(number))
            .takes::<()>()
            .runs(move |()| inner.run_frames(3).expect("nothing fails"));
        outer.add_system(system).expect("its name is free");
    }
    outer.run_frames(100).expect("nothing fails");
}

#[test]
fn the_profile_shows_which_thread_ran_what() {
    let mut runtime = Runtime::bare();
    runtime.set_threads(2).expect("the pool starts");
    runtime.set_serial_below(Duration::ZERO);
    for number in 0..6 {
        let system = System::named(&name(number))
            .takes::<()>()
            .runs(|()| std::thread::sleep(Duration::from_micros(300)));
        runtime.add_system(system).expect("its name is free");
    }
    runtime.run_frames(30).expect("nothing fails");
    for frame in runtime.profiler().frames() {
        let systems = frame
            .spans()
            .iter()
            .filter(|span| span.category() == gerust::profile::Category::System);
        assert_eq!(
            systems.clone().count(),
            6,
            "each system once a frame, on any thread"
        );
        assert!(
            systems
                .clone()
                .all(|span| span.thread() < 2 && span.depth() == 2)
        );
    }
    let all = runtime.profiler().frames().flat_map(|frame| frame.spans());
    assert!(
        all.into_iter().any(|span| span.thread() == 1),
        "the second thread has helped"
    );
}

//! Frames on 1 to 16 threads that must all end: nested loops, users' own loops, systems for the caller's thread, runtimes
//! inside of systems.
//!
//! With the feature `stress` there are a million of them, or as many as run in `GERUST_STRESS_SECONDS` for each test; see
//! CONTRIBUTING.md.
#![cfg(feature = "parallel")]

use gerust::prelude::*;
use rayon::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

mod watchdog;
use watchdog::watched;

struct Cell<const N: usize>(u64);
struct Sum(u64);

/// How many frames a test runs: in the long form its part of a million, otherwise a few.
fn frames(few: u64) -> u64 {
    const TESTS: u64 = 6;
    match cfg!(feature = "stress") {
        true => 1_000_000 / TESTS / ALL.len() as u64,
        false => few,
    }
}

fn runtime(threads: usize, rows: u64) -> Runtime {
    let mut runtime = Runtime::bare();
    runtime.set_threads(threads).expect("they can be started");
    runtime.set_serial_below(Duration::ZERO);
    runtime.profiler_mut().keep_frames(4);
    let world = runtime.world_mut();
    world.spawn_many((0..rows).map(|number| (Cell::<0>(number), Cell::<1>(0), Cell::<2>(0))));
    world.set_global(Sum(0));
    runtime
}

fn with_systems(mut runtime: Runtime, systems: impl IntoIterator<Item = System>) -> Runtime {
    for system in systems {
        runtime.add_system(system).expect("its name is free");
    }
    runtime
}

fn spread<const W: usize>(name: &str) -> System {
    System::named(name)
        .takes::<Rows<(&Cell<0>, &mut Cell<W>)>>()
        .runs(|mut rows| rows.par_each(|(from, to)| to.0 = to.0.wrapping_add(from.0 | 1)))
}

/// A loop that the user writes with rayon, with a loop inside of it.
fn own_loop(name: &str) -> System {
    System::named(name)
        .takes::<GlobalMut<Sum>>()
        .runs(|mut sum| {
            let added: u64 = (0_u32..64)
                .into_par_iter()
                .with_max_len(1)
                .map(|outer| {
                    (0_u32..32)
                        .into_par_iter()
                        .with_max_len(1)
                        .map(|inner| u64::from(inner ^ outer))
                        .sum::<u64>()
                })
                .sum();
            sum.0 = sum.0.wrapping_add(added);
        })
}

fn caller(name: &str, runs: &Arc<AtomicU64>) -> System {
    let runs = Arc::clone(runs);
    let thread = std::thread::current().id();
    System::named(name)
        .on_caller_thread()
        .takes::<()>()
        .runs(move |()| {
            assert_eq!(std::thread::current().id(), thread);
            runs.fetch_add(1, Ordering::Relaxed);
        })
}

/// When the long form of a test goes over to the next number of threads, if it has not run all its frames by then.
fn end() -> Option<Instant> {
    let seconds = std::env::var("GERUST_STRESS_SECONDS").ok();
    let seconds = seconds.map_or(20.0, |text| text.parse().expect("a number of seconds"));
    let each = Duration::from_secs_f64(seconds / ALL.len() as f64);
    cfg!(feature = "stress").then(|| Instant::now() + each)
}

fn frames_end(
    what: &str,
    all_threads: &[usize],
    frames: u64,
    set_up: impl Fn(usize, &Arc<AtomicU64>) -> Runtime + Send + 'static,
) {
    let all_threads = all_threads.to_vec();
    watched(what, move |beat| {
        for threads in all_threads {
            let calls = Arc::new(AtomicU64::new(0));
            let mut runtime = set_up(threads, &calls);
            let until = end();
            let mut ran = 0;
            while ran < frames && until.is_none_or(|until| Instant::now() <= until) {
                let some = (frames - ran).min(100);
                runtime.run_frames(some).expect("nothing fails");
                ran += some;
                beat();
            }
            let mut systems = runtime.schedule().systems();
            assert!(systems.all(|system| system.runs() == ran));
        }
    });
}

const ALL: [usize; 7] = [1, 2, 3, 4, 5, 8, 16];

#[test]
fn a_spread_loop_beside_a_system_for_the_caller() {
    let frames = frames(250);
    frames_end("spread and caller", &ALL, frames, |threads, calls| {
        let runtime = runtime(threads, 20_000);
        with_systems(runtime, [spread::<1>("spread"), caller("window", calls)])
    });
}

#[test]
fn two_spread_loops() {
    let frames = frames(250);
    frames_end("two spread loops", &ALL, frames, |threads, _| {
        let runtime = runtime(threads, 20_000);
        with_systems(runtime, [spread::<1>("one"), spread::<2>("other")])
    });
}

#[test]
fn many_rows_with_the_usual_limit_for_threads() {
    let frames = frames(30);
    frames_end("200,000 rows", &[8], frames, |threads, _| {
        let mut runtime = runtime(threads, 200_000);
        runtime.set_serial_below(Duration::from_micros(100));
        with_systems(runtime, [spread::<1>("one"), spread::<2>("other")])
    });
}

#[test]
fn loops_that_users_write() {
    let frames = frames(250);
    frames_end("own loops", &ALL, frames, |threads, calls| {
        let runtime = runtime(threads, 5_000);
        with_systems(
            runtime,
            [
                own_loop("own"),
                spread::<1>("one"),
                caller("window", calls),
                spread::<2>("other"),
                System::named("own again")
                    .takes::<()>()
                    .runs(|()| (0_u32..64).into_par_iter().with_max_len(1).for_each(|_| ())),
            ],
        )
    });
}

#[test]
fn runtimes_inside_of_systems() {
    let frames = frames(60);
    frames_end("nested runtimes", &ALL, frames, |threads, calls| {
        let mut outer = runtime(threads, 2_000);
        for number in 0..4 {
            // Two with a pool of their own, two in the pool of the process.
            let mut inner = match number {
                0 | 1 => runtime(threads, 2_000),
                _ => Runtime::bare(),
            };
            inner.set_serial_below(Duration::ZERO);
            inner.world_mut().set_global(Sum(0));
            // Made on the thread on which it runs, which the outer runtime chooses anew in each frame.
            let here = System::named("here")
                .on_caller_thread()
                .takes::<()>()
                .runs(|()| ());
            for system in [
                spread::<1>("one"),
                spread::<2>("other"),
                own_loop("own"),
                here,
            ] {
                inner.add_system(system).expect("its name is free");
            }
            let system = System::named(&format!("inner {number}"))
                .takes::<()>()
                .runs(move |()| inner.run_frames(2).expect("nothing fails"));
            outer.add_system(system).expect("its name is free");
        }
        outer
            .add_system(caller("window", calls))
            .expect("its name is free");
        outer
    });
}

#[test]
fn frames_of_several_runtimes_in_one_pool() {
    let frames = frames(200);
    watched("several runtimes", move |beat| {
        std::thread::scope(|scope| {
            for _ in 0..3 {
                let beat = beat.clone();
                scope.spawn(move || {
                    let calls = Arc::new(AtomicU64::new(0));
                    let mut runtime = Runtime::bare();
                    runtime.set_serial_below(Duration::ZERO);
                    runtime.world_mut().spawn_many(
                        (0..5_000).map(|number| (Cell::<0>(number), Cell::<1>(0), Cell::<2>(0))),
                    );
                    for system in [
                        spread::<1>("one"),
                        caller("window", &calls),
                        spread::<2>("other"),
                    ] {
                        runtime.add_system(system).expect("its name is free");
                    }
                    let until = end();
                    let mut ran = 0;
                    while ran < frames && until.is_none_or(|until| Instant::now() <= until) {
                        runtime.run_frames(1).expect("nothing fails");
                        ran += 1;
                        beat();
                    }
                    assert_eq!(calls.load(Ordering::Relaxed), ran);
                });
            }
        });
    });
}

//! The cost of the schedule: per system, per wave, and of planning.

use crate::harness::Table;
use gerust::prelude::*;
use std::hint::black_box;
use std::time::{Duration, Instant};

pub(crate) fn rows(table: &mut Table) {
    overhead(table);
    chain(table);
    busy(table);
    #[cfg(target_os = "linux")]
    taken_core(table);
    profiler(table);
    planning(table);
}

fn median_of(samples: impl Iterator<Item = f64>) -> f64 {
    let mut samples: Vec<f64> = samples.collect();
    samples.sort_by(f64::total_cmp);
    samples[samples.len() / 2]
}

/// Frames of one sample.
const FRAMES: u64 = 1_000;
const SYSTEMS: usize = 100;

struct Slot(u64);

fn empty_system(number: usize) -> System {
    System::named(&format!("empty {number}"))
        .takes::<(Rows<&Slot>, Global<Clock>)>()
        .runs(|(rows, clock)| {
            black_box((rows.is_empty(), clock.frame()));
        })
}

fn runtime(threads: usize, systems: impl Iterator<Item = System>) -> Runtime {
    let mut runtime = Runtime::bare();
    runtime
        .set_threads(threads)
        .expect("the threads can be started");
    runtime.set_serial_below(Duration::ZERO);
    runtime.world_mut().spawn((Slot(1),));
    for system in systems {
        runtime.add_system(system).expect("its name is free");
    }
    // Until the profiler's ring is full it takes new memory for each frame.
    runtime.profiler_mut().keep_frames(50);
    runtime.run_frames(100).expect("nothing fails");
    runtime
}

/// Nanoseconds per system of a frame, less what a frame without systems takes.
fn per_system(threads: usize, count: usize, system: fn(usize) -> System) -> f64 {
    let mut runtime = runtime(threads, (0..count).map(system));
    let sample = |runtime: &mut Runtime| {
        let start = Instant::now();
        runtime.run_frames(FRAMES).expect("nothing fails");
        start.elapsed().as_secs_f64() * 1e9 / (FRAMES as f64 * count as f64)
    };
    median_of((0..15).map(|_| sample(&mut runtime)))
}

fn overhead(table: &mut Table) {
    let name = "empty system, serial, with Rows and Global";
    if table.wants(name) {
        table.figure(name, per_system(1, SYSTEMS, empty_system), 120.0, "ns");
    }
    let name = "empty system, 2 threads, with Rows and Global";
    if table.wants(name) {
        table.figure(name, per_system(2, SYSTEMS, empty_system), 120.0, "ns");
    }
    // A bare scope: a job per system, no order, nothing granted.
    let name = "empty systems, 2 threads, against a scope";
    if !table.wants(name) {
        return;
    }
    let mut ours = runtime(2, (0..SYSTEMS).map(empty_system));
    let pool = rayon::ThreadPoolBuilder::new()
        .num_threads(2)
        .build()
        .expect("two threads can be had");
    table.row(
        name,
        1.5,
        || ours.run_frames(FRAMES).expect("nothing fails"),
        || {
            pool.install(|| {
                for _ in 0..FRAMES {
                    rayon::scope(|scope| {
                        for number in 0..SYSTEMS {
                            scope.spawn(move |_| {
                                black_box(number);
                            });
                        }
                    });
                }
            });
        },
    );
}

/// Each waits for the one before: nothing to gain from threads, and little must be lost.
fn chain(table: &mut Table) {
    fn link(number: usize) -> System {
        System::named(&format!("link {number}"))
            .takes::<Rows<&mut Slot>>()
            .runs(|mut rows| rows.each(|slot| slot.0 += 1))
    }
    let name = "a chain of 500, 2 threads";
    if table.wants(name) {
        table.figure(name, per_system(2, 500, link), 150.0, "ns");
    }
}

/// Keeps a core busy for so long.
fn spin(time: Duration) {
    let start = Instant::now();
    while start.elapsed() < time {
        std::hint::spin_loop();
    }
}

/// Sixteen systems that may all run at the same time: the ideal on two threads is half of their time.
fn busy(table: &mut Table) {
    for microseconds in [5_u64, 20, 100] {
        let name = format!("16 systems of {microseconds} µs, 2 threads, of ideal");
        if !table.wants(&name) {
            continue;
        }
        let each = Duration::from_micros(microseconds);
        let systems = (0..16).map(move |number| {
            System::named(&format!("busy {number}"))
                .takes::<Rows<&Slot>>()
                .runs(move |_| spin(each))
        });
        let mut runtime = runtime(2, systems);
        const FRAMES: usize = 100;
        table.row(
            &name,
            1.05,
            || runtime.run_frames(FRAMES as u64).expect("nothing fails"),
            || (0..FRAMES * 8).for_each(|_| spin(each)),
        );
    }
}

/// Two threads where another program takes one of two cores, against one thread.
#[cfg(target_os = "linux")]
fn taken_core(table: &mut Table) {
    use rustix::thread::{CpuSet, sched_getaffinity, sched_setaffinity};
    use std::sync::atomic::{AtomicBool, Ordering};

    const EACH: Duration = Duration::from_micros(100);
    const FRAMES: usize = 100;

    let systems = || {
        (0..16).map(|number| {
            System::named(&format!("busy {number}"))
                .takes::<Rows<&Slot>>()
                .runs(|_| work_for(EACH))
        })
    };
    let core = |number: usize| {
        let mut set = CpuSet::new();
        set.set(number);
        set
    };
    let pin = |set: &CpuSet| sched_setaffinity(None, set).expect("threads may choose their cores");
    let all = sched_getaffinity(None).expect("the kernel lists the cores");
    let cores: Vec<usize> = (0..CpuSet::MAX_CPU)
        .filter(|&core| all.is_set(core))
        .collect();
    let by_hand = || (0..FRAMES * 16).for_each(|_| work_for(EACH));

    let name = "16 systems of 100 µs, 2 threads on 1 core";
    if table.wants(name) {
        // Threads of the pool are started, and stay, where this one is.
        pin(&core(cores[0]));
        let mut runtime = runtime(2, systems());
        let ours = || runtime.run_frames(FRAMES as u64).expect("nothing fails");
        table.row(name, 1.1, ours, by_hand);
        pin(&all);
    }
    let name = "16 systems of 100 µs, 2 threads, a core busy";
    if table.wants(name) && cores.len() > 1 {
        let mut two = CpuSet::new();
        two.set(cores[0]);
        two.set(cores[1]);
        pin(&two);
        let mut runtime = runtime(2, systems());
        let is_over = AtomicBool::new(false);
        std::thread::scope(|scope| {
            scope.spawn(|| {
                pin(&core(cores[1]));
                while !is_over.load(Ordering::Relaxed) {
                    std::hint::spin_loop();
                }
            });
            let ours = || runtime.run_frames(FRAMES as u64).expect("nothing fails");
            table.row(name, 1.1, ours, by_hand);
            is_over.store(true, Ordering::Relaxed);
        });
        pin(&all);
    }
}

/// A fixed amount of work that takes about so long: unlike [`spin`] it takes longer on a core that is shared.
#[cfg(target_os = "linux")]
fn work_for(time: Duration) {
    use std::sync::OnceLock;

    /// Turns of the loop in a microsecond.
    static PACE: OnceLock<f64> = OnceLock::new();
    fn turns(count: u64) {
        let mut state = black_box(1_u64);
        for _ in 0..count {
            state = black_box(state.wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(7));
        }
    }
    let pace = *PACE.get_or_init(|| {
        const TURNS: u64 = 1_000_000;
        median_of((0..9).map(|_| {
            let start = Instant::now();
            turns(TURNS);
            TURNS as f64 / (start.elapsed().as_secs_f64() * 1e6)
        }))
    });
    turns((pace * time.as_secs_f64() * 1e6) as u64);
}

/// The profiler on against off.
fn profiler(table: &mut Table) {
    let name = "profiler on, 64 systems of 50 µs, against off";
    if !table.wants(name) {
        return;
    }
    let systems = |_: ()| {
        (0..64).map(|number| {
            System::named(&format!("busy {number}"))
                .takes::<Rows<&Slot>>()
                .runs(|_| spin(Duration::from_micros(50)))
        })
    };
    let mut on = runtime(1, systems(()));
    let mut off = runtime(1, systems(()));
    off.profiler_mut().set_on(false);
    table.row(
        name,
        1.01,
        || on.run_frames(10).expect("nothing fails"),
        || off.run_frames(10).expect("nothing fails"),
    );
}

/// Plans of sets of systems in which about one pair in ten clashes.
fn planning(table: &mut Table) {
    struct Part<const N: usize>;

    fn with_part(number: usize) -> System {
        let builder = System::named(&format!("system {number}"));
        match number % 10 {
            0 => builder.takes::<GlobalMut<Part<0>>>().runs(|_| ()),
            1 => builder.takes::<Global<Part<0>>>().runs(|_| ()),
            2 => builder.takes::<GlobalMut<Part<1>>>().runs(|_| ()),
            3 => builder.takes::<Global<Part<1>>>().runs(|_| ()),
            4 => builder.takes::<GlobalMut<Part<2>>>().runs(|_| ()),
            5 => builder.takes::<Global<Part<2>>>().runs(|_| ()),
            _ => builder.takes::<Global<Clock>>().runs(|_| ()),
        }
    }

    fn planned(systems: usize) -> f64 {
        let mut runtime = Runtime::bare();
        for number in 0..systems {
            runtime
                .add_system(with_part(number))
                .expect("its name is free");
        }
        let sample = || {
            let start = Instant::now();
            black_box(runtime.schedule().plan().expect("it can be planned"));
            start.elapsed().as_secs_f64() * 1e6
        };
        median_of((0..9).map(|_| sample()))
    }

    // A pair at a time: ten times as many systems are a hundred times as many pairs.
    for (systems, most) in [(10, 100.0), (100, 2_000.0), (1_000, 100_000.0)] {
        let name = format!("planning {systems} systems");
        if table.wants(&name) {
            table.figure(&name, planned(systems), most, "µs");
        }
    }
}

//! The profiler, through the public interface.

use gerust::prelude::*;
use gerust::profile::{self, Category, CounterKind, FrameProfile, MeasuredSpan, Profiler, Relay};
use std::collections::HashMap;
use std::time::Duration;

fn last_frame(runtime: &Runtime) -> &FrameProfile {
    runtime.profiler().frames().last().expect("a frame ran")
}

fn counter(runtime: &Runtime, name: &str) -> u64 {
    let value = last_frame(runtime).counter(name);
    value.unwrap_or_else(|| panic!("unknown counter `{name}`"))
}

struct Horn;

/// Three crates on the ground, and a system that does as many of each thing as the frame's number.
fn counted_quay() -> Runtime {
    let mut runtime = Runtime::new();
    let cube = |half| Collider::solid(Aabb::from_center(Vec3::ZERO, half));
    let world = runtime.world_mut();
    world.spawn((
        Transform::at(0.0, -0.5, 0.0),
        cube(Vec3::new(50.0, 0.5, 50.0)),
    ));
    for x in 0..3 {
        world.spawn((
            Transform::at(3.0 * x as f32, 0.5, 0.0),
            cube(Vec3::splat(0.5)),
            7_u8,
        ));
    }
    let system = System::named("bustle")
        .phase(Phase::Intake)
        .takes::<(Global<Clock>, Edits, Outbox<Horn>, Rows<&u8>)>()
        .runs(|(clock, mut edits, mut outbox, rows)| {
            for _ in 0..clock.frame() {
                edits.spawn(("gull",));
                outbox.post(Horn);
                assert_eq!(rows.iter().count(), 3);
            }
        });
    runtime.add_system(system).expect("the name is free");
    runtime
}

#[test]
fn counters_tell_what_a_frame_did() {
    let mut runtime = counted_quay();
    let mut entities = 4;
    for frame in 1..=5 {
        runtime.run_frames(1).expect("nothing fails");
        entities += frame;
        assert_eq!(counter(&runtime, "entities"), entities);
        assert_eq!(counter(&runtime, "edits"), frame);
        assert_eq!(counter(&runtime, "rows visited"), 3 * frame);
        assert_eq!(counter(&runtime, "contacts"), 3);
        assert_eq!(counter(&runtime, "leftovers"), 0);
        // In the first frame the three contacts begin, which are events as well.
        assert_eq!(
            counter(&runtime, "events"),
            frame + if frame == 1 { 3 } else { 0 }
        );
    }
    let statistics = runtime.profiler().counter_statistics();
    let edits = statistics
        .iter()
        .find(|counter| counter.name == "edits")
        .expect("it is counted");
    assert_eq!(
        (edits.median, edits.most, edits.most_frame, edits.total),
        (3, 5, 5, 15)
    );
}

#[test]
fn leftovers_are_counted_as_they_are_listed() {
    let mut runtime = Runtime::new();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    let (cubes, frames) = if cfg!(feature = "stress") {
        (300, 30)
    } else {
        (64, 12)
    };
    for place in 0..cubes {
        // Far more than there is room for in a pit of 2 x 2 x 2 m.
        let at = |shift: u32| (place >> shift & 3) as f32 * 0.3;
        let transform = Transform::at(at(0), at(2), at(4));
        runtime
            .world_mut()
            .spawn((transform, cube.clone(), Body::dynamic()));
    }
    for side in [Vec3::X, Vec3::Y, Vec3::Z]
        .iter()
        .flat_map(|&axis| [axis, -axis])
    {
        let wall = Collider::solid(Aabb::from_center(side * 22.0, Vec3::splat(20.0)));
        runtime.world_mut().spawn((Transform::default(), wall));
    }
    let mut most = 0;
    for _ in 0..frames {
        runtime.run_frames(1).expect("nothing fails");
        let contacts = runtime
            .world()
            .global::<Contacts>()
            .expect("it is built in");
        assert_eq!(contacts.leftover_count(), contacts.leftovers().count());
        assert_eq!(
            counter(&runtime, "leftovers"),
            contacts.leftover_count() as u64
        );
        most = most.max(contacts.leftover_count());
    }
    assert!(most > 0, "they do not fit");
}

#[test]
fn a_ring_keeps_the_last_frames_and_the_hook_sees_all() {
    let (sender, receiver) = std::sync::mpsc::channel();
    let mut runtime = Runtime::new();
    let profiler = runtime.profiler_mut();
    profiler.keep_frames(4);
    profiler.set_warm_up(3);
    profiler.on_each_frame(move |profiler, frame| {
        let kept = profiler.frames().last().map(FrameProfile::number);
        let told = (frame.number(), kept, frame.is_warm_up());
        sender.send(told).expect("the receiver is alive");
    });
    runtime.run_frames(5).expect("nothing fails");
    runtime.profiler_mut().set_on(false);
    runtime.run_frames(2).expect("nothing fails");
    runtime.profiler_mut().set_on(true);
    runtime.run_frames(2).expect("nothing fails");
    let kept: Vec<u64> = runtime
        .profiler()
        .frames()
        .map(FrameProfile::number)
        .collect();
    assert_eq!(kept, [4, 5, 8, 9]);
    let told: Vec<_> = receiver.try_iter().collect();
    let seen = |number, is_warm_up| (number, Some(number), is_warm_up);
    assert_eq!(
        told,
        [
            seen(1, true),
            seen(2, true),
            seen(3, true),
            seen(4, false),
            seen(5, false),
            seen(8, false),
            seen(9, false)
        ]
    );
    // The warm-up has left the ring.
    assert_eq!(runtime.profiler().statistics()[0].calls(), 4);
    assert!(runtime.profiler().warm_up_statistics().is_empty());
}

#[test]
fn counters_of_ones_own_are_read_at_each_frame() {
    let mut runtime = Runtime::bare();
    let mut reads = 0;
    let read = move || {
        reads += 10;
        reads
    };
    runtime
        .profiler_mut()
        .add_counter("rising", CounterKind::Rising, read);
    runtime
        .profiler_mut()
        .add_counter("level", CounterKind::Level, read);
    runtime.run_frames(3).expect("nothing fails");
    assert_eq!(counter(&runtime, "rising"), 10);
    assert_eq!(counter(&runtime, "level"), 30);
    // A second one of the same name takes its place.
    runtime
        .profiler_mut()
        .add_counter("level", CounterKind::Level, || 7);
    runtime.run_frames(1).expect("nothing fails");
    let levels = last_frame(&runtime)
        .counters()
        .iter()
        .filter(|count| count.name == "level");
    assert_eq!(levels.map(|count| count.value).collect::<Vec<_>>(), [7]);
}

/// Every span lies in one of a lesser depth on its thread, or is the outermost there.
fn assert_nested(runtime: &Runtime) {
    for frame in runtime.profiler().frames() {
        let end =
            |span| frame.offset(span) + Duration::from_nanos(profile::Span::nanoseconds(span));
        for span in frame.spans() {
            let others = frame
                .spans()
                .iter()
                .filter(|other| other.thread() == span.thread());
            let inside = others.clone().filter(|other| {
                other.depth() + 1 == span.depth()
                    && frame.offset(other) <= frame.offset(span)
                    && end(span) <= end(other)
            });
            let outermost = others.map(profile::Span::depth).min();
            assert!(
                inside.count() == 1 || Some(span.depth()) == outermost,
                "{} hangs in the air",
                runtime.profiler().name_of(span)
            );
        }
    }
}

#[test]
fn other_threads_record_for_the_frame() {
    let mut runtime = Runtime::bare();
    let system = System::named("read manifests").takes::<()>().runs(|()| {
        let _whole = profile::span("whole");
        let relay = Relay::here();
        std::thread::scope(|scope| {
            for _ in 0..3 {
                scope.spawn(|| {
                    // Before the relay takes over, nothing is recorded here.
                    profile::timed("unseen", || ());
                    relay.record(|| {
                        profile::timed("decode", || profile::timed("unpack", || ()));
                        profile::count("manifests", 2);
                    });
                });
            }
        });
        // On the thread of the frame a relay changes nothing.
        relay.record(|| profile::timed("sort", || ()));
    });
    runtime.add_system(system).expect("it is alone");
    runtime.run_frames(4).expect("nothing fails");
    assert_nested(&runtime);
    let profiler = runtime.profiler();
    let mut calls: HashMap<&str, (u64, bool)> = HashMap::new();
    for span in last_frame(&runtime).spans() {
        let entry = calls.entry(profiler.name_of(span)).or_default();
        *entry = (entry.0 + 1, span.thread() > 0);
    }
    assert_eq!(calls["decode"], (3, true));
    assert_eq!(calls["unpack"], (3, true));
    assert_eq!(calls["sort"], (1, false));
    assert!(!calls.contains_key("unseen"));
    assert_eq!(counter(&runtime, "manifests"), 6);
    // What others did is not taken off the self time of the system.
    let statistics = profiler.statistics();
    let of = |name: &str| {
        statistics
            .iter()
            .find(|known| known.name() == name)
            .expect("it ran")
    };
    assert_eq!(
        of("whole").self_time(),
        of("whole").total() - of("sort").total()
    );
}

#[cfg(feature = "parallel")]
#[test]
fn pieces_of_a_parallel_loop_record_for_the_frame() {
    let mut runtime = Runtime::bare();
    runtime.set_threads(3).expect("there are three");
    runtime.set_serial_below(Duration::ZERO);
    runtime
        .world_mut()
        .spawn_many((0..5_000_u32).map(|number| (number,)));
    let system = System::named("weigh")
        .takes::<Rows<&mut u32>>()
        .runs(|mut rows| {
            rows.par_each(|number| {
                if number.is_multiple_of(100) {
                    profile::timed("heavy one", || std::hint::black_box(*number));
                }
                profile::count("weighed", 1);
            });
        });
    runtime.add_system(system).expect("it is alone");
    runtime.run_frames(20).expect("nothing fails");
    assert_nested(&runtime);
    for frame in runtime.profiler().frames() {
        let heavy = frame
            .spans()
            .iter()
            .filter(|span| runtime.profiler().name_of(span) == "heavy one");
        assert_eq!(heavy.count(), 50);
        assert_eq!(frame.counter("weighed"), Some(5_000));
        assert_eq!(frame.counter("rows visited"), Some(5_000));
    }
}

#[test]
fn the_runtime_names_the_parts_of_its_own_work() {
    let mut runtime = counted_quay();
    let world = runtime.world_mut();
    let rail = world.spawn((Transform::default(),));
    world
        .spawn_under(rail, (Transform::default(),))
        .expect("the rail is there");
    runtime.run_frames(1).expect("nothing fails");
    let profiler = runtime.profiler();
    let parts: Vec<&str> = last_frame(&runtime)
        .spans()
        .iter()
        .filter(|span| span.category() == Category::Part)
        .map(|span| profiler.name_of(span))
        .collect();
    for wanted in [
        "edits",
        "rebuild hierarchy order",
        "propagate",
        "find pairs",
        "look around bodies",
        "move dynamic bodies",
    ] {
        assert!(parts.contains(&wanted), "{wanted} is missing in {parts:?}");
    }
    assert_nested(&runtime);
}

#[test]
fn long_frames_are_put_down_to_the_block_that_made_them_long() {
    let mut profiler = Profiler::default();
    profiler.set_budget(Duration::from_millis(30));
    profiler.set_warm_up(15);
    for number in 1..=35 {
        let is_long = number % 10 == 0;
        let sort = Duration::from_millis(if is_long { 40 } else { 2 });
        let mut spans = Vec::new();
        let mut start = Duration::ZERO;
        for system in ["quay work 0", "quay work 1", "quay work 2"] {
            // The first system takes longer than the second in most frames.
            let own = Duration::from_millis(if system == "quay work 0" { 6 } else { 1 });
            let block = if system == "quay work 1" {
                sort
            } else {
                Duration::ZERO
            };
            spans.push(MeasuredSpan {
                category: Category::Block,
                name: "sort crates",
                depth: 2,
                thread: 0,
                start,
                took: block,
            });
            spans.push(MeasuredSpan {
                category: Category::System,
                name: system,
                depth: 1,
                thread: 0,
                start,
                took: block + own,
            });
            start += block + own;
        }
        profiler.add_measured(number, start, &spans);
    }
    let culprits = profiler.culprits();
    assert_eq!(culprits.len(), 1, "{culprits:?}");
    // Frames 20 and 30; frame 10 was warm-up.
    let sort = &culprits[0];
    assert_eq!(
        (sort.name.as_str(), sort.within.as_deref()),
        ("sort crates", Some("quay work 1"))
    );
    assert_eq!(sort.frames, 2);
    assert!([20, 30].contains(&sort.worst_frame));
    let excess = profiler.excess_of(10);
    assert_eq!(
        (excess[0].name.as_str(), excess[0].within.as_deref()),
        ("sort crates", Some("quay work 1"))
    );
    assert_eq!(
        excess[0].self_time - excess[0].median,
        Duration::from_millis(38)
    );
}

/// A runtime whose systems have names that begin with `prefix`.
fn quay(prefix: &str, is_recorded: bool) -> Runtime {
    let mut runtime = Runtime::new();
    runtime.profiler_mut().set_on(is_recorded);
    for number in 0..4 {
        let system = System::named(&format!("{prefix} {number}"));
        let work = system.takes::<()>().runs(|()| {
            profile::timed("lift", || std::hint::black_box((0..2000_u64).sum::<u64>()));
            profile::count("lifts", 1);
        });
        runtime.add_system(work).expect("its name is free");
    }
    let system = System::named(&format!("{prefix} setup")).phase(Phase::Setup);
    let work = system.takes::<()>().runs(|()| profile::count("lifts", 100));
    runtime.add_system(work).expect("its name is free");
    runtime
}

/// The names of systems in the last frame without those of the runtime, and how many blocks `lift` and counts of `lifts` it has.
fn lifts(runtime: &Runtime) -> (Vec<String>, usize, u64) {
    let (frame, profiler) = (last_frame(runtime), runtime.profiler());
    let of = |category| {
        let spans = frame.spans().iter();
        spans
            .filter(move |span| span.category() == category)
            .map(|span| profiler.name_of(span).to_owned())
    };
    let mut systems: Vec<String> = of(Category::System)
        .filter(|name| !name.contains(": "))
        .collect();
    systems.sort_unstable();
    let blocks = of(Category::Block).filter(|name| name == "lift").count();
    (systems, blocks, frame.counter("lifts").unwrap_or(0))
}

#[test]
fn a_runtime_inside_of_a_system_records_nothing_for_the_outer_one() {
    for is_recorded in [false, true] {
        let mut outer = Runtime::bare();
        let mut inner = quay("inner", is_recorded);
        let system = System::named("hold an inner quay")
            .takes::<()>()
            .runs(move |()| {
                let relay = Relay::here();
                inner.run_frames(2).expect("nothing fails");
                inner.settle().expect("nothing fails");
                // Recording of the outer frame is on again.
                profile::count("lifts", 7);
                relay.record(|| profile::timed("lift", || ()));
            });
        outer.add_system(system).expect("it is alone");
        outer.run_frames(1).expect("nothing fails");
        let expected = (vec!["hold an inner quay".to_owned()], 1, 7);
        assert_eq!(
            lifts(&outer),
            expected,
            "the inner one is on: {is_recorded}"
        );
        assert_nested(&outer);
    }
}

#[test]
fn a_relay_from_outside_of_frames_records_nothing_inside_of_one() {
    let relay = Relay::here();
    let mut runtime = Runtime::bare();
    let system = System::named("sort").takes::<()>().runs(move |()| {
        relay.record(|| {
            profile::count("lifts", 1);
            profile::timed("lift", || ());
        });
        profile::timed("lift", || profile::count("lifts", 20));
    });
    runtime.add_system(system).expect("it is alone");
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(lifts(&runtime), (vec!["sort".to_owned()], 1, 20));
    assert_nested(&runtime);
}

/// Threads of one pool run systems of several runtimes, and each span reaches its own.
#[cfg(feature = "parallel")]
#[test]
fn runtimes_that_share_a_pool_do_not_mix_their_profiles() {
    let pool = gerust::rayon::ThreadPoolBuilder::new().num_threads(3);
    let pool = std::sync::Arc::new(pool.build().expect("threads can be started"));
    std::thread::scope(|scope| {
        for number in 0..4 {
            let pool = std::sync::Arc::clone(&pool);
            scope.spawn(move || {
                let prefix = ["north", "east", "south", "west"][number];
                let mut runtime = quay(prefix, number % 2 == 0);
                runtime.set_pool(pool);
                runtime.set_serial_below(Duration::ZERO);
                for _ in 0..60 {
                    runtime.run_frames(1).expect("nothing fails");
                    runtime.settle().expect("nothing fails");
                    if number % 2 == 0 {
                        let own: Vec<String> = (0..4).map(|i| format!("{prefix} {i}")).collect();
                        assert_eq!(lifts(&runtime), (own, 4, 4));
                    }
                }
            });
        }
    });
}

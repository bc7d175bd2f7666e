//! What holds of frames whatever systems claim, post, spawn and drop.

use gerust::prelude::*;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

#[derive(Clone, Copy, PartialEq, Debug)]
struct A(u32);
#[derive(Clone, Copy, PartialEq, Debug)]
struct B(u32);
struct C;
struct Tag<const N: usize>;

fn threads(runtime: &mut Runtime, threads: usize) {
    if cfg!(feature = "parallel") {
        runtime.set_threads(threads).expect("they can be started");
        runtime.set_serial_below(Duration::ZERO);
    }
}

/// A new table in each of the first 128 frames: rows have to be matched while other systems run.
fn new_tables(runtime: &mut Runtime) {
    macro_rules! tags {
        ($edits:ident, $entity:ident, $bits:ident: $($bit:literal)*) => {
            $(if $bits & 1 << $bit != 0 {
                $edits.attach($entity, Tag::<$bit>);
            })*
        };
    }
    let system = System::named("new table").takes::<(Global<Clock>, Edits)>();
    let system = system.runs(|(clock, mut edits)| {
        let bits = clock.frame();
        let entity = edits.spawn((A(1), B(2)));
        tags!(edits, entity, bits: 0 1 2 3 4 5 6);
        if bits % 3 == 0 {
            edits.attach(entity, C);
        }
    });
    runtime.add_system(system).expect("its name is free");
}

#[test]
fn conditions_on_a_type_run_beside_a_writer_of_it() {
    let mut runtime = Runtime::bare();
    threads(&mut runtime, 4);
    new_tables(&mut runtime);
    for number in 0..4 {
        for system in [
            System::named(&format!("having {number}"))
                .takes::<Rows<&A, (Having<B>, Lacking<C>)>>()
                .runs(|rows| assert!(rows.iter().all(|a| a.0 == 1))),
            System::named(&format!("either {number}"))
                .takes::<Rows<Entity, AnyOf<(Having<C>, Lacking<B>)>>>()
                .runs(|rows| assert!(rows.count() <= 1_000)),
        ] {
            runtime.add_system(system).expect("its name is free");
        }
    }
    let write = System::named("write").takes::<Rows<&mut B>>();
    runtime
        .add_system(write.runs(|mut rows| rows.each(|b| b.0 += 1)))
        .expect("its name is free");
    runtime.run_frames(1_000).expect("no frame fails");
}

#[test]
fn claims_of_one_system_may_ask_what_another_writes() {
    let mut runtime = Runtime::bare();
    new_tables(&mut runtime);
    let systems = [
        System::named("one")
            .takes::<(Rows<&mut A>, Rows<&B, Having<A>>)>()
            .runs(|(mut a, b)| {
                a.each(|a| a.0 += 1);
                assert_eq!(a.count(), b.count());
            }),
        System::named("two")
            .takes::<(Rows<(&mut A, &mut B)>, Rows<&mut A, Lacking<B>>)>()
            .runs(|(mut both, mut alone)| {
                both.each(|(a, b)| b.0 = a.0);
                alone.each(|a| a.0 += 1);
            }),
        System::named("three")
            .takes::<(Rows<&mut A>, Rows<&B, AnyOf<(Having<A>, Having<C>)>>)>()
            .runs(|(mut a, b)| {
                a.each(|a| a.0 += 1);
                assert!(b.count() > 0 || a.count() == 0);
            }),
    ];
    for system in systems {
        runtime
            .add_system(system)
            .expect("these claims never clash");
    }
    runtime.run_frames(200).expect("no frame fails");
}

/// Panics when it is dropped, if it is told to.
struct Loud(bool, Arc<AtomicU32>);

impl Drop for Loud {
    fn drop(&mut self) {
        self.1.fetch_add(1, Ordering::Relaxed);
        assert!(!self.0 || std::thread::panicking(), "a loud value goes");
    }
}

#[test]
fn events_whose_drop_panics_end_one_frame() {
    let drops = Arc::new(AtomicU32::new(0));
    let mut runtime = Runtime::bare();
    let heard = Arc::new(AtomicU32::new(0));
    let counted = Arc::clone(&heard);
    let listen = System::named("listen").takes::<Inbox<Loud>>();
    let listen = listen.runs(move |mut inbox| {
        counted.fetch_add(inbox.unread().count() as u32, Ordering::Relaxed);
    });
    runtime.add_system(listen).expect("its name is free");
    for number in 0..5 {
        runtime
            .world_mut()
            .post(Loud(number % 2 == 1, Arc::clone(&drops)));
    }
    runtime.run_frames(1).expect("nothing is dropped yet");
    let error = runtime.run_frames(1).unwrap_err();
    let message = error.to_string();
    assert!(
        message.starts_with("the drop of an event panicked in frame 2 at "),
        "{message}"
    );
    assert_eq!(drops.load(Ordering::Relaxed), 5, "all of them go at once");
    runtime.world_mut().post(Loud(false, Arc::clone(&drops)));
    runtime.run_frames(3).expect("nothing is left behind");
    assert_eq!(
        (heard.load(Ordering::Relaxed), drops.load(Ordering::Relaxed)),
        (6, 6)
    );
}

#[test]
fn siblings_of_a_value_whose_drop_panics_are_dropped() {
    let drops = Arc::new(AtomicU32::new(0));
    let mut world = World::new();
    let loud = |is_loud: bool| Loud(is_loud, Arc::clone(&drops));
    let ids: Vec<Entity> = (0..6)
        .map(|number| world.spawn((loud(number == 1), A(number))))
        .collect();
    world.link(ids[2], ids[1]).expect("no cycle");
    world.link(ids[3], ids[2]).expect("no cycle");
    let ends = |work: &mut dyn FnMut()| {
        let work = std::panic::AssertUnwindSafe(work);
        std::panic::catch_unwind(work).expect_err("the drop panics");
    };
    ends(&mut || drop(world.despawn(ids[1])));
    assert_eq!((drops.load(Ordering::Relaxed), world.len()), (3, 3));
    world.attach(ids[4], loud(true)).expect("it is alive");
    ends(&mut || {
        world.despawn_many(ids.iter().copied());
    });
    // One of the six was replaced by a loud one.
    assert_eq!((drops.load(Ordering::Relaxed), world.len()), (7, 0));
    let again = world.spawn((loud(false),));
    world.despawn(again).expect("it is alive");
    assert_eq!(drops.load(Ordering::Relaxed), 8);
}

#[test]
fn what_an_iterator_yields_before_it_panics_is_done() {
    let mut world = World::new();
    let ids = world.spawn_many((0..40).map(|number| (A(number),)));
    let first_ten = |ids: &[Entity]| {
        let ids = ids.to_vec();
        (0..40).map(move |at: usize| {
            assert!(at < 10, "the list is torn");
            ids[at]
        })
    };
    let ends = |work: &mut dyn FnMut()| {
        let work = std::panic::AssertUnwindSafe(work);
        std::panic::catch_unwind(work).expect_err("the iterator panics");
    };
    ends(&mut || drop(world.spawn_many(first_ten(&ids).map(|id| (B(id.index()),)))));
    assert_eq!((world.len(), world.rows::<&B>().count()), (50, 10));
    ends(&mut || {
        world.attach_many(first_ten(&ids).map(|id| (id, B(1))));
    });
    assert_eq!(world.rows::<(&A, &B)>().count(), 10);
    ends(&mut || {
        world.detach_many::<A>(first_ten(&ids));
    });
    assert_eq!(world.rows::<&A>().count(), 30);
    ends(&mut || {
        world.despawn_many(first_ten(&ids));
    });
    assert_eq!((world.len(), world.rows::<&A>().count()), (40, 30));
}

#[test]
fn a_burst_of_spawns_costs_what_is_spawned_and_has_the_same_ids_on_any_threads() {
    let ids = |wanted: usize| {
        let mut runtime = Runtime::bare();
        threads(&mut runtime, wanted);
        for number in 0..100 {
            let system =
                System::named(&format!("spawn {number}")).takes::<(Global<Clock>, Edits)>();
            let system = system.runs(move |(clock, mut edits)| {
                let count = match number {
                    40 => 5_000,
                    41 => 300 * clock.frame(),
                    _ => u64::from(number as u64 % 50 == clock.frame() % 7),
                };
                for _ in 0..count {
                    edits.spawn((A(number),));
                }
            });
            runtime.add_system(system).expect("its name is free");
        }
        runtime.run_frames(4).expect("nothing fails");
        let world = runtime.world();
        let bookkeeping = world.memory().bookkeeping_per_entity();
        assert!(bookkeeping < 40.0, "{bookkeeping} bytes for each");
        let mut ids: Vec<(u32, Entity)> = world
            .rows::<(&A, Entity)>()
            .iter()
            .map(|(a, entity)| (a.0, entity))
            .collect();
        ids.sort_unstable();
        ids
    };
    let serial = ids(1);
    assert!(serial.len() > 22_000);
    for threads in [2, 4] {
        assert_eq!(ids(threads), serial);
    }
}

#[test]
fn systems_begin_anew_with_another_world() {
    let heard = Arc::new(Mutex::new(Vec::new()));
    let made = |heard: &Arc<Mutex<Vec<u32>>>| {
        let mut runtime = Runtime::new();
        let heard = Arc::clone(heard);
        let system = System::named("look")
            .takes::<(Rows<&A>, Rows<&B>, Inbox<u32>)>()
            .runs(move |(a, b, mut inbox)| {
                let sum = a.iter().map(|a| a.0).sum::<u32>() + b.iter().map(|b| b.0).sum::<u32>();
                let mut heard = heard.lock().expect("no system panics");
                heard.push(sum);
                heard.extend(inbox.unread());
            });
        runtime.add_system(system).expect("its name is free");
        runtime
    };
    let take = || std::mem::take(&mut *heard.lock().expect("no system panics"));
    let mut runtime = made(&heard);
    runtime.world_mut().spawn((A(1), C));
    runtime.world_mut().post(70_u32);
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [1, 70]);

    // Tables of the new world have other types under the same numbers.
    *runtime.world_mut() = World::new();
    runtime.world_mut().spawn((B(10),));
    runtime.world_mut().spawn((C, A(20)));
    runtime.world_mut().post(71_u32);
    runtime
        .run_frames(1)
        .expect("the globals of the built-in systems are put in again");
    assert_eq!(take(), [30, 71]);

    let kept = std::mem::take(runtime.world_mut());
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [0]);
    let mut other = made(&heard);
    other.world_mut().spawn((B(5),));
    other.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [5]);
    *other.world_mut() = kept;
    std::mem::swap(other.world_mut(), runtime.world_mut());
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [30]);
    other.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [0]);
}

#[test]
fn changes_are_not_lost_by_a_run_that_fails() {
    struct Missing;
    struct Seen(Vec<usize>);
    // A world without the global: the system cannot run.
    let mut runtime = Runtime::bare();
    let load = runtime.world_mut().spawn((A(1),));
    runtime.world_mut().set_global(Seen(Vec::new()));
    let system = System::named("look")
        .takes::<(Rows<&A, Touched<A>>, Global<Missing>, GlobalMut<Seen>)>()
        .runs(|(rows, missing, mut seen)| {
            let _ = &*missing;
            seen.0.push(rows.count());
        });
    runtime.add_system(system).expect("its name is free");
    assert!(runtime.run_frames(1).is_err());
    runtime
        .world_mut()
        .get_mut::<A>(load)
        .expect("it is alive")
        .0 = 2;
    assert!(runtime.run_frames(1).is_err());
    runtime.world_mut().set_global(Missing);
    runtime.run_frames(2).expect("nothing is missing");
    assert_eq!(
        runtime.world().global::<Seen>().expect("it was put in").0,
        [1, 0]
    );
}

#[test]
fn rows_that_are_not_handed_out_are_not_marked() {
    struct Seen(usize);
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Seen(0));
    let ids = [1, 2, 3].map(|number| runtime.world_mut().spawn((A(number),)));
    let gone = runtime.world_mut().spawn((B(1),));
    let ask = System::named("ask")
        .takes::<Rows<&mut A>>()
        .runs(move |mut rows| {
            assert!(rows.get_many_mut([ids[0], ids[2], gone]).is_none());
            assert!(rows.get_many_mut([ids[1], ids[1]]).is_none());
        });
    let look = System::named("look")
        .takes::<(Rows<&A, Touched<A>>, GlobalMut<Seen>)>()
        .runs(|(rows, mut seen)| seen.0 += rows.count());
    for system in [ask, look] {
        runtime.add_system(system).expect("its name is free");
    }
    runtime.run_frames(3).expect("nothing fails");
    assert_eq!(
        runtime.world().global::<Seen>().expect("it was put in").0,
        3,
        "in the first frame"
    );
}

#[test]
fn edits_are_taken_once() {
    let mut runtime = Runtime::bare();
    let twice = System::named("twice")
        .takes::<(Edits, Edits)>()
        .runs(|_| ());
    let message = runtime.add_system(twice).unwrap_err().to_string();
    assert_eq!(
        message,
        "system `twice` cannot be added: it takes `Edits` twice, and edits are carried out in one order; take `Edits` once"
    );
}

fn listener(name: &str) -> (System, Arc<Mutex<Vec<u32>>>) {
    let heard = Arc::new(Mutex::new(Vec::new()));
    let all = Arc::clone(&heard);
    let system = System::named(name)
        .takes::<Inbox<u32>>()
        .runs(move |mut inbox| {
            all.lock().expect("no system panics").extend(inbox.unread());
        });
    (system, heard)
}

#[test]
fn a_new_inbox_begins_with_the_latest_frame_and_a_slow_one_keeps_its_backlog() {
    let mut runtime = Runtime::bare();
    let (slow, heard_slow) = listener("slow");
    runtime.add_system(slow).expect("its name is free");
    runtime.set_enabled("slow", false).expect("it is there");
    for number in 0..5_u32 {
        runtime.run_frames(1).expect("nothing fails");
        runtime.world_mut().post(number);
    }
    let (late, heard_late) = listener("late");
    runtime.add_system(late).expect("its name is free");
    runtime.set_enabled("slow", true).expect("it is there");
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        *heard_slow.lock().expect("no system panics"),
        [0, 1, 2, 3, 4]
    );
    assert_eq!(*heard_late.lock().expect("no system panics"), [4]);
}

#[test]
fn an_inbox_that_is_not_asked_keeps_65_536_events_beyond_the_frame() {
    let mut runtime = Runtime::bare();
    let (slow, heard) = listener("slow");
    runtime.add_system(slow).expect("its name is free");
    runtime.set_enabled("slow", false).expect("it is there");
    for number in 0..70_000_u32 {
        runtime.world_mut().post(number);
    }
    runtime.run_frames(2).expect("nothing fails");
    runtime.set_enabled("slow", true).expect("it is there");
    runtime.run_frames(1).expect("nothing fails");
    let heard = heard.lock().expect("no system panics");
    assert_eq!((heard.len(), heard[0]), (65_536, 70_000 - 65_536));
    let unheard = runtime.world().unheard_events();
    assert_eq!(
        (unheard[0].name(), unheard[0].count()),
        ("u32", 70_000 - 65_536)
    );
}

#[test]
fn events_of_a_phase_that_fails_are_taken_back() {
    let mut runtime = Runtime::bare();
    let (early, heard) = listener("early");
    let post = System::named("post")
        .takes::<(Global<Clock>, Outbox<u32>, Edits)>()
        .runs(|(clock, mut outbox, mut edits)| {
            let id = edits.spawn((A(1),));
            outbox.post(100 * clock.frame() as u32 + id.index());
        });
    let fail = System::named("fail")
        .after("early")
        .takes::<Global<Clock>>();
    let fail = fail.runs(|clock| assert_ne!(clock.frame(), 2, "the second frame fails"));
    let (later, heard_later) = listener("later");
    let later = {
        let _ = later;
        let all = Arc::clone(&heard_later);
        System::named("later")
            .phase(Phase::React)
            .takes::<Inbox<u32>>()
            .runs(move |mut inbox| {
                all.lock().expect("no system panics").extend(inbox.unread());
            })
    };
    for system in [post, early, fail, later] {
        runtime.add_system(system).expect("its name is free");
    }
    runtime.world_mut().post(7_u32);
    runtime.run_frames(1).expect("the first frame runs");
    runtime.run_frames(1).expect_err("the second fails");
    runtime.run_frames(1).expect("the third runs");
    // What `early` had heard before the phase failed, it has heard; no other system ever does.
    assert_eq!(*heard.lock().expect("no system panics"), [7, 100, 201, 301]);
    assert_eq!(
        *heard_later.lock().expect("no system panics"),
        [7, 100, 301]
    );
}

#[test]
fn systems_of_setup_whose_edits_were_discarded_run_again() {
    let mut runtime = Runtime::bare();
    let runs = Arc::new([const { AtomicU32::new(0) }; 3]);
    let counted = |at: usize| {
        let runs = Arc::clone(&runs);
        move || runs[at].fetch_add(1, Ordering::Relaxed)
    };
    let (spawns, fails, counts) = (counted(0), counted(1), counted(2));
    let systems = [
        System::named("count")
            .phase(Phase::Setup)
            .takes::<()>()
            .runs(move |()| {
                counts();
            }),
        System::named("build")
            .phase(Phase::Setup)
            .takes::<Edits>()
            .runs(move |mut edits| {
                spawns();
                edits.spawn((A(1),));
            }),
        System::named("faulty")
            .phase(Phase::Setup)
            .takes::<()>()
            .runs(move |()| {
                assert_ne!(fails(), 0, "the first time fails");
            }),
    ];
    for system in systems {
        runtime.add_system(system).expect("its name is free");
    }
    let error = runtime.run_frames(1).expect_err("Setup fails");
    assert_eq!(
        (error.system(), error.phase()),
        (Some("faulty"), Some("Setup"))
    );
    assert!(runtime.world().is_empty());
    runtime.run_frames(2).expect("Setup is complete now");
    assert_eq!(runtime.world().rows::<&A>().count(), 1);
    // The one that failed does not run again, and neither does one whose work was not discarded.
    let runs = runs.iter().map(|runs| runs.load(Ordering::Relaxed));
    assert_eq!(runs.collect::<Vec<_>>(), [2, 1, 1]);
}

#[test]
fn a_place_of_a_copy_holds_whatever_transform_it_is_given() {
    let mut world = World::new();
    let crate_of = Template::named("crate").with(Transform::at(1.0, 1.0, 1.0));
    let turned = Transform {
        scale: Vec3::splat(2.0),
        ..Transform::at(9.0, 9.0, 9.0)
    };
    for copy in [
        crate_of.copy().at(Vec3::Y).with(turned),
        crate_of.copy().with(turned).at(Vec3::Y),
    ] {
        let copy = copy.spawn(&mut world).expect("nothing is missing");
        let placed = *world.get::<Transform>(copy).expect("it was attached");
        assert_eq!((placed.translation, placed.scale), (Vec3::Y, turned.scale));
    }
}

/// Its clone panics.
struct Brittle;

impl Clone for Brittle {
    fn clone(&self) -> Self {
        panic!("it breaks")
    }
}

#[test]
fn a_copy_that_fails_half_way_leaves_nothing() {
    let leaf = |name: &str| Template::named(name).with(Transform::default());
    let tree = leaf("trolley")
        .child(leaf("hook").child(leaf("container")))
        .child(leaf("spreader").with(Brittle));
    let mut world = World::new();
    let portal = world.spawn((Transform::default(),));
    let spawn = std::panic::AssertUnwindSafe(|| drop(tree.copy().under(portal).spawn(&mut world)));
    std::panic::catch_unwind(spawn).expect_err("a clone panics");
    assert_eq!(world.len(), 1);
    assert_eq!(world.children(portal).count(), 0);

    // As an edit: the copy is left out, all other edits are carried out, and the id is never used again.
    let mut runtime = Runtime::new();
    let ids = Arc::new(Mutex::new(Vec::new()));
    let noted = Arc::clone(&ids);
    let system = System::named("build")
        .takes::<(Global<Clock>, Edits)>()
        .runs(move |(clock, mut edits)| {
            let mut ids = noted.lock().expect("no other thread panics");
            ids.push(edits.spawn((A(1),)));
            if clock.frame() == 1 {
                ids.push(edits.spawn_copy(tree.copy()));
            }
            ids.push(edits.spawn((A(2),)));
        });
    runtime.add_system(system).expect("its name is free");
    let error = runtime.run_frames(1).expect_err("the clone panics");
    assert!(error.to_string().starts_with(
        "an edit of system `build` panicked at the end of phase Simulate of frame 1 at "
    ));
    assert_eq!(runtime.world().len(), 2);
    runtime.run_frames(1).expect("the second frame is right");
    assert_eq!(runtime.world().len(), 4);
    let mut ids = ids.lock().expect("no other thread panics").clone();
    assert!(!runtime.world().contains(ids[1]));
    ids.sort_unstable();
    ids.dedup();
    assert_eq!(ids.len(), 5);
}

#[test]
fn a_hook_or_counter_that_panics_ends_one_frame_and_is_asked_again() {
    let mut runtime = Runtime::bare();
    let calls = Arc::new(AtomicU32::new(0));
    let called = Arc::clone(&calls);
    runtime.profiler_mut().on_each_frame(move |_, frame| {
        called.fetch_add(1, Ordering::Relaxed);
        assert_ne!(frame.number(), 2, "the hook slips");
    });
    runtime.run_frames(1).expect("the first frame runs");
    let error = runtime.run_frames(1).expect_err("the hook panics");
    let place = format!(
        "a counter or a function of the profiler panicked in frame 2 at {}:",
        file!()
    );
    assert!(error.to_string().starts_with(&place), "{error}");
    runtime.run_frames(2).expect("later frames run");
    assert_eq!(calls.load(Ordering::Relaxed), 4);
    assert_eq!(runtime.profiler().frames().count(), 4);
}

#[test]
fn a_watcher_that_panics_ends_one_frame() {
    let mut runtime = Runtime::bare();
    let spawn = System::named("spawn").takes::<Edits>().runs(|mut edits| {
        edits.spawn((A(1),));
    });
    runtime.add_system(spawn).expect("its name is free");
    let error = runtime
        .run_frame_watched(|_, _| panic!("it blinks"))
        .expect_err("it panics");
    assert!(
        error
            .to_string()
            .starts_with("the function that watches the frame panicked in frame 1")
    );
    assert!(runtime.world().is_empty());
    runtime.run_frames(2).expect("later frames run");
    assert_eq!(runtime.world().len(), 2);
}

#[test]
fn a_panic_in_a_row_loop_on_any_thread_names_its_line() {
    let mut runtime = Runtime::bare();
    threads(&mut runtime, 4);
    runtime
        .world_mut()
        .spawn_many((0..10_000).map(|number| (A(number), B(0))));
    let line = Arc::new(AtomicU32::new(0));
    let noted = Arc::clone(&line);
    let system = System::named("walk").takes::<(Global<Clock>, Rows<(&A, &mut B)>)>();
    let system = system.runs(move |(clock, mut rows)| {
        let fails_at = match clock.frame() % 2 {
            0 => 9_999,
            _ => u32::MAX,
        };
        let walk = |(a, b): (&A, &mut B)| {
            noted.store(line!() + 1, Ordering::Relaxed);
            assert_ne!(a.0, fails_at, "row {} is bad", a.0);
            b.0 += 1;
        };
        #[cfg(feature = "parallel")]
        rows.par_each(walk);
        #[cfg(not(feature = "parallel"))]
        rows.each(walk);
    });
    runtime.add_system(system).expect("its name is free");
    for _ in 0..10 {
        runtime.run_frames(1).expect("odd frames run");
        let error = runtime.run_frames(1).expect_err("even frames fail");
        assert_eq!(
            error.panic_place(),
            Some((file!(), line.load(Ordering::Relaxed)))
        );
        assert!(error.to_string().contains("row 9999 is bad"), "{error}");
    }
}

#[test]
fn tables_without_rows_are_dropped_and_rows_are_found_all_the_same() {
    let mut runtime = Runtime::new();
    threads(&mut runtime, 2);
    new_tables(&mut runtime);
    let empty = System::named("empty")
        .takes::<(Rows<(Entity, &A)>, Edits)>()
        .runs(|(rows, mut edits)| {
            // All but the youngest, so that nearly every table is left without rows.
            let youngest = rows.iter().map(|(entity, _)| entity).max();
            rows.iter()
                .map(|(entity, _)| entity)
                .filter(|&entity| Some(entity) != youngest)
                .for_each(|entity| edits.despawn(entity));
        });
    struct Sum(u32);
    runtime.world_mut().set_global(Sum(0));
    let walk = System::named("walk")
        .phase(Phase::React)
        .takes::<(
            Rows<(&A, Option<&C>)>,
            Rows<(&mut B, &Tag<0>)>,
            GlobalMut<Sum>,
        )>()
        .runs(|(a, mut b, mut sum)| {
            b.each(|(b, _)| b.0 += 1);
            sum.0 += a.count() as u32;
        });
    for system in [empty, walk] {
        runtime.add_system(system).expect("its name is free");
    }
    let mut most = 0;
    for _ in 0..600 {
        runtime.run_frames(1).expect("nothing fails");
        let tables = runtime.world().memory().tables().len();
        most = most.max(tables);
    }
    assert!(most > 64 && most < 140, "{most} tables");
    let world = runtime.world_mut();
    let before = world.rows::<Entity>().count();
    world.drop_empty_tables();
    assert!(
        world
            .memory()
            .tables()
            .iter()
            .all(|table| table.entities() > 0)
    );
    let linked = [
        world.spawn((A(5), B(6), Transform::default())),
        world.spawn((A(7), Tag::<3>)),
    ];
    world.link(linked[1], linked[0]).expect("no cycle");
    assert_eq!(world.rows::<Entity>().count(), before + 2);
    runtime.run_frames(300).expect("nothing fails");
}

#[cfg(feature = "chance")]
#[test]
fn a_condition_draws_other_numbers_than_its_system() {
    use gerust::Chance;
    use rand::RngExt;

    struct Drawn(Vec<u32>);
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Drawn(Vec::new()));
    let even = |chance: Chance<'_>| chance.system_stream().random::<u32>() % 2 == 0;
    let system = System::named("draw")
        .only_if::<Chance>(even)
        .takes::<(Chance, GlobalMut<Drawn>)>()
        .runs(|(chance, mut drawn)| drawn.0.push(chance.system_stream().random()));
    runtime.add_system(system).expect("its name is free");
    runtime.run_frames(400).expect("nothing fails");
    let drawn = &runtime.world().global::<Drawn>().expect("it was put in").0;
    assert!(
        (150..250).contains(&drawn.len()),
        "{} frames of 400",
        drawn.len()
    );
    let even = drawn.iter().filter(|number| *number % 2 == 0).count();
    assert!(
        (drawn.len() / 3..drawn.len() * 2 / 3).contains(&even),
        "{even} of {}",
        drawn.len()
    );
}

#[cfg(feature = "snapshot")]
mod snapshots {
    use super::*;
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[derive(Debug)]
    struct Sealed(u32);

    impl Serialize for Sealed {
        fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
            match self.0 {
                0 => Err(serde::ser::Error::custom("the seal is broken")),
                number => serializer.serialize_u32(number),
            }
        }
    }

    impl<'de> Deserialize<'de> for Sealed {
        fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
            let number = u32::deserialize(deserializer)?;
            assert_ne!(number, 666, "this one cannot be opened");
            Ok(Self(number))
        }
    }

    fn world() -> World {
        let mut world = World::new();
        world
            .register_component::<Sealed>("sealed")
            .expect("its name is free");
        world
    }

    #[test]
    fn a_value_that_cannot_be_written_is_an_error_with_its_name() {
        let mut world = world();
        let good = world.spawn((Sealed(3),));
        let digest = world.digest().expect("all can be written");
        let bad = world.spawn((Name::new("crate"), Sealed(0)));
        for error in [world.snapshot().map(drop), world.digest().map(drop)] {
            let error = error.expect_err("one cannot be written");
            assert_eq!(error.entity(), Some(bad));
            assert_eq!(
                error.to_string(),
                "cannot write `sealed` of entity crate: the seal is broken; change the value, or how its type is serialized"
            );
        }
        world.despawn(bad).expect("it is alive");
        assert_eq!(world.digest().expect("all can be written"), digest);
        assert!(world.contains(good));
    }

    #[test]
    fn a_restore_that_panics_changes_nothing_or_all() {
        let mut world = world();
        let id = world.spawn((Sealed(666),));
        let before = world.snapshot().expect("all can be written");
        world.get_mut::<Sealed>(id).expect("it is alive").0 = 5;
        let restore = |world: &mut World| {
            let restore = std::panic::AssertUnwindSafe(|| drop(world.restore(&before)));
            std::panic::catch_unwind(restore).is_err()
        };
        assert!(restore(&mut world), "it cannot be read");
        assert_eq!(world.get::<Sealed>(id).expect("it is alive").0, 5);

        let mut world = super::snapshots::world();
        let drops = Arc::new(AtomicU32::new(0));
        let id = world.spawn((Sealed(1),));
        let before = world.snapshot().expect("all can be written");
        for is_loud in [false, true, false] {
            world.spawn((Loud(is_loud, Arc::clone(&drops)), Sealed(2)));
        }
        let restore = std::panic::AssertUnwindSafe(|| drop(world.restore(&before)));
        std::panic::catch_unwind(restore).expect_err("a drop panics");
        assert_eq!((drops.load(Ordering::Relaxed), world.len()), (3, 1));
        assert_eq!(world.get::<Sealed>(id).expect("it came back").0, 1);
    }

    #[test]
    fn the_first_link_of_a_bare_world_meets_types_that_are_registered() {
        let linked = |world: &mut World| {
            let (portal, hook) = (world.spawn((1_u8,)), world.spawn((2_u8,)));
            let outcome = world.link(hook, portal);
            (outcome, world.parent(hook) == Some(portal))
        };
        let mut world = World::new();
        world
            .register_component::<Transform>("placed")
            .expect("its name is free");
        let (outcome, is_linked) = linked(&mut world);
        outcome.expect("the name that the user gave stays");
        assert!(is_linked);
        assert_eq!(
            world.registered_type("placed").as_deref(),
            Some("Transform")
        );

        let mut world = World::new();
        world
            .register_component::<Sealed>("transform")
            .expect("its name is free");
        for _ in 0..2 {
            let (outcome, is_linked) = linked(&mut world);
            let message = outcome.expect_err("the name is taken").to_string();
            assert!(
                message.contains("`transform` is the name of `Sealed`"),
                "{message}"
            );
            assert!(!is_linked);
        }
    }
}

//! The store's promises, one by one.

use gerust::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

struct Counted(Arc<AtomicUsize>);

impl Drop for Counted {
    fn drop(&mut self) {
        self.0.fetch_add(1, Ordering::Relaxed);
    }
}

#[test]
fn each_component_is_dropped_once_however_it_leaves() {
    let drops = Arc::new(AtomicUsize::new(0));
    let counted = || Counted(Arc::clone(&drops));
    let mut world = World::new();
    let despawned = world.spawn((counted(), 1_u8));
    let detached = world.spawn((counted(),));
    let replaced = world.spawn((counted(),));
    let _kept = world.spawn((counted(),));

    world.despawn(despawned).expect("it is alive");
    assert_eq!(drops.load(Ordering::Relaxed), 1);
    drop(world.detach::<Counted>(detached).expect("it is alive"));
    assert_eq!(drops.load(Ordering::Relaxed), 2);
    drop(world.attach(replaced, counted()).expect("it is alive"));
    assert_eq!(drops.load(Ordering::Relaxed), 3);
    world
        .attach(replaced, "moves to another table")
        .expect("it is alive");
    assert_eq!(drops.load(Ordering::Relaxed), 3);
    drop(world);
    assert_eq!(drops.load(Ordering::Relaxed), 5);
}

#[test]
fn edits_that_are_never_applied_drop_what_they_hold() {
    let drops = Arc::new(AtomicUsize::new(0));
    let mut runtime = Runtime::bare();
    let counter = Arc::clone(&drops);
    runtime
        .add_system(
            System::named("fail")
                .takes::<Edits>()
                .runs(move |mut edits| {
                    edits.spawn((Counted(Arc::clone(&counter)),));
                    panic!("on purpose");
                }),
        )
        .expect("its name is free");
    assert!(runtime.run_frames(1).unwrap_err().is_panic());
    assert_eq!(drops.load(Ordering::Relaxed), 1);
    assert!(runtime.world().is_empty());
}

/// An id that a failed phase handed out may have been stored: it must never come to mean another entity.
#[test]
fn ids_of_a_failed_phase_never_come_back() {
    struct Noted(Vec<Entity>);
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Noted(Vec::new()));
    runtime
        .add_system(
            System::named("note and fail")
                .takes::<(Edits, GlobalMut<Noted>, Global<Clock>)>()
                .runs(|(mut edits, mut noted, clock)| {
                    noted.0.push(edits.spawn((1_u8,)));
                    assert!(clock.frame() != 1, "on purpose");
                }),
        )
        .expect("its name is free");
    assert!(runtime.run_frames(1).unwrap_err().is_panic());
    runtime.run_frames(3).expect("only frame 1 fails");
    let noted = runtime.world().global::<Noted>().expect("it was put in");
    assert!(!runtime.world().contains(noted.0[0]));
    for (at, entity) in noted.0.iter().enumerate().skip(1) {
        assert!(runtime.world().contains(*entity));
        assert!(!noted.0[..at].contains(entity), "{entity} came twice");
    }
}

#[test]
fn two_systems_that_spawn_get_different_ids_and_both_live() {
    let mut runtime = Runtime::bare();
    for name in ["even", "odd"] {
        runtime
            .add_system(System::named(name).takes::<Edits>().runs(|mut edits| {
                for i in 0..10_u32 {
                    edits.spawn((i,));
                }
            }))
            .expect("its name is free");
    }
    runtime.run_frames(5).expect("nothing fails");
    assert_eq!(runtime.world().len(), 100);
    assert_eq!(runtime.world().rows::<&u32>().count(), 100);
}

#[test]
#[should_panic(expected = "names `u8` twice")]
fn a_tuple_that_names_a_type_twice_is_refused() {
    World::new().spawn((1_u8, 2_u8));
}

#[test]
#[should_panic(expected = "a tuple is not a component")]
fn a_tuple_is_no_component() {
    let mut world = World::new();
    let entity = world.spawn((1_u8,));
    let _ = world.attach(entity, (2_u16, 3_u32));
}

#[test]
fn messages_name_the_entity_and_the_component() {
    struct Engine;
    let mut world = World::new();
    let truck = world.spawn((Name::new("truck-3"),));
    let missing = world
        .get::<Engine>(truck)
        .err()
        .expect("it has none")
        .to_string();
    assert_eq!(
        missing,
        "entity truck-3 has no `Engine` to read; attach one first, or ask `has` before"
    );
    world.despawn(truck).expect("it is alive");
    assert!(world.attach(truck, 1_u8).unwrap_err().is_stale_entity());
    assert!(world.detach::<u8>(truck).unwrap_err().is_stale_entity());
    assert!(world.get_mut::<u8>(truck).unwrap_err().is_stale_entity());
}

#[test]
fn rows_of_twelve_and_of_nested_items() {
    let mut world = World::new();
    world.spawn((
        0_u8, 1_u16, 2_u32, 3_u64, 4_i8, 5_i16, 6_i32, 7_i64, 8.0_f32, 9.0_f64, 'x', "y",
    ));
    let rows = world.rows::<(
        &u8,
        &u16,
        &u32,
        &u64,
        &i8,
        &i16,
        &i32,
        &i64,
        &f32,
        &f64,
        &char,
        &&str,
    )>();
    let (first, .., last) = rows.iter().next().expect("one row");
    assert_eq!((*first, *last), (0, "y"));
    drop(rows);
    let mut nested = world.rows_mut::<((Entity, &mut u8), (&u16, (&u32, &mut char)))>();
    for ((_, number), (_, (_, letter))) in nested.iter_mut() {
        *number += 1;
        *letter = 'z';
    }
    assert_eq!(
        nested.iter().next().map(|((_, number), _)| *number),
        Some(1)
    );
}

#[test]
fn zero_sized_and_over_aligned_components_are_kept() {
    #[derive(Clone, Copy, PartialEq, Debug)]
    #[repr(align(64))]
    struct Line([u8; 64]);
    #[derive(Clone, Copy, PartialEq, Debug)]
    struct Tag;
    let mut world = World::new();
    for i in 0..100 {
        world.spawn((Line([i; 64]), Tag));
    }
    let rows = world.rows::<(&Line, &Tag)>();
    assert_eq!(rows.count(), 100);
    for (i, (line, tag)) in (0..).zip(rows.iter()) {
        assert_eq!((line.0[63], *tag), (i, Tag));
        assert_eq!(std::ptr::from_ref(line) as usize % 64, 0);
    }
}

#[test]
fn a_world_can_be_moved_to_another_thread() {
    let mut world = World::new();
    let pallet = world.spawn((1_u8,));
    let world = std::thread::spawn(move || {
        *world.get_mut::<u8>(pallet).expect("it is alive") += 1;
        world
    });
    let world = world.join().expect("nothing panics");
    assert_eq!(*world.get::<u8>(pallet).expect("it is alive"), 2);
}

#[test]
fn each_inbox_sees_each_event_once_even_after_a_pause() {
    #[derive(Clone)]
    struct Horn(u64);
    #[derive(Default)]
    struct Heard(Vec<u64>);
    #[derive(Default)]
    struct HeardByOther(Vec<u64>);

    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Heard::default());
    runtime.world_mut().set_global(HeardByOther::default());
    // Registered before the sender: it sees an event of frame n in frame n + 1.
    runtime
        .add_system(
            System::named("early")
                .takes::<(Inbox<Horn>, GlobalMut<Heard>)>()
                .runs(|(mut inbox, mut heard)| {
                    heard.0.extend(inbox.take_unread().map(|horn| horn.0));
                }),
        )
        .expect("its name is free");
    runtime
        .add_system(
            System::named("send")
                .takes::<(Outbox<Horn>, Global<Clock>)>()
                .runs(|(mut outbox, clock)| outbox.post(Horn(clock.frame()))),
        )
        .expect("its name is free");
    runtime
        .add_system(
            System::named("late")
                .phase(Phase::Close)
                .takes::<(Inbox<Horn>, GlobalMut<HeardByOther>)>()
                .runs(|(mut inbox, mut heard)| {
                    heard.0.extend(inbox.take_unread().map(|horn| horn.0));
                }),
        )
        .expect("its name is free");

    runtime.run_frames(3).expect("nothing fails");
    runtime.set_enabled("late", false).expect("it is there");
    runtime.run_frames(10).expect("nothing fails");
    runtime.set_enabled("late", true).expect("it is there");
    runtime.run_frames(2).expect("nothing fails");

    let heard = &runtime.world().global::<Heard>().expect("it was put in").0;
    assert_eq!(*heard, (1..=14).collect::<Vec<_>>());
    let other = &runtime
        .world()
        .global::<HeardByOther>()
        .expect("it was put in")
        .0;
    assert_eq!(*other, (1..=15).collect::<Vec<_>>());
    assert_eq!(runtime.world().posted::<Horn>().len(), 1);
}

#[test]
fn events_without_an_inbox_do_not_accumulate() {
    let mut runtime = Runtime::bare();
    runtime
        .add_system(
            System::named("shout")
                .takes::<Outbox<[u8; 1000]>>()
                .runs(|mut outbox| {
                    outbox.post([0; 1000]);
                }),
        )
        .expect("its name is free");
    runtime.run_frames(100).expect("nothing fails");
    assert_eq!(runtime.world().posted::<[u8; 1000]>().len(), 1);
}

#[test]
#[should_panic(expected = "these rows claim `u8` twice, once to write it")]
fn rows_that_clash_with_themselves_say_so() {
    let _ = World::new().rows_mut::<(&mut u8, &u8)>();
}

#[test]
fn a_drop_that_panics_leaves_everything_else_in_step() {
    struct Fragile(bool);
    impl Drop for Fragile {
        fn drop(&mut self) {
            assert!(!self.0, "it broke");
        }
    }
    use std::panic::{AssertUnwindSafe, catch_unwind};

    let mut world = World::new();
    let ids = world.spawn_many((0..20_u32).map(|i| (i, Fragile(i == 3), i.to_string())));
    let mut attempt = |work: &mut dyn FnMut(&mut World)| {
        catch_unwind(AssertUnwindSafe(|| work(&mut world))).is_err()
    };
    assert!(attempt(&mut |world| world
        .despawn(ids[3])
        .expect("it is alive")));
    assert!(attempt(&mut |world| {
        let broken = world.spawn((100_u32, Fragile(true), String::new()));
        world.despawn_many([ids[5], broken, ids[6]]);
    }));
    assert!(attempt(&mut |world| {
        let broken = world.spawn((101_u32, Fragile(true), String::new()));
        world.detach_many::<Fragile>([broken, ids[7]]);
    }));
    assert_eq!(world.len(), 20 - 1 - 2 + 1);
    for (entity, number, text) in world.rows::<(Entity, &u32, &String)>().iter() {
        if *number < 100 {
            assert_eq!(number.to_string(), *text);
            assert_eq!(ids[*number as usize], entity);
        }
    }
    assert!(!world.contains(ids[3]) && world.contains(ids[7]));
    assert!(!world.has::<Fragile>(ids[7]));
}

#[test]
fn an_iterator_that_panics_leaves_the_entities_before_it_whole() {
    use std::panic::{AssertUnwindSafe, catch_unwind};

    let mut world = World::new();
    let outcome = catch_unwind(AssertUnwindSafe(|| {
        world.spawn_many((0..10_u32).map(|i| {
            assert!(i < 6, "the crane stopped");
            (i, i.to_string())
        }))
    }));
    assert!(outcome.is_err());
    assert_eq!(world.len(), 6);
    for (number, text) in world.rows::<(&u32, &String)>().iter() {
        assert_eq!(number.to_string(), *text);
    }
    let next = world.spawn((6_u32, String::from("6")));
    assert_eq!(
        world.rows::<(Entity, &u32)>().iter().last(),
        Some((next, &6))
    );
}

/// Makes a type for each number.
struct Numbered<const N: usize>;

macro_rules! each_number {
    ($world:expr, $entity:expr; $($high:literal)*) => {
        $(each_number!(@ones $world, $entity, $high; 0 1 2 3 4 5 6 7);)*
    };
    (@ones $world:expr, $entity:expr, $high:literal; $($low:literal)*) => {
        $($world.attach($entity, Numbered::<{ $high * 8 + $low }>).expect("it is alive");)*
    };
}

#[test]
fn an_entity_can_have_512_component_types() {
    let mut world = World::new();
    let entity = world.spawn((7_u8,));
    each_number!(world, entity;
        0 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20 21 22 23 24 25 26 27 28 29 30 31
        32 33 34 35 36 37 38 39 40 41 42 43 44 45 46 47 48 49 50 51 52 53 54 55 56 57 58 59 60 61 62 63);
    assert_eq!(world.components_of(entity).expect("it is alive").len(), 513);
    assert!(world.has::<Numbered<511>>(entity));
    assert_eq!(world.memory().tables().len(), 513);
    world.detach::<Numbered<256>>(entity).expect("it is alive");
    assert_eq!(*world.get::<u8>(entity).expect("it is alive"), 7);
}

#[test]
fn ten_thousand_tables() {
    let mut world = World::new();
    // Fourteen types on or off make up to 16,384 sets.
    let mut entities = Vec::new();
    for set in 0..10_000_u32 {
        let entity = world.spawn((set,));
        for bit in 0..14 {
            if set & (1 << bit) == 0 {
                continue;
            }
            match bit {
                0 => drop(world.attach(entity, Numbered::<0>)),
                1 => drop(world.attach(entity, Numbered::<1>)),
                2 => drop(world.attach(entity, Numbered::<2>)),
                3 => drop(world.attach(entity, Numbered::<3>)),
                4 => drop(world.attach(entity, Numbered::<4>)),
                5 => drop(world.attach(entity, Numbered::<5>)),
                6 => drop(world.attach(entity, Numbered::<6>)),
                7 => drop(world.attach(entity, Numbered::<7>)),
                8 => drop(world.attach(entity, Numbered::<8>)),
                9 => drop(world.attach(entity, Numbered::<9>)),
                10 => drop(world.attach(entity, Numbered::<10>)),
                11 => drop(world.attach(entity, Numbered::<11>)),
                12 => drop(world.attach(entity, Numbered::<12>)),
                _ => drop(world.attach(entity, Numbered::<13>)),
            }
        }
        entities.push(entity);
    }
    assert!(world.memory().tables().len() >= 10_000);
    assert_eq!(world.rows::<&u32>().count(), 10_000);
    let rows = world.rows_where::<&u32, (Having<Numbered<0>>, Lacking<Numbered<1>>)>();
    assert_eq!(rows.count(), 2_500);
    assert!(rows.iter().all(|set| set % 4 == 1));
    for (set, entity) in (0..).zip(entities) {
        assert_eq!(*world.get::<u32>(entity).expect("it is alive"), set);
    }
}

#[cfg(feature = "parallel")]
#[test]
fn par_each_hands_out_each_row_once_at_any_number_of_threads() {
    let sums: Vec<Vec<u64>> = [1, 2, 4]
        .into_iter()
        .map(|threads| {
            let mut world = World::new();
            world.spawn_many((0..5_000_u64).map(|i| (i, 0_u8)));
            world.spawn_many((5_000..5_003_u64).map(|i| (i,)));
            world.spawn_many((5_003..9_000_u64).map(|i| (i, "other table")));
            let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build();
            pool.expect("threads can be made").install(|| {
                world
                    .rows_mut::<(&mut u64, Option<&u8>)>()
                    .par_each(|(number, tag)| {
                        *number = *number * 3 + u64::from(tag.is_some());
                    });
            });
            world.rows::<&u64>().iter().copied().collect()
        })
        .collect();
    assert_eq!(sums[0], sums[1]);
    assert_eq!(sums[0], sums[2]);
    let expected: Vec<u64> = (0..9_000).map(|i| i * 3 + u64::from(i < 5_000)).collect();
    assert_eq!(sums[0], expected);
}

/// Long runs of one kind of edit go through the batch paths: what comes out is what one by one would lead to.
#[test]
fn long_runs_of_edits_do_what_single_calls_do() {
    fn ids(world: &mut World) -> Vec<Entity> {
        let ids = world.spawn_many((0..100_u32).map(|i| (i, i.to_string())));
        let stale: Vec<Entity> = ids.iter().copied().step_by(7).collect();
        assert_eq!(world.despawn_many(stale), 15);
        let parent = ids[1];
        for &child in &ids[2..6] {
            world.link(child, parent).expect("no cycle");
        }
        ids
    }
    // Every second one twice, and the stale ones as well; a parent before its children.
    fn targets(ids: &[Entity]) -> Vec<Entity> {
        ids.iter()
            .flat_map(|&id| [id, id])
            .skip(1)
            .step_by(3)
            .chain(ids[..20].iter().copied())
            .collect()
    }
    fn state(world: &World) -> Vec<(Entity, Option<u32>, Option<u64>)> {
        let rows = world.rows::<(Entity, Option<&u32>, Option<&u64>)>();
        let mut state: Vec<_> = rows
            .iter()
            .map(|(entity, number, mark)| (entity, number.copied(), mark.copied()))
            .collect();
        state.sort_unstable();
        state
    }

    let mut runtime = Runtime::bare();
    let recorded = ids(runtime.world_mut());
    runtime
        .add_system(
            System::named("edit")
                .takes::<(Edits, Global<Clock>)>()
                .runs(move |(mut edits, clock)| {
                    for (mark, id) in (0_u64..).zip(targets(&recorded)) {
                        match clock.frame() {
                            1 => edits.attach(id, mark),
                            2 => edits.detach::<u32>(id),
                            _ => edits.despawn(id),
                        }
                    }
                }),
        )
        .expect("its name is free");

    let mut direct = World::new();
    let ids = ids(&mut direct);
    let mut missed = 0;
    for frame in 1..=3 {
        runtime.run_frames(1).expect("nothing fails");
        for (mark, id) in (0_u64..).zip(targets(&ids)) {
            let outcome = match frame {
                1 => direct.attach(id, mark).map(drop),
                2 => direct.detach::<u32>(id).map(drop),
                _ => direct.despawn(id),
            };
            missed += u64::from(outcome.is_err());
        }
        assert_eq!(state(runtime.world()), state(&direct), "frame {frame}");
        assert_eq!(
            runtime.world().missed_edits().count(),
            missed,
            "frame {frame}"
        );
    }
}

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

/// An id that a failed phase handed out may have been written down: it must never come to mean another entity.
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
                    heard.0.extend(inbox.unread().map(|horn| horn.0));
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
                    heard.0.extend(inbox.unread().map(|horn| horn.0));
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
fn events_that_nobody_asks_for_do_not_pile_up() {
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

//! Bookkeeping that few calls read: rows by entity under a condition, lengths of inboxes, edits of links, bounds of empty trees, and limits
//! that a scene just meets.

use gerust::collide::BoxTree;
use gerust::prelude::*;
use std::sync::{Arc, Mutex};

struct Fuel(f32);
#[derive(Clone)]
struct Horn;

/// A copy of what a system noted so far.
fn noted<T: Clone>(list: &Arc<Mutex<Vec<T>>>) -> Vec<T> {
    list.lock().expect("no system panics").clone()
}

#[test]
fn a_row_is_looked_up_under_the_conditions_of_its_rows() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let [burns, stands] = [Fuel(9.0), Fuel(9.0)].map(|fuel| world.spawn((fuel,)));
    let seen = Arc::new(Mutex::new(Vec::new()));
    let list = Arc::clone(&seen);
    runtime.add_system(
        System::named("burn")
            .takes::<Rows<&mut Fuel>>()
            .runs(move |mut tanks| tanks.get_mut(burns).expect("it is alive").0 -= 1.0),
    )?;
    runtime.add_system(
        System::named("look")
            .after("burn")
            .takes::<(
                Rows<&Fuel, Written<Fuel>>,
                Rows<&Fuel, Attached<Fuel>>,
                Rows<&Fuel>,
            )>()
            .runs(move |(written, attached, all)| {
                let found = [burns, stands].map(|tank| {
                    let rows = [written.get(tank), attached.get(tank), all.get(tank)];
                    rows.map(|fuel| fuel.map(|fuel| fuel.0))
                });
                list.lock().expect("no system panics").push(found);
            }),
    )?;
    runtime.run_frames(2)?;
    let (nine, eight, seven) = (Some(9.0), Some(8.0), Some(7.0));
    assert_eq!(
        noted(&seen),
        [
            // At first all rows are new, and attaching counts as writing.
            [[eight; 3], [nine; 3]],
            [[seven, None, seven], [None, None, nine]],
        ]
    );
    Ok(())
}

#[test]
fn an_inbox_knows_how_many_events_it_has_not_seen() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    let seen = Arc::new(Mutex::new(Vec::new()));
    let list = Arc::clone(&seen);
    runtime.add_system(
        System::named("blow")
            .takes::<(Outbox<Horn>, Global<Clock>)>()
            .runs(|(mut horns, clock)| (1..clock.frame()).for_each(|_| horns.post(Horn))),
    )?;
    runtime.add_system(
        System::named("listen")
            .phase(Phase::React)
            .takes::<Inbox<Horn>>()
            .runs(move |mut horns| {
                let before = (horns.len(), horns.is_empty());
                let taken = horns.take_unread().count();
                let after = (horns.len(), horns.is_empty());
                list.lock()
                    .expect("no system panics")
                    .push((before, taken, after));
            }),
    )?;
    runtime.run_frames(3)?;
    let none = (0, true);
    assert_eq!(
        noted(&seen),
        [
            (none, 0, none),
            ((1, false), 1, none),
            ((2, false), 2, none),
        ]
    );
    Ok(())
}

#[test]
fn edits_link_and_unlink() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let crane = world.spawn((Transform::at(4.0, 0.0, 0.0),));
    let [hook, cab] = [1.0, 2.0].map(|y| world.spawn((Transform::at(0.0, y, 0.0),)));
    runtime.add_system(
        System::named("hang and take off")
            .takes::<(Edits, Global<Clock>)>()
            .runs(move |(mut edits, clock)| match clock.frame() {
                1 => {
                    edits.link(hook, crane);
                    edits.link_in_place(cab, crane);
                }
                2 => {
                    edits.unlink(hook);
                    edits.unlink_in_place(cab);
                }
                _ => {}
            }),
    )?;
    let places = |runtime: &Runtime| {
        [hook, cab].map(|entity| {
            let placed = runtime.world().get::<WorldTransform>(entity);
            placed.expect("it is alive").translation()
        })
    };
    runtime.run_frames(1)?;
    assert_eq!(
        [hook, cab].map(|entity| runtime.world().parent(entity)),
        [Some(crane); 2]
    );
    assert_eq!(
        places(&runtime),
        [Vec3::new(4.0, 1.0, 0.0), Vec3::new(0.0, 2.0, 0.0)]
    );
    runtime.run_frames(1)?;
    assert_eq!(
        [hook, cab].map(|entity| runtime.world().parent(entity)),
        [None; 2]
    );
    assert_eq!(places(&runtime), [Vec3::Y, Vec3::Y * 2.0]);
    Ok(())
}

#[test]
fn an_emptied_tree_has_no_bounds() {
    let mut tree = BoxTree::default();
    assert_eq!(tree.bounds(), None);
    for id in 0..20 {
        tree.set(id, &Aabb::from_corner(Vec3::X * id as f32, Vec3::ONE));
    }
    tree.update();
    let all = Aabb::from_corners(Vec3::ZERO, Vec3::new(20.0, 1.0, 1.0));
    assert_eq!(tree.bounds(), Some(all));
    (0..20).for_each(|id| tree.remove(id));
    tree.update();
    assert_eq!((tree.bounds(), tree.len()), (None, 0));
}

#[test]
fn as_many_bodies_may_meet_as_the_limit_says() -> Result<(), gerust::Error> {
    // Two bodies that fly towards each other are one pair.
    for (most, is_allowed) in [(0, false), (1, true)] {
        let mut runtime = Runtime::new();
        let world = runtime.world_mut();
        world.set_global(Gravity(Vec3::ZERO));
        world.global_mut::<Contacts>()?.set_most_pairs(most);
        for side in [-1.0, 1.0] {
            let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
            let body = Body::dynamic().with_velocity(Vec3::X * side * -60.0);
            world.spawn((Transform::at(side, 0.0, 0.0), cube, body));
        }
        assert_eq!(runtime.run_frames(1).is_ok(), is_allowed, "at most {most}");
    }
    Ok(())
}

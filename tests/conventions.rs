//! Public types can be sent, shared, printed, compared and used in loops, as Rust users expect.

use gerust::collide::{BoxTree, Boxes, ContactState, Dimensions, Motion, Solver, TileGrid};
use gerust::prelude::*;
use gerust::profile::Profiler;
use gerust::runtime::{Controls, Machine};
use gerust::{ErrorKind, Plan, Schedule};
use std::fmt::Debug;

/// Does not compile for a type that is not all of this.
fn shared<T: Send + Sync + Debug>() {}
fn sent<T: Send + Debug>() {}
fn copied<T: Copy + PartialEq + Debug + Send + Sync>() {}
fn defaulted<T: Default + Clone + PartialEq + Debug>() {}

#[test]
fn types_can_be_sent_to_other_threads_and_shared() {
    shared::<World>();
    shared::<Error>();
    shared::<Boxes>();
    shared::<BoxTree>();
    shared::<Contacts>();
    shared::<Layers>();
    shared::<Controls>();
    shared::<Machine>();
    #[cfg(feature = "chance")]
    shared::<gerust::runtime::Spawner>();
    #[cfg(feature = "snapshot")]
    shared::<gerust::Datum>();
    shared::<Plan>();
    shared::<Template>();
    shared::<Templates>();
    shared::<TileGrid>();
    sent::<Runtime>();
    sent::<Schedule>();
    sent::<System>();
    sent::<Profiler>();
}

#[test]
fn plain_data_is_copied_and_compared() {
    copied::<Entity>();
    copied::<Transform>();
    copied::<WorldTransform>();
    copied::<Body>();
    copied::<Aabb>();
    copied::<Contact>();
    copied::<ContactState>();
    copied::<Dimensions>();
    copied::<Motion>();
    copied::<Solver>();
    copied::<Phase>();
    copied::<ErrorKind>();
    copied::<Velocity>();
    copied::<Spin>();
    defaulted::<Transform>();
    defaulted::<Body>();
    defaulted::<Layers>();
    defaulted::<Controls>();
    defaulted::<Aabb>();
}

#[test]
fn collections_are_walked_by_reference() {
    let mut runtime = Runtime::new();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    let world = runtime.world_mut();
    let pair = [0.0, 1.0].map(|x| world.spawn((Transform::at(x, 0.0, 0.0), cube.clone())));
    runtime.settle().expect("nothing fails");
    let world = runtime.world_mut();
    for transform in &mut world.rows_mut::<&mut Transform>() {
        transform.translation.z += 1.0;
    }
    let mut seen = 0;
    for (entity, transform) in &world.rows::<(Entity, &Transform)>() {
        assert!(pair.contains(&entity));
        assert_eq!(transform.translation.z, 1.0);
        seen += 1;
    }
    assert_eq!(seen, 2);
    let contacts = world.global::<Contacts>().expect("always there");
    let mut pairs = Vec::new();
    for contact in &*contacts {
        pairs.push([contact.first, contact.second]);
    }
    assert_eq!(pairs, [pair]);
    let layers = world.global::<Layers>().expect("always there");
    assert_eq!((&*layers).into_iter().collect::<Vec<_>>(), ["default"]);
    let mut controls = Controls::default();
    controls.set("slew", 0.5);
    for (name, value) in &controls {
        assert_eq!((name, value), ("slew", 0.5));
    }
}

/// The optional and the nested items of a row come as `each` yields them.
#[test]
fn a_loop_over_rows_sees_what_each_sees() {
    struct Mark(u8);
    let mut world = World::new();
    for number in 0..10_u8 {
        let entity = world.spawn((number,));
        if number % 3 == 0 {
            world.attach(entity, Mark(number)).expect("it is alive");
        }
    }
    let by_each = {
        let mut all = Vec::new();
        let mut rows = world.rows_mut::<(Entity, (&u8, Option<&mut Mark>))>();
        rows.each(|(entity, (number, mark))| all.push((entity, *number, mark.map(|m| m.0))));
        all
    };
    let mut rows = world.rows_mut::<(Entity, (&u8, Option<&mut Mark>))>();
    let mut by_loop = Vec::new();
    for (entity, (number, mark)) in &mut rows {
        by_loop.push((entity, *number, mark.map(|mark| mark.0)));
    }
    assert_eq!(by_loop, by_each);
    let by_reference: Vec<_> = (&rows)
        .into_iter()
        .map(|(entity, (number, mark))| (entity, *number, mark.map(|mark| mark.0)))
        .collect();
    assert_eq!(by_reference, by_each);
    assert_eq!(by_each.len(), 10);
}

/// The debug form names the type and never prints a whole world.
#[test]
fn debug_forms_are_short() {
    let mut runtime = Runtime::new();
    runtime
        .world_mut()
        .spawn_many((0..1_000_u32).map(|number| (number,)));
    assert_eq!(
        format!("{:?}", runtime.world().rows::<&u32>()),
        "Rows { tables: 1, .. }"
    );
    for text in [format!("{:?}", runtime.world()), format!("{runtime:?}")] {
        assert!(text.len() < 2_000, "{text}");
    }
}

//! Snapshots of values that cannot be written or read.

use super::drops::Loud;
use super::*;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

#[derive(Clone, Debug)]
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

fn sealing_world() -> World {
    let mut world = World::new();
    world
        .register_component::<Sealed>("sealed")
        .expect("its name is free");
    world
}

#[test]
fn a_value_that_cannot_be_written_is_an_error_with_its_name() {
    let mut world = sealing_world();
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
    let mut world = sealing_world();
    let id = world.spawn((Sealed(666),));
    let before = world.snapshot().expect("all can be written");
    world.get_mut::<Sealed>(id).expect("it is alive").0 = 5;
    let restore = |world: &mut World| {
        let restore = std::panic::AssertUnwindSafe(|| drop(world.restore(&before)));
        std::panic::catch_unwind(restore).is_err()
    };
    assert!(restore(&mut world), "it cannot be read");
    assert_eq!(world.get::<Sealed>(id).expect("it is alive").0, 5);

    let mut world = sealing_world();
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

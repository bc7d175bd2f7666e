//! The listed memory of a world, number by number.

use gerust::prelude::*;

struct Tonnes(#[expect(dead_code)] f32);
struct Owner(#[expect(dead_code)] [u8; 60]);
struct Sealed;

fn world() -> World {
    let mut world = World::new();
    world.spawn_many((0..100).map(|_| (Tonnes(1.0),)));
    world.spawn_many((0..10).map(|_| (Tonnes(1.0), Owner([0; 60]))));
    world.spawn_many((0..3).map(|_| (Sealed,)));
    world
}

#[test]
fn tables_list_their_components_and_entities() {
    let memory = world().memory();
    let tables: Vec<_> = memory
        .tables()
        .iter()
        .map(|table| (table.components().join("+"), table.entities(), table.used()))
        .collect();
    let table = |name: &str, entities, used| (String::from(name), entities, used);
    assert_eq!(
        tables,
        [
            table("Tonnes", 100, 400),
            table("Tonnes+Owner", 10, 640),
            table("Sealed", 3, 0)
        ]
    );
}

#[test]
fn types_list_their_values_and_reserved_memory() {
    let world = world();
    let memory = world.memory();
    let of = |name: &str| {
        let mut types = memory.types().iter();
        types
            .find(|of_type| of_type.name() == name)
            .expect("it is used")
    };
    assert_eq!((of("Tonnes").values(), of("Tonnes").used()), (110, 440));
    assert_eq!((of("Owner").values(), of("Owner").used()), (10, 600));
    assert_eq!(
        (
            of("Sealed").values(),
            of("Sealed").used(),
            of("Sealed").reserved()
        ),
        (3, 0, 0)
    );
    for name in ["Tonnes", "Owner"] {
        let (used, reserved) = (of(name).used(), of(name).reserved());
        assert!(
            used <= reserved && reserved <= 4 * used + 1_024,
            "{name}: {used} of {reserved}"
        );
    }
    assert_eq!(memory.used(), 1_040);
    assert_eq!(
        memory.reserved(),
        of("Tonnes").reserved() + of("Owner").reserved()
    );
    // One record has 4 bytes of tonnes and 60 of an owner.
    assert_eq!(memory.as_one_record(), 113 * 64);
}

#[test]
fn room_stays_reserved_when_entities_go() {
    let mut world = World::new();
    let many: Vec<Entity> = (0..1_000).map(|_| world.spawn((Tonnes(1.0),))).collect();
    let reserved = world.memory().reserved();
    assert!((4_000..=8_192).contains(&reserved), "{reserved}");
    for entity in many {
        world.despawn(entity).expect("it is alive");
    }
    let memory = world.memory();
    assert_eq!((memory.used(), memory.reserved()), (0, reserved));
    assert_eq!(memory.bookkeeping_per_entity(), 0.0);
}

/// 12 bytes of a slot and 8 of the id in its table, and 4 for each free slot.
#[test]
fn bookkeeping_is_slots_ids_and_free_slots() {
    let mut world = World::new();
    let many: Vec<Entity> = (0..100).map(|_| world.spawn((Sealed,))).collect();
    assert_eq!(world.memory().bookkeeping_per_entity(), 20.0);
    for &entity in &many[..50] {
        world.despawn(entity).expect("it is alive");
    }
    let per_entity = (100.0 * 12.0 + 50.0 * 8.0 + 50.0 * 4.0) / 50.0;
    assert_eq!(world.memory().bookkeeping_per_entity(), per_entity);
}

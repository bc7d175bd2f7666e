use super::*;
use proptest::prelude::*;
use std::collections::BTreeSet;

const SOMEWHERE: Location = Location {
    table: TableId(0),
    row: 0,
};

#[test]
fn an_optional_id_takes_no_extra_room() {
    assert_eq!(size_of::<Entity>(), 8);
    assert_eq!(size_of::<Option<Entity>>(), 8);
    assert_eq!(size_of::<Slot>(), 12);
}

#[test]
fn a_slot_that_ran_out_of_generations_is_retired() {
    let mut entities = Entities::default();
    let first = entities.allocate(SOMEWHERE);
    entities.slots[0].generation = NonZeroU32::MAX;
    let last = Entity::from_parts(first.index(), NonZeroU32::MAX);

    assert_eq!(entities.release(last), Some(SOMEWHERE));
    assert_eq!(entities.locate(last), None);
    assert_eq!(entities.release(last), None);
    assert_eq!(entities.allocate(SOMEWHERE).index(), 1);
}

#[test]
fn one_lane_reserves_what_plain_spawns_would_get() {
    let mut reserved = Entities::default();
    let mut plain = Entities::default();
    for entities in [&mut reserved, &mut plain] {
        let ids: Vec<_> = (0..4).map(|_| entities.allocate(SOMEWHERE)).collect();
        entities.release(ids[1]);
        entities.release(ids[2]);
    }
    let by_lane: Vec<_> = (0..4).map(|i| reserved.reserved(Lane::ONLY, i)).collect();
    reserved.commit(&[(Lane::ONLY, 4)]);
    for &entity in &by_lane {
        assert_eq!(reserved.locate(entity), None, "reserved, not yet alive");
        reserved.settle(entity, SOMEWHERE);
    }
    let one_by_one: Vec<_> = (0..4).map(|_| plain.allocate(SOMEWHERE)).collect();
    assert_eq!(by_lane, one_by_one);
    assert_eq!(reserved.len(), plain.len());
}

proptest! {
    /// For any reservations, no id is allocated twice, none is lost, and no live entity is affected.
    #[test]
    fn lanes_never_share_an_id(
        spawned in 0_usize..20,
        released in proptest::collection::vec(0_usize..20, 0..20),
        counts in proptest::collection::vec(0_u32..12, 1..5),
    ) {
        let mut entities = Entities::default();
        let ids: Vec<_> = (0..spawned).map(|_| entities.allocate(SOMEWHERE)).collect();
        let mut alive: BTreeSet<_> = ids.iter().copied().collect();
        for &position in &released {
            if let Some(id) = ids.get(position) {
                entities.release(*id);
                alive.remove(id);
            }
        }
        let mut lanes = Vec::new();
        entities.share_out(0..counts.len() as u32, &mut lanes);
        let lanes: Vec<_> = counts
            .iter()
            .zip(0_usize..)
            .map(|(&count, number)| (lanes[number], count))
            .collect();
        let reserved: Vec<_> = lanes
            .iter()
            .flat_map(|&(lane, count)| (0..count).map(move |i| (lane, i)))
            .map(|(lane, i)| entities.reserved(lane, i))
            .collect();
        entities.commit(&lanes);
        for &entity in &reserved {
            prop_assert!(alive.insert(entity), "{entity} was handed out twice");
            entities.settle(entity, SOMEWHERE);
        }
        prop_assert_eq!(entities.len(), alive.len());
        prop_assert!(alive.iter().all(|&entity| entities.locate(entity).is_some()));
        let slots_before = entities.slots.len();
        let gaps = slots_before - entities.len();
        for _ in 0..gaps {
            let entity = entities.allocate(SOMEWHERE);
            prop_assert!(alive.insert(entity));
        }
        prop_assert_eq!(entities.slots.len(), slots_before, "every gap can be used again");
    }
}

/// Reserves in some lanes, brings the entities to life and returns them by lane.
fn spawn_in_lanes(entities: &mut Entities, counts: &[u32]) -> Vec<Vec<Entity>> {
    let mut lanes = Vec::new();
    entities.share_out(0..counts.len() as u32, &mut lanes);
    let reserved: Vec<Vec<Entity>> = lanes
        .iter()
        .zip(counts)
        .map(|(&lane, &count)| (0..count).map(|i| entities.reserved(lane, i)).collect())
        .collect();
    let used: Vec<_> = lanes.into_iter().zip(counts.iter().copied()).collect();
    entities.commit(&used);
    for (&count, key) in counts.iter().zip(0..) {
        entities.remember(key, count);
    }
    for &entity in reserved.iter().flatten() {
        assert_eq!(entities.locate(entity), None, "reserved, not yet alive");
        entities.settle(entity, SOMEWHERE);
    }
    reserved
}

#[test]
fn a_burst_beside_idle_lanes_takes_room_for_itself_alone() {
    let mut entities = Entities::default();
    let mut counts = [0_u32; 400];
    counts[250] = 50_000;
    let burst = spawn_in_lanes(&mut entities, &counts);
    assert!(entities.bytes() < 50_000 * 16, "{} bytes", entities.bytes());
    // From the second time on the ids are dense.
    let again = spawn_in_lanes(&mut entities, &counts);
    assert!(again[250].iter().all(|entity| entity.index() < 200_000));
    assert!(
        entities.bytes() < 2 * 50_000 * 16,
        "{} bytes",
        entities.bytes()
    );
    for entity in burst.iter().chain(&again).flatten() {
        assert_eq!(entities.release(*entity), Some(SOMEWHERE));
        assert_eq!(entities.release(*entity), None);
    }
    assert_eq!((entities.len(), entities.far.bytes()), (0, 0));
}

#[test]
fn when_far_indices_are_used_up_lanes_take_turns() {
    let mut entities = Entities {
        far: FarSlots::continuing_from(u32::MAX - 200),
        ..Entities::default()
    };
    let mut counts = [3_u32; 100];
    counts[7] = 1_000;
    let reserved = spawn_in_lanes(&mut entities, &counts);
    let mut all: Vec<Entity> = reserved.into_iter().flatten().collect();
    all.sort_unstable();
    all.dedup();
    assert_eq!(all.len(), 1_297);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(feature = "stress") { 256 } else { 32 }))]

    /// Phase after phase with bursts in any lane: no id is handed out twice, and a copy of the sequence hands out the same.
    #[test]
    fn bursts_never_share_an_id(
        phases in proptest::collection::vec(proptest::collection::vec(prop_oneof![
            3 => 0_u32..4, 1 => 4_000_u32..9_000
        ], 6), 1..5),
    ) {
        let mut entities = Entities::default();
        let mut seen = BTreeSet::new();
        for counts in phases {
            let mut copy = entities.clone();
            let reserved = spawn_in_lanes(&mut entities, &counts);
            prop_assert_eq!(&spawn_in_lanes(&mut copy, &counts), &reserved);
            for (number, &entity) in reserved.iter().flatten().enumerate() {
                prop_assert!(seen.insert(entity), "{entity} was handed out twice");
                if number % 3 == 0 {
                    entities.release(entity);
                }
            }
        }
    }
}

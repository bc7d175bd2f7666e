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
    /// Whatever each lane reserves, no id is handed out twice, none is lost, and none that lives is touched.
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
        let lanes: Vec<_> = counts
            .iter()
            .zip(0..)
            .map(|(&count, number)| (Lane { number, of: counts.len() as u32 }, count))
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

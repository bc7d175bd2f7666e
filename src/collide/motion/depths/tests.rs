use super::*;
use crate::World;
use proptest::prelude::*;
use std::cell::Cell;

proptest! {
    /// In random trees every depth is the number of entities above.
    #[test]
    fn depths_count_all_above(
        parents in prop::collection::vec(0_usize..3, 1..200),
        order in prop::collection::vec(0_usize..200, 1..200),
    ) {
        let mut world = World::new();
        let nodes = world.spawn_many(parents.iter().map(|_| (0_u8,)));
        // Each hangs below one of the few before it, so that the ways are long.
        let number = |entity| nodes.iter().position(|&node| node == entity);
        let parent = |entity| {
            let number = number(entity)?;
            number.checked_sub(parents[number] + 1).map(|above| nodes[above])
        };
        let mut depths = Depths::default();
        for at in order {
            let entity = nodes[at % nodes.len()];
            let all = successors(parent(entity), |&above| parent(above)).count();
            prop_assert_eq!(depths.of(entity, parent), all as u32);
        }
    }
}

/// A chain of n takes a bounded number of steps for each, from the top, from below and in steps across.
#[test]
fn chains_take_linear_time() {
    let count = 4_096;
    let mut world = World::new();
    let nodes = world.spawn_many((0..count).map(|_| (0_u8,)));
    let orders: [fn(usize) -> usize; 3] = [|at| at, |at| 4_095 - at, |at| (at * 1_231) % 4_096];
    for order in orders {
        let steps = Cell::new(0);
        let mut depths = Depths::default();
        for at in (0..count).map(order) {
            let parent = |entity: Entity| {
                steps.set(steps.get() + 1);
                let above = (entity.index() as usize - nodes[0].index() as usize).checked_sub(1);
                above.map(|above| nodes[above])
            };
            assert_eq!(depths.of(nodes[at], parent) as usize, at);
        }
        assert!(steps.get() <= count * (SHORT + 3), "{}", steps.get());
    }
}

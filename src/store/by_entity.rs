//! A number for each entity, by its index.

use super::entity::Entity;
use rustc_hash::FxHashMap;

/// Below this, indices are dense.
const DENSE: u32 = 1 << 31;

/// Numbers by the index of their entity: a list for dense indices, a map for the few that are not.
#[derive(Clone, Default, Debug)]
pub(crate) struct NumberByEntity {
    dense: Vec<u32>,
    others: FxHashMap<u32, u32>,
}

impl NumberByEntity {
    /// Stands where no number was set.
    pub(crate) const NONE: u32 = u32::MAX;

    #[inline]
    pub(crate) fn get(&self, entity: Entity) -> u32 {
        match self.dense.get(entity.index() as usize) {
            Some(&number) => number,
            None if entity.index() < DENSE => Self::NONE,
            None => self
                .others
                .get(&entity.index())
                .copied()
                .unwrap_or(Self::NONE),
        }
    }

    pub(crate) fn set(&mut self, entity: Entity, number: u32) {
        let index = entity.index();
        if index >= DENSE {
            match number {
                Self::NONE => self.others.remove(&index),
                _ => self.others.insert(index, number),
            };
            return;
        }
        if index as usize >= self.dense.len() {
            self.dense.resize(index as usize + 1, Self::NONE);
        }
        self.dense[index as usize] = number;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::num::NonZeroU32;

    #[test]
    fn far_indices_take_no_room_for_those_before() {
        let mut numbers = NumberByEntity::default();
        let entities = [0, 7, DENSE, u32::MAX - 1];
        let entities = entities.map(|index| Entity::from_parts(index, NonZeroU32::MIN));
        for (entity, number) in entities.into_iter().zip(0..) {
            assert_eq!(numbers.get(entity), NumberByEntity::NONE);
            numbers.set(entity, number);
        }
        assert_eq!(entities.map(|entity| numbers.get(entity)), [0, 1, 2, 3]);
        numbers.set(entities[3], NumberByEntity::NONE);
        assert_eq!(numbers.get(entities[3]), NumberByEntity::NONE);
        assert_eq!((numbers.dense.len(), numbers.others.len()), (8, 1));
    }
}

//! How deep bodies lie in their trees.

use crate::store::Entity;
use rustc_hash::FxHashMap;
use std::iter::successors;

/// A walk to the root that is longer than this keeps the depths along it. Shorter walks cost less than the map.
const SHORT: usize = 16;

/// The depths of entities on long ways to the root, for one frame.
#[derive(Default, Debug)]
pub(super) struct Depths {
    known: FxHashMap<Entity, u32>,
    /// The entities of one walk, from below.
    way: Vec<Entity>,
}

impl Depths {
    pub(super) fn clear(&mut self) {
        self.known.clear();
    }

    /// How many entities are above one. A chain of n bodies takes O(n) for all of them, in any order.
    pub(super) fn of(&mut self, entity: Entity, parent: impl Fn(Entity) -> Option<Entity>) -> u32 {
        self.way.clear();
        let mut depth = 0;
        for (number, above) in successors(parent(entity), |&above| parent(above)).enumerate() {
            depth += 1;
            if number < SHORT {
                continue;
            }
            if let Some(known) = self.known.get(&above) {
                depth += known;
                break;
            }
            self.way.push(above);
        }
        for (number, &above) in self.way.iter().enumerate() {
            self.known
                .insert(above, depth - (SHORT + number + 1) as u32);
        }
        depth
    }
}

#[cfg(test)]
mod tests;

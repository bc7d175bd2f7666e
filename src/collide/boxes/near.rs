//! Finds the boxes of an entity that are near, without visiting all tiles of a grid.

use super::Boxes;
use super::item::{Compound, Slot};
use crate::collide::aabb::Aabb;
use crate::store::Entity;

/// The initial search radius when no box touches, as a share of the size of the entity.
const FIRST_REACH: f32 = 1.0 / 256.0;

impl Boxes {
    pub(super) fn taking_part(&self, entity: Entity) -> Option<Slot> {
        self.slot_of(entity)
            .filter(|&slot| self.item(slot).takes_part)
    }

    /// How many boxes [`of`](Self::of) lists. O(1), of tiles O(tiles / 64).
    pub(in crate::collide) fn part_count(&self, entity: Entity) -> usize {
        let Some(slot) = self.taking_part(entity) else {
            return 0;
        };
        match self.compound(slot) {
            None => 1,
            Some(Compound::Several(parts)) => parts.len(),
            Some(Compound::Tiles(_, grid)) => grid.solid_count(),
        }
    }

    /// Some boxes of an entity, among them the one that is nearest to a box, or deepest in it: the one whose largest gap along an
    /// axis is the least. O(boxes that touch it), or if none does, O(boxes about as near as the nearest).
    pub(in crate::collide) fn parts_near(&self, entity: Entity, to: &Aabb) -> Vec<Aabb> {
        let mut near = Vec::new();
        let Some(slot) = self.taking_part(entity) else {
            return near;
        };
        let around = self.item(slot).aabb;
        let mut reach = 0.0;
        loop {
            let mut region = to.grown(reach);
            if self.is_flat {
                // Along z nothing is far.
                (region.min.z, region.max.z) = (around.min.z, around.max.z);
            }
            self.parts_touching(slot, &region, |part| near.push(self.drawn_flat(part)));
            let is_whole = region.merged(&around) == region;
            if is_whole || !near.is_empty() {
                return near;
            }
            // All boxes within reach along each axis were found, the nearest among them.
            reach = match reach == 0.0 {
                true => self.first_reach(&around, to),
                false => reach * 2.0,
            };
        }
    }

    /// Far enough to come to the entity at all, and then by a small part of it.
    fn first_reach(&self, around: &Aabb, to: &Aabb) -> f32 {
        let gap = (-around.depth(to)).max_element().max(0.0);
        let size = match self.is_flat {
            true => around.size().truncate().max_element(),
            false => around.size().max_element(),
        };
        // Zero would never grow.
        (gap + size * FIRST_REACH).max(f32::MIN_POSITIVE)
    }

    /// A box as users see it: without thickness in a scene of two dimensions.
    pub(super) fn drawn_flat(&self, aabb: Aabb) -> Aabb {
        match self.is_flat {
            true => Aabb {
                min: aabb.min.with_z(0.0),
                max: aabb.max.with_z(0.0),
            },
            false => aabb,
        }
    }
}

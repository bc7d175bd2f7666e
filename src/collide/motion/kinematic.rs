//! What moves through everything: kinematic bodies, what hangs below them, and what was moved by what writes its placement.

use super::Step;
use super::mover::Mover;
use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::boxes::{Boxes, Slot};
use crate::collide::placed::ROUNDING;
use crate::store::Entity;
use glam::{Affine3A, Vec3, Vec3A};
use smallvec::SmallVec;

/// A box that has moved through everything in this frame.
#[derive(Clone, Copy, Debug)]
pub(super) struct Moved {
    pub(super) slot: Slot,
    /// How far its boxes have moved.
    pub(super) shift: Vec3,
    /// Where it takes what stands on it, if it has turned as well.
    map: Option<Affine3A>,
}

impl Moved {
    /// How far it takes a body at a place.
    pub(super) fn shift_at(&self, place: Vec3) -> Vec3 {
        match &self.map {
            Some(map) => map.transform_point3(place) - place,
            None => self.shift,
        }
    }
}

impl Step<'_, '_> {
    /// Moves all kinematic bodies, and with them, for the rest of the step, all boxes below them.
    pub(super) fn move_kinematic(&mut self) {
        let lists = &mut *self.lists;
        lists.moved.clear();
        lists.moved_slots.clear();
        self.take_relocated();
        for at in 0..self.lists.movers.order.len() {
            let number = self.lists.movers.order[at] as usize;
            let mover = &self.lists.movers.list[number];
            let carried = self
                .lists
                .movers
                .carrier_above(mover, self.links)
                .map_or(Vec3::ZERO, Mover::displacement);
            let place = mover.place + carried + mover.velocity * self.seconds;
            let (entity, slot, has_children) = (mover.entity, mover.slot, mover.has_children);
            self.lists.movers.put(number, place);
            let shift = self.lists.movers.list[number].displacement();
            if shift == Vec3::ZERO {
                continue;
            }
            if let Some(slot) = slot {
                self.shift(slot, shift);
            }
            if has_children {
                self.shift_below(entity, shift);
            }
        }
        // What pushed in the frame before and is at rest now.
        let lists = &mut *self.lists;
        let (pushers, moved) = (&mut lists.pushers, &lists.moved_slots);
        lists.pusher_slots.retain(|&slot| {
            let still_pushes = moved.contains_key(&slot);
            if !still_pushes {
                pushers.remove(slot);
            }
            still_pushes
        });
        if !lists.moved.is_empty() {
            self.boxes.update_trees();
            self.lists.pushers.update();
        }
    }

    /// Takes in what was moved by what writes its placement. A move that leaves its former place altogether is a teleport.
    fn take_relocated(&mut self) {
        if self.boxes.relocated().is_empty() {
            return;
        }
        for at in 0..self.boxes.relocated().len() {
            let before = self.boxes.relocated()[at];
            let item = *self.boxes.item(before.slot);
            let is_part = self
                .lists
                .movers
                .of_slot(before.slot)
                .is_some_and(|number| self.lists.movers.list[number].is_dynamic);
            if !item.takes_part || item.motion == Motion::Dynamic || item.is_sensor || is_part {
                continue;
            }
            let mut shift = item.aabb.center() - before.aabb.center();
            if self.boxes.is_flat() {
                shift.z = 0.0;
            }
            if shift.length() > item.aabb.size().max_element() {
                continue;
            }
            let now = *self.boxes.placement(before.slot);
            let turns = now.matrix3 != before.placement.matrix3;
            let map = (turns && before.placement.matrix3.determinant() != 0.0)
                .then(|| now * before.placement.inverse());
            let far = item.aabb.min.abs().max(item.aabb.max.abs()).max_element();
            if map.is_none() && shift.length() <= far * ROUNDING {
                continue;
            }
            let swept = before.aabb.merged(&item.aabb);
            self.note_moved(before.slot, shift, map, &swept);
        }
        self.boxes.forget_relocated();
    }

    fn shift(&mut self, slot: Slot, by: Vec3) {
        let before = self.boxes.item(slot).aabb;
        self.boxes.shift(slot, by);
        if self.boxes.item(slot).is_sensor {
            let swept = before.merged(&self.boxes.item(slot).aabb);
            self.lists.moved_sensors.push(swept);
            return;
        }
        let by = if self.boxes.is_flat() {
            by.with_z(0.0)
        } else {
            by
        };
        let swept = before.merged(&self.boxes.item(slot).aabb);
        self.note_moved(slot, by, None, &swept);
    }

    /// Notes that a box has moved, once more if it was moved by several.
    fn note_moved(&mut self, slot: Slot, shift: Vec3, map: Option<Affine3A>, swept: &Aabb) {
        let lists = &mut *self.lists;
        let swept = match lists.moved_slots.get(&slot) {
            Some(&number) => {
                let known = &mut lists.moved[number as usize];
                known.shift += shift;
                if let Some(map) = &mut known.map {
                    map.translation += Vec3A::from(shift);
                }
                lists
                    .pushers
                    .get(slot)
                    .map_or(*swept, |before| before.merged(swept))
            }
            None => {
                lists.moved_slots.insert(slot, lists.moved.len() as u32);
                lists.moved.push(Moved { slot, shift, map });
                *swept
            }
        };
        if lists.pushers.get(slot).is_none() {
            lists.pusher_slots.push(slot);
        }
        lists.pushers.set(slot, &swept);
    }

    /// Shifts all boxes below an entity but those of bodies, which see to themselves.
    fn shift_below(&mut self, entity: Entity, by: Vec3) {
        let mut open: SmallVec<[Entity; 32]> = self.children(entity).collect();
        while let Some(below) = open.pop() {
            if self.lists.movers.linked.contains_key(&below) {
                continue;
            }
            if let Some(slot) = taking_part(self.boxes, below) {
                self.shift(slot, by);
            }
            open.extend(self.children(below));
        }
    }
}

/// The slot of an entity whose collider takes part.
pub(super) fn taking_part(boxes: &Boxes, entity: Entity) -> Option<Slot> {
    boxes
        .slot_of(entity)
        .filter(|&slot| boxes.item(slot).takes_part)
}

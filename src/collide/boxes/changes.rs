//! Changes of boxes since bodies last moved, and since contacts were last found.

use super::{Boxes, Relocated, Slot, TREES};
use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::layers::Layers;
use crate::collide::placed::ROUNDING;
use glam::Affine3A;

impl Boxes {
    /// Notes that what does not fall is elsewhere than bodies last saw it.
    pub(super) fn note_relocated(&mut self, slot: Slot, placed: &Affine3A) {
        let before = std::mem::replace(&mut self.placements[slot as usize], *placed);
        let item = &self.items[slot as usize];
        let is_here = item.takes_part && item.motion != Motion::Dynamic && !item.is_sensor;
        if is_here && is_another_place(&before, placed) {
            self.relocated.push(Relocated {
                slot,
                placement: before,
                aabb: item.aabb,
            });
        }
    }

    pub(in crate::collide) fn relocated(&self) -> &[Relocated] {
        &self.relocated
    }

    pub(in crate::collide) fn forget_relocated(&mut self) {
        self.relocated.clear();
    }

    pub(in crate::collide) fn stirred(&self) -> &[(Slot, Option<Aabb>)] {
        &self.stirred
    }

    pub(in crate::collide) fn forget_stirred(&mut self) {
        self.stirred.clear();
    }

    /// Notes which of the changed colliders are in a layer that the world does not have. O(changed).
    pub(in crate::collide) fn note_stray(&mut self, layers: &Layers) {
        for &slot in &self.changed_slots {
            let item = &self.items[slot as usize];
            match item.takes_part && layers.name(item.layer).is_none() {
                true => self.stray.insert(item.entity),
                false => self.stray.remove(&item.entity),
            };
        }
    }

    pub(super) fn note(&mut self, slot: Slot) {
        if !self.changed.put(slot as usize) {
            self.changed_slots.push(slot);
        }
    }

    /// Notes that a body can meet nothing in this frame, and its box at the end of it. A box that is found there touches nothing.
    pub(in crate::collide) fn note_lone(&mut self, slot: Slot, end: &Aabb) {
        let at = slot as usize;
        if at >= self.lone_ends.len() {
            self.lone_ends.resize(self.items.len(), Aabb::default());
        }
        self.lone_ends[at] = *end;
        self.lone.grow_and_insert(at);
    }

    /// Whether a lone body has this box at the end of the frame.
    pub(super) fn is_lone_at(&self, slot: Slot, aabb: &Aabb) -> bool {
        self.lone.contains(slot as usize) && self.lone_ends[slot as usize] == *aabb
    }

    pub(in crate::collide) fn forget_lone(&mut self) {
        self.lone.clear();
    }

    /// Lets all colliders of some trees count as changed.
    pub(in crate::collide) fn change_all(&mut self, in_tree: [bool; TREES]) {
        for slot in 0..self.items.len() {
            let item = &self.items[slot];
            if item.takes_part && in_tree[item.tree()] {
                self.note(slot as Slot);
            }
        }
    }

    /// The slots that are others than when contacts were last found.
    pub(in crate::collide) fn changed_slots(&self) -> &[Slot] {
        &self.changed_slots
    }

    #[inline]
    pub(in crate::collide) fn has_changed(&self, slot: Slot) -> bool {
        self.changed.contains(slot as usize)
    }

    /// Whether no box counts as changed.
    pub(in crate::collide) fn are_unchanged(&self) -> bool {
        self.changed_slots.is_empty()
    }

    pub(in crate::collide) fn forget_changed(&mut self) {
        for slot in self.changed_slots.drain(..) {
            self.changed.set(slot as usize, false);
        }
    }
}

/// Whether two placements differ by more than rounding.
fn is_another_place(a: &Affine3A, b: &Affine3A) -> bool {
    let far = a.translation.abs().max(b.translation.abs()) * ROUNDING;
    let apart = (a.translation - b.translation).abs();
    a.matrix3 != b.matrix3 || apart.cmpgt(far).any()
}

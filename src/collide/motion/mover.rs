//! The bodies of a frame as plain lists, in which motion computes before it writes back.

use super::depths::Depths;
use super::events::ordered;
use super::sweep::{Obstacle, around};
use crate::collide::aabb::Aabb;
use crate::collide::boxes::Slot;
use crate::collide::layers::{Layer, Layers};
use crate::collide::placed::PlacedBox;
use crate::store::Entity;
use glam::{Affine3A, Vec3};
use rustc_hash::FxHashMap;
use std::ops::Range;

/// One box of a body.
#[derive(Clone, Copy, Debug)]
pub(super) struct Part {
    pub(super) placed: PlacedBox,
    /// That of its collider, which may be one of an entity below.
    pub(super) slot: Slot,
    pub(super) layer: Layer,
}

impl Part {
    /// A box of an entity under a placement; of a scene of two dimensions, without end along z.
    pub(super) fn new(
        own: &Aabb,
        map: &Affine3A,
        (slot, layer): (Slot, Layer),
        is_flat: bool,
    ) -> Self {
        let placed = PlacedBox::new(own, map);
        Self {
            placed: if is_flat { placed.flat() } else { placed },
            slot,
            layer,
        }
    }

    #[inline]
    pub(super) fn at(&self, place: Vec3) -> Aabb {
        self.placed.at(place)
    }
}

/// Whether the layer of one of several boxes meets another layer.
pub(super) fn meet(parts: &[Part], layer: Layer, layers: &Layers) -> bool {
    parts.iter().any(|part| layers.do_meet(part.layer, layer))
}

/// A body of this frame.
#[derive(Clone, Debug)]
pub(super) struct Mover {
    pub(super) entity: Entity,
    pub(super) is_dynamic: bool,
    /// Its slot, if it has a collider that takes part; of a body without one, that of its first part below.
    pub(super) slot: Option<Slot>,
    /// Whether faces stop it: it is dynamic, and has solid boxes that take part.
    pub(super) collides: bool,
    /// How many entities it hangs below.
    pub(super) depth: u32,
    /// Whether something hangs below it.
    pub(super) has_children: bool,
    /// Its boxes among [`Movers::parts`].
    pub(super) parts: Range<usize>,
    /// Where its origin was in the world when the frame began, and where it is now.
    pub(super) start: Vec3,
    pub(super) place: Vec3,
    /// Around its boxes when the frame began, and now. Without a collider, a point.
    pub(super) start_box: Aabb,
    pub(super) aabb: Aabb,
    /// Its velocity as it was written, and as it is in the world now.
    pub(super) own_velocity: Vec3,
    pub(super) velocity: Vec3,
    /// Its acceleration by gravity.
    pub(super) pull: Vec3,
    pub(super) inverse_mass: f32,
    pub(super) restitution: f32,
    pub(super) friction: f32,
    /// A bit for each axis along which it stays where it is: it is deep in something that moves through everything.
    pub(super) pinned: u8,
    /// What takes it along in this frame.
    pub(super) ride: Option<Ride>,
    /// The velocity of its carrier: in the frame before when the step begins, and in this one when it ends.
    pub(super) carried: Vec3,
    /// Its obstacles among [`Movers::obstacles`]: all that touch the region.
    pub(super) obstacles: Range<usize>,
    /// Where it may go in this frame.
    pub(super) region: Aabb,
}

/// What takes a body along.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct Ride {
    /// The slot of its support; `None` if it hangs below its carrier.
    pub(super) on: Option<Slot>,
    /// That of its carrier in the world.
    pub(super) velocity: Vec3,
}

/// All bodies of a frame. The lists are kept from frame to frame.
#[derive(Default, Debug)]
pub(super) struct Movers {
    pub(super) list: Vec<Mover>,
    pub(super) parts: Vec<Part>,
    pub(super) obstacles: Vec<Obstacle>,
    /// The kinematic ones, parents before children, then by id.
    pub(super) order: Vec<u32>,
    /// Those that faces stop.
    pub(super) colliding: Vec<u32>,
    /// All indices of entities, and all slots, are below these.
    pub(super) bounds: (usize, usize),
    /// Whether one of them was taken along in the frame before.
    pub(super) has_carried: bool,
    /// By entity: those that are linked.
    pub(super) linked: FxHashMap<Entity, u32>,
    /// By slot.
    by_slot: Vec<u32>,
    /// The slots in that list.
    slots: Vec<Slot>,
    pub(super) depths: Depths,
}

const NOBODY: u32 = u32::MAX;

impl Movers {
    pub(super) fn clear(&mut self) {
        for slot in self.slots.drain(..) {
            self.by_slot[slot as usize] = NOBODY;
        }
        self.list.clear();
        self.colliding.clear();
        self.bounds = (0, 0);
        self.has_carried = false;
        self.parts.clear();
        self.obstacles.clear();
        self.linked.clear();
        self.depths.clear();
    }

    /// Says that a slot belongs to the body that is pushed next.
    pub(super) fn claim(&mut self, slot: Slot) {
        self.claim_for(slot, self.list.len());
    }

    /// Says that a slot belongs to a body.
    pub(super) fn claim_for(&mut self, slot: Slot, number: usize) {
        let at = slot as usize;
        if at >= self.by_slot.len() {
            self.by_slot.resize(at + 1, NOBODY);
        }
        self.by_slot[at] = number as u32;
        self.bounds.1 = self.bounds.1.max(at + 1);
        self.slots.push(slot);
    }

    pub(super) fn push(&mut self, mover: Mover, is_linked: bool) {
        if is_linked {
            self.linked.insert(mover.entity, self.list.len() as u32);
        }
        if mover.collides {
            self.colliding.push(self.list.len() as u32);
        }
        self.bounds.0 = self.bounds.0.max(mover.entity.index() as usize + 1);
        self.has_carried |= mover.carried != Vec3::ZERO;
        self.list.push(mover);
    }

    pub(super) fn sort(&mut self) {
        self.order.clear();
        let list = &self.list;
        let numbers = 0..list.len() as u32;
        self.order
            .extend(numbers.filter(|&number| !list[number as usize].is_dynamic));
        self.order.sort_unstable_by_key(|&number| {
            let mover = &list[number as usize];
            (mover.depth, mover.entity)
        });
    }

    pub(super) fn of_slot(&self, slot: Slot) -> Option<usize> {
        let number = *self.by_slot.get(slot as usize)?;
        (number != NOBODY).then_some(number as usize)
    }

    pub(super) fn parts_of(&self, number: usize) -> &[Part] {
        &self.parts[self.list[number].parts.clone()]
    }

    /// Says that a body is elsewhere now.
    pub(super) fn put(&mut self, number: usize, place: Vec3) {
        let mover = &mut self.list[number];
        mover.place = place;
        mover.aabb = match mover.parts.is_empty() {
            true => Aabb::from_center(place, Vec3::ZERO),
            false => around(&self.parts[mover.parts.clone()], place),
        };
    }
}

impl Mover {
    pub(super) fn displacement(&self) -> Vec3 {
        self.place - self.start
    }

    /// Bits that order as the height of its lowest point does.
    pub(super) fn height(&self, down: Vec3) -> u32 {
        ordered(self.place.dot(-down) - self.aabb.half_extents().dot(down.abs()))
    }
}

//! The bodies of a frame as plain lists, in which motion is worked out before it is written back.

use super::depths::Depths;
use super::sweep::{Obstacle, Stop, around};
use crate::collide::aabb::Aabb;
use crate::collide::boxes::Slot;
use crate::collide::layers::Layer;
use crate::collide::placed::{Face, PlacedBox};
use crate::store::Entity;
use glam::Vec3;
use rustc_hash::FxHashMap;
use std::ops::Range;

/// A body of this frame.
#[derive(Clone, Debug)]
pub(super) struct Mover {
    pub(super) entity: Entity,
    pub(super) is_dynamic: bool,
    /// Its slot, if it has a collider that takes part.
    pub(super) slot: Option<Slot>,
    /// Whether faces stop it: it is dynamic, and its collider is solid and takes part.
    pub(super) collides: bool,
    /// How many entities it hangs below.
    pub(super) depth: u32,
    /// Whether something hangs below it.
    pub(super) has_children: bool,
    pub(super) layer: Layer,
    /// Its boxes among [`Movers::parts`].
    pub(super) parts: Range<usize>,
    /// Where its origin was in the world when the frame began, and where it is now.
    pub(super) start: Vec3,
    pub(super) place: Vec3,
    /// Around its boxes when the frame began, and now. Without a collider, a point.
    pub(super) start_box: Aabb,
    pub(super) aabb: Aabb,
    /// How far the body that it stands on or hangs below has taken it in this frame.
    pub(super) carried: Vec3,
    /// The velocity of what pushes it in this frame, along the axes along which it does.
    pub(super) pushed: Vec3,
    pub(super) velocity: Vec3,
    pub(super) inverse_mass: f32,
    pub(super) restitution: f32,
    pub(super) friction: f32,
    pub(super) blocked: Blocked,
    /// What is known of its obstacles: those among [`Movers::obstacles`] are all that touch the region.
    pub(super) obstacles: Range<usize>,
    pub(super) region: Aabb,
    pub(super) knowledge: Knowledge,
}

/// What the list of a body's obstacles holds.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(super) enum Knowledge {
    #[default]
    Nothing,
    /// What does not give way.
    Walls,
    /// Other dynamic bodies as well, where they were when it was made.
    WallsAndBodies,
}

/// Along which directions a body cannot give way in this frame, because something that does not move stands there.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub(super) struct Blocked(u8);

impl Blocked {
    fn bit(axis: usize, direction: f32) -> u8 {
        1 << (2 * axis + usize::from(direction > 0.0))
    }

    pub(super) fn add(&mut self, axis: usize, direction: f32) {
        self.0 |= Self::bit(axis, direction);
    }

    pub(super) fn has(self, axis: usize, direction: f32) -> bool {
        self.0 & Self::bit(axis, direction) != 0
    }
}

/// All bodies of a frame. The lists are kept from frame to frame.
#[derive(Default, Debug)]
pub(super) struct Movers {
    pub(super) list: Vec<Mover>,
    pub(super) parts: Vec<PlacedBox>,
    pub(super) obstacles: Vec<Obstacle>,
    /// Kinematic before dynamic, parents before children, then by id.
    pub(super) order: Vec<u32>,
    /// By entity: those that are linked.
    pub(super) linked: FxHashMap<Entity, u32>,
    /// By slot.
    by_slot: Vec<u32>,
    pub(super) depths: Depths,
}

const NOBODY: u32 = u32::MAX;

impl Movers {
    pub(super) fn clear(&mut self) {
        for mover in &self.list {
            if let Some(slot) = mover.slot {
                self.by_slot[slot as usize] = NOBODY;
            }
        }
        self.list.clear();
        self.parts.clear();
        self.obstacles.clear();
        self.linked.clear();
        self.depths.clear();
    }

    pub(super) fn push(&mut self, mover: Mover, is_linked: bool) {
        let number = self.list.len() as u32;
        if let Some(slot) = mover.slot {
            let slot = slot as usize;
            if slot >= self.by_slot.len() {
                self.by_slot.resize(slot + 1, NOBODY);
            }
            self.by_slot[slot] = number;
        }
        if is_linked {
            self.linked.insert(mover.entity, number);
        }
        self.list.push(mover);
    }

    pub(super) fn sort(&mut self) {
        self.order.clear();
        self.order.extend(0..self.list.len() as u32);
        let list = &self.list;
        self.order.sort_unstable_by_key(|&number| {
            let mover = &list[number as usize];
            (mover.is_dynamic, mover.depth, mover.entity)
        });
    }

    pub(super) fn of_slot(&self, slot: Slot) -> Option<usize> {
        let number = *self.by_slot.get(slot as usize)?;
        (number != NOBODY).then_some(number as usize)
    }

    pub(super) fn parts_of(&self, number: usize) -> &[PlacedBox] {
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

    /// Its own way in this frame: who pushes it has taken it along already, to where both are at its end.
    pub(super) fn way(&self, seconds: f32) -> Vec3 {
        (self.velocity - self.pushed) * seconds
    }

    /// Takes the speed out of its velocity that goes into a face that moves with a velocity of its own, or lets it bounce,
    /// and holds it back along the face. `rest_speed` is the speed below which nothing bounces.
    pub(super) fn strike(&mut self, stop: &Stop, surface: &Surface, rest_speed: f32) {
        let (axis, direction) = (stop.axis, stop.direction());
        let approach = (self.velocity[axis] - surface.velocity[axis]) * direction;
        self.blocked.add(axis, direction);
        if approach <= 0.0 {
            return;
        }
        let bounce = bounce(
            self.restitution.max(surface.restitution),
            approach,
            rest_speed,
        );
        self.velocity[axis] = surface.velocity[axis] - direction * bounce;
        let mut along = self.velocity - surface.velocity;
        along[axis] = 0.0;
        let most = self.friction.max(surface.friction) * (approach + bounce);
        self.velocity -= along.clamp_length_max(most);
    }
}

/// The speed with which a body leaves what it struck with a speed.
pub(super) fn bounce(restitution: f32, approach: f32, rest_speed: f32) -> f32 {
    if approach > rest_speed {
        restitution * approach
    } else {
        0.0
    }
}

/// How a face answers when a body strikes it.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub(super) struct Surface {
    pub(super) velocity: Vec3,
    pub(super) restitution: f32,
    pub(super) friction: f32,
}

/// The face of a box at one of its ends along an axis, as somebody comes to it who moves in a direction.
pub(super) fn facing(aabb: &Aabb, axis: usize, direction: f32) -> (Face, f32) {
    match direction > 0.0 {
        true => (Face::Max, aabb.min[axis]),
        false => (Face::Min, aabb.max[axis]),
    }
}

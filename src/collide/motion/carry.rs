//! Kinematic bodies move through everything, carry what stands on them and push what is in their way.

use super::Step;
use super::mover::{Mover, facing};
use super::sweep::{Obstacle, Stop, put_face, sweep};
use crate::collide::aabb::Aabb;
use crate::collide::boxes::Slot;
use crate::collide::contacts::least_axis;
use crate::store::Entity;
use glam::Vec3;
use smallvec::SmallVec;

impl Step<'_, '_> {
    /// Moves all kinematic bodies, and with them, for the rest of the step, all boxes below them.
    pub(super) fn move_kinematic(&mut self) {
        self.lists.shifted.clear();
        for at in 0..self.lists.movers.order.len() {
            let number = self.lists.movers.order[at] as usize;
            let mover = &self.lists.movers.list[number];
            if mover.is_dynamic {
                break;
            }
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
        // Who pushed in the frame before and is at rest now.
        let (pushers, shifted) = (&mut self.lists.pushers, &self.lists.shifted);
        self.lists.pusher_slots.retain(|&slot| {
            let still_pushes = shifted.contains_key(&slot);
            if !still_pushes {
                pushers.remove(slot);
            }
            still_pushes
        });
        if !self.lists.shifted.is_empty() {
            self.boxes.update_trees();
            self.lists.pushers.update();
        }
    }

    fn shift(&mut self, slot: Slot, by: Vec3) {
        let before = self.boxes.item(slot).aabb;
        self.boxes.shift(slot, by);
        if self.boxes.item(slot).is_sensor {
            return;
        }
        let swept = before.merged(&self.boxes.item(slot).aabb);
        self.lists.shifted.insert(slot, by);
        if self.lists.pushers.get(slot).is_none() {
            self.lists.pusher_slots.push(slot);
        }
        self.lists.pushers.set(slot, &swept);
    }

    /// Shifts all boxes below an entity but those of bodies, which see to themselves.
    fn shift_below(&mut self, entity: Entity, by: Vec3) {
        let links = self.links;
        let children = |entity| {
            let first = links.get(entity).and_then(|links| links.first_child());
            std::iter::successors(first, |&child| links.get(child)?.next_sibling())
        };
        let mut open: SmallVec<[Entity; 32]> = children(entity).collect();
        while let Some(below) = open.pop() {
            if self.lists.movers.linked.contains_key(&below) {
                continue;
            }
            let slot = self.boxes.slot_of(below);
            if let Some(slot) = slot.filter(|&slot| self.boxes.item(slot).takes_part) {
                self.shift(slot, by);
            }
            open.extend(children(below));
        }
    }

    /// Moves a dynamic body by what carries it: the body that it hangs below, or the kinematic one that it stands on.
    pub(super) fn carry(&mut self, number: usize) {
        let mover = &self.lists.movers.list[number];
        let carried = match self.lists.movers.carrier_above(mover, self.links) {
            Some(above) => above.displacement(),
            None if self.lists.shifted.is_empty() || self.contacts.is_stale() => return,
            None => self
                .contacts
                .stands_on(mover.entity)
                .and_then(|standing| self.boxes.slot_of(standing.carrier))
                .and_then(|slot| self.lists.shifted.get(&slot).copied())
                .unwrap_or_default(),
        };
        if carried == Vec3::ZERO {
            return;
        }
        self.lists.movers.list[number].carried = carried;
        if !self.lists.movers.list[number].collides {
            let place = self.lists.movers.list[number].place + carried;
            self.lists.movers.put(number, place);
            return;
        }
        self.know_obstacles(number, carried, false);
        let movers = &mut self.lists.movers;
        let mut place = movers.list[number].place;
        for axis in 0..3 {
            let mover = &movers.list[number];
            let obstacles = &movers.obstacles[mover.obstacles.clone()];
            sweep(
                movers.parts_of(number),
                &mut place,
                axis,
                carried[axis],
                obstacles,
            );
        }
        movers.put(number, place);
    }

    /// Pushes a dynamic body before all kinematic ones that have moved into it or through it.
    pub(super) fn push(&mut self, number: usize) {
        if self.lists.shifted.is_empty() {
            return;
        }
        let mover = &self.lists.movers.list[number];
        if mover.inverse_mass == 0.0 {
            return;
        }
        let mut pushers: SmallVec<[Slot; 8]> = Default::default();
        self.lists
            .pushers
            .touching(&mover.aabb, |slot| pushers.push(slot));
        pushers.retain(|&mut slot| {
            let item = self.boxes.item(slot);
            self.layers.do_meet(mover.layer, item.layer) && !self.hangs_below(item.entity, mover)
        });
        pushers.sort_unstable_by_key(|&slot| self.boxes.item(slot).entity);
        for slot in pushers {
            self.push_before(number, slot);
        }
    }

    fn push_before(&mut self, number: usize, pusher: Slot) {
        let movers = &self.lists.movers;
        let mover = &movers.list[number];
        // A body that is carried along is not pushed.
        let shift = self.lists.shifted[&pusher] - mover.carried;
        if shift == Vec3::ZERO {
            return;
        }
        // Seen from the pusher, the body came from the other side.
        let swept = mover.aabb.merged(&mover.aabb.moved(shift));
        let mut first: Option<(f32, Stop)> = None;
        self.boxes.parts_touching(pusher, &swept, |pushing| {
            for (part, placed) in movers.parts_of(number).iter().enumerate() {
                let here = placed.at(mover.place);
                let Some((share, axis)) = met(&here, &pushing.moved(-shift), shift) else {
                    continue;
                };
                let direction = shift[axis];
                // The body's face behind meets the pusher's face ahead.
                let (face, coordinate) = facing(&pushing, axis, -direction);
                let stop = Stop {
                    axis,
                    face,
                    part,
                    coordinate,
                };
                if first.is_none_or(|(earliest, _)| share < earliest) {
                    first = Some((share, stop));
                }
            }
        });
        let Some((_, stop)) = first else {
            return;
        };
        let axis = stop.axis;
        let mut target = mover.place;
        put_face(movers.parts_of(number), &mut target, &stop);
        let distance = target[axis] - mover.place[axis];
        if distance * shift[axis] <= 0.0 {
            return;
        }
        self.know_obstacles(number, Vec3::AXES[axis] * distance, false);
        let surface = self.surface(pusher);
        let movers = &mut self.lists.movers;
        let known = movers.list[number].obstacles.clone();
        let others: SmallVec<[Obstacle; 16]> = movers.obstacles[known]
            .iter()
            .filter(|obstacle| obstacle.slot != pusher)
            .copied()
            .collect();
        let mut place = movers.list[number].place;
        let stopped = sweep(movers.parts_of(number), &mut place, axis, distance, &others);
        if stopped.is_none() {
            place[axis] = target[axis];
        }
        movers.put(number, place);
        let approach =
            (surface.velocity - movers.list[number].velocity)[axis] * shift[axis].signum();
        movers.list[number].pushed[axis] = surface.velocity[axis];
        movers.list[number].strike(&stop, &surface, self.rest_speed);
        self.note_hit(number, Some(pusher), (axis, stop.direction()), approach);
    }
}

/// What the sides of two boxes that were flush may have come to overlap by rounding, as a share of the largest number.
const ROUNDING: f32 = 4.0 / (1 << 23) as f32;

/// When, as a share of its way, a box that moves comes to another one that stays, and along which axis.
fn met(stays: &Aabb, moves: &Aabb, way: Vec3) -> Option<(f32, usize)> {
    if let Some(impact) = stays.time_of_impact(-way, moves) {
        return Some((impact.share, impact.normal.abs().max_position()));
    }
    // The two were flush, but for rounding.
    let depth = stays.depth(moves);
    let axis = least_axis(depth);
    let largest = stays.min.abs().max(stays.max.abs())[axis];
    let is_ahead = (stays.center() - moves.center())[axis] * way[axis] > 0.0;
    (is_ahead && (0.0..=largest * ROUNDING).contains(&depth[axis])).then_some((0.0, axis))
}

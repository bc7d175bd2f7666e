//! What stands on what, and what is taken along.
//!
//! A body stands on what it shares the largest face with, on the side to which gravity points. If that moves through everything,
//! or stands on what does, the body goes along: its velocity counts from that of its carrier, and in flight it has both. When
//! it leaves, it keeps both.

use super::Step;
use super::groups::Outcome;
use super::mover::{Mover, Ride};
use crate::collide::aabb::Aabb;
use crate::collide::boxes::Slot;
use crate::collide::contacts::LEAST_SHARE_DOWN;
use crate::collide::placed::{ENDLESS, ROUNDING};
use glam::Vec3;

/// The speed in m/s with which a carrier that was at rest, or rose, may begin to sink and still has its riders with it: such
/// a start takes one frame, and nothing falls as fast.
const MOST_START: f32 = 2.0;
/// How far apart a body and what it stands on may be, in metres, beyond rounding.
pub(super) const GAP: f32 = 1e-3;

/// A bit for each axis.
const ALL_AXES: u8 = 0b111;

/// The support of a body, while rides are found.
#[derive(Clone, Copy, Debug)]
pub(super) struct Support {
    area: f32,
    slot: Slot,
}

impl Step<'_, '_> {
    /// The axis to which gravity points most, and in which direction.
    pub(super) fn down_axis(&self) -> Option<(usize, f32)> {
        let axis = self.down.abs().max_position();
        let share = self.down[axis];
        (share.abs() > LEAST_SHARE_DOWN).then_some((axis, share.signum()))
    }

    /// Finds what takes each dynamic body along, and lets its velocity be that in the world.
    pub(super) fn find_rides(&mut self) {
        self.ride_below();
        let lists = &mut *self.lists;
        let has_work = !lists.moved.is_empty() || lists.movers.has_carried;
        // With stale contacts it is not known what stands on what, and what was carried waits.
        if self.contacts.is_stale() || !has_work {
            return;
        }
        let mut supports = std::mem::take(&mut lists.supports);
        supports.clear();
        supports.resize(lists.movers.list.len(), None);
        if let Some(down) = self.down_axis() {
            self.find_supports(&mut supports, down);
        }
        for number in 0..supports.len() {
            let mover = &self.lists.movers.list[number];
            if mover.is_dynamic && mover.ride.is_none() {
                self.ride_on(number, &supports);
            }
        }
        self.lists.supports = supports;
        for mover in &mut self.lists.movers.list {
            mover.carried = Vec3::ZERO;
            if let Some(Ride {
                on: Some(_),
                velocity,
            }) = mover.ride
            {
                mover.velocity += velocity;
            }
        }
    }

    /// Finds what each body stood on when the frame began.
    fn find_supports(&self, supports: &mut [Option<Support>], (axis, sign): (usize, f32)) {
        for contact in self.contacts.iter() {
            let towards = contact.normal[axis] * sign;
            if contact.is_sensor || towards == 0.0 {
                continue;
            }
            let (upper, lower) = match towards > 0.0 {
                true => (contact.first, contact.second),
                false => (contact.second, contact.first),
            };
            let slots = (self.boxes.slot_of(upper), self.boxes.slot_of(lower));
            let (Some(upper), Some(slot)) = slots else {
                continue;
            };
            let Some(number) = self.lists.movers.of_slot(upper) else {
                continue;
            };
            if !self.lists.movers.list[number].collides || !self.boxes.item(slot).takes_part {
                continue;
            }
            let area = self.shared_face(number, slot, (axis, sign), true);
            let known = &mut supports[number];
            if area > known.map_or(0.0, |known| known.area) {
                *known = Some(Support { area, slot });
            }
        }
    }

    /// Lets dynamic bodies that hang below kinematic ones come with them.
    fn ride_below(&mut self) {
        if self.lists.movers.linked.is_empty() {
            return;
        }
        for number in 0..self.lists.movers.list.len() {
            let mover = &self.lists.movers.list[number];
            if !mover.is_dynamic || mover.depth == 0 {
                continue;
            }
            // Below a dynamic body it moves by itself, or it would fall twice as fast.
            let above = self.lists.movers.carrier_above(mover, self.links);
            let Some(above) = above.filter(|above| !above.is_dynamic) else {
                continue;
            };
            let ride = Ride {
                on: None,
                velocity: above.displacement() / self.seconds,
            };
            let mover = &mut self.lists.movers.list[number];
            mover.ride = Some(ride);
            mover.velocity += ride.velocity;
        }
    }

    /// Follows what a body stands on down to what moves through everything. A body that was carried and now stands on nothing,
    /// or on bodies that do, keeps its velocity in the world; if what carries it stops, it stops with that.
    fn ride_on(&mut self, number: usize, supports: &[Option<Support>]) {
        let movers = &mut self.lists.movers;
        let mut at = number;
        let mut root = None;
        // No stack is higher than there are bodies.
        for _ in 0..movers.list.len() {
            let Some(support) = supports[at] else {
                movers.list[number].keep_carried();
                return;
            };
            match movers.of_slot(support.slot) {
                Some(below) if movers.list[below].is_dynamic => at = below,
                _ => {
                    root = self.lists.moved_slots.get(&support.slot);
                    break;
                }
            }
        }
        let (Some(&root), Some(on)) = (root, supports[number]) else {
            return;
        };
        let moved = self.lists.moved[root as usize];
        let mover = &mut self.lists.movers.list[number];
        let velocity = moved.shift_at(mover.start) / self.seconds;
        let falls = velocity.dot(self.down);
        let fell = (mover.velocity + mover.carried).dot(self.down);
        let follows = fell + mover.pull.dot(self.down) * self.seconds;
        let starts = fell <= 0.0 && falls <= MOST_START;
        let outruns = falls > follows.next_up() && !starts;
        // A body that was not carried may be moving away from it.
        let is_new = mover.carried == Vec3::ZERO;
        let rises = is_new && fell < 0.0 && fell < falls;
        if outruns || rises {
            mover.keep_carried();
            return;
        }
        if is_new {
            // It may have the velocity of the carrier already.
            mover.count_from(velocity, ALL_AXES);
        }
        mover.ride = Some(Ride {
            on: Some(on.slot),
            velocity,
        });
    }

    /// The area of the face that a body shares with what is below it, before all has moved or after; of a scene of two
    /// dimensions, its length.
    fn shared_face(
        &self,
        number: usize,
        below: Slot,
        (axis, sign): (usize, f32),
        before: bool,
    ) -> f32 {
        let movers = &self.lists.movers;
        let mover = &movers.list[number];
        let place = if before { mover.start } else { mover.place };
        let around = if before { mover.start_box } else { mover.aabb };
        let mut area = 0.0;
        let mut add = |there: Aabb| {
            for part in movers.parts_of(number) {
                let here = part.at(place);
                let gap = match sign > 0.0 {
                    true => there.min[axis] - here.max[axis],
                    false => here.min[axis] - there.max[axis],
                };
                let far = there.min[axis].abs().max(there.max[axis].abs());
                let most = GAP.max(far * ROUNDING);
                let depth = here.depth(&there);
                let across = (0..3).filter(|&across| across != axis);
                if gap.abs() <= most && across.clone().all(|across| depth[across] > 0.0) {
                    area += across
                        .map(|across| depth[across])
                        .filter(|&length| length < ENDLESS / 2.0)
                        .product::<f32>();
                }
            }
        };
        match movers.of_slot(below) {
            Some(other) if movers.list[other].is_dynamic => {
                let body = &movers.list[other];
                let place = if before { body.start } else { body.place };
                for part in movers.parts_of(other) {
                    add(part.at(place));
                }
            }
            _ => {
                let shift = match self.lists.moved_slots.get(&below) {
                    Some(&moved) if before => self.lists.moved[moved as usize].shift,
                    _ => Vec3::ZERO,
                };
                let region = around.moved(shift).grown(GAP * 2.0);
                self.boxes
                    .parts_touching(below, &region, |there| add(there.moved(-shift)));
            }
        }
        area
    }

    /// Lets the velocities of bodies count from those of what takes them along at the end of the frame.
    pub(super) fn end_rides(&mut self) {
        if self.lists.moved.is_empty() && self.lists.movers.linked.is_empty() {
            return;
        }
        let Some(down) = self.down_axis() else {
            for mover in &mut self.lists.movers.list {
                if let Some(ride) = mover.ride {
                    mover.count_from(ride.velocity, 0);
                }
            }
            return;
        };
        // From the ground up: a body rides only as long as its support does. The groups keep their own order.
        let lists = &mut *self.lists;
        let mut upwards = std::mem::take(&mut lists.upwards);
        upwards.clear();
        upwards.extend(0..lists.outcomes.len() as u32);
        let (movers, members) = (&lists.movers.list, &lists.groups.members);
        upwards.sort_unstable_by_key(|&at| {
            let mover = &movers[members[at as usize] as usize];
            (mover.height(self.down), mover.entity.index())
        });
        for &at in &upwards {
            let number = self.lists.groups.members[at as usize];
            self.end_ride(number as usize, self.lists.outcomes[at as usize], down);
        }
        self.lists.upwards = upwards;
        for mover in &mut self.lists.movers.list {
            if let (Some(ride), false) = (mover.ride, mover.collides) {
                mover.count_from(ride.velocity, 0);
            }
        }
    }

    fn end_ride(&mut self, number: usize, outcome: Outcome, down: (usize, f32)) {
        let mover = &self.lists.movers.list[number];
        let Some(ride) = mover.ride else {
            if let Some(carrier) = self.landed_on(number, outcome.ground, down) {
                let mover = &mut self.lists.movers.list[number];
                mover.count_from(carrier, ALL_AXES);
            }
            return;
        };
        let stays = match ride.on {
            None => true,
            Some(slot) => {
                self.still_rides(slot) && self.shared_face(number, slot, down, false) > 0.0
            }
        };
        let mover = &mut self.lists.movers.list[number];
        match stays {
            true => mover.count_from(ride.velocity, outcome.hit_axes),
            // It keeps the velocity that it has in the world.
            false => mover.ride = None,
        }
    }

    /// Whether what carries a body does so still.
    fn still_rides(&self, slot: Slot) -> bool {
        let movers = &self.lists.movers;
        match movers.of_slot(slot) {
            Some(below) if movers.list[below].is_dynamic => movers.list[below].ride.is_some(),
            _ => true,
        }
    }

    /// The velocity of the carrier on which a body has come to stand in this frame.
    fn landed_on(
        &self,
        number: usize,
        ground: Option<Slot>,
        (axis, sign): (usize, f32),
    ) -> Option<Vec3> {
        let on = ground?;
        let movers = &self.lists.movers;
        let velocity = match movers.of_slot(on) {
            // Bodies end their rides from the ground up, so this one has ended its own.
            Some(below) if movers.list[below].is_dynamic => movers.list[below].carried,
            _ => {
                let moved = *self.lists.moved_slots.get(&on)?;
                let place = movers.list[number].place;
                self.lists.moved[moved as usize].shift_at(place) / self.seconds
            }
        };
        let lands =
            velocity != Vec3::ZERO && self.shared_face(number, on, (axis, sign), false) > 0.0;
        lands.then_some(velocity)
    }
}

impl Mover {
    /// Lets it keep its velocity in the world when nothing carries it any longer.
    fn keep_carried(&mut self) {
        if self.carried != Vec3::ZERO {
            self.velocity += self.carried;
        }
    }

    /// Makes its velocity relative to that of its carrier. Along the axes in `met` something has changed its velocity, or it has just
    /// landed: there the part of its velocity that its carrier has too counts as the carrier's.
    fn count_from(&mut self, carrier: Vec3, met: u8) {
        let mut own = self.velocity - carrier;
        for axis in (0..3).filter(|axis| met & 1 << axis != 0) {
            // Without `min` and `max`, whose zeros may have either sign: results must not depend on optimization.
            let (low, high) = match carrier[axis] < 0.0 {
                true => (carrier[axis], 0.0),
                false => (0.0, carrier[axis]),
            };
            own[axis] = self.velocity[axis] - self.velocity[axis].clamp(low, high);
        }
        // The sum turns -0.0 into 0.0.
        (self.velocity, self.carried) = (own, carrier + Vec3::ZERO);
    }
}

//! How the velocities of a group of bodies change within a frame.
//!
//! Each body flies straight from one meeting to the next. The earliest meeting always comes first; of several at one moment
//! the lowest, and ids decide only exact ties. Two bodies that meet exchange one impulse with their true masses. It pushes and
//! never pulls, and it bounds the friction along the face. No exchange adds energy, so no number of them does.
//!
//! A body that does not bounce is *held* at what it met: along that axis the two move on as one. What is held from behind by
//! something that does not give way cannot give way itself; once it leaves, it is held no more.

use super::events::{Event, Other, rough};
use super::friction::{rub, rub_held};
use super::solid::{Frame, Ground, Hold, Solid, side_of};
use super::sweep::{Whose, meeting};
use crate::collide::boxes::Slot;
use crate::collide::positive;
use glam::Vec3;
use std::collections::BinaryHeap;

/// Meetings of one body in a frame, after which it bounces no more.
const MOST_BOUNCES: u8 = 8;
/// Meetings of one body in a frame, after which it ignores approaches shorter than `Frame::least_way`, so that forces among
/// several bodies settle.
const EXACT_HITS: u8 = 4;
/// Meetings of one body in a frame, after which only guarded sweeps stop it.
const MOST_HITS: u8 = 48;

/// An exchange between two colliders.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct Exchange {
    pub(super) slots: (Slot, Slot),
    pub(super) axis: usize,
    /// 1 if the second is ahead of the first along the axis, otherwise -1.
    pub(super) direction: f32,
    /// Newton seconds, along the axis.
    pub(super) impulse: f32,
    /// Metres per second, before.
    pub(super) approach: f32,
}

/// Lists that one group needs, kept from group to group.
#[derive(Default, Debug)]
pub(super) struct Scratch {
    pub(super) bodies: Vec<Solid>,
    events: BinaryHeap<Event>,
    changed: Vec<u32>,
    /// Bodies that push as one, and how often such a row was listed.
    pub(super) row: Vec<u32>,
    pub(super) rows: u32,
    pub(super) exchanges: Vec<Exchange>,
    pub(super) commit: super::commit::Scratch,
}

impl Scratch {
    /// Makes room for groups of `bodies` bodies in all.
    pub(super) fn reserve(&mut self, bodies: usize) {
        self.bodies
            .reserve(bodies.saturating_sub(self.bodies.len()));
        self.events
            .reserve((bodies * 4).saturating_sub(self.events.len()));
        for list in [&mut self.changed, &mut self.row] {
            list.reserve(bodies.saturating_sub(list.len()));
        }
        self.exchanges
            .reserve((bodies * 4).saturating_sub(self.exchanges.len()));
        self.commit.reserve(bodies);
    }
}

/// A group of bodies in flight.
pub(super) struct Flight<'a> {
    pub(super) bodies: &'a mut [Solid],
    pub(super) frame: &'a Frame<'a>,
    pub(super) scratch: &'a mut Scratch,
}

impl Flight<'_> {
    /// Lets all bodies of the group fly through the frame.
    pub(super) fn fly(&mut self) {
        self.scratch.events.clear();
        for body in 0..self.bodies.len() {
            self.predict(body);
        }
        while let Some(event) = self.scratch.events.pop() {
            let body = event.body as usize;
            if self.bodies[body].stamp != event.stamps.0 {
                continue;
            }
            if let Other::Body { number, .. } = event.other
                && self.bodies[number as usize].stamp != event.stamps.1
            {
                self.predict(body);
                continue;
            }
            self.meet(&event);
            self.go_on(event.time);
        }
    }

    /// Finds the next meeting of a body.
    fn predict(&mut self, number: usize) {
        let frame = self.frame;
        let body = &self.bodies[number];
        if body.hits >= MOST_HITS {
            return;
        }
        let mut first: Option<Event> = None;
        let mut consider = |event: Event| {
            if first.as_ref().is_none_or(|known| event > *known) {
                first = Some(event);
            }
        };
        let left = frame.seconds - body.time;
        let way = body.chord * left;
        for (part, placed) in frame.parts_of(body).iter().enumerate() {
            let here = placed.at(body.at);
            let swept = here.merged(&here.moved(way));
            for (at, obstacle) in frame.obstacles_of(body).iter().enumerate() {
                let (mut other, mut relative) = (obstacle.aabb, way);
                if let Whose::Moved(moved) = obstacle.whose {
                    if body.inverse_mass == 0.0 || matches!(obstacle.side, Some((_, 0.0))) {
                        continue;
                    }
                    let shift = frame.moved[moved as usize].shift;
                    let share_left = left / frame.seconds;
                    other = other.moved(-shift * share_left);
                    relative -= shift * share_left;
                    let swept = here.merged(&here.moved(relative));
                    if !swept.touches(&other) {
                        continue;
                    }
                } else if !swept.touches(&other) {
                    continue;
                }
                let met = meeting(&here, relative, &other, obstacle.side, frame.manner());
                let Some((share, axis)) = met else { continue };
                consider(Event {
                    time: body.time + share as f32 * left,
                    height: body.height,
                    rough: rough(obstacle.friction, obstacle.restitution),
                    ids: (body.id, obstacle.slot),
                    body: number as u32,
                    part: part as u32,
                    other: Other::Obstacle(at as u32),
                    axis,
                    direction: 1.0_f32.copysign(relative[axis]),
                    stamps: (body.stamp, 0),
                });
            }
            for &neighbor in frame.neighbors_of(body) {
                let other = &self.bodies[neighbor as usize];
                let from = body.time.max(other.time);
                let left = frame.seconds - from;
                let relative = (body.chord - other.chord) * left;
                if relative == Vec3::ZERO {
                    continue;
                }
                let here = placed.at(body.at + body.chord * (from - body.time));
                let swept = here.merged(&here.moved(relative));
                let there = other.at + other.chord * (from - other.time);
                for (other_part, other_placed) in frame.parts_of(other).iter().enumerate() {
                    let aabb = other_placed.at(there);
                    if !swept.touches(&aabb)
                        || !frame.layers.do_meet(placed.layer, other_placed.layer)
                    {
                        continue;
                    }
                    let Some((share, axis)) = meeting(&here, relative, &aabb, None, frame.manner())
                    else {
                        continue;
                    };
                    if body.hits >= EXACT_HITS && relative[axis].abs() < frame.least_way {
                        continue;
                    }
                    consider(Event {
                        time: from + share as f32 * left,
                        height: body.height.min(other.height),
                        rough: rough(
                            body.friction.max(other.friction),
                            body.restitution.max(other.restitution),
                        ),
                        ids: (body.id.min(other.id), body.id.max(other.id)),
                        body: number as u32,
                        part: part as u32,
                        other: Other::Body {
                            number: neighbor,
                            part: other_part as u32,
                        },
                        axis,
                        direction: 1.0_f32.copysign(relative[axis]),
                        stamps: (body.stamp, other.stamp),
                    });
                }
            }
        }
        if let Some(event) = first {
            self.scratch.events.push(event);
        }
    }

    /// Brings a body to a moment at which it meets something.
    pub(super) fn come_to(&mut self, number: usize, time: f32) {
        self.touch(number, time);
        let body = &mut self.bodies[number];
        body.hits = body.hits.saturating_add(1);
    }

    /// Brings a body to a moment, and notes that it flies on otherwise.
    pub(super) fn touch(&mut self, number: usize, time: f32) {
        let body = &mut self.bodies[number];
        if !body.is_changed {
            body.is_changed = true;
            body.come_to(time);
            self.scratch.changed.push(number as u32);
        }
    }

    /// Lets all that have changed fly on from a moment.
    fn go_on(&mut self, time: f32) {
        let mut changed = std::mem::take(&mut self.scratch.changed);
        for &number in &changed {
            let body = &mut self.bodies[number as usize];
            body.stamp += 1;
            body.is_changed = false;
            body.set_chord(self.frame.seconds - time);
        }
        for &number in &changed {
            self.predict(number as usize);
        }
        changed.clear();
        self.scratch.changed = changed;
    }

    fn meet(&mut self, event: &Event) {
        let body = event.body as usize;
        self.come_to(body, event.time);
        match event.other {
            Other::Obstacle(obstacle) => self.meet_obstacle(body, event, obstacle as usize),
            Other::Body { number, part } => {
                let other = number as usize;
                self.come_to(other, event.time);
                let frame = self.frame;
                let (own, theirs) = (
                    frame.parts_of(&self.bodies[body])[event.part as usize],
                    frame.parts_of(&self.bodies[other])[part as usize],
                );
                let slots = (own.slot, theirs.slot);
                self.meet_body(body, other, event, slots);
            }
        }
    }

    /// A body meets what does not give way. The impulse is m (1 + e) u for an approach of speed u and a restitution e, and
    /// along the face it is at most the friction times as much (Coulomb).
    fn meet_obstacle(&mut self, number: usize, event: &Event, obstacle: usize) {
        let frame = self.frame;
        let axis = event.axis;
        let body = &mut self.bodies[number];
        let obstacle = frame.obstacles_of(body)[obstacle];
        let surface = frame.surface_velocity(&obstacle);
        let direction = event.direction;
        let part = frame.parts_of(body)[event.part as usize];
        if obstacle.whose == Whose::Still {
            body.snap(&part, axis, direction, &obstacle.aabb);
        }
        // A body thrown up and back within one frame lands as fast as it left.
        let approach = ((body.velocity[axis] - surface[axis]) * direction).abs();
        let restitution = match body.hits < MOST_BOUNCES {
            true => body.restitution.max(obstacle.restitution),
            false => 0.0,
        };
        let friction = body.friction.max(obstacle.friction);
        let bounce = bounce(restitution, approach, frame.rest_speed);
        let mut speed = 0.0;
        if Some(obstacle.slot) != body.carrier {
            body.hit_axes |= 1 << axis;
        }
        if approach > 0.0 {
            body.velocity[axis] = surface[axis] - direction * bounce;
            speed = approach + bounce;
            let mut along = body.velocity - surface;
            along[axis] = 0.0;
            body.velocity -= along.clamp_length_max(friction * speed);
        }
        if bounce == 0.0 {
            body.velocity[axis] = surface[axis];
            body.holds[side_of(axis, direction)] = Hold::At {
                velocity: surface[axis],
                on: obstacle.slot,
                ground: Ground::Face { surface, friction },
                grip: 0.0,
                along: Vec3::ZERO,
            };
            let pull = body.pull[axis] * direction;
            let left = frame.seconds - event.time;
            if pull > 0.0 {
                body.pull[axis] = 0.0;
                speed += pull * left;
                if body.rub(axis, surface, friction * pull, left) {
                    body.note_grip(axis, direction, friction);
                }
            }
        }
        let mut impulse = speed / body.inverse_mass;
        if approach > 0.0 && bounce == 0.0 {
            // What pushes it from behind stops with it.
            impulse += self.stop_row(number, axis, direction, surface[axis]);
        }
        if speed > 0.0 {
            self.scratch.exchanges.push(Exchange {
                slots: (part.slot, obstacle.slot),
                axis,
                direction,
                impulse,
                approach,
            });
        }
    }

    /// Two bodies meet along an axis, the second ahead of the first, as elastic as the more elastic and as rough as the
    /// rougher of the two. The impulse is (1 + e) u / (1/m₁ + 1/m₂) for an approach of speed u and a restitution e. What is
    /// held from behind counts as part of what holds it; along the face every body has its own mass.
    fn meet_body(&mut self, a: usize, b: usize, event: &Event, slots: (Slot, Slot)) {
        let frame = self.frame;
        let (axis, direction) = (event.axis, event.direction);
        let held = (
            self.bodies[a].is_held(axis, -direction),
            self.bodies[b].is_held(axis, direction),
        );
        let [own, other] = self
            .bodies
            .get_disjoint_mut([a, b])
            .expect("no body meets itself");
        let masses = (own.inverse_mass, other.inverse_mass);
        let give = match (held, masses) {
            ((true, true), _) | (_, (0.0, 0.0)) => return,
            ((true, false), (_, m)) => (0.0, m),
            ((false, true), (m, _)) => (m, 0.0),
            ((false, false), masses) => masses,
        };
        let both = give.0 + give.1;
        if both == 0.0 {
            return;
        }
        if own.carrier != Some(slots.1) {
            own.hit_axes |= 1 << axis;
        }
        if other.carrier != Some(slots.0) {
            other.hit_axes |= 1 << axis;
        }
        let restitution = match own.hits.max(other.hits) < MOST_BOUNCES {
            true => own.restitution.max(other.restitution),
            false => 0.0,
        };
        let friction = own.friction.max(other.friction);
        let mut approach = (own.velocity - other.velocity)[axis] * direction;
        if approach < 0.0 {
            // A body thrown up and back within one frame lands as fast as it left.
            own.velocity[axis] -= 2.0 * direction * approach * give.0 / both;
            other.velocity[axis] += 2.0 * direction * approach * give.1 / both;
            approach = (own.velocity - other.velocity)[axis] * direction;
        }
        let bounce = bounce(restitution, approach, frame.rest_speed);
        let mut impulse = 0.0;
        if approach > 0.0 {
            impulse = (approach + bounce) / both;
            if bounce == 0.0 {
                impulse = self.push_row(a, b, axis, direction, give);
            } else {
                own.velocity[axis] -= direction * impulse * give.0;
                other.velocity[axis] += direction * impulse * give.1;
            }
            let [own, other] = self
                .bodies
                .get_disjoint_mut([a, b])
                .expect("no body meets itself");
            // What rests on a rougher face does not give way along it either.
            let along_masses = (
                if give.0 == 0.0 && own.grip(axis, -direction) >= friction {
                    0.0
                } else {
                    masses.0
                },
                if give.1 == 0.0 && other.grip(axis, direction) >= friction {
                    0.0
                } else {
                    masses.1
                },
            );
            let mut along = own.velocity - other.velocity;
            along[axis] = 0.0;
            let both = along_masses.0 + along_masses.1;
            if friction > 0.0 && both > 0.0 {
                let grip = (along / both).clamp_length_max(friction * impulse);
                own.velocity -= grip * along_masses.0;
                other.velocity += grip * along_masses.1;
            }
        }
        let [own, other] = self
            .bodies
            .get_disjoint_mut([a, b])
            .expect("no body meets itself");
        let mut weight = 0.0;
        if bounce == 0.0 && approach >= 0.0 {
            // To the bit, so that they do not meet again.
            match give.1 == 0.0 {
                true => own.velocity[axis] = other.velocity[axis],
                false => other.velocity[axis] = own.velocity[axis],
            }
            let left = frame.seconds - own.time;
            let pull = (own.pull - other.pull)[axis] * direction;
            if pull > 0.0 {
                weight = pull / both;
                impulse += weight * left;
                own.pull[axis] -= direction * weight * give.0;
                match give.1 == 0.0 {
                    true => own.pull[axis] = other.pull[axis],
                    false => other.pull[axis] = own.pull[axis],
                }
            }
            let velocity = own.velocity[axis];
            if give.1 == 0.0 {
                own.hold_by(b, axis, direction, velocity, friction, slots.1);
                rub_held(own, other, axis, direction, friction, weight, left);
            } else if give.0 == 0.0 {
                other.hold_by(a, axis, -direction, velocity, friction, slots.0);
                rub_held(other, own, axis, -direction, friction, weight, left);
            } else {
                rub(own, other, axis, friction * weight, left);
            }
        }
        if impulse > 0.0 {
            self.scratch.exchanges.push(Exchange {
                slots,
                axis,
                direction,
                impulse,
                approach: positive(approach),
            });
        }
        if weight > 0.0 && give.1 == 0.0 {
            self.load(b, axis, direction, weight);
        } else if weight > 0.0 && give.0 == 0.0 {
            self.load(a, axis, -direction, weight);
        }
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

//! Colliders that met in a frame and were apart again at its end.

use super::Step;
use super::mover::meet;
use super::near::slimmest;
use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::boxes::{Slot, TREES};
use crate::collide::impact::Passage;
use crate::collide::threads::Threads;
use crate::store::Entity;
use fixedbitset::FixedBitSet;
use glam::Vec3;

/// A move of at most this share of a body's size passes no box entirely: at the end of some frame it overlaps
/// each box in its path.
const SLOW_SHARE: f32 = 0.25;

/// Two colliders that met while bodies moved: a global through which motion hands them to the search for contacts.
#[derive(Default, Debug)]
pub(in crate::collide) struct Meetings {
    pub(in crate::collide) list: Vec<Meeting>,
    /// By the index of the entity: the bodies that motion looked at.
    pub(in crate::collide) awake: FixedBitSet,
    /// The threads that search for contacts.
    pub(in crate::collide) threads: Threads,
}

/// Two colliders that met.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(in crate::collide) struct Meeting {
    /// By id, the lesser first: a slot may belong to another entity by the time contacts are found.
    pub(in crate::collide) pair: (Entity, Entity),
    /// From the first towards the second.
    pub(in crate::collide) normal: Vec3,
    pub(in crate::collide) is_sensor: bool,
    pub(in crate::collide) impulse: f32,
    pub(in crate::collide) approach: f32,
    /// Whether it counts as a contact even if the two do not touch at the end of the frame.
    pub(in crate::collide) is_hit: bool,
}

impl Meetings {
    pub(in crate::collide) fn clear(&mut self) {
        self.list.clear();
        self.awake.clear();
    }

    /// Notes that motion looked at a body in this frame.
    pub(super) fn note_awake(&mut self, body: Entity) {
        self.awake.grow_and_insert(body.index() as usize);
    }

    /// Orders the meetings by pair and makes one of several of the same two: their impulses add up.
    pub(in crate::collide) fn order(&mut self) {
        self.list.sort_unstable_by(|a, b| {
            let by_pair = a.pair.cmp(&b.pair);
            let by_speed = b.approach.total_cmp(&a.approach);
            by_pair.then(by_speed).then(b.impulse.total_cmp(&a.impulse))
        });
        self.list.dedup_by(|next, first| {
            let is_same = next.pair == first.pair;
            if is_same {
                first.impulse += next.impulse;
                if next.approach > first.approach {
                    (first.approach, first.normal) = (next.approach, next.normal);
                }
                first.is_hit |= next.is_hit;
            }
            is_same
        });
    }

    /// The meeting of a pair, once all are in order: the sum of the impulses, and the greatest speed of approach.
    pub(in crate::collide) fn of(&self, pair: (Entity, Entity)) -> Option<&Meeting> {
        let found = self
            .list
            .binary_search_by_key(&pair, |meeting| meeting.pair);
        found.ok().map(|at| &self.list[at])
    }

    /// Whether no body was awake in this frame, and none has met another.
    pub(in crate::collide) fn is_empty(&self) -> bool {
        self.list.is_empty() && self.awake.is_clear()
    }

    /// Whether motion looked at one of two bodies in this frame.
    pub(in crate::collide) fn is_awake(&self, (a, b): (Entity, Entity)) -> bool {
        let awake = |entity: Entity| self.awake.contains(entity.index() as usize);
        awake(a) || awake(b)
    }
}

impl Step<'_, '_> {
    /// Notes what has exchanged an impulse. What was at rest on each other and parts is no hit.
    pub(super) fn note_exchanges(&mut self) {
        let exchanges = self.lists.scratches.iter();
        for exchange in exchanges.flat_map(|scratch| &scratch.exchanges) {
            let normal = Vec3::AXES[exchange.axis] * exchange.direction;
            let meeting = Meeting {
                impulse: exchange.impulse,
                approach: exchange.approach,
                is_hit: exchange.approach > self.rest_speed,
                ..self.meeting(exchange.slots, normal)
            };
            self.meetings.list.push(meeting);
        }
    }

    fn meeting(&self, (first, second): (Slot, Slot), normal: Vec3) -> Meeting {
        let (a, b) = (self.boxes.item(first), self.boxes.item(second));
        let is_in_order = a.entity < b.entity;
        Meeting {
            pair: match is_in_order {
                true => (a.entity, b.entity),
                false => (b.entity, a.entity),
            },
            normal: if is_in_order { normal } else { -normal },
            is_sensor: a.is_sensor || b.is_sensor,
            impulse: 0.0,
            approach: 0.0,
            is_hit: true,
        }
    }

    /// Notes the sensors that fast bodies have passed, and the obstacles that kinematic ones have crossed. A slower body overlaps what
    /// it passes at the end of some frame.
    pub(super) fn note_passed(&mut self) {
        let mut passed = Vec::new();
        let surroundings = self.surroundings();
        for number in 0..self.lists.movers.list.len() {
            let mover = &self.lists.movers.list[number];
            let shift = mover.displacement();
            let parts = self.lists.movers.parts_of(number);
            let (Some(own), false) = (mover.slot, parts.is_empty()) else {
                continue;
            };
            if (shift.abs() / slimmest(parts)).max_element() <= SLOW_SHARE {
                continue;
            }
            let region = mover.start_box.merged(&mover.start_box.moved(shift));
            let is_sensor = self.boxes.item(own).is_sensor;
            let mut look = |slot: Slot| {
                let item = self.boxes.item(slot);
                let passes = is_sensor
                    || item.is_sensor
                    || (!mover.is_dynamic && item.motion != Motion::Dynamic);
                let meets = meet(parts, item.layer, self.layers);
                if slot == own || !passes || !meets || surroundings.hangs_below(item.entity, mover)
                {
                    return;
                }
                let other = self.lists.movers.of_slot(slot);
                let their_shift = other.map_or(Vec3::ZERO, |other| {
                    self.lists.movers.list[other].displacement()
                });
                let way = shift - their_shift;
                self.boxes.parts_touching(slot, &region, |theirs| {
                    for part in parts {
                        if let Some(normal) = passing(&part.at(mover.start), way, &theirs) {
                            passed.push(self.meeting((own, slot), normal));
                        }
                    }
                });
            };
            for tree in 0..TREES {
                self.boxes.tree(tree).touching(&region, &mut look);
            }
        }
        self.meetings.list.extend(passed);
    }
}

/// The normal from a moving box towards one that it comes to within its way, and does not begin in.
fn passing(moving: &Aabb, way: Vec3, other: &Aabb) -> Option<Vec3> {
    let passage = Passage::of(moving, way, other)?;
    let meets = passage.is_straight() && passage.goes_through();
    (meets && (0.0..=1.0).contains(&passage.enter)).then(|| -Passage::normal(passage.entered, way))
}

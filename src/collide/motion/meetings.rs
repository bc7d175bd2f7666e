//! Colliders that met in a frame and were apart again at its end.

use super::Step;
use super::advance::{SLOW_SHARE, slimmest};
use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::boxes::{Slot, TREES};
use crate::collide::impact::Passage;
use crate::store::Entity;
use glam::Vec3;

/// Two colliders that met while bodies moved: a global through which motion hands them to the search for contacts. Those that
/// still touch at the end of the frame are found there anyway.
#[derive(Default, Debug)]
pub(in crate::collide) struct Meetings(pub(in crate::collide) Vec<Meeting>);

/// Two colliders that met.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(in crate::collide) struct Meeting {
    /// By id: a slot may belong to another entity by the time contacts are found.
    pub(in crate::collide) first: Entity,
    pub(in crate::collide) second: Entity,
    /// From the first towards the second.
    pub(in crate::collide) normal: Vec3,
    pub(in crate::collide) is_sensor: bool,
}

impl Step<'_, '_> {
    /// Notes that a body has struck something along an axis. A body at rest on something is not noted: it is in contact
    /// at the end of the frame.
    pub(super) fn note_hit(
        &mut self,
        number: usize,
        other: Option<Slot>,
        (axis, direction): (usize, f32),
        approach: f32,
    ) {
        let own = self.lists.movers.list[number].slot;
        if let (Some(own), Some(other), true) = (own, other, approach > self.rest_speed) {
            let meeting = self.meeting((own, other), Vec3::AXES[axis] * direction);
            self.meetings.0.push(meeting);
        }
    }

    fn meeting(&self, (first, second): (Slot, Slot), normal: Vec3) -> Meeting {
        let (a, b) = (self.boxes.item(first), self.boxes.item(second));
        Meeting {
            first: a.entity,
            second: b.entity,
            normal,
            is_sensor: a.is_sensor || b.is_sensor,
        }
    }

    /// Notes the sensors that fast bodies have passed, and the obstacles that kinematic ones have crossed. A slower body overlaps what
    /// it passes at the end of some frame.
    pub(super) fn note_passed(&mut self) {
        let mut passed = Vec::new();
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
                let meets = self.layers.do_meet(mover.layer, item.layer);
                if slot == own || !passes || !meets || self.hangs_below(item.entity, mover) {
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
        self.meetings.0.extend(passed);
    }
}

/// The normal from a moving box towards one that it comes to within its way, and does not begin in.
fn passing(moving: &Aabb, way: Vec3, other: &Aabb) -> Option<Vec3> {
    let passage = Passage::of(moving, way, other)?;
    let meets = passage.is_straight() && passage.goes_through();
    (meets && (0.0..=1.0).contains(&passage.enter)).then(|| -Passage::normal(passage.entered, way))
}

//! What stands around a body: the boxes at which it stops.

use super::Step;
use super::mover::{Knowledge, Mover};
use super::sweep::{Obstacle, around};
use crate::collide::aabb::Aabb;
use crate::collide::boxes::Slot;
use crate::store::Entity;
use glam::Vec3;

/// How far around a body, as a share of its size, obstacles are known beforehand, so that small corrections need not look again.
const ROOM: f32 = 0.25;

impl Step<'_, '_> {
    /// Sees to it that all obstacles of a body on a way from where it is are listed.
    pub(super) fn know_obstacles(&mut self, number: usize, way: Vec3, with_bodies: bool) {
        let mover = &self.lists.movers.list[number];
        let here = around(self.lists.movers.parts_of(number), mover.place);
        let needed = here.merged(&here.moved(way)).merged(&mover.aabb);
        let is_known = !with_bodies
            && mover.knowledge == Knowledge::Walls
            && mover.region.min.cmple(needed.min).all()
            && needed.max.cmple(mover.region.max).all();
        if !is_known {
            let room = room(&needed).min(room(&mover.start_box));
            self.list_obstacles(number, needed.grown(room), with_bodies);
        }
    }

    /// Lists all boxes in a region at which a body stops. What hangs below it goes with it and is no obstacle.
    pub(super) fn list_obstacles(&mut self, number: usize, region: Aabb, with_bodies: bool) {
        let mut obstacles = std::mem::take(&mut self.lists.movers.obstacles);
        let mover = &self.lists.movers.list[number];
        if mover.obstacles.end == obstacles.len() {
            // Its former list is the last one: a fast body makes a list for each of its steps.
            obstacles.truncate(mover.obstacles.start);
        }
        let start = obstacles.len();
        let boxes = &*self.boxes;
        let mut list = |slot: Slot| {
            let item = boxes.item(slot);
            let meets = !item.is_sensor && self.layers.do_meet(mover.layer, item.layer);
            if meets && item.entity != mover.entity && !self.hangs_below(item.entity, mover) {
                boxes.parts_touching(slot, &region, |aabb| {
                    obstacles.push(Obstacle { aabb, slot })
                });
            }
        };
        boxes.obstacles_near(&region, &mut list);
        if with_bodies {
            self.list_bodies(number, &region, &mut obstacles);
        }
        let mover = &mut self.lists.movers.list[number];
        // An empty list lies nowhere: its place may be gone when others are cut off.
        mover.obstacles = match obstacles.len() == start {
            true => 0..0,
            false => start..obstacles.len(),
        };
        mover.region = region;
        mover.knowledge = match with_bodies {
            true => Knowledge::WallsAndBodies,
            false => Knowledge::Walls,
        };
        self.lists.movers.obstacles = obstacles;
    }

    /// Adds the dynamic bodies in a region, where they are now.
    fn list_bodies(&self, number: usize, region: &Aabb, obstacles: &mut Vec<Obstacle>) {
        let movers = &self.lists.movers;
        let mover = &movers.list[number];
        self.lists.ways.touching(region, |slot| {
            let Some(other) = movers.of_slot(slot).filter(|&other| other != number) else {
                return;
            };
            let body = &movers.list[other];
            if !self.layers.do_meet(mover.layer, body.layer) || self.are_linked(mover, body) {
                return;
            }
            let boxes = movers
                .parts_of(other)
                .iter()
                .map(|part| part.at(body.place));
            obstacles.extend(
                boxes
                    .filter(|aabb| aabb.touches(region))
                    .map(|aabb| Obstacle { aabb, slot }),
            );
        });
    }

    /// Whether an entity is below a body.
    pub(super) fn hangs_below(&self, entity: Entity, mover: &Mover) -> bool {
        mover.has_children && self.above(entity).any(|above| above == mover.entity)
    }

    /// Whether one of two bodies is below the other.
    pub(super) fn are_linked(&self, a: &Mover, b: &Mover) -> bool {
        self.hangs_below(b.entity, a) || self.hangs_below(a.entity, b)
    }
}

/// How much more than its way is looked at around a body.
pub(super) fn room(aabb: &Aabb) -> f32 {
    aabb.size().min_element() * ROOM
}

//! Finds the boxes around the way of a body. It only reads, so several threads may do so at once.

use super::above;
use super::kinematic::Moved;
use super::mover::{Mover, Movers, meet};
use super::near::room;
use super::sweep::{Obstacle, Whose};
use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::boxes::{Boxes, Slot};
use crate::collide::contacts::least_axis;
use crate::collide::layers::Layers;
use crate::collide::tree::BoxTree;
use crate::space::LinkNode;
use crate::store::{Entity, Rows};
use glam::Vec3;
use rustc_hash::FxHashMap;
use std::ops::Range;

/// The share of its size, and that of a box that moves through everything, from which on a body is deep in it: it stays where
/// it is along that axis, and comes out on no other side than the one that it is near to.
const DEEP_SHARE: f32 = 0.1;

/// The views of some bodies; the lists are kept from frame to frame.
#[derive(Default, Debug)]
pub(super) struct View {
    pub(super) sights: Vec<Sight>,
    pub(super) obstacles: Vec<Obstacle>,
}

/// The view of one body.
#[derive(Debug)]
pub(super) struct Sight {
    /// The number of the body.
    pub(super) number: u32,
    pub(super) region: Aabb,
    /// Among those of the view.
    pub(super) obstacles: Range<usize>,
    /// Whether it is in one of them.
    pub(super) is_in: bool,
}

/// Everything that a body may meet except other dynamic bodies.
#[derive(Clone, Copy)]
pub(super) struct Surroundings<'s, 'w> {
    pub(super) movers: &'s Movers,
    pub(super) boxes: &'s Boxes,
    pub(super) layers: &'s Layers,
    pub(super) links: &'s Rows<'w, &'static LinkNode>,
    pub(super) moved: &'s [Moved],
    pub(super) moved_slots: &'s FxHashMap<Slot, u32>,
    pub(super) pushers: &'s BoxTree,
    pub(super) seconds: f32,
    pub(super) most_restitution: f32,
    pub(super) most_obstacles: usize,
}

impl Surroundings<'_, '_> {
    /// Looks around some of the bodies that collide.
    pub(super) fn look_around(&self, numbers: Range<usize>, view: &mut View) {
        view.sights.clear();
        view.obstacles.clear();
        for at in numbers {
            if view.obstacles.len() > self.most_obstacles {
                return;
            }
            let number = self.movers.colliding[at] as usize;
            let region = self.first_region(number);
            let start = view.obstacles.len();
            self.list_obstacles(number, &region, &mut view.obstacles);
            let is_in = view.obstacles[start..]
                .iter()
                .any(|obstacle| obstacle.side.is_some());
            view.sights.push(Sight {
                number: number as u32,
                region,
                obstacles: start..view.obstacles.len(),
                is_in,
            });
        }
    }

    /// Where a body may go by itself, or pushed by what moves through everything.
    pub(super) fn first_region(&self, number: usize) -> Aabb {
        let mover = &self.movers.list[number];
        let here = mover.aabb;
        let mut region = way_region(
            &here,
            mover.velocity,
            mover.pull,
            self.seconds,
            self.most_restitution,
        );
        if !self.moved.is_empty() {
            let mut pushed = region;
            self.pushers.touching(&region, |slot| {
                if let Some(&moved) = self.moved_slots.get(&slot) {
                    let shift = self.moved[moved as usize].shift;
                    let most = shift * (1.0 + self.most_restitution);
                    pushed = pushed.merged(&here.moved(most));
                }
            });
            region = pushed;
        }
        region.grown(room(&here))
    }

    /// Lists all boxes in a region at which a body stops. What hangs below it goes with it and is no obstacle.
    pub(super) fn list_obstacles(
        &self,
        number: usize,
        region: &Aabb,
        obstacles: &mut Vec<Obstacle>,
    ) {
        let mover = &self.movers.list[number];
        let boxes = self.boxes;
        let parts = self.movers.parts_of(number);
        let any_moved = !self.moved.is_empty();
        let mut list = |slot: Slot, whose: Whose, region: &Aabb| {
            let item = boxes.item(slot);
            let meets = !item.is_sensor
                && item.entity != mover.entity
                && meet(parts, item.layer, self.layers);
            if !meets || self.hangs_below(item.entity, mover) || self.is_part(slot) {
                return;
            }
            boxes.parts_touching(slot, region, |aabb| {
                obstacles.push(Obstacle {
                    aabb,
                    slot,
                    whose,
                    side: self.side(number, slot, &aabb, whose),
                    restitution: 0.0,
                    friction: 0.0,
                });
            });
        };
        boxes.obstacles_near(region, |slot| {
            if !any_moved || !self.moved_slots.contains_key(&slot) {
                list(slot, Whose::Still, region);
            }
        });
        if any_moved {
            self.pushers.touching(region, |slot| {
                if let Some(&moved) = self.moved_slots.get(&slot) {
                    let shift = self.moved[moved as usize].shift;
                    let swept = region.merged(&region.moved(shift));
                    list(slot, Whose::Moved(moved), &swept);
                }
            });
        }
    }

    /// Whether a box is a part of a dynamic body.
    fn is_part(&self, slot: Slot) -> bool {
        let movers = &self.movers;
        let number = movers.of_slot(slot);
        number.is_some_and(|number| movers.list[number].is_dynamic)
    }

    /// On which side of an obstacle a body is that overlaps it already: where it is least deep. In what moves through
    /// everything it may be too deep to belong to any side.
    fn side(&self, number: usize, slot: Slot, aabb: &Aabb, whose: Whose) -> Option<(usize, f32)> {
        let mover = &self.movers.list[number];
        let aabb = match whose {
            Whose::Moved(moved) => aabb.moved(-self.moved[moved as usize].shift),
            _ => *aabb,
        };
        if !mover.aabb.overlaps(&aabb) {
            return None;
        }
        let parts = self.movers.parts_of(number);
        let here = parts
            .iter()
            .map(|part| part.at(mover.place))
            .find(|here| here.overlaps(&aabb))?;
        let depth = here.depth(&aabb);
        let axis = least_axis(depth);
        let both = here.size()[axis] + aabb.size()[axis];
        let passes = whose != Whose::Still || self.boxes.item(slot).motion == Motion::Kinematic;
        if passes && depth[axis] > both * DEEP_SHARE {
            return Some((axis, 0.0));
        }
        Some((axis, (aabb.center() - here.center())[axis]))
    }

    /// Whether two bodies may meet: by their layers, and because neither is below the other.
    pub(super) fn do_meet(&self, a: usize, b: usize) -> bool {
        let (own, others) = (self.movers.parts_of(a), self.movers.parts_of(b));
        let (a, b) = (&self.movers.list[a], &self.movers.list[b]);
        own.iter().any(|part| meet(others, part.layer, self.layers))
            && !self.hangs_below(b.entity, a)
            && !self.hangs_below(a.entity, b)
    }

    /// Whether an entity is below a body.
    pub(super) fn hangs_below(&self, entity: Entity, mover: &Mover) -> bool {
        mover.has_children && above(self.links, entity).any(|above| above == mover.entity)
    }
}

/// Where a box goes within a frame, and to where it may be thrown back.
pub(super) fn way_region(
    here: &Aabb,
    velocity: Vec3,
    pull: Vec3,
    seconds: f32,
    most_restitution: f32,
) -> Aabb {
    let way = velocity * seconds + pull * (seconds * seconds / 2.0);
    let back = way * -most_restitution;
    here.merged(&here.moved(way)).merged(&here.moved(back))
}

/// A bit for each axis along which a body is too deep in something to move.
pub(super) fn pinned(obstacles: &[Obstacle]) -> u8 {
    obstacles
        .iter()
        .fold(0, |pinned, obstacle| match obstacle.side {
            Some((axis, 0.0)) => pinned | 1 << axis,
            _ => pinned,
        })
}

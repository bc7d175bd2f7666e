//! Lists the boxes around the ways of dynamic bodies, and the other bodies that they may meet.

use super::Step;
use super::mover::{Mover, Part, meet};
use super::push_out::nearest_free;
use super::sweep::{Obstacle, Whose, is_free};
use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::boxes::Slot;
use crate::collide::contacts::least_axis;
use crate::store::Entity;
use glam::Vec3;

/// The room around the way of a body that is searched, as a share of its size.
const ROOM: f32 = 1.0 / 16.0;
/// How many bodies in a row learn how far the first one may push them.
const MOST_PASSED_ON: usize = 6;
/// The share of its size, and that of a box that moves through everything, from which on a body is deep in it: it stays where
/// it is along that axis, and comes out on no other side than the one that it is near to.
const DEEP_SHARE: f32 = 0.1;
/// Rounds of the search for a free place, each one farther than the one before.
const ROUNDS_OUT: i32 = 2;

impl Step<'_, '_> {
    /// Lists for all dynamic bodies what takes them along, what is around their ways, and whom they may meet.
    pub(super) fn look_around(&mut self) {
        self.wake_by_boxes();
        self.gather_woken();
        self.find_rides();
        let mut from = 0;
        loop {
            for number in from..self.lists.movers.list.len() {
                if self.lists.movers.list[number].collides {
                    self.look_around_one(number);
                }
            }
            from = self.lists.movers.list.len();
            if !self.gather_woken() {
                break;
            }
        }
        self.know_ways();
        self.list_pairs();
        if self.widen() {
            // What reaches farther may reach what rests.
            while self.gather_woken() {
                for number in from..self.lists.movers.list.len() {
                    self.look_around_one(number);
                }
                from = self.lists.movers.list.len();
            }
            self.know_ways();
            self.list_pairs();
        }
    }

    fn look_around_one(&mut self, number: usize) {
        let region = self.first_region(number);
        self.reach(number, region);
        if self.push_out(number) {
            let region = self.first_region(number);
            self.reach(number, region);
        }
    }

    /// Lets a body reach all of a region in this frame.
    fn reach(&mut self, number: usize, region: Aabb) {
        self.lists.movers.list[number].region = region;
        self.list_obstacles(number, region);
        self.note_pinned(number);
        if !self.lists.resting.tree.is_empty() {
            self.lists.resting.wake_touched(&region, self.boxes);
        }
    }

    fn gather_woken(&mut self) -> bool {
        self.lists.gather_woken(
            self.rows,
            self.links,
            self.boxes,
            self.refused,
            self.gravity,
        )
    }

    /// Lets those groups wake that boxes come to which move through everything.
    fn wake_by_boxes(&mut self) {
        let lists = &mut *self.lists;
        for moved in &lists.moved {
            if let Some(swept) = lists.pushers.get(moved.slot) {
                lists.resting.wake_touched(&swept, self.boxes);
            }
        }
    }

    /// Where a body may go by itself, or pushed by what moves through everything.
    fn first_region(&self, number: usize) -> Aabb {
        let mover = &self.lists.movers.list[number];
        let here = mover.aabb;
        let way = mover.velocity * self.seconds + mover.pull * (self.seconds * self.seconds / 2.0);
        let back = way * -self.lists.most_restitution;
        let mut region = here.merged(&here.moved(way)).merged(&here.moved(back));
        if !self.lists.moved.is_empty() {
            let mut pushed = region;
            self.lists.pushers.touching(&region, |slot| {
                if let Some(&moved) = self.lists.moved_slots.get(&slot) {
                    let shift = self.lists.moved[moved as usize].shift;
                    let most = shift * (1.0 + self.lists.most_restitution);
                    pushed = pushed.merged(&here.moved(most));
                }
            });
            region = pushed;
        }
        region.grown(room(&here))
    }

    /// Lets bodies reach as far as those may push them that they may meet. Says whether any reaches farther than before.
    fn widen(&mut self) -> bool {
        let elastic = 1.0 + self.lists.most_restitution;
        let mut widened: Vec<usize> = Vec::new();
        for &(a, b) in &self.lists.pairs {
            // Those that were put into each other need room to part.
            let movers = &mut self.lists.movers.list;
            let depth = movers[a as usize].aabb.depth(&movers[b as usize].aabb);
            if depth.cmpgt(Vec3::ZERO).all() {
                for number in [a as usize, b as usize] {
                    let mover = &mut movers[number];
                    let size = mover.aabb.size().min_element();
                    let wanted = mover.aabb.grown(2.0 * depth.min_element() + size / 2.0);
                    mover.region = mover.region.merged(&wanted);
                    widened.push(number);
                }
            }
        }
        for _ in 0..MOST_PASSED_ON {
            let mut is_wider = false;
            for at in 0..self.lists.pairs.len() {
                let (a, b) = self.lists.pairs[at];
                for (own, other) in [(a, b), (b, a)] {
                    let movers = &self.lists.movers.list;
                    let (body, pushing) = (&movers[own as usize], &movers[other as usize]);
                    let both = body.inverse_mass + pushing.inverse_mass;
                    if body.inverse_mass == 0.0 {
                        continue;
                    }
                    let share = body.inverse_mass / both * elastic;
                    let here = &body.aabb;
                    let room = room(here);
                    // As far as the other's region reaches beyond its box.
                    let low = (pushing.region.min - pushing.aabb.min) * share.max(1.0);
                    let high = (pushing.region.max - pushing.aabb.max) * share.max(1.0);
                    let reach = Aabb {
                        min: here.min + low.min(Vec3::ZERO),
                        max: here.max + high.max(Vec3::ZERO),
                    };
                    let wanted = body.region.merged(&reach);
                    let more = (body.region.min - wanted.min).max(wanted.max - body.region.max);
                    if more.max_element() > room {
                        self.lists.movers.list[own as usize].region = wanted;
                        widened.push(own as usize);
                        is_wider = true;
                    }
                }
            }
            if !is_wider {
                break;
            }
        }
        widened.sort_unstable();
        widened.dedup();
        for &number in &widened {
            let region = self.lists.movers.list[number].region;
            self.reach(number, region);
        }
        !widened.is_empty()
    }

    /// Puts where each body may go into a tree.
    fn know_ways(&mut self) {
        let (movers, ways) = (&self.lists.movers, &mut self.lists.ways);
        for slot in self.lists.way_slots.drain(..) {
            let is_there = movers
                .of_slot(slot)
                .is_some_and(|number| movers.list[number].collides);
            if !is_there {
                ways.remove(slot);
            }
        }
        for mover in movers.list.iter().filter(|mover| mover.collides) {
            let Some(slot) = mover.slot else { continue };
            ways.set(slot, &mover.region);
            self.lists.way_slots.push(slot);
        }
        ways.update();
    }

    /// Lists all pairs of bodies that may meet in this frame.
    fn list_pairs(&mut self) {
        let mut pairs = std::mem::take(&mut self.lists.pairs);
        pairs.clear();
        let movers = &self.lists.movers;
        self.lists.ways.pairs(0.0, |a, b| {
            let (Some(a), Some(b)) = (movers.of_slot(a), movers.of_slot(b)) else {
                return;
            };
            let (own, others) = (movers.parts_of(a), movers.parts_of(b));
            let do_meet = own.iter().any(|part| meet(others, part.layer, self.layers));
            if do_meet && !self.are_linked(&movers.list[a], &movers.list[b]) {
                let index = |number: usize| movers.list[number].entity.index();
                let is_in_order = index(a) < index(b);
                let (a, b) = if is_in_order { (a, b) } else { (b, a) };
                pairs.push((a as u32, b as u32));
            }
        });
        // Sorted by id, because the tree lists pairs in an order that differs after a resume.
        let index = |number: u32| movers.list[number as usize].entity.index();
        pairs.sort_unstable_by_key(|&(a, b)| (index(a), index(b)));
        self.lists.pairs = pairs;
    }

    /// Lists all boxes in a region at which a body stops. What hangs below it goes with it and is no obstacle.
    fn list_obstacles(&mut self, number: usize, region: Aabb) {
        let mut obstacles = std::mem::take(&mut self.lists.movers.obstacles);
        let mover = &self.lists.movers.list[number];
        if mover.obstacles.end == obstacles.len() {
            obstacles.truncate(mover.obstacles.start);
        }
        let start = obstacles.len();
        let boxes = &*self.boxes;
        let parts = self.lists.movers.parts_of(number);
        let any_moved = !self.lists.moved.is_empty();
        let mut list = |slot: Slot, whose: Whose, region: &Aabb| {
            let item = boxes.item(slot);
            let meets = !item.is_sensor
                && item.entity != mover.entity
                && meet(parts, item.layer, self.layers);
            if !meets || self.hangs_below(item.entity, mover) || self.is_part(slot) {
                return;
            }
            let (restitution, friction) = self.surface(slot);
            boxes.parts_touching(slot, region, |aabb| {
                obstacles.push(Obstacle {
                    aabb,
                    slot,
                    whose,
                    side: self.side(number, slot, &aabb, whose),
                    restitution,
                    friction,
                });
            });
        };
        boxes.obstacles_near(&region, |slot| {
            if !any_moved || !self.lists.moved_slots.contains_key(&slot) {
                list(slot, Whose::Still, &region);
            }
        });
        if any_moved {
            self.lists.pushers.touching(&region, |slot| {
                if let Some(&moved) = self.lists.moved_slots.get(&slot) {
                    let shift = self.lists.moved[moved as usize].shift;
                    let swept = region.merged(&region.moved(shift));
                    list(slot, Whose::Moved(moved), &swept);
                }
            });
        }
        let mover = &mut self.lists.movers.list[number];
        // An empty list lies nowhere: its place may be gone when others are cut off.
        mover.obstacles = match obstacles.len() == start {
            true => 0..0,
            false => start..obstacles.len(),
        };
        self.lists.movers.obstacles = obstacles;
    }

    /// Whether a box is a part of a dynamic body.
    fn is_part(&self, slot: Slot) -> bool {
        let movers = &self.lists.movers;
        let number = movers.of_slot(slot);
        number.is_some_and(|number| movers.list[number].is_dynamic)
    }

    /// How elastic and how rough an obstacle is. What has no body is neither.
    fn surface(&self, slot: Slot) -> (f32, f32) {
        let item = self.boxes.item(slot);
        let body = item.has_body.then(|| self.rows.get(item.entity)).flatten();
        body.map_or((0.0, 0.0), |(_, _, body, ..)| {
            (body.restitution, body.friction)
        })
    }

    /// On which side of an obstacle a body is that overlaps it already: where it is least deep. In what moves through
    /// everything it may be too deep to belong to any side.
    fn side(&self, number: usize, slot: Slot, aabb: &Aabb, whose: Whose) -> Option<(usize, f32)> {
        let mover = &self.lists.movers.list[number];
        let aabb = match whose {
            Whose::Moved(moved) => aabb.moved(-self.lists.moved[moved as usize].shift),
            _ => *aabb,
        };
        if !mover.aabb.overlaps(&aabb) {
            return None;
        }
        let parts = self.lists.movers.parts_of(number);
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

    /// Notes along which axes a body is too deep in something to move.
    fn note_pinned(&mut self, number: usize) {
        let movers = &mut self.lists.movers;
        let mover = &mut movers.list[number];
        mover.pinned = 0;
        for obstacle in &movers.obstacles[mover.obstacles.clone()] {
            if let Some((axis, 0.0)) = obstacle.side {
                mover.pinned |= 1 << axis;
            }
        }
    }

    /// Puts a body that overlaps something, because one of the two was put there, to the nearest free place. If there is none
    /// nearby it stays. Says whether it went.
    fn push_out(&mut self, number: usize) -> bool {
        let movers = &self.lists.movers;
        let mover = &movers.list[number];
        if mover.inverse_mass == 0.0 || mover.pinned != 0 {
            return false;
        }
        let known = &movers.obstacles[mover.obstacles.clone()];
        let still = |obstacle: &&Obstacle| obstacle.whose == Whose::Still;
        let overlapped = known.iter().filter(still).filter(|obstacle| {
            mover.aabb.overlaps(&obstacle.aabb)
                && !is_free(movers.parts_of(number), mover.place, &[**obstacle])
        });
        let mut depth = None;
        for obstacle in overlapped {
            let deep = mover.aabb.depth(&obstacle.aabb).min_element();
            depth = Some(deep.max(depth.unwrap_or(0.0)));
        }
        let Some(depth) = depth else { return false };
        for round in 0..ROUNDS_OUT {
            let mover = &self.lists.movers.list[number];
            let reach = mover.aabb.grown(
                (slimmest(self.lists.movers.parts_of(number)).max_element() + depth)
                    * 2.0_f32.powi(2 * round),
            );
            let before = mover.region;
            self.list_obstacles(number, reach);
            let movers = &mut self.lists.movers;
            let mover = &movers.list[number];
            let obstacles: Vec<Obstacle> = movers.obstacles[mover.obstacles.clone()]
                .iter()
                .filter(still)
                .copied()
                .collect();
            let parts = movers.parts_of(number);
            let free = nearest_free(parts, mover.place, &obstacles, &reach);
            let Some(free) = free else {
                self.list_obstacles(number, before);
                continue;
            };
            let way = free - mover.place;
            movers.put(number, free);
            let velocity = &mut movers.list[number].velocity;
            for axis in 0..3 {
                if way[axis] * velocity[axis] < 0.0 {
                    velocity[axis] = 0.0;
                }
            }
            return true;
        }
        false
    }

    /// Whether an entity is below a body.
    pub(super) fn hangs_below(&self, entity: Entity, mover: &Mover) -> bool {
        mover.has_children && self.above(entity).any(|above| above == mover.entity)
    }

    /// Whether one of two bodies is below the other.
    fn are_linked(&self, a: &Mover, b: &Mover) -> bool {
        self.hangs_below(b.entity, a) || self.hangs_below(a.entity, b)
    }
}

/// The room around the way of a body.
fn room(aabb: &Aabb) -> f32 {
    aabb.size().min_element() * ROOM
}

/// The least size of a body's parts along each axis.
pub(super) fn slimmest(parts: &[Part]) -> Vec3 {
    let least = parts
        .iter()
        .map(|part| part.at(Vec3::ZERO).size())
        .fold(Vec3::INFINITY, Vec3::min);
    least.max(Vec3::splat(f32::MIN_POSITIVE))
}

//! Lists the boxes around the ways of dynamic bodies, and the other bodies that they may meet.

use super::Step;
use super::groups::PIECE;
use super::mover::Part;
use super::push_out::nearest_free;
use super::surroundings::{Surroundings, pinned, way_region};
use super::sweep::{Obstacle, Whose, is_free};
use crate::collide::aabb::Aabb;
use crate::collide::threads::{clear_lists, in_parts};
use glam::Vec3;
use std::ops::Range;

/// The room around the way of a body that is searched, as a share of its size.
const ROOM: f32 = 1.0 / 16.0;
/// How many bodies in a row learn how far the first one may push them.
const MOST_PASSED_ON: usize = 6;
/// Rounds of the search for a free place, each one farther than the one before.
const ROUNDS_OUT: i32 = 2;

/// The limit of obstacles for all bodies together. It is higher than that of pairs because a body among tiles has many.
fn most_obstacles(most_pairs: usize) -> usize {
    most_pairs.saturating_mul(8)
}

impl<'w> Step<'_, 'w> {
    /// Lists for every dynamic body its carrier, the obstacles along its path, and the bodies that it may meet. Returns `false` if these
    /// exceed the limits; then the lists are incomplete.
    pub(super) fn look_around(&mut self) -> bool {
        self.wake_by_boxes();
        self.gather_woken();
        self.find_rides();
        self.look_around_all();
        let mut from = self.lists.movers.list.len();
        while self.gather_woken() {
            for number in from..self.lists.movers.list.len() {
                if self.lists.movers.list[number].collides {
                    self.look_around_one(number);
                }
            }
            from = self.lists.movers.list.len();
        }
        self.know_ways();
        self.list_pairs();
        if self.is_crowded() {
            return false;
        }
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
        !self.is_crowded()
    }

    /// Whether pairs of bodies, or pairs of a body and an obstacle, exceed their limit.
    fn is_crowded(&self) -> bool {
        let lists = &self.lists;
        lists.pairs.len() > self.most_pairs
            || lists.movers.obstacles.len() > most_obstacles(self.most_pairs)
    }

    /// Looks around all bodies, on several threads where that pays.
    fn look_around_all(&mut self) {
        let count = self.lists.movers.colliding.len();
        let pieces = self.threads.pieces(count, PIECE);
        let mut views = std::mem::take(&mut self.lists.views);
        if views.len() < pieces {
            views.resize_with(pieces, Default::default);
        }
        let surroundings = self.surroundings();
        self.threads
            .divide(0..count, &mut views[..pieces], |numbers, view| {
                surroundings.look_around(numbers, view);
            });
        let mut inside = std::mem::take(&mut self.lists.inside);
        for view in &mut views[..pieces] {
            let offset = self.lists.movers.obstacles.len();
            self.lists.movers.obstacles.append(&mut view.obstacles);
            for sight in view.sights.drain(..) {
                let range = sight.obstacles;
                let obstacles = range.start + offset..range.end + offset;
                self.see(sight.number as usize, sight.region, obstacles);
                if sight.is_in {
                    inside.push(sight.number as usize);
                }
            }
        }
        self.lists.views = views;
        for number in inside.drain(..) {
            if self.push_out(number) {
                self.look_around_one(number);
            }
        }
        self.lists.inside = inside;
    }

    fn look_around_one(&mut self, number: usize) {
        let region = self.surroundings().first_region(number);
        self.reach(number, region);
        if self.push_out(number) {
            let region = self.surroundings().first_region(number);
            self.reach(number, region);
        }
    }

    /// Lets a body reach all of a region in this frame.
    fn reach(&mut self, number: usize, region: Aabb) {
        let obstacles = self.list_obstacles(number, region);
        self.see(number, region, obstacles);
    }

    /// Notes what a body may reach, and lets what rests there wake.
    fn see(&mut self, number: usize, region: Aabb, obstacles: Range<usize>) {
        let movers = &mut self.lists.movers;
        for obstacle in &mut movers.obstacles[obstacles.clone()] {
            let item = self.boxes.item(obstacle.slot);
            let body = item.has_body.then(|| self.rows.get(item.entity)).flatten();
            if let Some((_, _, body, ..)) = body {
                (obstacle.restitution, obstacle.friction) = (body.restitution, body.friction);
            }
        }
        let mover = &mut movers.list[number];
        mover.pinned = pinned(&movers.obstacles[obstacles.clone()]);
        (mover.region, mover.obstacles) = (region, obstacles);
        if !self.lists.resting.tree.is_empty() {
            self.lists.resting.wake_touched(&region, self.boxes);
        }
        self.lists.lone.call(&region, self.boxes);
    }

    /// Lists all boxes in a region at which a body stops, at the end of the list of all obstacles.
    fn list_obstacles(&mut self, number: usize, region: Aabb) -> Range<usize> {
        let mut list = std::mem::take(&mut self.lists.movers.obstacles);
        let known = self.lists.movers.list[number].obstacles.clone();
        if !known.is_empty() && known.end == list.len() {
            list.truncate(known.start);
        }
        let start = list.len();
        self.surroundings()
            .list_obstacles(number, &region, &mut list);
        let end = list.len();
        self.lists.movers.obstacles = list;
        start..end
    }

    pub(super) fn surroundings(&self) -> Surroundings<'_, 'w> {
        Surroundings {
            movers: &self.lists.movers,
            boxes: self.boxes,
            layers: self.layers,
            links: self.links,
            moved: &self.lists.moved,
            moved_slots: &self.lists.moved_slots,
            pushers: &self.lists.pushers,
            seconds: self.seconds,
            most_restitution: self.lists.most_restitution,
            most_obstacles: most_obstacles(self.most_pairs),
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

    /// Lets those groups wake that boxes come to which move through everything, and calls lone bodies near these and near
    /// sensors that move.
    fn wake_by_boxes(&mut self) {
        let lists = &mut *self.lists;
        for moved in &lists.moved {
            if let Some(swept) = lists.pushers.get(moved.slot) {
                lists.resting.wake_touched(&swept, self.boxes);
                lists.lone.call(&swept, self.boxes);
            }
        }
        for swept in lists.moved_sensors.drain(..) {
            lists.lone.call(&swept, self.boxes);
        }
        let movers = lists.movers.list.iter();
        for mover in movers.filter(|mover| mover.is_dynamic && !mover.collides) {
            let here = &mover.start_box;
            let swept = way_region(here, mover.velocity, mover.pull, self.seconds, 0.0);
            lists.lone.call(&swept, self.boxes);
        }
    }

    /// Lets bodies reach as far as those may push them that they may meet. Says whether any reaches farther than before.
    fn widen(&mut self) -> bool {
        let elastic = 1.0 + self.lists.most_restitution;
        let mut widened = std::mem::take(&mut self.lists.widened);
        widened.clear();
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
        let any = !widened.is_empty();
        self.lists.widened = widened;
        any
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
        for &number in &movers.colliding {
            let mover = &movers.list[number as usize];
            let Some(slot) = mover.slot else { continue };
            ways.set(slot, &mover.region);
            self.lists.way_slots.push(slot);
        }
        ways.update();
    }

    /// Lists all pairs of bodies that may meet in this frame.
    fn list_pairs(&mut self) {
        let mut found = std::mem::take(&mut self.lists.found);
        let (ways, movers) = (&self.lists.ways, &self.lists.movers);
        let pieces = self.threads.pieces(movers.colliding.len(), 4 * PIECE);
        clear_lists(&mut found, pieces);
        let (surroundings, most) = (self.surroundings(), self.most_pairs);
        self.threads
            .divide(ways.leaves(), &mut found[..pieces], |leaves, list| {
                in_parts(leaves, most, list, |leaves, list| {
                    ways.box_pairs(leaves, 0.0, |(a, _), (b, _)| {
                        if list.len() > most {
                            return;
                        }
                        let (Some(a), Some(b)) = (movers.of_slot(a), movers.of_slot(b)) else {
                            return;
                        };
                        if surroundings.do_meet(a, b) {
                            let index = |number: usize| movers.list[number].entity.index();
                            let is_in_order = index(a) < index(b);
                            let (a, b) = if is_in_order { (a, b) } else { (b, a) };
                            list.push((a as u32, b as u32));
                        }
                    })
                });
            });
        self.lists.pairs.clear();
        for list in &found[..pieces] {
            self.lists.pairs.extend_from_slice(list);
        }
        // Sorted by id, because the tree lists pairs in an order that differs after a resume.
        let movers = &self.lists.movers.list;
        let index = |number: u32| movers[number as usize].entity.index();
        self.lists
            .pairs
            .sort_unstable_by_key(|&(a, b)| (index(a), index(b)));
        self.lists.found = found;
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
            let mut obstacles = Vec::new();
            self.surroundings()
                .list_obstacles(number, &reach, &mut obstacles);
            obstacles.retain(|obstacle| still(&obstacle));
            let movers = &mut self.lists.movers;
            let mover = &movers.list[number];
            let parts = movers.parts_of(number);
            let free = nearest_free(parts, mover.place, &obstacles, &reach);
            let Some(free) = free else { continue };
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
}

/// The room around the way of a body.
pub(super) fn room(aabb: &Aabb) -> f32 {
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

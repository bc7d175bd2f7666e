//! The bodies of a group move to where their flight has led them, one after the other.
//!
//! Each move is a guarded sweep past all others where they are at that moment. So what overlaps nothing when the frame begins
//! overlaps nothing in between, even if the flight is wrong: a body can always stay. A body that finds another one in its way
//! waits until that one has moved.

use super::events::ordered;
use super::flight::Flight;
use super::mover::{Part, meet};
use super::solid::Solid;
use super::sweep::{Manner, Obstacle, Whose, advance, around, is_free, put_face, stop_at};
use crate::collide::aabb::Aabb;
use crate::collide::contacts::least_axis;
use crate::collide::placed::ROUNDING;
use glam::Vec3;

/// How often a body slides on along a face within one move.
const MOST_SLIDES: usize = 4;
/// Rounds in which bodies that were in each other's way try again.
const ROUNDS: usize = 2;
/// Other bodies that a push moves out of the way, one pushed by the other.
const MOST_PUSHED: u32 = 512;
/// Others from which a body is parted in one iteration; the rest of a crowd follows in the next.
const MOST_PAIRS: u8 = 3;
/// The room beside the way of a body that is searched, as a share of its size.
const ASIDE: f32 = 1.0 / 64.0;

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum Turn {
    Waits,
    /// It waits for another one to move first.
    Stacked,
    Done,
}

/// Lists for one group, kept from group to group.
#[derive(Default, Debug)]
pub(super) struct Scratch {
    order: Vec<u32>,
    turns: Vec<Turn>,
    stack: Vec<u32>,
    /// The number of corners that each body has passed.
    passed: Vec<u8>,
    short: Vec<u32>,
    obstacles: Vec<Obstacle>,
}

impl Scratch {
    /// Makes room for groups of `bodies` bodies in all.
    pub(super) fn reserve(&mut self, bodies: usize) {
        for list in [&mut self.order, &mut self.stack, &mut self.short] {
            list.reserve(bodies.saturating_sub(list.len()));
        }
        self.turns.reserve(bodies.saturating_sub(self.turns.len()));
        self.passed
            .reserve(bodies.saturating_sub(self.passed.len()));
    }
}

impl Flight<'_> {
    /// Ends the flight of all bodies, and moves them.
    pub(super) fn commit(&mut self) {
        let seconds = self.frame.seconds;
        let mut lists = std::mem::take(&mut self.scratch.commit);
        for body in &mut *self.bodies {
            body.end(seconds);
        }
        lists.turns.clear();
        lists.turns.resize(self.bodies.len(), Turn::Waits);
        lists.passed.clear();
        lists.passed.resize(self.bodies.len(), 0);
        lists.order.clear();
        lists.order.extend(0..self.bodies.len() as u32);
        if self.bodies.len() > 1 {
            lists.order.sort_unstable_by_key(|&number| {
                let body = &self.bodies[number as usize];
                let way = body
                    .corners
                    .last()
                    .map_or(Vec3::ZERO, |&end| end - body.place);
                (body.height, ordered(way.length_squared()), body.id)
            });
        }
        for _ in 0..ROUNDS {
            lists.short.clear();
            for at in 0..lists.order.len() {
                if lists.turns[lists.order[at] as usize] == Turn::Waits {
                    lists.stack.push(lists.order[at]);
                    self.move_stack(&mut lists);
                }
            }
            if lists.short.is_empty() {
                break;
            }
            for &short in &lists.short {
                lists.turns[short as usize] = Turn::Waits;
            }
            std::mem::swap(&mut lists.order, &mut lists.short);
        }
        for number in 0..self.bodies.len() {
            self.push(number, &mut lists.obstacles);
        }
        self.part(&mut lists.obstacles);
        self.scratch.commit = lists;
    }

    /// Moves the body at the top of the stack, after all that are in its way and have still to move.
    fn move_stack(&mut self, lists: &mut Scratch) {
        while let Some(&top) = lists.stack.last() {
            let number = top as usize;
            lists.turns[number] = Turn::Stacked;
            match self.move_body(number, lists) {
                Some(other) if lists.turns[other] == Turn::Waits => lists.stack.push(other as u32),
                stopped => {
                    if stopped.is_some() {
                        // The two wait for each other: this one continues when the other has gone as far as it can.
                        lists.short.push(top);
                    }
                    lists.turns[number] = Turn::Done;
                    lists.stack.pop();
                }
            }
        }
    }

    /// Moves a body along its way, and says which other one is in it that may still move.
    fn move_body(&mut self, number: usize, lists: &mut Scratch) -> Option<usize> {
        let frame = self.frame;
        let manner = frame.manner();
        let body = &self.bodies[number];
        if body.corners.iter().all(|&corner| corner == body.place) {
            return None;
        }
        self.list_obstacles(number, &body.corners, &mut lists.obstacles);
        let mut body = &mut self.bodies[number];
        let parts = frame.parts_of(body);
        while usize::from(lists.passed[number]) < body.corners.len() {
            let corner = body.corners[usize::from(lists.passed[number])];
            let mut target = body.within_region(parts, corner);
            for _ in 0..MOST_SLIDES {
                let mut place = body.place;
                let mut hit = advance(parts, &mut place, target, &lists.obstacles, manner);
                if hit.is_none() && place == body.place && place != target {
                    // There is no room to step aside.
                    let manner = Manner {
                        steps_over: false,
                        ..manner
                    };
                    hit = advance(parts, &mut place, target, &lists.obstacles, manner);
                }
                body.place = place;
                let Some(hit) = hit else { break };
                let axis = hit.axis;
                let rest = (target - place)[axis];
                target[axis] = place[axis];
                match lists.obstacles[hit.obstacle].whose {
                    Whose::Body(other) => {
                        let other = other as usize;
                        if lists.turns[other] != Turn::Done {
                            return Some(other);
                        }
                        self.stop_each_other(number, other, axis, rest);
                    }
                    _ if body.velocity[axis] * rest > 0.0 => body.velocity[axis] = 0.0,
                    _ => {}
                }
                body = &mut self.bodies[number];
            }
            lists.passed[number] += 1;
        }
        None
    }

    /// Two bodies have met that were to pass each other: they continue as one.
    fn stop_each_other(&mut self, a: usize, b: usize, axis: usize, rest: f32) {
        if rest == 0.0 {
            return;
        }
        let direction = rest.signum();
        let [own, other] = self
            .bodies
            .get_disjoint_mut([a, b])
            .expect("no body meets itself");
        let approach = (own.velocity - other.velocity)[axis] * direction;
        let give = own.inverse_mass + other.inverse_mass;
        if approach > 0.0 && give > 0.0 {
            own.velocity[axis] -= direction * approach * own.inverse_mass / give;
            other.velocity[axis] += direction * approach * other.inverse_mass / give;
        }
    }

    /// Lists what a body must not come to overlap, as it is now. What moves through everything is not among it.
    fn list_obstacles(&self, number: usize, corners: &[Vec3], list: &mut Vec<Obstacle>) {
        let frame = self.frame;
        let body = &self.bodies[number];
        list.clear();
        let parts = frame.parts_of(body);
        let here = around(parts, body.place);
        // A little more, for what moves it aside.
        let swept = corners
            .iter()
            .fold(here, |swept, &corner| {
                swept.merged(&here.moved(corner - body.place))
            })
            .grown(here.size().min_element() * ASIDE);
        let still = frame.obstacles_of(body).iter();
        list.extend(
            still
                .filter(|obstacle| obstacle.whose == Whose::Still && obstacle.aabb.touches(&swept)),
        );
        for &neighbor in frame.neighbors_of(body) {
            let other = &self.bodies[neighbor as usize];
            for part in frame.parts_of(other) {
                let aabb = part.at(other.place);
                if !aabb.touches(&swept) {
                    continue;
                }
                if meet(parts, part.layer, frame.layers) {
                    list.push(Obstacle {
                        aabb,
                        slot: part.slot,
                        whose: Whose::Body(neighbor),
                        side: None,
                        restitution: 0.0,
                        friction: 0.0,
                    });
                }
            }
        }
    }

    /// Moves a body along an axis as far as there is room, and up to `most` other bodies before it. Returns how far it came.
    fn shove(
        &mut self,
        number: usize,
        axis: usize,
        distance: f32,
        list: &mut Vec<Obstacle>,
        most: &mut u32,
    ) -> f32 {
        let frame = self.frame;
        let start = self.bodies[number].place;
        let mut target = start;
        target[axis] += distance;
        for _ in 0..MOST_SLIDES {
            self.list_obstacles(number, &[target], list);
            let body = &mut self.bodies[number];
            let parts = frame.parts_of(body);
            // Bodies that overlap are parted one pair after the other, and do not hold each other meanwhile.
            list.retain(|obstacle| {
                obstacle.whose == Whose::Still || is_free(parts, body.place, &[*obstacle])
            });
            let end = body.within_region(parts, target);
            let mut place = body.place;
            let mut straight = place;
            straight[axis] = end[axis];
            let hit = advance(
                parts,
                &mut place,
                straight,
                list,
                Manner {
                    down: Vec3::ZERO,
                    steps_over: true,
                },
            );
            body.place = place;
            let Some(hit) = hit else { break };
            let Whose::Body(other) = list[hit.obstacle].whose else {
                break;
            };
            let rest = (target - place)[axis];
            if *most == 0 || self.bodies[other as usize].inverse_mass == 0.0 {
                break;
            }
            *most -= 1;
            if self.shove(other as usize, axis, rest, list, most) == 0.0 {
                break;
            }
        }
        (self.bodies[number].place - start)[axis]
    }

    /// Pushes a body before everything that has moved into it or through it.
    fn push(&mut self, number: usize, list: &mut Vec<Obstacle>) {
        let frame = self.frame;
        if frame.moved.is_empty() || self.bodies[number].inverse_mass == 0.0 {
            return;
        }
        for obstacle in frame.obstacles_of(&self.bodies[number]) {
            let Whose::Moved(moved) = obstacle.whose else {
                continue;
            };
            let body = &self.bodies[number];
            // Seen from the pusher, the body came from the other side.
            let shift = frame.moved[moved as usize].shift - (body.place - body.start);
            let mut first: Option<(f32, usize, usize, f32)> = None;
            for (part, placed) in frame.parts_of(body).iter().enumerate() {
                let here = placed.at(body.place);
                let met = match obstacle.side {
                    // It was in it already: it comes out on the side that it is near to.
                    Some((axis, into)) if here.overlaps(&obstacle.aabb) => {
                        (into != 0.0).then_some((0.0, axis, -into))
                    }
                    _ => met(&here, &obstacle.aabb, shift),
                };
                if let Some((share, axis, out)) = met
                    && first.is_none_or(|(earliest, ..)| share < earliest)
                {
                    first = Some((share, axis, part, out));
                }
            }
            let Some((_, axis, part, out)) = first else {
                continue;
            };
            let mut target = body.place;
            put_face(
                frame.parts_of(body),
                &mut target,
                &stop_at(&obstacle.aabb, axis, -out, part),
            );
            let distance = (target - body.place)[axis];
            if distance * out > 0.0 {
                let mut most = MOST_PUSHED;
                let gone = self.shove(number, axis, distance, list, &mut most);
                let body = &mut self.bodies[number];
                let parts = frame.parts_of(body);
                if (gone - distance).abs() <= distance.abs() * 1e-3 {
                    // Exactly to the face, if that is free.
                    let mut exact = body.place;
                    exact[axis] = target[axis];
                    self.list_obstacles(number, &[exact], list);
                    if is_free(parts, exact, list) {
                        self.bodies[number].place = exact;
                    }
                }
            }
        }
    }

    /// Parts bodies of the group that overlap, because they were put into each other, by mass.
    fn part(&mut self, list: &mut Vec<Obstacle>) {
        if self.bodies.len() < 2 {
            return;
        }
        // By height and ids, and the numbers of the two.
        let mut pairs: Vec<([u32; 3], usize, usize)> = Vec::new();
        for (number, body) in self.bodies.iter().enumerate() {
            for &other in self.frame.neighbors_of(body) {
                let theirs = &self.bodies[other as usize];
                if body.id < theirs.id && self.overlap(number, other as usize).is_some() {
                    let height = body.height.min(theirs.height);
                    pairs.push(([height, body.id, theirs.id], number, other as usize));
                }
            }
        }
        if pairs.is_empty() {
            return;
        }
        pairs.sort_unstable();
        let mut parted: Vec<u8> = Vec::new();
        for _ in 0..self.frame.iterations {
            parted.clear();
            parted.resize(self.bodies.len(), 0);
            for &(_, a, b) in &pairs {
                let most = parted[a].max(parted[b]);
                if most < MOST_PAIRS && self.part_pair(a, b, list) {
                    parted[a] += 1;
                    parted[b] += 1;
                }
            }
            if parted.iter().all(|&count| count == 0) {
                return;
            }
        }
    }

    fn part_pair(&mut self, a: usize, b: usize, list: &mut Vec<Obstacle>) -> bool {
        let Some((axis, direction, depth)) = self.overlap(a, b) else {
            return false;
        };
        let masses = (self.bodies[a].inverse_mass, self.bodies[b].inverse_mass);
        if masses.0 + masses.1 == 0.0 {
            return false;
        }
        let share = depth * masses.0 / (masses.0 + masses.1);
        // A little more than rounding takes away.
        let largest = self.bodies[a].place.abs().max(self.bodies[b].place.abs())[axis].max(depth);
        let more = largest * ROUNDING;
        let gone = match share > 0.0 {
            true => self
                .shove(a, axis, -direction * (share + more), list, &mut 0)
                .abs(),
            false => 0.0,
        };
        let rest = depth - gone + more;
        let gone = match masses.1 > 0.0 && rest > 0.0 {
            true => self.shove(b, axis, direction * rest, list, &mut 0).abs(),
            false => 0.0,
        };
        let mut rest = rest - gone;
        // If other bodies block both, push them along.
        let tries = [
            (a, masses.0, -direction, 0),
            (a, masses.0, -direction, MOST_PUSHED),
            (b, masses.1, direction, MOST_PUSHED),
        ];
        for (number, mass, out, mut most) in tries {
            if mass > 0.0 && rest > more {
                let gone = self.shove(number, axis, out * rest, list, &mut most);
                rest -= gone.abs();
            }
        }
        true
    }

    /// Where two bodies are in each other: the axis along which they are least deep, on which side the second lies, and how
    /// deep they are.
    fn overlap(&self, a: usize, b: usize) -> Option<(usize, f32, f32)> {
        let frame = self.frame;
        let (own, other) = (&self.bodies[a], &self.bodies[b]);
        let mut deepest: Option<(f32, Aabb, Aabb)> = None;
        for part in frame.parts_of(own) {
            let here = part.at(own.place);
            for other_part in frame.parts_of(other) {
                let there = other_part.at(other.place);
                let depth = here.depth(&there).min_element();
                if here.overlaps(&there)
                    && frame.layers.do_meet(part.layer, other_part.layer)
                    && deepest.is_none_or(|(known, ..)| depth > known)
                {
                    deepest = Some((depth, here, there));
                }
            }
        }
        let (_, here, there) = deepest?;
        let depth = here.depth(&there);
        let axis = least_axis(depth);
        let ahead = (there.center() - here.center())[axis];
        Some((axis, 1.0_f32.copysign(ahead), depth[axis]))
    }
}

impl Solid {
    fn within_region(&self, parts: &[Part], place: Vec3) -> Vec3 {
        within(&self.region, parts, place)
    }
}

/// A place, or the nearest one at which a body is within a region.
pub(super) fn within(region: &Aabb, parts: &[Part], place: Vec3) -> Vec3 {
    let there = around(parts, place);
    let low = (region.min - there.min).max(Vec3::ZERO);
    let high = (region.max - there.max).min(Vec3::ZERO);
    place + low + high
}

/// When, as a share of its way, a box that has moved came to another one that stays, along which axis, and in which direction
/// the way out leads.
fn met(stays: &Aabb, moved: &Aabb, way: Vec3) -> Option<(f32, usize, f32)> {
    let depth = stays.depth(moved);
    if depth.cmpgt(Vec3::ZERO).all() {
        // The two are flush, but for rounding.
        let axis = least_axis(depth);
        let largest = stays.min.abs().max(stays.max.abs())[axis];
        if depth[axis] <= largest.max(moved.max[axis].abs()) * ROUNDING {
            return Some((1.0, axis, (stays.center() - moved.center())[axis]));
        }
    }
    let impact = stays.time_of_impact(-way, &moved.moved(-way))?;
    let axis = impact.normal.abs().max_position();
    Some((impact.share, axis, way[axis]))
}

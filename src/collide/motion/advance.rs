//! The way of a dynamic body among what does not give way.

use super::Step;
use super::mover::{Knowledge, Mover, Surface, facing};
use super::push_out::nearest_free;
use super::sweep::{Obstacle, Stop, around, is_free, sweep};
use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::boxes::Slot;
use crate::collide::contacts::LEAST_SHARE_DOWN;
use crate::store::Entity;
use glam::Vec3;

/// Steps that a move is cut into at most.
const MOST_STEPS: f32 = 256.0;
/// Steps for which obstacles are listed at once. The region around a long way holds many that are never met.
const STEPS_LISTED: f32 = 4.0;
/// A move of more than this share of a body's size looks out for other dynamic bodies as well; a shorter one cannot pass one
/// by, and what then overlaps parts afterwards.
const SLOW_SHARE: f32 = 0.25;
/// How far around a body, as a share of its size, obstacles are known beforehand, so that small corrections need not look again.
const ROOM: f32 = 0.25;
/// The share of that room within which bodies count as possibly meeting: what is pushed farther meets in the next frame.
const SHARE_OF_ROOM: f32 = 0.25;
/// Rounds in which a body that was put into something looks for a free place, each one farther than the one before.
const ROUNDS_OUT: i32 = 2;

impl Step<'_, '_> {
    /// Moves all dynamic bodies along their ways.
    pub(super) fn move_dynamic(&mut self) {
        self.know_ways();
        for at in 0..self.lists.movers.order.len() {
            let number = self.lists.movers.order[at] as usize;
            if !self.lists.movers.list[number].is_dynamic {
                continue;
            }
            self.carry(number);
            if self.lists.movers.list[number].collides {
                self.push(number);
                self.advance(number);
            } else {
                let mover = &self.lists.movers.list[number];
                let place = mover.place + mover.velocity * self.seconds;
                self.lists.movers.put(number, place);
            }
        }
    }

    /// Puts what each dynamic body may sweep in this frame into a tree.
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
            let way = mover.velocity * self.seconds;
            let here = &mover.start_box;
            ways.set(
                slot,
                &here
                    .merged(&here.moved(way))
                    .grown(room(here) * SHARE_OF_ROOM),
            );
            self.lists.way_slots.push(slot);
        }
        ways.update();
    }

    /// Moves a body along its way in this frame.
    fn advance(&mut self, number: usize) {
        let way = self.lists.movers.list[number].way(self.seconds);
        let size = slimmest(self.lists.movers.parts_of(number));
        let is_fast = (way.abs() / size).max_element() > SLOW_SHARE;
        let steps = (way.abs() / size)
            .max_element()
            .ceil()
            .clamp(1.0, MOST_STEPS);
        let lists_once = steps <= STEPS_LISTED;
        if lists_once {
            self.know_obstacles(number, way, is_fast);
        } else {
            self.know_obstacles(number, Vec3::ZERO, is_fast);
        }
        self.push_out(number);
        let mut step = way / steps;
        for _ in 0..steps as usize {
            if !lists_once {
                self.know_obstacles(number, step, true);
            }
            for axis in 0..3 {
                let movers = &mut self.lists.movers;
                let obstacles = &movers.obstacles[movers.list[number].obstacles.clone()];
                let mut place = movers.list[number].place;
                let parts = movers.parts_of(number);
                let Some(stop) = sweep(parts, &mut place, axis, step[axis], obstacles) else {
                    movers.list[number].place = place;
                    continue;
                };
                step[axis] = 0.0;
                movers.list[number].place = place;
                self.strike(number, &stop);
            }
            if step == Vec3::ZERO {
                break;
            }
        }
        let place = self.lists.movers.list[number].place;
        self.lists.movers.put(number, place);
    }

    /// What comes of it that a face ended a move: of all that lie there, the most elastic and the roughest one counts,
    /// whatever their order.
    fn strike(&mut self, number: usize, stop: &Stop) {
        let movers = &self.lists.movers;
        let mover = &movers.list[number];
        let here = movers.parts_of(number)[stop.part].at(mover.place);
        let mut beyond = here;
        match stop.direction() > 0.0 {
            true => beyond.max[stop.axis] = stop.coordinate.next_up(),
            false => beyond.min[stop.axis] = stop.coordinate.next_down(),
        }
        let stands = self.stands_there(stop);
        let mut surface: Option<Surface> = None;
        let mut partner = None;
        for obstacle in &movers.obstacles[mover.obstacles.clone()] {
            let (_, face) = facing(&obstacle.aabb, stop.axis, stop.direction());
            if face != stop.coordinate || !beyond.overlaps(&obstacle.aabb) {
                continue;
            }
            match movers.of_slot(obstacle.slot) {
                Some(other) if movers.list[other].is_dynamic => partner = partner.or(Some(other)),
                _ => {
                    let mut met = self.surface(obstacle.slot);
                    if stands {
                        // What it stands on takes it along: its own velocity is the one against that.
                        met.velocity = Vec3::ZERO;
                    }
                    surface = Some(match surface {
                        None => met,
                        Some(known) => Surface {
                            velocity: known.velocity,
                            restitution: known.restitution.max(met.restitution),
                            friction: known.friction.max(met.friction),
                        },
                    });
                }
            }
        }
        match (surface, partner) {
            // Where a wall and a body are flush, the wall stops.
            (None, Some(other)) => self.share_momentum(number, other, stop.axis, stop.direction()),
            (surface, _) => {
                let surface = surface.unwrap_or_default();
                self.lists.movers.list[number].strike(stop, &surface, self.rest_speed);
            }
        }
    }

    /// Whether a face that ended a move is one to stand on.
    fn stands_there(&self, stop: &Stop) -> bool {
        Vec3::AXES[stop.axis].dot(self.down) * stop.direction() > LEAST_SHARE_DOWN
    }

    /// Brings a body out of what it overlaps, because it was put there or because something came to be there.
    fn push_out(&mut self, number: usize) {
        let movers = &self.lists.movers;
        let mover = &movers.list[number];
        if mover.inverse_mass == 0.0 {
            return;
        }
        let known = &movers.obstacles[mover.obstacles.clone()];
        // Other dynamic bodies are no walls: they part by mass.
        let is_stuck = known.iter().any(|obstacle| {
            mover.aabb.overlaps(&obstacle.aabb)
                && !self.is_dynamic(obstacle.slot)
                && !is_free(movers.parts_of(number), mover.place, &[*obstacle])
        });
        if !is_stuck {
            return;
        }
        let depth = known
            .iter()
            .filter(|obstacle| !self.is_dynamic(obstacle.slot))
            .map(|obstacle| mover.aabb.depth(&obstacle.aabb).min_element())
            .fold(0.0, f32::max);
        for round in 0..ROUNDS_OUT {
            let mover = &self.lists.movers.list[number];
            let reach = mover.aabb.grown(
                (slimmest(self.lists.movers.parts_of(number)).max_element() + depth)
                    * 2.0_f32.powi(2 * round),
            );
            self.list_obstacles(number, reach, false);
            let movers = &mut self.lists.movers;
            let mover = &movers.list[number];
            let obstacles = &movers.obstacles[mover.obstacles.clone()];
            let parts = movers.parts_of(number);
            let Some(free) = nearest_free(parts, mover.place, obstacles, &mover.region) else {
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
            return;
        }
    }

    fn is_dynamic(&self, slot: Slot) -> bool {
        self.boxes.item(slot).motion == Motion::Dynamic
    }

    /// Sees to it that all obstacles of a body on a way from where it is are listed.
    pub(super) fn know_obstacles(&mut self, number: usize, way: Vec3, with_bodies: bool) {
        let mover = &self.lists.movers.list[number];
        let needed = mover
            .aabb
            .merged(&self.box_now(number).moved(way))
            .merged(&self.box_now(number));
        let is_known = !with_bodies
            && mover.knowledge == Knowledge::Walls
            && mover.region.min.cmple(needed.min).all()
            && needed.max.cmple(mover.region.max).all();
        if !is_known {
            let room = room(&needed).min(room(&mover.start_box));
            self.list_obstacles(number, needed.grown(room), with_bodies);
        }
    }

    fn box_now(&self, number: usize) -> Aabb {
        let movers = &self.lists.movers;
        around(movers.parts_of(number), movers.list[number].place)
    }

    /// Lists all boxes in a region at which a body stops. What hangs below it goes with it and is no obstacle.
    fn list_obstacles(&mut self, number: usize, region: Aabb, with_bodies: bool) {
        let start = self.lists.movers.obstacles.len();
        let mut obstacles = std::mem::take(&mut self.lists.movers.obstacles);
        let mover = &self.lists.movers.list[number];
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
        mover.obstacles = start..obstacles.len();
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

fn room(aabb: &Aabb) -> f32 {
    aabb.size().min_element() * ROOM
}

/// The least size of a body's parts along each axis.
fn slimmest(parts: &[crate::collide::placed::PlacedBox]) -> Vec3 {
    let least = parts
        .iter()
        .map(|part| part.at(Vec3::ZERO).size())
        .fold(Vec3::INFINITY, Vec3::min);
    least.max(Vec3::splat(f32::MIN_POSITIVE))
}

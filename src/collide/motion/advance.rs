//! The way of a dynamic body among what does not give way.

use super::Step;
use super::mover::{Surface, facing};
use super::push_out::nearest_free;
use super::surroundings::room;
use super::sweep::{Stop, is_free, sweep};
use crate::collide::body::Motion;
use crate::collide::boxes::Slot;
use crate::collide::contacts::LEAST_SHARE_DOWN;
use glam::Vec3;
use smallvec::SmallVec;

/// Steps that a move is cut into at most.
const MOST_STEPS: f32 = 256.0;
/// Steps for which obstacles are listed at once. The region around a long way holds many that are never met.
const STEPS_LISTED: f32 = 4.0;
/// A move of more than this share of a body's size looks out for other dynamic bodies as well; a shorter one cannot pass one
/// by, and what then overlaps parts afterwards.
pub(super) const SLOW_SHARE: f32 = 0.25;
/// The share of the room around it within which bodies count as possibly meeting: what is pushed farther meets in the next frame.
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
        let known_way = if lists_once { way } else { Vec3::ZERO };
        self.know_obstacles(number, known_way, is_fast);
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
        let mut struck: SmallVec<[(Slot, f32); 4]> = SmallVec::new();
        for obstacle in &movers.obstacles[mover.obstacles.clone()] {
            let (_, face) = facing(&obstacle.aabb, stop.axis, stop.direction());
            if face != stop.coordinate || !beyond.overlaps(&obstacle.aabb) {
                continue;
            }
            match movers.of_slot(obstacle.slot) {
                Some(other) if movers.list[other].is_dynamic => partner = partner.or(Some(other)),
                _ => {
                    let mut met = self.surface(obstacle.slot);
                    let approach = (mover.velocity - met.velocity)[stop.axis] * stop.direction();
                    struck.push((obstacle.slot, approach));
                    if stands {
                        // Its carrier takes it along, so its own velocity counts from that of the carrier.
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
        for (slot, approach) in struck {
            self.note_hit(number, Some(slot), (stop.axis, stop.direction()), approach);
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
}

/// The least size of a body's parts along each axis.
pub(super) fn slimmest(parts: &[crate::collide::placed::PlacedBox]) -> Vec3 {
    let least = parts
        .iter()
        .map(|part| part.at(Vec3::ZERO).size())
        .fold(Vec3::INFINITY, Vec3::min);
    least.max(Vec3::splat(f32::MIN_POSITIVE))
}

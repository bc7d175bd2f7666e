//! A body that collides, as it flies through one frame, and what it flies among.

use super::commit::within;
use super::groups::Outcome;
use super::kinematic::Moved;
use super::mover::Part;
use super::sweep::{Manner, Obstacle, Whose, stop_at};
use crate::collide::aabb::Aabb;
use crate::collide::boxes::Slot;
use crate::collide::layers::Layers;
use glam::Vec3;
use smallvec::SmallVec;
use std::ops::Range;

/// The speed in m/s below which a body is at rest: at a micrometre a second it would take eleven days for a metre.
const LEAST_SPEED: f32 = 1e-6;

/// What holds a body along an axis, on one of its sides.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub(super) enum Hold {
    #[default]
    Free,
    /// Something that does not give way, and has this velocity along the axis.
    At {
        velocity: f32,
        on: Slot,
        ground: Ground,
        /// The friction with which it has come to rest on the face, or 0 if it slides, and the velocity with which it rests.
        grip: f32,
        along: Vec3,
    },
}

/// What rubs at a face.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) enum Ground {
    Face { surface: Vec3, friction: f32 },
    Body { number: u32, friction: f32 },
}

/// The number of a side: an axis and a direction along it.
pub(super) fn side_of(axis: usize, direction: f32) -> usize {
    2 * axis + usize::from(direction > 0.0)
}

/// A body that collides, in the order of its group.
#[derive(Clone, Debug)]
pub(super) struct Solid {
    /// The index of its entity.
    pub(super) id: u32,
    pub(super) parts: Range<u32>,
    pub(super) obstacles: Range<u32>,
    pub(super) neighbors: Range<u32>,
    pub(super) region: Aabb,
    pub(super) inverse_mass: f32,
    pub(super) restitution: f32,
    pub(super) friction: f32,
    /// The slot of its carrier.
    pub(super) carrier: Option<Slot>,
    /// Bits that order as its height does.
    pub(super) height: u32,
    /// Where it is free: where the frame began, and then as far as it has come.
    pub(super) place: Vec3,
    pub(super) start: Vec3,
    /// The moment up to which it has flown, in seconds, and where it was then.
    pub(super) time: f32,
    pub(super) at: Vec3,
    pub(super) velocity: Vec3,
    pub(super) pull: Vec3,
    /// Its mean velocity from then to the end of the frame.
    pub(super) chord: Vec3,
    pub(super) hits: u8,
    pub(super) stamp: u32,
    /// Whether it has met something at the moment that is worked on.
    pub(super) is_changed: bool,
    /// The last row in which it was listed.
    pub(super) row: u32,
    pub(super) holds: [Hold; 6],
    /// A bit for each axis along which something other than its carrier has changed its velocity.
    pub(super) hit_axes: u8,
    /// Where it turns, and where it ends.
    pub(super) corners: SmallVec<[Vec3; 6]>,
}

impl Solid {
    /// Flies up to a moment.
    pub(super) fn come_to(&mut self, time: f32) {
        let seconds = time - self.time;
        if seconds > 0.0 {
            let way = self.chord * seconds;
            for axis in 0..3 {
                self.velocity[axis] =
                    fallen(self.velocity[axis], self.pull[axis], way[axis], seconds);
            }
            self.at += way;
            if way != Vec3::ZERO {
                self.corners.push(self.at);
            }
        }
        self.time = time;
    }

    /// Its velocity at a moment, if it meets nothing before.
    pub(super) fn velocity_at(&self, time: f32) -> Vec3 {
        self.velocity + self.pull * (time - self.time)
    }

    /// Says how it flies for the rest of the frame: on average as fast as in the middle of it.
    pub(super) fn set_chord(&mut self, left: f32) {
        self.chord = self.velocity + self.pull * (left / 2.0);
    }

    /// Ends the flight.
    pub(super) fn end(&mut self, seconds: f32) {
        let left = seconds - self.time;
        if self.chord != Vec3::ZERO {
            self.velocity += self.pull * left;
        }
        self.velocity = without_crawl(self.velocity);
        self.corners.push(self.at + self.chord * left);
    }

    /// Its state at the end of the flight; `ground` is the side to which gravity points.
    pub(super) fn outcome(&self, ground: Option<usize>) -> Outcome {
        Outcome {
            place: self.place,
            velocity: self.velocity,
            ground: ground.and_then(|side| match self.holds[side] {
                Hold::At { on, .. } => Some(on),
                Hold::Free => None,
            }),
            hit_axes: self.hit_axes,
        }
    }

    /// Puts it exactly to a face that it has come to.
    pub(super) fn snap(&mut self, part: &Part, axis: usize, direction: f32, face: &Aabb) {
        let here = part.at(self.at);
        let gap = match direction > 0.0 {
            true => face.min[axis] - here.max[axis],
            false => here.min[axis] - face.max[axis],
        };
        let size = here.max[axis] - here.min[axis];
        let before = self.at[axis];
        if gap != 0.0 && gap.abs() <= size * 1e-3 {
            let stop = stop_at(face, axis, direction, 0);
            self.at[axis] = part.placed.place_for(axis, stop.face, stop.coordinate);
            if self.at[axis] != before
                && let Some(last) = self.corners.last_mut()
            {
                last[axis] = self.at[axis];
            }
        }
    }

    /// Whether it cannot give way, because what is behind it does not.
    pub(super) fn is_held(&self, axis: usize, direction: f32) -> bool {
        match self.holds[side_of(axis, direction)] {
            Hold::At { velocity, .. } => self.velocity[axis] == velocity && self.pull[axis] == 0.0,
            Hold::Free => false,
        }
    }

    /// Lets it stay where it is along an axis: it is deep in something that moves through everything.
    pub(super) fn pin(&mut self, axis: usize) {
        (self.velocity[axis], self.pull[axis]) = (0.0, 0.0);
        for direction in [-1.0, 1.0] {
            self.holds[side_of(axis, direction)] = Hold::At {
                velocity: 0.0,
                on: Slot::MAX,
                ground: Ground::Face {
                    surface: Vec3::ZERO,
                    friction: 0.0,
                },
                grip: 0.0,
                along: Vec3::ZERO,
            };
        }
    }

    /// Notes that another body holds it, which does not give way.
    pub(super) fn hold_by(
        &mut self,
        number: usize,
        axis: usize,
        direction: f32,
        velocity: f32,
        friction: f32,
        on: Slot,
    ) {
        self.holds[side_of(axis, direction)] = Hold::At {
            velocity,
            on,
            ground: Ground::Body {
                number: number as u32,
                friction,
            },
            grip: 0.0,
            along: Vec3::ZERO,
        };
    }

    /// The friction with which it rests on what holds it on a side.
    pub(super) fn grip(&self, axis: usize, direction: f32) -> f32 {
        let Hold::At { grip, along, .. } = self.holds[side_of(axis, direction)] else {
            return 0.0;
        };
        let rests = (0..3).all(|across| {
            across == axis || (self.velocity[across] == along[across] && self.pull[across] == 0.0)
        });
        if rests { grip } else { 0.0 }
    }

    /// Notes with which friction it has come to rest along the face that holds it.
    pub(super) fn note_grip(&mut self, axis: usize, direction: f32, friction: f32) {
        let (velocity, pull) = (self.velocity, self.pull);
        if let Hold::At { grip, along, .. } = &mut self.holds[side_of(axis, direction)]
            && (0..3).all(|across| across == axis || pull[across] == 0.0)
        {
            (*grip, *along) = (friction, velocity);
        }
    }

    /// Lets friction act along a face for the rest of a frame, with at most `most` m/s². Says whether it comes to rest on it.
    pub(super) fn rub(&mut self, axis: usize, surface: Vec3, most: f32, left: f32) -> bool {
        let mut along = self.velocity - surface;
        let mut pull = self.pull;
        (along[axis], pull[axis]) = (0.0, 0.0);
        let end = along + pull * left;
        if most == 0.0 {
            return false;
        }
        if end.length() > most * left {
            self.pull -= end.normalize() * most;
            return false;
        }
        for across in (0..3).filter(|&across| across != axis) {
            (self.velocity[across], self.pull[across]) = (surface[across], 0.0);
        }
        true
    }
}

/// A velocity whose negligible components are zero.
fn without_crawl(velocity: Vec3) -> Vec3 {
    let crawls = velocity.abs().cmplt(Vec3::splat(LEAST_SPEED));
    Vec3::select(crawls, Vec3::ZERO, velocity)
}

/// A body at the beginning of a frame.
#[derive(Clone, Copy, Debug)]
pub(super) struct Outset {
    pub(super) place: Vec3,
    pub(super) velocity: Vec3,
    /// Its acceleration by gravity.
    pub(super) pull: Vec3,
    /// Where it may go.
    pub(super) region: Aabb,
}

/// The outcome of a flight in which the body can meet nothing: equal to that of a [`Solid`], bit for bit.
pub(super) fn fly_alone(outset: &Outset, parts: &[Part], seconds: f32) -> Outcome {
    let chord = outset.velocity + outset.pull * (seconds / 2.0);
    let mut velocity = outset.velocity;
    if chord != Vec3::ZERO {
        velocity += outset.pull * seconds;
    }
    let target = outset.place + chord * seconds;
    let place = match target == outset.place {
        true => outset.place,
        false => within(&outset.region, parts, target),
    };
    Outcome {
        place,
        velocity: without_crawl(velocity),
        ground: None,
        hit_axes: 0,
    }
}

/// The velocity after a way under an acceleration: v² = v₀² + 2 a s, so that no energy comes from the straight line by which
/// the curve is replaced.
pub(super) fn fallen(velocity: f32, pull: f32, way: f32, seconds: f32) -> f32 {
    if pull == 0.0 {
        return velocity;
    }
    let square = velocity * velocity + 2.0 * pull * way;
    match velocity + pull * seconds {
        0.0 => 0.0,
        end => square.max(0.0).sqrt().copysign(end),
    }
}

/// What all bodies of a frame fly among.
pub(super) struct Frame<'a> {
    pub(super) parts: &'a [Part],
    pub(super) obstacles: &'a [Obstacle],
    /// Numbers within the group.
    pub(super) neighbors: &'a [u32],
    pub(super) moved: &'a [Moved],
    pub(super) layers: &'a Layers,
    pub(super) seconds: f32,
    /// The direction of gravity, or zero.
    pub(super) down: Vec3,
    /// The number of the side to which it points most.
    pub(super) ground: Option<usize>,
    pub(super) rest_speed: f32,
    /// A way in metres that is too short to matter.
    pub(super) least_way: f32,
    pub(super) iterations: u32,
}

impl Frame<'_> {
    pub(super) fn manner(&self) -> Manner {
        Manner {
            down: self.down,
            steps_over: true,
        }
    }

    pub(super) fn parts_of(&self, body: &Solid) -> &[Part] {
        &self.parts[body.parts.start as usize..body.parts.end as usize]
    }

    pub(super) fn obstacles_of(&self, body: &Solid) -> &[Obstacle] {
        &self.obstacles[body.obstacles.start as usize..body.obstacles.end as usize]
    }

    pub(super) fn neighbors_of(&self, body: &Solid) -> &[u32] {
        &self.neighbors[body.neighbors.start as usize..body.neighbors.end as usize]
    }

    pub(super) fn surface_velocity(&self, obstacle: &Obstacle) -> Vec3 {
        match obstacle.whose {
            Whose::Moved(number) => self.moved[number as usize].shift / self.seconds,
            _ => Vec3::ZERO,
        }
    }
}

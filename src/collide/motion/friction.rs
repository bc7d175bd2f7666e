//! Friction between bodies, and the weight that a stack puts on the ground.

use super::flight::Flight;
use super::solid::{Ground, Hold, Solid, side_of};
use glam::Vec3;

/// Levels of a stack through which the weight of what is above is felt.
const MOST_LEVELS: usize = 64;

impl Flight<'_> {
    /// Lets a body that is held feel a weight at its back: the ground below it rubs harder.
    pub(super) fn load(&mut self, mut number: usize, axis: usize, direction: f32, weight: f32) {
        let time = self.bodies[number].time;
        let left = self.frame.seconds - time;
        for _ in 0..MOST_LEVELS {
            let Hold::At { ground, .. } = self.bodies[number].holds[side_of(axis, direction)]
            else {
                return;
            };
            match ground {
                Ground::Face { surface, friction } => {
                    if self.bodies[number].grip(axis, direction) >= friction {
                        return;
                    }
                    self.touch(number, time);
                    let body = &mut self.bodies[number];
                    let limit = friction * weight * body.inverse_mass;
                    if body.rub(axis, surface, limit, left) {
                        body.note_grip(axis, direction, friction);
                    }
                    return;
                }
                Ground::Body {
                    number: below,
                    friction,
                } => {
                    let below = below as usize;
                    let [own, other] = self
                        .bodies
                        .get_disjoint_mut([number, below])
                        .expect("no body stands on itself");
                    if friction > 0.0 && slides(own, other, axis) {
                        // A body that has come to rest keeps its way.
                        let rests = other.grip(axis, direction) >= friction;
                        self.touch(number, time);
                        if !rests {
                            self.touch(below, time);
                        }
                        let [own, other] = self
                            .bodies
                            .get_disjoint_mut([number, below])
                            .expect("no body stands on itself");
                        rub_held(own, other, axis, direction, friction, weight, left);
                    }
                    number = below;
                }
            }
        }
    }
}

fn slides(a: &Solid, b: &Solid, axis: usize) -> bool {
    let mut along = (a.velocity - b.velocity).abs() + (a.pull - b.pull).abs();
    along[axis] = 0.0;
    along != Vec3::ZERO
}

/// Lets friction act between a body and another one that holds it, under a weight in newtons.
pub(super) fn rub_held(
    body: &mut Solid,
    ground: &mut Solid,
    axis: usize,
    direction: f32,
    friction: f32,
    weight: f32,
    left: f32,
) {
    if friction == 0.0 || weight == 0.0 {
        return;
    }
    if ground.grip(axis, direction) < friction {
        rub(body, ground, axis, friction * weight, left);
        return;
    }
    let most = friction * weight * body.inverse_mass;
    if body.rub(axis, ground.velocity, most, left) {
        body.note_grip(axis, direction, friction);
    }
}

/// Lets friction act between two bodies for the rest of a frame, with at most `force` newtons.
pub(super) fn rub(a: &mut Solid, b: &mut Solid, axis: usize, force: f32, left: f32) {
    let give = a.inverse_mass + b.inverse_mass;
    let mut along = a.velocity - b.velocity;
    let mut pull = a.pull - b.pull;
    (along[axis], pull[axis]) = (0.0, 0.0);
    let end = along + pull * left;
    if force == 0.0 || give == 0.0 || end == Vec3::ZERO {
        return;
    }
    if end.length() > force * left * give {
        let force = end.normalize() * force;
        a.pull -= force * a.inverse_mass;
        b.pull += force * b.inverse_mass;
        return;
    }
    // The two stop on each other.
    let share = a.inverse_mass / give;
    for across in (0..3).filter(|&across| across != axis) {
        a.velocity[across] -= along[across] * share;
        a.pull[across] -= pull[across] * share;
        if share < 1.0 {
            b.velocity[across] = a.velocity[across];
            b.pull[across] = a.pull[across];
        } else {
            a.velocity[across] = b.velocity[across];
            a.pull[across] = b.pull[across];
        }
    }
}

//! Bodies in a row, one against the other, that push as one.

use super::flight::Flight;
use super::solid::Solid;
use crate::collide::aabb::Aabb;
use crate::collide::contacts::LEAST_SHARE_DOWN;

/// How far apart two boxes are at most that push each other, as a share of their size.
const PUSH_SHARE: f32 = 1e-4;

impl Flight<'_> {
    /// Lists a body and all that lie against it in a direction, one behind the other, and move no more slowly away from there:
    /// what pushes it, or what it pushes.
    fn list_row(
        &mut self,
        number: usize,
        axis: usize,
        direction: f32,
        time: f32,
        than: Option<f32>,
    ) {
        self.scratch.row.clear();
        self.scratch.rows += 1;
        self.lengthen_row(number, axis, direction, time, than);
    }

    /// Adds a body and all that lie against it to the row; if a velocity is given, only those that are faster. It touches no body,
    /// because few members of a long row change their velocity.
    fn lengthen_row(
        &mut self,
        number: usize,
        axis: usize,
        direction: f32,
        time: f32,
        than: Option<f32>,
    ) {
        let frame = self.frame;
        let mark = self.scratch.rows;
        let mut row = std::mem::take(&mut self.scratch.row);
        let mut at = row.len();
        row.push(number as u32);
        self.bodies[number].row = mark;
        while let Some(&next) = row.get(at) {
            at += 1;
            let body = &self.bodies[next as usize];
            let speed = body.velocity_at(time)[axis];
            let place = body.at + body.chord * (time - body.time);
            let parts = frame.parts_of(body);
            for &neighbor in frame.neighbors_of(body) {
                let other = &self.bodies[neighbor as usize];
                let velocity = other.velocity_at(time)[axis];
                let closing = (speed - velocity) * direction;
                if closing < -frame.rest_speed / 64.0
                    || than.is_some_and(|than| (than - velocity) * direction <= 0.0)
                    || other.inverse_mass == 0.0
                    || other.row == mark
                {
                    continue;
                }
                let there = other.at + other.chord * (time - other.time);
                let lies_against = parts.iter().any(|part| {
                    let here = part.at(place);
                    frame.parts_of(other).iter().any(|other_part| {
                        lies_against(&here, &other_part.at(there), axis, direction)
                            && frame.layers.do_meet(part.layer, other_part.layer)
                    })
                });
                if lies_against {
                    row.push(neighbor);
                    self.bodies[neighbor as usize].row = mark;
                }
            }
        }
        self.scratch.row = row;
    }

    /// Stops a body that moves in a direction, and all that push it, at what has this velocity. Returns their impulse.
    pub(super) fn stop_row(
        &mut self,
        number: usize,
        axis: usize,
        direction: f32,
        velocity: f32,
    ) -> f32 {
        let first = &mut self.bodies[number];
        let time = first.time;
        let mut impulse = 0.0;
        let approach = (first.velocity[axis] - velocity) * direction;
        if approach != 0.0 {
            impulse = approach / first.inverse_mass;
            first.velocity[axis] = velocity;
        }
        self.list_row(number, axis, -direction, time, Some(velocity));
        for at in 1..self.scratch.row.len() {
            let member = self.scratch.row[at] as usize;
            self.touch(member, time);
            let body = &mut self.bodies[member];
            let approach = (body.velocity[axis] - velocity) * direction;
            if approach > 0.0 {
                impulse += approach / body.inverse_mass;
                body.velocity[axis] = velocity;
                body.hit_axes |= 1 << axis;
            }
        }
        impulse
    }

    /// Lets two bodies that have met, what pushes the one and what the other pushes continue as one. What stands is not lifted by
    /// less than its weight: gravity would take that back within the frame. Returns the impulse between the two.
    pub(super) fn push_row(
        &mut self,
        a: usize,
        b: usize,
        axis: usize,
        direction: f32,
        give: (f32, f32),
    ) -> f32 {
        if give.1 == 0.0 {
            return self.stop_row(a, axis, direction, self.bodies[b].velocity[axis]);
        }
        if give.0 == 0.0 {
            return self.stop_row(b, axis, -direction, self.bodies[a].velocity[axis]);
        }
        let time = self.bodies[a].time;
        let rises = self.frame.down[axis] * direction < -LEAST_SHARE_DOWN;
        let before = self.bodies[b].velocity[axis];
        let stands = rises && self.stands(b, a, axis, direction);
        // Gravity removes this much speed within a frame.
        let least = self.frame.rest_speed / 2.0;
        let is_slow = |velocity: f32| stands && (velocity - before) * direction < least;
        if is_slow(self.bodies[a].velocity[axis]) {
            return self.stop_row(a, axis, direction, before);
        }
        // Ahead first: what is held there holds all.
        self.list_row(b, axis, direction, time, None);
        let held = self.scratch.row.iter().find_map(|&member| {
            let body = &self.bodies[member as usize];
            body.is_held(axis, direction).then(|| body.velocity[axis])
        });
        let ahead = self.scratch.row.len();
        self.lengthen_row(a, axis, -direction, time, None);
        for at in 0..self.scratch.row.len() {
            let member = self.scratch.row[at] as usize;
            // Members that already have this velocity do not change.
            if held.is_none_or(|held| self.bodies[member].velocity_at(time)[axis] != held) {
                self.touch(member, time);
            }
        }
        let mut sums = (0.0_f64, 0.0_f64);
        let add = |body: &Solid, sums: &mut (f64, f64)| {
            let mass = f64::from(body.inverse_mass).recip();
            sums.0 += mass;
            sums.1 += mass * f64::from(body.velocity_at(time)[axis]);
        };
        for &member in &self.scratch.row[..ahead] {
            add(&self.bodies[member as usize], &mut sums);
        }
        let pushed = sums;
        for &member in &self.scratch.row[ahead..] {
            add(&self.bodies[member as usize], &mut sums);
        }
        let velocity = held.unwrap_or((sums.1 / sums.0) as f32);
        if held.is_none() && is_slow(velocity) {
            return self.stop_row(a, axis, direction, before);
        }
        let impulse = (pushed.0 * f64::from(velocity) - pushed.1) as f32 * direction;
        for (at, &member) in self.scratch.row.iter().enumerate() {
            let body = &mut self.bodies[member as usize];
            if !body.is_changed {
                continue;
            }
            body.velocity[axis] = velocity;
            if at > 0 && at != ahead {
                body.hit_axes |= 1 << axis;
            }
        }
        impulse.abs()
    }

    /// Whether a body stands on something other than `than`.
    fn stands(&self, number: usize, than: usize, axis: usize, direction: f32) -> bool {
        let frame = self.frame;
        let body = &self.bodies[number];
        if body.is_held(axis, -direction) {
            return true;
        }
        frame.parts_of(body).iter().any(|part| {
            let here = part.at(body.at);
            let on_obstacle = frame
                .obstacles_of(body)
                .iter()
                .any(|obstacle| lies_against(&here, &obstacle.aabb, axis, -direction));
            on_obstacle
                || frame.neighbors_of(body).iter().any(|&neighbor| {
                    let other = &self.bodies[neighbor as usize];
                    neighbor as usize != than
                        && (body.velocity - other.velocity)[axis] == 0.0
                        && frame.parts_of(other).iter().any(|other_part| {
                            lies_against(&here, &other_part.at(other.at), axis, -direction)
                                && frame.layers.do_meet(part.layer, other_part.layer)
                        })
                })
        })
    }
}

/// Whether a box lies against another one in a direction.
fn lies_against(here: &Aabb, there: &Aabb, axis: usize, direction: f32) -> bool {
    let most = (here.max[axis] - here.min[axis]) * PUSH_SHARE;
    let depth = here.depth(there);
    let is_ahead = (there.center() - here.center())[axis] * direction > 0.0;
    is_ahead
        && depth[axis].abs() <= most
        && (0..3).all(|across| across == axis || depth[across] > most)
}

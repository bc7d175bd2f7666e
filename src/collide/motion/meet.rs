//! Dynamic bodies that overlap part, by mass.
//!
//! One pair after the other is moved apart along one axis, each of the two by the other's share of their mass, as far as what
//! stands around them lets it; what one cannot give way the other takes. A body that stands against something that does not
//! move counts as part of it in that direction, and so does what is pressed against such a body: so a stack is held up from the
//! ground in a few iterations, and comes to rest to the bit.

use super::Step;
use super::mover::{Mover, bounce, facing};
use super::sweep::{Stop, put_face, sweep};
use crate::collide::aabb::Aabb;
use crate::collide::contacts::least_axis;
use glam::Vec3;

/// Where two bodies are in each other.
struct Overlap {
    axis: usize,
    /// 1 if the second lies ahead of the first along the axis, otherwise -1.
    direction: f32,
    /// The part of the first, and that of the second, that are deepest in each other.
    parts: (usize, usize),
    depth: f32,
}

/// The two parts of two bodies that are deepest in each other.
struct Deepest {
    depth: f32,
    parts: (usize, usize),
    here: Aabb,
    there: Aabb,
}

impl Step<'_, '_> {
    /// Parts all bodies that overlap, in a limited number of iterations.
    pub(super) fn part(&mut self, iterations: u32) {
        self.list_pairs();
        for _ in 0..iterations {
            let mut parted = 0;
            for at in 0..self.lists.pairs.len() {
                let (_, a, b) = self.lists.pairs[at];
                parted += usize::from(self.part_pair(a as usize, b as usize));
            }
            if parted == 0 {
                return;
            }
        }
    }

    /// Lists all pairs of bodies that may meet in this frame, from the ground up, and otherwise in the order of their ids: in
    /// the order of the ids alone a stack that was made from the top would be held up by one level in each iteration.
    fn list_pairs(&mut self) {
        let mut pairs = std::mem::take(&mut self.lists.pairs);
        pairs.clear();
        let movers = &self.lists.movers;
        self.lists.ways.pairs(0.0, |a, b| {
            let (Some(a), Some(b)) = (movers.of_slot(a), movers.of_slot(b)) else {
                return;
            };
            let (own, other) = (&movers.list[a], &movers.list[b]);
            if !self.layers.do_meet(own.layer, other.layer) || self.are_linked(own, other) {
                return;
            }
            let (low, high) = if own.entity < other.entity {
                (a, b)
            } else {
                (b, a)
            };
            let index = |number: usize| u64::from(movers.list[number].entity.index());
            let height = ordered(own.start.dot(-self.down).min(other.start.dot(-self.down)));
            pairs.push((
                (height, index(low) << 32 | index(high)),
                low as u32,
                high as u32,
            ));
        });
        pairs.sort_unstable();
        self.lists.pairs = pairs;
    }

    fn part_pair(&mut self, a: usize, b: usize) -> bool {
        let movers = &self.lists.movers;
        if !movers.list[a].aabb.overlaps(&movers.list[b].aabb) {
            return false;
        }
        let Some(overlap) = self.overlap(a, b) else {
            return false;
        };
        let (axis, direction) = (overlap.axis, overlap.direction);
        let (give_a, give_b) = self.gives(a, b, axis, direction);
        if give_a + give_b == 0.0 {
            // Neither can: what is left over shows in the contacts.
            return false;
        }
        let share = give_a / (give_a + give_b);
        if share > 0.0 {
            self.shove(a, axis, -direction * overlap.depth * share);
        }
        // Up to the other's face, to the bit.
        let is_apart =
            share < 1.0 && self.draw_up(b, overlap.parts.1, a, overlap.parts.0, axis, direction);
        if !is_apart {
            let is_apart = self.lists.movers.list[a].inverse_mass > 0.0
                && self.draw_up(a, overlap.parts.0, b, overlap.parts.1, axis, -direction);
            if !is_apart && share == 1.0 && self.lists.movers.list[b].inverse_mass > 0.0 {
                self.draw_up(b, overlap.parts.1, a, overlap.parts.0, axis, direction);
            }
        }
        self.share_momentum(a, b, axis, direction);
        self.press(a, b, axis, direction);
        true
    }

    /// How much each of two bodies gives way along an axis, the second being ahead of the first: by mass, and not at all
    /// where it is blocked, unless both are.
    fn gives(&self, a: usize, b: usize, axis: usize, direction: f32) -> (f32, f32) {
        let movers = &self.lists.movers.list;
        let give = |mover: &Mover, towards: f32| match mover.blocked.has(axis, towards) {
            true => 0.0,
            false => mover.inverse_mass,
        };
        let gives = (give(&movers[a], -direction), give(&movers[b], direction));
        match gives {
            (0.0, 0.0) => (movers[a].inverse_mass, movers[b].inverse_mass),
            gives => gives,
        }
    }

    /// A body pressed against an immovable one becomes immovable in that direction.
    fn press(&mut self, a: usize, b: usize, axis: usize, direction: f32) {
        let movers = &mut self.lists.movers.list;
        let holds = |mover: &Mover, towards: f32| {
            mover.blocked.has(axis, towards) || mover.inverse_mass == 0.0
        };
        if holds(&movers[a], -direction) {
            movers[b].blocked.add(axis, -direction);
        }
        if holds(&movers[b], direction) {
            movers[a].blocked.add(axis, direction);
        }
    }

    /// Moves a body along an axis as far as obstacles let it.
    fn shove(&mut self, number: usize, axis: usize, distance: f32) {
        self.know_obstacles(number, Vec3::AXES[axis] * distance, false);
        let movers = &mut self.lists.movers;
        let mut place = movers.list[number].place;
        let obstacles = &movers.obstacles[movers.list[number].obstacles.clone()];
        let stop = sweep(
            movers.parts_of(number),
            &mut place,
            axis,
            distance,
            obstacles,
        );
        movers.put(number, place);
        if let Some(stop) = stop {
            movers.list[number].blocked.add(axis, stop.direction());
        }
    }

    /// Moves a body along an axis in a direction until its part is flush with another's, as far as obstacles let it. Says
    /// whether the two parts are apart then.
    fn draw_up(
        &mut self,
        number: usize,
        part: usize,
        other: usize,
        other_part: usize,
        axis: usize,
        direction: f32,
    ) -> bool {
        let movers = &self.lists.movers;
        let against = movers.parts_of(other)[other_part].at(movers.list[other].place);
        // The face behind comes to the other's face ahead.
        let (face, coordinate) = facing(&against, axis, -direction);
        let stop = Stop {
            axis,
            face,
            part,
            coordinate,
        };
        let mut target = movers.list[number].place;
        put_face(movers.parts_of(number), &mut target, &stop);
        let distance = target[axis] - movers.list[number].place[axis];
        if distance * direction > 0.0 {
            self.shove(number, axis, distance);
        }
        let movers = &mut self.lists.movers;
        let mut place = movers.list[number].place;
        if !movers.list[number].blocked.has(axis, direction) {
            place[axis] = target[axis];
            movers.put(number, place);
        }
        let here = movers.parts_of(number)[part].at(place);
        !here.overlaps(&against)
    }

    /// Lets two bodies that meet along an axis, the second ahead of the first, go on with the momentum that they have
    /// together, as elastic as the more elastic and as rough as the rougher of the two.
    ///
    /// The impulse is (1 + e) u / (1/m₁ + 1/m₂) for an approach of speed u and a restitution e, and at most the friction
    /// times as much along the face (Coulomb). A body that rests against something that does not give way counts as part of
    /// it; one that already moves away from there has its own mass, and so has every body along the face.
    pub(super) fn share_momentum(&mut self, a: usize, b: usize, axis: usize, direction: f32) {
        let (give_a, give_b) = self.yields(a, b, axis, direction);
        let movers = &mut self.lists.movers.list;
        let (own, other) = (&movers[a], &movers[b]);
        let apart = (own.velocity - other.velocity) * direction;
        let approach = apart[axis];
        let give = give_a + give_b;
        if approach <= 0.0 || give == 0.0 {
            return;
        }
        let met = other.slot;
        let restitution = own.restitution.max(other.restitution);
        let impulse = (approach + bounce(restitution, approach, self.rest_speed)) / give;
        let normal = Vec3::AXES[axis] * (impulse * direction);
        let mut along = own.velocity - other.velocity;
        along[axis] = 0.0;
        let most = own.friction.max(other.friction) * impulse;
        let light = own.inverse_mass + other.inverse_mass;
        let grip = match light > 0.0 {
            true => (along / light).clamp_length_max(most),
            false => Vec3::ZERO,
        };
        let own = &mut movers[a];
        own.velocity -= normal * give_a + grip * own.inverse_mass;
        let other = &mut movers[b];
        other.velocity += normal * give_b + grip * other.inverse_mass;
        self.note_hit(a, met, (axis, direction), approach);
    }

    /// How much the velocity of each of two bodies yields to a push along an axis, the second being ahead of the first.
    fn yields(&self, a: usize, b: usize, axis: usize, direction: f32) -> (f32, f32) {
        let movers = &self.lists.movers.list;
        let give = |mover: &Mover, towards: f32| {
            // A body that leaves more slowly than gravity pulls it back in one frame counts as resting.
            let leaves = mover.velocity[axis] * towards < -0.5 * self.rest_speed;
            let rests = mover.blocked.has(axis, towards) && !leaves;
            if rests { 0.0 } else { mover.inverse_mass }
        };
        match (give(&movers[a], -direction), give(&movers[b], direction)) {
            (0.0, 0.0) => (movers[a].inverse_mass, movers[b].inverse_mass),
            gives => gives,
        }
    }

    /// Where two bodies are in each other: along the axis on which they were apart when the frame began, because from there
    /// they came, or else along the one on which they are least deep.
    fn overlap(&self, a: usize, b: usize) -> Option<Overlap> {
        let movers = &self.lists.movers;
        let (own, other) = (&movers.list[a], &movers.list[b]);
        let mut deepest: Option<Deepest> = None;
        for (number, part) in movers.parts_of(a).iter().enumerate() {
            let here = part.at(own.place);
            for (other_number, other_part) in movers.parts_of(b).iter().enumerate() {
                let there = other_part.at(other.place);
                let depth = here.depth(&there).min_element();
                if here.overlaps(&there) && deepest.as_ref().is_none_or(|known| depth > known.depth)
                {
                    deepest = Some(Deepest {
                        depth,
                        parts: (number, other_number),
                        here,
                        there,
                    });
                }
            }
        }
        let Deepest {
            parts, here, there, ..
        } = deepest?;
        let depth = here.depth(&there);
        let before = (
            movers.parts_of(a)[parts.0].at(own.start),
            movers.parts_of(b)[parts.1].at(other.start),
        );
        let gaps = before.0.depth(&before.1);
        let was_apart = gaps.cmple(Vec3::ZERO);
        let (axis, ahead) = if was_apart.any() {
            let among = Vec3::select(was_apart, depth, Vec3::INFINITY);
            let axis = least_axis(among);
            (axis, before.1.center()[axis] - before.0.center()[axis])
        } else {
            let axis = least_axis(depth);
            (axis, there.center()[axis] - here.center()[axis])
        };
        Some(Overlap {
            axis,
            direction: 1.0_f32.copysign(ahead),
            parts,
            depth: depth[axis],
        })
    }
}

/// A number whose bits order as it does.
fn ordered(number: f32) -> u32 {
    // Plus nothing, so that both zeros are one.
    let bits = (number + 0.0).to_bits();
    match bits >> 31 {
        0 => bits | 1 << 31,
        _ => !bits,
    }
}

#[cfg(test)]
mod tests {
    use super::ordered;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn bits_order_as_numbers_do(a in any::<f32>(), b in any::<f32>()) {
            prop_assert_eq!(ordered(a) < ordered(b), a < b);
        }
    }

    #[test]
    fn zeros_are_one() {
        assert_eq!(ordered(0.0), ordered(-0.0));
    }
}

//! Groups of bodies that may meet each other in a frame, and no other.

use super::Step;
use super::flight::{self, Flight};
use super::mover::{Mover, Movers};
use super::solid::{Frame, Outset, Solid, fly_alone, side_of};
use crate::collide::boxes::Slot;
use glam::Vec3;
use std::ops::Range;

/// The least number of bodies for which a thread pays; they take about a millisecond.
pub(super) const PIECE: usize = if cfg!(test) { 2 } else { 512 };

/// The groups of a frame; the lists are kept from frame to frame.
#[derive(Default, Debug)]
pub(super) struct Groups {
    /// By mover: one of its group, and in the end the first of them.
    roots: Vec<u32>,
    /// The movers that collide, group by group.
    pub(super) members: Vec<u32>,
    /// By mover: its number within its group.
    places: Vec<u32>,
    /// Where each group ends in the list of members.
    pub(super) ends: Vec<usize>,
    /// Of all bodies those that they may meet, by number within the group.
    neighbors: Vec<u32>,
    starts: Vec<u32>,
}

impl Groups {
    fn root(&mut self, mut number: u32) -> u32 {
        while self.roots[number as usize] != number {
            let next = self.roots[self.roots[number as usize] as usize];
            self.roots[number as usize] = next;
            number = next;
        }
        number
    }

    /// Forms the groups of the movers that collide, out of the pairs that may meet. Each group is sorted by id, because
    /// the numbers of movers change when a group wakes.
    fn form(&mut self, movers: &Movers, pairs: &[(u32, u32)]) {
        let count = movers.list.len();
        self.roots.clear();
        self.roots.extend(0..count as u32);
        for &(a, b) in pairs {
            let (a, b) = (self.root(a), self.root(b));
            self.roots[a.max(b) as usize] = a.min(b);
        }
        self.members.clear();
        self.members.extend_from_slice(&movers.colliding);
        if !pairs.is_empty() {
            self.gather_groups(&movers.colliding);
        }
        self.places.clear();
        self.places.resize(count, 0);
        self.ends.clear();
        let mut first = 0;
        for at in 0..self.members.len() {
            let root = self.roots[self.members[at] as usize];
            let next = self.members.get(at + 1);
            if next.is_some_and(|&next| self.roots[next as usize] == root) {
                continue;
            }
            let group = &mut self.members[first..=at];
            if group.len() > 1 {
                group.sort_unstable_by_key(|&number| movers.list[number as usize].entity.index());
            }
            for (place, &number) in group.iter().enumerate() {
                self.places[number as usize] = place as u32;
            }
            self.ends.push(at + 1);
            first = at + 1;
        }
        self.list_neighbors(count, pairs);
    }

    /// Puts the members group by group, in the order of the roots, by counting how many each root has. O(movers).
    fn gather_groups(&mut self, colliding: &[u32]) {
        self.starts.clear();
        self.starts.resize(self.roots.len() + 1, 0);
        for &number in colliding {
            let root = self.root(number);
            self.roots[number as usize] = root;
            self.starts[root as usize + 1] += 1;
        }
        for at in 1..self.starts.len() {
            self.starts[at] += self.starts[at - 1];
        }
        for &number in colliding {
            let start = &mut self.starts[self.roots[number as usize] as usize];
            self.members[*start as usize] = number;
            *start += 1;
        }
    }

    fn list_neighbors(&mut self, count: usize, pairs: &[(u32, u32)]) {
        self.starts.clear();
        self.starts.resize(count + 1, 0);
        for &(a, b) in pairs {
            self.starts[a as usize] += 1;
            self.starts[b as usize] += 1;
        }
        let mut sum = 0;
        for start in &mut self.starts {
            sum += *start;
            *start = sum;
        }
        self.neighbors.clear();
        self.neighbors.resize(2 * pairs.len(), 0);
        for &(a, b) in pairs {
            for (own, other) in [(a, b), (b, a)] {
                let start = &mut self.starts[own as usize];
                *start -= 1;
                self.neighbors[*start as usize] = self.places[other as usize];
            }
        }
        if !pairs.is_empty() {
            for number in 0..count {
                let range = self.starts[number] as usize..self.starts[number + 1] as usize;
                self.neighbors[range].sort_unstable();
            }
        }
    }
}

/// The state of a body at the end of its flight.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub(super) struct Outcome {
    pub(super) place: Vec3,
    pub(super) velocity: Vec3,
    /// What holds it on the side to which gravity points.
    pub(super) ground: Option<Slot>,
    /// A bit for each axis along which something other than its carrier has changed its velocity.
    pub(super) hit_axes: u8,
}

/// Neighboring groups in the list of members, with the outcomes of their bodies.
struct Piece<'p> {
    groups: Range<usize>,
    /// The number of the first body among all members.
    first: usize,
    outcomes: &'p mut [Outcome],
    /// One for each thread that may work on it.
    scratches: &'p mut [flight::Scratch],
}

impl Groups {
    /// Lets all groups of a piece fly.
    fn fly(&self, piece: Piece<'_>, movers: &[Mover], frame: &Frame<'_>) {
        #[cfg(feature = "parallel")]
        if piece.scratches.len() > 1 {
            let (left, right) = self.split(piece);
            rayon::join(
                || self.fly(left, movers, frame),
                || self.fly(right, movers, frame),
            );
            return;
        }
        let [scratch, ..] = piece.scratches else {
            return;
        };
        let mut bodies = std::mem::take(&mut scratch.bodies);
        let mut start = piece.first;
        for &end in &self.ends[piece.groups] {
            if let &[number] = &self.members[start..end] {
                let mover = &movers[number as usize];
                if mover.obstacles.is_empty() {
                    let parts = &frame.parts[mover.parts.clone()];
                    let outset = Outset {
                        place: mover.place,
                        velocity: mover.velocity,
                        pull: mover.pull,
                        region: mover.region,
                    };
                    piece.outcomes[start - piece.first] = fly_alone(&outset, parts, frame.seconds);
                    start = end;
                    continue;
                }
            }
            bodies.clear();
            bodies.extend(
                self.members[start..end]
                    .iter()
                    .map(|&number| self.solid(number, &movers[number as usize], frame)),
            );
            let mut flight = Flight {
                bodies: &mut bodies,
                frame,
                scratch,
            };
            flight.fly();
            flight.commit();
            let outcomes = &mut piece.outcomes[start - piece.first..end - piece.first];
            for (body, outcome) in bodies.iter().zip(outcomes) {
                *outcome = body.outcome(frame.ground);
            }
            start = end;
        }
        scratch.bodies = bodies;
    }

    /// Halves a piece between two groups.
    #[cfg(feature = "parallel")]
    fn split<'p>(&self, piece: Piece<'p>) -> (Piece<'p>, Piece<'p>) {
        let middle = piece.first + piece.outcomes.len() / 2;
        let own = &self.ends[piece.groups.clone()];
        let group = piece.groups.start + own.partition_point(|&end| end <= middle);
        let start = group.checked_sub(1).map_or(0, |before| self.ends[before]);
        let (outcomes, more_outcomes) = piece.outcomes.split_at_mut(start - piece.first);
        let half = piece.scratches.len() / 2;
        let (scratches, more_scratches) = piece.scratches.split_at_mut(half);
        let left = Piece {
            groups: piece.groups.start..group,
            first: piece.first,
            outcomes,
            scratches,
        };
        let right = Piece {
            groups: group..piece.groups.end,
            first: start,
            outcomes: more_outcomes,
            scratches: more_scratches,
        };
        (left, right)
    }

    /// A body as it begins to fly.
    fn solid(&self, number: u32, mover: &Mover, frame: &Frame<'_>) -> Solid {
        let range = |range: &Range<usize>| range.start as u32..range.end as u32;
        let at = number as usize;
        let mut body = Solid {
            id: mover.entity.index(),
            parts: range(&mover.parts),
            obstacles: range(&mover.obstacles),
            neighbors: self.starts[at]..self.starts[at + 1],
            region: mover.region,
            inverse_mass: mover.inverse_mass,
            restitution: mover.restitution,
            friction: mover.friction,
            carrier: mover.ride.and_then(|ride| ride.on),
            height: mover.height(frame.down),
            place: mover.place,
            start: mover.place,
            time: 0.0,
            at: mover.place,
            velocity: mover.velocity,
            pull: mover.pull,
            chord: Vec3::ZERO,
            hits: 0,
            stamp: 0,
            is_changed: false,
            row: 0,
            holds: Default::default(),
            hit_axes: 0,
            corners: Default::default(),
        };
        for axis in (0..3).filter(|axis| mover.pinned & 1 << axis != 0) {
            body.pin(axis);
        }
        body.set_chord(frame.seconds);
        body
    }
}

impl Step<'_, '_> {
    /// Moves all dynamic bodies.
    pub(super) fn move_dynamic(&mut self) {
        let lists = &mut *self.lists;
        lists.groups.form(&lists.movers, &lists.pairs);
        let pieces = self.make_room();
        self.fly_groups(pieces);
        let movers = &self.lists.movers;
        let all_collide = movers.colliding.len() + movers.order.len() == movers.list.len();
        let others = if all_collide { 0 } else { movers.list.len() };
        for number in 0..others {
            let mover = &mut self.lists.movers.list[number];
            if mover.is_dynamic && !mover.collides {
                self.meetings.note_awake(mover.entity);
                let place = mover.place
                    + (mover.velocity + mover.pull * (self.seconds / 2.0)) * self.seconds;
                mover.velocity += mover.pull * self.seconds;
                self.lists.movers.put(number, place);
            }
        }
        let lists = &mut *self.lists;
        for (&number, outcome) in lists.groups.members.iter().zip(&lists.outcomes) {
            let number = number as usize;
            let mover = &mut lists.movers.list[number];
            mover.velocity = outcome.velocity;
            self.meetings.note_awake(mover.entity);
            lists.movers.put(number, outcome.place);
        }
        self.note_exchanges();
        self.end_rides();
    }

    fn fly_groups(&mut self, pieces: usize) {
        let ground = self
            .down_axis()
            .map(|(axis, direction)| side_of(axis, direction));
        let lists = &mut *self.lists;
        let frame = Frame {
            parts: &lists.movers.parts,
            obstacles: &lists.movers.obstacles,
            neighbors: &lists.groups.neighbors,
            moved: &lists.moved,
            layers: self.layers,
            seconds: self.seconds,
            down: self.down,
            ground,
            rest_speed: self.rest_speed,
            least_way: self.rest_speed * self.seconds / 1024.0,
            iterations: self.iterations,
        };
        let (groups, movers) = (&lists.groups, &lists.movers.list);
        let piece = Piece {
            groups: 0..groups.ends.len(),
            first: 0,
            outcomes: &mut lists.outcomes,
            scratches: &mut lists.scratches[..pieces],
        };
        self.threads.run(|| groups.fly(piece, movers, &frame));
    }

    /// Makes room for the outcomes, so that a steady frame allocates nothing, not even when bodies come to rest in it. Returns
    /// the number of pieces into which the groups are divided.
    fn make_room(&mut self) -> usize {
        let lists = &mut *self.lists;
        let bodies = lists.groups.members.len();
        lists.outcomes.clear();
        lists.outcomes.resize(bodies, Outcome::default());
        let pieces = self.threads.pieces(bodies, PIECE);
        if lists.scratches.len() < pieces {
            lists.scratches.resize_with(pieces, Default::default);
        }
        for scratch in &mut lists.scratches {
            scratch.exchanges.clear();
        }
        lists.scratches[0].reserve(bodies);
        lists
            .woken
            .reserve(bodies.saturating_sub(lists.woken.len()));
        let (indices, slots) = lists.movers.bounds;
        lists.resting.reserve(bodies, indices, slots);
        pieces
    }
}

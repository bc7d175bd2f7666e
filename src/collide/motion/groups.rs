//! Groups of bodies that may meet each other in a frame, and no other.

use super::Step;
use super::events::ordered;
use super::flight::Flight;
use super::mover::Mover;
use super::solid::{Frame, Solid};
use glam::Vec3;

/// The groups of a frame; the lists are kept from frame to frame.
#[derive(Default, Debug)]
pub(super) struct Groups {
    /// By mover: one of its group, and in the end the first of them.
    roots: Vec<u32>,
    /// The movers that collide, group by group.
    members: Vec<u32>,
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
    fn form(&mut self, movers: &[Mover], pairs: &[(u32, u32)]) {
        let count = movers.len();
        self.roots.clear();
        self.roots.extend(0..count as u32);
        for &(a, b) in pairs {
            let (a, b) = (self.root(a), self.root(b));
            self.roots[a.max(b) as usize] = a.min(b);
        }
        self.members.clear();
        self.members
            .extend((0..count as u32).filter(|&number| movers[number as usize].collides));
        for at in 0..self.members.len() {
            let number = self.members[at];
            let root = self.root(number);
            self.roots[number as usize] = root;
        }
        if !pairs.is_empty() {
            let roots = &self.roots;
            self.members.sort_unstable_by_key(|&number| {
                let entity = movers[number as usize].entity;
                (roots[number as usize], entity.index())
            });
        }
        self.places.clear();
        self.places.resize(count, 0);
        self.ends.clear();
        let mut first = 0;
        for at in 0..self.members.len() {
            let number = self.members[at] as usize;
            self.places[number] = (at - first) as u32;
            let next = self.members.get(at + 1);
            if next.is_none_or(|&next| self.roots[next as usize] != self.roots[number]) {
                self.ends.push(at + 1);
                first = at + 1;
            }
        }
        self.list_neighbors(count, pairs);
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

impl Step<'_, '_> {
    /// Moves all dynamic bodies.
    pub(super) fn move_dynamic(&mut self) {
        let lists = &mut *self.lists;
        lists.groups.form(&lists.movers.list, &lists.pairs);
        self.list_solids();
        let lists = &mut *self.lists;
        let movers = &lists.movers.list;
        let frame = Frame {
            parts: &lists.movers.parts,
            obstacles: &lists.movers.obstacles,
            neighbors: &lists.groups.neighbors,
            moved: &lists.moved,
            layers: self.layers,
            seconds: self.seconds,
            down: self.down,
            rest_speed: self.rest_speed,
            least_way: self.rest_speed * self.seconds / 1024.0,
            iterations: self.iterations,
        };
        lists.scratch.reserve(lists.solids.len());
        let bodies = lists.solids.len();
        lists
            .woken
            .reserve(bodies.saturating_sub(lists.woken.len()));
        let indices = lists.solids.iter().map(|body| body.id as usize + 1);
        let slots = movers
            .iter()
            .filter_map(|mover| Some(mover.slot? as usize + 1));
        lists.resting.reserve(
            lists.solids.len(),
            indices.max().unwrap_or(0),
            slots.max().unwrap_or(0),
        );
        lists.scratch.exchanges.clear();
        let mut rest = &mut lists.solids[..];
        let mut first = 0;
        for &end in &lists.groups.ends {
            let (bodies, more) = std::mem::take(&mut rest).split_at_mut(end - first);
            (rest, first) = (more, end);
            let mut flight = Flight {
                bodies,
                frame: &frame,
                scratch: &mut lists.scratch,
            };
            flight.fly();
            flight.commit();
        }
        for number in 0..lists.movers.list.len() {
            let mover = &mut lists.movers.list[number];
            if mover.is_dynamic && !mover.collides {
                let place = mover.place
                    + (mover.velocity + mover.pull * (self.seconds / 2.0)) * self.seconds;
                mover.velocity += mover.pull * self.seconds;
                lists.movers.put(number, place);
            }
        }
        for at in 0..lists.solids.len() {
            let body = &lists.solids[at];
            let (number, place, velocity) = (body.number as usize, body.place, body.velocity);
            lists.movers.list[number].velocity = velocity;
            lists.movers.put(number, place);
        }
        self.note_exchanges();
        self.end_rides();
    }

    fn list_solids(&mut self) {
        let lists = &mut *self.lists;
        lists.solids.clear();
        for &number in &lists.groups.members {
            let mover = &lists.movers.list[number as usize];
            let range = |range: &std::ops::Range<usize>| range.start as u32..range.end as u32;
            let neighbors =
                lists.groups.starts[number as usize]..lists.groups.starts[number as usize + 1];
            let bottom =
                mover.place.dot(-self.down) - mover.aabb.half_extents().dot(self.down.abs());
            let mut body = Solid {
                number,
                id: mover.entity.index(),
                parts: range(&mover.parts),
                obstacles: range(&mover.obstacles),
                neighbors,
                region: mover.region,
                inverse_mass: mover.inverse_mass,
                restitution: mover.restitution,
                friction: mover.friction,
                carrier: mover.ride.and_then(|ride| ride.on),
                height: ordered(bottom),
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
            body.set_chord(self.seconds);
            lists.solids.push(body);
        }
    }
}

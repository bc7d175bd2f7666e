//! Which ids the edits of a system reserve while other systems do the same.
//!
//! The ids of a phase must not depend on threads, so each is a function of the lane and of how many ids the lane has
//! reserved before. No such function is dense for every lane: every id that one lane may use must stay free in the others. So a
//! lane has three series of ids, one after the other:
//!
//! 1. some places that all lanes share out in turn: what most phases need, at the price of a few unused places;
//! 2. as many places of its own as it used the last time beyond those: what a steady spawner needs, without a gap;
//! 3. blocks of *far* indices, which have no slots until they are used: what a sudden burst needs.
//!
//! With the first series alone, 50,000 spawns beside 399 lanes that reserve nothing took 20 million slots and 1.76 s.

use super::far::BLOCK;

/// Places that all lanes together may leave unused for the sake of the first series.
const SHARED_PLACES: u32 = 16_384;

/// The least number of places that each lane has in the first series.
const LEAST_SHARED: u32 = 16;

/// One of several series of ids that are reserved side by side.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct Lane {
    pub(crate) number: u32,
    pub(crate) of: u32,
    /// Where the places of its own start, and how many they are.
    own: (u32, u32),
    /// Where the places behind those of all lanes start.
    behind: u32,
    /// The first far index of the phase.
    far: u32,
}

/// Where an id comes from.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Origin {
    /// A place in the sequence in which plain spawns take ids.
    Place(usize),
    /// A far index.
    Far(u32),
}

impl Lane {
    /// The only lane of a phase.
    pub(crate) const ONLY: Self = Self {
        number: 0,
        of: 1,
        own: (u32::MAX, 0),
        behind: u32::MAX,
        far: 0,
    };

    /// The lanes of a phase, given how many ids each reserved the last time and the first free far index.
    pub(super) fn share_out(used_before: &[u32], far: u32, lanes: &mut Vec<Self>) {
        lanes.clear();
        let of = used_before.len() as u32;
        if of == 1 {
            return lanes.push(Self::ONLY);
        }
        let each = Self::shared_each(of);
        let mut behind = of * each;
        for (&used, number) in used_before.iter().zip(0..) {
            let own = used.saturating_sub(each);
            lanes.push(Self {
                number,
                of,
                own: (behind, own),
                behind: 0,
                far,
            });
            behind = behind.saturating_add(own);
        }
        for lane in lanes {
            lane.behind = behind;
        }
    }

    /// How many places of the first series each of some lanes has.
    fn shared_each(of: u32) -> u32 {
        match of {
            1 => u32::MAX,
            _ => (SHARED_PLACES / of).max(LEAST_SHARED),
        }
    }

    /// Where the `count`-th id (from 0) comes from.
    pub(super) fn origin(self, count: u32) -> Origin {
        let each = Self::shared_each(self.of);
        if count < each {
            return Origin::Place(count as usize * self.of as usize + self.number as usize);
        }
        let count = count - each;
        let (start, own) = self.own;
        if count < own {
            return Origin::Place((start + count) as usize);
        }
        let count = count - own;
        match self.far_index(count) {
            Some(index) => Origin::Far(index),
            // All far indices are used up: turns again, at the price of the places between.
            None => Origin::Place(
                self.behind as usize + count as usize * self.of as usize + self.number as usize,
            ),
        }
    }

    /// Blocks double in size, so a lane that needs few leaves few unused, and one that needs many at most half of them.
    fn far_index(self, count: u32) -> Option<u32> {
        let doublings = (count / BLOCK + 1).ilog2();
        let size = u64::from(BLOCK) << doublings;
        let within = u64::from(count) - (size - u64::from(BLOCK));
        let round = u64::from(self.of) * (size - u64::from(BLOCK));
        let offset = round + u64::from(self.number) * size + within;
        let index = u64::from(self.far) + offset;
        u32::try_from(index).ok().filter(|&index| index != u32::MAX)
    }
}

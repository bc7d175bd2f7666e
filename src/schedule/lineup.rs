//! Who takes part in a phase at present, laid out for the executor.

use super::plan::PhasePlan;
use fixedbitset::FixedBitSet;

/// The systems of a phase that are switched on, in the order in which one thread runs them. A *place* is a position in
/// that order. Made anew when a system is added or switched; a system that is off is not in it and costs nothing.
#[derive(Default, Debug)]
pub(super) struct Lineup {
    /// By place: the number of the system, in registration order.
    pub(super) systems: Vec<u32>,
    /// By place: how many direct predecessors there are.
    pub(super) waits_for: Vec<u32>,
    /// By place: where the list of its direct followers starts; the next one's start is its end.
    starts: Vec<u32>,
    followers: Vec<u32>,
    /// By place: whether only the caller's thread may run it.
    pub(super) on_caller_thread: Vec<bool>,
    /// The systems that record edits, in registration order.
    pub(super) recording: Vec<u32>,
    /// Whether any two systems may run at the same time.
    pub(super) is_wide: bool,
}

/// What the lineup has to know of a system.
#[derive(Clone, Copy)]
pub(super) struct Member {
    pub(super) is_on: bool,
    pub(super) records_edits: bool,
    pub(super) on_caller_thread: bool,
}

impl Lineup {
    pub(super) fn new(plan: &PhasePlan, members: &[Member]) -> Self {
        let mut wanted = FixedBitSet::with_capacity(plan.len());
        for (at, member) in members.iter().enumerate() {
            wanted.set(at, member.is_on);
        }
        let (systems, direct) = plan.restricted(&wanted);
        let mut follower_counts = vec![0_u32; systems.len()];
        for &before in direct.iter().flatten() {
            follower_counts[before as usize] += 1;
        }
        let mut starts = Vec::with_capacity(systems.len() + 1);
        let mut next = 0;
        for count in follower_counts {
            starts.push(next);
            next += count;
        }
        starts.push(next);
        let mut followers = vec![0; next as usize];
        let mut filled = starts.clone();
        for (place, direct) in direct.iter().enumerate() {
            for &before in direct {
                let slot = &mut filled[before as usize];
                followers[*slot as usize] = place as u32;
                *slot += 1;
            }
        }
        let waits_for: Vec<u32> = direct.iter().map(|direct| direct.len() as u32).collect();
        // A chain: each place waits for the one before it.
        let is_chain = (1..systems.len()).all(|place| direct[place].contains(&(place as u32 - 1)));
        Self {
            on_caller_thread: systems
                .iter()
                .map(|&system| members[system as usize].on_caller_thread)
                .collect(),
            recording: wanted
                .ones()
                .filter(|&at| members[at].records_edits)
                .map(|at| at as u32)
                .collect(),
            is_wide: !is_chain,
            systems,
            waits_for,
            starts,
            followers,
        }
    }

    pub(super) fn followers(&self, place: u32) -> &[u32] {
        let place = place as usize;
        &self.followers[self.starts[place] as usize..self.starts[place + 1] as usize]
    }

    pub(super) fn len(&self) -> usize {
        self.systems.len()
    }
}

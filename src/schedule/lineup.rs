//! Who takes part in a phase at present, laid out for the executor.

use super::executor::Graph;
use super::plan::PhasePlan;
use fixedbitset::FixedBitSet;

/// The systems of a phase that are switched on, in the order in which one thread runs them. A *place* is a position in
/// that order. Made anew when a system is added or switched; a system that is off is not in it and costs nothing.
#[derive(Default, Debug)]
pub(super) struct Lineup {
    /// By place: the number of the system, in registration order.
    pub(super) systems: Vec<u32>,
    pub(super) graph: Graph,
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
        // A chain: each place waits for the one before it.
        let is_chain = (1..systems.len()).all(|place| direct[place].contains(&(place as u32 - 1)));
        Self {
            graph: Graph::new(
                &direct,
                systems
                    .iter()
                    .map(|&system| members[system as usize].on_caller_thread)
                    .collect(),
            ),
            recording: wanted
                .ones()
                .filter(|&at| members[at].records_edits)
                .map(|at| at as u32)
                .collect(),
            is_wide: !is_chain,
            systems,
        }
    }

    pub(super) fn len(&self) -> usize {
        self.systems.len()
    }
}

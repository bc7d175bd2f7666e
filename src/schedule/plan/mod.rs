//! The plan: who runs before whom, and why.
//!
//! Two systems of a phase are ordered if one of them states it (`after`, `before`), or if they clash: both reach something
//! that at least one of them writes. Those that clash run in registration order unless what is stated, and the clashes
//! before, make it the other way round. Everything else may run at the same time, and the result is the same.

mod edge;
mod order;
mod precedence;
mod stated;

pub use edge::{Edge, Reason};
pub use order::Order;

use super::phase::Phase;
use super::rules::OrderWish;
use crate::error::Error;
use crate::store::Access;
use fixedbitset::FixedBitSet;
use precedence::Precedence;
use stated::StatedPair;

/// The part of a system that the plan needs.
#[derive(Clone, Copy, Debug)]
pub(super) struct Candidate<'s> {
    pub(super) name: &'s str,
    pub(super) labels: &'s [String],
    pub(super) orders: &'s [OrderWish],
    /// With that of its conditions.
    pub(super) access: &'s Access,
}

impl Candidate<'_> {
    fn answers_to(&self, name_or_label: &str) -> bool {
        self.name == name_or_label || self.labels.iter().any(|label| label == name_or_label)
    }
}

/// The planned order of all systems, phase by phase; from [`Schedule::plan`](crate::Schedule::plan).
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::bare();
/// runtime.add_system(System::named("steer").takes::<Rows<&mut Transform>>().runs(|_| ()))?;
/// runtime.add_system(System::named("wake").takes::<Rows<&Transform>>().runs(|_| ()))?;
/// runtime.add_system(System::named("count").takes::<()>().runs(|()| ()))?;
///
/// let plan = runtime.schedule().plan()?;
/// let simulate = plan.phase(Phase::Simulate).expect("it has systems");
/// let edges: Vec<String> = simulate.edges().map(|edge| edge.to_string()).collect();
/// assert_eq!(edges, ["`steer` writes Transform, `wake` reads it; registered first"]);
/// assert_eq!(simulate.waves(), [vec!["steer", "count"], vec!["wake"]]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Plan {
    phases: Vec<PhasePlan>,
}

impl Plan {
    /// # Errors
    ///
    /// If a stated order cannot be kept.
    pub(super) fn new(all: &[(Phase, Vec<Candidate<'_>>)]) -> Result<Self, Error> {
        let filled = all.iter().filter(|(_, systems)| !systems.is_empty());
        let phases = filled.map(|(phase, systems)| PhasePlan::new(*phase, systems, all));
        Ok(Self {
            phases: phases.collect::<Result<_, _>>()?,
        })
    }

    /// The phases that have systems, in the order in which they run.
    #[must_use]
    pub fn phases(&self) -> &[PhasePlan] {
        &self.phases
    }

    /// One phase, if it has systems.
    #[must_use]
    pub fn phase(&self, phase: Phase) -> Option<&PhasePlan> {
        self.phases.iter().find(|planned| planned.phase == phase)
    }
}

/// The planned order of the systems of one phase; see [`Plan`].
#[derive(Clone, Debug)]
pub struct PhasePlan {
    phase: Phase,
    /// In registration order.
    names: Vec<String>,
    accesses: Vec<Access>,
    stated: Vec<StatedPair>,
    /// What the stated pairs alone make.
    stated_order: Precedence,
    order: Precedence,
    sequence: Vec<u32>,
    /// By place in the sequence: the places of direct predecessors.
    direct: Vec<Vec<u32>>,
}

impl PhasePlan {
    fn new(
        phase: Phase,
        systems: &[Candidate<'_>],
        all: &[(Phase, Vec<Candidate<'_>>)],
    ) -> Result<Self, Error> {
        let stated = stated::stated_pairs(phase, systems, all)?;
        let stated_order = stated::precedence(phase, systems, &stated)?;
        let mut order = stated_order.clone();
        for second in 0..systems.len() {
            // From the neighbour back: in a row of systems that all clash, each but the first is implied.
            for first in (0..second).rev() {
                if order.is_before(first, second) || order.is_before(second, first) {
                    continue;
                }
                if systems[first].access.clashes(systems[second].access) {
                    order.add(first, second);
                }
            }
        }
        let mut everybody = FixedBitSet::with_capacity(systems.len());
        everybody.insert_range(..);
        let sequence = order.sequence(&everybody);
        let direct = order.reduced(&sequence);
        Ok(Self {
            phase,
            names: systems
                .iter()
                .map(|system| system.name.to_owned())
                .collect(),
            accesses: systems.iter().map(|system| system.access.clone()).collect(),
            stated,
            stated_order,
            order,
            sequence,
            direct,
        })
    }

    /// The plan of a phase without systems.
    pub(super) fn empty(phase: Phase) -> Self {
        Self {
            phase,
            names: Vec::new(),
            accesses: Vec::new(),
            stated: Vec::new(),
            stated_order: Precedence::default(),
            order: Precedence::default(),
            sequence: Vec::new(),
            direct: Vec::new(),
        }
    }

    /// The phase.
    #[must_use]
    pub fn phase(&self) -> Phase {
        self.phase
    }

    /// The names of the systems in the order in which one thread runs them.
    pub fn sequence(&self) -> impl Iterator<Item = &str> {
        self.sequence.iter().map(|&at| self.name(at as usize))
    }

    fn name(&self, system: usize) -> &str {
        &self.names[system]
    }

    fn at(&self, name: &str) -> Option<usize> {
        self.names.iter().position(|known| known == name)
    }

    /// The pairs from which the whole order follows, each with its reason.
    pub fn edges(&self) -> impl Iterator<Item = Edge<'_>> {
        let places = self.direct.iter().enumerate();
        places.flat_map(move |(place, direct)| {
            let second = self.sequence[place] as usize;
            let firsts = direct.iter().rev();
            firsts.map(move |&first| self.edge(self.sequence[first as usize] as usize, second))
        })
    }

    fn edge(&self, first: usize, second: usize) -> Edge<'_> {
        let mut stated = self.stated.iter();
        let reason = match stated.find(|pair| pair.first == first && pair.second == second) {
            Some(pair) => Reason::Stated {
                by: self.name(pair.by),
                word: pair.wish.word.name(),
                target: &pair.wish.target,
            },
            None => Reason::Clash {
                uses: self.accesses[first]
                    .shared_uses(&self.accesses[second])
                    .collect(),
                registered_first: first < second,
            },
        };
        Edge {
            first: self.name(first),
            second: self.name(second),
            reason,
        }
    }

    /// Groups of systems that may run at the same time: a system is in the first wave after those of all that come before
    /// it. The executor waits for systems, not for waves, so this is a picture, not a timetable.
    #[must_use]
    pub fn waves(&self) -> Vec<Vec<&str>> {
        let mut wave_of: Vec<usize> = Vec::with_capacity(self.sequence.len());
        let mut waves: Vec<Vec<&str>> = Vec::new();
        for (place, direct) in self.direct.iter().enumerate() {
            let wave = direct
                .iter()
                .map(|&before| wave_of[before as usize] + 1)
                .max()
                .unwrap_or(0);
            wave_of.push(wave);
            if waves.len() <= wave {
                waves.push(Vec::new());
            }
            waves[wave].push(self.name(self.sequence[place] as usize));
        }
        waves
    }

    /// The pairs that clash although no rule states their order, directly or through others: they run in the order given
    /// here, which is that of registration where nothing else decides. Worth stating where it matters.
    pub fn unstated_clashes(&self) -> impl Iterator<Item = Edge<'_>> {
        let systems = 0..self.names.len();
        let pairs = systems.flat_map(|second| (0..second).map(move |first| (first, second)));
        pairs.filter_map(|(a, b)| {
            let is_stated = self.stated_order.is_before(a, b) || self.stated_order.is_before(b, a);
            if is_stated || !self.accesses[a].clashes(&self.accesses[b]) {
                return None;
            }
            let (first, second) = match self.order.is_before(a, b) {
                true => (a, b),
                false => (b, a),
            };
            Some(self.edge(first, second))
        })
    }

    /// How many systems there are.
    pub(super) fn len(&self) -> usize {
        self.names.len()
    }

    /// The sequence of the systems that take part, and for each place in it the places of direct predecessors. Orders
    /// that go through a system that takes no part still hold.
    pub(super) fn restricted(&self, wanted: &FixedBitSet) -> (Vec<u32>, Vec<Vec<u32>>) {
        if wanted.is_full() {
            return (self.sequence.clone(), self.direct.clone());
        }
        let sequence = self.order.sequence(wanted);
        let direct = self.order.reduced(&sequence);
        (sequence, direct)
    }

    /// The longest chain of systems by a weight for each, in registration order: its systems, and the sum of their weights.
    pub(super) fn longest_chain(&self, weights: &[f64]) -> (Vec<usize>, f64) {
        let mut longest: Vec<(f64, Option<usize>)> = Vec::with_capacity(self.sequence.len());
        for (place, direct) in self.direct.iter().enumerate() {
            let before = direct
                .iter()
                .map(|&before| (longest[before as usize].0, before as usize))
                .max_by(|a, b| a.0.total_cmp(&b.0));
            let own = weights[self.sequence[place] as usize];
            longest.push(match before {
                Some((sum, before)) => (sum + own, Some(before)),
                None => (own, None),
            });
        }
        let end = (0..longest.len()).max_by(|&a, &b| longest[a].0.total_cmp(&longest[b].0));
        let sum = end.map_or(0.0, |end| longest[end].0);
        let mut chain = Vec::new();
        let mut at = end;
        while let Some(place) = at {
            chain.push(self.sequence[place] as usize);
            at = longest[place].1;
        }
        chain.reverse();
        (chain, sum)
    }
}

#[cfg(test)]
mod tests;

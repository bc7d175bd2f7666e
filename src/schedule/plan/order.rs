//! Why two systems run in the order in which they run.

use super::{Edge, PhasePlan, Plan};
use crate::error::{Error, Kind};
use crate::schedule::phase::Phase;
use crate::suggest::suggest;
use std::collections::VecDeque;
use std::fmt;

/// How two systems stand to each other; from [`Plan::order_of`]. Its text form says it in sentences.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub enum Order<'p> {
    /// They are in different phases.
    ByPhase {
        /// The system in the earlier phase, and that phase.
        first: (&'p str, Phase),
        /// The system in the later phase, and that phase.
        second: (&'p str, Phase),
    },
    /// A chain of edges leads from the one to the other.
    ByEdges(Vec<Edge<'p>>),
    /// Nothing orders them: they may run at the same time.
    Free,
}

impl fmt::Display for Order<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::ByPhase { first, second } => write!(
                f,
                "`{}` runs first: phase {} comes before phase {}, in which `{}` is",
                first.0, first.1, second.1, second.0
            ),
            Self::ByEdges(edges) => {
                let ends = edges.first().zip(edges.last());
                if let Some((first, last)) = ends {
                    write!(f, "`{}` runs before `{}`", first.first(), last.second())?;
                }
                edges.iter().try_for_each(|edge| write!(f, "\n  {edge}"))
            }
            Self::Free => write!(
                f,
                "nothing orders them: they share nothing that either writes, so they may run at the same time"
            ),
        }
    }
}

impl Plan {
    /// How two systems are ordered, and why: by their phases, or by the shortest chain of edges. O(systems + edges).
    ///
    /// # Errors
    ///
    /// If there is no system of one of the names; the message lists all.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::bare();
    /// runtime.add_system(System::named("draw").after("wake").takes::<()>().runs(|()| ()))?;
    /// runtime.add_system(System::named("steer").takes::<Rows<&mut Transform>>().runs(|_| ()))?;
    /// runtime.add_system(System::named("wake").takes::<Rows<&Transform>>().runs(|_| ()))?;
    ///
    /// let plan = runtime.schedule().plan()?;
    /// let order = plan.order_of("draw", "steer")?.to_string();
    /// assert_eq!(
    ///     order,
    ///     "`steer` runs before `draw`\n  \
    ///      `steer` writes Transform, `wake` reads it; registered first\n  \
    ///      `draw` states `after wake`"
    /// );
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn order_of(&self, one: &str, other: &str) -> Result<Order<'_>, Error> {
        let (one_phase, one) = self.find(one)?;
        let (other_phase, other) = self.find(other)?;
        if one_phase != other_phase {
            let named = |phase: usize, name| (name, self.phases[phase].phase);
            let (first, second) = match one_phase < other_phase {
                true => (named(one_phase, one), named(other_phase, other)),
                false => (named(other_phase, other), named(one_phase, one)),
            };
            return Ok(Order::ByPhase { first, second });
        }
        let phase = &self.phases[one_phase];
        let edges = phase
            .why_before(one, other)
            .or_else(|| phase.why_before(other, one));
        Ok(edges.map_or(Order::Free, Order::ByEdges))
    }

    /// The position of a system's phase, and the name as the plan has it.
    fn find(&self, name: &str) -> Result<(usize, &str), Error> {
        let mut phases = self.phases.iter().enumerate();
        let found = phases.find_map(|(at, phase)| {
            let known = phase.names.iter().find(|known| *known == name)?;
            Some((at, known.as_str()))
        });
        found.ok_or_else(|| {
            let names = self.phases.iter().flat_map(|phase| &phase.names);
            Error::from(Kind::UnknownSystem {
                system: name.to_owned(),
                fix: suggest(name, "systems", names.map(|known| &**known)),
            })
        })
    }
}

impl PhasePlan {
    /// Why one system runs before another: the shortest chain of edges from the first to the second. `None` if nothing
    /// orders them so; they may run at the same time, or the other way round. O(systems + edges).
    pub(super) fn why_before(&self, first: &str, second: &str) -> Option<Vec<Edge<'_>>> {
        let (first, second) = (self.at(first)?, self.at(second)?);
        if !self.order.is_before(first, second) {
            return None;
        }
        // Backwards and breadth first, over what lies between the two.
        let mut place_of = vec![0_usize; self.names.len()];
        for (place, &system) in self.sequence.iter().enumerate() {
            place_of[system as usize] = place;
        }
        let mut towards: Vec<Option<usize>> = vec![None; self.names.len()];
        let mut queue = VecDeque::from([second]);
        while let Some(at) = queue.pop_front() {
            for &before in &self.direct[place_of[at]] {
                let before = self.sequence[before as usize] as usize;
                if towards[before].is_none() {
                    towards[before] = Some(at);
                    queue.push_back(before);
                }
            }
        }
        let mut chain = Vec::new();
        let mut at = first;
        while at != second {
            let next = towards[at].expect("everything before the second was reached");
            chain.push(self.edge(at, next));
            at = next;
        }
        Some(chain)
    }
}

//! Stated orders: from names and labels to pairs of systems.

use super::Candidate;
use super::precedence::Precedence;
use crate::error::{Error, Kind};
use crate::schedule::phase::Phase;
use crate::schedule::rules::{OrderWish, OrderWord};
use crate::suggest::suggest;
use std::collections::VecDeque;

/// A pair of systems of one phase with a stated order.
#[derive(Clone, Debug)]
pub(super) struct StatedPair {
    pub(super) first: usize,
    pub(super) second: usize,
    /// Which of the two states it.
    pub(super) by: usize,
    pub(super) wish: OrderWish,
}

/// All stated pairs of one phase.
///
/// # Errors
///
/// If a name or label is unknown, or belongs to systems of other phases only.
pub(super) fn stated_pairs(
    phase: Phase,
    systems: &[Candidate<'_>],
    all: &[(Phase, Vec<Candidate<'_>>)],
) -> Result<Vec<StatedPair>, Error> {
    let mut pairs = Vec::new();
    for (by, system) in systems.iter().enumerate() {
        for wish in system.orders {
            let targets = targets(systems, by, &wish.target);
            if targets.is_empty() {
                return Err(no_target(phase, system, wish, all));
            }
            pairs.extend(targets.into_iter().map(|target| {
                let (first, second) = match wish.word {
                    OrderWord::After => (target, by),
                    OrderWord::Before => (by, target),
                };
                StatedPair {
                    first,
                    second,
                    by,
                    wish: wish.clone(),
                }
            }));
        }
    }
    Ok(pairs)
}

/// The systems of a name or label. A system that has the label is not ordered against itself.
fn targets(systems: &[Candidate<'_>], by: usize, target: &str) -> Vec<usize> {
    let is_meant = |(at, system): &(usize, &Candidate<'_>)| {
        system.name == target || (*at != by && system.labels.iter().any(|label| label == target))
    };
    systems
        .iter()
        .enumerate()
        .filter(is_meant)
        .map(|(at, _)| at)
        .collect()
}

fn no_target(
    phase: Phase,
    system: &Candidate<'_>,
    wish: &OrderWish,
    all: &[(Phase, Vec<Candidate<'_>>)],
) -> Error {
    let elsewhere = all.iter().find(|(_, others)| {
        let mut others = others.iter();
        others.any(|other| other.answers_to(&wish.target))
    });
    Error::from(match elsewhere {
        Some(&(other, _)) if other != phase => Kind::OrderAcrossPhases {
            system: system.name.to_owned(),
            phase: phase.name(),
            word: wish.word.name(),
            target: wish.target.clone(),
            other: other.name(),
        },
        // The only one with the label is the system itself: nothing to be ordered against.
        _ => Kind::UnknownOrder {
            system: system.name.to_owned(),
            word: wish.word.name(),
            target: wish.target.clone(),
            fix: suggest(
                &wish.target,
                "names and labels of the phase",
                known_names(phase, system.name, all),
            ),
        },
    })
}

/// The names and labels of a phase, but for one system.
fn known_names<'a>(
    phase: Phase,
    but: &'a str,
    all: &'a [(Phase, Vec<Candidate<'_>>)],
) -> impl Iterator<Item = &'a str> {
    all.iter()
        .filter(move |(other, _)| *other == phase)
        .flat_map(|(_, systems)| systems)
        .filter(move |system| system.name != but)
        .flat_map(|system| {
            std::iter::once(system.name).chain(system.labels.iter().map(String::as_str))
        })
}

/// The order that the stated pairs make.
///
/// # Errors
///
/// If they go in a circle.
pub(super) fn precedence(
    phase: Phase,
    systems: &[Candidate<'_>],
    pairs: &[StatedPair],
) -> Result<Precedence, Error> {
    let mut precedence = Precedence::new(systems.len());
    // Predecessors first, so that each addition finds closed what it builds on.
    for system in
        sorted(systems.len(), pairs).map_err(|stuck| circle(phase, systems, pairs, &stuck))?
    {
        for pair in pairs.iter().filter(|pair| pair.second == system) {
            precedence.add(pair.first, pair.second);
        }
    }
    Ok(precedence)
}

/// The systems, each after its stated predecessors, or those that a circle holds up.
fn sorted(systems: usize, pairs: &[StatedPair]) -> Result<Vec<usize>, Vec<bool>> {
    let mut waiting = vec![0_usize; systems];
    let mut later: Vec<Vec<usize>> = vec![Vec::new(); systems];
    for pair in pairs {
        waiting[pair.second] += 1;
        later[pair.first].push(pair.second);
    }
    let mut ready: VecDeque<usize> = (0..systems).filter(|&at| waiting[at] == 0).collect();
    let mut sorted = Vec::with_capacity(systems);
    while let Some(next) = ready.pop_front() {
        sorted.push(next);
        for &second in &later[next] {
            waiting[second] -= 1;
            if waiting[second] == 0 {
                ready.push_back(second);
            }
        }
    }
    match sorted.len() == systems {
        true => Ok(sorted),
        false => Err(waiting.into_iter().map(|waiting| waiting > 0).collect()),
    }
}

/// The error for pairs that go in a circle, with one circle written out.
fn circle(phase: Phase, systems: &[Candidate<'_>], pairs: &[StatedPair], stuck: &[bool]) -> Error {
    // Every blocked system has a blocked predecessor, so going back leads to a system met before.
    let blocker = |at: usize| {
        let mut blockers = pairs.iter();
        blockers
            .find(|pair| pair.second == at && stuck[pair.first])
            .expect("a system that is stuck waits for one that is")
    };
    let mut met_at = vec![None; systems.len()];
    let mut trail: Vec<&StatedPair> = Vec::new();
    let mut at = stuck
        .iter()
        .position(|&stuck| stuck)
        .expect("a blocked system exists");
    while met_at[at].is_none() {
        met_at[at] = Some(trail.len());
        let pair = blocker(at);
        trail.push(pair);
        at = pair.first;
    }
    // The trail goes backwards in time.
    let mut round: Vec<&StatedPair> = trail.split_off(met_at[at].unwrap_or(0));
    round.reverse();
    let mut path: Vec<&str> = round.iter().map(|pair| systems[pair.first].name).collect();
    path.extend(round.last().map(|pair| systems[pair.second].name));
    let statements: Vec<String> = round
        .iter()
        .map(|pair| {
            let (by, wish) = (systems[pair.by].name, &pair.wish);
            format!("`{by}` {} `{}`", wish.word.name(), wish.target)
        })
        .collect();
    Error::from(Kind::OrderCycle {
        system: systems[at].name.to_owned(),
        phase: phase.name(),
        cycle: path.join(" → "),
        statements: statements.join(", "),
    })
}

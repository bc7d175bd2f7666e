//! A phase on several threads.

use super::Leader;
use super::crew::{Crew, InSystem, PoolThreads};
use super::job::{self, FrameContext};
use super::ring::{Role, Round};
use crate::error::Error;
use crate::profile;
use crate::schedule::lineup::Lineup;
use crate::schedule::registered::{PhaseSystems, Schedule};
use crate::store::World;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

impl Schedule {
    /// Whether any phase is worth being run on several threads.
    pub(crate) fn is_worth_threads(&self, crew: &Crew) -> bool {
        // One that is a chain counts as well: its systems may have parallel loops inside.
        self.phases.iter().any(|phase| {
            let lineup = phase.lineup.as_ref();
            lineup.is_some_and(|lineup| lineup.len() > 0) && phase.has_work_for(crew)
        })
    }

    /// Whether any system must run on the caller's thread. One that is off counts as well: it may be switched on while
    /// frames run.
    pub(crate) fn needs_caller_thread(&self) -> bool {
        let mut systems = self.phases.iter().flat_map(|phase| &phase.systems);
        systems.any(|system| system.facts.on_caller_thread)
    }
}

impl PhaseSystems {
    pub(super) fn is_worth_threads(&self, lineup: &Lineup, crew: &Crew) -> bool {
        lineup.is_wide && self.has_work_for(crew)
    }

    fn has_work_for(&self, crew: &Crew) -> bool {
        crew.threads() > 1 && self.tally.rounds > 0 && self.tally.recent_work() >= crew.serial_below
    }

    pub(super) fn record_parallel(
        &mut self,
        lineup: &Lineup,
        world: &World,
        context: FrameContext,
        crew: &Crew,
        leader: Leader,
    ) -> Result<(), Error> {
        let start = Instant::now();
        let spent_before = self.time_spent(lineup);
        self.ring.restart(&lineup.graph);
        // Of several failures the one earliest in the sequence.
        let failure: Mutex<Option<(u32, Error)>> = Mutex::new(None);
        let run = |place: u32| {
            let system = &self.systems[lineup.systems[place as usize] as usize];
            let mut job = system.job();
            let (outcome, _) = job::run(&system.facts, &mut job, world, context, Instant::now());
            let Err(error) = outcome else {
                return true;
            };
            let mut first = failure.lock().unwrap_or_else(PoisonError::into_inner);
            if first.as_ref().is_none_or(|&(earlier, _)| place < earlier) {
                *first = Some((place, error));
            }
            false
        };
        let relay = profile::Relay::here();
        let run = |place: u32| {
            let _in_system = InSystem::enter();
            run(place)
        };
        let threads = |most_running| PoolThreads {
            most_running,
            relay: &relay,
        };
        match leader {
            Leader::Caller => {
                let threads = threads(crew.threads());
                let round = Round::from_outside(&self.ring, &lineup.graph, run, threads);
                crew.lead_from_outside(&round, &|| round.help());
            }
            Leader::Alone | Leader::InPool => {
                let threads = threads(usize::MAX);
                Round::in_pool(&self.ring, &lineup.graph, run, threads).work(Role::Leader);
            }
        }
        let took = start.elapsed();
        let failure = failure.into_inner().unwrap_or_else(PoisonError::into_inner);
        let work = self.time_spent(lineup) - spent_before;
        self.tally.note_parallel(work, took);
        match failure {
            Some((_, error)) => Err(error),
            None => Ok(()),
        }
    }

    fn time_spent(&mut self, lineup: &Lineup) -> Duration {
        let systems = lineup.systems.iter();
        systems
            .map(|&at| self.systems[at as usize].job_mut().tally.total())
            .sum()
    }
}

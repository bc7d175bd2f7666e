//! Runs the systems of a phase, on one thread or on several, with the same result.
//!
//! A phase goes through three states: *recording* (systems run; the world is shared, edits and reserved ids pile up in
//! each system), then either *applied* (ids committed, edits carried out in registration order) or *discarded* (a system
//! panicked or could not be granted its claims: edits dropped, reserved ids burnt). Nothing of a discarded phase
//! changes which entities there are, and the next phase or frame starts from a clean state.

mod crew;
#[cfg_attr(
    not(feature = "parallel"),
    allow(dead_code, reason = "one thread needs no graph")
)]
mod graph;
mod job;
#[cfg(feature = "parallel")]
mod parallel;
#[cfg(feature = "parallel")]
mod ring;
#[cfg(feature = "parallel")]
mod sync;

pub(crate) use crew::Crew;
pub(crate) use graph::Graph;
pub(crate) use job::{FrameContext, WhichSystems};
#[cfg(feature = "parallel")]
pub(crate) use ring::Ring;

use super::cause::Cause;
use super::lineup::Lineup;
use super::phase::Phase;
use super::registered::{PhaseSystems, Schedule};
use crate::error::Error;
use crate::profile::{self, Category};
use crate::store::{ReservedIds, World};
use std::time::Instant;

/// Which thread leads a phase.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Leader {
    /// One thread runs everything.
    Alone,
    /// A thread of the pool.
    #[cfg(feature = "parallel")]
    InPool,
    /// The caller's thread, outside of the pool.
    #[cfg(feature = "parallel")]
    Caller,
}

/// Is told each step of a frame, and what the world is like after it.
pub(crate) type Watch<'a> = &'a mut dyn FnMut(Cause<'_>, &World);

impl Schedule {
    /// Runs the phases of a frame on one thread, and tells after each step what it was.
    ///
    /// # Errors
    ///
    /// As [`Schedule::run_phase`]; later phases do not run then.
    pub(crate) fn run_frame_watched(
        &mut self,
        world: &mut World,
        context: FrameContext,
        watch: Watch<'_>,
    ) -> Result<(), Error> {
        for at in 0..self.phases.len() {
            if self.phases[at].phase == Phase::Setup {
                continue;
            }
            let Self { phases, reserved } = self;
            let systems = &mut phases[at];
            let Some(lineup) = systems.lineup.take() else {
                continue;
            };
            systems.enter_lanes(&lineup, reserved);
            let outcome = systems.record_serial(&lineup, world, context, &mut |name, world| {
                watch(Cause::System(name), world);
            });
            systems.report_reserved(&lineup, reserved);
            match outcome {
                Ok(()) => systems.apply_watched(&lineup, world, reserved, watch),
                Err(_) => systems.discard(&lineup, world, reserved),
            }
            systems.lineup = Some(lineup);
            self.take_switches(world);
            outcome?;
        }
        Ok(())
    }

    /// Runs the phases of a frame.
    ///
    /// # Errors
    ///
    /// As [`Schedule::run_phase`]; later phases do not run then.
    pub(crate) fn run_frame_phases(
        &mut self,
        world: &mut World,
        context: FrameContext,
        crew: &Crew,
        leader: Leader,
    ) -> Result<(), Error> {
        for at in 0..self.phases.len() {
            if self.phases[at].phase != Phase::Setup {
                self.run_phase_at(at, world, context, crew, leader)?;
            }
        }
        Ok(())
    }

    /// Runs one phase on this thread.
    ///
    /// # Errors
    ///
    /// If a system panics or cannot be granted what it claims.
    pub(crate) fn run_phase(
        &mut self,
        phase: Phase,
        world: &mut World,
        context: FrameContext,
        crew: &Crew,
    ) -> Result<(), Error> {
        let mut phases = self.phases.iter();
        let at = phases
            .position(|known| known.phase == phase)
            .expect("the phase is a standard one");
        self.run_phase_at(at, world, context, crew, Leader::Alone)
    }

    fn run_phase_at(
        &mut self,
        at: usize,
        world: &mut World,
        context: FrameContext,
        crew: &Crew,
        leader: Leader,
    ) -> Result<(), Error> {
        let Self { phases, reserved } = self;
        let systems = &mut phases[at];
        if systems
            .lineup
            .as_ref()
            .is_none_or(|lineup| lineup.len() == 0)
        {
            return Ok(());
        }
        // Out of its place for the while, so that it can be read while systems are changed.
        let lineup = systems.lineup.take().unwrap_or_default();
        let span = profile::open(Category::Phase, systems.phase.name());
        systems.enter_lanes(&lineup, reserved);
        let outcome = systems.record(&lineup, world, context, crew, leader);
        systems.report_reserved(&lineup, reserved);
        match outcome {
            Ok(()) => systems.apply(&lineup, world, reserved),
            Err(_) => systems.discard(&lineup, world, reserved),
        }
        systems.lineup = Some(lineup);
        drop(span);
        self.take_switches(world);
        outcome
    }

    /// Carries out what edits have switched.
    fn take_switches(&mut self, world: &mut World) {
        if world.switches.is_empty() {
            return;
        }
        for (target, enabled) in std::mem::take(&mut world.switches) {
            if let Err(error) = self.set_enabled(&target, enabled) {
                world.missed_edits.add(error);
            }
        }
        self.line_up();
    }

    /// Whether a system of the phase Setup is waiting for its one run.
    pub(crate) fn wants_set_up(&self) -> bool {
        let mut phases = self.phases.iter();
        let set_up = phases.find(|known| known.phase == Phase::Setup);
        set_up.is_some_and(|set_up| {
            let mut systems = set_up.systems.iter();
            systems.any(|system| system.facts.is_on && system.job().tally.tried == 0)
        })
    }
}

impl PhaseSystems {
    fn enter_lanes(&mut self, lineup: &Lineup, reserved: &mut ReservedIds) {
        if lineup.recording.is_empty() {
            return;
        }
        let recording = lineup.recording.iter();
        let lanes = recording
            .map(|&at| self.systems[at as usize].facts.lanes)
            .sum();
        reserved.restart(lanes);
        for &at in &lineup.recording {
            self.systems[at as usize]
                .job_mut()
                .body
                .enter_lane(reserved);
        }
    }

    fn record(
        &mut self,
        lineup: &Lineup,
        world: &World,
        context: FrameContext,
        crew: &Crew,
        leader: Leader,
    ) -> Result<(), Error> {
        #[cfg(feature = "parallel")]
        if leader != Leader::Alone && self.is_worth_threads(lineup, crew) {
            return self.record_parallel(lineup, world, context, crew, leader);
        }
        let _ = (crew, leader);
        self.record_serial(lineup, world, context, &mut |_, _| ())
    }

    fn record_serial(
        &mut self,
        lineup: &Lineup,
        world: &World,
        context: FrameContext,
        ran: &mut impl FnMut(&str, &World),
    ) -> Result<(), Error> {
        let start = Instant::now();
        let mut now = start;
        let mut outcome = Ok(());
        for &at in &lineup.systems {
            let system = &mut self.systems[at as usize];
            let job = system.job.get_mut();
            let job = job.unwrap_or_else(std::sync::PoisonError::into_inner);
            (outcome, now) = job::run(&system.facts, job, world, context, now);
            if outcome.is_err() {
                break;
            }
            ran(&system.facts.name, world);
        }
        self.tally.note_serial(now - start);
        outcome
    }

    fn apply(&mut self, lineup: &Lineup, world: &mut World, reserved: &mut ReservedIds) {
        if lineup.recording.is_empty() {
            return;
        }
        let _span = profile::part("edits");
        reserved.commit(world);
        for &at in &lineup.recording {
            self.systems[at as usize].job_mut().body.apply(world);
        }
    }

    fn apply_watched(
        &mut self,
        lineup: &Lineup,
        world: &mut World,
        reserved: &mut ReservedIds,
        watch: Watch<'_>,
    ) {
        if lineup.recording.is_empty() {
            return;
        }
        reserved.commit(world);
        for &at in &lineup.recording {
            let system = &mut self.systems[at as usize];
            system.job_mut().body.apply(world);
            watch(Cause::Edits(&system.facts.name), world);
        }
    }

    fn discard(&mut self, lineup: &Lineup, world: &mut World, reserved: &mut ReservedIds) {
        if lineup.recording.is_empty() {
            return;
        }
        reserved.burn(world);
        for &at in &lineup.recording {
            self.systems[at as usize].job_mut().body.discard();
        }
    }

    fn report_reserved(&mut self, lineup: &Lineup, reserved: &mut ReservedIds) {
        for &at in &lineup.recording {
            self.systems[at as usize]
                .job_mut()
                .body
                .report_reserved(reserved);
        }
    }
}

//! Runs the systems of a phase, on one thread or on several, with the same result.
//!
//! A phase goes through three states: *recording* (systems run; the world is shared, edits and reserved ids pile up in
//! each system), then either *applied* (ids committed, edits carried out in registration order) or *discarded* (a system
//! panicked or could not be granted its claims: edits dropped, events taken back, reserved ids retired). Nothing of a
//! discarded phase changes which entities there are, and the next phase or frame starts from a clean state.

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
use crate::error::{Error, ErrorKind, Kind};
use crate::panics::Panics;
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

/// Called after each step of a frame, with what it was and the world.
pub(crate) type Watch<'a> = &'a mut dyn FnMut(Cause<'_>, &World);

/// How the systems of a frame run.
pub(crate) struct Way<'a> {
    #[cfg_attr(
        not(feature = "parallel"),
        allow(dead_code, reason = "one thread leads itself")
    )]
    pub(crate) leader: Leader,
    /// Only where one thread runs everything.
    pub(crate) watch: Option<Watch<'a>>,
    /// Only where the caller's thread leads.
    pub(crate) seams: Option<&'a mut dyn RunSeams>,
}

/// [`Seams`](crate::schedule::Seams), without the lifetime of their closures.
pub(crate) trait RunSeams {
    fn run(&mut self, phase: Phase, is_after: bool, world: &mut World);
}

impl Way<'_> {
    /// On this thread.
    fn alone() -> Self {
        Self {
            leader: Leader::Alone,
            watch: None,
            seams: None,
        }
    }

    fn run_seams(
        &mut self,
        phase: Phase,
        is_after: bool,
        world: &mut World,
        context: FrameContext,
    ) -> Result<(), Error> {
        let Some(seams) = &mut self.seams else {
            return Ok(());
        };
        let same = world.identity();
        let mut panics = Panics::default();
        panics.catch(|| seams.run(phase, is_after, world));
        step_panicked(panics, "a closure of the seams", context)?;
        match world.identity() == same {
            true => Ok(()),
            // The systems of the rest of the frame remember rows of the other one.
            false => Err(Error::new(
                ErrorKind::InvalidArgument,
                "a closure of the seams has replaced the world; replace it between frames, by `Runtime::world_mut`",
            )),
        }
    }

    pub(crate) fn tell(
        &mut self,
        cause: Cause<'_>,
        world: &World,
        context: FrameContext,
    ) -> Result<(), Error> {
        let Some(watch) = &mut self.watch else {
            return Ok(());
        };
        let mut panics = Panics::default();
        panics.catch(|| watch(cause, world));
        step_panicked(panics, "the function that watches the frame", context)
    }
}

/// The error for a panic of something that is no system, if there was one.
pub(crate) fn step_panicked(
    mut panics: Panics,
    step: &'static str,
    context: FrameContext,
) -> Result<(), Error> {
    let frame = context.clock.frame();
    match panics.take() {
        Some(panic) => Err(Error::from(Kind::StepPanicked { step, frame, panic })),
        None => Ok(()),
    }
}

impl Schedule {
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
        mut way: Way<'_>,
    ) -> Result<(), Error> {
        for at in 0..self.phases.len() {
            let phase = self.phases[at].phase;
            if phase != Phase::Setup {
                way.run_seams(phase, false, world, context)?;
                self.run_phase_at(at, world, context, crew, &mut way)?;
                way.run_seams(phase, true, world, context)?;
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
        self.run_phase_at(at, world, context, crew, &mut Way::alone())
    }

    fn run_phase_at(
        &mut self,
        at: usize,
        world: &mut World,
        context: FrameContext,
        crew: &Crew,
        way: &mut Way<'_>,
    ) -> Result<(), Error> {
        let Self {
            phases, reserved, ..
        } = self;
        let systems = &mut phases[at];
        if systems
            .lineup
            .as_ref()
            .is_none_or(|lineup| lineup.len() == 0)
        {
            return Ok(());
        }
        // Out of its place meanwhile, so that it can be read while systems are changed.
        let lineup = systems.lineup.take().unwrap_or_default();
        let span = profile::open(Category::Phase, systems.phase.name());
        world.phase += 1;
        let set_up = (context.which == WhichSystems::Untried).then(|| systems.untried(&lineup));
        systems.enter_lanes(&lineup, world, reserved);
        let recorded = systems.record(&lineup, world, context, crew, way);
        systems.report_reserved(&lineup, reserved);
        let outcome = match recorded {
            Ok(()) => systems.apply(&lineup, world, context, reserved, way),
            Err(error) => {
                systems.discard(&lineup, world, reserved);
                systems.run_again(&set_up.unwrap_or_default());
                Err(error)
            }
        };
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
    fn enter_lanes(&mut self, lineup: &Lineup, world: &World, reserved: &mut ReservedIds) {
        if lineup.recording.is_empty() {
            return;
        }
        let recording = lineup.recording.iter();
        let keys = recording.filter_map(|&at| self.systems[at as usize].facts.lane);
        reserved.restart(world, keys);
        for &at in &lineup.recording {
            self.systems[at as usize]
                .job_mut()
                .body
                .enter_lane(reserved);
        }
    }

    /// The systems of a lineup that record edits and have not been tried yet.
    fn untried(&mut self, lineup: &Lineup) -> Vec<u32> {
        let recording = lineup.recording.iter().copied();
        recording
            .filter(|&at| self.systems[at as usize].job_mut().tally.tried == 0)
            .collect()
    }

    /// Lets systems of Setup run again, because their edits were discarded. The one that failed does not.
    fn run_again(&mut self, untried: &[u32]) {
        for &at in untried {
            let tally = &mut self.systems[at as usize].job_mut().tally;
            if tally.runs > 0 {
                tally.tried = 0;
            }
        }
    }

    fn record(
        &mut self,
        lineup: &Lineup,
        world: &World,
        context: FrameContext,
        crew: &Crew,
        way: &mut Way<'_>,
    ) -> Result<(), Error> {
        #[cfg(feature = "parallel")]
        if way.leader != Leader::Alone && self.is_worth_threads(lineup, crew) {
            return self.record_parallel(lineup, world, context, crew, way.leader);
        }
        let _ = crew;
        self.record_serial(lineup, world, context, way)
    }

    fn record_serial(
        &mut self,
        lineup: &Lineup,
        world: &World,
        context: FrameContext,
        way: &mut Way<'_>,
    ) -> Result<(), Error> {
        let start = Instant::now();
        let mut now = start;
        let mut outcome = Ok(());
        for &at in &lineup.systems {
            let system = &mut self.systems[at as usize];
            let job = system.job.get_mut();
            let job = job.unwrap_or_else(std::sync::PoisonError::into_inner);
            (outcome, now) = job::run(&system.facts, job, world, context, now);
            if outcome.is_ok() {
                outcome = way.tell(Cause::System(&system.facts.name), world, context);
            }
            if outcome.is_err() {
                break;
            }
        }
        self.tally.note_serial(now - start);
        outcome
    }

    /// Carries out the edits of all systems; of several that panic the first is reported.
    fn apply(
        &mut self,
        lineup: &Lineup,
        world: &mut World,
        context: FrameContext,
        reserved: &mut ReservedIds,
        way: &mut Way<'_>,
    ) -> Result<(), Error> {
        if lineup.recording.is_empty() {
            return Ok(());
        }
        let _span = profile::part("edits");
        let mut outcome = Ok(());
        reserved.commit(world);
        for &at in &lineup.recording {
            let system = &mut self.systems[at as usize];
            let mut panics = Panics::default();
            panics.catch(|| system.job_mut().body.apply(world));
            if let Some(panic) = panics.take() {
                outcome = outcome.and(Err(Error::from(Kind::EditPanicked {
                    system: system.facts.name.clone(),
                    phase: system.facts.phase.name(),
                    frame: context.clock.frame(),
                    panic,
                })));
            }
            outcome = outcome.and(way.tell(Cause::Edits(&system.facts.name), world, context));
        }
        outcome
    }

    /// Throws away what the phase has recorded. The phase has failed already, so a drop that panics is not reported.
    fn discard(&mut self, lineup: &Lineup, world: &mut World, reserved: &mut ReservedIds) {
        let mut panics = Panics::default();
        world.take_events_back(&mut panics);
        if lineup.recording.is_empty() {
            return;
        }
        reserved.burn(world);
        for &at in &lineup.recording {
            panics.catch(|| self.systems[at as usize].job_mut().body.discard());
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

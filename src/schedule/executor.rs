//! Runs the systems of a phase, one after the other on the caller's thread.
//!
//! A phase goes through three states: *recording* (systems run; the world is shared, edits and reserved ids pile up in
//! each system), then either *applied* (ids committed, edits carried out in registration order) or *discarded* (a system
//! panicked or could not be granted its claims: edits dropped, reserved ids burnt). Nothing of a discarded phase
//! changes which entities there are, and the next phase or frame starts from a clean state.

use super::phase::Phase;
use super::registered::{PhaseSystems, Schedule};
use super::system::System;
use crate::error::{Error, Kind};
use crate::profile::{self, Category, SpanName};
use crate::store::{ReservedIds, World};
use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind};

/// What a frame is run in.
#[derive(Clone, Copy, Debug)]
pub(crate) struct FrameContext {
    pub(crate) frame: u64,
    pub(crate) which: WhichSystems,
}

/// Which systems of a phase run.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum WhichSystems {
    All,
    /// Those that every runtime has: they bring what is derived up to date without doing anything new.
    BuiltIn,
}

impl Schedule {
    /// Runs one phase.
    pub(crate) fn run_phase(
        &mut self,
        phase: Phase,
        world: &mut World,
        context: FrameContext,
    ) -> Result<(), Error> {
        let Self { phases, reserved } = self;
        let systems = phases
            .iter_mut()
            .find(|known| known.phase == phase)
            .expect("every phase has its list");
        if systems.systems.is_empty() {
            return Ok(());
        }
        let _span = profile::open(Category::Phase, SpanName::Text(phase.name()));
        let outcome = systems.record(world, reserved, context);
        match outcome {
            Ok(()) => systems.apply(world, reserved),
            Err(_) => systems.discard(world, reserved),
        }
        outcome
    }
}

impl PhaseSystems {
    fn record(
        &mut self,
        world: &World,
        reserved: &mut ReservedIds,
        context: FrameContext,
    ) -> Result<(), Error> {
        reserved.restart(self.lanes());
        for system in &mut self.systems {
            system.body.enter_lane(reserved);
        }
        let phase = self.phase;
        self.systems
            .iter_mut()
            .filter(|system| system.enabled)
            .filter(|system| context.which == WhichSystems::All || system.built_in)
            .try_for_each(|system| run_system(system, phase, world, context))
    }

    fn apply(&mut self, world: &mut World, reserved: &mut ReservedIds) {
        self.report_reserved(reserved);
        reserved.commit(world);
        for system in &mut self.systems {
            system.body.apply(world);
        }
    }

    fn discard(&mut self, world: &mut World, reserved: &mut ReservedIds) {
        self.report_reserved(reserved);
        reserved.burn(world);
        for system in &mut self.systems {
            system.body.discard();
        }
    }

    fn report_reserved(&self, reserved: &mut ReservedIds) {
        for system in &self.systems {
            system.body.report_reserved(reserved);
        }
    }
}

fn run_system(
    system: &mut System,
    phase: Phase,
    world: &World,
    context: FrameContext,
) -> Result<(), Error> {
    let _span = profile::open(Category::System, system.span_name);
    // The closure's own state may be half changed after a panic; the world's guards are released as the stack unwinds.
    let outcome = catch_unwind(AssertUnwindSafe(|| system.body.run(world)));
    match outcome {
        Ok(Ok(())) => Ok(()),
        Ok(Err(source)) => Err(Error::from(Kind::ClaimFailed {
            system: system.name().to_owned(),
            source,
        })),
        Err(panic) => Err(Error::from(Kind::SystemPanicked {
            system: system.name().to_owned(),
            phase: phase.name(),
            frame: context.frame,
            message: panic_message(&*panic),
        })),
    }
}

fn panic_message(panic: &(dyn Any + Send)) -> String {
    panic
        .downcast_ref::<&str>()
        .map(|text| (*text).to_owned())
        .or_else(|| panic.downcast_ref::<String>().cloned())
        .unwrap_or_else(|| String::from("no message"))
}

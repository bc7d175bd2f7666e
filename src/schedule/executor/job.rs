//! One run of one system.

use crate::error::{Error, Kind};
use crate::panics::Panic;
use crate::profile::{self, Category};
use crate::schedule::clock::Clock;
use crate::schedule::registered::{Facts, Job};
use crate::schedule::rules::is_due;
use crate::schedule::system::Incomplete;
use crate::store::World;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::time::Instant;

/// The clock of a frame, and which systems run in it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct FrameContext {
    pub(crate) clock: Clock,
    pub(crate) which: WhichSystems,
}

/// Which systems of a phase run.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum WhichSystems {
    All,
    /// Those that every runtime has: they bring what is derived up to date without doing anything new.
    BuiltIn,
    /// Those that have not been tried yet.
    Untried,
}

impl WhichSystems {
    fn takes(self, facts: &Facts, job: &Job) -> bool {
        match self {
            Self::All => true,
            Self::BuiltIn => facts.built_in,
            Self::Untried => job.tally.tried == 0,
        }
    }
}

/// Runs a system if it is its turn, and returns when that was over; `start` is now.
pub(super) fn run(
    facts: &Facts,
    job: &mut Job,
    world: &World,
    context: FrameContext,
    start: Instant,
) -> (Result<(), Error>, Instant) {
    let is_turn = context.which.takes(facts, job)
        && facts
            .every
            .is_none_or(|every| is_due(every, &context.clock));
    if !is_turn {
        return (Ok(()), start);
    }
    job.tally.tried += 1;
    let level = profile::descend();
    // The closure's own state may be half changed after a panic; the world's guards are released as the stack unwinds.
    let outcome = catch_unwind(AssertUnwindSafe(|| -> Result<bool, Incomplete> {
        let _open = profile::enter(Category::System, &facts.name);
        for condition in &mut job.conditions {
            if !condition.holds(world)? {
                return Ok(false);
            }
        }
        job.body.run(world)?;
        Ok(true)
    }));
    let end = Instant::now();
    let took = end - start;
    profile::ascend(level, Category::System, facts.span_name, start, took);
    let outcome = match outcome {
        Ok(Ok(true)) => {
            job.tally.note_run(took);
            Ok(())
        }
        Ok(Ok(false)) => {
            job.tally.refused += 1;
            Ok(())
        }
        Ok(Err(Incomplete::Claim(source))) => Err(Error::from(Kind::ClaimFailed {
            system: facts.name.clone(),
            source,
        })),
        Ok(Err(Incomplete::Failed(source))) => Err(Error::from(Kind::SystemFailed {
            system: facts.name.clone(),
            phase: facts.phase.name(),
            frame: context.clock.frame(),
            source,
        })),
        Err(payload) => Err(Error::from(Kind::SystemPanicked {
            system: facts.name.clone(),
            phase: facts.phase.name(),
            frame: context.clock.frame(),
            panic: Panic::new(payload),
        })),
    };
    (outcome, end)
}

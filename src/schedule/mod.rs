//! Systems, phases and the order in which they run.
//!
//! A [`System`] is a name, a declared access and a closure that receives exactly what was declared. Phases run one after
//! the other; within a phase a [`Plan`] says who runs before whom and why. What is not ordered may run at the same time,
//! and the result is the same on any number of threads.

mod cause;
#[cfg(feature = "chance")]
mod chance;
mod clock;
mod executor;
mod findings;
mod info;
#[cfg_attr(
    not(feature = "parallel"),
    allow(dead_code, reason = "one thread needs the sequence only")
)]
mod lineup;
mod phase;
mod plan;
mod registered;
mod remove;
mod rules;
mod seams;
mod switches;
mod system;
mod tally;

pub use cause::Cause;
#[cfg(feature = "chance")]
pub use chance::{Chance, RandomStream};
pub use clock::Clock;
pub use findings::{EmptyRows, Findings, IdleSystem, PhaseCost, WhyIdle, WithoutEffect};
pub use info::SystemInfo;
pub use phase::Phase;
pub use plan::{Edge, Order, PhasePlan, Plan, Reason};
pub use registered::Schedule;
pub use seams::Seams;
pub use system::{System, SystemDraft, SystemWithClaims};

#[cfg(feature = "chance")]
pub(crate) use chance::Seed;
pub(crate) use executor::{Crew, FrameContext, Leader, Way, WhichSystems, step_panicked};

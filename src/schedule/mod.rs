//! Systems, phases and the order in which they run.
//!
//! A [`System`] is a name, a declared access and a closure that receives exactly what was declared. Systems of one
//! phase run in registration order; phases run in the order of [`Phase::ALL`].

mod clock;
mod executor;
mod phase;
mod registered;
mod system;

pub use clock::Clock;
pub use phase::Phase;
pub use registered::{Schedule, SystemInfo};
pub use system::{System, SystemBuilder, SystemClaiming};

pub(crate) use executor::{FrameContext, WhichSystems};

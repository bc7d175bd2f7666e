//! Where the time of a frame goes.
//!
//! A [`Runtime`](crate::Runtime) opens a span for the frame, each phase and each system without being asked; [`span`]
//! adds one for a block of your own. The spans of the last frames are kept in a [`Profiler`], which sums them up per
//! name.
//!
//! Do not use it to time code outside of a frame: without a frame a span records nothing.
//!
//! # Example
//!
//! ```
//! use gerust::prelude::*;
//! use gerust::profile::{self, Category};
//!
//! let mut runtime = Runtime::new();
//! runtime.add_system(System::named("plan routes").takes::<()>().runs(|()| {
//!     let _span = profile::span("search");
//! }))?;
//! runtime.run_frames(5)?;
//!
//! let statistics = runtime.profiler().statistics();
//! let search = statistics
//!     .iter()
//!     .find(|statistic| statistic.name() == "search")
//!     .expect("it was recorded");
//! assert_eq!(search.category(), Category::Block);
//! assert_eq!(search.calls(), 5);
//! # Ok::<(), gerust::Error>(())
//! ```

mod excess;
#[cfg(feature = "export")]
mod export;
mod profiler;
mod span;
mod statistics;

pub use excess::Excess;
pub use profiler::{FrameProfile, Profiler};
pub use span::{Category, Span, SpanGuard, span};
pub use statistics::Statistic;

#[cfg(feature = "parallel")]
pub(crate) use span::helper_spans;
pub(crate) use span::{SpanName, ascend, descend, open};

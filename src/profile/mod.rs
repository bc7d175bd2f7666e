//! Where the time of a frame goes.
//!
//! A [`Runtime`](crate::Runtime) opens a span for the frame, each phase, each system and the parts of its own work without
//! being asked; [`span`] and [`timed`] add one for a block of your own. It counts entities, rows, contacts, edits and events;
//! [`count`] and [`Profiler::add_counter`] add what you count. The last frames are kept in a [`Profiler`], which sums them up
//! per name and hands each on when it has ended.
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

#[cfg(feature = "tracing")]
mod bridge;
mod build;
mod clock_cost;
#[cfg(feature = "export")]
mod compare;
mod counters;
mod excess;
#[cfg(feature = "export")]
mod export;
mod frame;
mod measured;
mod pieces;
mod profiler;
#[cfg(feature = "export")]
mod recorded;
mod recorder;
mod span;
mod statistics;

#[cfg(feature = "tracing")]
pub use bridge::ProfileLayer;
pub use build::build;
pub use clock_cost::ClockCost;
#[cfg(feature = "export")]
pub use compare::{Change, Comparison, NameComparison, Threshold};
pub use counters::{Count, CounterKind, CounterStatistic, count};
pub use excess::{Culprit, Excess};
pub use frame::FrameProfile;
pub use measured::MeasuredSpan;
pub use pieces::Piece;
pub use profiler::Profiler;
#[cfg(feature = "export")]
pub use recorded::{RecordedName, RecordedProfile};
pub use recorder::Relay;
pub use span::{Category, Span, SpanGuard, span, timed};
pub use statistics::Statistic;

#[cfg(feature = "tracing")]
pub(crate) use bridge::{enter, enter_frame};
#[cfg(not(feature = "tracing"))]
pub(crate) use no_bridge::{enter, enter_frame};
pub(crate) use recorder::{ascend, descend, is_recording, note_rows, pause};
pub(crate) use span::{SpanName, open, part, timed_part};

/// Without the bridge spans are not forwarded.
#[cfg(not(feature = "tracing"))]
mod no_bridge {
    pub(crate) struct OpenSpan;

    #[inline]
    pub(crate) fn enter(_: super::Category, _: &str) -> OpenSpan {
        OpenSpan
    }

    #[inline]
    pub(crate) fn enter_frame(_: u64) -> OpenSpan {
        OpenSpan
    }
}

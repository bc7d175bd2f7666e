//! The bridge to the crate `tracing`, in both directions.
//!
//! Spans that come from here carry the target [`TARGET`]; the layer leaves them out, so that with both directions in use
//! nothing is recorded twice.

use super::recorder::{ascend, is_recording, with_recorder};
use super::span::{Category, SpanName};
use std::time::Instant;
use tracing::span::{EnteredSpan, Id};
use tracing::{Subscriber, trace_span};
use tracing_subscriber::layer::{Context, Layer};
use tracing_subscriber::registry::LookupSpan;

/// The target of all spans that the runtime opens.
const TARGET: &str = "gerust";

/// A span of `tracing` that ends when it is dropped.
#[derive(Debug)]
pub(crate) struct OpenSpan(#[expect(dead_code, reason = "held to be dropped")] EnteredSpan);

/// Opens a span for `tracing`. Subscribers need names that are known when the program is compiled, so the category is the name of the span,
/// and its own name is a field.
#[inline]
pub(crate) fn enter(category: Category, name: &str) -> OpenSpan {
    let span = match category {
        Category::Frame => trace_span!(target: TARGET, "frame", name),
        Category::Phase => trace_span!(target: TARGET, "phase", name),
        Category::System => trace_span!(target: TARGET, "system", name),
        Category::Part => trace_span!(target: TARGET, "part", name),
        Category::Block => trace_span!(target: TARGET, "block", name),
    };
    OpenSpan(span.entered())
}

/// Opens the span of a frame for `tracing`.
pub(crate) fn enter_frame(number: u64) -> OpenSpan {
    OpenSpan(trace_span!(target: TARGET, "frame", number).entered())
}

/// A span of `tracing` that was entered while a frame runs.
#[derive(Debug)]
pub(super) struct Entered {
    id: u64,
    name: &'static str,
    depth: u32,
    start: Instant,
}

/// Puts the spans of `tracing` into the profile of the frame in which they are entered, as [blocks](Category::Block): those of
/// your own code, and of crates that use `tracing`. Feature `tracing`.
///
/// The other way round nothing has to be done: with the feature on, frames, phases, systems, parts and blocks are spans of
/// `tracing` at the level `TRACE` under the target `gerust`.
///
/// Make its subscriber that of the whole program, with `tracing::subscriber::set_global_default`: one that is set for a thread alone
/// does not see systems that run on another.
///
/// A span that is entered before a frame or left after it is not recorded. Spans that are left in another order than the
/// reverse of the one in which they were entered end together with the one around them.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::profile::ProfileLayer;
/// use tracing_subscriber::layer::SubscriberExt;
///
/// let subscriber = tracing_subscriber::registry().with(ProfileLayer::new());
/// let mut runtime = Runtime::new();
/// runtime.set_threads(1)?;
/// runtime.add_system(System::named("plan routes").takes::<()>().runs(|()| {
///     let _entered = tracing::info_span!("search", trucks = 3).entered();
/// }))?;
/// tracing::subscriber::with_default(subscriber, || runtime.run_frames(5))?;
///
/// let statistics = runtime.profiler().statistics();
/// let search = statistics.iter().find(|statistic| statistic.name() == "search");
/// assert_eq!(search.map(|search| search.calls()), Some(5));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, Default, Debug)]
pub struct ProfileLayer(());

impl ProfileLayer {
    /// The layer.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }
}

impl<S: Subscriber + for<'a> LookupSpan<'a>> Layer<S> for ProfileLayer {
    fn on_enter(&self, id: &Id, context: Context<'_, S>) {
        if !is_recording() {
            return;
        }
        let Some(metadata) = context.metadata(id) else {
            return;
        };
        if metadata.target() == TARGET {
            return;
        }
        with_recorder(|recorder| {
            recorder.entered.push(Entered {
                id: id.into_u64(),
                name: metadata.name(),
                depth: recorder.depth,
                start: Instant::now(),
            });
            recorder.depth += 1;
        });
    }

    fn on_exit(&self, id: &Id, _: Context<'_, S>) {
        if !is_recording() {
            return;
        }
        let end = Instant::now();
        let is_here = |entered: &Entered| entered.id == id.into_u64();
        let left = || with_recorder(|recorder| recorder.entered.pop()).flatten();
        let is_open = with_recorder(|recorder| recorder.entered.iter().any(is_here));
        if is_open != Some(true) {
            return;
        }
        while let Some(entered) = left() {
            let took = end - entered.start;
            let name = SpanName::Text(entered.name);
            ascend(
                Some(entered.depth),
                Category::Block,
                name,
                entered.start,
                took,
            );
            if is_here(&entered) {
                break;
            }
        }
    }
}

#[cfg(test)]
mod tests;

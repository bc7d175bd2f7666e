//! One frame of a profile.

use super::counters::Count;
use super::recorder::Lists;
use super::span::Span;
use std::time::Duration;

/// The spans and counters of one frame.
///
/// # Example
///
/// ```
/// use gerust::Runtime;
/// use gerust::profile::Category;
///
/// let mut runtime = Runtime::new();
/// runtime.run_frames(1)?;
/// let frame = runtime.profiler().frames().next().expect("one frame ran");
/// assert_eq!(frame.number(), 1);
/// assert!(frame.spans().iter().all(|span| span.category() != Category::Block));
/// assert!(frame.duration().as_nanos() > 0);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Debug)]
pub struct FrameProfile {
    pub(super) number: u64,
    /// How many frames were recorded before.
    pub(super) place: u64,
    pub(super) is_warm_up: bool,
    /// In order of their ends, thread by thread; the frame itself comes last.
    pub(super) spans: Vec<Span>,
    pub(super) counts: Vec<Count>,
}

impl FrameProfile {
    /// The number of the frame, counted from 1.
    #[must_use]
    pub fn number(&self) -> u64 {
        self.number
    }

    /// Whether it is kept apart as [warm-up](super::Profiler::set_warm_up).
    #[must_use]
    pub fn is_warm_up(&self) -> bool {
        self.is_warm_up
    }

    /// How long the frame took.
    #[must_use]
    pub fn duration(&self) -> Duration {
        Duration::from_nanos(self.spans.last().map_or(0, |frame| frame.nanoseconds))
    }

    /// All spans, in order of their ends, those of other threads after those of the frame's own; the last is the frame
    /// itself.
    #[must_use]
    pub fn spans(&self) -> &[Span] {
        &self.spans
    }

    /// When a span of this frame began, in time since the frame began.
    #[must_use]
    pub fn offset(&self, span: &Span) -> Duration {
        self.spans.last().map_or(Duration::ZERO, |frame| {
            span.start.saturating_duration_since(frame.start)
        })
    }

    /// All that was counted: by the runtime (`entities`, `contacts`, `leftovers`, `rows visited`, `edits` and `events`),
    /// by systems with [`count`](super::count), and by [counters](super::Profiler::add_counter).
    #[must_use]
    pub fn counters(&self) -> &[Count] {
        &self.counts
    }

    /// The value of a counter, if the frame has it.
    #[must_use]
    pub fn counter(&self, name: &str) -> Option<u64> {
        let mut counts = self.counts.iter();
        counts
            .find(|count| count.name == name)
            .map(|count| count.value)
    }

    /// The memory of a frame that is given up.
    pub(super) fn into_lists(mut self) -> Lists {
        self.spans.clear();
        self.counts.clear();
        Lists {
            spans: self.spans,
            counts: self.counts,
            rows: 0,
        }
    }

    /// New memory for a frame like this one.
    pub(super) fn lists_alike(&self) -> Lists {
        Lists {
            spans: Vec::with_capacity(self.spans.len() + 8),
            counts: Vec::with_capacity(self.counts.len() + 2),
            rows: 0,
        }
    }
}

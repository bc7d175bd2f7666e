//! Frames that were measured elsewhere.

use super::profiler::Profiler;
use super::span::{Category, Span, SpanName};
use std::time::{Duration, Instant};

/// A span of a frame that was measured elsewhere, such as one from a file or from a test.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct MeasuredSpan<'n> {
    /// The kind of the span. The frame itself needs no span.
    pub category: Category,
    /// The name of the system, or of the block.
    pub name: &'n str,
    /// How many spans it lies in; 1 if only the frame.
    pub depth: u32,
    /// The thread that recorded it; 0 is the one that ran the frame.
    pub thread: u32,
    /// When it began, from the start of the frame.
    pub start: Duration,
    /// How long it took.
    pub took: Duration,
}

impl Profiler {
    /// Adds a frame that was measured elsewhere, after all others. Statistics, comparisons and budgets count it; listeners are not called.
    /// The spans must be in the order of their ends. It does not matter whether the profiler is on. O(spans · names).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::Profiler;
    /// use gerust::profile::{Category, MeasuredSpan};
    /// use std::time::Duration;
    ///
    /// let mut profiler = Profiler::default();
    /// for number in 1..=10 {
    ///     let took = Duration::from_millis(if number == 7 { 30 } else { 4 });
    ///     let sway = MeasuredSpan { category: Category::System, name: "sway", depth: 1, thread: 0, start: Duration::ZERO, took };
    ///     profiler.add_measured(number, took + Duration::from_millis(1), &[sway]);
    /// }
    /// let statistics = profiler.statistics();
    /// let sway = statistics.iter().find(|statistic| statistic.name() == "sway").expect("it was added");
    /// assert_eq!((sway.median(), sway.worst_frame()), (Duration::from_millis(4), 7));
    /// assert_eq!(profiler.culprits()[0].name, "sway");
    /// ```
    pub fn add_measured(&mut self, number: u64, took: Duration, spans: &[MeasuredSpan<'_>]) {
        let begin = Instant::now();
        let nanoseconds = |took: Duration| u64::try_from(took.as_nanos()).unwrap_or(u64::MAX);
        let mut all: Vec<Span> = spans
            .iter()
            .map(|span| Span {
                category: span.category,
                name: self.list_name(span.name),
                start: begin.checked_add(span.start).unwrap_or(begin),
                nanoseconds: nanoseconds(span.took),
                depth: span.depth,
                thread: span.thread,
            })
            .collect();
        all.push(Span {
            category: Category::Frame,
            name: SpanName::Text("frame"),
            start: begin,
            nanoseconds: nanoseconds(took),
            depth: 0,
            thread: 0,
        });
        self.push_frame(number, all, Vec::new());
    }
}

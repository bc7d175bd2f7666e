//! The profiler: the spans of the last frames.

use super::span::{Category, HelperSpans, Recorder, Span, SpanName, exchange, locked};
use super::statistics::{self, Statistic};
use std::collections::VecDeque;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Frames that are kept unless [`Profiler::keep_frames`] says otherwise.
const DEFAULT_FRAMES: usize = 600;
/// 60 frames a second.
const DEFAULT_BUDGET: Duration = Duration::from_nanos(16_666_667);

/// Keeps the spans of the last frames and sums them up.
///
/// It is on from the start, and cheap enough to stay on: two clock reads and a push into memory that is already there
/// for each span. When the ring is full the oldest frame's memory takes the newest frame.
///
/// # Example
///
/// ```
/// use gerust::Runtime;
/// use std::time::Duration;
///
/// let mut runtime = Runtime::new();
/// runtime.profiler_mut().set_budget(Duration::from_secs(1));
/// runtime.profiler_mut().keep_frames(10);
/// runtime.run_frames(25)?;
/// assert_eq!(runtime.profiler().frames().count(), 10);
/// assert_eq!(runtime.profiler().frames().next().map(|frame| frame.number()), Some(16));
/// assert_eq!(runtime.profiler().frames_over_budget(), 0);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Debug)]
pub struct Profiler {
    on: bool,
    budget: Duration,
    kept: usize,
    frames: VecDeque<FrameProfile>,
    names: Vec<String>,
    /// What was on this thread before the frame began: the recorder of a runtime that runs this one from a system.
    suspended: Option<Recorder>,
    current: Option<(u64, Instant)>,
    helpers: Arc<HelperSpans>,
}

impl Default for Profiler {
    fn default() -> Self {
        Self {
            on: true,
            budget: DEFAULT_BUDGET,
            kept: DEFAULT_FRAMES,
            frames: VecDeque::new(),
            names: Vec::new(),
            suspended: None,
            current: None,
            helpers: Arc::default(),
        }
    }
}

impl Profiler {
    /// Whether frames are recorded.
    #[must_use]
    pub fn is_on(&self) -> bool {
        self.on
    }

    /// Records frames from the next one on, or stops to.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.profiler_mut().set_on(false);
    /// runtime.run_frames(2)?;
    /// assert_eq!(runtime.profiler().frames().count(), 0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_on(&mut self, on: bool) {
        self.on = on;
    }

    /// The time that a frame should take at most; 1/60 s unless set.
    #[must_use]
    pub fn budget(&self) -> Duration {
        self.budget
    }

    /// Sets the time that a frame should take at most.
    pub fn set_budget(&mut self, budget: Duration) {
        self.budget = budget;
    }

    /// Keeps the last `frames` frames, at least one; 600 unless set.
    pub fn keep_frames(&mut self, frames: usize) {
        self.kept = frames.max(1);
        while self.frames.len() > self.kept {
            self.frames.pop_front();
        }
    }

    /// The frames that are kept, oldest first.
    pub fn frames(&self) -> impl ExactSizeIterator<Item = &FrameProfile> {
        self.frames.iter()
    }

    /// How many of the frames that are kept took longer than the budget.
    #[must_use]
    pub fn frames_over_budget(&self) -> usize {
        self.frames
            .iter()
            .filter(|frame| frame.duration() > self.budget)
            .count()
    }

    /// What each name cost over the frames that are kept: frame first, then phases, systems and blocks, each in order
    /// of total time, longest first. O(spans log spans).
    #[must_use]
    pub fn statistics(&self) -> Vec<Statistic> {
        statistics::collect(self)
    }

    /// The name of a span of this profiler's frames.
    #[must_use]
    pub fn name_of(&self, span: &Span) -> &str {
        self.text_of(span.name)
    }

    pub(super) fn text_of(&self, name: SpanName) -> &str {
        match name {
            SpanName::Text(text) => text,
            SpanName::Listed(place) => &self.names[place as usize],
        }
    }

    /// A short form of a name that is only known at run time.
    pub(crate) fn list_name(&mut self, name: &str) -> SpanName {
        let place = match self.names.iter().position(|known| known == name) {
            Some(place) => place,
            None => {
                self.names.push(name.to_owned());
                self.names.len() - 1
            }
        };
        SpanName::Listed(u32::try_from(place).expect("fewer than 2^32 names"))
    }

    pub(crate) fn begin_frame(&mut self, number: u64) {
        if !self.on {
            return;
        }
        let mut spans = if self.frames.len() >= self.kept {
            self.frames
                .pop_front()
                .map(|oldest| oldest.spans)
                .unwrap_or_default()
        } else {
            Vec::with_capacity(self.frames.back().map_or(64, |last| last.spans.len() + 8))
        };
        spans.clear();
        self.suspended = exchange(Some(Recorder {
            spans,
            depth: 1,
            thread: 0,
            helpers: Arc::clone(&self.helpers),
        }));
        self.current = Some((number, Instant::now()));
    }

    pub(crate) fn end_frame(&mut self) {
        let Some((number, start)) = self.current.take() else {
            return;
        };
        let nanoseconds = u64::try_from(start.elapsed().as_nanos()).unwrap_or(u64::MAX);
        let recorder = exchange(self.suspended.take());
        let mut spans = recorder.map(|recorder| recorder.spans).unwrap_or_default();
        spans.append(&mut locked(&self.helpers.recorded));
        spans.push(Span {
            category: Category::Frame,
            name: SpanName::Text("frame"),
            start,
            nanoseconds,
            depth: 0,
            thread: 0,
        });
        self.frames.push_back(FrameProfile { number, spans });
    }
}

/// The spans of one frame.
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
    number: u64,
    /// In order of their ends, thread by thread; the frame itself comes last.
    spans: Vec<Span>,
}

impl FrameProfile {
    /// The number of the frame, counted from 1.
    #[must_use]
    pub fn number(&self) -> u64 {
        self.number
    }

    /// How long the frame took.
    #[must_use]
    pub fn duration(&self) -> Duration {
        Duration::from_nanos(self.spans.last().map_or(0, |frame| frame.nanoseconds))
    }

    /// All spans, in order of their ends, those of helping threads after those of the frame's own; the last is the frame
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
}

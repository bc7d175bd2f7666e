//! The profiler: the spans of the last frames.

use super::counters::{Count, CounterKind, Gauge};
use super::frame::FrameProfile;
use super::recorder::{HelperSpans, Lists, Recorder, add, exchange, locked};
use super::span::{Category, Span, SpanName};
use crate::panics::Panics;
use std::collections::VecDeque;
use std::fmt;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Frames that are kept unless [`Profiler::keep_frames`] says otherwise.
const DEFAULT_FRAMES: usize = 600;
/// 60 frames a second.
const DEFAULT_BUDGET: Duration = Duration::from_nanos(16_666_667);
/// The counter of rows that walks went over.
const ROWS: &str = "rows visited";

type Hook = Box<dyn FnMut(&Profiler, &FrameProfile) + Send>;

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
pub struct Profiler {
    on: bool,
    budget: Duration,
    /// Of systems and other names.
    budgets: Vec<(String, Duration)>,
    kept: usize,
    /// How many of the frames that are recorded first count as warm-up.
    warm_up: u64,
    /// How many frames have been recorded.
    recorded: u64,
    frames: VecDeque<FrameProfile>,
    names: Vec<String>,
    gauges: Vec<Gauge>,
    hooks: Vec<Hook>,
    /// The recorder of this thread before the frame began: that of a runtime that runs this one from a system.
    suspended: Option<Recorder>,
    current: Option<(u64, Instant)>,
    helpers: Arc<HelperSpans>,
}

impl Default for Profiler {
    fn default() -> Self {
        Self {
            on: true,
            budget: DEFAULT_BUDGET,
            budgets: Vec::new(),
            kept: DEFAULT_FRAMES,
            warm_up: 0,
            recorded: 0,
            frames: VecDeque::new(),
            names: Vec::new(),
            gauges: Vec::new(),
            hooks: Vec::new(),
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

    /// The time per frame that a system, or anything else of that name, should take at most, if one was set.
    #[must_use]
    pub fn budget_of(&self, name: &str) -> Option<Duration> {
        let mut budgets = self.budgets.iter();
        budgets
            .find(|(known, _)| known == name)
            .map(|&(_, budget)| budget)
    }

    /// Sets the time per frame that a system should take at most, or a phase, part or block of that name. Frames in which it
    /// took longer are counted in its [`Statistic`](super::Statistic::frames_over_budget).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use std::time::Duration;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_system(System::named("wait").takes::<()>().runs(|()| {
    ///     std::thread::sleep(Duration::from_millis(1));
    /// }))?;
    /// runtime.profiler_mut().set_budget_of("wait", Duration::from_micros(100));
    /// runtime.run_frames(3)?;
    /// let statistics = runtime.profiler().statistics();
    /// let wait = statistics.iter().find(|statistic| statistic.name() == "wait").expect("it ran");
    /// assert_eq!((wait.budget(), wait.frames_over_budget()), (Some(Duration::from_micros(100)), 3));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_budget_of(&mut self, name: &str, budget: Duration) {
        match self.budgets.iter_mut().find(|(known, _)| known == name) {
            Some((_, known)) => *known = budget,
            None => self.budgets.push((name.to_owned(), budget)),
        }
    }

    /// Removes the budget of a name, and returns it.
    ///
    /// # Example
    ///
    /// ```
    /// use std::time::Duration;
    ///
    /// let mut runtime = gerust::Runtime::new();
    /// let profiler = runtime.profiler_mut();
    /// profiler.set_budget_of("wait", Duration::from_micros(100));
    /// assert_eq!(profiler.remove_budget_of("wait"), Some(Duration::from_micros(100)));
    /// assert_eq!(profiler.budget_of("wait"), None);
    /// ```
    pub fn remove_budget_of(&mut self, name: &str) -> Option<Duration> {
        let place = self.budgets.iter().position(|(known, _)| known == name)?;
        Some(self.budgets.remove(place).1)
    }

    /// Keeps the last `frames` frames, at least one; 600 unless set.
    pub fn keep_frames(&mut self, frames: usize) {
        self.kept = frames.max(1);
        while self.frames.len() > self.kept {
            self.frames.pop_front();
        }
    }

    /// How many of the frames that are recorded first are warm-up; 0 unless set.
    #[must_use]
    pub fn warm_up(&self) -> u64 {
        self.warm_up
    }

    /// Sets how many frames are warm-up, counted from the first that was recorded: memory is taken and caches are filled
    /// then. They are kept apart: statistics and budgets leave them out, [`Profiler::warm_up_statistics`] has them. Frames
    /// that are already there count.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.profiler_mut().set_warm_up(4);
    /// runtime.run_frames(10)?;
    /// let profiler = runtime.profiler();
    /// assert_eq!(profiler.frames().filter(|frame| frame.is_warm_up()).count(), 4);
    /// assert_eq!(profiler.statistics()[0].calls(), 6);
    /// assert_eq!(profiler.warm_up_statistics()[0].calls(), 4);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_warm_up(&mut self, frames: u64) {
        self.warm_up = frames;
        for frame in &mut self.frames {
            frame.is_warm_up = frame.place < frames;
        }
    }

    /// Reads a number at each frame from now on, such as allocations or memory in use; see [`count`](super::count) for what
    /// systems count themselves. It is read at the very beginning and end of the frame if it [rises](CounterKind::Rising),
    /// and after the frame if it is a [level](CounterKind::Level).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::profile::CounterKind;
    ///
    /// let mut runtime = gerust::Runtime::new();
    /// let mut letters = 0;
    /// runtime.profiler_mut().add_counter("letters", CounterKind::Rising, move || {
    ///     letters += 5;
    ///     letters
    /// });
    /// runtime.run_frames(1)?;
    /// let frame = runtime.profiler().frames().next().expect("a frame ran");
    /// assert_eq!(frame.counter("letters"), Some(5));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn add_counter(
        &mut self,
        name: &'static str,
        kind: CounterKind,
        read: impl FnMut() -> u64 + Send + 'static,
    ) {
        self.gauges.retain(|known| known.name != name);
        self.gauges.push(Gauge::new(name, kind, read));
    }

    /// Hands each frame that is recorded to a function of yours when it has ended: to log it, or to draw it on a screen. Its
    /// time is in no frame.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::profile::Category;
    /// use std::sync::mpsc;
    ///
    /// let mut runtime = gerust::Runtime::new();
    /// let (sender, receiver) = mpsc::channel();
    /// runtime.profiler_mut().on_each_frame(move |profiler, frame| {
    ///     let is_late = frame.duration() > profiler.budget();
    ///     let systems = frame.spans().iter().filter(|span| span.category() == Category::System);
    ///     sender.send((frame.number(), systems.count(), is_late)).expect("the receiver is alive");
    /// });
    /// runtime.run_frames(2)?;
    /// assert_eq!(receiver.try_iter().map(|(number, ..)| number).collect::<Vec<_>>(), [1, 2]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn on_each_frame(&mut self, hook: impl FnMut(&Self, &FrameProfile) + Send + 'static) {
        self.hooks.push(Box::new(hook));
    }

    /// The frames that are kept, oldest first, warm-up included.
    pub fn frames(&self) -> impl ExactSizeIterator<Item = &FrameProfile> {
        self.frames.iter()
    }

    /// The frames that are kept, oldest first, without [warm-up](Self::set_warm_up).
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.profiler_mut().set_warm_up(4);
    /// runtime.run_frames(10)?;
    /// assert_eq!(runtime.profiler().measured_frames().count(), 6);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn measured_frames(&self) -> impl Iterator<Item = &FrameProfile> {
        self.frames.iter().filter(|frame| !frame.is_warm_up)
    }

    /// How many of the [measured frames](Self::measured_frames) took longer than the budget.
    #[must_use]
    pub fn frames_over_budget(&self) -> usize {
        self.measured_frames()
            .filter(|frame| frame.duration() > self.budget)
            .count()
    }

    /// The name of a span of this profiler's frames; a span of another profiler may come out as `another runtime`.
    #[must_use]
    pub fn name_of(&self, span: &Span) -> &str {
        self.text_of(span.name)
    }

    pub(super) fn text_of(&self, name: SpanName) -> &str {
        match name {
            SpanName::Text(text) => text,
            // The span is not one of this profiler's frames.
            SpanName::Listed(place) => self
                .names
                .get(place as usize)
                .map_or("another runtime", String::as_str),
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

    pub(crate) fn begin_frame(&mut self, number: u64, panics: &mut Panics) {
        if !self.on {
            self.suspended = exchange(None);
            return;
        }
        let lists = if self.frames.len() >= self.kept {
            let oldest = self.frames.pop_front();
            oldest.map(FrameProfile::into_lists).unwrap_or_default()
        } else {
            self.frames
                .back()
                .map_or_else(Lists::default, FrameProfile::lists_alike)
        };
        self.suspended = exchange(Some(Recorder::new(lists, 1, 0, Arc::clone(&self.helpers))));
        for gauge in &mut self.gauges {
            panics.catch(|| gauge.start());
        }
        self.current = Some((number, Instant::now()));
    }

    /// Ends the frame; `numbers` asks for what its caller has counted, if the frame was recorded. Panics of the user's
    /// counters and hooks are caught; a counter that panics is left out.
    pub(crate) fn end_frame(
        &mut self,
        numbers: impl FnOnce(&mut dyn FnMut(&'static str, u64)),
        panics: &mut Panics,
    ) {
        let Some((number, start)) = self.current.take() else {
            exchange(self.suspended.take());
            return;
        };
        let nanoseconds = u64::try_from(start.elapsed().as_nanos()).unwrap_or(u64::MAX);
        let Some(recorder) = exchange(self.suspended.take()) else {
            return;
        };
        let (mut spans, mut counts) = (recorder.spans, recorder.counts);
        let rising = self.gauges.iter_mut();
        // First of all: what follows may allocate as well.
        counts.extend(
            rising
                .filter(|gauge| gauge.is(CounterKind::Rising))
                .filter_map(|gauge| panics.catch(|| gauge.end())),
        );
        self.helpers.end_frame();
        let mut helpers = locked(&self.helpers.recorded);
        spans.append(&mut helpers.spans);
        helpers
            .counts
            .drain(..)
            .for_each(|count| add(&mut counts, count));
        let value = recorder.rows + std::mem::take(&mut helpers.rows);
        drop(helpers);
        counts.push(Count { name: ROWS, value });
        numbers(&mut |name, value| counts.push(Count { name, value }));
        let levels = self.gauges.iter_mut();
        counts.extend(
            levels
                .filter(|gauge| gauge.is(CounterKind::Level))
                .filter_map(|gauge| panics.catch(|| gauge.end())),
        );
        spans.push(Span {
            category: Category::Frame,
            name: SpanName::Text("frame"),
            start,
            nanoseconds,
            depth: 0,
            thread: 0,
        });
        self.push_frame(number, spans, counts);
        self.tell_hooks(panics);
    }

    /// Adds a frame, and drops the oldest one if there are more than are kept.
    pub(super) fn push_frame(&mut self, number: u64, spans: Vec<Span>, counts: Vec<Count>) {
        self.frames.push_back(FrameProfile {
            number,
            place: self.recorded,
            is_warm_up: self.recorded < self.warm_up,
            spans,
            counts,
        });
        self.recorded += 1;
        if self.frames.len() > self.kept {
            self.frames.pop_front();
        }
    }

    fn tell_hooks(&mut self, panics: &mut Panics) {
        if self.hooks.is_empty() {
            return;
        }
        let mut hooks = std::mem::take(&mut self.hooks);
        if let Some(frame) = self.frames.back() {
            for hook in &mut hooks {
                panics.catch(|| hook(self, frame));
            }
        }
        self.hooks = hooks;
    }
}

impl fmt::Debug for Profiler {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Profiler")
            .field("on", &self.on)
            .field("budget", &self.budget)
            .field("frames", &self.frames.len())
            .finish_non_exhaustive()
    }
}

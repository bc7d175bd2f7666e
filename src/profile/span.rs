//! Spans: pieces of a frame, recorded on the thread that runs them.
//!
//! A thread records only while a recorder is installed on it. The runtime installs one at the start of a frame and
//! takes it away at the end, so several runtimes in one process never mix, and no registry has to be locked.

use std::cell::RefCell;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// What a span stands for.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Category {
    /// A whole frame.
    Frame,
    /// All systems of a phase, and the edits at its end.
    Phase,
    /// One run of a system.
    System,
    /// A block that was marked with [`span`].
    Block,
}

impl Category {
    /// The name that reports use.
    ///
    /// # Example
    ///
    /// ```
    /// assert_eq!(gerust::profile::Category::System.name(), "system");
    /// ```
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Frame => "frame",
            Self::Phase => "phase",
            Self::System => "system",
            Self::Block => "block",
        }
    }
}

/// The name of a span while it is recorded: nothing is copied or counted.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub(crate) enum SpanName {
    Text(&'static str),
    /// A place in the profiler's list of names.
    Listed(u32),
}

/// One recorded piece of a frame.
#[derive(Clone, Copy, Debug)]
pub struct Span {
    pub(super) category: Category,
    pub(super) name: SpanName,
    pub(super) start: Instant,
    pub(super) nanoseconds: u64,
    pub(super) depth: u32,
    pub(super) thread: u32,
}

impl Span {
    /// What the span stands for.
    #[must_use]
    pub fn category(&self) -> Category {
        self.category
    }

    /// How long it took, in nanoseconds.
    #[must_use]
    pub fn nanoseconds(&self) -> u64 {
        self.nanoseconds
    }

    /// How many spans it lies in: 0 for the frame itself.
    #[must_use]
    pub fn depth(&self) -> u32 {
        self.depth
    }

    /// The thread it ran on: 0 is that of the frame itself, the helpers count from 1.
    #[must_use]
    pub fn thread(&self) -> u32 {
        self.thread
    }
}

/// What records on one thread.
#[derive(Debug)]
#[cfg_attr(not(feature = "parallel"), allow(dead_code, reason = "nobody helps"))]
pub(super) struct Recorder {
    pub(super) spans: Vec<Span>,
    pub(super) depth: u32,
    pub(super) thread: u32,
    pub(super) helpers: Arc<HelperSpans>,
}

/// What the helpers of a frame have recorded.
#[derive(Default, Debug)]
#[cfg_attr(not(feature = "parallel"), allow(dead_code, reason = "nobody helps"))]
pub(crate) struct HelperSpans {
    pub(super) recorded: Mutex<Vec<Span>>,
    /// Memory for the helpers' recorders.
    spare: Mutex<Vec<Vec<Span>>>,
}

/// The spans of helpers of the frame that this thread records, if it records one.
#[cfg(feature = "parallel")]
pub(crate) fn helper_spans() -> Option<Arc<HelperSpans>> {
    RECORDER.with_borrow(|recorder| {
        recorder
            .as_ref()
            .map(|recorder| Arc::clone(&recorder.helpers))
    })
}

#[cfg(feature = "parallel")]
impl HelperSpans {
    /// Records on this thread, below frame and phase, until the guard is dropped.
    pub(crate) fn record(self: &Arc<Self>, thread: u32) -> Recording {
        let spare = locked(&self.spare).pop();
        let recorder = Recorder {
            spans: spare.unwrap_or_default(),
            depth: 2,
            thread,
            helpers: Arc::clone(self),
        };
        Recording {
            before: exchange(Some(recorder)),
        }
    }
}

/// Ends the recording of a helper when it is dropped.
#[cfg(feature = "parallel")]
pub(crate) struct Recording {
    before: Option<Recorder>,
}

#[cfg(feature = "parallel")]
impl Drop for Recording {
    fn drop(&mut self) {
        if let Some(mut recorder) = exchange(self.before.take()) {
            let helpers = &recorder.helpers;
            locked(&helpers.recorded).append(&mut recorder.spans);
            locked(&helpers.spare).push(std::mem::take(&mut recorder.spans));
        }
    }
}

/// A list is whole whenever its lock is free, so a panic elsewhere does not matter.
pub(super) fn locked<T>(list: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    list.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Goes one level down without reading the clock: for those who have read it already. [`ascend`] must follow.
#[inline]
pub(crate) fn descend() -> Option<u32> {
    RECORDER.with_borrow_mut(|recorder| {
        let recorder = recorder.as_mut()?;
        recorder.depth += 1;
        Some(recorder.depth - 1)
    })
}

/// Comes up again to a level from [`descend`], and records what ran there.
#[inline]
pub(crate) fn ascend(
    level: Option<u32>,
    category: Category,
    name: SpanName,
    start: Instant,
    took: Duration,
) {
    let Some(depth) = level else {
        return;
    };
    RECORDER.with_borrow_mut(|recorder| {
        // A guard that outlives its frame has nobody left to tell.
        let Some(recorder) = recorder else {
            return;
        };
        recorder.depth = depth;
        recorder.spans.push(Span {
            category,
            name,
            start,
            nanoseconds: u64::try_from(took.as_nanos()).unwrap_or(u64::MAX),
            depth,
            thread: recorder.thread,
        });
    });
}

thread_local! {
    static RECORDER: RefCell<Option<Recorder>> = const { RefCell::new(None) };
}

/// Puts a recorder on this thread, or takes it away, and returns the one that was there.
pub(super) fn exchange(recorder: Option<Recorder>) -> Option<Recorder> {
    RECORDER.with(|slot| slot.replace(recorder))
}

/// Records the time until the guard is dropped, under a name of your own.
///
/// Costs two clock reads inside of a frame; outside of one, or with the profiler off, next to nothing.
///
/// # Example
///
/// ```
/// // No frame runs here, so nothing is recorded, and nothing goes wrong.
/// let guard = gerust::profile::span("load the yard map");
/// drop(guard);
/// ```
#[must_use = "the span ends when the guard is dropped"]
pub fn span(name: &'static str) -> SpanGuard {
    open(Category::Block, SpanName::Text(name))
}

#[inline]
pub(crate) fn open(category: Category, name: SpanName) -> SpanGuard {
    SpanGuard(descend().map(|depth| Open {
        category,
        name,
        depth,
        start: Instant::now(),
    }))
}

#[derive(Debug)]
struct Open {
    category: Category,
    name: SpanName,
    depth: u32,
    start: Instant,
}

/// Ends a span when it is dropped; see [`span`].
#[derive(Debug)]
pub struct SpanGuard(Option<Open>);

impl Drop for SpanGuard {
    #[inline]
    fn drop(&mut self) {
        let Some(open) = self.0.take() else {
            return;
        };
        ascend(
            Some(open.depth),
            open.category,
            open.name,
            open.start,
            open.start.elapsed(),
        );
    }
}

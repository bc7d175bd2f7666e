//! Spans: pieces of a frame, recorded on the thread that runs them.
//!
//! A thread records only while a recorder is installed on it. The runtime installs one at the start of a frame and
//! takes it away at the end, so several runtimes in one process never mix, and no registry has to be locked.

use std::cell::RefCell;
use std::time::Instant;

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
}

/// What records on one thread.
#[derive(Debug)]
pub(super) struct Recorder {
    pub(super) spans: Vec<Span>,
    pub(super) depth: u32,
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
    let depth = RECORDER.with_borrow_mut(|recorder| {
        let recorder = recorder.as_mut()?;
        recorder.depth += 1;
        Some(recorder.depth - 1)
    });
    SpanGuard(depth.map(|depth| Open {
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
        let elapsed = open.start.elapsed();
        RECORDER.with_borrow_mut(|recorder| {
            // A guard that outlives its frame has nobody left to tell.
            let Some(recorder) = recorder else {
                return;
            };
            recorder.depth = open.depth;
            recorder.spans.push(Span {
                category: open.category,
                name: open.name,
                start: open.start,
                nanoseconds: u64::try_from(elapsed.as_nanos()).unwrap_or(u64::MAX),
                depth: open.depth,
            });
        });
    }
}

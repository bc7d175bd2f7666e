//! Spans: pieces of a frame.

use super::recorder::{ascend, descend};
use std::marker::PhantomData;
use std::time::Instant;

/// The kind of a span.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Category {
    /// A whole frame.
    Frame,
    /// All systems of a phase, and the edits at its end.
    Phase,
    /// One run of a system.
    System,
    /// A part of what the runtime does itself: edits, propagation, finding of pairs, motion.
    Part,
    /// A block that was marked with [`span`] or [`timed`].
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
            Self::Part => "part",
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

    /// The thread it ran on: 0 is that of the frame itself, the others count from 1 in the order in which they first
    /// recorded anything.
    #[must_use]
    pub fn thread(&self) -> u32 {
        self.thread
    }
}

/// Records the time until the guard is dropped, under a name of your own.
///
/// Costs two clock reads inside of a frame; outside of one, or with the profiler off, next to nothing. On a thread that you
/// have started yourself nothing is recorded unless it carries a [`Relay`](super::Relay).
///
/// See also [`timed`], which takes a closure.
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
    open(Category::Block, name)
}

/// Runs a closure and records its time, under a name of your own; see [`span`].
///
/// # Example
///
/// ```
/// use gerust::profile;
///
/// let crates = profile::timed("count crates", || 3 + 4);
/// assert_eq!(crates, 7);
/// ```
pub fn timed<R>(name: &'static str, work: impl FnOnce() -> R) -> R {
    let _span = span(name);
    work()
}

/// Opens a span of a part of the runtime.
#[inline]
pub(crate) fn part(name: &'static str) -> SpanGuard {
    open(Category::Part, name)
}

/// Runs a part of the runtime and records its time.
#[inline]
pub(crate) fn timed_part<R>(name: &'static str, work: impl FnOnce() -> R) -> R {
    let _span = part(name);
    work()
}

#[inline]
pub(crate) fn open(category: Category, name: &'static str) -> SpanGuard {
    SpanGuard {
        open: descend().map(|depth| Open {
            category,
            name,
            depth,
            start: Instant::now(),
        }),
        #[cfg(feature = "tracing")]
        _open: super::bridge::enter(category, name),
        on_this_thread: PhantomData,
    }
}

#[derive(Debug)]
struct Open {
    category: Category,
    name: &'static str,
    depth: u32,
    start: Instant,
}

/// Ends a span when it is dropped, on the thread that opened it; see [`span`].
#[derive(Debug)]
pub struct SpanGuard {
    open: Option<Open>,
    #[cfg(feature = "tracing")]
    _open: super::bridge::OpenSpan,
    /// Dropped elsewhere it would be recorded among spans that it does not lie in.
    on_this_thread: PhantomData<*const ()>,
}

impl Drop for SpanGuard {
    #[inline]
    fn drop(&mut self) {
        let Some(open) = self.open.take() else {
            return;
        };
        ascend(
            Some(open.depth),
            open.category,
            SpanName::Text(open.name),
            open.start,
            open.start.elapsed(),
        );
    }
}

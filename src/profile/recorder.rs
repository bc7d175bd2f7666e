//! What records spans and counts on a thread.
//!
//! A thread records only while a recorder is installed on it. The runtime installs one at the start of a frame and
//! takes it away at the end, so several runtimes in one process never mix, and no registry has to be locked. Other threads
//! get one of their own while they work for the frame; what they have recorded is handed over when they are done.

use super::counters::Count;
use super::span::{Category, Span, SpanName};
use rustc_hash::FxHashMap;
use std::cell::{Cell, RefCell};
use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread::ThreadId;
use std::time::{Duration, Instant};

/// What records on one thread.
#[derive(Debug)]
pub(super) struct Recorder {
    pub(super) spans: Vec<Span>,
    pub(super) counts: Vec<Count>,
    /// Rows that walks have gone over, apart from other counts because walks are many.
    pub(super) rows: u64,
    pub(super) depth: u32,
    pub(super) thread: u32,
    pub(super) helpers: Arc<HelperSpans>,
    /// Spans of `tracing` that are open on this thread, outermost first.
    #[cfg(feature = "tracing")]
    pub(super) entered: Vec<super::bridge::Entered>,
}

impl Recorder {
    pub(super) fn new(lists: Lists, depth: u32, thread: u32, helpers: Arc<HelperSpans>) -> Self {
        Self {
            spans: lists.spans,
            counts: lists.counts,
            rows: 0,
            depth,
            thread,
            helpers,
            #[cfg(feature = "tracing")]
            entered: Vec::new(),
        }
    }
}

/// Memory to record into.
#[derive(Default, Debug)]
pub(super) struct Lists {
    pub(super) spans: Vec<Span>,
    pub(super) counts: Vec<Count>,
    pub(super) rows: u64,
}

/// What other threads have recorded for a frame.
#[derive(Default, Debug)]
pub(crate) struct HelperSpans {
    pub(super) recorded: Mutex<Lists>,
    /// Memory for the recorders of others.
    spare: Mutex<Vec<Lists>>,
    threads: Mutex<ThreadNumbers>,
}

/// The numbers of threads that have recorded for others, counted from 1. A thread keeps its number as long as it records now
/// and then; numbers of threads that no longer do are given out again, so that threads which come and go do not pile up.
#[derive(Default, Debug)]
pub(super) struct ThreadNumbers {
    /// With the frame in which the thread recorded last.
    known: FxHashMap<ThreadId, (u32, u64)>,
    free: BinaryHeap<Reverse<u32>>,
    frame: u64,
}

/// A thread loses its number after this many frames without a record.
const FRAMES_REMEMBERED: u64 = 64;

impl ThreadNumbers {
    fn of(&mut self, thread: ThreadId) -> u32 {
        let count = self.known.len() + self.free.len();
        let known = self.known.entry(thread).or_insert_with(|| {
            let next = u32::try_from(count + 1).expect("fewer than 2^32 threads");
            let number = self.free.pop().map_or(next, |Reverse(number)| number);
            (number, 0)
        });
        known.1 = self.frame;
        known.0
    }

    fn end_frame(&mut self) {
        self.frame += 1;
        if !self.frame.is_multiple_of(FRAMES_REMEMBERED) {
            return;
        }
        let Self { known, free, frame } = self;
        known.retain(|_, &mut (number, last)| {
            let stays = last + FRAMES_REMEMBERED > *frame;
            if !stays {
                free.push(Reverse(number));
            }
            stays
        });
    }
}

impl HelperSpans {
    fn number_of(&self, thread: ThreadId) -> u32 {
        locked(&self.threads).of(thread)
    }

    pub(super) fn end_frame(&self) {
        locked(&self.threads).end_frame();
    }
}

/// Lets another thread record for the frame that this one runs.
///
/// The threads of the runtime do so by themselves, in systems and in parallel loops over rows; this is for those that a system
/// starts itself.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::profile;
///
/// let mut runtime = Runtime::new();
/// runtime.add_system(System::named("read manifests").takes::<()>().runs(|()| {
///     let relay = profile::Relay::here();
///     std::thread::scope(|scope| {
///         scope.spawn(|| relay.record(|| profile::timed("decode", || ())));
///     });
/// }))?;
/// runtime.run_frames(2)?;
/// let frame = runtime.profiler().frames().next().expect("two frames ran");
/// let decode = frame.spans().iter().find(|span| runtime.profiler().name_of(span) == "decode");
/// assert_eq!(decode.map(|span| span.thread()), Some(1));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Relay(Option<(Arc<HelperSpans>, u32)>);

impl Relay {
    /// For the frame that this thread runs or helps with; if it does neither, nothing will be recorded, not even on a thread
    /// that runs the frame of another runtime meanwhile.
    #[must_use]
    pub fn here() -> Self {
        if !is_recording() {
            return Self(None);
        }
        Self(RECORDER.with_borrow(|recorder| {
            let recorder = recorder.as_ref()?;
            Some((Arc::clone(&recorder.helpers), recorder.depth))
        }))
    }

    /// Runs something and records its spans and counts for the frame, on any thread. The frame must not end
    /// before: what comes later counts for the frame that is next.
    pub fn record<R>(&self, work: impl FnOnce() -> R) -> R {
        let _recording = self.begin();
        work()
    }

    pub(crate) fn begin(&self) -> Option<Recording> {
        let Some((helpers, depth)) = &self.0 else {
            return pause();
        };
        let is_known = RECORDER.with_borrow(|recorder| {
            let recorder = recorder.as_ref();
            recorder.is_some_and(|recorder| Arc::ptr_eq(&recorder.helpers, helpers))
        });
        // It records for this frame already, and knows better how deep it is.
        if is_known {
            return None;
        }
        let lists = locked(&helpers.spare).pop().unwrap_or_default();
        let thread = helpers.number_of(std::thread::current().id());
        let recorder = Recorder::new(lists, *depth, thread, Arc::clone(helpers));
        Some(Recording {
            before: exchange(Some(recorder)),
        })
    }
}

/// Records nothing on this thread until it is dropped. Work that belongs to no recorded frame may be run by a thread that
/// records another one: a worker that two runtimes share, or a system that runs a runtime of its own.
pub(crate) fn pause() -> Option<Recording> {
    is_recording().then(|| Recording {
        before: exchange(None),
    })
}

/// Ends the recording of another thread, or a pause, when it is dropped.
#[derive(Debug)]
pub(crate) struct Recording {
    before: Option<Recorder>,
}

impl Drop for Recording {
    fn drop(&mut self) {
        let Some(mut recorder) = exchange(self.before.take()) else {
            return;
        };
        let helpers = &recorder.helpers;
        let mut recorded = locked(&helpers.recorded);
        recorded.spans.append(&mut recorder.spans);
        recorded.rows += recorder.rows;
        for count in recorder.counts.drain(..) {
            add(&mut recorded.counts, count);
        }
        drop(recorded);
        locked(&helpers.spare).push(Lists {
            spans: std::mem::take(&mut recorder.spans),
            counts: std::mem::take(&mut recorder.counts),
            rows: 0,
        });
    }
}

/// A list is whole whenever its lock is free, so a panic elsewhere does not matter.
pub(super) fn locked<T>(list: &Mutex<T>) -> MutexGuard<'_, T> {
    list.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Adds to a count of the same name.
pub(super) fn add(counts: &mut Vec<Count>, count: Count) {
    match counts.iter_mut().find(|known| known.name == count.name) {
        Some(known) => known.value += count.value,
        None => counts.push(count),
    }
}

thread_local! {
    static RECORDER: RefCell<Option<Recorder>> = const { RefCell::new(None) };
    /// Whether there is a recorder: asked before each walk over rows, where looking into the cell above would show.
    static IS_RECORDING: Cell<bool> = const { Cell::new(false) };
}

/// Whether this thread records.
#[inline]
pub(crate) fn is_recording() -> bool {
    IS_RECORDING.get()
}

/// Counts rows that are about to be walked over.
#[inline]
pub(crate) fn note_rows(rows: usize) {
    with_recorder(|recorder| recorder.rows += rows as u64);
}

/// Puts a recorder on this thread, or takes it away, and returns the one that was there.
pub(super) fn exchange(recorder: Option<Recorder>) -> Option<Recorder> {
    IS_RECORDING.set(recorder.is_some());
    RECORDER.with(|slot| slot.replace(recorder))
}

/// Does something with the recorder of this thread, if there is one.
#[inline]
pub(super) fn with_recorder<R>(work: impl FnOnce(&mut Recorder) -> R) -> Option<R> {
    RECORDER.with_borrow_mut(|recorder| recorder.as_mut().map(work))
}

/// Goes one level down without reading the clock: for those who have read it already. [`ascend`] must follow.
#[inline]
pub(crate) fn descend() -> Option<u32> {
    with_recorder(|recorder| {
        recorder.depth += 1;
        recorder.depth - 1
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
    // A guard that outlives its frame records nothing.
    with_recorder(|recorder| {
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn threads_that_come_and_go_share_their_numbers() {
        let mut numbers = ThreadNumbers::default();
        let here = std::thread::current().id();
        let mut most = 0;
        for _ in 0..500 {
            assert_eq!(numbers.of(here), 1);
            let other = std::thread::spawn(|| std::thread::current().id());
            most = most.max(numbers.of(other.join().expect("it only returns its id")));
            numbers.end_frame();
        }
        assert!(most <= 2 * FRAMES_REMEMBERED as u32 + 1, "{most}");
        assert!(numbers.known.len() as u64 <= 2 * FRAMES_REMEMBERED + 1);
    }
}

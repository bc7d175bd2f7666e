//! Counters: numbers that belong to a frame.

use super::profiler::Profiler;
use super::recorder::{add, is_recording, with_recorder};

/// A number of one frame.
///
/// # Example
///
/// ```
/// let mut runtime = gerust::Runtime::new();
/// runtime.world_mut().spawn(("gull",));
/// runtime.run_frames(1)?;
/// let frame = runtime.profiler().frames().next().expect("a frame ran");
/// assert_eq!(frame.counter("entities"), Some(1));
/// assert!(frame.counters().iter().any(|count| count.name == "contacts" && count.value == 0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Count {
    /// The name of the counter.
    pub name: &'static str,
    /// How many.
    pub value: u64,
}

/// Adds to a counter of the frame that this thread runs or helps with; outside of a frame nothing is counted. The amounts of
/// a frame add up, over all threads.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::profile;
///
/// let mut runtime = Runtime::new();
/// runtime.add_system(System::named("lift").takes::<()>().runs(|()| {
///     profile::count("lifts", 2);
///     profile::count("lifts", 1);
/// }))?;
/// runtime.run_frames(1)?;
/// let frame = runtime.profiler().frames().next().expect("a frame ran");
/// assert_eq!(frame.counter("lifts"), Some(3));
/// # Ok::<(), gerust::Error>(())
/// ```
#[inline]
pub fn count(name: &'static str, amount: u64) {
    if is_recording() {
        with_recorder(|recorder| {
            let value = amount;
            add(&mut recorder.counts, Count { name, value });
        });
    }
}

/// How a counter of your own is read.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum CounterKind {
    /// A value read at the end of the frame, such as memory in use.
    Level,
    /// The increase between the beginning and the end of the frame, such as the number of allocations.
    Rising,
}

/// A counter that is read at each frame.
pub(super) struct Gauge {
    pub(super) name: &'static str,
    kind: CounterKind,
    read: Box<dyn FnMut() -> u64 + Send>,
    at_start: u64,
}

impl Gauge {
    pub(super) fn new(
        name: &'static str,
        kind: CounterKind,
        read: impl FnMut() -> u64 + Send + 'static,
    ) -> Self {
        Self {
            name,
            kind,
            read: Box::new(read),
            at_start: 0,
        }
    }

    pub(super) fn start(&mut self) {
        if self.kind == CounterKind::Rising {
            self.at_start = (self.read)();
        }
    }

    pub(super) fn is(&self, kind: CounterKind) -> bool {
        self.kind == kind
    }

    pub(super) fn end(&mut self) -> Count {
        Count {
            name: self.name,
            value: (self.read)().saturating_sub(self.at_start),
        }
    }
}

impl std::fmt::Debug for Gauge {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} ({:?})", self.name, self.kind)
    }
}

/// Statistics of one counter over the frames that a profiler keeps, without warm-up.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct CounterStatistic {
    /// The name of the counter.
    pub name: &'static str,
    /// The middle value per frame, the lower one of two. In frames without the counter it is 0.
    pub median: u64,
    /// The highest value of a frame.
    pub most: u64,
    /// The first frame with that value.
    pub most_frame: u64,
    /// The sum over all frames: of use for what is counted per frame, not for levels.
    pub total: u64,
}

impl Profiler {
    /// What each counter showed, in the order of their names. O(frames · counters).
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.world_mut().spawn(("gull",));
    /// runtime.run_frames(3)?;
    /// let counters = runtime.profiler().counter_statistics();
    /// let entities = counters.iter().find(|counter| counter.name == "entities").expect("always counted");
    /// assert_eq!((entities.median, entities.most, entities.most_frame), (1, 1, 1));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn counter_statistics(&self) -> Vec<CounterStatistic> {
        let mut names: Vec<&'static str> = self
            .measured_frames()
            .flat_map(|frame| frame.counters().iter().map(|count| count.name))
            .collect();
        names.sort_unstable();
        names.dedup();
        let statistic = |name| {
            let values = self
                .measured_frames()
                .map(|frame| (frame.number(), frame.counter(name).unwrap_or(0)));
            let values: Vec<(u64, u64)> = values.collect();
            let mut sorted: Vec<u64> = values.iter().map(|&(_, value)| value).collect();
            sorted.sort_unstable();
            let most = sorted.last().copied().unwrap_or(0);
            CounterStatistic {
                name,
                median: sorted[(sorted.len() - 1) / 2],
                most,
                most_frame: values
                    .iter()
                    .find(|&&(_, value)| value == most)
                    .map_or(0, |&(frame, _)| frame),
                total: sorted.iter().sum(),
            }
        };
        names.into_iter().map(statistic).collect()
    }
}

//! What each name cost over many frames.

use super::profiler::Profiler;
use super::span::{Category, SpanName};
use std::collections::HashMap;
use std::time::Duration;

/// Statistics of one name over the frames that a profiler keeps.
///
/// The times are *per frame*: several calls within a frame are added up first, and frames in which the name did not
/// occur do not count, nor do those of warm-up. Percentiles are by nearest rank: the smallest measured value that the given percentage of
/// the values do not exceed.
///
/// # Example
///
/// ```
/// let mut runtime = gerust::Runtime::new();
/// runtime.run_frames(20)?;
/// let statistics = runtime.profiler().statistics();
/// let frame = &statistics[0];
/// assert_eq!((frame.name(), frame.calls()), ("frame", 20));
/// assert!(frame.median() <= frame.percentile_95() && frame.percentile_95() <= frame.worst());
/// assert!((1..=20).contains(&frame.worst_frame()));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Statistic {
    category: Category,
    name: String,
    calls: u64,
    /// Nanoseconds per frame, ascending.
    sorted: Vec<u64>,
    /// Nanoseconds of all spans together, without those that lie in them.
    own: u64,
    worst_frame: u64,
    /// Of the frame.
    frame_budget: Duration,
    /// Of this name.
    budget: Option<Duration>,
}

impl Statistic {
    /// What the spans of this name stand for.
    #[must_use]
    pub fn category(&self) -> Category {
        self.category
    }

    /// The name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// How many spans there were.
    #[must_use]
    pub fn calls(&self) -> u64 {
        self.calls
    }

    /// The time of all spans together.
    #[must_use]
    pub fn total(&self) -> Duration {
        Duration::from_nanos(self.sorted.iter().sum())
    }

    /// The time of all spans together without that of the spans within them on the same thread: what was spent on the name
    /// itself. Over all names of a thread it adds up to the time of the frames.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::profile;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_system(System::named("wait").takes::<()>().runs(|()| {
    ///     let _span = profile::span("nap");
    ///     std::thread::sleep(std::time::Duration::from_millis(2));
    /// }))?;
    /// runtime.run_frames(3)?;
    /// let statistics = runtime.profiler().statistics();
    /// let of = |name| statistics.iter().find(|statistic| statistic.name() == name).expect("it ran");
    /// assert_eq!(of("nap").self_time(), of("nap").total());
    /// assert_eq!(of("wait").self_time(), of("wait").total() - of("nap").total());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn self_time(&self) -> Duration {
        Duration::from_nanos(self.own)
    }

    /// The middle time per frame.
    #[must_use]
    pub fn median(&self) -> Duration {
        self.percentile(50)
    }

    /// The time per frame that 95 % of the frames do not exceed.
    #[must_use]
    pub fn percentile_95(&self) -> Duration {
        self.percentile(95)
    }

    /// The time per frame that 99 % of the frames do not exceed.
    #[must_use]
    pub fn percentile_99(&self) -> Duration {
        self.percentile(99)
    }

    /// The time per frame that the given percentage of frames do not exceed; values above 100 count as 100.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.run_frames(20)?;
    /// let frame = &runtime.profiler().statistics()[0];
    /// assert_eq!(frame.percentile(95), frame.percentile_95());
    /// assert!(frame.percentile(25) <= frame.percentile(75));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn percentile(&self, percent: u32) -> Duration {
        let percent = percent.min(100) as usize;
        let rank = (self.sorted.len() * percent).div_ceil(100).max(1);
        Duration::from_nanos(self.sorted[rank - 1])
    }

    /// In how many frames the name occurred.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.sorted.len()
    }

    /// The time per frame that it should take at most: for the frame that of the profiler, for others the one that was set
    /// with [`Profiler::set_budget_of`](super::Profiler::set_budget_of), if any.
    #[must_use]
    pub fn budget(&self) -> Option<Duration> {
        self.budget
    }

    /// In how many frames it took longer than its own budget; 0 without one.
    #[must_use]
    pub fn frames_over_budget(&self) -> usize {
        let Some(budget) = self.budget else {
            return 0;
        };
        let within = self
            .sorted
            .partition_point(|&time| u128::from(time) <= budget.as_nanos());
        self.sorted.len() - within
    }

    /// The longest time per frame.
    #[must_use]
    pub fn worst(&self) -> Duration {
        self.percentile(100)
    }

    /// The first frame that took the longest time.
    #[must_use]
    pub fn worst_frame(&self) -> u64 {
        self.worst_frame
    }

    /// The median as a share of the frame budget; 1 is the whole budget.
    #[must_use]
    pub fn share_of_budget(&self) -> f64 {
        self.median().as_secs_f64() / self.frame_budget.as_secs_f64()
    }
}

#[derive(Default)]
struct Samples {
    calls: u64,
    own: u64,
    /// (frame, nanoseconds), in the order of frames.
    per_frame: Vec<(u64, u64)>,
}

impl Profiler {
    /// What each name cost over the frames that are kept, without warm-up: frame first, then phases, systems, parts and blocks,
    /// each in order of total time, longest first. O(spans log spans).
    #[must_use]
    pub fn statistics(&self) -> Vec<Statistic> {
        collect(self, false)
    }

    /// What each name cost over the frames of [warm-up](Self::set_warm_up) that are kept; see [`Profiler::statistics`].
    #[must_use]
    pub fn warm_up_statistics(&self) -> Vec<Statistic> {
        collect(self, true)
    }
}

fn collect(profiler: &Profiler, of_warm_up: bool) -> Vec<Statistic> {
    let mut by_name: HashMap<(Category, SpanName), Samples> = HashMap::new();
    let frames = profiler.frames();
    for frame in frames.filter(|frame| frame.is_warm_up() == of_warm_up) {
        for piece in frame.pieces() {
            let span = piece.span;
            let samples = by_name.entry((span.category, span.name)).or_default();
            samples.calls += 1;
            samples.own += piece.self_nanoseconds;
            match samples.per_frame.last_mut() {
                Some((number, sum)) if *number == frame.number() => *sum += span.nanoseconds,
                _ => samples.per_frame.push((frame.number(), span.nanoseconds)),
            }
        }
    }
    let mut statistics: Vec<Statistic> = by_name
        .into_iter()
        .map(|((category, name), samples)| summarize(profiler, category, name, &samples))
        .collect();
    statistics
        .sort_by(|a, b| (a.category, b.total(), &a.name).cmp(&(b.category, a.total(), &b.name)));
    statistics
}

fn summarize(
    profiler: &Profiler,
    category: Category,
    name: SpanName,
    samples: &Samples,
) -> Statistic {
    let mut sorted: Vec<u64> = samples.per_frame.iter().map(|&(_, time)| time).collect();
    sorted.sort_unstable();
    let worst = sorted.last().copied().unwrap_or(0);
    let worst_frame = samples
        .per_frame
        .iter()
        .find(|&&(_, time)| time == worst)
        .map_or(0, |&(frame, _)| frame);
    let text = profiler.text_of(name);
    Statistic {
        category,
        name: text.to_owned(),
        calls: samples.calls,
        sorted,
        own: samples.own,
        worst_frame,
        frame_budget: profiler.budget(),
        budget: match category {
            Category::Frame => Some(profiler.budget()),
            _ => profiler.budget_of(text),
        },
    }
}

#[cfg(test)]
mod tests;

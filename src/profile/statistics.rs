//! What each name cost over many frames.

use super::profiler::Profiler;
use super::span::{Category, SpanName};
use std::collections::HashMap;
use std::time::Duration;

/// What one name cost over the frames that a profiler keeps.
///
/// The times are *per frame*: several calls within a frame are added up first, and frames in which the name did not
/// occur do not count. Percentiles are by nearest rank: the smallest measured value that at least so many percent of
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
    worst_frame: u64,
    budget: Duration,
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

    fn percentile(&self, percent: usize) -> Duration {
        let rank = (self.sorted.len() * percent).div_ceil(100).max(1);
        Duration::from_nanos(self.sorted[rank - 1])
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
        self.median().as_secs_f64() / self.budget.as_secs_f64()
    }
}

#[derive(Default)]
struct Samples {
    calls: u64,
    /// (frame, nanoseconds), in the order of frames.
    per_frame: Vec<(u64, u64)>,
}

pub(super) fn collect(profiler: &Profiler) -> Vec<Statistic> {
    let mut by_name: HashMap<(Category, SpanName), Samples> = HashMap::new();
    for frame in profiler.frames() {
        for span in frame.spans() {
            let samples = by_name.entry((span.category, span.name)).or_default();
            samples.calls += 1;
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
    Statistic {
        category,
        name: profiler.text_of(name).to_owned(),
        calls: samples.calls,
        sorted,
        worst_frame,
        budget: profiler.budget(),
    }
}

#[cfg(test)]
mod tests;

//! Whether one profile is slower than another, or only seems to be.
//!
//! The interval is a bootstrap over blocks of neighboring frames (Künsch 1989, "The jackknife and the bootstrap for general
//! stationary observations", *Annals of Statistics* 17): what disturbs a machine lasts for several frames, so frames are not
//! independent, and drawing them one by one would make the interval too narrow. Blocks are as long as the cube root of the
//! number of frames.

use super::recorded::{RecordedName, RecordedProfile};
use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::HashMap;
use std::time::Duration;

/// Fewer frames than this show nothing.
const LEAST_FRAMES: usize = 20;
/// How often frames are drawn, and how often at least if they are many.
const MOST_DRAWS: usize = 1_000;
const LEAST_DRAWS: usize = 200;
/// The approximate number of values drawn for one name.
const VALUES_DRAWN: usize = 4_000_000;
/// What lies outside of the interval on each side: 99 % lie within. With forty names 95 % would raise two false alarms.
const OUTSIDE: f64 = 0.005;

/// What the comparison of one name has shown.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Change {
    /// It takes longer than before.
    Slower,
    /// It takes less than before.
    Faster,
    /// No difference was shown: there is none that matters, or the frames do not suffice to tell.
    NoDifference,
    /// There are fewer than 20 frames to compare.
    TooFewFrames,
    /// It is not there any more.
    Gone,
    /// It was not there before.
    New,
}

impl Change {
    /// The change in words.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::profile::Change;
    ///
    /// assert_eq!(Change::NoDifference.words(), "no difference shown");
    /// ```
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Slower => "slower",
            Self::Faster => "faster",
            Self::NoDifference => "no difference shown",
            Self::TooFewFrames => "too few frames",
            Self::Gone => "gone",
            Self::New => "new",
        }
    }
}

/// How one name did, after against before.
#[derive(Clone, PartialEq, Debug)]
pub struct NameComparison {
    /// What the spans of the name stand for: the name of a [`Category`](super::Category).
    pub kind: String,
    /// The name.
    pub name: String,
    /// The median time per frame before.
    pub before: Duration,
    /// The median time per frame after.
    pub after: Duration,
    /// After by before: above 1 it is slower. The median of the ratios of equal frames if frames were paired, the ratio of
    /// the medians otherwise; 1 if it is unknown.
    pub ratio: f64,
    /// The lower end of the 99 % interval of the ratio.
    pub low: f64,
    /// The upper end of the 99 % interval of the ratio.
    pub high: f64,
    /// What that shows.
    pub change: Change,
}

/// Which differences matter.
///
/// See [`Comparison::between`] for an example.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Threshold {
    /// The ratio from which on a difference matters, such as 1.02; less than 1 is 1.
    pub ratio: f64,
    /// The time from which on a difference of the medians matters. What a span itself costs, two reads of the
    /// [clock](super::ClockCost), is a good choice: where a name takes no more than a few reads, two runs of the same program differ
    /// by as much.
    pub difference: Duration,
}

/// One profile against another; see [`Comparison::between`].
#[derive(Clone, PartialEq, Debug)]
pub struct Comparison {
    /// The facts that differ, each with what it was before and after; empty where it is not known.
    pub differing_facts: Vec<(String, String, String)>,
    /// Whether frames of equal numbers were paired.
    pub is_paired: bool,
    /// Which differences count.
    pub threshold: Threshold,
    /// Each name: in the order of the profile after, what is gone last.
    pub names: Vec<NameComparison>,
}

impl Comparison {
    /// Compares two profiles name by name. If they are of the same scene (the fact `scene`), frames of the same number did the
    /// same work and are paired: then what differs from frame to frame takes no part.
    ///
    /// A name counts as slower or faster only if the whole interval lies beyond the least ratio or its inverse, and the medians are
    /// no closer than the least difference. The interval tells
    /// what frames of *these two runs* show; if the machine was slower throughout one of them, that is a part of the ratio. Run
    /// both at the same time, frame by frame, where that matters. O(names · frames · draws), 200 to 1,000 draws.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::profile::{Category, Comparison, Change, Threshold, MeasuredSpan, Profiler, RecordedProfile};
    /// use std::time::Duration;
    ///
    /// let measured = |wait: Duration| {
    ///     let mut profiler = Profiler::default();
    ///     for number in 1..=30 {
    ///         let took = wait + Duration::from_micros(number % 3);
    ///         let wait = MeasuredSpan { category: Category::System, name: "wait", depth: 1, thread: 0, start: Duration::ZERO, took };
    ///         profiler.add_measured(number, took, &[wait]);
    ///     }
    ///     RecordedProfile::of(&profiler).about("scene", "waiting")
    /// };
    /// let (short, long) = (measured(Duration::from_micros(100)), measured(Duration::from_millis(4)));
    /// let threshold = Threshold { ratio: 1.02, difference: Duration::from_nanos(100) };
    /// let comparison = Comparison::between(&short, &long, threshold);
    /// let wait = comparison.names.iter().find(|ratio| ratio.name == "wait").expect("both waited");
    /// assert!(comparison.is_paired && wait.low > 2.0);
    /// assert_eq!(wait.change, Change::Slower);
    /// ```
    #[must_use]
    pub fn between(
        before: &RecordedProfile,
        after: &RecordedProfile,
        threshold: Threshold,
    ) -> Self {
        let scene = |profile: &RecordedProfile| profile.facts().get("scene").cloned();
        let is_paired = scene(before).is_some() && scene(before) == scene(after);
        let old: HashMap<(&str, &str), &RecordedName> = before
            .names()
            .iter()
            .map(|name| (key(name), name))
            .collect();
        let mut names: Vec<NameComparison> = Vec::new();
        for name in after.names() {
            names.push(match old.get(&key(name)) {
                Some(known) if is_paired => {
                    let pairs = pairs((before.frames(), known), (after.frames(), name));
                    ratio_of(known, name, threshold, &Frames::Paired(pairs))
                }
                Some(known) => {
                    let apart = Frames::Apart(present(known), present(name));
                    ratio_of(known, name, threshold, &apart)
                }
                None => alone(name, Change::New),
            });
        }
        let is_gone =
            |known: &&RecordedName| !after.names().iter().any(|name| key(name) == key(known));
        let gone = before.names().iter().filter(is_gone);
        names.extend(gone.map(|known| alone(known, Change::Gone)));
        Self {
            differing_facts: differing_facts(before, after),
            is_paired,
            threshold,
            names,
        }
    }
}

fn key(name: &RecordedName) -> (&str, &str) {
    (&name.kind, &name.name)
}

fn differing_facts(
    before: &RecordedProfile,
    after: &RecordedProfile,
) -> Vec<(String, String, String)> {
    let mut facts: Vec<&String> = before.facts().keys().chain(after.facts().keys()).collect();
    facts.sort_unstable();
    facts.dedup();
    let of = |profile: &RecordedProfile, fact| profile.facts().get(fact).cloned();
    facts
        .into_iter()
        .map(|fact| (fact.clone(), of(before, fact), of(after, fact)))
        .filter(|(_, was, is)| was != is)
        .map(|(fact, was, is)| (fact, was.unwrap_or_default(), is.unwrap_or_default()))
        .collect()
}

fn present(name: &RecordedName) -> Vec<f64> {
    let times = name.nanoseconds.iter().flatten();
    // A clock that stands still must not lead to a division by zero.
    times.map(|&time| time.max(1) as f64).collect()
}

/// The times of frames that both have: before and after.
fn pairs(before: (&[u64], &RecordedName), after: (&[u64], &RecordedName)) -> Vec<(f64, f64)> {
    let times = before.0.iter().zip(&before.1.nanoseconds);
    let known: HashMap<u64, u64> = times
        .filter_map(|(&frame, &time)| Some((frame, time?)))
        .collect();
    let times = after.0.iter().zip(&after.1.nanoseconds);
    times
        .filter_map(|(frame, &time)| {
            let (was, is) = (*known.get(frame)?, time?);
            Some((was.max(1) as f64, is.max(1) as f64))
        })
        .collect()
}

enum Frames {
    Paired(Vec<(f64, f64)>),
    Apart(Vec<f64>, Vec<f64>),
}

impl Frames {
    fn count(&self) -> usize {
        match self {
            Self::Paired(pairs) => pairs.len(),
            Self::Apart(before, after) => before.len().min(after.len()),
        }
    }

    /// The ratio of all frames.
    fn ratio(&self) -> f64 {
        match self {
            Self::Paired(pairs) => {
                let mut ratios: Vec<f64> = pairs.iter().map(|(was, is)| is / was).collect();
                median(&mut ratios)
            }
            Self::Apart(before, after) => median(&mut after.clone()) / median(&mut before.clone()),
        }
    }

    /// The ratio of frames that are drawn, block by block.
    fn drawn(&self, random: &mut ChaCha8Rng) -> f64 {
        match self {
            Self::Paired(pairs) => {
                let ratio = |(was, is): &(f64, f64)| is / was;
                median(&mut drawn_blocks(pairs, random, ratio))
            }
            Self::Apart(before, after) => {
                let after = median(&mut drawn_blocks(after, random, |&time| time));
                after / median(&mut drawn_blocks(before, random, |&time| time))
            }
        }
    }
}

fn drawn_blocks<T>(from: &[T], random: &mut ChaCha8Rng, value: impl Fn(&T) -> f64) -> Vec<f64> {
    let length = (from.len() as f64).cbrt().ceil() as usize;
    let mut drawn = Vec::with_capacity(from.len() + length);
    while drawn.len() < from.len() {
        let start = random.random_range(0..=from.len() - length);
        drawn.extend(from[start..start + length].iter().map(&value));
    }
    drawn.truncate(from.len());
    drawn
}

/// The middle value, the mean of two if there are two. There is at least one value.
fn median(values: &mut [f64]) -> f64 {
    let middle = values.len() / 2;
    let is_even = values.len().is_multiple_of(2);
    let (below, &mut upper, _) = values.select_nth_unstable_by(middle, f64::total_cmp);
    match is_even {
        true => f64::midpoint(below.iter().copied().fold(0.0, f64::max), upper),
        false => upper,
    }
}

fn ratio_of(
    before: &RecordedName,
    after: &RecordedName,
    threshold: Threshold,
    frames: &Frames,
) -> NameComparison {
    let count = frames.count();
    if count < LEAST_FRAMES {
        return NameComparison {
            before: median_time(before),
            ..alone(after, Change::TooFewFrames)
        };
    }
    // The same profiles give the same interval.
    let mut random = ChaCha8Rng::seed_from_u64(0);
    let draws = (VALUES_DRAWN / count).clamp(LEAST_DRAWS, MOST_DRAWS);
    let mut ratios: Vec<f64> = (0..draws).map(|_| frames.drawn(&mut random)).collect();
    ratios.sort_unstable_by(f64::total_cmp);
    let outside = (draws as f64 * OUTSIDE) as usize;
    let (low, high) = (ratios[outside], ratios[draws - 1 - outside]);
    let (was, is) = (median_time(before), median_time(after));
    let least_ratio = threshold.ratio.max(1.0);
    let change = match () {
        () if was.abs_diff(is) < threshold.difference => Change::NoDifference,
        () if low > least_ratio => Change::Slower,
        () if high < 1.0 / least_ratio => Change::Faster,
        () => Change::NoDifference,
    };
    NameComparison {
        ratio: frames.ratio(),
        low,
        high,
        before: was,
        ..alone(after, change)
    }
}

/// A name without a ratio.
fn alone(name: &RecordedName, change: Change) -> NameComparison {
    let own = median_time(name);
    let (before, after) = match change {
        Change::Gone => (own, Duration::ZERO),
        _ => (Duration::ZERO, own),
    };
    NameComparison {
        kind: name.kind.clone(),
        name: name.name.clone(),
        before,
        after,
        ratio: 1.0,
        low: 1.0,
        high: 1.0,
        change,
    }
}

fn median_time(name: &RecordedName) -> Duration {
    let mut times = present(name);
    match times.is_empty() {
        true => Duration::ZERO,
        false => Duration::from_nanos(median(&mut times) as u64),
    }
}

#[cfg(test)]
mod tests;

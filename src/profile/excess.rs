//! What made frames longer than others.

use super::frame::FrameProfile;
use super::profiler::Profiler;
use super::span::{Category, SpanName};
use std::cmp::Reverse;
use std::collections::HashMap;
use std::time::Duration;

/// What the spans stand for, what they are called, and the system in which they lie.
type Name = (Category, SpanName, Option<SpanName>);

/// The time of one name in one frame, compared with its median; see [`Profiler::excess_of`].
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Excess {
    /// What the spans of the name stand for.
    pub category: Category,
    /// The name.
    pub name: String,
    /// The system in which the spans lie, if they are parts or blocks of one.
    pub within: Option<String>,
    /// The self time in the frame: without the spans within.
    pub self_time: Duration,
    /// The median self time over all frames that are kept, those without the name included.
    pub median: Duration,
}

impl Excess {
    /// The time above the median; zero if it is below.
    #[must_use]
    pub fn more(&self) -> Duration {
        self.self_time.saturating_sub(self.median)
    }
}

/// What made frames go over the budget more than anything else; see [`Profiler::culprits`].
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Culprit {
    /// What the spans of the name stand for.
    pub category: Category,
    /// The name.
    pub name: String,
    /// The system in which the spans lie, if they are parts or blocks of one.
    pub within: Option<String>,
    /// The number of frames over budget in which this name exceeded its median most.
    pub frames: usize,
    /// The largest time above the median among them.
    pub most_more: Duration,
    /// The number of that frame.
    pub worst_frame: u64,
}

/// The median self time of each name.
struct Medians(HashMap<Name, u64>);

impl Medians {
    fn of(profiler: &Profiler) -> Self {
        let mut all: HashMap<Name, Vec<u64>> = HashMap::new();
        for frame in profiler.measured_frames() {
            for (name, own) in own_by_name(frame) {
                all.entry(name).or_default().push(own);
            }
        }
        let count = profiler.measured_frames().count();
        let medians = all.into_iter().map(|(name, mut times)| {
            // In the other frames it took nothing.
            times.resize(count, 0);
            (name, median(&mut times))
        });
        Self(medians.collect())
    }

    /// What each name took more, the most first.
    fn excess_of(&self, frame: &FrameProfile, profiler: &Profiler) -> Vec<Excess> {
        let names = own_by_name(frame).into_iter();
        let mut excess: Vec<Excess> = names
            .map(|(key @ (category, name, within), own)| Excess {
                category,
                name: profiler.text_of(name).to_owned(),
                within: within.map(|system| profiler.text_of(system).to_owned()),
                self_time: Duration::from_nanos(own),
                median: Duration::from_nanos(self.0.get(&key).copied().unwrap_or(0)),
            })
            .collect();
        excess.sort_by(|a, b| (b.more(), &a.name).cmp(&(a.more(), &b.name)));
        excess
    }
}

fn own_by_name(frame: &FrameProfile) -> HashMap<Name, u64> {
    let mut by_name = HashMap::new();
    for piece in frame.pieces() {
        let within = piece.system.map(|system| system.name);
        let name = (piece.span.category, piece.span.name, within);
        *by_name.entry(name).or_default() += piece.self_nanoseconds;
    }
    by_name
}

impl Profiler {
    /// Compares the time of each name in a stored frame with its median, the largest excess first.
    /// Empty if the frame is not kept. O(spans).
    ///
    /// Self times are compared, so that nothing counts twice: what a system took is not taken by its phase as well.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use std::time::Duration;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_system(System::named("load cargo list").takes::<Global<Clock>>().runs(|clock| {
    ///     if clock.frame() == 7 {
    ///         std::thread::sleep(Duration::from_millis(20));
    ///     }
    /// }))?;
    /// runtime.run_frames(20)?;
    /// let excess = runtime.profiler().excess_of(7);
    /// assert_eq!((excess[0].name.as_str(), &excess[0].within), ("load cargo list", &None));
    /// assert!(excess[0].more() > Duration::from_millis(10));
    /// assert!(runtime.profiler().excess_of(21).is_empty());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn excess_of(&self, frame: u64) -> Vec<Excess> {
        match self.frames().find(|known| known.number() == frame) {
            Some(known) => Medians::of(self).excess_of(known, self),
            None => Vec::new(),
        }
    }

    /// Names that made frames exceed the budget: for each such frame the name that exceeded its median most, with the number of
    /// frames each was it; the most frequent first. Warm-up is left out. O(spans).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use std::time::Duration;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.profiler_mut().set_budget(Duration::from_millis(20));
    /// runtime.add_system(System::named("load cargo list").takes::<Global<Clock>>().runs(|clock| {
    ///     if clock.frame() % 5 == 0 {
    ///         std::thread::sleep(Duration::from_millis(21));
    ///     }
    /// }))?;
    /// runtime.run_frames(14)?;
    /// let culprits = runtime.profiler().culprits();
    /// let list = culprits.iter().find(|culprit| culprit.name == "load cargo list").expect("it is slow");
    /// assert_eq!(list.frames, 2);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn culprits(&self) -> Vec<Culprit> {
        let medians = Medians::of(self);
        let mut culprits: Vec<Culprit> = Vec::new();
        let over = |frame: &&FrameProfile| frame.duration() > self.budget();
        for frame in self.measured_frames().filter(over) {
            let Some(excess) = medians.excess_of(frame, self).into_iter().next() else {
                continue;
            };
            let more = excess.more();
            let same = |known: &&mut Culprit| {
                (known.category, &known.name, &known.within)
                    == (excess.category, &excess.name, &excess.within)
            };
            match culprits.iter_mut().find(same) {
                Some(known) => {
                    known.frames += 1;
                    if more > known.most_more {
                        (known.most_more, known.worst_frame) = (more, frame.number());
                    }
                }
                None => culprits.push(Culprit {
                    category: excess.category,
                    name: excess.name,
                    within: excess.within,
                    frames: 1,
                    most_more: more,
                    worst_frame: frame.number(),
                }),
            }
        }
        culprits.sort_by_key(|culprit| Reverse((culprit.frames, culprit.most_more)));
        culprits
    }
}

/// The middle value, the lower one of two.
fn median(values: &mut [u64]) -> u64 {
    let middle = values.len().saturating_sub(1) / 2;
    match values.is_empty() {
        true => 0,
        false => *values.select_nth_unstable(middle).1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_median_has_as_many_below_as_above(mut values in proptest::collection::vec(0_u64..50, 1..40)) {
            let found = median(&mut values);
            let below = values.iter().filter(|&&value| value < found).count();
            let above = values.iter().filter(|&&value| value > found).count();
            prop_assert!(below * 2 <= values.len() && above * 2 <= values.len());
        }
    }

    #[test]
    fn nothing_has_no_median() {
        assert_eq!(median(&mut []), 0);
    }
}

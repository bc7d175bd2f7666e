//! What made one frame longer than the others.

use super::profiler::Profiler;
use super::span::{Category, SpanName};
use super::statistics::own_times;
use std::collections::HashMap;
use std::time::Duration;

/// What one name took in one frame, against its median; see [`Profiler::excess_of`].
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Excess {
    /// What the spans of the name stand for.
    pub category: Category,
    /// The name.
    pub name: String,
    /// The self time in the frame: without the spans within.
    pub self_time: Duration,
    /// The median self time over all frames that are kept, those without the name included.
    pub median: Duration,
}

impl Excess {
    /// How much more it took than it does as a rule; zero if it took less.
    #[must_use]
    pub fn more(&self) -> Duration {
        self.self_time.saturating_sub(self.median)
    }
}

impl Profiler {
    /// What each name took in a frame that is kept, against what it takes as a rule; what made the frame long comes first.
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
    /// assert_eq!(excess[0].name, "load cargo list");
    /// assert!(excess[0].more() > Duration::from_millis(10));
    /// assert!(runtime.profiler().excess_of(21).is_empty());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn excess_of(&self, frame: u64) -> Vec<Excess> {
        let count = self.frames().len();
        let mut wanted: HashMap<(Category, SpanName), u64> = HashMap::new();
        let mut all: HashMap<(Category, SpanName), Vec<u64>> = HashMap::new();
        for known in self.frames() {
            let mut here: HashMap<(Category, SpanName), u64> = HashMap::new();
            for (span, own) in known.spans().iter().zip(own_times(known.spans())) {
                *here.entry((span.category, span.name)).or_default() += own;
            }
            for (&name, &own) in &here {
                all.entry(name).or_default().push(own);
            }
            if known.number() == frame {
                wanted = here;
            }
        }
        let mut excess: Vec<Excess> = wanted
            .into_iter()
            .map(|((category, name), own)| {
                let mut times = all.remove(&(category, name)).unwrap_or_default();
                // In the other frames it took nothing.
                times.resize(count, 0);
                Excess {
                    category,
                    name: self.text_of(name).to_owned(),
                    self_time: Duration::from_nanos(own),
                    median: Duration::from_nanos(median(&mut times)),
                }
            })
            .collect();
        excess.sort_by(|a, b| (b.more(), &a.name).cmp(&(a.more(), &b.name)));
        excess
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

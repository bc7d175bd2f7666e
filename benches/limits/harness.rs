//! Interleaved measurement and the table of ratios.

use std::time::{Duration, Instant};

/// Rounds of each side; the median of this number is stable where the mean is not.
const ROUNDS: usize = 31;

/// Collects rows and prints each as soon as it is measured.
pub(crate) struct Table {
    filter: Option<String>,
    broken: usize,
    shown: usize,
}

impl Table {
    pub(crate) fn new(filter: Option<String>) -> Self {
        if cfg!(debug_assertions) {
            println!("warning: this is a debug build; the ratios mean nothing");
        }
        println!(
            "{:<44} {:>11} {:>11} {:>7} {:>7}  holds",
            "work", "ours", "by hand", "ratio", "target"
        );
        Self {
            filter,
            broken: 0,
            shown: 0,
        }
    }

    /// Whether a row is wanted, so that its data need not be made otherwise.
    pub(crate) fn wants(&self, name: &str) -> bool {
        self.filter
            .as_ref()
            .is_none_or(|part| name.contains(part.as_str()))
    }

    /// Measures both sides on data that each round uses again.
    pub(crate) fn row(
        &mut self,
        name: &str,
        target: f64,
        mut ours: impl FnMut(),
        mut by_hand: impl FnMut(),
    ) {
        self.row_with(name, target, || (), |()| ours(), || (), |()| by_hand());
    }

    /// Measures both sides on data that is made anew, untimed, for each round; dropping it is not timed either.
    pub(crate) fn row_with<A, B, X, Y>(
        &mut self,
        name: &str,
        target: f64,
        mut make_ours: impl FnMut() -> A,
        mut ours: impl FnMut(A) -> X,
        mut make_by_hand: impl FnMut() -> B,
        mut by_hand: impl FnMut(B) -> Y,
    ) {
        if !self.wants(name) {
            return;
        }
        self.row_timed(
            name,
            target,
            || timed(make_ours(), &mut ours),
            || timed(make_by_hand(), &mut by_hand),
        );
    }

    /// Compares sides that measure themselves.
    pub(crate) fn row_timed(
        &mut self,
        name: &str,
        target: f64,
        mut ours: impl FnMut() -> Duration,
        mut by_hand: impl FnMut() -> Duration,
    ) {
        let mut times = (Vec::with_capacity(ROUNDS), Vec::with_capacity(ROUNDS));
        for round in 0..=ROUNDS {
            let first = ours();
            let second = by_hand();
            // The first round warms the caches.
            if round > 0 {
                times.0.push(first);
                times.1.push(second);
            }
        }
        let (ours, by_hand) = (median(times.0), median(times.1));
        let ratio = ours.as_secs_f64() / by_hand.as_secs_f64();
        let holds = ratio <= target;
        self.shown += 1;
        self.broken += usize::from(!holds);
        println!(
            "{name:<44} {:>11} {:>11} {ratio:>7.2} {target:>7.2}  {}",
            format!("{ours:.2?}"),
            format!("{by_hand:.2?}"),
            if holds { "yes" } else { "NO" }
        );
    }

    /// A figure that is no ratio of times.
    pub(crate) fn figure(&mut self, name: &str, figure: f64, target: f64, unit: &str) {
        if !self.wants(name) {
            return;
        }
        let holds = figure <= target;
        self.shown += 1;
        self.broken += usize::from(!holds);
        println!(
            "{name:<44} {:>11} {unit:>11} {figure:>7.2} {target:>7.2}  {}",
            "",
            if holds { "yes" } else { "NO" }
        );
    }

    pub(crate) fn finish(self) {
        println!("{} rows, {} over their target", self.shown, self.broken);
    }
}

fn timed<I, O>(input: I, work: &mut impl FnMut(I) -> O) -> Duration {
    let start = Instant::now();
    let output = std::hint::black_box(work(input));
    let elapsed = start.elapsed();
    drop(output);
    elapsed
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort_unstable();
    times[times.len() / 2]
}

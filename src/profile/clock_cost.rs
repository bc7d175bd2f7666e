//! What measuring costs itself.

use std::hint::black_box;
use std::time::{Duration, Instant};

/// Clock reads in a round.
const READS: u32 = 1_000;
/// Rounds, of which the fastest counts: an interruption makes a round slower, never faster.
const ROUNDS: usize = 20;

/// What the clock of this machine costs and tells.
///
/// A span reads it twice, so what is shorter than a few reads cannot be measured by a span of its own.
///
/// # Example
///
/// ```
/// let clock = gerust::profile::ClockCost::measure();
/// assert!(clock.read_nanoseconds() > 0.0);
/// assert!(clock.step().as_nanos() > 0);
/// assert_eq!(clock.of_spans(0).as_nanos(), 0);
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct ClockCost {
    read_nanoseconds: f64,
    step: Duration,
}

impl ClockCost {
    /// Measures it: about 20,000 reads, one millisecond.
    #[must_use]
    pub fn measure() -> Self {
        let mut fastest = Duration::MAX;
        let mut step = Duration::MAX;
        for _ in 0..ROUNDS {
            let start = Instant::now();
            let mut before = start;
            for _ in 0..READS {
                let now = black_box(Instant::now());
                let passed = now - before;
                if !passed.is_zero() {
                    step = step.min(passed);
                }
                before = now;
            }
            fastest = fastest.min(before - start);
        }
        Self {
            read_nanoseconds: fastest.as_secs_f64() * 1e9 / f64::from(READS),
            // A clock that stands still over all reads steps further than all of them.
            step: if step == Duration::MAX { fastest } else { step }.max(Duration::from_nanos(1)),
        }
    }

    /// Nanoseconds for reading the clock once.
    #[must_use]
    pub fn read_nanoseconds(self) -> f64 {
        self.read_nanoseconds
    }

    /// The resolution of the clock: the shortest time between two different reads.
    #[must_use]
    pub fn step(self) -> Duration {
        self.step
    }

    /// The cost of the clock reads of `spans` spans.
    #[must_use]
    pub fn of_spans(self, spans: usize) -> Duration {
        Duration::from_secs_f64(2.0 * self.read_nanoseconds * spans as f64 / 1e9)
    }
}

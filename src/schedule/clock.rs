//! Scene time.

/// The time of the scene: frames of a fixed step, never the wall clock. A global of every runtime.
///
/// Frames are numbered from 1; frame 0 is the state before the first.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// runtime.set_step_seconds(0.25)?;
/// runtime.run_frames(8)?;
/// let clock = runtime.world().global::<Clock>()?;
/// assert_eq!((clock.frame(), clock.seconds()), (8, 2.0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Clock {
    frame: u64,
    step: f64,
    /// The frame from which the step counts, and the scene time at its end.
    since: (u64, Seconds),
}

impl Default for Clock {
    fn default() -> Self {
        Self {
            frame: 0,
            step: 1.0 / 60.0,
            since: (0, Seconds::default()),
        }
    }
}

impl Clock {
    /// The number of the frame that runs, or ran last.
    #[must_use]
    pub fn frame(&self) -> u64 {
        self.frame
    }

    /// How much scene time a frame takes, in seconds.
    #[must_use]
    pub fn step_seconds(&self) -> f32 {
        self.step as f32
    }

    /// The scene time at the end of this frame, in seconds. It is frames × step since the step was set last, and the times
    /// of earlier steps are added in twice the precision, so rounding does not add up.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.exact_seconds().rounded()
    }

    pub(super) fn exact_seconds(&self) -> Seconds {
        self.seconds_at(self.frame)
    }

    /// The scene time at the end of the frame before, in seconds; 0 in frame 0.
    #[must_use]
    pub fn seconds_before(&self) -> f64 {
        self.exact_seconds_before().rounded()
    }

    pub(super) fn exact_seconds_before(&self) -> Seconds {
        self.seconds_at(self.frame.saturating_sub(1).max(self.since.0))
    }

    fn seconds_at(&self, frame: u64) -> Seconds {
        let (first, seconds) = self.since;
        seconds.plus((frame - first) as f64, self.step)
    }

    pub(crate) fn advance(&mut self) {
        self.frame += 1;
    }

    /// Goes to the end of a frame of a run with one step.
    pub(crate) fn set_frame(&mut self, frame: u64) {
        self.frame = frame;
        self.since = (0, Seconds::default());
    }

    /// How much scene time a frame takes, in seconds, as it was set.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_step_seconds(0.1)?;
    /// assert_eq!(runtime.world().global::<gerust::Clock>()?.step(), 0.1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn step(&self) -> f64 {
        self.step
    }

    /// Whether the values can have come about: a file may be forged.
    #[cfg(feature = "snapshot")]
    pub(crate) fn is_valid(&self, longest_step: f64) -> bool {
        let (from, time) = self.since;
        self.step > 0.0
            && self.step <= longest_step
            && from <= self.frame
            && time.high.is_finite()
            && time.low.is_finite()
    }

    pub(crate) fn set_step(&mut self, seconds: f64) {
        self.since = (self.frame, self.exact_seconds());
        self.step = seconds;
    }
}

/// A time in twice the precision of an `f64`: the sum of two numbers, the second below the rounding of the first.
///
/// Knuth, The Art of Computer Programming 2, 4.2.2, for the exact sum; the exact product is one fused operation. With plain
/// sums a million frames of changing steps were off by up to 1e-10 of the time, and intervals ended in the wrong frame.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub(super) struct Seconds {
    high: f64,
    low: f64,
}

impl Seconds {
    /// This time and a number of steps.
    fn plus(self, count: f64, step: f64) -> Self {
        let product = count * step;
        let lost = count.mul_add(step, -product);
        let (high, low) = exact_sum(self.high, product);
        let (high, low) = exact_sum(high, low + self.low + lost);
        Self { high, low }
    }

    fn rounded(self) -> f64 {
        self.high + self.low
    }

    /// How many intervals of this length have passed.
    pub(super) fn intervals(self, length: f64) -> f64 {
        let whole = self.high / length;
        let rest = (-whole).mul_add(length, self.high) + self.low;
        whole + rest / length
    }
}

/// A sum, and what rounding it has lost.
fn exact_sum(a: f64, b: f64) -> (f64, f64) {
    let sum = a + b;
    let from_b = sum - a;
    (sum, (a - (sum - from_b)) + (b - from_b))
}

#[cfg(test)]
mod tests;

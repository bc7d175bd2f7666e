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
pub struct Clock {
    frame: u64,
    step: f64,
    /// The frame from which the step counts, and the scene time at its end.
    since: (u64, f64),
}

impl Default for Clock {
    fn default() -> Self {
        Self {
            frame: 0,
            step: 1.0 / 60.0,
            since: (0, 0.0),
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

    /// The scene time at the end of this frame, in seconds. It is frames × step since the step was set last, so no
    /// rounding adds up.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.seconds_at(self.frame)
    }

    /// The scene time at the end of the frame before, in seconds; 0 in frame 0.
    #[must_use]
    pub fn seconds_before(&self) -> f64 {
        self.seconds_at(self.frame.saturating_sub(1).max(self.since.0))
    }

    fn seconds_at(&self, frame: u64) -> f64 {
        let (first, seconds) = self.since;
        seconds + (frame - first) as f64 * self.step
    }

    pub(crate) fn advance(&mut self) {
        self.frame += 1;
    }

    /// Goes to the end of a frame of a run with one step.
    #[cfg(feature = "scene")]
    pub(crate) fn set_frame(&mut self, frame: u64) {
        self.frame = frame;
        self.since = (0, 0.0);
    }

    pub(crate) fn step(&self) -> f64 {
        self.step
    }

    pub(crate) fn set_step(&mut self, seconds: f64) {
        self.since = (self.frame, self.seconds());
        self.step = seconds;
    }
}

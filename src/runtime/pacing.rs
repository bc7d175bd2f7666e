//! From real time to frames.

use super::frame_loop::Runtime;
use crate::error::{Error, Kind};
use crate::schedule::Seams;
use std::time::Duration;

/// Frames that one call of [`Runtime::advance`] runs at most, unless set.
const MOST_FRAMES: u32 = 5;

/// Turns real seconds into frames of a fixed step.
#[derive(Clone, Debug)]
pub(super) struct Pacing {
    speed: f64,
    is_paused: bool,
    most_frames: u32,
    /// Scene time that has passed but does not fill a frame yet, in seconds.
    owed: f64,
}

impl Default for Pacing {
    fn default() -> Self {
        Self {
            speed: 1.0,
            is_paused: false,
            most_frames: MOST_FRAMES,
            owed: 0.0,
        }
    }
}

impl Pacing {
    /// Takes real time in, and says how many frames are due and how much scene time is given up.
    fn take(&mut self, real_seconds: f64, step: f64) -> (u32, f64) {
        if self.is_paused {
            return (0, 0.0);
        }
        self.owed += real_seconds * self.speed;
        // Sixty times 1/60 s must make sixty frames, though the sum may be a hair below.
        const HAIR: f64 = 1e-9;
        let due = (self.owed / step + HAIR).floor();
        let frames = due.min(f64::from(self.most_frames));
        if due == frames {
            return (frames as u32, 0.0);
        }
        // The remainder is exact, where a difference of large times would be off by whole frames.
        let rest = self.owed % step;
        let rest = if rest < step * (1.0 - HAIR) {
            rest
        } else {
            0.0
        };
        let before = std::mem::replace(&mut self.owed, frames * step + rest);
        (frames as u32, before - self.owed)
    }

    fn pay_frame(&mut self, step: f64) {
        self.owed = (self.owed - step).max(0.0);
    }
}

/// The result of one call of [`Runtime::advance`].
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Advance {
    frames: u32,
    given_up_seconds: f64,
    remainder: f64,
}

impl Advance {
    /// How many frames ran.
    #[must_use]
    pub fn frames(self) -> u32 {
        self.frames
    }

    /// Scene time that was due but left out, because it exceeded the limit on frames at once. From here on the scene
    /// is late by this time, in seconds.
    #[must_use]
    pub fn given_up_seconds(self) -> f64 {
        self.given_up_seconds
    }

    /// How much of the next frame's time has passed already, from 0 up to, but not including, 1: where to draw between the
    /// last two frames.
    #[must_use]
    pub fn remainder(self) -> f64 {
        self.remainder
    }
}

impl Runtime {
    /// Advances the runtime by an amount of real time: runs as many frames of the fixed step as fit into it, and keeps the
    /// rest for the next call. For a program that draws at the pace of a screen; frames themselves never see the wall
    /// clock, so the same number of frames always leads to the same state.
    ///
    /// # Errors
    ///
    /// As [`Runtime::run_frames`]; a frame that fails counts as run, and those
    /// after it stay due.
    ///
    /// # Example
    ///
    /// ```
    /// use std::time::Duration;
    ///
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_step_seconds(0.02)?;
    /// let first = runtime.advance(Duration::from_millis(50))?;
    /// assert_eq!((first.frames(), first.given_up_seconds()), (2, 0.0));
    /// assert!((first.remainder() - 0.5).abs() < 1e-9);
    ///
    /// // The program was stopped in a debugger: five frames are made good, the rest is given up.
    /// let late = runtime.advance(Duration::from_secs(2))?;
    /// assert_eq!(late.frames(), 5);
    /// assert!((late.given_up_seconds() - 1.9).abs() < 1e-9);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn advance(&mut self, elapsed: Duration) -> Result<Advance, Error> {
        self.advance_by(elapsed, |runtime| runtime.run_frames(1))
    }

    /// As [`Runtime::advance`], with closures of the caller's thread between the phases; see [`Seams`].
    ///
    /// # Errors
    ///
    /// As [`Runtime::run_frames_with`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::schedule::Seams;
    /// use std::time::Duration;
    ///
    /// let mut drawn = 0;
    /// let mut runtime = Runtime::new();
    /// runtime.set_step_seconds(0.02)?;
    /// let mut seams = Seams::new();
    /// seams.after(Phase::Close, |_| drawn += 1);
    /// runtime.advance_with(Duration::from_millis(50), &mut seams)?;
    /// drop(seams);
    /// assert_eq!(drawn, 2);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn advance_with(
        &mut self,
        elapsed: Duration,
        seams: &mut Seams<'_>,
    ) -> Result<Advance, Error> {
        self.advance_by(elapsed, |runtime| runtime.run_frames_with(1, seams))
    }

    fn advance_by(
        &mut self,
        elapsed: Duration,
        mut run_frame: impl FnMut(&mut Self) -> Result<(), Error>,
    ) -> Result<Advance, Error> {
        let step = self.clock_mut().step();
        let (frames, given_up_seconds) = self.pacing.take(elapsed.as_secs_f64(), step);
        for _ in 0..frames {
            self.pacing.pay_frame(step);
            run_frame(self)?;
        }
        Ok(self.advance_of(frames, given_up_seconds, step))
    }

    fn advance_of(&self, frames: u32, given_up_seconds: f64, step: f64) -> Advance {
        Advance {
            frames,
            given_up_seconds,
            remainder: (self.pacing.owed / step).min(1.0 - f64::EPSILON),
        }
    }

    /// Takes an amount of real time in, as [`Runtime::advance`] does, and runs nothing: the caller runs the
    /// [`frames`](Advance::frames) that are due. For a program that does something of its own before or after each frame.
    ///
    /// # Example
    ///
    /// ```
    /// use std::time::Duration;
    ///
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_step_seconds(0.02)?;
    /// let due = runtime.frames_due(Duration::from_millis(50));
    /// for _ in 0..due.frames() {
    ///     runtime.run_frames(1)?;
    /// }
    /// assert_eq!(due.frames(), 2);
    /// assert!((due.remainder() - 0.5).abs() < 1e-9);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn frames_due(&mut self, elapsed: Duration) -> Advance {
        let step = self.clock_mut().step();
        let (frames, given_up_seconds) = self.pacing.take(elapsed.as_secs_f64(), step);
        for _ in 0..frames {
            self.pacing.pay_frame(step);
        }
        self.advance_of(frames, given_up_seconds, step)
    }

    /// Pauses or resumes [`Runtime::advance`]. Time that passes during a pause is not caught up.
    /// [`Runtime::run_frames`] still runs what it is asked for: `run_frames(1)` is the single step of a paused runtime.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use std::time::Duration;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.set_paused(true);
    /// assert_eq!(runtime.advance(Duration::from_secs(10))?.frames(), 0);
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().global::<Clock>()?.frame(), 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_paused(&mut self, paused: bool) {
        self.pacing.is_paused = paused;
    }

    /// Whether [`Runtime::advance`] is stopped.
    #[must_use]
    pub fn is_paused(&self) -> bool {
        self.pacing.is_paused
    }

    /// Sets how much scene time passes per real time in [`Runtime::advance`]: 0.5 is half as fast, 0 stands still. The step
    /// of a frame stays what it is.
    ///
    /// # Errors
    ///
    /// If the factor is negative or not finite.
    ///
    /// # Example
    ///
    /// ```
    /// use std::time::Duration;
    ///
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_step_seconds(0.1)?;
    /// runtime.set_speed(0.5)?;
    /// assert_eq!(runtime.advance(Duration::from_millis(400))?.frames(), 2);
    /// assert!(runtime.set_speed(-1.0).is_err());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_speed(&mut self, factor: f64) -> Result<(), Error> {
        check_not_negative("the speed", "a factor of 0 or more", factor)?;
        self.pacing.speed = factor;
        Ok(())
    }

    /// Sets how many frames one call of [`Runtime::advance`] runs at most, at least one; 5 unless set. What is due beyond
    /// is given up, so that a program that was held up does not fall behind further by catching up.
    ///
    /// # Example
    ///
    /// ```
    /// use std::time::Duration;
    ///
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_most_frames_at_once(2);
    /// assert_eq!(runtime.advance(Duration::from_secs(1))?.frames(), 2);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_most_frames_at_once(&mut self, frames: u32) {
        self.pacing.most_frames = frames.max(1);
    }
}

fn check_not_negative(what: &'static str, want: &'static str, found: f64) -> Result<(), Error> {
    match found.is_finite() && found >= 0.0 {
        true => Ok(()),
        false => Err(Error::from(Kind::BadNumber { what, want, found })),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// For any division of the time, the frames run, the time given up and the rest add up to it.
        #[test]
        fn no_time_is_lost(
            pieces in proptest::collection::vec(0.0_f64..0.3, 1..60),
            step in 0.001_f64..0.1,
            speed in 0.0_f64..3.0,
        ) {
            let mut pacing = Pacing { speed, ..Pacing::default() };
            let mut accounted = 0.0;
            for &piece in &pieces {
                let (frames, given_up) = pacing.take(piece, step);
                prop_assert!(frames <= MOST_FRAMES);
                prop_assert!(given_up == 0.0 || frames == MOST_FRAMES);
                for _ in 0..frames {
                    pacing.pay_frame(step);
                }
                accounted += f64::from(frames) * step + given_up;
                prop_assert!((0.0..step).contains(&pacing.owed));
            }
            let passed = pieces.iter().sum::<f64>() * speed;
            prop_assert!((accounted + pacing.owed - passed).abs() < 1e-6);
        }
    }

    #[test]
    fn a_very_long_time_leaves_no_frame_behind() {
        for seconds in [1e3, 1e9, 1e15, 1e300] {
            let mut pacing = Pacing::default();
            let step = 1.0 / 60.0;
            let (due, given_up) = pacing.take(seconds, step);
            assert_eq!(due, MOST_FRAMES);
            assert!((given_up / seconds - 1.0).abs() < 1e-3);
            for _ in 0..due {
                pacing.pay_frame(step);
            }
            assert!(
                (0.0..step).contains(&pacing.owed),
                "{seconds} s leave {}",
                pacing.owed
            );
            assert_eq!(pacing.take(0.0, step).0, 0);
        }
    }

    #[test]
    fn a_second_in_pieces_is_sixty_frames() {
        let mut pacing = Pacing::default();
        let step = 1.0 / 60.0;
        let mut frames = 0;
        for _ in 0..600 {
            let (due, given_up) = pacing.take(1.0 / 600.0, step);
            assert_eq!(given_up, 0.0);
            for _ in 0..due {
                pacing.pay_frame(step);
            }
            frames += due;
        }
        assert_eq!(frames, 60);
    }
}

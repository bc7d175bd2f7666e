//! When a system runs: its place in the order, how often, and under which conditions.

use super::clock::{Clock, Seconds};
use crate::error::Error;
use crate::store::{Access, Claim, Preparation, World};

/// The order and the conditions that a system states besides its access.
#[derive(Default)]
pub(super) struct Rules {
    pub(super) labels: Vec<String>,
    pub(super) orders: Vec<OrderWish>,
    pub(super) every: Option<f64>,
    pub(super) on_caller_thread: bool,
    pub(super) conditions: Vec<Box<dyn Condition>>,
}

/// A stated order against the systems of a name or label.
#[derive(Clone, Debug)]
pub(super) struct OrderWish {
    pub(super) word: OrderWord,
    pub(super) target: String,
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum OrderWord {
    After,
    Before,
}

impl OrderWord {
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::After => "after",
            Self::Before => "before",
        }
    }
}

/// Whether an interval of scene time, in seconds, has ended in a frame.
///
/// Intervals are counted from the start of the scene, so none is lost or run twice however long the scene is; if several
/// end in one frame, that frame counts once.
pub(super) fn is_due(every: f64, clock: &Clock) -> bool {
    // Steps and intervals are rounded themselves, so a time that is a whole number of intervals may come out a hair below it:
    // 30 × (1/60) / 0.5.
    const HAIR: f64 = 1e-15;
    let ended = |time: Seconds| (time.intervals(every) * (1.0 + HAIR)).floor();
    ended(clock.exact_seconds()) > ended(clock.exact_seconds_before())
}

/// A condition with its types forgotten.
pub(super) trait Condition: Send {
    fn access(&self) -> &Access;
    fn reserves_ids(&self) -> bool;
    /// Prepares the condition; `name` is that of no other condition and no system.
    fn prepare(&mut self, world: &mut World, name: &str);
    fn holds(&mut self, world: &World) -> Result<bool, Error>;
}

pub(super) struct Check<C: Claim, F> {
    access: Access,
    state: Option<C::State>,
    f: F,
}

impl<C: Claim, F> Check<C, F> {
    pub(super) fn new(f: F) -> Self {
        let mut access = Access::default();
        C::declare(&mut access);
        Self {
            access,
            state: None,
            f,
        }
    }
}

impl<C, F> Condition for Check<C, F>
where
    C: Claim,
    F: for<'w> FnMut(C::Granted<'w>) -> bool + Send,
{
    fn access(&self) -> &Access {
        &self.access
    }

    fn reserves_ids(&self) -> bool {
        C::LANES > 0
    }

    fn prepare(&mut self, world: &mut World, name: &str) {
        let mut preparation = Preparation::new(world, &self.access, name);
        self.state = Some(C::prepare(&mut preparation));
    }

    fn holds(&mut self, world: &World) -> Result<bool, Error> {
        let state = self.state.as_mut().expect("prepared with its system");
        let holds = (self.f)(C::grant(state, world)?);
        C::confirm(state);
        Ok(holds)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        // Each case walks through up to 864,000 frames.
        #![proptest_config(ProptestConfig::with_cases(12))]

        /// An hour of frames has exactly as many runs as intervals fit into it.
        #[test]
        fn the_count_of_runs_is_exact(frames_per_second in 1_u32..240, runs_per_hour in 1_u32..2_000) {
            // Intervals no shorter than a frame, so that each has a frame of its own to end in.
            let every = 3_600.0 / f64::from(runs_per_hour);
            prop_assume!(every * f64::from(frames_per_second) >= 1.0);
            let mut clock = Clock::default();
            clock.set_step(1.0 / f64::from(frames_per_second));
            let frames = 3_600 * u64::from(frames_per_second);
            let runs = (0..frames).filter(|_| {
                clock.advance();
                is_due(every, &clock)
            });
            prop_assert_eq!(runs.count(), runs_per_hour as usize);
        }
    }

    #[test]
    fn steps_that_change_in_every_frame_put_each_interval_into_its_frame() {
        let mut random = 1_u64;
        for every in [7_u64, 50, 333, 1_000] {
            let mut clock = Clock::default();
            let (mut passed, mut due) = (0, 0);
            for frame in 0..250_000 {
                random = random
                    .wrapping_mul(6_364_136_223_846_793_005)
                    .wrapping_add(1);
                // In whole milliseconds, so that what is right can be counted.
                let step = 1 + (random >> 33) % 40;
                clock.set_step(step as f64 / 1_000.0);
                clock.advance();
                let is_right = (passed + step) / every > passed / every;
                passed += step;
                assert_eq!(
                    is_due(every as f64 / 1_000.0, &clock),
                    is_right,
                    "frame {frame}"
                );
                due += u64::from(is_right);
            }
            assert!(due > 1_000);
            assert_eq!(clock.seconds(), passed as f64 / 1_000.0);
        }
    }

    #[test]
    fn a_new_step_neither_loses_an_interval_nor_repeats_one() {
        let mut clock = Clock::default();
        let mut runs = 0;
        for step in [0.1, 0.025, 0.3, 1.0 / 60.0] {
            clock.set_step(step);
            let until = clock.seconds() + 30.0;
            while clock.seconds() < until - step / 2.0 {
                clock.advance();
                runs += u32::from(is_due(0.5, &clock));
            }
        }
        assert_eq!((clock.seconds().round(), runs), (120.0, 240));
    }
}

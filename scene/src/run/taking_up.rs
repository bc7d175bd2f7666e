//! How a run stands, for recordings and searches.

use super::{Progress, RuleState, SceneRun};
use crate::event_log::EventLog;
use crate::registry::Registry;
use crate::report::Outcome;
use gerust::store::World;

impl SceneRun<'_> {
    /// Of each rule whether its condition holds, and whether it has acted.
    pub(crate) fn rule_states(&self) -> impl Iterator<Item = (bool, bool)> {
        let states = self.rules.iter();
        states.map(|state| (state.held, state.has_fired))
    }

    /// Resumes from a frame of another run, whose world has replaced this one's.
    pub(crate) fn take_up(
        &mut self,
        frame: u64,
        rules: &[(bool, bool)],
        happenings: impl FnOnce(&Registry, &World) -> EventLog,
    ) {
        for (state, &(held, has_fired)) in self.rules.iter_mut().zip(rules) {
            *state = RuleState { held, has_fired };
        }
        *self.happenings_mut() = happenings(&self.scene.registry, self.runtime.world());
        self.taken_up_at = Some(frame);
        self.stopped = None;
        for (outcome, expectation) in self.outcomes.iter_mut().zip(&self.scene.expectations) {
            if expectation.when.first_frame() > frame {
                *outcome = None;
            }
        }
        self.progress = self.outcomes.iter().map(|_| Progress::default()).collect();
    }

    /// The expectations that have failed so far, and the verdict if it is a bad one.
    pub(crate) fn failed_so_far(&self) -> impl Iterator<Item = Outcome> {
        let decided = self.outcomes.iter().flatten().chain(&self.stopped);
        decided.filter(|outcome| !outcome.held()).cloned()
    }
}

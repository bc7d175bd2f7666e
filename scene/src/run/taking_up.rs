//! How a run stands, for recordings and searches.

use super::{Progress, RuleState, SceneRun};
use crate::event_log::EventLog;
use crate::registry::Registry;
use crate::report::Outcome;
use gerust::store::World;

impl SceneRun {
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
        let log = happenings(&self.scene.parts.registry, self.runtime.world());
        *self.happenings_mut() = log;
        self.stopped = None;
        for (check, expectation) in self.checks.iter_mut().zip(&self.scene.parts.expectations) {
            check.is_left_out = expectation.when.first_frame() <= frame;
            check.progress = Progress::default();
            if !check.is_left_out {
                check.outcome = None;
            }
        }
    }

    /// The expectations that have failed so far, and the verdict if it is a bad one.
    pub(crate) fn failed_so_far(&self) -> impl Iterator<Item = Outcome> {
        let decided = self.checks.iter().flat_map(|check| &check.outcome);
        let decided = decided.chain(&self.stopped);
        decided.filter(|outcome| !outcome.held()).cloned()
    }
}

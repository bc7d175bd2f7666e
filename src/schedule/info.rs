//! One system as the schedule knows it.

use super::phase::Phase;
use super::registered::Registered;
use crate::store::Access;

/// One system as the schedule knows it.
#[derive(Clone, Copy, Debug)]
pub struct SystemInfo<'s>(pub(super) &'s Registered);

impl<'s> SystemInfo<'s> {
    /// The name.
    #[must_use]
    pub fn name(self) -> &'s str {
        &self.0.facts.name
    }

    /// The phase.
    #[must_use]
    pub fn phase(self) -> Phase {
        self.0.facts.phase
    }

    /// What its closure reads and writes.
    #[must_use]
    pub fn access(self) -> &'s Access {
        &self.0.facts.access
    }

    /// Whether it is switched on.
    #[must_use]
    pub fn is_enabled(self) -> bool {
        self.0.facts.is_on
    }

    /// The labels, in the order in which they were given.
    pub fn labels(self) -> impl Iterator<Item = &'s str> {
        self.0.facts.labels.iter().map(String::as_str)
    }

    /// Whether it has a label.
    #[must_use]
    pub fn has_label(self, label: &str) -> bool {
        self.labels().any(|known| known == label)
    }

    /// The seconds of scene time between its runs, if it does not run in every frame.
    #[must_use]
    pub fn every(self) -> Option<f64> {
        self.0.facts.every
    }

    /// How often it has run so far.
    #[must_use]
    pub fn runs(self) -> u64 {
        self.0.job().tally.runs
    }

    /// The mean time of its runs so far, conditions included; zero if it never ran.
    #[must_use]
    pub fn mean_time(self) -> std::time::Duration {
        self.0.job().tally.mean()
    }
}

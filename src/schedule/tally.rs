//! Counts and times of systems and phases while they run.

use std::time::Duration;

/// Of one system.
#[derive(Clone, Copy, Default, Debug)]
pub(super) struct Tally {
    /// How often it was its turn.
    pub(super) tried: u64,
    /// How often a condition did not hold then.
    pub(super) refused: u64,
    pub(super) runs: u64,
    total: Duration,
}

impl Tally {
    pub(super) fn note_run(&mut self, took: Duration) {
        self.runs += 1;
        self.total += took;
    }

    pub(super) fn mean(&self) -> Duration {
        match self.runs {
            0 => Duration::ZERO,
            runs => self.total.div_f64(runs as f64),
        }
    }

    pub(super) fn total(&self) -> Duration {
        self.total
    }
}

/// Of one phase.
#[derive(Clone, Copy, Default, Debug)]
pub(super) struct PhaseTally {
    /// The work of a round on one thread, smoothed: the share of the newest is an eighth.
    recent_work: f64,
    pub(super) rounds: u64,
    /// Rounds on several threads: how many, the work of their systems, and how long they took.
    pub(super) parallel_rounds: u64,
    pub(super) parallel_work: Duration,
    pub(super) parallel_took: Duration,
}

impl PhaseTally {
    pub(super) fn note_serial(&mut self, took: Duration) {
        self.note_work(took);
    }

    #[cfg(feature = "parallel")]
    pub(super) fn note_parallel(&mut self, work: Duration, took: Duration) {
        self.note_work(work);
        self.parallel_rounds += 1;
        self.parallel_work += work;
        self.parallel_took += took;
    }

    fn note_work(&mut self, work: Duration) {
        let work = work.as_secs_f64();
        self.recent_work = match self.rounds {
            0 => work,
            _ => self.recent_work + (work - self.recent_work) / 8.0,
        };
        self.rounds += 1;
    }

    /// The recent work of a round.
    #[cfg(feature = "parallel")]
    pub(super) fn recent_work(&self) -> Duration {
        Duration::from_secs_f64(self.recent_work)
    }
}

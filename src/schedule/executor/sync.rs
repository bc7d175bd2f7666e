//! Where the ring gets its atomics and threads from. The model of the ring (`tests/ring_model.rs`) puts those of the
//! model checker in their place.

pub(super) use std::sync::atomic::{AtomicBool, AtomicU8, AtomicU32, AtomicUsize, Ordering};
pub(super) use std::thread::{Thread, current};

use std::time::{Duration, Instant};

/// How long a thread spins at the ring while nothing is ready. Where two threads share one core, this is all that they
/// can lose to each other in a phase.
const SPIN: Duration = Duration::from_micros(30);

/// How long the leader waits in all, after the first part by giving its core to other threads.
const YIELD: Duration = Duration::from_micros(150);

/// A short wait for a place to become ready.
#[derive(Default, Debug)]
pub(super) struct Patience {
    turns: u32,
    since: Option<Instant>,
}

impl Patience {
    /// Waits for a moment; `false` if the wait has been long enough. The leader waits longer than a helper, because all
    /// that follows the phase waits for it.
    pub(super) fn wait(&mut self, is_leader: bool) -> bool {
        // The clock costs as much as some turns.
        if self.turns.is_multiple_of(16) {
            let waited = self.since.get_or_insert_with(Instant::now).elapsed();
            if waited > YIELD || (waited > SPIN && !is_leader) {
                return false;
            }
            if waited > SPIN {
                std::thread::yield_now();
                return true;
            }
        }
        self.turns += 1;
        std::hint::spin_loop();
        true
    }
}

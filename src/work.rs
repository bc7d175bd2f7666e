//! Counts the steps of searches in tests, so that a search that looks at everything for each of many things is found without
//! measuring time.

#[cfg(test)]
mod counted {
    use std::cell::Cell;

    thread_local! {
        static STEPS: Cell<u64> = const { Cell::new(0) };
    }

    /// Counts one step of this thread.
    pub(crate) fn step() {
        STEPS.set(STEPS.get() + 1);
    }

    /// The steps of this thread during some work.
    pub(crate) fn steps_of(work: impl FnOnce()) -> u64 {
        let before = STEPS.get();
        work();
        STEPS.get() - before
    }
}

#[cfg(test)]
pub(crate) use counted::{step, steps_of};

/// Counts one step, in tests.
#[cfg(not(test))]
#[inline(always)]
pub(crate) fn step() {}

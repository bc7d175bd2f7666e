//! Counts the steps of searches in tests, so that quadratic searches are found without measuring time.

#[cfg(test)]
use std::cell::Cell;

#[cfg(test)]
thread_local! {
    static STEPS: Cell<u64> = const { Cell::new(0) };
}

/// Counts one step of this thread, in tests.
#[inline(always)]
pub(crate) fn step() {
    #[cfg(test)]
    STEPS.set(STEPS.get() + 1);
}

/// The steps of this thread during some work.
#[cfg(all(test, feature = "scene"))]
pub(crate) fn steps_of(work: impl FnOnce()) -> u64 {
    let before = STEPS.get();
    work();
    STEPS.get() - before
}

//! How often this process has allocated, if its binary counts that.

use gerust::Runtime;
use gerust::profile::CounterKind;
use stats_alloc::{INSTRUMENTED_SYSTEM, StatsAlloc};
use std::alloc::System;

/// The global allocator of a binary that counts allocations.
pub type CountingAllocator = &'static StatsAlloc<System>;

/// The counter itself; see [`CountingAllocator`].
///
/// # Example
///
/// ```
/// use gerust_cli::{COUNTING_ALLOCATOR, CountingAllocator};
///
/// #[global_allocator]
/// static ALLOCATOR: CountingAllocator = COUNTING_ALLOCATOR;
///
/// let before = COUNTING_ALLOCATOR.stats().allocations;
/// let list = vec![1, 2, 3];
/// assert!(COUNTING_ALLOCATOR.stats().allocations > before);
/// # drop(list);
/// ```
pub const COUNTING_ALLOCATOR: CountingAllocator = &INSTRUMENTED_SYSTEM;

/// Allocations and reallocations of the whole process so far.
pub(crate) fn so_far() -> u64 {
    let stats = COUNTING_ALLOCATOR.stats();
    (stats.allocations + stats.reallocations) as u64
}

/// Counts those of each frame, if the binary counts.
pub(crate) fn count(runtime: &mut Runtime) {
    if are_counted() {
        let profiler = runtime.profiler_mut();
        profiler.add_counter("allocations", CounterKind::Rising, so_far);
    }
}

/// Returns whether the binary counts allocations: a process that prints anything has allocated.
pub(crate) fn are_counted() -> bool {
    so_far() > 0
}

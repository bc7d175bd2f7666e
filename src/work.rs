//! Counts the steps of searches, so that a test finds a quadratic search without measuring time.
//!
//! [`World::find`](crate::World::find), [`suggest`](crate::suggest) and the readers of files count the items that they look at. A
//! function of your own counts with [`step`]. Builds without debug assertions count nothing, and all sums are 0.
//!
//! # Example
//!
//! ```
//! use gerust::prelude::*;
//! use gerust::work::steps_of;
//!
//! let mut world = World::new();
//! world.spawn_many((0..100).map(|number| (Name::from(format!("crate-{number}")),)));
//! let steps = steps_of(|| assert!(world.find("crate-99").is_some()));
//! assert_eq!(steps, if cfg!(debug_assertions) { 100 } else { 0 });
//! ```

use std::cell::Cell;

thread_local! {
    static STEPS: Cell<u64> = const { Cell::new(0) };
}

/// Counts one step of this thread, in builds with debug assertions. O(1).
///
/// # Example
///
/// ```
/// use gerust::work::{step, steps_of};
///
/// let steps = steps_of(|| (0..3).for_each(|_| step()));
/// assert_eq!(steps, if cfg!(debug_assertions) { 3 } else { 0 });
/// ```
#[inline(always)]
pub fn step() {
    #[cfg(debug_assertions)]
    STEPS.set(STEPS.get() + 1);
}

/// The steps that this thread counts while a function runs; see the [module](self) for an example.
pub fn steps_of(work: impl FnOnce()) -> u64 {
    let before = STEPS.get();
    work();
    STEPS.get() - before
}

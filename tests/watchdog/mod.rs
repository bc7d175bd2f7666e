//! Runs a test on a thread of its own, and fails if it makes no progress.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::mpsc::{self, RecvTimeoutError};
use std::time::Duration;

/// How long a test may go without a beat. A hundred times what the slowest beat takes on a busy machine: only a hang
/// reaches it.
const PATIENCE: Duration = Duration::from_secs(300);

/// Runs `test`, which must call what it is given at least every few hundred frames.
///
/// # Panics
///
/// If the test panics, or makes no progress for [`PATIENCE`].
pub(crate) fn watched(what: &str, test: impl FnOnce(Arc<dyn Fn() + Send + Sync>) + Send + 'static) {
    let beats = Arc::new(AtomicU64::new(0));
    let counted = Arc::clone(&beats);
    let (ended, wait) = mpsc::channel::<()>();
    let thread = std::thread::spawn(move || {
        // Dropped when the test ends, whether it returns or panics.
        let _ended = ended;
        test(Arc::new(move || {
            counted.fetch_add(1, Ordering::Relaxed);
        }));
    });
    let mut seen = 0;
    while let Err(RecvTimeoutError::Timeout) = wait.recv_timeout(PATIENCE) {
        let now = beats.load(Ordering::Relaxed);
        assert_ne!(now, seen, "{what}: no frame has ended for {PATIENCE:?}");
        seen = now;
    }
    if let Err(panic) = thread.join() {
        std::panic::resume_unwind(panic);
    }
}

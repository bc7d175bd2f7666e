//! Which threads there are to run systems.

use std::sync::OnceLock;
use std::time::Duration;

#[cfg(feature = "parallel")]
use std::cell::Cell;
#[cfg(feature = "parallel")]
use std::sync::Arc;

/// Below so much measured work a phase runs on one thread: waking a second one costs about 40 µs.
const SERIAL_BELOW: Duration = Duration::from_micros(100);

/// The threads of a runtime.
#[derive(Clone, Debug)]
pub(crate) struct Crew {
    threads: usize,
    pub(crate) serial_below: Duration,
    /// Of its own; the process-wide pool if there is none.
    #[cfg(feature = "parallel")]
    pool: Option<Arc<rayon::ThreadPool>>,
}

impl Default for Crew {
    fn default() -> Self {
        Self {
            threads: usual_threads(),
            serial_below: SERIAL_BELOW,
            #[cfg(feature = "parallel")]
            pool: None,
        }
    }
}

/// As many as there are cores; one without the feature that brings threads.
fn usual_threads() -> usize {
    // Asked once: the answer takes several system calls.
    static CORES: OnceLock<usize> = OnceLock::new();
    match cfg!(feature = "parallel") {
        true => *CORES.get_or_init(|| std::thread::available_parallelism().map_or(1, usize::from)),
        false => 1,
    }
}

impl Crew {
    pub(crate) fn threads(&self) -> usize {
        self.threads
    }
}

#[cfg(feature = "parallel")]
impl Crew {
    /// A crew of its own with so many threads, the caller's among them if it is the only one.
    pub(crate) fn with_threads(
        threads: usize,
        serial_below: Duration,
    ) -> Result<Self, rayon::ThreadPoolBuildError> {
        let pool = match threads {
            0 | 1 => None,
            _ => Some(Arc::new(
                rayon::ThreadPoolBuilder::new()
                    .num_threads(threads)
                    .thread_name(|number| format!("gerust {number}"))
                    .build()?,
            )),
        };
        Ok(Self {
            threads: threads.max(1),
            serial_below,
            pool,
        })
    }

    /// Who runs the parallel loops inside of systems.
    pub(crate) fn workers(&self) -> crate::store::Workers {
        use crate::store::Workers;

        match &self.pool {
            _ if self.threads == 1 => Workers::CallerAlone,
            Some(pool) => Workers::Pool(Arc::clone(pool)),
            None => Workers::Shared,
        }
    }

    /// Runs something inside of the pool.
    pub(crate) fn inside<R: Send>(&self, run: impl FnOnce() -> R + Send) -> R {
        match &self.pool {
            Some(pool) => pool.install(run),
            None => rayon::scope(|_| run()),
        }
    }

    /// Runs `lead` here, inside of the pool, and offers `help` to all others. The jobs stay on the stack.
    pub(super) fn spread(&self, lead: impl FnOnce() + Send, help: &(impl Fn() + Sync)) {
        rayon::join(lead, || offer(self.threads as u32 - 1, help));
    }

    /// Runs `lead` here, on a thread outside of the pool, and offers `help` to the pool.
    pub(super) fn spread_from_outside(&self, lead: impl FnOnce(), help: &(impl Fn() + Sync)) {
        let helpers = self.threads as u32 - 1;
        match &self.pool {
            Some(pool) => pool.in_place_scope(|scope| {
                for _ in 0..helpers {
                    scope.spawn(|_| alone(help));
                }
                lead();
            }),
            None => rayon::in_place_scope(|scope| {
                for _ in 0..helpers {
                    scope.spawn(|_| alone(help));
                }
                lead();
            }),
        }
    }
}

/// Offers the jobs of so many helpers, and takes one of them. Nobody is waited for on top of a system: neither for the
/// phase, which waits for that system, nor for another helper, which waits for the phase.
#[cfg(feature = "parallel")]
fn offer(helpers: u32, help: &(impl Fn() + Sync)) {
    match helpers {
        _ if IS_AT_RING.get() => {}
        0 => {}
        1 => help(),
        _ => {
            rayon::join(help, || offer(helpers - 1, help));
        }
    }
}

/// The job of one helper, if its thread is free.
#[cfg(feature = "parallel")]
fn alone(help: &(impl Fn() + Sync)) {
    if !IS_AT_RING.get() {
        help();
    }
}

#[cfg(feature = "parallel")]
thread_local! {
    /// Whether this thread is at a ring.
    static IS_AT_RING: Cell<bool> = const { Cell::new(false) };
}

/// Marks the thread as being at a ring until it is dropped.
#[cfg(feature = "parallel")]
pub(super) struct AtRing {
    was_there: bool,
}

#[cfg(feature = "parallel")]
impl AtRing {
    pub(super) fn enter() -> Self {
        Self {
            was_there: IS_AT_RING.replace(true),
        }
    }
}

#[cfg(feature = "parallel")]
impl Drop for AtRing {
    fn drop(&mut self) {
        IS_AT_RING.set(self.was_there);
    }
}

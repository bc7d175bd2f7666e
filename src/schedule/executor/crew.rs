//! The threads that run systems.

use std::sync::OnceLock;
use std::time::Duration;

#[cfg(feature = "parallel")]
use super::ring::{Round, Threads};
#[cfg(feature = "parallel")]
use crate::profile;
#[cfg(feature = "parallel")]
use std::cell::Cell;
#[cfg(feature = "parallel")]
use std::sync::Arc;

/// A phase with less measured work than this runs on one thread: waking a second one costs about 40 µs.
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

/// The number of cores; 1 without the feature `parallel`.
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
    /// A crew of its own with the given number of threads; a single one is the caller's.
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

    /// A crew with the threads of a pool of the program.
    pub(crate) fn with_pool(pool: Arc<rayon::ThreadPool>, serial_below: Duration) -> Self {
        Self {
            threads: pool.current_num_threads(),
            serial_below,
            pool: Some(pool),
        }
    }

    /// The threads that run parallel loops inside of systems.
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

    /// Whether this thread belongs to the pool.
    pub(crate) fn is_inside(&self) -> bool {
        match &self.pool {
            Some(pool) => pool.current_thread_index().is_some(),
            None => rayon::current_thread_index().is_some(),
        }
    }

    /// Leads a round from a thread outside of the pool.
    pub(super) fn lead_from_outside<R: Fn(u32) -> bool + Sync>(
        &self,
        round: &Round<'_, R, PoolThreads<'_>>,
        help: &(impl Fn() + Sync),
    ) {
        match &self.pool {
            Some(pool) => pool.in_place_scope(|scope| {
                round.lead_from_outside(|| scope.spawn(|_| help()), wait);
            }),
            None => rayon::in_place_scope(|scope| {
                round.lead_from_outside(|| scope.spawn(|_| help()), wait);
            }),
        }
    }
}

/// Spends a moment in which the caller's thread has nothing to run: a few microseconds on the processor, then by giving
/// the core to other threads, then parked. A thread of another pool helps that pool instead and is never parked for long:
/// all threads of that pool may be waiting here.
#[cfg(feature = "parallel")]
fn wait(turn: u32) {
    const SPINS: u32 = 6;
    const YIELDS: u32 = 24;
    let helps = rayon::yield_now();
    match (turn, helps) {
        (_, Some(rayon::Yield::Executed)) => {}
        (0..SPINS, _) => (0..1 << turn).for_each(|_| std::hint::spin_loop()),
        (SPINS..YIELDS, _) => std::thread::yield_now(),
        (_, Some(_)) => std::thread::park_timeout(Duration::from_micros(100)),
        (_, None) => std::thread::park(),
    }
}

/// The threads of a pool, as a round sees them.
#[cfg(feature = "parallel")]
#[derive(Clone, Copy, Debug)]
pub(super) struct PoolThreads<'r> {
    pub(super) most_running: usize,
    /// Helpers record their spans for the frame.
    pub(super) relay: &'r profile::Relay,
}

#[cfg(feature = "parallel")]
impl Threads for PoolThreads<'_> {
    fn join(&self, first: impl FnOnce() + Send, second: impl FnOnce() + Send) {
        rayon::join(first, second);
    }

    fn help(&self, work: impl FnOnce()) {
        if !IN_SYSTEM.get() {
            let _recording = self.relay.begin();
            work();
        }
    }

    fn most_running(&self) -> usize {
        self.most_running
    }
}

#[cfg(feature = "parallel")]
thread_local! {
    /// Whether this thread is inside of a system.
    static IN_SYSTEM: Cell<bool> = const { Cell::new(false) };
}

/// Marks the thread as being inside of a system until it is dropped.
#[cfg(feature = "parallel")]
pub(super) struct InSystem {
    was_inside: bool,
}

#[cfg(feature = "parallel")]
impl InSystem {
    pub(super) fn enter() -> Self {
        Self {
            was_inside: IN_SYSTEM.replace(true),
        }
    }
}

#[cfg(feature = "parallel")]
impl Drop for InSystem {
    fn drop(&mut self) {
        IN_SYSTEM.set(self.was_inside);
    }
}

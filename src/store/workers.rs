//! Who runs parallel loops over rows.

use std::sync::Arc;

/// The threads that [`Rows::par_each`](crate::Rows::par_each) uses; a runtime sets them.
#[derive(Clone, Default, Debug)]
pub(crate) enum Workers {
    /// The pool that the calling thread is in, or the process-wide one.
    #[default]
    Shared,
    /// The calling thread alone.
    CallerAlone,
    Pool(Arc<rayon::ThreadPool>),
}

impl Workers {
    pub(crate) fn threads(&self) -> usize {
        match self {
            Self::Shared => rayon::current_num_threads(),
            Self::CallerAlone => 1,
            Self::Pool(pool) => pool.current_num_threads(),
        }
    }

    /// Runs something in a place where parallel iterators use these threads.
    pub(crate) fn run(&self, work: impl FnOnce() + Send) {
        match self {
            Self::Pool(pool) if pool.current_thread_index().is_none() => pool.install(work),
            _ => work(),
        }
    }
}

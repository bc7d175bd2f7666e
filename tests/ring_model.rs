//! The ready ring under the model checker `loom`: every order in which its threads can take turns, within a bound on
//! forced changes of thread, and every value that a relaxed load may return.
//!
//! The ring is the file that the executor uses; only the atomics are those of the checker.
#![cfg(feature = "parallel")]

mod ring_model {
    //! Where the executor's own files find each other.

    #[path = "../../src/schedule/executor/graph.rs"]
    pub(crate) mod graph;
    #[path = "../../src/schedule/executor/ring.rs"]
    pub(crate) mod ring;

    pub(crate) mod sync {
        pub(super) use loom::sync::atomic::{
            AtomicBool, AtomicU8, AtomicU32, AtomicUsize, Ordering,
        };
        pub(super) use loom::thread::{Thread, current};

        /// None: the checker tries every moment at which a thread can give up.
        #[derive(Default)]
        pub(super) struct Patience {
            turns: u32,
        }

        impl Patience {
            pub(super) fn wait(&mut self, _: bool) -> bool {
                self.turns += 1;
                false
            }
        }
    }

    mod checks;
}

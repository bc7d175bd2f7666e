//! Prints the cost of each kind of work as a ratio to a hand-written loop that does the same.
//!
//! `cargo bench --bench limits` runs all rows, `cargo bench --bench limits -- spawn` those whose name has `spawn` in it.
//! Both sides of a row run in the same process, interleaved, and the medians are compared: a ratio says something even on
//! a noisy machine, a time hardly does.

mod collide;
mod harness;
#[cfg(feature = "snapshot")]
mod moments;
mod origin;
#[cfg(feature = "parallel")]
mod schedule;
mod space;
mod store;
#[cfg(feature = "snapshot")]
mod yard;

fn main() {
    // Cargo passes `--bench`; what else comes is the filter.
    let filter = std::env::args().skip(1).find(|arg| !arg.starts_with('-'));
    let mut table = harness::Table::new(filter);
    store::rows(&mut table);
    #[cfg(feature = "parallel")]
    schedule::rows(&mut table);
    space::rows(&mut table);
    collide::rows(&mut table);
    origin::rows(&mut table);
    #[cfg(feature = "snapshot")]
    moments::rows(&mut table);
    table.finish();
}

//! Properties of frames in which systems claim, post, spawn and drop anything.

mod claims;
mod copies;
mod drops;
mod events;
mod failures;
#[cfg(feature = "snapshot")]
mod snapshots;
mod worlds;

use gerust::prelude::*;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

#[derive(Clone, Copy, PartialEq, Debug)]
struct A(u32);
#[derive(Clone, Copy, PartialEq, Debug)]
struct B(u32);
struct C;
struct Tag<const N: usize>;

fn threads(runtime: &mut Runtime, threads: usize) {
    if cfg!(feature = "parallel") {
        runtime.set_threads(threads).expect("they can be started");
        runtime.set_serial_below(Duration::ZERO);
    }
}

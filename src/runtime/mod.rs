//! The frame loop, which owns world, schedule and profiler, and kits to set it up with.

mod frame_loop;
mod kit;
mod standard;

pub use frame_loop::Runtime;
pub use kit::Kit;
pub use standard::{Lifetime, Spin, StandardKit, Velocity};

//! The frame loop, which owns world, schedule and profiler, and kits to set it up with.

mod answers;
mod frame_loop;
mod kit;
mod pacing;
mod standard;

pub use frame_loop::Runtime;
pub use kit::{Kit, Need};
pub use pacing::Advance;
pub use standard::{Arrived, Earlier, Follow, Lifetime, Route, Spin, StandardKit, Velocity};

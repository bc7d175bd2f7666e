//! The frame loop, which owns world, schedule and profiler, and kits to set it up with.

mod answers;
mod controls;
mod frame_loop;
mod frames;
mod kit;
#[cfg(feature = "snapshot")]
mod moment;
mod origin;
mod pacing;
#[cfg(feature = "snapshot")]
mod save;
mod standard;
mod systems;
mod watch;
mod without_effect;

pub use controls::{ControlIter, Controls};
pub use frame_loop::Runtime;
pub use kit::{Kit, Requirement};
#[cfg(feature = "snapshot")]
pub use moment::{Moment, Moments};
pub use origin::{Origin, OriginFocus, OriginKit};
pub use pacing::Advance;
#[cfg(feature = "snapshot")]
pub use save::{Unsaved, replace_file};
#[cfg(feature = "chance")]
pub use standard::Spawner;
pub use standard::{
    Arrived, Earlier, Follow, FollowNamed, Lifetime, LogEntry, Machine, Rangefinder, Route, Spin,
    StandardKit, Steered, Switched, Transition, TransitionCondition, Velocity, Wear, Worn,
};
pub use watch::FrameWatcher;

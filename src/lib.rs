//! Gerust is the frame runtime of an engine. It stores entities and components, propagates transform hierarchies, runs systems in a
//! fixed order that it can explain, resolves bounding-box collisions, and reports where the time of each frame went.
//!
//! # When not to use it
//!
//! It does not draw or play sound, and bodies do not rotate and have no joints. A small game with a fixed set of kinds of things does
//! not need it: use a `Vec` per kind and one function per frame.
//!
//! # A first program
//!
//! ```
//! use gerust::prelude::*;
//!
//! #[derive(Clone, Copy)]
//! struct Current(Vec3);
//! struct Moored;
//!
//! fn main() -> Result<(), gerust::Error> {
//!     let mut runtime = Runtime::new();
//!     let boat = runtime
//!         .world_mut()
//!         .spawn((Transform::at(0.0, 2.0, 0.0), Current(Vec3::X)));
//!     runtime.add_system(
//!         System::named("drift")
//!             .phase(Phase::Simulate)
//!             .takes::<(Rows<(&mut Transform, &Current), Lacking<Moored>>, Global<Clock>)>()
//!             .runs(|(mut boats, clock)| {
//!                 for (transform, current) in boats.iter_mut() {
//!                     transform.translation += current.0 * clock.step_seconds();
//!                 }
//!             }),
//!     )?;
//!     runtime.run_frames(600)?;
//!     let x = runtime.world().get::<Transform>(boat)?.translation.x;
//!     assert!((x - 10.0).abs() < 1e-3);
//!     Ok(())
//! }
//! ```
//!
//! # Floors
//!
//! Each module uses only those named before it.
//!
//! - [`profile`]: spans, counters, frames, statistics, export, comparison.
//! - [`store`]: entities, components, rows, globals, edits, events.
//! - [`schedule`]: systems and phases.
//! - [`space`]: transforms and hierarchies.
//! - [`collide`]: boxes, contacts, bodies, spatial queries.
//! - [`runtime`]: the frame loop and kits.
//! - `gltf` (feature `gltf`): node trees of glTF files.
//!
//! The crate `gerust-scene` adds scene files with timed cues, rules and expectations, recordings of their runs, and the smallest scene
//! that still fails. It uses this crate as any other program does.
//!
//! # Features
//!
//! - `parallel`: systems on several threads, and [`Rows`]`::par_each`, with `rayon`. Off by default.
//! - `chance`: [`schedule`]`::Chance`, random numbers that do not depend on threads, with `rand_chacha`. Off by default.
//! - `snapshot`: [`World`]`::snapshot`, `restore` and `digest`, and [`Runtime`]`::save` and `load`, with `serde`, `serde_json`, `ciborium`,
//!   `tempfile` and `xxhash-rust`. Off by default.
//! - `gltf`: node trees from and to glTF 2.0, with `gltf`, `base64` and all of `snapshot`. Off by default.
//! - `export`: [`Profiler`]`::write_trace` and `write_csv`, and saved profiles that can be compared, with `serde`, `serde_json`, `csv` and
//!   `rand`. Off by default.
//! - `tracing`: sends spans to `tracing` subscribers and records `tracing` spans in profiles, with `tracing-subscriber`. Off by default.

pub mod collide;
mod error;
#[cfg(feature = "gltf")]
pub mod gltf;
mod panics;
pub mod prelude;
pub mod profile;
pub mod runtime;
pub mod schedule;
pub mod space;
pub mod store;
mod suggest;
pub mod work;

/// Vectors, rotations and matrices of the public interface, in the version that it uses.
pub use glam;

/// The thread pools that [`Runtime::set_pool`] takes, in the version that it uses.
#[cfg(feature = "parallel")]
pub use rayon;

pub use collide::{
    Aabb, Body, Collider, Contact, ContactState, Contacts, Dimensions, Gravity, Layer, Layers,
    Motion, WorldBox,
};
pub use error::{Error, ErrorKind};
pub use profile::Profiler;
pub use runtime::{Advance, Kit, Lifetime, Requirement, Runtime, Spin, StandardKit, Velocity};
#[cfg(feature = "chance")]
pub use schedule::Chance;
pub use schedule::{Clock, Phase, Plan, Schedule, System};
pub use space::{MadeFrom, Shared, Template, Templates, Transform, WorldTransform};
#[cfg(feature = "snapshot")]
pub use store::Datum;
pub use store::{
    AnyOf, Attached, Borrowed, Claim, Component, Components, Conditions, Edits, Entity, Global,
    GlobalMut, Having, Inbox, Items, Lacking, Lost, Name, Outbox, RowMatch, Rows, SharedItems,
    World, Written,
};
pub use suggest::suggest;

//! Scene files: entities, timed cues and expectations, written in TOML.
//!
//! A scene is loaded against a [`Registry`], which says what component types the file may name. All faults of a file
//! are reported at once, each with line, column and the nearest valid name. `docs/scene-format.md` describes the
//! format, `gerust schema` prints its JSON Schema.
//!
//! # Example
//!
//! ```
//! use gerust::prelude::*;
//! use gerust_scene::{Registry, Scene};
//!
//! let text = r#"
//! title = "a pallet falls on the quay"
//! frames = 90
//!
//! [[entities]]
//! name = "quay"
//! transform = { translation = [0, -0.5, 0] }
//! collider = { size = [20, 1, 20] }
//!
//! [[entities]]
//! name = "pallet"
//! transform = { translation = [0, 3, 0] }
//! collider = { size = [1, 1, 1] }
//! body = { motion = "dynamic" }
//!
//! [[expect]]
//! by-time = 1.5
//! touching = ["pallet", "quay"]
//! "#;
//! let scene = Scene::parse(text, "fall.toml", &Registry::standard())?;
//! let report = scene.run(Runtime::new())?;
//! assert!(report.all_held(), "{report}");
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod action;
mod arrange;
mod ask;
mod black_box;
mod built_in;
mod change;
mod check;
mod cue;
mod difference;
mod document;
mod draft;
mod error_kinds;
mod event_log;
mod expect;
mod fault;
mod first_origin;
#[cfg(feature = "gltf")]
mod gltf;
mod language;
mod limits;
mod loading;
mod names;
mod place;
#[cfg(feature = "proptest")]
pub mod properties;
mod read;
mod recording;
mod registry;
mod reload;
mod report;
mod run;
#[cfg(test)]
mod scaling;
mod scene_file;
mod settings;
mod shrink;
mod testing;
mod values;

pub use black_box::{BlackBox, Written};
pub use difference::FirstDifference;
pub use document::schema;
pub use draft::{Act, EntityDraft, SceneDraft};
pub use error_kinds::{RecordingErrorKind, ResumeErrorKind, SceneErrorKind, ShrinkErrorKind};
pub use fault::{Fault, SceneError};
#[cfg(feature = "gltf")]
pub use gltf::scene_of_nodes;
pub use limits::Limit;
pub use loading::LoadedFrom;
pub use read::{Parameters, SceneFiles};
pub use recording::{
    Damage, Playback, Recorder, Recording, RecordingError, RecordingWriter, ResumeError,
};
pub use registry::Registry;
pub use reload::Reloaded;
pub use report::{Leftovers, Outcome, Remedy, Report};
pub use run::SceneRun;
pub use scene_file::Scene;
pub use shrink::{Progress, ShrinkError, Shrinker, Shrunk};

/// The runtime, in the version that scenes run in.
pub use gerust;

/// Gives error types a debug form that reads like their message: a program that ends with `fn main() -> Result<(), SceneError>` prints
/// it.
macro_rules! debug_as_message {
    ($error:ty) => {
        impl std::fmt::Debug for $error {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                std::fmt::Display::fmt(self, f)
            }
        }
    };
}

use debug_as_message;

/// Compiles and runs the programs of the README.
#[cfg(doctest)]
#[doc = include_str!("../../README.md")]
struct Readme;

/// Compiles and runs the code of the page on programs with a loop of their own.
#[cfg(doctest)]
#[doc = include_str!("../../docs/embedding.md")]
struct Embedding;

/// The pages of the guide, so that their code is compiled and run.
#[cfg(all(doctest, feature = "proptest"))]
mod guide {
    macro_rules! pages {
        ($($name:ident: $path:literal),+ $(,)?) => {
            $(
                #[doc = include_str!(concat!("../../docs/guide/", $path))]
                mod $name {}
            )+
        };
    }

    pages! {
        components: "1-components.md",
        systems: "2-systems.md",
        order: "3-order.md",
        links: "4-links.md",
        collisions: "5-collisions.md",
        measure: "6-measure.md",
        script: "7-script.md",
        check: "8-check.md",
    }
}

//! Random scenes, for tests of your own kits (feature `proptest`).
//!
//! A strategy makes [`SceneDraft`]s; [`ForEvery`] runs them and, if one fails, writes the smallest that still fails into a file that
//! `gerust run` runs. The strategies can be used in `proptest!` as well: a draft that fails is printed as the text of its file.

mod acts;
mod entities;
mod for_every;

pub use acts::{acts, scripts};
pub use entities::{boxes, hierarchies};
pub use for_every::{FailingScene, ForEvery};

use super::draft::{EntityDraft, SceneDraft};
use glam::Vec3;
use proptest::prelude::*;

/// How large the scenes of [`scenes`] may be.
///
/// # Example
///
/// ```
/// use gerust_scene::properties::Extent;
///
/// let small = Extent { boxes: 3, ..Extent::default() };
/// assert!(small.cues > 0);
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Extent {
    /// Entities that hang under each other at most.
    pub nodes: usize,
    /// Boxes at most.
    pub boxes: usize,
    /// Cues at most.
    pub cues: usize,
    /// Frames at most, at least 1.
    pub frames: u64,
}

impl Default for Extent {
    fn default() -> Self {
        Self {
            nodes: 8,
            boxes: 12,
            cues: 8,
            frames: 120,
        }
    }
}

/// Whole scenes: a floor, boxes on and above it, a hierarchy, and a script of cues about them. They have no expectations yet: add
/// expectations with `prop_map`.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::Registry;
/// use gerust_scene::properties::{Extent, ForEvery, scenes};
/// use proptest::prelude::*;
///
/// let registry = Registry::standard();
/// let sane = scenes(Extent::default()).prop_map(|scene| scene.expect("always entities < 1000"));
/// ForEvery::new(&registry, || Ok(Runtime::new())).cases(8).check(&sane)?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn scenes(extent: Extent) -> impl Strategy<Value = SceneDraft> {
    let entities = (hierarchies(extent.nodes), boxes(extent.boxes));
    let frames = 1..=extent.frames.max(1);
    (entities, frames).prop_flat_map(move |((nodes, boxes), frames)| {
        let all: Vec<EntityDraft> = nodes.into_iter().chain(boxes).collect();
        let names: Vec<String> = all
            .iter()
            .filter_map(|entity| entity.name().map(str::to_owned))
            .collect();
        let floor = EntityDraft::named("floor")
            .at(Vec3::Y * -0.5)
            .solid(Vec3::new(60.0, 1.0, 60.0));
        let start = SceneDraft::new("a random scene", frames).entity(floor);
        let start = all.into_iter().fold(start, SceneDraft::entity);
        scripts(start, frames, names, extent.cues)
    })
}

/// A number with two digits after the point, so that scenes can be read.
fn hundredths(from: i32, to: i32) -> impl Strategy<Value = f32> {
    (from * 100..=to * 100).prop_map(|number| number as f32 / 100.0)
}

/// A place in a box around the origin.
fn places(half: [i32; 3]) -> impl Strategy<Value = Vec3> {
    let [x, y, z] = half.map(|half| hundredths(-half, half));
    (x, y, z).prop_map(|(x, y, z)| Vec3::new(x, y, z))
}

#[cfg(test)]
mod tests;

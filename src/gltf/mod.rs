//! Node trees from and to glTF 2.0.
//!
//! Reads the nodes of the default scene with their names, placements, extras, and the boxes of their meshes. Skins, cameras,
//! animations and lights are counted and left out. Files from the wild are checked: what
//! can be repaired is repaired and reported; everything else is an error that says where.
//!
//! # Example
//!
//! ```
//! use gerust::gltf::NodeTree;
//! use gerust::prelude::*;
//!
//! let text = br#"{
//!     "asset": { "version": "2.0" },
//!     "scene": 0,
//!     "scenes": [{ "nodes": [0] }],
//!     "nodes": [
//!         { "name": "portal", "translation": [4, 0, 0], "children": [1] },
//!         { "name": "trolley", "translation": [0, 8, 0] }
//!     ]
//! }"#;
//! let tree = NodeTree::from_slice(text)?;
//! let mut runtime = Runtime::new();
//! let entities = tree.spawn(runtime.world_mut())?;
//! runtime.settle()?;
//! let trolley = runtime.world().get::<WorldTransform>(entities[1])?.translation();
//! assert_eq!(trolley, Vec3::new(4.0, 8.0, 0.0));
//! # Ok::<(), gerust::Error>(())
//! ```

mod node;
mod read;
mod tree;
mod write;

pub use tree::{NodeTree, Skipped, TreeNode};
pub use write::export;

#[cfg(test)]
mod tests;

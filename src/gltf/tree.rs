//! A node tree in memory.

use crate::collide::{Aabb, Collider};
use crate::error::Error;
use crate::space::Transform;
use crate::store::{Datum, Entity, Name, World};
use serde_json::{Map, Value};

/// The nodes of one scene of a glTF file, parents before children; see the [module](crate::gltf).
#[derive(Clone, Debug, Default)]
pub struct NodeTree {
    pub(super) nodes: Vec<TreeNode>,
    pub(super) skipped: Skipped,
    pub(super) repairs: Vec<String>,
}

/// One node; see [`NodeTree`].
#[derive(Clone, Debug)]
pub struct TreeNode {
    pub(super) name: String,
    pub(super) parent: Option<usize>,
    pub(super) transform: Transform,
    pub(super) bounds: Option<Aabb>,
    pub(super) extras: Map<String, Value>,
}

/// How much a file has that a node tree is not made of.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct Skipped {
    /// Skins.
    pub skins: usize,
    /// Cameras.
    pub cameras: usize,
    /// Animations.
    pub animations: usize,
    /// Lights.
    pub lights: usize,
    /// Scenes other than the default one.
    pub scenes: usize,
}

impl TreeNode {
    /// The name, made unique within the tree.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The position of the parent in the tree; always lower than that of the node.
    #[must_use]
    pub fn parent(&self) -> Option<usize> {
        self.parent
    }

    /// The local placement.
    #[must_use]
    pub fn transform(&self) -> Transform {
        self.transform
    }

    /// The box around the node's mesh, in its own space.
    #[must_use]
    pub fn bounds(&self) -> Option<Aabb> {
        self.bounds
    }

    /// The value of one of the node's extras. O(log extras).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::gltf::NodeTree;
    ///
    /// let tree = NodeTree::from_slice(br#"{ "asset": { "version": "2.0" }, "nodes": [{ "extras": { "berth": 7 } }] }"#)?;
    /// let berth = tree.nodes()[0].extra("berth").expect("it was given");
    /// assert_eq!(berth.read::<u32>()?, 7);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn extra(&self, name: &str) -> Option<Datum> {
        Datum::of(self.extras.get(name)?).ok()
    }

    /// The names of the node's extras.
    pub fn extras(&self) -> impl Iterator<Item = &str> {
        self.extras.keys().map(String::as_str)
    }
}

impl NodeTree {
    /// The nodes, each parent before its children.
    #[must_use]
    pub fn nodes(&self) -> &[TreeNode] {
        &self.nodes
    }

    /// The parts of the file that were left out.
    #[must_use]
    pub fn skipped(&self) -> Skipped {
        self.skipped
    }

    /// The repairs in words, each with its place in the file.
    #[must_use]
    pub fn repairs(&self) -> &[String] {
        &self.repairs
    }

    /// Makes an entity per node, linked as the tree is: with its name, its transform, and a solid collider if it has a
    /// mesh. Returns them in the order of the nodes. [`TreeNode::extra`] has the extras.
    ///
    /// # Errors
    ///
    /// None is known; links of a tree never go in a circle.
    pub fn spawn(&self, world: &mut World) -> Result<Vec<Entity>, Error> {
        let mut entities: Vec<Entity> = Vec::with_capacity(self.nodes.len());
        for node in &self.nodes {
            let entity = world.spawn((Name::new(&node.name), node.transform));
            if let Some(bounds) = node.bounds {
                world.attach(entity, Collider::solid(bounds))?;
            }
            if let Some(parent) = node.parent {
                world.link(entity, entities[parent])?;
            }
            entities.push(entity);
        }
        Ok(entities)
    }
}

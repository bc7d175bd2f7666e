//! Reading glTF files, those of the wild among them.

use super::node::{Placement, placement};
use super::tree::{NodeTree, Skipped, TreeNode};
use crate::collide::Aabb;
use crate::error::{Error, Kind};
use crate::space::Transform;
use crate::work;
use glam::Vec3;
use gltf::json::validation::Checked;
use gltf::json::{Node, Root, mesh::Semantic};
use serde_json::{Map, Value};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::Path;

/// The first bytes of the binary form.
const BINARY_MAGIC: &[u8] = b"glTF";
/// Extensions that may be required because they do not change where nodes are.
const HARMLESS: [&str; 4] = [
    "KHR_draco_mesh_compression",
    "KHR_mesh_quantization",
    "EXT_meshopt_compression",
    "KHR_lights_punctual",
];
/// The same by the first part of their name.
const HARMLESS_KINDS: [&str; 3] = ["KHR_materials_", "KHR_texture_", "EXT_texture_"];

/// The place of what is wrong with a file as a whole.
const WHOLE: &str = "the file";

pub(super) fn bad(place: &str, problem: &str, fix: &'static str) -> Error {
    Error::from(Kind::BadGltf {
        place: place.to_owned(),
        problem: problem.to_owned(),
        fix,
    })
}

/// The repairs.
#[derive(Default)]
pub(super) struct Repairs(Vec<String>);

impl Repairs {
    pub(super) fn add(&mut self, place: &str, what: &str) {
        self.0.push(format!("{place} {what}"));
    }
}

impl NodeTree {
    /// Reads a `.gltf` or `.glb` file.
    ///
    /// # Errors
    ///
    /// If the file cannot be read, or as [`NodeTree::from_slice`]; the message begins with the path.
    pub fn load(path: impl AsRef<Path>) -> Result<Self, Error> {
        let path = path.as_ref();
        let within = |place: &str| match place {
            WHOLE => path.display().to_string(),
            place => format!("{}: {place}", path.display()),
        };
        let bytes = std::fs::read(path).map_err(|error| {
            let problem = format!("it cannot be read: {error}");
            bad(&within(WHOLE), &problem, "name a .gltf or .glb file")
        })?;
        Self::from_slice(&bytes).map_err(|error| match error.into_kind() {
            Kind::BadGltf {
                place,
                problem,
                fix,
            } => Error::from(Kind::BadGltf {
                place: within(&place),
                problem,
                fix,
            }),
            other => Error::from(other),
        })
    }

    /// Reads the bytes of a `.gltf` or `.glb` file. Buffers and pictures are not needed, and not looked for.
    ///
    /// # Errors
    ///
    /// If it is not glTF 2, if it requires an extension that could change where nodes are, if an index leads nowhere, if
    /// nodes go in a circle, or if a number is not finite. The message says where in the file.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::gltf::NodeTree;
    ///
    /// let circle = br#"{
    ///     "asset": { "version": "2.0" },
    ///     "scenes": [{ "nodes": [0] }],
    ///     "nodes": [{ "children": [1] }, { "children": [0] }]
    /// }"#;
    /// let error = NodeTree::from_slice(circle).unwrap_err();
    /// assert!(error.to_string().contains("nodes 0 → 1 → 0"), "{error}");
    /// ```
    pub fn from_slice(bytes: &[u8]) -> Result<Self, Error> {
        let json = match bytes.starts_with(BINARY_MAGIC) {
            true => gltf::binary::Glb::from_slice(contained(bytes)?)
                .map_err(|error| uncontained(&error.to_string()))?
                .json
                .into_owned(),
            false => bytes.to_vec(),
        };
        let mut value: Value = serde_json::from_slice(&json).map_err(|error| {
            let problem = format!("it is no JSON: {error}");
            bad(WHOLE, &problem, "name a .gltf or .glb file")
        })?;
        let mut repairs = Repairs::default();
        prepare(&mut value)?;
        let lights = value["extensions"]["KHR_lights_punctual"]["lights"].as_array();
        let lights = lights.map_or(0, Vec::len);
        let root: Root = serde_json::from_value(value).map_err(|error| {
            let problem = format!("not a glTF 2.0 file: {error}");
            bad(WHOLE, &problem, "export it again")
        })?;
        let order = preorder(&root, &mut repairs)?;
        let nodes = read_nodes(&root, &order, &mut repairs)?;
        Ok(Self {
            nodes,
            skipped: Skipped {
                skins: root.skins.len(),
                cameras: root.cameras.len(),
                animations: root.animations.len(),
                lights,
                scenes: root.scenes.len().saturating_sub(1),
            },
            repairs: repairs.0,
        })
    }
}

/// Checks the lengths in a binary container, and returns its bytes. The package that reads it does not check them.
fn contained(bytes: &[u8]) -> Result<&[u8], Error> {
    const HEADER: usize = 12;
    const CHUNK_HEADER: usize = 8;
    let number_at = |at: usize| -> Option<usize> {
        let word: [u8; 4] = bytes.get(at..at.checked_add(4)?)?.try_into().ok()?;
        usize::try_from(u32::from_le_bytes(word)).ok()
    };
    let whole = number_at(8).and_then(|length| bytes.get(..length));
    let whole = whole.ok_or_else(|| uncontained("it is cut off"))?;
    let mut at = HEADER;
    while at < whole.len() {
        let length = number_at(at).filter(|_| at + CHUNK_HEADER <= whole.len());
        let end = length.and_then(|length| (at + CHUNK_HEADER).checked_add(length));
        at = end
            .filter(|&end| end <= whole.len())
            .ok_or_else(|| uncontained("one of its chunks is cut off"))?;
    }
    match at > HEADER {
        true => Ok(whole),
        false => Err(uncontained("it has no chunks")),
    }
}

fn uncontained(reason: &str) -> Error {
    let problem = format!("the binary container cannot be read: {reason}");
    bad(WHOLE, &problem, "export it again")
}

/// Checks what must be known before anything else, and puts in what may be left out.
fn prepare(value: &mut Value) -> Result<(), Error> {
    let version = value["asset"]["version"].as_str().unwrap_or("none");
    if !version.starts_with("2.") {
        let problem = format!("the version is {version}");
        return Err(bad(
            "asset.version",
            &problem,
            "export the file as glTF 2.0",
        ));
    }
    let required = value["extensionsRequired"].as_array().into_iter().flatten();
    for name in required.filter_map(Value::as_str) {
        let is_harmless =
            HARMLESS.contains(&name) || HARMLESS_KINDS.iter().any(|kind| name.starts_with(kind));
        if !is_harmless {
            let problem = format!("`{name}` is required, and could change where nodes are");
            return Err(bad(
                "extensionsRequired",
                &problem,
                "export the file without it",
            ));
        }
    }
    // A scene may leave its nodes out, which the types of the format do not know.
    let scenes = value.get_mut("scenes").and_then(Value::as_array_mut);
    for scene in scenes
        .into_iter()
        .flatten()
        .filter_map(Value::as_object_mut)
    {
        scene
            .entry("nodes")
            .or_insert_with(|| Value::Array(Vec::new()));
    }
    Ok(())
}

/// The nodes of the scene, each with its parent, parents before children.
fn preorder(root: &Root, repairs: &mut Repairs) -> Result<Vec<(usize, Option<usize>)>, Error> {
    let nodes = &root.nodes;
    let check = |index: usize, place: &dyn Fn() -> String| match index < nodes.len() {
        true => Ok(index),
        false => {
            let problem = format!("there is no node {index}; the file has {}", nodes.len());
            Err(bad(&place(), &problem, "export the file again"))
        }
    };
    let scene = root.scene.map_or(0, |scene| scene.value());
    let mut roots = Vec::new();
    match root.scenes.get(scene) {
        Some(wanted) => {
            for (number, index) in wanted.nodes.iter().enumerate() {
                let place = || format!("scenes[{scene}].nodes[{number}]");
                roots.push(check(index.value(), &place)?);
            }
        }
        None if root.scene.is_some() => {
            let problem = format!("unknown scene {scene}; the file has {}", root.scenes.len());
            return Err(bad("scene", &problem, "export the file again"));
        }
        None => {
            let children: HashSet<usize> = nodes.iter().flat_map(children).collect();
            roots.extend((0..nodes.len()).filter(|index| !children.contains(index)));
        }
    }
    let mut parent_of: BTreeMap<usize, Option<usize>> = BTreeMap::new();
    let mut order = Vec::new();
    // Nodes to visit, the last one first.
    let mut ahead: Vec<(usize, Option<usize>)> =
        roots.into_iter().rev().map(|index| (index, None)).collect();
    while let Some((index, parent)) = ahead.pop() {
        if parent_of.contains_key(&index) {
            refuse_circle(index, parent, &parent_of)?;
            repairs.add(
                &format!("nodes[{index}]"),
                "is a child of several nodes; it was left under the first",
            );
            continue;
        }
        parent_of.insert(index, parent);
        order.push((index, parent));
        let below: Vec<usize> = children(&nodes[index]).collect();
        for (number, &child) in below.iter().enumerate() {
            check(child, &|| format!("nodes[{index}].children[{number}]"))?;
        }
        ahead.extend(below.into_iter().rev().map(|child| (child, Some(index))));
    }
    Ok(order)
}

fn children(node: &Node) -> impl Iterator<Item = usize> {
    node.children.iter().flatten().map(|child| child.value())
}

/// A node that is met again below itself.
fn refuse_circle(
    index: usize,
    parent: Option<usize>,
    parent_of: &BTreeMap<usize, Option<usize>>,
) -> Result<(), Error> {
    let above = std::iter::successors(parent, |at| parent_of.get(at).copied().flatten());
    let mut path: Vec<usize> = above.collect();
    let Some(end) = path.iter().position(|&at| at == index) else {
        return Ok(());
    };
    path.truncate(end + 1);
    path.reverse();
    path.push(index);
    let shown: Vec<String> = path.iter().map(usize::to_string).collect();
    let problem = format!("nodes {} go in a circle", shown.join(" → "));
    Err(bad(
        &format!("nodes[{index}]"),
        &problem,
        "take one of them out from under the other",
    ))
}

fn read_nodes(
    root: &Root,
    order: &[(usize, Option<usize>)],
    repairs: &mut Repairs,
) -> Result<Vec<TreeNode>, Error> {
    let mut nodes: Vec<TreeNode> = Vec::with_capacity(order.len());
    // By node of the file: where it came to be in the tree.
    let mut at: BTreeMap<usize, usize> = BTreeMap::new();
    let mut names = Names::default();
    for &(index, parent) in order {
        let node = &root.nodes[index];
        let place = format!("nodes[{index}]");
        let mut parent = parent.map(|parent| at[&parent]);
        let name = names.unique(node.name.as_deref(), index, &place, repairs);
        let transform = match placement(node, &place, repairs)? {
            Placement::Plain(transform) => transform,
            Placement::Sheared { outer, inner } => {
                let holder = names.unique(Some(&format!("{name} shear")), index, &place, repairs);
                nodes.push(plain_node(holder, parent, outer));
                parent = Some(nodes.len() - 1);
                inner
            }
        };
        at.insert(index, nodes.len());
        nodes.push(TreeNode {
            bounds: bounds(root, node, &place, repairs)?,
            extras: extras(node, &place, repairs),
            ..plain_node(name, parent, transform)
        });
    }
    Ok(nodes)
}

fn plain_node(name: String, parent: Option<usize>, transform: Transform) -> TreeNode {
    TreeNode {
        name,
        parent,
        transform,
        bounds: None,
        extras: Map::new(),
    }
}

/// The names in use, each with the last number that was appended to it.
#[derive(Default)]
struct Names(HashMap<String, u64>);

impl Names {
    fn unique(
        &mut self,
        wanted: Option<&str>,
        index: usize,
        place: &str,
        repairs: &mut Repairs,
    ) -> String {
        let wanted = wanted.map(str::trim).filter(|name| !name.is_empty());
        let wanted = wanted.map_or_else(|| format!("node {index}"), str::to_owned);
        let mut name = wanted.clone();
        let mut number = self.0.get(&wanted).copied().unwrap_or(1);
        while self.0.contains_key(&name) {
            work::step();
            number += 1;
            name = format!("{wanted} {number}");
        }
        if name != wanted {
            self.0.insert(wanted.clone(), number);
            repairs.add(
                place,
                &format!("shares the name `{wanted}`; it was called `{name}`"),
            );
        }
        self.0.entry(name.clone()).or_insert(1);
        name
    }
}

fn extras(node: &Node, place: &str, repairs: &mut Repairs) -> Map<String, Value> {
    let Some(raw) = &node.extras else {
        return Map::new();
    };
    match serde_json::from_str(raw.get()) {
        Ok(Value::Object(extras)) => extras,
        _ => {
            repairs.add(place, "has extras that are no object; they were left out");
            Map::new()
        }
    }
}

/// The box around all parts of a node's mesh, from the bounds that the file gives of its points.
fn bounds(
    root: &Root,
    node: &Node,
    place: &str,
    repairs: &mut Repairs,
) -> Result<Option<Aabb>, Error> {
    let Some(mesh) = &node.mesh else {
        return Ok(None);
    };
    let nowhere = |place: String, what: &str, index: usize| {
        let problem = format!("there is no {what} {index}");
        bad(&place, &problem, "export the file again")
    };
    let index = mesh.value();
    let mesh = root
        .meshes
        .get(index)
        .ok_or_else(|| nowhere(format!("{place}.mesh"), "mesh", index))?;
    let mut around: Option<Aabb> = None;
    for (number, primitive) in mesh.primitives.iter().enumerate() {
        let part = format!("meshes[{index}].primitives[{number}]");
        let positions = primitive
            .attributes
            .iter()
            .find(|(semantic, _)| matches!(semantic, Checked::Valid(Semantic::Positions)));
        let Some((_, accessor)) = positions else {
            continue;
        };
        let accessor = root.accessors.get(accessor.value()).ok_or_else(|| {
            nowhere(
                format!("{part}.attributes.POSITION"),
                "accessor",
                accessor.value(),
            )
        })?;
        let corner = |value: &Option<Value>| -> Option<Vec3> {
            let numbers: [f64; 3] = serde_json::from_value(value.clone()?).ok()?;
            let corner = Vec3::from(numbers.map(|number| number as f32));
            corner.is_finite().then_some(corner)
        };
        match corner(&accessor.min).zip(corner(&accessor.max)) {
            Some((min, max)) if min.cmple(max).all() && !accessor.normalized => {
                let own = Aabb::from_corners(min, max);
                around = Some(around.map_or(own, |around| around.merged(&own)));
            }
            _ => repairs.add(
                &part,
                "gives no usable bounds of its points; it has no part in the box",
            ),
        }
    }
    let has_size = |around: &Aabb| around.size().is_finite() && around.center().is_finite();
    if around.as_ref().is_some_and(|around| !has_size(around)) {
        repairs.add(place, "is too large for a collider, so it has none");
        return Ok(None);
    }
    Ok(around)
}

//! Writing node trees.

use crate::collide::{Aabb, Collider};
use crate::error::{Error, Kind};
use crate::space::Transform;
use crate::store::{Entity, Name, World};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use glam::Vec3;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// The corners of each face of a box, two triangles each, counter-clockwise as seen from outside. Corner `i` is at the
/// greater side along x, y and z where bit 0, 1 and 2 of `i` is set.
const TRIANGLES: [u16; 36] = [
    0, 4, 6, 0, 6, 2, // -x
    1, 3, 7, 1, 7, 5, // +x
    0, 1, 5, 0, 5, 4, // -y
    2, 6, 7, 2, 7, 3, // +y
    0, 2, 3, 0, 3, 1, // -z
    4, 5, 7, 4, 7, 6, // +z
];
const FLOAT: u32 = 5126;
const UNSIGNED_SHORT: u32 = 5123;
/// The purpose of a range of the buffer.
const VERTICES: u32 = 34962;
const INDICES: u32 = 34963;

/// The text of a `.gltf` file with a node per entity that has a transform or is linked, under the same parents, and a mesh
/// for each collider, so that any viewer shows it. Complete in one file; read again it leads to the same placements.
///
/// O(entities log entities).
///
/// # Errors
///
/// If a placement, or a box of a collider, is not finite: glTF has no such numbers.
///
/// # Example
///
/// ```
/// use gerust::gltf::{NodeTree, export};
/// use gerust::prelude::*;
///
/// let mut world = World::new();
/// let stack = world.spawn((Name::new("stack"), Transform::at(10.0, 0.0, 0.0)));
/// let size = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
/// world.spawn_under(stack, (Name::new("crate"), Transform::at(0.0, 1.0, 0.0), Collider::solid(size)))?;
///
/// let tree = NodeTree::from_slice(export(&world)?.as_bytes())?;
/// assert_eq!(tree.nodes()[1].name(), "crate");
/// assert_eq!(tree.nodes()[1].bounds(), Some(size));
/// # Ok::<(), gerust::Error>(())
/// ```
pub fn export(world: &World) -> Result<String, Error> {
    let mut nodes: Vec<Value> = Vec::new();
    let mut meshes = Meshes::default();
    let mut number_of: BTreeMap<Entity, usize> = BTreeMap::new();
    let mut roots: Vec<Entity> = world
        .rows::<Entity>()
        .iter()
        .filter(|&entity| world.parent(entity).is_none())
        .filter(|&entity| world.has::<Transform>(entity) || world.children(entity).next().is_some())
        .collect();
    roots.sort();
    let below = |root| std::iter::once(root).chain(world.descendants(root));
    let order: Vec<Entity> = roots.iter().flat_map(|&root| below(root)).collect();
    for (number, &entity) in order.iter().enumerate() {
        number_of.insert(entity, number);
    }
    for &entity in &order {
        let children: Vec<usize> = world
            .children(entity)
            .map(|child| number_of[&child])
            .collect();
        nodes.push(node(world, entity, &children, &mut meshes)?);
    }
    let scene_roots: Vec<usize> = roots.iter().map(|root| number_of[root]).collect();
    let mut file = json!({
        "asset": { "version": "2.0", "generator": "gerust" },
        "scene": 0,
        "scenes": [{}],
    });
    // Empty lists are not allowed, so they are left out.
    if !nodes.is_empty() {
        file["scenes"][0]["nodes"] = json!(scene_roots);
        file["nodes"] = Value::Array(nodes);
    }
    meshes.write(&mut file);
    Ok(format!("{file:#}\n"))
}

fn node(
    world: &World,
    entity: Entity,
    children: &[usize],
    meshes: &mut Meshes,
) -> Result<Value, Error> {
    let mut node = json!({ "name": world.label(entity) });
    if !world.has::<Name>(entity) {
        node["name"] = json!(entity.to_string());
    }
    if let Ok(transform) = world.get::<Transform>(entity) {
        let plain = Transform::default();
        if !transform.affine().is_finite() {
            return Err(not_finite(world, entity, "placement"));
        }
        if transform.translation != plain.translation {
            node["translation"] = json!(transform.translation.to_array());
        }
        if transform.rotation != plain.rotation {
            node["rotation"] = json!(transform.rotation.to_array());
        }
        if transform.scale != plain.scale {
            node["scale"] = json!(transform.scale.to_array());
        }
    }
    if let Ok(collider) = world.get::<Collider>(entity) {
        let own = collider.own_box();
        if !(own.min.is_finite() && own.max.is_finite()) {
            return Err(not_finite(world, entity, "collider"));
        }
        node["mesh"] = json!(meshes.of(&own));
    }
    if !children.is_empty() {
        node["children"] = json!(children);
    }
    Ok(node)
}

fn not_finite(world: &World, entity: Entity, what: &str) -> Error {
    Error::from(Kind::BadGltf {
        place: format!("`{}`", world.label(entity)),
        problem: format!("its {what} is not finite and cannot be written"),
        fix: "give it finite numbers",
    })
}

/// A mesh for each box that differs from all others.
#[derive(Default)]
struct Meshes {
    boxes: Vec<Aabb>,
    number_of: BTreeMap<[u32; 6], usize>,
}

impl Meshes {
    fn of(&mut self, own: &Aabb) -> usize {
        let [x, y, z] = own.min.to_array().map(f32::to_bits);
        let [u, v, w] = own.max.to_array().map(f32::to_bits);
        let boxes = &mut self.boxes;
        *self.number_of.entry([x, y, z, u, v, w]).or_insert_with(|| {
            boxes.push(*own);
            boxes.len() - 1
        })
    }

    fn write(&self, file: &mut Value) {
        if self.boxes.is_empty() {
            return;
        }
        let mut bytes: Vec<u8> = TRIANGLES
            .iter()
            .flat_map(|corner| corner.to_le_bytes())
            .collect();
        let indices = bytes.len();
        bytes.extend(self.boxes.iter().flat_map(|own| {
            corners(own)
                .into_iter()
                .flat_map(|corner| corner.to_array())
                .flat_map(f32::to_le_bytes)
        }));
        let mut accessors = vec![json!({
            "bufferView": 0,
            "componentType": UNSIGNED_SHORT,
            "count": TRIANGLES.len(),
            "type": "SCALAR",
        })];
        accessors.extend(self.boxes.iter().enumerate().map(|(number, own)| {
            json!({
                "bufferView": 1,
                "byteOffset": number * 8 * size_of::<Vec3>(),
                "componentType": FLOAT,
                "count": 8,
                "type": "VEC3",
                "min": own.min.to_array(),
                "max": own.max.to_array(),
            })
        }));
        let meshes = (0..self.boxes.len()).map(|number| {
            json!({ "primitives": [{ "attributes": { "POSITION": number + 1 }, "indices": 0 }] })
        });
        file["meshes"] = meshes.collect();
        file["accessors"] = Value::Array(accessors);
        file["bufferViews"] = json!([
            { "buffer": 0, "byteLength": indices, "target": INDICES },
            { "buffer": 0, "byteOffset": indices, "byteLength": bytes.len() - indices,
              "byteStride": size_of::<Vec3>(), "target": VERTICES },
        ]);
        file["buffers"] = json!([{
            "byteLength": bytes.len(),
            "uri": format!("data:application/octet-stream;base64,{}", STANDARD.encode(&bytes)),
        }]);
    }
}

fn corners(own: &Aabb) -> [Vec3; 8] {
    std::array::from_fn(|corner| {
        let side = |axis: usize| match corner >> axis & 1 {
            0 => own.min[axis],
            _ => own.max[axis],
        };
        Vec3::new(side(0), side(1), side(2))
    })
}

use super::*;
use crate::Runtime;
use crate::collide::{Aabb, Collider};
use crate::space::{Transform, WorldTransform};
use crate::store::{Entity, Name, World};
use glam::{Affine3A, Mat3, Mat4, Quat, Vec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;

fn with_nodes(nodes: Value) -> Value {
    json!({ "asset": { "version": "2.0" }, "nodes": nodes })
}

fn read(file: &Value) -> Result<NodeTree, crate::Error> {
    NodeTree::from_slice(file.to_string().as_bytes())
}

fn refusal(file: &Value) -> String {
    read(file).expect_err("it is refused").to_string()
}

fn world_of(tree: &NodeTree) -> BTreeMap<String, Affine3A> {
    let mut runtime = Runtime::new();
    tree.spawn(runtime.world_mut())
        .expect("a tree can be spawned");
    runtime.settle().expect("nothing fails");
    placements(runtime.world())
}

fn placements(world: &World) -> BTreeMap<String, Affine3A> {
    let rows = world.rows::<(&Name, &WorldTransform)>();
    rows.iter()
        .map(|(name, placed)| (name.to_string(), *placed.affine()))
        .collect()
}

#[test]
fn what_leads_nowhere_is_refused_with_its_place() {
    for (file, message) in [
        (
            json!({ "asset": { "version": "1.0" } }),
            "asset.version: the version is 1.0; export the file as glTF 2.0",
        ),
        (
            json!([]),
            "asset.version: the version is none; export the file as glTF 2.0",
        ),
        (
            with_nodes(json!([{ "children": [7] }])),
            "nodes[0].children[0]: there is no node 7; the file has 1; export the file again",
        ),
        (
            json!({ "asset": { "version": "2.0" }, "scenes": [{ "nodes": [2] }], "nodes": [{}] }),
            "scenes[0].nodes[0]: there is no node 2; the file has 1; export the file again",
        ),
        (
            json!({ "asset": { "version": "2.0" }, "scene": 3, "nodes": [{}] }),
            "scene: unknown scene 3; the file has 0; export the file again",
        ),
        (
            with_nodes(json!([{ "mesh": 4 }])),
            "nodes[0].mesh: there is no mesh 4; export the file again",
        ),
        (
            json!({ "asset": { "version": "2.0" }, "extensionsRequired": ["ACME_bent_space"], "nodes": [] }),
            "extensionsRequired: `ACME_bent_space` is required, and could change where nodes are; export the file without it",
        ),
        (
            with_nodes(json!([{ "translation": [1e39, 0, 0] }])),
            "nodes[0].translation: a number is too large to be one; export the file again with finite placements",
        ),
        (
            with_nodes(json!([{ "matrix": [1, 0, 0, 0.5, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1] }])),
            "nodes[0].matrix: the bottom row is [0.5, 0.0, 0.0, 1.0], not 0, 0, 0, 1, so it is no placement; export the file again without a projection",
        ),
    ] {
        assert_eq!(refusal(&file), message);
    }
    let circle =
        with_nodes(json!([{ "children": [1] }, { "children": [2] }, { "children": [1] }, {}]));
    assert_eq!(
        refusal(&circle),
        "nodes[1]: nodes 1 → 2 → 1 go in a circle; take one of them out from under the other"
    );
    for text in ["", "{", "null", "[1e999]"] {
        assert!(NodeTree::from_slice(text.as_bytes()).is_err());
    }
    let container = NodeTree::from_slice(b"glTF\x02\0\0\0")
        .expect_err("it is cut off")
        .to_string();
    assert!(
        container.starts_with("the file: the binary container cannot be read"),
        "{container}"
    );
}

#[test]
fn repairs_are_made_and_reported() {
    let tree = read(&json!({
        "asset": { "version": "2.0" },
        "scenes": [{ "nodes": [0, 3] }, {}],
        "nodes": [
            { "name": "crane", "children": [1, 2], "rotation": [0, 0, 3, 0] },
            { "name": "crane", "rotation": [0, 0, 0, 0], "extras": [1] },
            { "children": [1], "scale": [0, 1, -1] },
            { "matrix": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 5, 6, 7, 1], "translation": [9, 9, 9] }
        ],
        "skins": [{ "joints": [0] }],
        "cameras": [{ "type": "perspective", "perspective": { "yfov": 1.0, "znear": 0.1 } }],
        "extensions": { "KHR_lights_punctual": { "lights": [{}, {}] } }
    }))
    .expect("it can be fixed");
    let names: Vec<&str> = tree.nodes().iter().map(TreeNode::name).collect();
    assert_eq!(names, ["crane", "crane 2", "node 2", "node 3"]);
    assert_eq!(
        tree.repairs(),
        [
            "nodes[1] is a child of several nodes; it was left under the first",
            "nodes[0] has a rotation of length 3; it was scaled to 1",
            "nodes[1] shares the name `crane`; it was called `crane 2`",
            "nodes[1] has a rotation of length 0; it was taken as unturned",
            "nodes[1] has extras that are no object; they were left out",
            "nodes[3] has a matrix and parts of a placement; the matrix was kept",
        ]
    );
    assert_eq!(
        tree.nodes()[0].transform().rotation,
        Quat::from_xyzw(0.0, 0.0, 1.0, 0.0)
    );
    assert_eq!(tree.nodes()[2].transform().scale, Vec3::new(0.0, 1.0, -1.0));
    assert_eq!(
        tree.nodes()[3].transform().translation,
        Vec3::new(5.0, 6.0, 7.0)
    );
    let skipped = tree.skipped();
    assert_eq!(
        (
            skipped.skins,
            skipped.cameras,
            skipped.lights,
            skipped.scenes
        ),
        (1, 1, 2, 1)
    );
}

#[test]
fn a_scene_without_nodes_is_empty_and_a_file_without_scenes_has_its_roots() {
    let empty = json!({ "asset": { "version": "2.0" }, "scene": 0, "scenes": [{ "name": "bare" }], "nodes": [{}] });
    assert!(read(&empty).expect("it is valid").nodes().is_empty());
    let loose = with_nodes(json!([{ "name": "low" }, { "name": "top", "children": [0] }]));
    let tree = read(&loose).expect("it is valid");
    assert_eq!(
        (tree.nodes()[0].name(), tree.nodes()[1].parent()),
        ("top", Some(0))
    );
}

#[test]
fn boxes_come_from_the_bounds_of_points() {
    let file = json!({
        "asset": { "version": "2.0" },
        "nodes": [{ "mesh": 0 }, { "mesh": 1 }],
        "meshes": [
            { "primitives": [{ "attributes": { "POSITION": 0 } }, { "attributes": { "POSITION": 1 } }] },
            { "primitives": [{ "attributes": { "POSITION": 2 } }] }
        ],
        "accessors": [
            { "componentType": 5126, "count": 3, "type": "VEC3", "min": [-1, 0, 0], "max": [1, 1, 1] },
            { "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, -2, 0], "max": [1, 1, 5] },
            { "componentType": 5126, "count": 3, "type": "VEC3", "min": [4, 0, 0], "max": [1, 1, 1] }
        ]
    });
    let tree = read(&file).expect("it is valid");
    let around = Aabb::from_corners(Vec3::new(-1.0, -2.0, 0.0), Vec3::new(1.0, 1.0, 5.0));
    assert_eq!(tree.nodes()[0].bounds(), Some(around));
    assert_eq!(tree.nodes()[1].bounds(), None);
    assert_eq!(
        tree.repairs(),
        ["meshes[1].primitives[0] gives no usable bounds of its points; it has no part in the box"]
    );
}

fn transform() -> impl Strategy<Value = Transform> {
    let number = || -9.0_f32..9.0;
    let factor = || prop_oneof![Just(0.0_f32), -3.0_f32..-0.1, 0.1_f32..3.0];
    (
        [number(), number(), number()],
        [number(), number(), number()],
        [factor(), factor(), factor()],
    )
        .prop_map(|(translation, turn, scale)| Transform {
            translation: translation.into(),
            rotation: Quat::from_scaled_axis(turn.into()),
            scale: scale.into(),
        })
}

fn largest(affine: &Affine3A) -> f32 {
    affine
        .to_cols_array()
        .into_iter()
        .map(f32::abs)
        .fold(1.0, f32::max)
}

proptest! {
    /// For any affine matrix, sheared or not, the node has that placement.
    #[test]
    fn a_matrix_is_kept_exactly(outer in transform(), inner in transform()) {
        let affine = outer.affine() * inner.affine();
        let file = with_nodes(json!([{ "name": "bent", "matrix": Mat4::from(affine).to_cols_array() }]));
        let tree = read(&file).expect("it is a placement");
        let placed = world_of(&tree);
        let most = largest(&affine) * 1e-4;
        prop_assert!(placed["bent"].abs_diff_eq(affine, most), "{:?} {:?}", placed["bent"], affine);
        prop_assert_eq!(tree.nodes().len() == 2, !tree.repairs().is_empty());
    }

    /// So has a matrix that flattens space to a plane, a line or a point, or turns it inside out.
    #[test]
    fn any_matrix_is_kept(
        entries in proptest::array::uniform9(prop_oneof![Just(0.0_f32), Just(1.0), Just(-2.0), -9.0_f32..9.0]),
        copies in 0_usize..3,
    ) {
        let mut entries = entries;
        entries.copy_within(..3 * copies, 3);
        let affine = Affine3A::from_mat3(Mat3::from_cols_array(&entries));
        let file = with_nodes(json!([{ "name": "bent", "matrix": Mat4::from(affine).to_cols_array() }]));
        let placed = world_of(&read(&file).expect("it is a placement"));
        let most = largest(&affine) * 1e-5;
        prop_assert!(placed["bent"].abs_diff_eq(affine, most), "{:?} {:?}", placed["bent"], affine);
    }

    /// Written and read again: the same names under the same parents in the same places.
    #[test]
    fn a_tree_comes_back_as_it_was(
        parts in proptest::collection::vec((transform(), 0_usize..8, any::<bool>()), 1..8),
    ) {
        let mut runtime = Runtime::new();
        let mut entities: Vec<Entity> = Vec::new();
        for (number, (transform, under, has_box)) in parts.into_iter().enumerate() {
            let world = runtime.world_mut();
            let entity = world.spawn((Name::new(&format!("part {number}")), transform));
            if has_box {
                let own = Aabb::from_corner(Vec3::splat(number as f32), Vec3::new(1.0, 2.0, 3.0));
                world.attach(entity, Collider::solid(own)).expect("it is alive");
            }
            if let Some(&parent) = entities.get(under) {
                world.link(entity, parent).expect("no cycle");
            }
            entities.push(entity);
        }
        runtime.settle().expect("nothing fails");
        let wanted = placements(runtime.world());
        let text = export(runtime.world()).expect("all is finite");
        let tree = NodeTree::from_slice(text.as_bytes()).expect("it is valid");
        prop_assert!(tree.repairs().is_empty(), "{:?}", tree.repairs());
        let found = world_of(&tree);
        prop_assert!(found.keys().eq(wanted.keys()));
        let near = |found: &BTreeMap<String, Affine3A>| {
            wanted.iter().all(|(name, wanted)| found[name].abs_diff_eq(*wanted, largest(wanted) * 1e-4))
        };
        prop_assert!(near(&found));
        let mut other_runtime = Runtime::new();
        let world = other_runtime.world_mut();
        tree.spawn(world).expect("a tree can be spawned");
        for (&entity, name) in entities.iter().zip(wanted.keys()) {
            let other = world.find(name).expect("it is there");
            let label = |world: &World, entity| world.parent(entity).map(|parent| world.label(parent));
            prop_assert_eq!(label(runtime.world(), entity), label(world, other));
            let own_box = |world: &World, entity| world.get::<Collider>(entity).ok().map(|collider| collider.own_box());
            prop_assert_eq!(own_box(runtime.world(), entity), own_box(world, other));
        }
    }

    /// Damage of any kind is an error or a tree, never a panic.
    #[test]
    fn damaged_files_never_panic(at in any::<usize>(), with in any::<u8>(), cut in any::<usize>()) {
        let mut world = World::new();
        let stack = world.spawn((Name::new("stack"), Transform::at(1.0, 2.0, 3.0)));
        let own = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
        world.spawn_under(stack, (Transform::default(), Collider::solid(own))).expect("it is alive");
        let mut bytes = export(&world).expect("all is finite").into_bytes();
        let place = at % bytes.len();
        bytes[place] = with;
        if cut % 4 == 0 {
            bytes.truncate(cut % bytes.len());
        }
        if let Ok(tree) = NodeTree::from_slice(&bytes) {
            let placed = world_of(&tree);
            prop_assert!(placed.values().all(|placed| placed.is_finite()));
        }
    }
}

#[test]
fn faces_of_exported_boxes_look_outwards() {
    let mut world = World::new();
    let own = Aabb::from_corners(Vec3::new(1.0, 2.0, 3.0), Vec3::new(4.0, 6.0, 8.0));
    world.spawn((
        Name::new("crate"),
        Transform::default(),
        Collider::solid(own),
    ));
    let file: Value =
        serde_json::from_str(&export(&world).expect("all is finite")).expect("it is JSON");
    let uri = file["buffers"][0]["uri"].as_str().expect("it is embedded");
    let data = uri.split(',').nth(1).expect("there is data");
    let bytes = base64::Engine::decode(&base64::engine::general_purpose::STANDARD, data)
        .expect("it is base64");
    assert_eq!(bytes.len(), 36 * 2 + 8 * 12);
    let corner = |index: usize| {
        let index = usize::from(u16::from_le_bytes([bytes[index * 2], bytes[index * 2 + 1]]));
        let at = 72 + index * 12;
        let number = |part: usize| {
            let from = at + part * 4;
            f32::from_le_bytes(bytes[from..from + 4].try_into().expect("four bytes"))
        };
        Vec3::new(number(0), number(1), number(2))
    };
    let mut area = 0.0;
    for triangle in 0..12 {
        let [a, b, c] = [0, 1, 2].map(|part| corner(triangle * 3 + part));
        let normal = (b - a).cross(c - a);
        assert!(
            normal.dot((a + b + c) / 3.0 - own.center()) > 0.0,
            "triangle {triangle}"
        );
        area += normal.length() / 2.0;
    }
    assert_eq!(area, 2.0 * (3.0 * 4.0 + 4.0 * 5.0 + 5.0 * 3.0));
}

/// A container whose lengths contradict each other is refused, for each of its bytes.
#[test]
fn containers_are_checked_before_they_are_read() {
    let json = with_nodes(json!([{ "name": "lamp" }])).to_string();
    let json = format!("{json:<width$}", width = json.len().next_multiple_of(4));
    let mut good = b"glTF".to_vec();
    let length = 12 + 8 + json.len() as u32;
    for word in [2, length, json.len() as u32] {
        good.extend(word.to_le_bytes());
    }
    good.extend(b"JSON");
    good.extend(json.bytes());
    assert_eq!(
        NodeTree::from_slice(&good)
            .expect("it is one")
            .nodes()
            .len(),
        1
    );
    for length in 4..good.len() {
        assert!(
            NodeTree::from_slice(&good[..length]).is_err(),
            "cut at {length}"
        );
    }
    for at in 4..20 {
        for value in [0, 1, 4, 0x16, 0x7f, 0xff] {
            let mut bad = good.clone();
            bad[at] = value;
            // Whether it is refused or not, it is no reason to panic.
            let _ = NodeTree::from_slice(&bad);
        }
    }
    let found = b"glTF@\x16\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\xf2mnf";
    assert!(NodeTree::from_slice(found).is_err());
}

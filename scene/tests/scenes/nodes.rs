//! Scenes made from glTF files load, for any content of the files.

use gerust::gltf::NodeTree;
use gerust::prelude::*;
use gerust_scene::{Registry, Scene, scene_of_nodes};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A file with one node, whose mesh has the given bounds.
fn file(name: &str, extras: &Value, [min, max]: [f64; 2]) -> Vec<u8> {
    let file = json!({
        "asset": { "version": "2.0" },
        "scenes": [{ "nodes": [0] }],
        "nodes": [{ "name": name, "mesh": 0, "extras": extras }],
        "meshes": [{ "primitives": [{ "attributes": { "POSITION": 0 } }] }],
        "accessors": [{
            "componentType": 5126, "count": 2, "type": "VEC3",
            "min": [min, min, min], "max": [max, max, max],
        }],
    });
    file.to_string().into_bytes()
}

/// The text of the scene, or why there is none.
fn to_scene(title: &str, bytes: &[u8]) -> Result<(NodeTree, String), String> {
    let registry = Registry::standard();
    let tree = NodeTree::from_slice(bytes).map_err(|error| error.to_string())?;
    let (text, _) = scene_of_nodes(&tree, title, &registry).map_err(|error| error.to_string())?;
    let scene = Scene::parse(&text, "made.toml", &registry).map_err(|error| error.to_string())?;
    let mut runtime = Runtime::new();
    runtime
        .add_kit(StandardKit)
        .map_err(|error| error.to_string())?;
    scene.run(runtime).map_err(|error| error.to_string())?;
    Ok((tree, text))
}

#[test]
fn texts_that_begin_with_an_equals_sign_are_no_expressions() {
    let extras = json!({ "follow": { "target": "=1 + 1" } });
    let (tree, text) = to_scene("=1+", &file("=3 +", &extras, [-1.0, 1.0])).expect("it loads");
    assert_eq!(tree.nodes()[0].name(), "=3 +");
    assert!(tree.repairs().is_empty(), "{:?}", tree.repairs());
    let scene = Scene::parse(&text, "made.toml", &Registry::standard()).expect("it loads");
    assert_eq!(scene.title(), "=1+");
    let run = scene.start(Runtime::new()).expect("it starts");
    let world = run.runtime().world();
    let node = world.find("=3 +").expect("it has kept its name");
    let follow = world
        .get::<gerust::runtime::FollowNamed>(node)
        .expect("it was attached");
    assert_eq!(follow.target, "=1 + 1");

    // Expressions cannot have a text with this sign inside.
    let error = to_scene("t", &file("=\"", &json!({}), [-1.0, 1.0])).expect_err("it is refused");
    assert!(error.contains("has no place in a scene"), "{error}");
}

#[test]
fn bounds_beyond_the_numbers_of_a_scene_make_no_box() {
    for (bounds, has_box) in [
        ([-1.0, 1.0], true),
        ([-3e38, 3e38], false),
        ([2e38, 3e38], false),
        ([-1e37, 1e37], true),
    ] {
        let (tree, _) = to_scene("t", &file("hull", &json!({}), bounds)).expect("it loads");
        assert_eq!(tree.nodes()[0].bounds().is_some(), has_box, "{bounds:?}");
        assert_eq!(tree.repairs().is_empty(), has_box, "{:?}", tree.repairs());
    }
}

#[test]
fn extras_that_do_not_fit_their_component_are_refused_with_their_line() {
    let extras = json!({ "lifetime": "soon" });
    let error = to_scene("t", &file("lamp", &extras, [0.0, 1.0])).expect_err("it is no number");
    assert!(
        error.contains("`lifetime = \"soon\"`") && error.contains("no place in a scene"),
        "{error}"
    );
}

/// The name of a node, its world placement, the name of its parent, and its box.
type Part = (String, Vec<f32>, Option<String>, Option<Aabb>);

/// All nodes, by name.
fn parts_of(world: &World) -> Vec<Part> {
    let rows = world.rows::<(Entity, &Name, &WorldTransform)>();
    let mut parts: Vec<Part> = rows
        .iter()
        .map(|(entity, name, placed)| {
            let parent = world.parent(entity).map(|parent| world.label(parent));
            let collider = world.get::<Collider>(entity).ok();
            let own = collider.map(|collider| collider.own_box());
            let placed = placed.affine().to_cols_array().to_vec();
            (name.to_string(), placed, parent, own)
        })
        .collect();
    parts.sort_by(|one, other| one.0.cmp(&other.0));
    parts
}

proptest! {
    /// A tree in a scene file is the tree that is spawned: the same names under the same parents in the same places.
    #[test]
    fn a_tree_in_a_scene_is_the_tree_that_is_spawned(
        nodes in proptest::collection::vec(
            (proptest::array::uniform3(-9.0_f32..9.0), proptest::array::uniform4(0.1_f32..1.0), 1_u8..9, 0_usize..8, any::<bool>()),
            1..8,
        ),
    ) {
        let mut world = World::new();
        let mut entities: Vec<Entity> = Vec::new();
        for (number, (at, turned, size, under, has_box)) in nodes.into_iter().enumerate() {
            let transform = Transform {
                rotation: Quat::from_array(turned).normalize(),
                scale: Vec3::splat(f32::from(size) / 4.0),
                ..Transform::at(at[0], at[1], at[2])
            };
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
        let text = gerust::gltf::export(&world).expect("all is finite");
        let tree = NodeTree::from_slice(text.as_bytes()).expect("it is valid");
        let mut spawned = Runtime::new();
        tree.spawn(spawned.world_mut()).expect("a tree can be spawned");
        spawned.settle().expect("nothing fails");

        let registry = Registry::standard();
        let (text, _) = scene_of_nodes(&tree, "parts", &registry).expect("it can be written");
        let scene = Scene::parse(&text, "parts.toml", &registry).expect("it can be read");
        let run = scene.start(Runtime::new()).expect("it starts");
        let (found, wanted) = (parts_of(run.runtime().world()), parts_of(spawned.world()));
        prop_assert_eq!(found.len(), wanted.len());
        for (found, wanted) in found.iter().zip(&wanted) {
            prop_assert_eq!((&found.0, &found.2, &found.3), (&wanted.0, &wanted.2, &wanted.3));
            let largest = wanted.1.iter().fold(1.0, |most: f32, number| most.max(number.abs()));
            let is_near = found.1.iter().zip(&wanted.1).all(|(one, other)| (one - other).abs() <= largest * 1e-5);
            prop_assert!(is_near, "{:?} {:?}", found.1, wanted.1);
        }
    }

    #[test]
    fn any_name_and_any_bounds_make_a_scene_that_loads(
        title in "\\PC{0,8}|=\\PC{0,8}|[\\x00-\\x20]{0,4}",
        name in "\\PC{0,8}|=\\PC{0,8}|[\"'/\\\\]{1,4}|[\\x00-\\x20]{0,4}",
        bounds in [-3.4e38_f64..3.4e38, -3.4e38_f64..3.4e38],
    ) {
        let outcome = to_scene(&title, &file(&name, &json!({}), bounds));
        let has_no_literal = |text: &str| text.trim_start().starts_with('=') && text.contains('"');
        match has_no_literal(&title) || has_no_literal(&name) {
            true => prop_assert!(outcome.is_ok() || outcome.is_err_and(|error| error.contains("no place in a scene"))),
            false => prop_assert!(outcome.is_ok(), "{outcome:?}"),
        }
    }
}

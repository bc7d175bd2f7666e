//! Scenes made from glTF files load, for any content of the files.

#![cfg(all(feature = "gltf", feature = "scene"))]

use gerust::gltf::NodeTree;
use gerust::prelude::*;
use gerust::scene::{Registry, Scene};
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
    let (text, _) = tree
        .to_scene(title, &registry)
        .map_err(|error| error.to_string())?;
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

proptest! {
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

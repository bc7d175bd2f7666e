//! `gerust import` and `gerust export`, driven for real on files that cannot become scenes.

mod common;

use assert_cmd::assert::Assert;
use common::{gerust, json_of};
use predicates::str::contains;
use std::fs;
use std::path::Path;

const REFUSED: &str = r#"{ "asset": { "version": "2.0" }, "nodes": [{ "name": "lamp", "extras": { "lifetime": "soon" } }] }"#;
const ODD: &str =
    r#"{ "asset": { "version": "2.0" }, "nodes": [{ "name": "=1 + 1" }, { "name": "=1 + 1" }] }"#;

/// Runs a command that reads one file and writes another.
fn convert(command: &str, from: &Path, to: &Path) -> Assert {
    gerust().arg(command).arg(from).arg("-o").arg(to).assert()
}

#[test]
fn a_file_that_makes_no_scene_leaves_the_old_one() {
    let folder = tempfile::tempdir().expect("there is room");
    let [gltf, scene] = ["lamp.gltf", "lamp.toml"].map(|name| folder.path().join(name));
    fs::write(&gltf, REFUSED).expect("there is room");
    fs::write(&scene, "the old one").expect("there is room");
    convert("import", &gltf, &scene)
        .code(2)
        .stderr(contains("`lifetime = \"soon\"` has no place in a scene"));
    let text = fs::read_to_string(&scene).expect("it is there");
    assert_eq!(text, "the old one");
    // Nor is the input written over.
    convert("import", &gltf, &gltf).code(2);
    assert_eq!(fs::read_to_string(&gltf).expect("it is there"), REFUSED);
}

#[test]
fn names_that_look_like_expressions_come_back_as_they_were() {
    let folder = tempfile::tempdir().expect("there is room");
    let names = ["=odd.gltf", "odd.toml", "back.gltf"];
    let [gltf, scene, back] = names.map(|name| folder.path().join(name));
    fs::write(&gltf, ODD).expect("there is room");
    convert("import", &gltf, &scene)
        .code(0)
        .stdout(contains("it was called `=1 + 1 2`"));
    let json = json_of(gerust().arg("run").arg(&scene).args(["--format", "json"]));
    assert_eq!(
        (&json["entities"], &json["title"]),
        (&2.into(), &"=odd".into()),
        "{json}"
    );
    convert("export", &scene, &back).code(0);
    let text = fs::read_to_string(&back).expect("it was written");
    assert!(
        text.contains("\"=1 + 1\"") && text.contains("\"=1 + 1 2\""),
        "{text}"
    );
}

//! `gerust import` and `gerust export`, driven for real on files that cannot become scenes.

mod common;

use common::{gerust, json_of};
use predicates::str::contains;
use std::fs;

const REFUSED: &str = r#"{ "asset": { "version": "2.0" }, "nodes": [{ "name": "lamp", "extras": { "lifetime": "soon" } }] }"#;
const ODD: &str =
    r#"{ "asset": { "version": "2.0" }, "nodes": [{ "name": "=1 + 1" }, { "name": "=1 + 1" }] }"#;

#[test]
fn a_file_that_makes_no_scene_leaves_the_old_one() {
    let folder = tempfile::tempdir().expect("there is room");
    let at = |name: &str| folder.path().join(name);
    fs::write(at("lamp.gltf"), REFUSED).expect("there is room");
    fs::write(at("lamp.toml"), "the old one").expect("there is room");
    gerust()
        .arg("import")
        .arg(at("lamp.gltf"))
        .arg("-o")
        .arg(at("lamp.toml"))
        .assert()
        .code(2)
        .stderr(contains("`lifetime = \"soon\"`: a scene cannot have it"));
    let text = fs::read_to_string(at("lamp.toml")).expect("it is there");
    assert_eq!(text, "the old one");
    // Nor is the input written over.
    gerust()
        .arg("import")
        .arg(at("lamp.gltf"))
        .arg("-o")
        .arg(at("lamp.gltf"))
        .assert()
        .code(2);
    assert_eq!(
        fs::read_to_string(at("lamp.gltf")).expect("it is there"),
        REFUSED
    );
}

#[test]
fn names_that_would_be_expressions_are_changed_and_listed() {
    let folder = tempfile::tempdir().expect("there is room");
    let at = |name: &str| folder.path().join(name);
    fs::write(at("=odd.gltf"), ODD).expect("there is room");
    gerust()
        .arg("import")
        .arg(at("=odd.gltf"))
        .arg("-o")
        .arg(at("odd.toml"))
        .assert()
        .code(0)
        .stdout(contains("would be an expression"));
    let json = json_of(
        gerust()
            .arg("run")
            .arg(at("odd.toml"))
            .args(["--format", "json"]),
    );
    assert_eq!(json["entities"], 2, "{json}");
    gerust()
        .arg("export")
        .arg(at("odd.toml"))
        .arg("-o")
        .arg(at("back.gltf"))
        .assert()
        .code(0);
    let text = fs::read_to_string(at("back.gltf")).expect("it was written");
    assert!(text.contains("_=1 + 1 2"), "{text}");
}

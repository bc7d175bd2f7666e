//! Runs every command on every shipped scene.

use assert_cmd::Command;
use std::path::{Path, PathBuf};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// The scenes of the short form: rules and events, files that are loaded, tiles, fast shots.
const SAMPLE: [&str; 4] = ["gatehouse.toml", "shots.toml", "visitors.toml", "yard.toml"];

fn scenes() -> Vec<String> {
    let entries = std::fs::read_dir(root().join("scenes")).expect("it is there");
    let paths = entries.map(|entry| entry.expect("it can be read").path());
    let mut scenes: Vec<String> = paths
        .filter(|path| path.is_file())
        .filter_map(|path| Some(format!("scenes/{}", path.file_name()?.to_str()?)))
        .collect();
    scenes.sort();
    assert!(scenes.len() >= 14, "{scenes:?}");
    // The long form takes all.
    if !cfg!(feature = "stress") {
        scenes.retain(|scene| SAMPLE.iter().any(|name| scene.ends_with(name)));
        assert_eq!(scenes.len(), SAMPLE.len(), "{scenes:?}");
    }
    scenes
}

/// The output of a command; it must not be empty, nor wider than 80 columns.
fn printed(arguments: &[&str]) -> String {
    let mut command = Command::cargo_bin("gerust").expect("cargo has built it");
    command.current_dir(root()).args(arguments);
    let output = command.output().expect("it starts");
    let told = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(output.status.success(), "{arguments:?}: {told}");
    let text = String::from_utf8(output.stdout).expect("it is text");
    assert!(!text.trim().is_empty(), "{arguments:?}");
    for line in text.lines() {
        assert!(
            line.chars().count() <= 80 || arguments.contains(&"json"),
            "{arguments:?}: {line}"
        );
    }
    text
}

#[test]
fn every_scene_can_be_inspected_in_every_way() {
    for scene in scenes() {
        for topic in [
            "entities", "events", "systems", "tree", "boxes", "contacts", "memory",
        ] {
            printed(&["inspect", &scene, topic, "--at", "12"]);
            let json = printed(&["inspect", &scene, topic, "--at", "12", "--format", "json"]);
            let value: serde_json::Value = serde_json::from_str(&json).expect("it is JSON");
            assert_eq!(value["frame"], 12, "{scene} {topic}");
        }
    }
}

#[test]
fn of_every_scene_anything_can_be_asked_and_measured() {
    for scene in scenes() {
        let order = [
            "explain",
            &scene,
            "order",
            "move: bodies",
            "touch: contacts",
        ];
        assert!(printed(&order).contains("move: bodies"), "{scene}");
        let list = printed(&[
            "inspect", &scene, "entities", "--at", "12", "--format", "json",
        ]);
        let list: serde_json::Value = serde_json::from_str(&list).expect("it is JSON");
        let entities = list["entities"].as_array().expect("a list").iter();
        let named: Vec<&serde_json::Value> =
            entities.filter(|one| one["name"].is_string()).collect();
        let name = named[0]["name"].as_str().expect("it has a name");
        printed(&[
            "explain",
            &scene,
            "rows",
            "standard: drift",
            name,
            "--at",
            "12",
        ]);
        let has_box = |one: &&&serde_json::Value| {
            let components = one["components"].as_array().expect("a list");
            components.iter().any(|component| component == "collider")
        };
        let boxes: Vec<&str> = named
            .iter()
            .filter(has_box)
            .filter_map(|one| one["name"].as_str())
            .collect();
        if let [one, other, ..] = boxes[..] {
            printed(&["explain", &scene, "pair", one, other, "--at", "12"]);
        }
        printed(&["inspect", &scene, "plan", "--at", "12"]);
        let profile = printed(&["profile", &scene, "--format", "json"]);
        let profile: serde_json::Value = serde_json::from_str(&profile).expect("it is JSON");
        assert!(profile["frames-measured"].as_u64() > Some(0), "{scene}");
    }
}

#[test]
fn every_scene_can_be_drawn_written_out_recorded_and_compared() {
    let folder = tempfile::tempdir().expect("there is room");
    let at = |name: &str| {
        let path = folder.path().join(name);
        path.to_str().expect("it is text").to_owned()
    };
    for scene in scenes() {
        let (picture, nodes, recording) = (at("x.svg"), at("x.gltf"), at("x.rec"));
        printed_anyhow(&["draw", &scene, "--at", "0,12", "-o", &picture]);
        printed_anyhow(&["export", &scene, "--at", "12", "-o", &nodes]);
        let page = at("x.html");
        printed_anyhow(&["report", &scene, "--every", "20", "-o", &page]);
        printed(&["run", &scene, "--record", &recording]);
        for file in [&picture, &nodes, &page, &recording] {
            let bytes = std::fs::read(file).expect("it was written");
            assert!(bytes.len() > 100, "{scene}: {file}");
        }
        let compared = printed(&["compare", &recording, &scene]);
        assert!(
            compared.starts_with("no difference in "),
            "{scene}: {compared}"
        );
    }
}

/// Lines with a path may be longer than others.
fn printed_anyhow(arguments: &[&str]) {
    let mut command = Command::cargo_bin("gerust").expect("cargo has built it");
    command.current_dir(root()).args(arguments);
    command.assert().success();
}

//! Looking inside, asking why, and node trees, with the real tool.

mod colliding;
#[path = "../common/mod.rs"]
mod common;

use common::{gerust, json_of};
use predicates::prelude::*;
use predicates::str::contains;
use serde_json::Value;
use std::path::Path;

fn text_of(arguments: &[&str]) -> String {
    let output = gerust().args(arguments).output().expect("it starts");
    assert!(output.status.success(), "{arguments:?}");
    let text = String::from_utf8(output.stdout).expect("it is text");
    let widest = text.lines().map(|line| line.chars().count()).max();
    assert!(widest <= Some(80), "{text}");
    text
}

fn refused(arguments: &[&str], message: &str) {
    gerust()
        .args(arguments)
        .assert()
        .code(2)
        .stdout("")
        .stderr(contains(message));
}

/// Whether a text has lines, to the blank.
fn assert_lines(text: &str, lines: &[&str]) {
    for line in lines {
        assert!(
            text.lines().any(|shown| shown == *line),
            "{line} is not in\n{text}"
        );
    }
}

#[test]
fn inspect_plan_shows_order_reasons_and_cost() {
    gerust()
        .args(["inspect", "scenes/quay.toml", "plan", "--threads", "1"])
        .assert()
        .code(0)
        .stdout(
            contains("Night shift at the quay: 600 frames, 1 thread")
                .and(contains("  wave 4   move: boxes"))
                .and(contains("after standard: drift: stated"))
                .and(contains("critical path"))
                .and(contains("never ran").not()),
        );
    let output = gerust()
        .args(["inspect", "scenes/quay.toml", "plan"])
        .output()
        .expect("it starts");
    let text = String::from_utf8(output.stdout).expect("it is text");
    assert!(
        text.lines().all(|line| line.chars().count() <= 80),
        "{text}"
    );
}

#[test]
fn inspect_plan_as_json_names_what_systems_take() {
    let plan = json_of(gerust().args(["inspect", "scenes/quay.toml", "plan", "--format", "json"]));
    let phases = plan["phases"].as_array().expect("there are phases");
    let systems = phases
        .iter()
        .flat_map(|phase| phase["systems"].as_array().expect("a list"));
    let drift = systems
        .clone()
        .find(|system| system["name"] == "standard: drift")
        .expect("it is planned");
    assert_eq!(drift["writes"], serde_json::json!(["Transform"]));
    assert_eq!(
        drift["reads"],
        serde_json::json!(["Velocity", "global Clock"])
    );
    assert_eq!(drift["runs"], 600);
    for phase in phases {
        let names: Vec<&Value> = phase["systems"]
            .as_array()
            .expect("a list")
            .iter()
            .map(|system| &system["name"])
            .collect();
        for edge in phase["edges"].as_array().expect("a list") {
            let place = |name| names.iter().position(|known| *known == name);
            assert!(place(&edge["first"]) < place(&edge["second"]), "{edge}");
        }
    }
}

#[test]
fn plans_are_drawn_as_graphs() {
    let graph = |format| {
        let output = gerust()
            .args(["inspect", "scenes/quay.toml", "plan", "--format", format])
            .output()
            .expect("it starts");
        String::from_utf8(output.stdout).expect("it is text")
    };
    let dot = graph("dot");
    assert!(dot.starts_with("digraph plan {") && dot.ends_with("}\n"));
    assert_eq!(dot.matches('{').count(), dot.matches('}').count());
    assert!(dot.contains("label=\"move: bodies\""));
    let mermaid = graph("mermaid");
    assert!(mermaid.starts_with("flowchart TB\n"));
    assert_eq!(
        mermaid.matches("  subgraph ").count(),
        mermaid.matches("  end\n").count()
    );
}

#[test]
fn explain_answers_about_order_and_rows() {
    gerust()
        .args(["explain", "scenes/quay.toml", "order", "touch: contacts", "touch: boxes"])
        .assert()
        .code(0)
        .stdout("`touch: boxes` runs before `touch: contacts`\n  `touch: contacts` states `after touch: boxes`\n");
    let order = json_of(gerust().args([
        "explain",
        "scenes/quay.toml",
        "order",
        "touch: boxes",
        "move: bodies",
        "--format",
        "json",
    ]));
    assert_eq!(
        (&order["first"], &order["second"]),
        (&"move: bodies".into(), &"touch: boxes".into())
    );
    gerust()
        .args([
            "explain",
            "scenes/quay.toml",
            "rows",
            "standard: spin",
            "barge",
            "--at",
            "3",
        ])
        .assert()
        .code(0)
        .stdout(contains("`barge` has Transform but lacks Spin"));
    let rows = json_of(gerust().args([
        "explain",
        "scenes/quay.toml",
        "rows",
        "standard: spin",
        "barge",
        "--format",
        "json",
    ]));
    assert_eq!(rows["claims"][0]["lacks"], serde_json::json!(["Spin"]));
    assert_eq!(
        (&rows["claims"][0]["has-row"], &rows["frame"]),
        (&false.into(), &600.into())
    );
}

#[test]
fn questions_about_what_is_not_there_exit_2_and_list_what_is() {
    let refused = |arguments: &[&str], message: &str| {
        gerust()
            .args(["explain", "scenes/quay.toml"])
            .args(arguments)
            .assert()
            .code(2)
            .stdout("")
            .stderr(contains(message));
    };
    refused(
        &["order", "move: bodies", "mvoe"],
        "unknown system `mvoe`; the systems are `move: bodies`, `move: boxes`",
    );
    refused(
        &["rows", "standard: spin", "bagre"],
        "unknown entity `bagre` after frame 600; did you mean `barge`? the names are `barge`",
    );
    refused(
        &["order", "move: bodies", "move: bodies"],
        "`move: bodies` has no order against itself; name two systems",
    );
    refused(
        &["rows", "spin", "barge"],
        "unknown system `spin`; did you mean `standard: spin`?",
    );
    refused(
        &["rows", "standard: spin", "barge", "--at", "601"],
        "frame 601 cannot be asked about: the scene has 600 frames",
    );
}

#[test]
fn inspect_tree_shows_who_hangs_where() {
    let text = text_of(&["inspect", "scenes/quay.toml", "tree", "--at", "240"]);
    assert_lines(
        &text,
        &[
            "name                           local x       y       z world x       y       z",
            "rail                              0.00    0.00  -10.00    0.00    0.00  -10.00",
            "    trolley-1                     0.00   21.00   -3.00  -22.00   21.00  -13.00",
            "        turned 158.8° about 0.00 1.00 0.00",
        ],
    );
    gerust()
        .args(["inspect", "scenes/quay.toml", "tree", "--at", "9999"])
        .assert()
        .code(2)
        .stderr(contains("the scene has 600 frames; choose one up to that"));
}

#[test]
fn the_tree_as_json_multiplies_up() {
    let tree = json_of(gerust().args(["inspect", "scenes/quay.toml", "tree", "--format", "json"]));
    let nodes = tree["nodes"].as_array().expect("a list");
    let numbers = |value: &Value| -> Vec<f32> {
        let list = value.as_array().expect("a list").iter();
        list.map(|number| number.as_f64().expect("a number") as f32)
            .collect()
    };
    let mut linked = 0;
    for node in nodes.iter().filter(|node| !node["parent"].is_null()) {
        let parent = nodes
            .iter()
            .find(|other| other["name"] == node["parent"])
            .expect("it is listed");
        let above = glam::Mat4::from_cols_slice(&numbers(&parent["world"]));
        let local = glam::Mat4::from_scale_rotation_translation(
            glam::Vec3::from_slice(&numbers(&node["scale"])),
            glam::Quat::from_slice(&numbers(&node["rotation"])),
            glam::Vec3::from_slice(&numbers(&node["translation"])),
        );
        let world = glam::Mat4::from_cols_slice(&numbers(&node["world"]));
        assert!((above * local).abs_diff_eq(world, 1e-4), "{node}");
        linked += 1;
    }
    assert!(linked > 10);
}

#[test]
fn a_scene_goes_out_as_gltf_and_comes_back_in_the_same_places() {
    let folder = tempfile::tempdir().expect("there is room");
    let (gltf, toml) = (
        folder.path().join("quay.gltf"),
        folder.path().join("quay.toml"),
    );
    gerust()
        .args(["export", "scenes/quay.toml", "--at", "240", "-o"])
        .arg(&gltf)
        .assert()
        .code(0)
        .stdout(contains("the scene after frame 240"));
    gerust()
        .arg("import")
        .arg(&gltf)
        .arg("-o")
        .arg(&toml)
        .assert()
        .code(0)
        .stdout(contains("46 nodes, 32 colliders"));
    let world_of = |scene: &Path, frame: &str| -> Vec<(Value, Vec<f64>)> {
        let mut command = gerust();
        command.arg("inspect").arg(scene);
        let tree = json_of(command.args(["tree", "--format", "json", "--at", frame]));
        let nodes = tree["nodes"].as_array().expect("a list").iter();
        let mut placed: Vec<(Value, Vec<f64>)> = nodes
            .map(|node| {
                let numbers = node["world"].as_array().expect("sixteen numbers").iter();
                let name = match node["name"].is_null() {
                    true => node["entity"].clone(),
                    false => node["name"].clone(),
                };
                (
                    name,
                    numbers
                        .map(|number| number.as_f64().expect("a number"))
                        .collect(),
                )
            })
            .collect();
        placed.sort_by_key(|(name, _)| name.to_string());
        placed
    };
    let (before, after) = (
        world_of(Path::new("scenes/quay.toml"), "240"),
        world_of(&toml, "0"),
    );
    assert_eq!(before.len(), after.len());
    for ((name, before), (other, after)) in before.iter().zip(&after) {
        assert_eq!(name, other);
        let is_near = before
            .iter()
            .zip(after)
            .all(|(before, after)| (before - after).abs() < 1e-4);
        assert!(is_near, "{name}: {before:?} {after:?}");
    }
}

#[test]
fn files_that_are_no_node_trees_exit_2_and_nothing_is_written() {
    let folder = tempfile::tempdir().expect("there is room");
    let output = folder.path().join("out.toml");
    let circle = folder.path().join("circle.gltf");
    let text = r#"{ "asset": { "version": "2.0" }, "scenes": [{ "nodes": [0] }], "nodes": [{ "children": [0] }] }"#;
    std::fs::write(&circle, text).expect("there is room");
    for (file, message) in [
        (Path::new("README.md"), "README.md: it is no JSON"),
        (Path::new("nothing.glb"), "nothing.glb: it cannot be read"),
        (circle.as_path(), "nodes 0 → 0 go in a circle"),
    ] {
        gerust()
            .arg("import")
            .arg(file)
            .arg("-o")
            .arg(&output)
            .assert()
            .code(2)
            .stdout("")
            .stderr(contains(message));
        assert!(!output.exists());
    }
    gerust()
        .args(["export", "scenes/quay.toml", "-o", "quay.obj"])
        .assert()
        .code(2)
        .stderr(contains("name a file that ends in .gltf"));
}

#[test]
fn memory_is_reported_by_component_and_table_with_growth_and_allocations() {
    let text = text_of(&["inspect", "scenes/quay.toml", "memory"]);
    for part in [
        "after frame 600: 44 entities",
        "  120 more frames without cues allocated nothing",
        "WorldTransform                   44      64 B",
        "      11     140 B",
    ] {
        assert!(text.contains(part), "{part} is not in\n{text}");
    }
    let memory =
        json_of(gerust().args(["inspect", "scenes/quay.toml", "memory", "--format", "json"]));
    let number = |value: &Value| value.as_u64().expect("a number");
    let sum = |list: &str, key: &str| -> u64 {
        let rows = memory[list].as_array().expect("a list").iter();
        rows.map(|row| number(&row[key])).sum()
    };
    assert_eq!(sum("components", "used"), number(&memory["used"]));
    assert_eq!(sum("tables", "used"), number(&memory["used"]));
    assert_eq!(sum("tables", "entities"), 44);
    assert_eq!(memory["allocations"]["allocating-frames"], 0);
    // Two pallets came and a gull and the launcher went.
    let pallets = memory["components"].as_array().expect("a list").iter();
    let body = pallets
        .clone()
        .find(|row| row["name"] == "Body")
        .expect("it is listed");
    assert_eq!(body["used-growth"], 88);
}

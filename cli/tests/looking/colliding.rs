//! What the tool tells about boxes, contacts and pairs.

use super::*;
use predicates::prelude::PredicateBooleanExt;
use predicates::str::contains;

#[test]
fn a_pair_is_explained_with_the_one_reason() {
    let pair = |one: &str, other: &str, at: &str| {
        text_of(&[
            "explain",
            "scenes/quay.toml",
            "pair",
            one,
            other,
            "--at",
            at,
        ])
    };
    let touching = pair("truck-1", "barrier", "200");
    for part in [
        "after frame 200, `truck-1` and `barrier` touch: 0.0000 m deep along x",
        "`barrier`: solid, on, layer `barrier`",
        "  x      -26.7000   -22.0000    4.500    0.200    4.700    4.700   0.0000",
    ] {
        assert!(touching.contains(part), "{part} is not in\n{touching}");
    }
    let reasons = [
        (
            pair("truck-1", "light-gate", "200"),
            "there are 8.1000 m between them along x",
        ),
        (
            pair("truck-1", "barrier", "400"),
            "the collider of `barrier` is off",
        ),
        (
            pair("gull-lost", "barrier", "200"),
            "`gull-lost` has no collider",
        ),
        (
            pair("barge", "truck-1", "200"),
            "layer `barge` does not meet layer `truck`",
        ),
    ];
    for (text, reason) in reasons {
        let text = text.replace("\n  ", " ");
        assert!(
            text.contains("do not touch") && text.contains(reason),
            "{reason} is not in\n{text}"
        );
    }
    let answer = json_of(gerust().args([
        "explain",
        "scenes/yard.toml",
        "pair",
        "maze",
        "runaway",
        "--format",
        "json",
    ]));
    assert_eq!(answer["touch"], true);
    assert_eq!(answer["entities"][0]["boxes"], 119);
    let combined = answer["axes"][2]["combined-half-extents"].as_f64();
    assert!(combined.is_some_and(|combined| (combined - 1.8).abs() < 1e-5));
}

#[test]
fn contacts_are_listed_with_side_depth_state_and_since() {
    let text = text_of(&["inspect", "scenes/yard.toml", "contacts", "--at", "60"]);
    assert_lines(
        &text,
        &[
            "after frame 60: 8 contacts, 0 of them left over by motion",
            "floor          arm-crane      +y    0.0000   0.16 Ns  held       0  carries it",
            "maze           runaway        +z    0.0000         -  held       1",
            "arm-crane      wall           -x    0.0000         -  began     60",
        ],
    );
    let view = json_of(gerust().args([
        "inspect",
        "scenes/yard.toml",
        "contacts",
        "--at",
        "239",
        "--of",
        "swept",
        "--format",
        "json",
    ]));
    let contacts = view["contacts"].as_array().expect("a list");
    assert_eq!(contacts.len(), 2);
    let pushed = contacts
        .iter()
        .find(|contact| contact["first"] == "sweeper")
        .expect("it is pushed");
    assert_eq!(pushed["normal"], serde_json::json!([1.0, 0.0, 0.0]));
    assert_eq!(
        (&pushed["state"], &pushed["kind"]),
        (&"held".into(), &"solid".into())
    );
    assert_eq!(contacts[0]["standing"], "swept");
    refused(
        &["inspect", "scenes/yard.toml", "contacts", "--of", "foreman"],
        "unknown entity `foreman`",
    );
}

#[test]
fn boxes_are_listed_with_layer_kind_and_set() {
    let text = text_of(&["inspect", "scenes/yard.toml", "boxes"]);
    assert_lines(
        &text,
        &[
            "  119 solid tiles",
            "arm-crane          18.50    0.00    7.00   24.00    3.00    9.00  cart",
            "  dynamic, box set `reaching`, 2 boxes",
            "  kinematic",
        ],
    );
    let view = json_of(gerust().args([
        "inspect",
        "scenes/quay.toml",
        "boxes",
        "--layer",
        "sensor",
        "--at",
        "0",
        "--format",
        "json",
    ]));
    let colliders = view["colliders"].as_array().expect("a list");
    let names: Vec<_> = colliders.iter().map(|collider| &collider["name"]).collect();
    assert_eq!(names, ["light-gate", "weigh-pad"]);
    assert!(
        colliders
            .iter()
            .all(|collider| collider["kind"] == "sensor" && collider["on"] == true)
    );
    assert_eq!(colliders[1]["min"][0], 1.0);
    refused(
        &["inspect", "scenes/quay.toml", "boxes", "--layer", "sensors"],
        "unknown layer `sensors`; did you mean `sensor`?",
    );
}

#[test]
fn what_is_left_over_is_in_the_summary() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("crowd.toml");
    let text = r#"
title = "a crowd"
frames = 3
iterations = 0
[templates.pallet]
collider = { size = [1, 1, 1] }
body = { gravity-scale = 0 }
[[entities]]
template = "pallet"
[[entities]]
template = "pallet"
transform = { translation = [0.5, 0, 0] }
"#;
    std::fs::write(&scene, text).expect("there is room");
    gerust()
        .arg("run")
        .arg(&scene)
        .assert()
        .code(0)
        .stdout(contains(
            "left over     up to 1 overlaps in 4 frames, the deepest 0.500 m (frame 0)",
        ));
    let summary = json_of(gerust().arg("run").arg(&scene).args(["--format", "json"]));
    assert_eq!(summary["left-over"]["most"], 1);
}

#[test]
fn a_scene_sets_how_far_apart_boxes_still_touch() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("near.toml");
    let text = |margin: &str| {
        format!(
            r#"
title = "two crates 2 cm apart"
frames = 1
{margin}
[[entities]]
name = "a"
collider = {{ size = [1, 1, 1] }}
[[entities]]
name = "b"
collider = {{ size = [1, 1, 1] }}
transform = {{ translation = [1.02, 0, 0] }}
[[expect]]
that = "a touches b at frame 1"
"#
        )
    };
    let run = |margin: &str, code: i32| {
        std::fs::write(&scene, text(margin)).expect("there is room");
        gerust().arg("run").arg(&scene).assert().code(code)
    };
    run("", 1);
    run("margin = 0.05", 0);
    run("margin = -1.0", 2).stderr(contains("write a number from 0 to 1e6"));
    run("margin = nan", 2);
}

#[test]
fn a_body_without_sense_ends_the_run_with_its_name() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("spin.toml");
    let text = r#"
title = "faster and faster"
frames = 3
[[entities]]
name = "turned-inside-out"
transform = { scale = [1e30, 1e30, 1e30] }
collider = { size = [1e30, 1, 1] }
"#;
    std::fs::write(&scene, text).expect("there is room");
    gerust()
        .arg("run")
        .arg(&scene)
        .assert()
        .code(2)
        .stderr(contains("turned-inside-out").and(contains("finite")));
}

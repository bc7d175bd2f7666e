//! `gerust compare`, driven for real.

mod common;

use common::{gerust, json_of};
use predicates::prelude::*;
use predicates::str::contains;
use std::fs;

const SCENE: &str = r#"
title = "a cart and a crate"
frames = 60

[[entities]]
name = "cart"
components.velocity = [1, 0, 0]

[[entities]]
name = "crate"
transform = { translation = [0, 5, 0] }
collider = { size = [1, 1, 1] }
body = {}

[[cues]]
frame = 30
do = [{ change = { field = "crate.body.velocity.x", to = "2" } }]
"#;

#[test]
fn equal_runs_do_not_differ_on_any_number_of_threads() {
    for scene in ["scenes/quay.toml", "scenes/blast.toml", "scenes/gates.toml"] {
        gerust()
            .args(["compare", scene, "threads=4", "--threads", "1"])
            .assert()
            .code(0)
            .stdout(contains("no difference in "));
    }
}

#[test]
fn the_first_frame_entity_component_and_field_are_named() {
    let folder = tempfile::tempdir().expect("there is room");
    let write = |name: &str, text: &str| {
        let path = folder.path().join(name);
        fs::write(&path, text).expect("there is room");
        path.to_str().expect("it is text").to_owned()
    };
    let one = write("one.toml", SCENE);
    for (change, told) in [
        (
            ("to = \"2\"", "to = \"3\""),
            "after frame 30 body.velocity.0 of `crate` is 2.0 and 3.0",
        ),
        (
            ("[1, 0, 0]", "[1, 0, 4]"),
            "after frame 0 velocity.2 of `cart` is 0.0 and 4.0",
        ),
        (
            ("frame = 30", "frame = 31"),
            "after frame 30 body.velocity.0 of `crate` is 2.0 and 0.0",
        ),
        (
            ("name = \"cart\"", "name = \"kart\""),
            "after frame 0 name of `cart` is \"cart\" and \"kart\"",
        ),
        (
            (
                "frame = 30\ndo",
                "frame = 20\ndespawn = \"cart\"\n[[cues]]\nframe = 30\ndo",
            ),
            "after frame 20 only one of the two has `cart`",
        ),
    ] {
        let other = write("other.toml", &SCENE.replace(change.0, change.1));
        gerust()
            .args(["compare", &one, &other])
            .assert()
            .code(1)
            .stdout(contains(told))
            // Before the first frame nothing has written anything.
            .stdout(contains("as they were loaded").count(usize::from(told.contains("frame 0"))));
    }
    let other = write("other.toml", &SCENE.replace("to = \"2\"", "to = \"3\""));
    let json = json_of(gerust().args(["compare", &one, &other, "--format", "json"]));
    let difference = &json["difference"];
    assert_eq!(
        (&difference["frame"], &difference["component"]),
        (&30.into(), &"body".into())
    );
    assert_eq!(difference["writers"][0], "move: bodies");
    let action = "the action: change crate.body.velocity.x";
    assert_eq!(
        difference["written-by"],
        serde_json::json!([action, action])
    );
}

#[test]
fn settings_make_differences_and_bad_ones_are_reported() {
    gerust()
        .args(["compare", "scenes/quay.toml", "off=standard: spin"])
        .assert()
        .code(1)
        .stdout(
            contains("after frame 1 transform.rotation")
                .and(contains("written by").and(contains("standard: spin"))),
        );
    let short = SCENE.replace("frames = 60", "frames = 40");
    let folder = tempfile::tempdir().expect("there is room");
    let (long, cut) = (
        folder.path().join("long.toml"),
        folder.path().join("cut.toml"),
    );
    fs::write(&long, SCENE).expect("there is room");
    fs::write(&cut, short).expect("there is room");
    gerust()
        .arg("compare")
        .arg(&long)
        .arg(&cut)
        .assert()
        .code(2)
        .stderr(contains("one of the two ends after frame 40"));
    gerust()
        .args(["compare", "scenes/quay.toml", "speed=2"])
        .assert()
        .code(2)
        .stderr(contains("the settings are"));
    gerust()
        .args(["compare", "scenes/quay.toml", "off=foreman"])
        .assert()
        .code(2)
        .stderr(contains("unknown system `foreman`"));
    gerust()
        .args(["compare", "scenes/quay.toml"])
        .assert()
        .code(2)
        .stderr(contains("SCENE|RECORDING|SETTING"));
}

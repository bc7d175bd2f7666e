//! `gerust shrink`, driven for real.

mod common;

use common::{gerust, json_of};
use predicates::str::contains;
use std::fs;

const SCENE: &str = r#"
title = "something falls"
frames = 200

[parameters]
gulls = 5

[[entities]]
name = "gull"
arrange = { row = "= gulls", step = [1, 0, 0] }
components.velocity = [1, 0, 0]

[[entities]]
name = "crate"
body = { mass = 9 }

[[cues]]
time = 1
despawn = "gull-1"

[[expect]]
that = "always crate.position.y > -2"
"#;

#[test]
fn a_scene_is_made_small_beside_the_old_one() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("falls.toml");
    fs::write(&scene, SCENE).expect("there is room");
    gerust()
        .arg("shrink")
        .arg(&scene)
        .args(["--set", "gulls=2"])
        .assert()
        .code(0)
        .stdout(contains("falls.shrunk.toml: "))
        .stdout(contains(
            "wanted crate.position.y > -2 from frame 0 to frame 200",
        ));
    let small = folder.path().join("falls.shrunk.toml");
    let text = fs::read_to_string(&small).expect("it was written");
    assert!(
        !text.contains("gull") && text.contains("frames = 39"),
        "{text}"
    );
    gerust()
        .arg("run")
        .arg(&small)
        .assert()
        .code(1)
        .stdout(contains("1 failed"));
    assert_eq!(fs::read_to_string(&scene).expect("it is there"), SCENE);

    let other = folder.path().join("other.toml");
    let json = json_of(
        gerust()
            .arg("shrink")
            .arg(&scene)
            .arg("-o")
            .arg(&other)
            .args(["--runs", "3", "--format", "json"]),
    );
    assert_eq!(
        (&json["runs"], &json["is-smallest"]),
        (&3.into(), &false.into())
    );
    assert!(other.is_file());
}

#[test]
fn a_scene_that_cannot_be_reduced_is_reported() {
    gerust()
        .args(["shrink", "scenes/handover.toml"])
        .assert()
        .code(2)
        .stderr(contains(
            "scenes/handover.toml does not fail: all of its expectations hold",
        ));
    gerust()
        .args([
            "shrink",
            "scenes/visitors.toml",
            "-o",
            "/tmp/elsewhere.toml",
        ])
        .assert()
        .code(2)
        .stderr(contains("write the result into the same folder"));
    // The input is unchanged.
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("falls.toml");
    fs::write(&scene, SCENE).expect("there is room");
    for (command, option) in [("shrink", "-o"), ("run", "--record")] {
        gerust()
            .arg(command)
            .arg(&scene)
            .arg(option)
            .arg(&scene)
            .assert()
            .code(2)
            .stderr(contains("would be overwritten"));
        assert_eq!(fs::read_to_string(&scene).expect("it is there"), SCENE);
    }
    gerust()
        .args(["shrink", "scene/tests/broken/numbers.toml"])
        .assert()
        .code(2)
        .stderr(contains("numbers.toml"));
}

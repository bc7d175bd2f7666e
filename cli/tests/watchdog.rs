//! `gerust check` on scenes that exhaust something: they are reported, and all others are judged as ever.

mod common;

use common::{gerust, json_of};
use predicates::prelude::*;
use predicates::str::contains;
use roxmltree::Document;
use std::fs;

const STILL: &str =
    "title = 't'\nframes = 3\n[[entities]]\nname = 'mast'\n[[expect]]\ncount = { is = 1 }
frame = 3\n";
/// These take minutes on any machine.
const LONG: &str = "title = 't'\nframes = 9_000_000\n[[entities]]\nbody = { motion = 'dynamic' }\ncollider.size = [1, 1, 1]\n";
/// Planning and spawning these takes hundreds of megabytes.
const LARGE: &str = "title = 't'\nframes = 3\n[[entities]]\narrange = { grid = [100, 100, 90], step = [3, 3, 3] }\ncollider.size = [1, 1, 1]\n";

#[test]
fn a_scene_that_never_ends_is_stopped_and_reported() {
    let folder = tempfile::tempdir().expect("there is room");
    fs::write(folder.path().join("long.toml"), LONG).expect("there is room");
    fs::write(folder.path().join("still.toml"), STILL).expect("there is room");
    let junit = folder.path().join("results.xml");
    gerust()
        .arg("check")
        .arg(folder.path())
        .args(["--time-limit", "1", "--junit"])
        .arg(&junit)
        .assert()
        .code(2)
        .stdout(
            contains("it took longer than 1 s")
                .and(contains("still.toml: 1 held"))
                .and(contains("2 scenes: 1 ok, 0 failed, 1 faulty")),
        );
    let text = fs::read_to_string(&junit).expect("it was written");
    let document = Document::parse(&text).expect("it is XML");
    let errors = document
        .descendants()
        .filter(|node| node.has_tag_name("error"));
    let messages: Vec<&str> = errors
        .filter_map(|node| node.attribute("message"))
        .collect();
    assert_eq!(messages.len(), 1, "{text}");
    assert!(messages[0].contains("--time-limit"), "{text}");
}

#[cfg(target_os = "linux")]
#[test]
fn a_scene_that_takes_all_memory_is_stopped_and_reported() {
    let folder = tempfile::tempdir().expect("there is room");
    fs::write(folder.path().join("large.toml"), LARGE).expect("there is room");
    fs::write(folder.path().join("still.toml"), STILL).expect("there is room");
    gerust()
        .arg("check")
        .arg(folder.path())
        .args(["--memory-limit", "128"])
        .assert()
        .code(2)
        .stdout(
            contains("it used more than 128 MiB of memory")
                .and(contains("still.toml: 1 held"))
                .and(contains("2 scenes: 1 ok, 0 failed, 1 faulty")),
        );
}

#[test]
fn limits_are_passed_on_to_every_scene() {
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("still.toml");
    fs::write(&path, STILL).expect("there is room");
    let check = |arguments: &[&str]| gerust().arg("check").arg(&path).args(arguments).assert();
    let json = |frames: &str| {
        let limit = format!("frames={frames}");
        json_of(
            gerust()
                .arg("check")
                .arg(&path)
                .args(["--limit", &limit, "--format", "json"]),
        )
    };
    assert_eq!(json("3")["scenes"][0]["held"], 1);
    let faults = &json("2")["scenes"][0]["faults"];
    assert!(
        faults.to_string().contains("exceeds the limit of 2 frames"),
        "{faults}"
    );
    check(&["--limit", "frame=2"])
        .code(2)
        .stderr(contains("the limits are files, bytes, frames"));
    check(&["--jobs", "65535"])
        .code(2)
        .stderr(contains("65535 is not in 1..=256"));
    check(&["--jobs", "256"]).code(0);
    check(&["--time-limit", "0"]).code(2);
    check(&["--memory-limit", "1"]).code(2);
    gerust()
        .arg("run")
        .arg(&path)
        .args(["--limit", "frames=2"])
        .assert()
        .code(2)
        .stderr(contains("exceeds the limit of 2 frames"));
}

#[cfg(unix)]
#[test]
fn standard_input_is_read_once() {
    let json = json_of(
        gerust()
            .args(["check", "/dev/stdin", "--format", "json"])
            .write_stdin(STILL),
    );
    assert_eq!(json["scenes"][0]["held"], 1, "{json}");
}

#[test]
fn a_caller_with_arguments_of_its_own_checks_in_its_own_process() {
    // The program of this test does not know the command that judges a single scene.
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("still.toml");
    fs::write(&path, STILL).expect("there is room");
    let arguments = ["engine".into(), "check".into(), path.into_os_string()];
    let code = gerust_cli::run(&gerust_cli::Engine::standard(), arguments);
    assert_eq!(code, std::process::ExitCode::SUCCESS);
}

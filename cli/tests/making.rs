//! `gerust new`, driven for real. That what it makes builds and passes is a step of its own in `.ci/run`.

use assert_cmd::Command;
use predicates::prelude::*;
use predicates::str::contains;
use std::fs;

fn gerust() -> Command {
    Command::cargo_bin("gerust").expect("cargo has built it")
}

#[test]
fn a_crate_is_made_with_component_system_scene_and_test() {
    let folder = tempfile::tempdir().expect("there is room");
    let directory = folder.path().join("harbor");
    gerust()
        .arg("new")
        .arg(&directory)
        .assert()
        .code(0)
        .stdout(contains("a crate of your own engine").and(contains("cargo test")));
    for file in [
        "Cargo.toml",
        "src/lib.rs",
        "src/main.rs",
        "scenes/dry.toml",
        "tests/scenes.rs",
    ] {
        let text = fs::read_to_string(directory.join(file)).expect("it was made");
        assert!(!text.contains("own_engine"), "{file}");
    }
    let main = fs::read_to_string(directory.join("src/main.rs")).expect("it was made");
    assert!(main.lines().count() < 15 && main.contains("main_with(&[harbor::fuel])"));
}

#[test]
fn nothing_is_written_over_and_bad_names_are_reported() {
    let folder = tempfile::tempdir().expect("there is room");
    fs::write(folder.path().join("here.txt"), "x").expect("there is room");
    let taken = folder.path().join("taken");
    fs::create_dir_all(taken.join("inside")).expect("there is room");
    gerust()
        .arg("new")
        .arg(&taken)
        .assert()
        .code(2)
        .stderr(contains("is there already and not empty"));
    gerust()
        .arg("new")
        .arg(folder.path().join("Not A Name"))
        .assert()
        .code(2)
        .stderr(contains("`Not A Name` cannot be the name of a crate"));
    gerust()
        .arg("new")
        .arg(folder.path().join("lost"))
        .args(["--gerust", "no/such/place"])
        .assert()
        .code(2)
        .stderr(contains("say where they are by `--gerust DIR`"));
    assert!(!folder.path().join("lost").exists());
}

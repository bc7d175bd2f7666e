//! Recordings, driven for real.

#[path = "common/black_box.rs"]
mod black_box;
mod common;

use common::{gerust, json_of};
use predicates::prelude::*;
use predicates::str::contains;
use std::fs;
use std::path::{Path, PathBuf};
use tempfile::TempDir;

struct Folder(TempDir);

impl Folder {
    fn new() -> Self {
        Self(tempfile::tempdir().expect("there is room"))
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    /// A recording of a scene.
    fn record(&self, scene: &str, name: &str) -> PathBuf {
        let path = self.path(name);
        gerust()
            .args(["run", scene, "--record"])
            .arg(&path)
            .assert()
            .code(0)
            .stdout(contains("0 failed"));
        path
    }
}

fn text_of(topic: &[&str], file: &Path) -> String {
    let output = gerust().arg("inspect").arg(file).args(topic).output();
    let output = output.expect("it starts");
    assert!(output.status.success(), "{output:?}");
    String::from_utf8(output.stdout).expect("it is text")
}

#[test]
fn plan_systems_and_memory_are_reported_as_far_as_they_are_known() {
    let folder = Folder::new();
    let recording = folder.record("scenes/cranes.toml", "cranes.rec");
    let scene = Path::new("scenes/cranes.toml");
    let json = |file: &Path, topic: &[&str]| {
        let topic = [topic, &["--format", "json"]].concat();
        json_of(gerust().arg("inspect").arg(file).args(topic))
    };
    let [read, ran] = [&recording, scene].map(|file| json(file, &["plan"]));
    assert_eq!(
        (&read["measured"], &ran["measured"]),
        (&false.into(), &true.into())
    );
    assert_eq!(read["best-speed-up"], serde_json::Value::Null);
    for (read, ran) in read["phases"]
        .as_array()
        .expect("a list")
        .iter()
        .zip(ran["phases"].as_array().expect("a list"))
    {
        assert_eq!(
            (&read["phase"], &read["edges"]),
            (&ran["phase"], &ran["edges"])
        );
        assert_eq!(read["cost"], serde_json::Value::Null);
    }
    for graph in ["dot", "mermaid"] {
        let topic = ["plan", "--format", graph];
        assert_eq!(text_of(&topic, &recording), text_of(&topic, scene));
    }
    let [read, ran] = [&recording, scene].map(|file| json(file, &["systems", "--at", "50"]));
    let names = |value: &serde_json::Value| {
        let systems = value["systems"].as_array().expect("a list").iter();
        systems
            .map(|system| system["name"].to_string())
            .collect::<Vec<_>>()
    };
    assert_eq!(names(&read), names(&ran));
    assert!(text_of(&["systems"], &recording).contains("none of which ran"));
    let [read, ran] = [&recording, scene].map(|file| json(file, &["memory", "--at", "50"]));
    for same in ["frame", "entities", "used", "used-growth", "tables"] {
        assert_eq!(read[same], ran[same], "{same}");
    }
    assert_eq!(read["allocations"], serde_json::Value::Null);
    gerust()
        .arg("inspect")
        .arg(&recording)
        .args(["memory", "--at", "500"])
        .assert()
        .code(2)
        .stderr(contains("its last is 120"));
}

#[test]
fn any_frame_can_be_inspected_as_that_of_the_scene() {
    let folder = Folder::new();
    let recording = folder.record("scenes/quay.toml", "quay.rec");
    let scene = Path::new("scenes/quay.toml");
    for frame in ["0", "1", "240", "600"] {
        for topic in ["tree", "boxes", "entities"] {
            let topic = [topic, "--at", frame];
            assert_eq!(
                text_of(&topic, &recording),
                text_of(&topic, scene),
                "{topic:?}"
            );
        }
        let topic = ["entity", "truck-1", "--at", frame];
        assert_eq!(
            text_of(&topic, &recording),
            text_of(&topic, scene),
            "{topic:?}"
        );
    }
    // The first frame of a contact is not recorded.
    let touching = text_of(&["contacts", "--at", "200", "--of", "truck-1"], &recording);
    assert!(touching.contains("barrier"), "{touching}");
    gerust()
        .arg("explain")
        .arg(&recording)
        .args(["pair", "truck-1", "barrier", "--at", "200"])
        .assert()
        .code(0)
        .stdout(contains("0.0000 m deep along x"));
}

#[test]
fn entities_can_be_filtered() {
    let lines = |topic: &[&str]| {
        let text = text_of(topic, Path::new("scenes/quay.toml"));
        assert!(
            text.lines().all(|line| line.chars().count() <= 80),
            "{text}"
        );
        text
    };
    let with_body = lines(&[
        "entities", "--at", "0", "--having", "body", "--name", "truck",
    ]);
    assert!(with_body.starts_with("after frame 0: 3 of "), "{with_body}");
    assert!(with_body.contains("truck-2") && !with_body.contains("barge"));
    let in_layer = lines(&["entities", "--layer", "barge"]);
    assert!(in_layer.starts_with("after frame 600: 1 of "), "{in_layer}");
    let boxes = lines(&["boxes", "--name", "stack-a"]);
    assert!(
        boxes.contains("stack-a3") && !boxes.contains("stack-b1"),
        "{boxes}"
    );
    let tree = lines(&["tree", "--name", "trolley"]);
    assert!(
        tree.contains("spreader-1") && !tree.contains("portal-1"),
        "{tree}"
    );
    let systems = lines(&["systems", "--name", "bodies", "--at", "9"]);
    assert!(systems.starts_with("after frame 9: 1 systems"), "{systems}");
    assert!(
        systems.contains("writes") && systems.contains("Body"),
        "{systems}"
    );
    let json = json_of(gerust().args([
        "inspect",
        "scenes/quay.toml",
        "entity",
        "truck-1",
        "--at",
        "0",
        "--format",
        "json",
    ]));
    assert_eq!(json["components"]["name"], "truck-1");
    for (topic, told) in [
        (
            vec!["entities", "--having", "bodi"],
            "unknown component `bodi`; did you mean `body`? the registered components are `body`, ",
        ),
        (
            vec!["entity", "truck-9"],
            "unknown entity `truck-9` after frame 600; did you mean `truck-1`?",
        ),
        (vec!["entities", "--at", "900"], "the scene has 600 frames"),
    ] {
        let mut command = gerust();
        command.args(["inspect", "scenes/quay.toml"]).args(topic);
        command.assert().code(2).stderr(contains(told));
    }
}

#[test]
fn events_of_a_frame_are_listed() {
    let folder = Folder::new();
    let scene = folder.path("round.toml");
    let text = "title = 'r'\nframes = 120\n[[entities]]\nname = 'cart'\n\
                components.route = { waypoints = [[0.5, 0, 0], [9, 0, 0]], speed = 1 }\n";
    fs::write(&scene, text).expect("there is room");
    let scene = scene.to_str().expect("it is text");
    let recording = folder.record(scene, "round.rec");
    for file in [Path::new(scene), &recording] {
        let told = text_of(&["events", "--at", "30"], file);
        assert_eq!(
            told,
            "events of frame 30: 1\n\narrived          cart, is_last false, waypoint 0\n"
        );
        let none = text_of(&["events", "--at", "31"], file);
        assert_eq!(none, "no registered event was posted in frame 31\n");
    }
}

#[test]
fn recordings_are_compared_with_scenes_and_each_other() {
    let folder = Folder::new();
    let recording = folder.record("scenes/handover.toml", "one.rec");
    let same = folder.record("scenes/handover.toml", "two.rec");
    for other in [same.as_path(), Path::new("scenes/handover.toml")] {
        gerust()
            .arg("compare")
            .args([recording.as_path(), other])
            .assert()
            .code(0)
            .stdout(contains("no difference in"));
    }
    gerust()
        .arg("compare")
        .arg(&recording)
        .arg("scenes/gates.toml")
        .assert()
        .code(1)
        .stdout(contains("after frame 0 "));
    gerust()
        .arg("compare")
        .arg(&recording)
        .arg("threads=2")
        .assert()
        .code(2)
        .stderr(contains("a recording has run already"));
}

#[test]
fn a_recording_that_was_cut_off_is_read_up_to_there() {
    let folder = Folder::new();
    let whole = folder.record("scenes/handover.toml", "whole.rec");
    let bytes = fs::read(&whole).expect("it was written");
    let cut = folder.path("cut.rec");
    fs::write(&cut, &bytes[..bytes.len() / 2]).expect("there is room");
    gerust()
        .arg("inspect")
        .arg(&cut)
        .args(["entities"])
        .assert()
        .code(0)
        .stderr(contains("cut.rec is read up to frame ").and(contains("it is cut off at byte ")));
    gerust()
        .arg("inspect")
        .arg(&cut)
        .args(["tree", "--at", "100000"])
        .assert()
        .code(2)
        .stderr(contains("has no frame 100000: its last is "));
    // A recording given to a command for scenes is named as such.
    gerust()
        .arg("run")
        .arg(&whole)
        .assert()
        .code(2)
        .stderr(contains("is a recording"));
    gerust()
        .args([
            "run",
            "scenes/handover.toml",
            "--record",
            "no/such/folder/x.rec",
        ])
        .assert()
        .code(2)
        .stderr(contains("no/such/folder/x.rec cannot be written"));
}

#[test]
fn what_a_recording_holds_is_listed() {
    let folder = Folder::new();
    let black_box = folder.path("box.rec");
    black_box::write_black_box(&black_box);
    let text = text_of(&["recording"], &black_box);
    for line in [
        "low tide\n",
        "  frames          0 to 30, 0.50 s; 20 to 50 in the program\n",
        "  failed          frame 30: system `tide` panicked in phase Simulate of frame 50",
        "  missing         Unknown (not registered)\n",
        "  times           of 31 frames\n",
        "  state           exact in frame 0",
    ] {
        assert!(text.contains(line), "{line} in {text}");
    }
    let view =
        json_of(
            gerust()
                .arg("inspect")
                .arg(&black_box)
                .args(["recording", "--format", "json"]),
        );
    assert_eq!(
        (&view["last-frame"], &view["first-frame"]),
        (&30.into(), &20.into())
    );
    assert_eq!(view["reason"], serde_json::Value::Null, "it was asked for");

    let recorded = folder.record("scenes/cranes.toml", "cranes.rec");
    let text = text_of(&["recording"], &recorded);
    assert!(
        text.contains("  scene           scenes/cranes.toml\n"),
        "{text}"
    );
    assert!(!text.contains("in the program"), "{text}");
    assert!(!text.contains("  state"), "{text}");

    let refused = |file: &str, told: &str| {
        let mut command = gerust();
        command.args(["inspect", file, "recording"]);
        command.assert().code(2).stderr(contains(told.to_owned()));
    };
    refused("scenes/cranes.toml", "scenes/cranes.toml is no recording");
    refused("scenes/none.rec", "scenes/none.rec cannot be read");
}

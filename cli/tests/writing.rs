//! Commands write files whole or not at all, and never over what they read.

mod common;

use common::{gerust, json_of};
use predicates::str::contains;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;
use tempfile::TempDir;

const SCENE: &str = r#"
title = "a cart"
frames = 20
include = ["more.toml"]

[[entities]]
name = "cart"
collider = { size = [1, 1, 1] }
components.velocity = [6, 0, 0]

[[expect]]
that = "cart.position.x > 50"
"#;
const MORE: &str = "[[entities]]\nname = \"mast\"\n";

/// A folder with a scene of two files, a saved profile of it, and links to the file that it includes.
struct Place(TempDir);

impl Place {
    fn new() -> Self {
        let place = Self(tempfile::tempdir().expect("there is room"));
        fs::write(place.path("cart.toml"), SCENE).expect("there is room");
        fs::write(place.path("more.toml"), MORE).expect("there is room");
        gerust()
            .args(["profile", &place.arg("cart.toml"), "--save"])
            .arg(place.path("old.json"))
            .assert()
            .code(0);
        for ending in [
            "rec", "xml", "toml", "json", "csv", "png", "svg", "gltf", "html",
        ] {
            let link = place.path(&format!("hard.{ending}"));
            fs::hard_link(place.path("more.toml"), link).expect("links can be made");
        }
        place
    }

    fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn arg(&self, name: &str) -> String {
        self.path(name).display().to_string()
    }

    fn read(&self, name: &str) -> Vec<u8> {
        fs::read(self.path(name)).expect("it is there")
    }
}

/// Each command that writes a file, up to the name of the file, with the ending that it needs and its exit code if all goes well.
fn outputs(place: &Place) -> Vec<(Vec<String>, &'static str, i32)> {
    let scene = place.arg("cart.toml");
    let command = |words: &str| {
        let words = words.split(' ');
        words
            .map(|word| word.replace("SCENE", &scene))
            .collect::<Vec<_>>()
    };
    vec![
        (command("run SCENE --record"), "rec", 1),
        (command("check SCENE --junit"), "xml", 1),
        (command("shrink SCENE -o"), "toml", 0),
        (command("profile SCENE --save"), "json", 0),
        (command("profile SCENE --csv"), "csv", 0),
        (command("profile SCENE --trace"), "json", 0),
        (command("profile SCENE --plot"), "png", 0),
        (command("draw SCENE -o"), "png", 0),
        (command("draw SCENE -o"), "svg", 0),
        (command("export SCENE -o"), "gltf", 0),
        (command("report SCENE -o"), "html", 1),
    ]
}

fn temporary_files(folder: &Path) -> usize {
    let entries = fs::read_dir(folder).expect("it is there");
    let names = entries.map(|entry| entry.expect("it can be read").file_name());
    names
        .filter(|name| name.to_string_lossy().starts_with(".gerust-"))
        .count()
}

#[test]
fn no_output_overwrites_what_is_read_under_any_name() {
    let place = Place::new();
    for (command, ending, _) in outputs(&place) {
        gerust()
            .args(&command)
            .arg(place.path(&format!("hard.{ending}")))
            .assert()
            .code(2)
            .stderr(contains("is read by this command and would be overwritten"));
        assert_eq!(place.read("more.toml"), MORE.as_bytes(), "{command:?}");
    }
    for name in ["cart.toml", "more.toml"] {
        gerust()
            .args(["run", &place.arg("cart.toml"), "--record", &place.arg(name)])
            .assert()
            .code(2);
    }
    assert_eq!(place.read("cart.toml"), SCENE.as_bytes());
    let old = place.read("old.json");
    gerust()
        .args(["profile", &place.arg("cart.toml"), "--against"])
        .args([
            place.arg("old.json"),
            "--save".into(),
            place.arg("old.json"),
        ])
        .assert()
        .code(2)
        .stderr(contains("would be overwritten"));
    assert_eq!(place.read("old.json"), old);
    assert_eq!(temporary_files(place.0.path()), 0);
}

#[test]
fn a_missing_folder_and_a_device_are_refused_before_anything_runs() {
    let place = Place::new();
    for (command, ending, _) in outputs(&place) {
        let output = gerust()
            .args(&command)
            .arg(place.path(&format!("no/such.{ending}")))
            .assert()
            .code(2)
            .stderr(contains("cannot be written"))
            .get_output()
            .stdout
            .clone();
        assert!(output.is_empty(), "{command:?}");
    }
    gerust()
        .args(["profile", &place.arg("cart.toml"), "--csv", "/dev/null"])
        .assert()
        .code(2)
        .stderr(contains("is not a regular file"));
}

/// A limit on the size of files stands in for a full disk.
#[cfg(unix)]
#[test]
fn a_full_disk_leaves_the_old_file() {
    let place = Place::new();
    for (command, ending, code) in outputs(&place) {
        let target = place.path(&format!("target.{ending}"));
        fs::write(&target, "what was there before").expect("there is room");
        let tool = assert_cmd::cargo::cargo_bin!("gerust");
        let limited = |blocks: &str| {
            let script = format!("trap '' XFSZ; ulimit -f {blocks}; exec \"$@\"");
            let run = Command::new("sh")
                .args(["-c", &script, "sh"])
                .arg(tool)
                .args(&command)
                .arg(&target)
                .output();
            run.expect("there is a shell").status.code()
        };
        assert_eq!(limited("0"), Some(2), "{command:?}");
        let left = fs::read(&target).expect("it is there");
        assert_eq!(left, b"what was there before", "{command:?}");
        assert_eq!(limited("unlimited"), Some(code), "{command:?}");
        assert_ne!(fs::read(&target).expect("it is there"), left);
        assert_eq!(temporary_files(place.0.path()), 0, "{command:?}");
    }
}

#[cfg(unix)]
#[test]
fn bless_keeps_links_and_permissions() {
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().expect("there is room");
    let at = |name: &str| folder.path().join(name);
    let part = "[[expect]]\nthat = \"entities = 7\"\n\n[[expect]]\nthat = \"frame = 4\"\n";
    fs::write(at("part.toml"), part).expect("there is room");
    fs::set_permissions(at("part.toml"), fs::Permissions::from_mode(0o640)).expect("it is ours");
    std::os::unix::fs::symlink("part.toml", at("linked.toml")).expect("links can be made");
    for (name, included) in [("one.toml", "part.toml"), ("two.toml", "./linked.toml")] {
        let text = format!("title = 't'\nframes = 3\ninclude = ['{included}']\n");
        fs::write(at(name), text).expect("there is room");
    }
    let summary = json_of(
        gerust()
            .args(["check", "--bless", "--format", "json"])
            .args([at("one.toml"), at("two.toml")]),
    );
    assert_eq!((&summary["ok"], &summary["failed"]), (&2.into(), &0.into()));
    let blessed = fs::read_to_string(at("part.toml")).expect("it is there");
    assert_eq!(blessed, part.replace('7', "0").replace('4', "3"));
    assert!(at("linked.toml").is_symlink());
    let mode = fs::metadata(at("part.toml")).expect("it is there");
    assert_eq!(mode.permissions().mode() & 0o777, 0o640);
}

#[test]
fn files_that_may_be_scenes_are_reported() {
    let folder = tempfile::tempdir().expect("there is room");
    let files: [(&str, &[u8]); 6] = [
        ("latin.toml", b"title = \"\xe9\"\nframes = 3\n"),
        ("mac.toml", b"title = 'old'\rframes = 3\r"),
        ("quoted.toml", b"title = 't'\n\"frames\" = 3\n"),
        ("LOUD.TOML", b"title = 't'\nframes = 3\n"),
        ("marked.toml", b"\xef\xbb\xbfframes = 3\ntitle = 't'\n"),
        (
            "spaced.toml",
            b"title = 't'\n[[ expect ]]\nthat = 'frame = 3'\n",
        ),
    ];
    for (name, bytes) in files {
        fs::write(folder.path().join(name), bytes).expect("there is room");
    }
    fs::write(folder.path().join("other.toml"), "[package]\n").expect("there is room");
    let outcome = gerust().arg("check").arg(folder.path()).assert().code(2);
    let text = String::from_utf8_lossy(&outcome.get_output().stdout).into_owned();
    for (name, _) in files {
        assert!(text.contains(name), "{name} is not in\n{text}");
    }
    assert!(!text.contains("other.toml"));
}

/// A terminal or a viewer would take these names for commands or markup.
#[test]
fn control_characters_of_names_reach_no_output() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("loud.toml");
    let text = "title = \"a\\u001b[31mred\\u0007\"\nframes = 2\n[[entities]]\nname = \"mast\\u001b]0;x\\u0007\"\ncollider = { size = [1, 1, 1] }\n[[expect]]\nwhat = \"it\\u001b[2J clears\"\nthat = \"entities = 7\"\n";
    fs::write(&scene, text).expect("there is room");
    let faulty = folder.path().join("faulty.toml");
    fs::write(
        &faulty,
        "title = \"\\u001b[31m\"\nframes = 2\nlow\u{7f}d = 3\n",
    )
    .expect("there is room");
    let junit = folder.path().join("loud.xml");
    let picture = folder.path().join("loud.svg");
    let (scene, faulty) = (scene.display().to_string(), faulty.display().to_string());
    let (junit, picture) = (junit.display().to_string(), picture.display().to_string());
    for arguments in [
        vec!["run", &scene],
        vec!["run", &faulty],
        vec!["check", &scene, &faulty, "--junit", &junit],
        vec!["inspect", &scene, "entities"],
        vec!["inspect", &scene, "tree"],
        vec!["explain", &scene, "mast", "foreman"],
        vec!["draw", &scene, "-o", &picture],
        vec!["profile", &scene],
    ] {
        let output = gerust().args(&arguments).output().expect("it starts");
        for bytes in [&output.stdout, &output.stderr] {
            let text = String::from_utf8_lossy(bytes);
            let control = text
                .chars()
                .find(|&c| c.is_control() && !"\n\t".contains(c));
            assert_eq!(control, None, "{arguments:?}:\n{text:?}");
        }
    }
    for file in [junit, picture] {
        let text = fs::read_to_string(&file).expect("it was written");
        assert!(!text.contains(['\u{1b}', '\u{7}']), "{file}");
        roxmltree::Document::parse(&text).unwrap_or_else(|error| panic!("{file}: {error}"));
    }
}

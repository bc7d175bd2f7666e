//! The real command-line tool, on good and on bad input.

use common::{gerust, json_of, root};
use predicates::prelude::*;
use predicates::str::contains;
use serde_json::Value;
use std::path::Path;

mod common;

#[test]
fn run_prints_the_summary_and_exits_0() {
    gerust()
        .args(["run", "scenes/quay.toml"])
        .assert()
        .code(0)
        .stdout(
            contains("Night shift at the quay")
                .and(contains("frames        600"))
                .and(contains("entities      44 at the end"))
                .and(contains("expectations  14 held, 0 failed"))
                .and(contains("\u{1b}").not()),
        );
}

#[test]
fn a_debug_build_says_so_and_a_release_build_does_not() {
    let warning = contains("warning: this is a debug build");
    let run = gerust().args(["run", "scenes/quay.toml"]).assert();
    if cfg!(debug_assertions) {
        run.stderr(warning)
            .stdout(contains("  build         debug: "));
    } else {
        run.stderr("").stdout(contains("  build         release\n"));
    }
}

#[test]
fn a_changed_expectation_makes_run_exit_1_and_is_named() {
    let folder = tempfile::tempdir().expect("there is room");
    std::fs::create_dir(folder.path().join("quay")).expect("there is room");
    for part in ["", "/cranes", "/trucks", "/stacks", "/tide"] {
        let name = format!("quay{part}.toml");
        let text = std::fs::read_to_string(root().join("scenes").join(&name));
        let text = text
            .expect("it is there")
            .replace("is = [-26.7,", "is = [-20,");
        std::fs::write(folder.path().join(name), text).expect("there is room");
    }
    let path = folder.path().join("quay.toml");
    gerust().arg("run").arg(&path).assert().code(1).stdout(
        contains("13 held, 1 failed")
            .and(contains(
                "failed: it waits with its nose at the barrier, not in it",
            ))
            .and(contains(
                "wanted  `truck-1` within 0.001 m of (-20.000, 0.750, 4.000) at frame 234",
            ))
            .and(contains(
                "found   (-26.700, 0.750, 4.000), 6.7000 m away, at frame 234",
            )),
    );
}

#[test]
fn json_summaries_say_what_the_text_says() {
    let summary = json_of(gerust().args(["run", "scenes/quay.toml", "--format", "json"]));
    assert_eq!(summary["frames"], 600);
    assert_eq!(summary["held"], 14);
    assert_eq!(summary["failed"], 0);
    assert_eq!(summary["expectations"].as_array().map(Vec::len), Some(14));
    assert_eq!(summary["expectations"][0]["held"], true);
}

#[test]
fn parameters_are_set_for_every_command_that_takes_a_scene() {
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("row.toml");
    let text = "title = 'a row'\nframes = 2\n[parameters]\ncrates = 3\n[[entities]]\nname = 'crate'\narrange = { row = '= crates', step = [2, 0, 0] }\ncollider = { size = [1, 1, 1] }\n[[expect]]\nframe = 2\ncount = { is = '= crates' }\n";
    std::fs::write(&path, text).expect("there is room");
    let path = path.to_str().expect("it is text");
    let run = |arguments: &[&str]| gerust().args(arguments).assert();
    run(&["run", path]).code(0).stdout(contains("3 at the end"));
    run(&["run", path, "--set", "crates=50"])
        .code(0)
        .stdout(contains("50 at the end"));
    run(&["inspect", path, "boxes", "--set", "crates=7"])
        .code(0)
        .stdout(contains("crate-7"));
    run(&[
        "explain", path, "pair", "crate-1", "crate-9", "--set", "crates=9",
    ])
    .code(0)
    .stdout(contains("crate-9"));
    run(&["profile", path, "--set", "crates=8"])
        .code(0)
        .stdout(contains("8 entities"));
    run(&["run", path, "--set", "crates"])
        .code(2)
        .stderr(contains("write a name and a value"));
    run(&["run", path, "--set", "crats=5"])
        .code(2)
        .stdout("")
        .stderr(contains("did you mean `crates`?"));
    run(&["run", path, "--set", "crates=many"])
        .code(2)
        .stderr(contains("its default is a number"));
}

#[test]
fn faults_of_included_files_are_shown_in_their_own_lines() {
    let folder = tempfile::tempdir().expect("there is room");
    let write = |name: &str, text: &str| {
        std::fs::write(folder.path().join(name), text).expect("there is room")
    };
    write(
        "main.toml",
        "include = ['crates.toml']\ntitle = 'x'\nframes = 1\n",
    );
    write("crates.toml", "\n\n[[entities]]\nnaem = 'crate'\n");
    gerust()
        .arg("run")
        .arg(folder.path().join("main.toml"))
        .assert()
        .code(2)
        .stdout("")
        .stderr(
            contains("crates.toml:4:1")
                .and(contains("naem = 'crate'"))
                .and(contains("did you mean `name`?")),
        );
}

#[test]
fn each_file_of_typical_mistakes_exits_2_and_says_where_and_how_to_fix_it() {
    let said = [
        (
            "unknown-keys",
            "scene/tests/broken/unknown-keys.toml:6:1",
            "did you mean `name`?",
        ),
        (
            "unknown-names",
            "scene/tests/broken/unknown-names.toml:13:12",
            "did you mean `container`?",
        ),
        (
            "wrong-types",
            "scene/tests/broken/wrong-types.toml:6:29",
            "write a list of 3 values",
        ),
        (
            "parents",
            "portal → spreader → trolley → portal",
            "leave one of these parents out",
        ),
        (
            "not-toml",
            "scene/tests/broken/not-toml.toml:4:12",
            "fix the line",
        ),
        (
            "numbers",
            "`nan` is not a number that a scene can use",
            "write a finite number",
        ),
        (
            "cues-and-expectations",
            "this cue does 2 things",
            "which takes a list of several",
        ),
        (
            "boxes",
            "row 2 has 2 tiles, but row 1 has 3",
            "make all rows equally long",
        ),
        ("missing", "the key `frames` is missing", "`frames = 600`"),
    ];
    for (name, fault, fix) in said {
        for command in ["run", "profile"] {
            gerust()
                .args([command, &format!("scene/tests/broken/{name}.toml")])
                .assert()
                .code(2)
                .stdout("")
                .stderr(
                    contains(fault)
                        .and(contains(fix))
                        .and(contains("nothing was run")),
                );
        }
    }
}

#[test]
fn bad_usage_exits_2_and_help_exits_0() {
    gerust().assert().code(2);
    gerust()
        .args(["run"])
        .assert()
        .code(2)
        .stderr(contains("<SCENE>"));
    gerust()
        .args(["run", "no-such.toml"])
        .assert()
        .code(2)
        .stderr(contains("no-such.toml cannot be read"));
    gerust()
        .args(["run", "scenes"])
        .assert()
        .code(2)
        .stderr(contains("scenes cannot be read"));
    gerust().args(["fly"]).assert().code(2);
    for command in [
        "run", "check", "compare", "profile", "draw", "inspect", "explain", "import", "export",
        "schema",
    ] {
        let example = contains("Example: gerust").or(contains("Examples:\n  gerust"));
        gerust()
            .args([command, "--help"])
            .assert()
            .code(0)
            .stdout(example);
    }
}

#[test]
fn draw_writes_a_picture_of_the_size_with_the_scene_in_it() {
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("quay.png");
    gerust()
        .args(["draw", "scenes/quay.toml", "--at", "240,0", "-o"])
        .arg(&path)
        .assert()
        .code(0)
        .stdout(contains("frames 0, 240 of scenes/quay.toml"));
    let picture = image::open(&path).expect("it is a picture").into_rgb8();
    assert_eq!(picture.dimensions(), (1280, 800));
    let count = |wanted: [u8; 3]| picture.pixels().filter(|pixel| pixel.0 == wanted).count();
    // Text is painted at all, and so are a kinematic barge, dynamic trucks, sensors and contacts.
    let dark = picture
        .pixels()
        .filter(|pixel| pixel.0.iter().all(|&channel| channel < 110))
        .count();
    assert!(dark > 3_000, "ink: {dark}");
    assert!(count([0, 132, 120]) > 500, "teal");
    assert!(count([20, 90, 190]) > 50, "blue");
    assert!(count([176, 122, 0]) > 50, "ochre");
    assert!(count([213, 62, 0]) > 500, "vermilion");
}

#[test]
fn draw_knows_svg_and_other_sizes() {
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("quay.svg");
    gerust()
        .args(["draw", "scenes/quay.toml", "--size", "640x480", "-o"])
        .arg(&path)
        .assert()
        .code(0);
    let text = std::fs::read_to_string(&path).expect("it was written");
    assert!(text.contains("width=\"640\"") && text.contains("stack-turned"));
}

#[test]
fn draw_refuses_what_it_cannot_draw() {
    let folder = tempfile::tempdir().expect("there is room");
    let png = folder.path().join("quay.png");
    let draw = |at: &str, output: &Path| {
        let mut command = gerust();
        command
            .args(["draw", "scenes/quay.toml", "--at", at, "-o"])
            .arg(output);
        command.assert().code(2)
    };
    draw("601", &png).stderr(contains("there is no frame 601").and(contains("ends at frame 600")));
    draw("0,1,2,3,4,5,6", &png).stderr(contains("at most 6"));
    draw("0", &folder.path().join("quay.bmp")).stderr(contains("neither a .png nor a .svg"));
    draw("0", &folder.path().join("quay.gif")).stderr(contains("would be a picture that moves"));
    draw("0", &folder.path().join("no/such/quay.png")).stderr(contains("cannot be written"));
    draw("x", &png).stderr(contains("invalid value 'x'"));
    assert!(!png.exists());
}

#[test]
fn a_scene_without_boxes_can_be_drawn() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("empty.toml");
    std::fs::write(&scene, "title = \"nothing\"\nframes = 1\n").expect("there is room");
    let path = folder.path().join("empty.png");
    gerust()
        .arg("draw")
        .arg(&scene)
        .arg("-o")
        .arg(&path)
        .assert()
        .code(0);
    assert!(path.exists());
}

fn as_json(path: &Path) -> Value {
    let text = std::fs::read_to_string(path).expect("it is there");
    let table: toml::Table = text.parse().expect("it is TOML");
    serde_json::to_value(table).expect("TOML without dates and odd numbers is JSON")
}

#[test]
fn the_schema_takes_the_shipped_scenes_and_refuses_shapes_that_are_wrong() {
    let output = gerust().arg("schema").output().expect("it starts");
    let schema: Value = serde_json::from_slice(&output.stdout).expect("it prints JSON");
    let published =
        std::fs::read_to_string(root().join("docs/scene.schema.json")).expect("it is there");
    let published: Value = serde_json::from_str(&published).expect("it is JSON");
    assert_eq!(
        published, schema,
        "docs/scene.schema.json is stale: gerust schema > docs/scene.schema.json"
    );

    let validator = jsonschema::validator_for(&schema).expect("it is a schema");
    let mut scenes = 0;
    for entry in std::fs::read_dir(root().join("scenes")).expect("it is there") {
        let path = entry.expect("it can be read").path();
        if path
            .extension()
            .is_some_and(|extension| extension == "toml")
        {
            let scene = as_json(&path);
            let faults: Vec<String> = validator
                .iter_errors(&scene)
                .map(|error| error.to_string())
                .collect();
            assert!(faults.is_empty(), "{}: {faults:?}", path.display());
            scenes += 1;
        }
    }
    assert!(scenes > 0);
    for name in ["unknown-keys", "wrong-types", "missing"] {
        let scene = as_json(&root().join(format!("scene/tests/broken/{name}.toml")));
        assert!(!validator.is_valid(&scene), "{name}");
    }
}

#[cfg(unix)]
#[test]
fn a_reader_that_goes_away_is_no_fault() {
    let binary = assert_cmd::cargo::cargo_bin("gerust");
    let output = std::process::Command::new("sh")
        .arg("-c")
        .arg("\"$0\" schema | head -n 1; exit ${PIPESTATUS:-0}")
        .arg(binary)
        .output()
        .expect("there is a shell");
    assert_eq!(String::from_utf8_lossy(&output.stderr), "");
    assert_eq!(String::from_utf8_lossy(&output.stdout), "{\n");
}

#[test]
fn the_number_of_threads_does_not_change_the_outcome() {
    for threads in ["1", "2", "4"] {
        gerust()
            .args(["run", "scenes/quay.toml", "--threads", threads])
            .assert()
            .code(0)
            .stdout(contains("expectations  14 held, 0 failed"));
    }
    gerust()
        .args(["run", "scenes/quay.toml", "--threads", "0"])
        .assert()
        .code(2);
    gerust()
        .args(["run", "scenes/quay.toml", "--threads", "100000"])
        .assert()
        .code(2)
        .stderr(contains("cannot start 100000 threads").and(contains("ask for 1024 or fewer")));
}

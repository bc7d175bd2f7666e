//! The real command-line tool, on good and on bad input.

use assert_cmd::Command;
use predicates::prelude::*;
use predicates::str::contains;
use serde_json::Value;
use std::path::{Path, PathBuf};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// The tool, run in the root of the repository, so that paths in messages are short.
fn gerust() -> Command {
    let mut command = Command::cargo_bin("gerust").expect("cargo has built it");
    command.current_dir(root());
    command
}

fn json_of(command: &mut Command) -> Value {
    let output = command.output().expect("it starts");
    serde_json::from_slice(&output.stdout).expect("it prints JSON")
}

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
        run.stderr(warning);
    } else {
        run.stderr("");
    }
}

#[test]
fn a_changed_expectation_makes_run_exit_1_and_is_named() {
    let text = std::fs::read_to_string(root().join("scenes/quay.toml")).expect("it is there");
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("changed.toml");
    std::fs::write(&path, text.replace("is = [-26.7,", "is = [-20,")).expect("there is room");
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

    let profile = json_of(gerust().args(["profile", "scenes/quay.toml", "--format", "json"]));
    let names = profile["names"].as_array().expect("a list");
    let frame = &names[0];
    assert_eq!(
        (&frame["kind"], &frame["calls"]),
        (&"frame".into(), &600.into())
    );
    let of = |kind: &str| names.iter().filter(|name| name["kind"] == kind).count();
    assert_eq!(of("phase"), 5);
    assert!(of("system") >= 11);
    for name in names {
        let [median, percentile, worst] = ["median-ms", "percentile-95-ms", "worst-ms"]
            .map(|key| name[key].as_f64().expect("a number"));
        assert!(median <= percentile && percentile <= worst, "{name}");
    }
}

#[test]
fn the_profile_fits_into_80_columns() {
    let output = gerust()
        .args(["profile", "scenes/quay.toml"])
        .output()
        .expect("it starts");
    let text = String::from_utf8(output.stdout).expect("it prints text");
    assert!(text.contains("touch: contacts") && text.contains("move: bodies"));
    for line in text.lines() {
        assert!(line.chars().count() <= 80, "{line}");
    }
}

#[test]
fn each_file_of_typical_mistakes_exits_2_and_says_where_and_how_to_mend_it() {
    let said = [
        (
            "unknown-keys",
            "scenes/broken/unknown-keys.toml:6:1",
            "did you mean `name`?",
        ),
        (
            "unknown-names",
            "scenes/broken/unknown-names.toml:13:12",
            "did you mean `container`?",
        ),
        (
            "wrong-types",
            "scenes/broken/wrong-types.toml:6:29",
            "write a list of 3 values",
        ),
        (
            "parents",
            "portal → spreader → trolley → portal",
            "leave one of these parents out",
        ),
        (
            "not-toml",
            "scenes/broken/not-toml.toml:4:12",
            "mend the line",
        ),
        (
            "numbers",
            "`nan` is not a number that a scene can use",
            "write a finite number",
        ),
        (
            "cues-and-expectations",
            "this cue does 2 things",
            "write another cue",
        ),
        ("missing", "the key `frames` is missing", "`frames = 600`"),
    ];
    for (name, fault, mend) in said {
        for command in ["run", "profile"] {
            gerust()
                .args([command, &format!("scenes/broken/{name}.toml")])
                .assert()
                .code(2)
                .stdout("")
                .stderr(
                    contains(fault)
                        .and(contains(mend))
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
    for command in ["run", "profile", "draw", "schema"] {
        gerust()
            .args([command, "--help"])
            .assert()
            .code(0)
            .stdout(contains("Example: gerust"));
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
    draw("0", &folder.path().join("quay.gif")).stderr(contains("neither a .png nor a .svg"));
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
        let scene = as_json(&root().join(format!("scenes/broken/{name}.toml")));
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
fn inspect_plan_shows_order_reasons_and_cost() {
    gerust()
        .args(["inspect", "scenes/quay.toml", "plan", "--threads", "1"])
        .assert()
        .code(0)
        .stdout(
            contains("Night shift at the quay: 600 frames, 1 thread")
                .and(contains("  wave 3   move: boxes"))
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
        "there is no system named `mvoe`; the names are `standard: remember`, `standard: drift`",
    );
    refused(
        &["rows", "standard: spin", "bagre"],
        "there is no entity named `bagre` after frame 600; the names are `barge`",
    );
    refused(
        &["rows", "spin", "barge"],
        "there is no system named `spin`",
    );
    refused(
        &["rows", "standard: spin", "barge", "--at", "601"],
        "frame 601 cannot be asked about: the scene has 600 frames",
    );
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
        .stderr(contains("100000 threads cannot be had").and(contains("ask for 1024 or fewer")));
}

#[test]
fn inspect_tree_shows_who_hangs_where() {
    let output = gerust()
        .args(["inspect", "scenes/quay.toml", "tree", "--at", "240"])
        .output()
        .expect("it starts");
    let text = String::from_utf8(output.stdout).expect("it is text");
    assert!(
        text.lines().all(|line| line.chars().count() <= 80),
        "{text}"
    );
    for line in [
        "name                           local x       y       z world x       y       z",
        "rail                              0.00    0.00  -10.00    0.00    0.00  -10.00",
        "    trolley-1                     0.00   21.00   -3.00  -22.00   21.00  -13.00",
        "        turned 158.8° about 0.00 1.00 0.00",
    ] {
        assert!(
            text.lines().any(|shown| shown == line),
            "{line} is not in\n{text}"
        );
    }
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
        (Path::new("README.md"), "README.md: the file: it is no JSON"),
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

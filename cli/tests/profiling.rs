//! `gerust profile`, driven for real.

mod common;

use common::{gerust, json_of, root};
use gerust::prelude::*;
use gerust::profile;
use gerust_cli::Engine;
use image::{GenericImageView, Rgba};
use predicates::prelude::*;
use predicates::str::contains;
use serde_json::Value;
use std::path::Path;
use std::process::ExitCode;
use std::time::Duration;

const QUAY: &str = "scenes/quay.toml";

fn text_of(arguments: &[&str]) -> String {
    let output = gerust()
        .arg("profile")
        .args(arguments)
        .output()
        .expect("it starts");
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    String::from_utf8(output.stdout).expect("it prints text")
}

fn number(value: &Value, key: &str) -> f64 {
    value[key]
        .as_f64()
        .unwrap_or_else(|| panic!("{key} is not a number in {value}"))
}

#[test]
fn the_summary_has_all_figures_of_each_name() {
    let profile = json_of(gerust().args(["profile", QUAY, "--format", "json"]));
    assert_eq!(
        (
            &profile["frames"],
            &profile["warm-up"],
            &profile["frames-measured"]
        ),
        (&600.into(), &60.into(), &540.into())
    );
    let names = profile["names"].as_array().expect("a list");
    assert_eq!(
        (&names[0]["kind"], &names[0]["calls"]),
        (&"frame".into(), &540.into())
    );
    assert_eq!(profile["warm-up-names"][0]["calls"], 60);
    let of = |kind: &str| names.iter().filter(|name| name["kind"] == kind).count();
    assert_eq!(of("phase"), 6);
    assert!(of("system") >= 11 && of("part") >= 8);
    for name in names {
        let figures = [
            "median-ms",
            "percentile-95-ms",
            "percentile-99-ms",
            "worst-ms",
        ]
        .map(|key| number(name, key));
        assert!(figures.is_sorted(), "{name}");
        assert!(number(name, "self-ms") <= number(name, "total-ms"));
    }
    assert!(number(&profile["clock"], "read-ns") > 0.0);
    let counters = profile["counters"].as_array().expect("a list");
    let counter = |wanted: &str| {
        counters
            .iter()
            .find(|counter| counter["name"] == wanted)
            .expect("it is counted")
    };
    assert_eq!(counter("entities")["most"], 46);
    assert_eq!(counter("allocations")["median"], 0);
    assert!(number(counter("resident memory"), "median") > 1e6);
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
fn the_slowest_frame_is_reported_with_what_made_it_slow() {
    gerust()
        .args(["profile", "scenes/quay.toml"])
        .assert()
        .code(0)
        .stdout(contains("slowest frame ").and(contains(" more than the median: ")));
    // On one thread: what helpers take is not within the frame.
    let arguments = [
        "profile",
        "scenes/quay.toml",
        "--threads",
        "1",
        "--format",
        "json",
    ];
    let profile = json_of(gerust().args(arguments));
    let slowest = &profile["slowest-frame"];
    let names = profile["names"].as_array().expect("a list");
    assert_eq!(names[0]["worst-frame"], slowest["frame"]);
    assert_eq!(names[0]["worst-ms"], slowest["took-ms"]);
    let excess = slowest["excess"].as_array().expect("a list");
    assert!((1..=3).contains(&excess.len()));
    let more = |row: &Value| {
        let number = |key: &str| row[key].as_f64().expect("a number");
        number("self-ms") - number("median-self-ms")
    };
    assert!(excess.is_sorted_by(|a, b| more(a) >= more(b)));
    assert!(more(&excess[0]) > 0.0);
    // What names took themselves is all there is.
    let own: f64 = names
        .iter()
        .map(|row| row["self-ms"].as_f64().expect("a number"))
        .sum();
    let total = names[0]["total-ms"].as_f64().expect("a number");
    assert!((own - total).abs() < total * 1e-6, "{own} is not {total}");
}

#[test]
fn profiles_are_written_for_other_programs() {
    let folder = tempfile::tempdir().expect("there is room");
    let (trace, table) = (
        folder.path().join("quay.json"),
        folder.path().join("quay.csv"),
    );
    gerust()
        .args(["profile", "scenes/quay.toml", "--trace"])
        .arg(&trace)
        .arg("--csv")
        .arg(&table)
        .assert()
        .code(0)
        .stdout(contains("touch: contacts"));
    let text = std::fs::read_to_string(&trace).expect("it is there");
    let trace: Value = serde_json::from_str(&text).expect("it is JSON");
    let schema =
        std::fs::read_to_string(root().join("docs/trace.schema.json")).expect("it is there");
    let schema: Value = serde_json::from_str(&schema).expect("it is JSON");
    let validator = jsonschema::validator_for(&schema).expect("it is a schema");
    if let Err(error) = validator.validate(&trace) {
        panic!("at {}: {error}", error.instance_path());
    }
    let mut broken = trace.clone();
    broken["traceEvents"][9]["ts"] = Value::from("soon");
    assert!(!validator.is_valid(&broken));
    let events = trace["traceEvents"].as_array().expect("a list");
    let of = |category: &str| {
        events
            .iter()
            .filter(|event| event["cat"] == category)
            .count()
    };
    assert_eq!((of("frame"), of("phase") % 600), (600, 0));
    let table = std::fs::read_to_string(&table).expect("it is there");
    assert!(table.starts_with("frame,kind,name,thread,calls,nanoseconds,self_nanoseconds,build\n"));
    assert_eq!(
        table.matches("\n600,").count(),
        table.matches("\n300,").count()
    );
    for option in ["--trace", "--csv"] {
        gerust()
            .args(["profile", "scenes/quay.toml", option, "no-such-folder/x"])
            .assert()
            .code(2)
            .stdout("")
            .stderr(
                contains("no-such-folder/x cannot be written: No such file or directory")
                    .and(contains("name a file in a folder that is there"))
                    .and(contains(".gerust-").not()),
            );
    }
}

#[test]
fn exceeded_budgets_of_the_command_line_are_reported() {
    let roomy = text_of(&[QUAY, "--budget", "1000", "--budget", "move: bodies=500"]);
    assert!(roomy.contains("budget 1000 ms: 0 of 540 frames over; 60 more were warm-up"));
    assert!(roomy.contains("budgets of systems: move: bodies 0 of 540 frames over 500 ms\n"));
    let tight = text_of(&[
        QUAY,
        "--budget",
        "0.000001",
        "--budget",
        "move: bodies=0.000001",
    ]);
    assert!(tight.contains("540 of 540 frames over"));
    assert!(tight.contains("over budget: most frames are; what takes most of them is "));
    assert!(
        tight.contains("move: bodies 540 of 540 frames over 0.00 µs"),
        "{tight}"
    );
    let json = json_of(gerust().args([
        "profile",
        QUAY,
        "--format",
        "json",
        "--warm-up",
        "0",
        "--budget",
        "move: bodies=0.000001",
    ]));
    assert_eq!(json["warm-up"], 0);
    let names = json["names"].as_array().expect("a list");
    let bodies = names
        .iter()
        .find(|name| name["name"] == "move: bodies")
        .expect("it ran");
    assert_eq!(
        (
            number(bodies, "budget-ms") < 1.1e-6,
            &bodies["frames-over-budget"]
        ),
        (true, &600.into())
    );
}

#[test]
fn impossible_requests_are_reported_with_a_remedy() {
    let folder = tempfile::tempdir().expect("there is room");
    let broken = folder.path().join("broken.json");
    std::fs::write(&broken, "{").expect("there is room");
    let broken = broken.to_str().expect("it is text");
    for (arguments, wanted) in [
        (
            &["--versus", "speed=2"][..],
            "`speed=2` is neither a setting nor a scene file; the settings are `threads=NUMBER`",
        ),
        (
            &["--versus", "no/scene.toml"],
            "no/scene.toml cannot be read",
        ),
        (
            &["--versus", "off=foreman"],
            "unknown system `foreman`; the systems are",
        ),
        (
            &["--versus", "threads=1", "--save", "x.json"],
            "`--save` is for one run",
        ),
        (
            &["--against", "no/file.json"],
            "no/file.json cannot be read",
        ),
        (
            &["--against", broken],
            "is not a recorded profile: EOF while parsing an object at line 1",
        ),
        (&["--plot", "x.gif"], "x.gif is neither a .png nor a .svg"),
        (
            &["--plot", "no-such-folder/x.png"],
            "no-such-folder/x.png cannot be written",
        ),
        (
            &["--plot", "x.png", "--frame", "601"],
            "there is no profile of frame 601; choose one from 1 to 600",
        ),
        (&["--budget", "soon"], "write milliseconds above 0"),
        (
            &["--budget", "foreman=1"],
            "unknown system `foreman` in a budget; the systems are",
        ),
        (
            &["--warm-up", "600"],
            "after 600 frames of warm-up none of 600 is left",
        ),
    ] {
        let mut command = gerust();
        command.args(["profile", QUAY]).args(arguments);
        command.assert().code(2).stdout("").stderr(contains(wanted));
    }
}

/// A short scene: comparing profiles takes a debug build seconds for each 500 frames.
const BLAST: &str = "scenes/blast.toml";

#[test]
fn a_profile_is_compared_with_one_that_was_kept() {
    let folder = tempfile::tempdir().expect("there is room");
    let kept = folder.path().join("before.json");
    let kept = kept.to_str().expect("it is text");
    text_of(&[BLAST, "--save", kept]);
    let text = text_of(&[BLAST, "--against", kept]);
    assert!(text.contains("162 frames before, 162 after"));
    assert!(text.contains("nothing differs that is known: the same program, scene and machine"));
    assert!(text.contains("measured one after the other"));
    for line in text.lines() {
        assert!(line.chars().count() <= 80, "{line}");
    }
    // Another scene, on one thread.
    let text = text_of(&["scenes/shots.toml", "--threads", "1", "--against", kept]);
    assert!(
        text.contains("differs: scene: A gas bottle goes off"),
        "{text}"
    );
    assert!(text.contains("that of the medians, since the scenes differ"));
    let json = json_of(gerust().args([
        "profile",
        "scenes/shots.toml",
        "--against",
        kept,
        "--format",
        "json",
    ]));
    assert_eq!(json["paired"], false);
    let facts = json["differs"].as_array().expect("a list");
    assert!(facts.iter().any(|difference| difference["fact"] == "scene"));
}

#[test]
fn two_settings_are_measured_in_turn() {
    let arguments = [
        "profile",
        BLAST,
        "--versus",
        "off=touch: contacts",
        "--format",
        "json",
    ];
    let json = json_of(gerust().args(arguments));
    assert_eq!(json["paired"], true);
    let names = json["names"].as_array().expect("a list");
    let contacts = names
        .iter()
        .find(|name| name["name"] == "touch: contacts")
        .expect("it was there before");
    assert_eq!(contacts["shown"], "gone");
    // Which of two times is shorter is tested on made-up times; here, that both sides have them.
    let phase = names
        .iter()
        .find(|name| name["name"] == "Touch")
        .expect("its other system runs");
    for key in ["before-ms", "after-ms", "low", "high"] {
        assert!(number(phase, key) > 0.0, "{key} in {phase}");
    }
    let text = text_of(&[BLAST, "--versus", "serial-below=1000"]);
    assert!(text.contains("differs: serial below: 100 µs before, 1000 µs after"));
    assert!(text.contains("measured in turn, frame by frame"));
}

/// An engine with the given number of systems, one of which is slow now and then.
fn busy_engine(systems: u64) -> Engine {
    let mut engine = Engine::standard();
    engine.add_set_up(move |runtime| {
        for number in 0..systems {
            let system = System::named(&format!("quay work {number}")).takes::<Global<Clock>>();
            runtime.add_system(system.runs(move |clock| {
                profile::timed("sort crates", || {
                    if number == 0 {
                        let is_long = clock.frame() == 50;
                        std::thread::sleep(Duration::from_millis(if is_long { 60 } else { 3 }));
                    }
                });
            }))?;
        }
        Ok(())
    });
    engine
}

fn profile_in(folder: &Path, systems: u64, picture: &str, further: &[&str]) {
    let scene = folder.join("short.toml");
    let text = "title = 'a short shift'\nframes = 60\nbudget-ms = 6\nwarm-up = 6\n";
    std::fs::write(&scene, text).expect("there is room");
    let mut arguments = vec![
        "own-engine".into(),
        "profile".into(),
        scene.into_os_string(),
        "--plot".into(),
    ];
    arguments.push(folder.join(picture).into_os_string());
    arguments.extend(further.iter().map(Into::into));
    assert_eq!(
        gerust_cli::run(&busy_engine(systems), arguments),
        ExitCode::SUCCESS
    );
}

#[test]
fn pictures_show_frames_systems_and_threads() {
    let folder = tempfile::tempdir().expect("there is room");
    profile_in(folder.path(), 40, "shift.png", &["--size", "1280x800"]);
    for name in ["shift.png", "shift-systems.png", "shift-threads.png"] {
        let picture = image::open(folder.path().join(name)).expect("it was written");
        assert_eq!(picture.dimensions(), (1280, 800));
        // Text and axes are drawn in any case; a unit test counts what is drawn of a made-up profile.
        let paper = Rgba([250, 249, 245, 255]);
        assert!(
            picture
                .pixels()
                .filter(|&(.., pixel)| pixel != paper)
                .count()
                > 5_000,
            "{name}"
        );
    }
}

#[test]
fn pictures_can_be_vectors_of_a_chosen_frame() {
    let folder = tempfile::tempdir().expect("there is room");
    profile_in(
        folder.path(),
        2,
        "shift.svg",
        &["--frame", "7", "--size", "800x600"],
    );
    let read =
        |name: &str| std::fs::read_to_string(folder.path().join(name)).expect("it was written");
    let frames = read("shift.svg");
    assert!(frames.contains("width=\"800\" height=\"600\"") && frames.contains("warm-up"));
    // The slow frame is marked and named in the legend.
    assert!(frames.contains("frame over the budget") && frames.contains("quay work 0"));
    assert!(read("shift-systems.svg").contains("quay work 1"));
    let threads = read("shift-threads.svg");
    assert!(threads.contains("what ran where in frame 7,"));
    assert!(threads.contains("critical path,"));
}

//! Expectations in the language of scene files.

use crate::common::runtime;
use gerust_scene::{Outcome, Registry, Report, Scene, SceneError};
use serde::{Deserialize, Serialize};

#[derive(Clone, Serialize, Deserialize)]
struct Load {
    tonnes: f32,
    seals: Vec<u32>,
    owner: String,
}

#[derive(Clone, Default)]
struct Sealed;

/// A crate falls from 5 m onto a quay, a pallet hangs below a hook, and a gull goes at frame 30.
const YARD: &str = r#"
title = "expectations"
frames = 120

[parameters]
height = 5
short = 20

[templates.gull]

[[entities]]
name = "quay"
transform = { translation = [0, -0.5, 0] }
collider = { size = [20, 1, 20] }

[[entities]]
name = "crate-1"
transform = { translation = [0, "= height", 0] }
collider = { size = [1, 1, 1] }
body = { mass = 40 }
components.load = { tonnes = 2.5, seals = [7, 8], owner = "nobody" }
components.sealed = true

[[entities]]
name = "zone"
transform = { translation = [0, 1, 0] }
collider = { size = [4, 4, 4], kind = "sensor" }

[[entities]]
name = "hook"
transform = { translation = [8, 9, 0] }
components.velocity = [1, 0, 0]

[[entities.children]]
name = "pallet"

[[entities]]
name = "gull"
template = "gull"
arrange = { row = 3, step = [1, 0, 0] }

[[cues]]
frame = 30
despawn = "gull-3"
"#;

fn registry() -> Registry {
    let mut registry = Registry::standard();
    registry.register::<Load>("load");
    registry.register_tag::<Sealed>("sealed");
    registry
}

fn parse(that: &str) -> Result<Scene, SceneError> {
    let that = that.replace('\\', "\\\\").replace('"', "\\\"");
    let text = format!("{YARD}\n[[expect]]\nwhat = \"it\"\nthat = \"{that}\"\n");
    Scene::parse(&text, "yard.toml", &registry())
}

fn report(that: &str) -> Report {
    let scene = parse(that).unwrap_or_else(|error| panic!("{that}: {error}"));
    scene.run(runtime()).expect("nothing fails")
}

fn outcome(that: &str) -> Outcome {
    report(that).outcomes()[0].clone()
}

#[test]
fn every_form_holds_and_fails() {
    for (holds, fails) in [
        (
            "crate-1.position.y = 5 at frame 0",
            "crate-1.position.y = 5 at frame 1",
        ),
        (
            "crate-1.position = (0, 0.5, 0) within 0.01",
            "crate-1.position = (0, 0.5, 0.1) within 0.01",
        ),
        (
            "crate-1.position.y = height at 0 s",
            "crate-1.position.y = height + 1 at 0 s",
        ),
        (
            "crate-1.body.velocity.y < -1 at frame 30",
            "crate-1.body.velocity.y < -100 at frame 30",
        ),
        (
            "crate-1.body.mass = 40 and crate-1.body.motion = \"dynamic\"",
            "crate-1.body.mass = 41",
        ),
        (
            "crate-1.collider.on and zone.collider.kind = \"sensor\"",
            "not crate-1.collider.on",
        ),
        ("crate-1.load.tonnes > 2", "crate-1.load.tonnes > 3"),
        (
            "crate-1.load.seals.1 = 8 and crate-1.load.owner = \"nobody\"",
            "crate-1.load.seals.0 = 8",
        ),
        ("crate-1.sealed", "quay.sealed"),
        ("hook.velocity.x = 1", "hook.velocity.x != 1"),
        (
            "hook.transform.translation.x = 10 within 0.001 at 2 s",
            "hook.transform.translation.x = 10 within 0.001 at 1 s",
        ),
        (
            "crate-1 touches quay by 2 s",
            "crate-1 touches quay by frame short",
        ),
        ("crate-1 stands on quay", "crate-1 stands on zone"),
        ("crate-1 is inside zone", "zone is inside crate-1"),
        ("`hook/pallet` is under hook", "hook is under `hook/pallet`"),
        (
            "`hook/pallet`.parent = \"hook\"",
            "`hook/pallet`.parent = \"quay\"",
        ),
        ("gull-1.template = \"gull\"", "gull-1.template = \"pallet\""),
        ("gull-3 exists at frame 29", "gull-3 exists at frame 30"),
        ("not gull-3 exists", "gull-3 exists"),
        ("count of gull = 2", "count of gull = 3"),
        ("entities = 7", "entities > 7"),
        ("contacts of crate-1 = 2", "contacts of crate-1 = 1"),
        ("leftovers = 0 and contacts >= 2", "leftovers > 0"),
        ("frame = 120 and time = 2 within 1e-6", "time < 1"),
        (
            "always crate-1.position.y > 0.49",
            "always crate-1.position.y > 0.6",
        ),
        (
            "never crate-1.position.y < 0.49",
            "never crate-1 touches quay",
        ),
        (
            "crate-1 touches quay from 1.5 s to 2 s",
            "crate-1 touches quay from frame 10 to 2 s",
        ),
        (
            "crate-1 stands on quay for 0.5 s",
            "crate-1 stands on quay for 1.9 s",
        ),
        ("gull-3 exists for 30 frames", "gull-3 exists for 31 frames"),
        (
            "length(crate-1.body.velocity) < 0.01",
            "length(crate-1.body.velocity) > 0.01",
        ),
        (
            "distance(crate-1.position, hook.position) > 10",
            "distance(crate-1.position, hook.position) < 10",
        ),
        (
            "crate-1.position - hook.position = (-10, -8.5, 0) within 0.01",
            "2 * crate-1.position = (0, 0.5, 0) within 0.01",
        ),
    ] {
        let outcome_of = outcome(holds);
        assert!(outcome_of.held(), "{holds}: {outcome_of}");
        let outcome_of = outcome(fails);
        assert!(!outcome_of.held(), "{fails}: {outcome_of}");
    }
}

#[test]
fn a_failure_says_when_and_what_was_there() {
    let failed = outcome("always crate-1.position.y > 0.501");
    assert_eq!(failed.wanted(), "crate-1.position.y > 0.501");
    assert_eq!(failed.when(), "from frame 0 to frame 120");
    assert!((50..70).contains(&failed.frame()), "{failed}");
    assert!(
        failed.measured().starts_with("crate-1.position.y is 0.5"),
        "{failed}"
    );
    // The measured values of the frames before, the last of them right before.
    let before = failed.before();
    assert_eq!(before.len(), 4);
    assert_eq!(before[3].0 + 1, failed.frame());
    assert!(before[0].1.starts_with("crate-1.position.y is "));
    assert!(
        failed
            .touching()
            .is_some_and(|told| told.contains("`crate-1` touches ") && told.contains("quay"))
    );
}

#[test]
fn what_has_gone_fails_with_its_name_and_never_holds() {
    let gone = outcome("gull-3.position.y = 0");
    assert!(!gone.held());
    assert_eq!(gone.measured(), "there is no `gull-3`");
    assert!(outcome("never gull-3.position.y > 0").held());
    let lacking = outcome("quay.load.tonnes > 1");
    assert_eq!(lacking.measured(), "`quay` has no load");
    let deep = outcome("crate-1.load.weight > 1");
    assert!(
        deep.measured()
            .starts_with("there is no `crate-1.load.weight`: `load` of `crate-1` is {"),
        "{deep}"
    );
    let whole = outcome("crate-1.load = 1");
    assert!(
        whole
            .measured()
            .starts_with("`crate-1.load` is no single value but"),
        "{whole}"
    );
}

#[test]
fn slips_are_faults_at_their_characters() {
    let line = YARD.lines().count() + 4;
    for (that, column, wanted) in [
        (
            "crate-1 touches kay",
            9,
            "unknown entity `kay`; did you mean `quay`?",
        ),
        (
            "crat-1.position.y > 2",
            9,
            "unknown entity `crat-1`; did you mean `crate-1`?",
        ),
        (
            "crate-1.positon.y > 2",
            9,
            "unknown component `positon`; did you mean `position`?",
        ),
        (
            "count of gul = 3",
            9,
            "unknown template `gul`; did you mean `gull`?",
        ),
        (
            "crate-1 = 3",
            9,
            "`crate-1` is an entity and no value; name something of it, such as `crate-1.position.x`",
        ),
        (
            "hight = 3",
            9,
            "`hight` stands for nothing; did you mean `height`?",
        ),
        (
            "count of gull",
            9,
            "this is a value, not a condition; compare it with another",
        ),
        (
            "crate-1.position.x + 1",
            9,
            "this is a value, not a condition",
        ),
        (
            "crate-1 touches quay at",
            32,
            "the text ends too early; write a time such as `3 s` or `frame 180`",
        ),
        (
            "crate-1 touches quay at 3",
            34,
            "the text ends too early; write `s` or `frames`",
        ),
        (
            "crate-1 touches quay at 3 s s",
            37,
            "`s` was not expected here",
        ),
        (
            "crate-1 touches quay at 30 s",
            33,
            "this is frame 1800, but the scene ends at frame 120; move it, or raise `frames`",
        ),
        (
            "crate-1 touches quay at -1 s",
            33,
            "`-1` was not expected here; write a time such as `3 s` or `frame 180`",
        ),
        (
            "crate-1 touches quay from 2 s to 1 s",
            35,
            "frame 120 comes after frame 60; swap the two",
        ),
        (
            "crate-1 touches quay at frame 1.5",
            39,
            "1.5 is not a frame number",
        ),
        (
            "crate-1 touches",
            24,
            "the text ends too early; write the name of an entity",
        ),
        ("always", 15, "the text ends too early"),
        (
            "crate-1 touches quay sometimes",
            30,
            "`sometimes` was not expected here; write an operator, `at`, `by`, `from`, `for` or the end",
        ),
    ] {
        let error = parse(that).expect_err(that);
        let [fault] = error.faults() else {
            panic!("{that}: {error}");
        };
        let told = format!("{}; {}", fault.message(), fault.fix());
        assert!(told.starts_with(wanted), "{that}: {told}");
        assert_eq!((fault.line(), fault.column()), (line, column), "{that}");
    }
}

#[test]
fn that_stands_alone() {
    let text = format!(
        "{YARD}\n[[expect]]\nthat = 'crate-1 touches quay'\nframe = 3\ncount = {{ is = 1 }}\n"
    );
    let error = Scene::parse(&text, "yard.toml", &registry()).expect_err("it is at fault");
    assert_eq!(error.faults().len(), 2);
    assert!(
        error.faults()[0]
            .message()
            .starts_with("`that` has a condition and a time")
    );
}

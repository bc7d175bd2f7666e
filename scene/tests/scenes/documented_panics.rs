//! Calls that panic, as the `# Panics` sections of the public interface say; the list is complete.

#[path = "../../../tests/documented_panics/compare.rs"]
mod compare;

use compare::{Call, assert_complete, assert_panics};
use gerust::Runtime;
use gerust_scene::{Act, EntityDraft, Registry, SceneDraft};
use std::collections::BTreeMap;
use std::path::Path;

/// A map whose keys are not texts: JSON cannot express it.
fn map() -> BTreeMap<[u8; 2], u8> {
    BTreeMap::from([([1, 2], 3)])
}

fn calls() -> Vec<Call> {
    let mut calls: Vec<Call> = Vec::new();
    let mut call = |name, message, work: fn()| calls.push((name, message, work));
    call("emit", "key must be a string", || {
        drop(Act::emit("worn", &map()))
    });
    call("own", "key must be a string", || {
        drop(Act::own("raise", &map()))
    });
    call("key", "key must be a string", || {
        drop(EntityDraft::named("crate").key("transform", map()));
    });
    call("with", "key must be a string", || {
        drop(EntityDraft::named("crate").with("wear", &map()));
    });
    call("setting", "key must be a string", || {
        drop(SceneDraft::new("t", 1).setting("step", map()));
    });
    call("parameter", "key must be a string", || {
        drop(SceneDraft::new("t", 1).parameter("rate", map()));
    });
    call("assert_all_held", "crate.position.x", || {
        let draft = SceneDraft::new("t", 1).entity(EntityDraft::named("crate"));
        let scene = draft
            .expect("crate.position.x = 1")
            .build(&Registry::standard());
        let report = scene.expect("it is one").run(Runtime::new());
        report.expect("it runs").assert_all_held();
    });
    calls
}

#[test]
fn calls_panic_as_their_documentation_says() {
    assert_panics(&calls());
}

#[test]
fn every_documented_panic_is_tested() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    assert_complete(&folder, 7, &calls(), &[]);
}

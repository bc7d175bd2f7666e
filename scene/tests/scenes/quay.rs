//! The demo scene: each of its expectations can fail.

use crate::common::{runtime, shipped};
use gerust_scene::{Registry, Scene};

/// Each of these changes to the quay makes exactly one expectation fail, and the report names it.
#[test]
fn every_expectation_of_the_quay_can_fail() {
    let folder = shipped();
    let files = [
        "quay.toml",
        "quay/cranes.toml",
        "quay/trucks.toml",
        "quay/stacks.toml",
        "quay/tide.toml",
    ];
    let texts = files.map(|file| std::fs::read_to_string(folder.join(file)).expect("it is there"));
    let changes = [
        // (what is changed, to what, the expectation that fails)
        (
            "by-time = 3.0\ntouching",
            "by-time = 1.0\ntouching",
            "truck-1 runs up to the barrier",
        ),
        (
            "is = [-26.7, 0.75, 4]",
            "is = [-26.6, 0.75, 4]",
            "it waits with its nose",
        ),
        (
            "apart = [\"truck-1\", \"light-gate\"]",
            "touching = [\"truck-1\", \"light-gate\"]",
            "the light gate does not see it",
        ),
        (
            "by-time = 6.0\ntouching = [\"truck-1\"",
            "by-time = 4.1\ntouching = [\"truck-1\"",
            "then it passes the light gate",
        ),
        (
            "by-time = 9.0",
            "by-time = 4.5",
            "and crosses the weigh pad",
        ),
        (
            "is = [-20, 11.5, -10]",
            "is = [-20, 11.5, -9]",
            "portal, trolley and spreader",
        ),
        (
            "0.0, -2.1749, 0.0",
            "0.0, -2.17, 0.0",
            "the load is set down on truck-2",
        ),
        (
            "velocity = [0, 0.1, 0]",
            "velocity = [0, 0.2, 0]",
            "the cargo rises with the barge",
        ),
        (
            "velocity = [6, 2, 0]",
            "velocity = [-6, 2, 0]",
            "the first pallet lands on stack a",
        ),
        (
            "apart = [\"pallet-2\", \"stack-a3\"]",
            "touching = [\"pallet-2\", \"stack-a3\"]",
            "the second flies over",
        ),
        (
            "translation = [18, 1.3, 12]",
            "translation = [16, 1.3, 12]",
            "the stacks keep clear",
        ),
        ("is = 12", "is = 13", "all gulls are there"),
        (
            "components.lifetime = 5.0",
            "components.lifetime = 6.0",
            "and one is gone after that",
        ),
        (
            "at-least = 40",
            "at-least = 45",
            "nothing is spawned or lost",
        ),
    ];
    let count = |part: &str| -> usize { texts.iter().map(|text| text.matches(part).count()).sum() };
    assert_eq!(changes.len(), count("[[expect]]"));
    let copy = tempfile::tempdir().expect("there is room");
    std::fs::create_dir(copy.path().join("quay")).expect("there is room");
    for (from, to, what) in changes {
        assert_eq!(count(from), 1, "{from}");
        for (file, text) in files.iter().zip(&texts) {
            std::fs::write(copy.path().join(file), text.replace(from, to)).expect("there is room");
        }
        let scene = Scene::load(copy.path().join("quay.toml"), &Registry::standard());
        let scene = scene.expect("a change of a number is no fault");
        let report = scene.run(runtime()).expect("no system fails");
        let failed: Vec<&str> = report
            .outcomes()
            .iter()
            .filter(|outcome| !outcome.held())
            .filter_map(|outcome| outcome.what())
            .collect();
        assert_eq!(failed.len(), 1, "{to}: {report}");
        assert!(failed[0].starts_with(what), "{to}: {report}");
    }
}

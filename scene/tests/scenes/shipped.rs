//! The scenes that are shipped, each as a test.

use crate::common::{parse, runtime, shipped};
use gerust_scene::{Registry, Scene};

gerust_scene::scene_tests! {
    runtime: runtime(),
    registry: Registry::standard(),
    afloat: "../scenes/afloat.toml",
    blast: "../scenes/blast.toml",
    bounce: "../scenes/bounce.toml",
    collapse: "../scenes/collapse.toml",
    cranes: "../scenes/cranes.toml",
    gatehouse: "../scenes/gatehouse.toml",
    gates: "../scenes/gates.toml",
    hands: "../scenes/hands.toml",
    handover: "../scenes/handover.toml",
    launcher: "../scenes/launcher.toml",
    pit: "../scenes/pit.toml",
    quay: "../scenes/quay.toml",
    reach: "../scenes/reach.toml",
    shots: "../scenes/shots.toml",
    stacks: "../scenes/stacks.toml",
    survey: "../scenes/survey.toml",
    visitors: "../scenes/visitors.toml",
    visiting_barge: "../scenes/visitors/barge.toml",
    visiting_lorry: "../scenes/visitors/lorry.toml",
    voyage: "../scenes/voyage.toml",
    yard: "../scenes/yard.toml",
}

fn all_scenes() -> Vec<std::path::PathBuf> {
    let entries = std::fs::read_dir(shipped()).expect("it is there");
    entries
        .map(|entry| entry.expect("it can be read").path())
        .filter(|path| path.is_file())
        .collect()
}

#[test]
fn none_is_left_out_and_each_says_what_it_shows() {
    let own = include_str!("shipped.rs");
    for path in all_scenes() {
        let name = path
            .file_name()
            .expect("it is a file")
            .to_string_lossy()
            .into_owned();
        assert!(
            own.contains(&format!("\"../scenes/{name}\"")),
            "{name} is not tested"
        );
        let text = std::fs::read_to_string(&path).expect("it can be read");
        let lines = text.lines().count();
        assert!(lines < 120, "{name} has {lines} lines");
        assert!(
            text.starts_with("# "),
            "{name} does not begin with a comment"
        );
    }
}

/// A failure must not pass because the test that would notice it does nothing.
#[test]
fn an_expectation_that_fails_fails_the_test() {
    let text = "title = 'x'\nframes = 2\n[[expect]]\nwhat = 'nothing'\nthat = 'entities = 1'\n";
    let scene = parse(text).expect("it is fine");
    let report = scene.run(runtime()).expect("nothing fails");
    let panic =
        std::panic::catch_unwind(|| report.assert_all_held()).expect_err("it does not hold");
    let message = panic.downcast_ref::<String>().expect("it is a text");
    assert!(
        message.contains(
            "nothing: failed at frame 2: wanted entities = 1 at frame 2, found: entities is 0"
        ),
        "{message}"
    );
}

#[cfg(feature = "parallel")]
#[test]
fn every_scene_comes_out_the_same_on_any_number_of_threads() {
    for path in all_scenes() {
        let scene = Scene::load(&path, &Registry::standard()).expect("it is shipped without fault");
        // Longer scenes are left to the long form.
        if scene.frames() > 660 && !cfg!(feature = "stress") {
            continue;
        }
        let digest = |threads: usize| {
            let mut runtime = runtime();
            runtime.set_threads(threads).expect("there are as many");
            runtime.set_serial_below(std::time::Duration::ZERO);
            let mut run = scene.start(runtime).expect("it fits");
            let mut digests = vec![run.runtime().world().digest().expect("all can be written")];
            while run.run_frame().expect("nothing fails") {
                if run.frame().is_multiple_of(50) {
                    digests.push(run.runtime().world().digest().expect("all can be written"));
                }
            }
            digests
        };
        let alone = digest(1);
        assert!(
            alone.windows(2).any(|pair| pair[0] != pair[1]),
            "nothing happens in {}",
            path.display()
        );
        assert_eq!(alone, digest(3), "{}", path.display());
        if cfg!(feature = "stress") {
            assert_eq!(alone, digest(2), "{}", path.display());
            assert_eq!(alone, digest(4), "{}", path.display());
        }
    }
}

#[test]
fn the_quay_and_the_yard_leave_no_overlaps() {
    for name in ["quay", "yard"] {
        let path = shipped().join(format!("{name}.toml"));
        let scene = Scene::load(path, &Registry::standard()).expect("it is shipped without fault");
        let report = scene.run(runtime()).expect("nothing fails");
        assert_eq!(report.leftovers().frames, 0, "{:?}", report.leftovers());
    }
}

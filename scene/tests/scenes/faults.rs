//! Faults of scene files: all are reported, each at its place, and no text makes the reader panic.

use crate::common::{faults_of, parse, runtime};
use gerust_scene::{Registry, Scene};
use proptest::prelude::*;
use std::path::Path;

fn faults(text: &str) -> Vec<String> {
    faults_of(&parse(text).expect_err("the scene is at fault"))
}

#[test]
fn all_faults_are_reported_together_each_at_its_place() {
    let text = "title = \"x\"\nframes = 5\nstep = 0\n\n[[entities]]\nname = \"a\"\nparent = \"b\"\nbody = { velocity = [1, 2] }\n\n[[expect]]\nframe = 6\ntouching = [\"a\", \"ä\"]\n";
    assert_eq!(
        faults(text),
        [
            "3:8 a step of 0 s goes nowhere",
            "7:10 unknown entity `b`",
            "8:21 a list of 2 was found where a list of 3 values is wanted",
            "11:9 this is frame 6, but the scene ends at frame 5",
            "12:18 unknown entity `ä`",
        ]
    );
}

#[test]
fn a_faulty_value_is_not_reported_as_missing_as_well() {
    assert_eq!(
        faults("title = 1\nframes = []\n[[cues]]\nframe = \"x\"\ndespawn = 3\n"),
        [
            "1:9 1 was found where a text in quotes is wanted",
            "2:10 a list in brackets was found where a whole number that is not negative is wanted",
            "4:9 the text \"x\" was found where a whole number that is not negative is wanted",
            "5:11 3 was found where a text in quotes is wanted",
        ]
    );
}

#[test]
fn numbers_that_are_not_finite_are_refused_wherever_they_stand() {
    assert_eq!(
        faults(
            "title = \"x\"\nframes = 5\n[[entities]]\ncomponents.velocity = [0, nan, 0]\ntransform = { translation = [0, -inf, 1e39] }\n"
        ),
        [
            "4:27 `nan` is not a number that a scene can use",
            "5:33 `-inf` is not a number that a scene can use",
            "5:39 `1e39` is not a number that a scene can use",
        ]
    );
}

#[test]
fn user_components_are_read_and_their_faults_located() {
    #[derive(Clone, serde::Serialize, serde::Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Load {
        #[allow(dead_code, reason = "only read by serde here")]
        tonnes: f32,
    }
    let mut registry = Registry::new();
    registry.register::<Load>("load");
    let text = "title = \"x\"\nframes = 1\n[[entities]]\ncomponents.load = { tons = 3 }\n";
    let error = Scene::parse(text, "x.toml", &registry).expect_err("`tons` is wrong");
    assert_eq!(
        error.to_string(),
        "x.toml:4:21: unknown key `tons` here; did you mean `tonnes`?"
    );
}

#[test]
fn files_of_typical_mistakes_are_refused_with_the_right_number_of_faults() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/broken");
    let counts = [
        ("boxes.toml", 12),
        ("cues-and-expectations.toml", 11),
        ("missing.toml", 5),
        ("not-toml.toml", 2),
        ("numbers.toml", 9),
        ("parents.toml", 4),
        ("unknown-keys.toml", 4),
        ("unknown-names.toml", 8),
        ("wrong-types.toml", 8),
    ];
    let files = std::fs::read_dir(&folder).expect("it is there").count();
    assert_eq!(files, counts.len(), "each file has its row");
    for (name, count) in counts {
        let error = Scene::load(folder.join(name), &Registry::standard()).expect_err(name);
        assert_eq!(error.faults().len(), count, "{name}:\n{error}");
        for fault in error.faults() {
            assert!(
                !fault.fix().is_empty() && fault.line() > 0,
                "{name}: {fault:?}"
            );
        }
    }
}

proptest! {
    /// Any text, and any damage to a good file, gives a result and never a panic.
    #[test]
    fn no_text_makes_the_reader_panic(text in "\\PC{0,200}") {
        let _ = parse(&text);
    }

    #[test]
    fn no_damage_to_a_good_file_makes_reader_or_run_panic(at in 0.0_f64..1.0, length in 0_usize..40, with in "[\\[\\]{}=\",.a-z0-9 \n]{0,12}") {
        let good = include_str!("../../../scenes/yard.toml");
        let floor = |byte: usize| (0..=byte).rev().find(|&byte| good.is_char_boundary(byte)).unwrap_or(0);
        let start = floor((good.len() as f64 * at) as usize);
        let end = floor((start + length).min(good.len())).max(start);
        let damaged = format!("{}{with}{}", &good[..start], &good[end..]);
        match parse(&damaged) {
            Ok(scene) => {
                // A file that is accepted must run, even if its expectations fail.
                let mut run = scene.start(runtime()).expect("a checked scene fits");
                for _ in 0..3 {
                    run.run_frame().expect("no system fails");
                }
            }
            Err(error) => {
                prop_assert!(!error.faults().is_empty());
                prop_assert!(!error.to_string().is_empty());
                for fault in error.faults() {
                    prop_assert!(fault.span().end <= damaged.len());
                }
            }
        }
    }
}

//! Damage to a recording is always noticed, and every value that can still be read is right.

use gerust::prelude::*;
use gerust_scene::{Recording, RecordingWriter, Registry, Scene};

/// The long form damages every byte.
const STEP: usize = if cfg!(feature = "stress") { 1 } else { 5 };

/// Records a short run that moves, spawns and despawns. Another `speed` gives another recording.
fn recorded(speed: u8) -> (Vec<u8>, Vec<u64>) {
    let text = format!(
        r#"
title = "a gull"
frames = 4
[[entities]]
name = "gull"
components.velocity = [{speed}, 0, 0]
[[cues]]
frame = 2
spawn = {{ name = "buoy" }}
[[cues]]
frame = 3
despawn = "buoy"
"#
    );
    let scene = Scene::parse(&text, "gull.toml", &Registry::standard()).expect("it has no fault");
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("its names are free");
    let mut run = scene.start(runtime).expect("it fits");
    let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory does not fail");
    let digest = |run: &gerust_scene::SceneRun| run.runtime().world().digest();
    let mut digests = vec![digest(&run).expect("all is registered")];
    while run.run_frame().expect("nothing fails") {
        writer.note(&run).expect("memory does not fail");
        digests.push(digest(&run).expect("all is registered"));
    }
    let bytes = writer.finish(&run).expect("memory does not fail");
    (bytes, digests)
}

/// Checks that the damage is reported and that every frame that can be read is as it was written.
fn assert_noticed(bytes: Vec<u8>, digests: &[u64], what: &str) {
    let Ok(recording) = Recording::from_bytes(bytes, "damaged.rec") else {
        return;
    };
    assert!(recording.damage().is_some(), "{what} was not noticed");
    for (frame, &digest) in digests.iter().enumerate() {
        if let Some(read) = recording.digest(frame as u64) {
            assert_eq!(read, digest, "frame {frame}, {what}");
            let mut runtime = Runtime::new();
            let restored =
                recording.restore_into(&mut runtime, &Registry::standard(), frame as u64);
            restored.unwrap_or_else(|error| panic!("frame {frame}, {what}: {error}"));
            assert_eq!(runtime.world().digest().ok(), Some(digest), "{what}");
        }
    }
}

#[test]
fn every_byte_of_a_recording_counts() {
    let (whole, digests) = recorded(6);
    assert_eq!(
        Recording::from_bytes(whole.clone(), "gull.rec")
            .expect("it is one")
            .damage(),
        None
    );
    for at in (0..whole.len()).step_by(STEP) {
        let changed = |change: &dyn Fn(&mut Vec<u8>)| {
            let mut bytes = whole.clone();
            change(&mut bytes);
            bytes
        };
        let mut damages = vec![
            ("flipped", changed(&|bytes| bytes[at] ^= 1 << (at % 8))),
            ("cut off", changed(&|bytes| bytes.truncate(at))),
            (
                "taken out",
                changed(&|bytes| bytes.drain(at..=at).for_each(|_| ())),
            ),
            ("put in", changed(&|bytes| bytes.insert(at, 0x42))),
            ("doubled", changed(&|bytes| bytes.insert(at, bytes[at]))),
        ];
        if whole[at] != 0 {
            damages.push(("zeroed", changed(&|bytes| bytes[at] = 0)));
        }
        for (what, bytes) in damages {
            if bytes != whole {
                assert_noticed(bytes, &digests, &format!("byte {at} {what}"));
            }
        }
    }
}

/// Joins the beginning of one recording to the rest of another at any two bytes.
#[test]
fn a_splice_of_two_recordings_is_noticed() {
    let (first, digests) = recorded(6);
    let (second, _) = recorded(7);
    for at in (0..first.len()).step_by(STEP) {
        for behind in at.saturating_sub(1)..(at + 2).min(second.len()) {
            let spliced = [&first[..at], &second[behind..]].concat();
            if spliced != first && spliced != second {
                let what = format!("spliced at {at} and {behind}");
                // Before the first frame they are the same.
                if first[..at] != second[..at] {
                    assert_noticed(spliced, &digests, &what);
                }
            }
        }
    }
}

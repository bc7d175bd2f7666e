//! Damage to a file is always noticed, and every value that can still be read is right.
#![cfg(all(feature = "scene", feature = "export"))]

use gerust::prelude::*;
use gerust::profile::RecordedProfile;
use gerust::scene::{Recording, RecordingWriter, Registry, Scene};

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
    let digest = |run: &gerust::scene::SceneRun<'_>| run.runtime().world().digest();
    let mut digests = vec![digest(&run).expect("all is registered")];
    while run.advance().expect("nothing fails") {
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
    for at in 0..whole.len() {
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
    for at in 0..first.len() {
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

#[test]
fn every_byte_of_a_saved_profile_counts() {
    let mut runtime = Runtime::new();
    runtime.run_frames(3).expect("nothing fails");
    let profile = RecordedProfile::of(runtime.profiler()).about("machine", "two cores");
    let mut whole = Vec::new();
    profile.write(&mut whole).expect("memory does not fail");
    for at in 0..whole.len() {
        for byte in [whole[at] ^ 1, whole[at] ^ 0x10, b'0', b'1', b' '] {
            let mut damaged = whole.clone();
            damaged[at] = byte;
            let Ok(text) = String::from_utf8(damaged) else {
                continue;
            };
            match RecordedProfile::read(&text) {
                Ok(read) => assert_eq!(read, profile, "byte {at} as {byte}"),
                Err(error) => assert!(!error.to_string().is_empty()),
            }
        }
    }
}

#[test]
fn a_box_set_that_is_not_there_is_refused() {
    let cube = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
    let mut crane = Collider::solid(cube).with_set("folded", [cube]);
    crane.switch_to("folded").expect("there is such a set");
    let stored = serde_json::to_string(&crane).expect("it can be written");
    let read = |text: &str| serde_json::from_str::<Collider>(text);
    assert_eq!(read(&stored).expect("it was written"), crane);
    let forged = stored.replace(r#""current":1"#, r#""current":2"#);
    let error = read(&forged).expect_err("there is one set besides the default");
    assert!(error.to_string().contains("box set 2"), "{error}");
}

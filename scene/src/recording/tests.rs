use super::*;
use crate::{Registry, Scene};
use gerust::StandardKit;
use gerust::runtime::Runtime;
use gerust::store::Snapshot;

/// Things that come, go, change by single fields, gain and lose components, and give their ids on.
const SCENE: &str = r#"
title = "all kinds of changes"
frames = 12
[templates.crate]
collider = { size = [1, 1, 1] }
body = {}
[[entities]]
name = "quay"
transform = { translation = [0, -1, 0] }
collider = { size = [20, 1, 20] }
[[entities]]
name = "crate"
template = "crate"
transform = { translation = [0, 0.02, 0] }
[[entities]]
name = "gull"
components.velocity = [1, 0, 0]
components.route = { waypoints = [[0.03, 0, 0], [9, 0, 0]], speed = 1 }
[[cues]]
frame = 3
do = [{ spawn = { name = "buoy", template = "crate", transform = { translation = [5, 9, 0] } } }, { link = { entity = "gull", under = "buoy" } }]
[[cues]]
frame = 6
do = [{ detach = { entity = "gull", component = "velocity" } }, { unlink = "gull" }, { despawn = "buoy" }]
[[cues]]
frame = 8
spawn = { name = "barge" }
[[expect]]
that = "crate exists"
[[expect]]
that = "buoy exists"
"#;

fn runtime() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("its names are free");
    runtime
}

fn scene() -> Scene {
    Scene::parse(SCENE, "changes.toml", &Registry::standard()).expect("it has no fault")
}

/// The bytes of a recording, and what the world was after each frame.
fn recorded(scene: &Scene) -> (Vec<u8>, Vec<Snapshot>) {
    let mut run = scene.start(runtime()).expect("it fits");
    let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory does not fail");
    let mut all = vec![
        run.runtime()
            .world()
            .snapshot()
            .expect("all can be written"),
    ];
    while run.run_frame().expect("nothing fails") {
        writer.note(&run).expect("memory does not fail");
        all.push(
            run.runtime()
                .world()
                .snapshot()
                .expect("all can be written"),
        );
    }
    let bytes = writer.finish(&run).expect("memory does not fail");
    (bytes, all)
}

fn read(bytes: &[u8]) -> Recording {
    Recording::from_bytes(bytes.to_vec(), "changes.rec").expect("its header is whole")
}

fn assert_same(playback: &mut Playback<'_>, frame: u64, wanted: &Snapshot) {
    let found = playback.go_to(frame).expect("it is there");
    assert_eq!(found.first_difference(wanted), None, "frame {frame}");
    assert_eq!(found.ids(), wanted.ids(), "frame {frame}");
}

#[test]
fn every_frame_comes_back_in_any_order() {
    let (bytes, all) = recorded(&scene());
    let recording = read(&bytes);
    assert_eq!(recording.damage(), None);
    assert_eq!(
        (recording.last_frame(), recording.planned_frames()),
        (12, 12)
    );
    assert_eq!(recording.verdict(), Some((1, 1)));
    let mut playback = recording.playback();
    let orders: [Vec<u64>; 3] = [
        (0..=12).collect(),
        (0..=12).rev().collect(),
        vec![7, 3, 3, 12, 0, 8],
    ];
    for frame in orders.into_iter().flatten() {
        assert_same(&mut playback, frame, &all[frame as usize]);
        assert_eq!(recording.digest(frame), Some(all[frame as usize].digest()));
        assert_eq!(playback.frame(), Some(frame));
    }
    let error = playback.go_to(13).expect_err("there is none");
    assert_eq!(
        error.to_string(),
        "changes.rec has no frame 13: its last is 12; choose one up to that"
    );
    assert_eq!(recording.digest(13), None);
    let arrived = |frame| recording.events(frame).expect("it is there").len();
    assert_eq!((0..=12).map(arrived).sum::<usize>(), 1);
}

#[test]
fn only_the_fields_that_change_are_written_down() {
    let (bytes, _) = recorded(&scene());
    let recording = read(&bytes);
    let item = recording.item(5).expect("it is there");
    assert!(!item.key);
    let transforms = &item.put["transform"];
    assert!(
        transforms.iter().all(|(_, value)| match value {
            ciborium::Value::Map(fields) => fields.len() == 1,
            _ => false,
        }),
        "{transforms:?}"
    );
}

/// Everything before a damage is read unchanged, and the damage is reported; nothing panics.
#[test]
fn damage_at_any_byte_is_noticed() {
    let (bytes, all) = recorded(&scene());
    let whole = read(&bytes);
    for at in 0..bytes.len() {
        let mut damaged = bytes.clone();
        damaged[at] ^= 0x41;
        let Ok(recording) = Recording::from_bytes(damaged, "damaged.rec") else {
            assert!(at < whole.frames[0].start, "byte {at} is behind the header");
            continue;
        };
        let damage = recording
            .damage()
            .unwrap_or_else(|| panic!("byte {at} went unnoticed"));
        assert!(damage.byte() <= at, "{damage}");
        let kept = whole.frames.iter().filter(|place| place.start < at);
        // The frame in which the damage lies is lost.
        let kept = kept.count().saturating_sub(1).max(recording.frames.len());
        assert_eq!(recording.frames.len(), kept, "byte {at}");
        let mut playback = recording.playback();
        for (frame, wanted) in (0..).zip(&all[..recording.frames.len()]) {
            assert_same(&mut playback, frame, wanted);
        }
    }
}

#[test]
fn what_is_cut_off_is_read_up_to_there() {
    let (bytes, all) = recorded(&scene());
    let whole = read(&bytes);
    for length in 0..bytes.len() {
        let cut = bytes[..length].to_vec();
        let Ok(recording) = Recording::from_bytes(cut, "cut.rec") else {
            assert!(length < whole.frames[0].start);
            continue;
        };
        let damage = recording.damage().expect("the end is missing");
        assert!(damage.byte() <= length);
        if !recording.frames.is_empty() {
            let last = recording.last_frame();
            assert_same(&mut recording.playback(), last, &all[last as usize]);
        } else {
            assert!(recording.playback().go_to(0).is_err());
        }
    }
}

#[test]
fn frames_cannot_be_left_out() {
    let scene = scene();
    let mut run = scene.start(runtime()).expect("it fits");
    let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory does not fail");
    run.run_frame().expect("nothing fails");
    run.run_frame().expect("nothing fails");
    let error = writer.note(&run).expect_err("frame 1 is missing");
    assert!(
        error
            .to_string()
            .contains("frame 2 was noted where frame 1 was due")
    );
}

#[test]
fn what_comes_from_the_future_or_is_something_else_is_refused() {
    let told = |bytes: Vec<u8>| {
        let outcome = Recording::from_bytes(bytes, "x.rec");
        outcome.expect_err("it is none").to_string()
    };
    assert!(told(Vec::new()).contains("is no recording: it is cut off"));
    let end = Item::End(End { held: 0, failed: 0 });
    let wrapped = |item: &Item, before| item::wrapped(item, before).0;
    let lone_end = wrapped(&end, 0);
    assert!(told(lone_end).contains("does not begin with the header"));
    let header = |version| {
        Item::Header(Box::new(Header {
            version,
            frames: 1,
            ..Header::default()
        }))
    };
    let newer = wrapped(&header(VERSION + 1), 0);
    assert!(told(newer).contains("was recorded by a newer version"));
    // A recording of nothing, and one of two beginnings.
    let (start, check) = item::wrapped(&header(VERSION), 0);
    let second = wrapped(&header(VERSION), check);
    let twice = read(&[start.clone(), second].concat());
    assert_eq!(
        twice.damage().map(Damage::reason),
        Some("a second header follows")
    );
    let (end_bytes, end_check) = item::wrapped(&end, check);
    let after = wrapped(&end, end_check);
    let late = read(&[start.clone(), end_bytes.clone(), after].concat());
    assert_eq!(
        late.damage().map(Damage::reason),
        Some("something follows the end")
    );
    // An item of another recording, or one that stands a second time, does not fit behind the one before it.
    let spliced = read(&[start, end_bytes.clone(), end_bytes].concat());
    assert_eq!(
        spliced.damage().map(Damage::reason),
        Some("its checksum does not match")
    );
    // Before version 3 each checksum stood for its item alone.
    let old = [header(CHAINED - 1), end].map(|item| wrapped(&item, 0));
    assert_eq!(read(&old.concat()).damage(), None);
}

/// The first frame of a recording with something else under a key of its ids, and checksums that fit.
fn with_ids(bytes: &[u8], key: &str, value: ciborium::Value) -> Vec<u8> {
    let header = item::unwrapped(bytes, 0).expect("it was written");
    let frame = item::unwrapped(&bytes[header.length..], header.check).expect("it was written");
    let encoded = item::encoded(&frame.item);
    let mut tree: ciborium::Value = ciborium::from_reader(&encoded[..]).expect("it was written");
    fn entry<'v>(tree: &'v mut ciborium::Value, key: &str) -> &'v mut ciborium::Value {
        let map = tree.as_map_mut().expect("it is a map");
        let mut entries = map.iter_mut();
        let found = entries.find(|(name, _)| name.as_text() == Some(key));
        &mut found.expect("it is there").1
    }
    *entry(entry(entry(&mut tree, "frame"), "ids"), key) = value;
    let encoded = item::encoded(&tree);
    let forged: Item = ciborium::from_reader(&encoded[..]).expect("it has the same shape");
    let (forged, check) = item::wrapped(&forged, header.check);
    let (end, _) = item::wrapped(&Item::End(End { held: 0, failed: 0 }), check);
    [&bytes[..header.length], &forged, &end].concat()
}

#[test]
fn ids_that_were_forged_are_refused() {
    use ciborium::Value;
    let (bytes, _) = recorded(&scene());
    let number = |number: u32| Value::from(number);
    let (at_once, on_restore) = ("the ids make no sense", "the snapshot contradicts itself");
    let forgeries = [
        ("slots", number(0), on_restore),
        ("slots", number(1), on_restore),
        ("slots", number(1 << 25), at_once),
        ("slots", number(u32::MAX), at_once),
        ("free", Value::Array(vec![number(0)]), on_restore),
        ("free", Value::Array(vec![number(9_999)]), at_once),
        (
            "generations",
            Value::Array(vec![Value::Array(vec![number(0), number(7)])]),
            on_restore,
        ),
        ("used", Value::Array(vec![number(u32::MAX)]), at_once),
    ];
    for (key, value, wanted) in forgeries {
        let shown = format!("{key} = {value:?}");
        let recording = read(&with_ids(&bytes, key, value));
        assert_eq!(recording.damage(), None, "{shown}");
        let mut runtime = runtime();
        let before = runtime.world().digest().expect("all is registered");
        let restored = recording.restore_into(&mut runtime, &Registry::standard(), 0);
        let error = restored.expect_err(&shown).to_string();
        assert!(error.contains(wanted), "{shown}: {error}");
        assert_eq!(runtime.world().digest().ok(), Some(before), "{shown}");
    }
}

/// Compared with whole frames in the same format.
#[test]
fn a_recording_of_the_quay_is_a_fifth_of_full_dumps_at_most() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../scenes/quay.toml");
    let scene = Scene::load(path, &Registry::standard()).expect("it has no fault");
    let mut run = scene.start(runtime()).expect("it fits");
    let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory does not fail");
    let full = |run: &crate::SceneRun| {
        let item = change::key_frame(
            &run.runtime()
                .world()
                .snapshot()
                .expect("all can be written"),
        );
        item::wrapped(&Item::Frame(Box::new(item)), 0).0.len()
    };
    let mut dumps = full(&run);
    while run.run_frame().expect("nothing fails") {
        writer.note(&run).expect("memory does not fail");
        dumps += full(&run);
    }
    let bytes = writer.finish(&run).expect("memory does not fail").len();
    assert!(bytes * 5 < dumps, "{bytes} bytes against {dumps}");
}

#[test]
fn a_runtime_can_be_put_to_any_frame_again_and_again() {
    let (bytes, all) = recorded(&scene());
    let recording = read(&bytes);
    let registry = Registry::standard();
    let mut runtime = runtime();
    for frame in [9, 2, 12, 0, 5] {
        let outcome = recording.restore_into(&mut runtime, &registry, frame);
        outcome.expect("the frame is there");
        let world = runtime.world();
        assert_eq!(
            world.digest().expect("all can be written"),
            all[frame as usize].digest()
        );
        let clock = world
            .global::<gerust::Clock>()
            .expect("each runtime has one");
        assert_eq!(clock.frame(), frame);
        assert!((clock.seconds() - frame as f64 / 60.0).abs() < 1e-9);
    }
    let error = recording.restore_into(&mut runtime, &registry, 99);
    assert!(
        error
            .expect_err("there is none")
            .to_string()
            .contains("has no frame 99")
    );
    let unknown = recording.restore_into(&mut Runtime::new(), &Registry::new(), 0);
    assert!(
        unknown
            .expect_err("nothing is known")
            .to_string()
            .contains("not registered")
    );
}

#[test]
fn errors_are_never_shown_as_data() {
    let error = Recording::load("no/such.rec").expect_err("there is none");
    assert_eq!(format!("{error:?}"), error.to_string());
    let registry = Registry::standard();
    let mut shrinker = crate::Shrinker::new(&registry, || Ok(Runtime::new()));
    let error = shrinker
        .shrink("title = 3", "t.toml")
        .expect_err("it is faulty");
    assert_eq!(format!("{error:?}"), error.to_string());
}

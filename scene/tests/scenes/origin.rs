//! Scenes whose origin moves: places in a file count from the first origin.

use crate::common;
use gerust::prelude::*;
use gerust::runtime::{Origin, OriginKit, Route};
use gerust_scene::{Recording, RecordingWriter, Registry, Scene, SceneRun};

/// A ship that sails 64 m a frame.
const VOYAGE: &str = r#"
title = "a voyage"
frames = 200
step = 0.015625

[templates.buoy]
transform = { translation = [0, 2, 0] }

[[entities]]
name = "ship"
collider = { size = [20, 1, 8] }
body = { motion = "kinematic", velocity = [4096, 0, 0] }
components.origin-focus = { beyond = 200 }

[[entities]]
name = "fish"
components.velocity = [4096, 0, 0]

[[cues]]
frame = 101
do = [
    { spawn = { name = "pier", transform = { translation = [6400, 0, 8] }, components.route = { waypoints = [[6400, 0, 20]], speed = 640 } } },
    { spawn = { name = "flag", parent = "pier", transform = { translation = [0, 5, 0] } } },
    { spawn = { name = "crate", transform = { translation = [6464, 4, 0] }, collider = { size = [1, 1, 1] }, body = { motion = "dynamic", gravity-scale = 0 } } },
    { set = { entity = "fish", transform = { translation = [6400, -3, 0] } } },
    { set = { entity = "fish", transform = { scale = [2, 2, 2] } } },
]

[[cues]]
frame = 102
do = [{ push = { away-from = [6463, 4, 0], radius = 4, strength = 1 } }]

[[expect]]
that = "ship.position = (6400, 0, 0) within 0.000001 at 1.5625 s"
[[expect]]
that = "pier.position.x = 6400 within 0.000001 at 1.6 s"
[[expect]]
that = "pier.position = (6400, 0, 20) within 0.000001 at 3 s"
[[expect]]
that = "flag.position - pier.position = (0, 5, 0) within 0.0001 from 1.6 s to 3 s"
[[expect]]
that = "fish.position - ship.position = (0, -3, 0) within 0.001 from 1.6 s to 3 s"
[[expect]]
that = "crate.body.velocity.x > 0.5 at 1.65 s"
[[expect]]
that = "crate.position = (6464, 4, 0) within 0.1 at 1.6 s"
[[expect]]
frame = 100
position = { entity = "ship", is = [6400, 0, 0], within = 0.000001 }
"#;

fn runtime() -> Runtime {
    let mut runtime = common::runtime();
    runtime.add_kit(OriginKit).expect("it fits");
    runtime
}

fn voyage(text: &str) -> Scene {
    Scene::parse(text, "voyage.toml", &Registry::standard())
        .unwrap_or_else(|error| panic!("{error}"))
}

fn digest(run: &SceneRun) -> u64 {
    run.runtime().world().digest().expect("it can be written")
}

#[test]
fn places_of_a_file_count_from_the_first_origin() {
    let report = voyage(VOYAGE).run(runtime()).expect("nothing fails");
    assert!(report.all_held(), "{report}");
    // Without the kit 32 bits are exact enough for a voyage that short.
    let mut plain = Runtime::new();
    plain.add_kit(StandardKit).expect("it fits");
    let report = voyage(VOYAGE).run(plain).expect("nothing fails");
    assert!(report.all_held(), "{report}");
}

#[test]
fn a_recording_knows_where_the_origin_is() {
    let scene = voyage(VOYAGE);
    let mut run = scene.start(runtime()).expect("it fits");
    let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory does not fail");
    while run.run_frame().expect("nothing fails") {
        writer.note(&run).expect("memory does not fail");
    }
    let bytes = writer.finish(&run).expect("memory does not fail");
    let recording = Recording::from_bytes(bytes, "voyage.rec").expect("it is one");
    for frame in [0, 3, 4, 5, 100, 101, 150] {
        let mut again = scene.start(runtime()).expect("it fits");
        again.resume(&recording, frame).expect("the frame is there");
        assert_eq!(Some(digest(&again)), recording.digest(frame), "{frame}");
        while again.run_frame().expect("nothing fails") {}
        assert_eq!(digest(&again), digest(&run), "{frame}");
        assert!(again.report().all_held(), "{frame}: {}", again.report());
    }
    // Backwards too.
    let (mut shown, mut playback) = (runtime(), recording.playback());
    for frame in [150, 0, 100] {
        let registry = Registry::standard();
        playback
            .restore_into(&mut shown, &registry, frame)
            .expect("it is there");
        let world = shown.world();
        let ship = world.find("ship").expect("it was recorded");
        let place = world
            .get::<WorldTransform>(ship)
            .expect("it has one")
            .translation();
        let origin = world.global::<Origin>().expect("the kit made it");
        assert_eq!(origin.absolute(place).x, 64.0 * frame as f64);
    }
}

#[test]
fn a_scene_that_is_read_again_far_away_keeps_its_places() {
    let mut run = voyage(VOYAGE).start(runtime()).expect("it fits");
    while run.frame() < 150 {
        assert!(run.run_frame().expect("nothing fails"));
    }
    let done = run.reload(&voyage(VOYAGE)).expect("it fits");
    assert_eq!((done.unchanged, done.changed, done.spawned), (2, 0, 0));
    let route = "components.route = { waypoints = [[9700, 2, 0]], speed = 1 }";
    let more = format!(
        "{}\n[[entities]]\nname = \"buoy\"\ntransform = {{ translation = [9600, 0, 4] }}\n{route}\n",
        VOYAGE.replace(
            "name = \"fish\"\n",
            &format!("name = \"fish\"\ntransform = {{ translation = [9600, -1, 0] }}\n{route}\n")
        )
    );
    let done = run.reload(&voyage(&more)).expect("it fits");
    assert_eq!((done.unchanged, done.changed, done.spawned), (1, 1, 1));
    let world = run.runtime().world();
    let origin = world.global::<Origin>().expect("the kit made it");
    assert!(origin.offset().x > 9_000.0);
    for (name, place) in [
        ("fish", [9_600.0, -1.0, 0.0]),
        ("buoy", [9_600.0, 0.0, 4.0]),
    ] {
        let entity = world.find(name).expect("it is there");
        let own = world
            .get::<Transform>(entity)
            .expect("it has one")
            .translation;
        assert_eq!(origin.absolute(own).to_array(), place, "{name}");
        let route = world.get::<Route>(entity).expect("it has one");
        assert_eq!(origin.absolute(route.waypoints[0]).x, 9_700.0, "{name}");
    }
}

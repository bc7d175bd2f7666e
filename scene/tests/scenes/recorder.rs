//! Recordings of runtimes that run no scene.

use crate::common::runtime;
use gerust::ErrorKind;
use gerust::prelude::*;
use gerust::runtime::{Controls, Route};
use gerust_scene::{Recorder, Recording, Registry};
use std::io::{self, Write};
use std::time::Duration;

/// A program without a scene: a trolley on a route, a pallet that falls, and a hook that follows a control.
fn program() -> Runtime {
    let mut runtime = runtime();
    let world = runtime.world_mut();
    world.set_global(Gravity(Vec3::NEG_Y * 5.0));
    let layers = world.ensure_global::<Layers>();
    let goods = layers.add("goods").expect("there is room");
    let cube = |half: Vec3| Collider::solid(Aabb::from_center(Vec3::ZERO, half));
    world.spawn((
        Name::new("quay"),
        Transform::default(),
        cube(Vec3::new(9.0, 0.5, 9.0)),
    ));
    let pallet = (
        Name::new("pallet"),
        Transform::at(0.0, 2.0, 0.0),
        cube(Vec3::splat(0.5)).in_layer(goods),
        Body::dynamic(),
    );
    world.spawn(pallet);
    let route = Route::new(vec![Vec3::X, Vec3::X * 2.0], 2.0);
    world.spawn((Name::new("trolley"), Transform::default(), route));
    world.spawn((Name::new("hook"), Transform::at(0.0, 5.0, 0.0)));
    let raise = System::named("raise")
        .takes::<(Rows<(&mut Transform, &Name)>, Global<Controls>)>()
        .runs(|(mut rows, controls)| {
            rows.each(|(place, name)| {
                if name.as_str() == "hook" {
                    place.translation.y += controls.value("hoist");
                }
            });
        });
    runtime.add_system(raise).expect("the name is free");
    runtime
}

#[test]
fn a_recorder_begins_at_any_frame_and_keeps_each_digest() {
    let mut runtime = program();
    runtime.run_frames(25).expect("nothing fails");
    let registry = Registry::standard();
    let mut recorder = Recorder::of(Vec::new(), "a program", &mut runtime, &registry)
        .expect("memory does not fail");
    let mut digests = vec![runtime.world().digest().expect("it can be written")];
    for frame in 1..=90 {
        if frame == 30 {
            runtime
                .world_mut()
                .ensure_global::<Controls>()
                .set("hoist", 0.25);
            runtime
                .set_enabled("standard: spin", false)
                .expect("it is there");
        }
        runtime.run_frames(1).expect("nothing fails");
        recorder.note(&runtime).expect("memory does not fail");
        digests.push(runtime.world().digest().expect("it can be written"));
    }
    let bytes = recorder.finish().expect("memory does not fail");
    let recording = Recording::from_bytes(bytes, "program.rec").expect("it is one");
    assert!(recording.damage().is_none());
    assert_eq!(recording.title(), "a program");
    assert_eq!((recording.first_frame(), recording.last_frame()), (25, 90));
    assert_eq!(
        (recording.planned_frames(), recording.verdict()),
        (0, Some((0, 0)))
    );
    assert_eq!(recording.controls(29).expect("it is there"), []);
    assert_eq!(
        recording.controls(30).expect("it is there"),
        [(String::from("hoist"), 0.25)]
    );
    let mut playback = recording.playback();
    for (frame, &digest) in (0..).zip(&digests) {
        assert_eq!(recording.digest(frame), Some(digest));
        assert_eq!(playback.go_to(frame).expect("it is there").digest(), digest);
    }
    // The trolley arrives at its two waypoints.
    let arrivals: Vec<u64> = (0..=90)
        .filter(|&frame| {
            let events = recording.events(frame).expect("it is there");
            events.iter().any(|(name, _)| name == "arrived")
        })
        .collect();
    assert_eq!(arrivals, [5, 36]);
}

/// The recorded world, with its settings, continues in a runtime with the same systems.
#[test]
fn a_recorded_frame_can_be_put_into_a_program_and_continued() {
    let mut runtime = program();
    runtime.run_frames(10).expect("nothing fails");
    let registry = Registry::standard();
    let mut recorder = Recorder::of(Vec::new(), "a program", &mut runtime, &registry)
        .expect("memory does not fail");
    for _ in 0..60 {
        runtime.run_frames(1).expect("nothing fails");
        recorder.note(&runtime).expect("memory does not fail");
    }
    let recording =
        Recording::from_bytes(recorder.finish().expect("memory does not fail"), "p.rec");
    let recording = recording.expect("it is one");
    let mut other = program();
    recording
        .restore_into(&mut other, &registry, 20)
        .expect("its types are registered");
    assert_eq!(
        other
            .world()
            .global::<Clock>()
            .expect("it is there")
            .frame(),
        30
    );
    assert_eq!(
        other.world().global::<Gravity>().expect("it is there").0.y,
        -5.0
    );
    other.run_frames(40).expect("nothing fails");
    assert_eq!(
        Some(other.world().digest().expect("it can be written")),
        recording.digest(60)
    );
}

#[test]
fn a_loop_of_real_time_records_every_frame() {
    let mut runtime = program();
    let mut recorder = Recorder::of(Vec::new(), "a loop", &mut runtime, &Registry::standard())
        .expect("memory does not fail");
    let mut frames = 0;
    for milliseconds in [16, 17, 50, 4, 40] {
        let elapsed = Duration::from_millis(milliseconds);
        let advance = recorder
            .advance(&mut runtime, elapsed)
            .expect("nothing fails");
        frames += u64::from(advance.frames());
    }
    let last = runtime.world().digest().expect("it can be written");
    let recording =
        Recording::from_bytes(recorder.finish().expect("memory does not fail"), "l.rec");
    let recording = recording.expect("it is one");
    assert!(frames > 5);
    assert_eq!(
        (recording.last_frame(), recording.digest(frames)),
        (frames, Some(last))
    );
}

#[test]
fn a_recording_lists_what_it_lacks_and_how_a_frame_failed() {
    struct Unknown;
    let mut runtime = program();
    runtime.world_mut().spawn((Unknown,));
    let system = System::named("faulty").takes::<Global<Clock>>();
    let system = system.runs(|clock| assert!(clock.frame() < 3, "it slips"));
    runtime.add_system(system).expect("its name is free");
    let mut recorder = Recorder::of(Vec::new(), "t", &mut runtime, &Registry::standard())
        .expect("memory does not fail");
    let error = recorder.advance(&mut runtime, Duration::from_millis(60));
    let error = error.expect_err("frame 3 fails");
    let bytes = recorder.finish().expect("memory does not fail");
    let recording = Recording::from_bytes(bytes, "t.rec").expect("it is one");
    let missing = recording.missing();
    assert!(
        missing.iter().any(|name| name.ends_with("Unknown")),
        "{missing:?}"
    );
    assert_eq!(recording.last_frame(), 3);
    let failures: Vec<(u64, &str)> = recording.failures().collect();
    assert_eq!(failures, [(3, error.to_string().as_str())]);
}

#[test]
fn frames_out_of_turn_and_full_disks_are_errors() {
    let mut runtime = program();
    let registry = Registry::standard();
    let mut recorder =
        Recorder::of(Vec::new(), "t", &mut runtime, &registry).expect("memory does not fail");
    let error = recorder.note(&runtime).unwrap_err();
    assert_eq!(
        error.to_string(),
        "frame 0 was noted where frame 1 was due; note each frame once"
    );
    runtime.run_frames(2).expect("nothing fails");
    assert!(recorder.note(&runtime).is_err(), "frame 1 is missing");

    /// Room for the header and the first frame.
    struct Small(usize);
    impl Write for Small {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            self.0 = self
                .0
                .checked_sub(bytes.len())
                .ok_or_else(|| io::Error::other("no space"))?;
            Ok(bytes.len())
        }
        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }
    assert!(Recorder::of(Small(10), "t", &mut runtime, &registry).is_err());
    let mut runtime = program();
    let mut recorder =
        Recorder::of(Small(3_000), "t", &mut runtime, &registry).expect("it has room");
    let error = (0..100).find_map(|_| {
        recorder
            .advance(&mut runtime, Duration::from_millis(100))
            .err()
    });
    let error = error.expect("the room is used up");
    assert_eq!(
        (error.kind(), error.to_string().as_str()),
        (ErrorKind::Io, "no space")
    );
}

/// The frame that failed is recorded, and so are those after it.
#[test]
fn a_frame_that_fails_is_recorded() {
    let mut runtime = program();
    let faulty = System::named("faulty")
        .takes::<Global<Clock>>()
        .tries(|clock| match clock.frame() {
            3 => Err("no fuel".into()),
            _ => Ok(()),
        });
    runtime.add_system(faulty).expect("the name is free");
    let registry = Registry::standard();
    let mut recorder =
        Recorder::of(Vec::new(), "t", &mut runtime, &registry).expect("memory does not fail");
    let mut failed = Vec::new();
    for _ in 0..8 {
        if recorder
            .advance(&mut runtime, Duration::from_secs_f64(1.0 / 60.0))
            .is_err()
        {
            failed.push(
                runtime
                    .world()
                    .global::<Clock>()
                    .expect("it is there")
                    .frame(),
            );
        }
    }
    assert_eq!(failed, [3]);
    let bytes = recorder.finish().expect("memory does not fail");
    let recording = Recording::from_bytes(bytes, "f.rec").expect("it is one");
    assert_eq!(recording.last_frame(), 8);
    let digest = runtime.world().digest().expect("it can be written");
    assert_eq!(recording.digest(8), Some(digest));
}

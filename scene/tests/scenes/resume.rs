//! Recorded runs that resume at a frame in the middle.

use crate::common;
use gerust::prelude::*;
use gerust_scene::{Recording, RecordingWriter, Registry, Scene, SceneRun};
use std::path::PathBuf;

/// A runtime on one thread.
fn runtime() -> Runtime {
    let mut runtime = common::runtime();
    runtime.set_threads(1).expect("one is always there");
    runtime
}

fn scenes() -> Vec<PathBuf> {
    let folder = common::shipped();
    let entries = std::fs::read_dir(folder).expect("it is there");
    let mut paths: Vec<PathBuf> = entries
        .map(|entry| entry.expect("it can be read").path())
        .filter(|path| path.is_file())
        .collect();
    paths.sort();
    paths
}

fn digest(run: &SceneRun) -> u64 {
    run.runtime().world().digest().expect("all can be written")
}

#[test]
fn every_scene_goes_on_as_it_did_from_any_frame() {
    let parts: &[u64] = match cfg!(feature = "stress") {
        true => &[1, 2, 5],
        false => &[4],
    };
    for path in scenes() {
        let scene = Scene::load(&path, &Registry::standard()).expect("it has no fault");
        let name = path.display();
        // Longer scenes are left to the long form.
        if scene.frames() > 660 && !cfg!(feature = "stress") {
            continue;
        }
        let mut run = scene.start(runtime()).expect("it fits");
        let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory does not fail");
        while run.run_frame().expect("nothing fails") {
            writer.note(&run).expect("memory does not fail");
        }
        let bytes = writer.finish(&run).expect("memory does not fail");
        let recording = Recording::from_bytes(bytes, "scene.rec").expect("it is one");
        assert_eq!(recording.damage(), None, "{name}");
        assert_eq!(recording.last_frame(), run.frame(), "{name}");
        for part in parts {
            let from = run.frame() * part / 7;
            let mut again = scene.start(runtime()).expect("it fits");
            again.resume(&recording, from).expect("the frame is there");
            assert_eq!(Some(digest(&again)), recording.digest(from), "{name}");
            while again.run_frame().expect("nothing fails") {
                let frame = again.frame();
                assert_eq!(
                    Some(digest(&again)),
                    recording.digest(frame),
                    "{name}: frame {frame}, from {from}"
                );
            }
            assert_eq!(again.frame(), run.frame(), "{name}");
            again.report().assert_all_held();
        }
    }
}

//! The properties that hold for any input: one function for each fuzz target, which panics if a property is broken.

use gerust::gltf::{NodeTree, export};
use gerust::profile::RecordedProfile;
use gerust::{Runtime, StandardKit};
use gerust_scene::{
    Limit, Recording, RecordingWriter, Registry, Scene, SceneError, scene_of_nodes,
};

/// Frames that a scene runs at most: enough for a cue, a rule and a contact.
const FRAMES: u64 = 12;

/// The standard registry with small limits, so that each input takes milliseconds.
fn registry() -> Registry {
    let mut registry = Registry::standard();
    registry.set_limit(Limit::Entities, 300);
    registry.set_limit(Limit::Pairs, 2_000);
    registry.set_limit(Limit::Iterations, 16);
    registry.set_limit(Limit::Files, 4);
    // No file is below this folder.
    registry.set_root("fuzz/nothing");
    registry
}

fn runtime() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it fits");
    runtime.set_threads(1).expect("one can be had");
    runtime
}

/// A scene has faults whose places are in its text, or it runs, and what is recorded and exported of it can be read.
pub fn scene(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else {
        return;
    };
    let registry = registry();
    match Scene::parse(text, "fuzz.toml", &registry) {
        Err(error) => check_faults(&error),
        Ok(scene) => run(&scene, &registry),
    }
}

fn check_faults(error: &SceneError) {
    for fault in error.faults() {
        let text = error.text_of(fault);
        assert!(text.get(fault.span()).is_some(), "{error}");
        assert!(fault.line() > 0 && fault.column() > 0, "{error}");
        assert!(!fault.message().is_empty(), "{error}");
    }
    assert!(!error.to_string().is_empty());
}

fn run(scene: &Scene, registry: &Registry) {
    // A valid scene may still fail while it runs, for example because it spawns too many entities.
    let Ok(mut run) = scene.start(runtime()) else {
        return;
    };
    let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory takes all");
    while run.frame() < FRAMES && run.run_frame().unwrap_or(false) {
        writer.note(&run).expect("memory takes all");
    }
    let last = run.frame();
    let bytes = writer.finish(&run).expect("memory takes all");
    let recording = Recording::from_bytes(bytes, "fuzz.rec").expect("it is a recording");
    assert!(recording.damage().is_none(), "{:?}", recording.damage());
    let mut other = runtime();
    let _ = recording.restore_into(&mut other, registry, recording.last_frame().min(last));
    let _ = run.report().to_string();
    if let Ok(text) = export(run.runtime().world()) {
        NodeTree::from_slice(text.as_bytes()).expect("what was exported can be read");
    }
}

/// An expression of any kind has faults with places, or can be asked in every frame.
pub fn expression(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else {
        return;
    };
    let quoted = serde_json::to_string(text).expect("a text is JSON");
    // JSON and TOML write texts alike, except for the delete character.
    let quoted = quoted.replace('\u{7f}', "\\u007F");
    let head = "title = 't'\nframes = 3\nparameters.n = 3\n[[entities]]\nname = 'a'\n[[entities]]\nname = 'b'\nbody = {}\n";
    for tail in [
        format!("[[expect]]\nthat = {quoted}\n"),
        format!("[[rules]]\nwhen = {quoted}\ndo = [{{ despawn = 'a' }}]\n"),
        format!(
            "[[cues]]\nframe = 1\ndo = [{{ change = {{ field = 'b.body.mass', to = {quoted} }} }}]\n"
        ),
        format!("[[cues]]\nframe = 1\ndo = [{{ change = {{ field = {quoted}, to = '1' }} }}]\n"),
        format!("[[entities]]\nname = {quoted}\n"),
    ] {
        scene((head.to_owned() + &tail).as_bytes());
    }
}

/// A recording is refused, or each of its frames can be restored or says why not. Checksums are not compared under a fuzzer.
pub fn recording(bytes: &[u8]) {
    let Ok(recording) = Recording::from_bytes(bytes.to_vec(), "fuzz.rec") else {
        return;
    };
    let registry = registry();
    let mut playback = recording.playback();
    for frame in 0..=recording.last_frame().min(FRAMES) {
        let mut runtime = runtime();
        if playback
            .restore_into(&mut runtime, &registry, frame)
            .is_ok()
        {
            let _ = runtime.world().digest();
            let _ = runtime.run_frames(2);
        }
        let _ = recording.events(frame);
    }
}

/// A glTF file is refused, or makes a scene that loads, and an export that reads back with the same nodes.
pub fn gltf(bytes: &[u8]) {
    let Ok(tree) = NodeTree::from_slice(bytes) else {
        return;
    };
    let registry = registry();
    if let Ok((text, _)) = scene_of_nodes(&tree, "fuzz", &registry) {
        Scene::parse(&text, "fuzz.toml", &registry).expect("a scene that is made loads");
    }
    let mut runtime = runtime();
    if tree.spawn(runtime.world_mut()).is_ok()
        && runtime.settle().is_ok()
        && let Ok(text) = export(runtime.world())
    {
        let again = NodeTree::from_slice(text.as_bytes()).expect("what was exported can be read");
        assert_eq!(again.nodes().len(), tree.nodes().len());
    }
}

/// A saved profile is refused, or written as it was read.
pub fn profile(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else {
        return;
    };
    if let Ok(profile) = RecordedProfile::read(text) {
        let mut written = Vec::new();
        profile.write(&mut written).expect("memory takes all");
        let text = String::from_utf8(written).expect("JSON is text");
        let again = RecordedProfile::read(&text).expect("what was written can be read");
        assert_eq!(again.frames(), profile.frames());
    }
}

/// Steps of the yard whose saved state is changed.
const SETTLED: u64 = 40;

/// A state that was saved: a pile of crates on a floor, under a link, with a route and events in flight.
fn saved() -> Vec<u8> {
    use gerust::prelude::*;
    use gerust::runtime::Route;

    let mut runtime = runtime();
    let cube = |half: Vec3| Collider::solid(Aabb::from_center(Vec3::ZERO, half));
    let world = runtime.world_mut();
    let floor = (
        Name::new("quay"),
        Transform::default(),
        cube(Vec3::new(9.0, 0.5, 9.0)),
    );
    world.spawn(floor);
    for i in 0..4_u8 {
        let place = Transform::at(0.2 * f32::from(i), 1.1 + 1.2 * f32::from(i), 0.0);
        world.spawn((place, cube(Vec3::splat(0.5)), Body::dynamic()));
    }
    let rail = world.spawn((
        Transform::at(5.0, 0.0, 0.0),
        Route::new(vec![Vec3::X, Vec3::Z], 2.0),
    ));
    let hook = world.spawn((Transform::at(0.0, 3.0, 0.0),));
    world.link(hook, rail).expect("both live");
    runtime.run_frames(SETTLED).expect("nothing fails");
    let mut file = Vec::new();
    runtime.save(&mut file).expect("memory takes all");
    file
}

/// Bytes, and changes to a saved state, are refused without a change, or give a runtime that runs and can be saved and loaded again.
/// The input is a list of changes of three bytes: a place (two bytes) and the byte to put there.
pub fn save(bytes: &[u8]) {
    use std::sync::OnceLock;
    static SAVED: OnceLock<Vec<u8>> = OnceLock::new();

    let mut changed = SAVED.get_or_init(saved).clone();
    for change in bytes.chunks_exact(3) {
        let place = usize::from(u16::from_le_bytes([change[0], change[1]]));
        let place = place % changed.len();
        changed[place] = change[2];
    }
    for file in [bytes, &changed[..]] {
        let mut runtime = runtime();
        if runtime.load(file).is_err() {
            continue;
        }
        let mut again = Vec::new();
        runtime
            .save(&mut again)
            .expect("what was loaded can be written");
        let mut other = self::runtime();
        other
            .load(&again[..])
            .expect("what was written can be loaded");
        // Values that are allowed may still fail in a frame, for example a speed beyond all limits.
        let _ = runtime.run_frames(2);
    }
}

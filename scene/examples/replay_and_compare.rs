//! A run is recorded, read, resumed and compared with another one: the output names the first value that differs, and what
//! wrote it.

use gerust::prelude::*;
use gerust_scene::{Recording, RecordingWriter, Registry, Scene, SceneRun};

const SCENE: &str = r#"
title = "a cart"
frames = 60
[[entities]]
name = "cart"
components.velocity = [3, 0, 0]
[[cues]]
frame = 20
do = [{ change = { field = "cart.velocity.z", to = "1" } }]
"#;

fn start(scene: &Scene) -> Result<SceneRun, gerust::Error> {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    scene.start(runtime)
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let scene = Scene::parse(SCENE, "cart.toml", &Registry::standard())?;
    let mut run = start(&scene)?;
    let mut writer = RecordingWriter::begin(Vec::new(), &run)?;
    while run.run_frame()? {
        writer.note(&run)?;
    }
    let recording = Recording::from_bytes(writer.finish(&run)?, "cart.rec")?;
    let mut playback = recording.playback();
    let snapshot = playback.go_to(30)?;
    let cart = snapshot.entities().next().expect("there is one");
    let placed = snapshot.value(cart, "transform").expect("it has one");
    let translation = placed.at("translation").expect("a field of it");
    println!("at frame 30: {translation}");

    let mut again = start(&scene)?;
    again.resume(&recording, 30)?;
    while again.run_frame()? {}
    println!(
        "the same end: {}",
        Some(again.runtime().world().digest()?) == recording.digest(60)
    );

    let other = Scene::parse(
        &SCENE.replace("to = \"1\"", "to = \"2\""),
        "other.toml",
        &Registry::standard(),
    )?;
    let (mut one, mut two) = (start(&scene)?, start(&other)?);
    let found = loop {
        if let Some(found) = one.difference_to(&two)? {
            break found;
        }
        one.run_frame()?;
        two.run_frame()?;
    };
    println!("{found}");
    let mut traced = start(&other)?;
    while traced.frame() + 1 < found.frame {
        traced.run_frame()?;
    }
    println!(
        "written by {}",
        traced.run_frame_traced(&found)?.unwrap_or_default()
    );
    Ok(())
}

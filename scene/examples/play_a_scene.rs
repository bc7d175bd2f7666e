//! A program that plays a scene by real time, reads its file again when it was saved, and goes its own way with the runtime at the end.

use gerust_scene::gerust::prelude::*;
use gerust_scene::{Registry, Scene};
use std::error::Error;
use std::path::Path;
use std::time::Duration;

const BEFORE: &str = r#"
title = "a ferry"
frames = 120
step = 0.02

[[entities]]
name = "ferry"
components.velocity = [5, 0, 0]

[[entities]]
name = "buoy"
transform = { translation = [8, 0, 0] }
"#;

/// The file as it is saved while the program runs: the ferry turns, the buoy is gone, and there is a pier.
const AFTER: &str = r#"
title = "a ferry"
frames = 120
step = 0.02

[[entities]]
name = "ferry"
components.velocity = [0, 0, 5]

[[entities]]
name = "pier"
transform = { translation = [0, 0, 20] }
"#;

fn main() -> Result<(), Box<dyn Error>> {
    let folder = std::env::temp_dir().join(format!("gerust-play-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let outcome = play(&folder.join("ferry.toml"));
    std::fs::remove_dir_all(&folder)?;
    outcome
}

fn play(path: &Path) -> Result<(), Box<dyn Error>> {
    std::fs::write(path, BEFORE)?;
    let registry = Registry::standard();
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    let mut run = Scene::load(path, &registry)?.start(runtime)?;
    let ferry = run.runtime().world().find("ferry").ok_or("no ferry")?;

    let mut saved = std::fs::metadata(path)?.modified()?;
    let mut edits = vec!["title = ", AFTER];
    while !run.is_over() {
        // A real loop measures this time.
        run.advance(Duration::from_millis(50))?;
        if run.frame() % 50 == 0 {
            let place = run.runtime().world().get::<Transform>(ferry)?.translation;
            println!("frame {}: the ferry is at {place:.1}", run.frame());
            if let Some(text) = edits.pop() {
                save(path, text)?;
            }
        }
        let now = std::fs::metadata(path)?.modified()?;
        if now != saved {
            saved = now;
            match Scene::load(path, &registry) {
                Ok(scene) => {
                    let done = run.reload(&scene)?;
                    println!(
                        "read again: {} unchanged, {} changed, {} spawned, {} despawned",
                        done.unchanged, done.changed, done.spawned, done.despawned
                    );
                }
                // It was saved half written: the scene runs on as it is.
                Err(error) => {
                    let first = error.faults().first().ok_or("the file is gone")?;
                    println!("not read: {}", first.message());
                }
            }
        }
    }

    // The scene ends here, and the program continues with what it made.
    let mut runtime = run.into_runtime();
    runtime.run_frames(30)?;
    let place = runtime.world().get::<Transform>(ferry)?.translation;
    println!("without the scene: the ferry is at {place:.1}");
    Ok(())
}

/// Stands for an editor; waits until the time of the file differs.
fn save(path: &Path, text: &str) -> std::io::Result<()> {
    let before = std::fs::metadata(path)?.modified()?;
    while std::fs::metadata(path)?.modified()? == before {
        std::fs::write(path, text)?;
        std::thread::sleep(Duration::from_millis(2));
    }
    Ok(())
}

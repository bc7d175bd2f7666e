//! Draws on another thread: the loop sends copies of what is drawn, placed between the last two frames.

use gerust::prelude::*;
use gerust::runtime::Earlier;
use std::sync::mpsc;
use std::thread;
use std::time::Duration;

/// All that the drawing thread needs of a frame.
struct Picture {
    frame: u64,
    boats: Vec<(String, Vec3)>,
}

/// Copies what is drawn, `remainder` of a frame after the latest one.
fn extract(world: &World, remainder: f64) -> Picture {
    let rows = world.rows::<(&Name, &Earlier, &WorldTransform)>();
    let boats = rows.iter().map(|(name, earlier, now)| {
        let place = earlier.0.between(now, remainder as f32);
        (name.to_string(), place.translation())
    });
    Picture {
        frame: world
            .find_global::<Clock>()
            .map_or(0, |clock| clock.frame()),
        boats: boats.collect(),
    }
}

fn main() -> Result<(), Error> {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    runtime.set_step_seconds(0.1)?;
    for (name, speed) in [("tug", 4.0), ("barge", 1.0)] {
        runtime.world_mut().spawn((
            Name::new(name),
            Transform::default(),
            Velocity(Vec3::X * speed),
            // The kit writes into it where the entity was at the end of the frame before.
            Earlier::default(),
        ));
    }

    // One picture waits at most: the loop does not run ahead of the drawing.
    let (send, receive) = mpsc::sync_channel::<Picture>(1);
    let drawing = thread::spawn(move || {
        for picture in receive {
            let boats = picture.boats.iter();
            let boats = boats.map(|(name, place)| format!("{name} at {:.2}", place.x));
            println!(
                "frame {}: {}",
                picture.frame,
                boats.collect::<Vec<_>>().join(", ")
            );
        }
    });
    for milliseconds in [250, 60, 60, 130] {
        let advance = runtime.advance(Duration::from_millis(milliseconds))?;
        let picture = extract(runtime.world(), advance.remainder());
        if send.send(picture).is_err() {
            break;
        }
    }
    drop(send);
    drawing.join().expect("drawing does not panic");
    Ok(())
}

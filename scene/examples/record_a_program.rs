//! Records a program that has a loop of its own and no scene file, and looks at its frames afterwards.

use gerust_scene::gerust::prelude::*;
use gerust_scene::{Recorder, Recording, Registry};
use std::error::Error;
use std::time::Duration;

#[derive(Clone, serde::Serialize, serde::Deserialize)]
struct Fuel(f32);

fn main() -> Result<(), Box<dyn Error>> {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    runtime.set_step_seconds(0.02)?;
    let world = runtime.world_mut();
    world.register_component::<Fuel>("fuel")?;
    let truck = (
        Name::new("truck"),
        Transform::default(),
        Velocity(Vec3::X * 5.0),
        Fuel(1.0),
    );
    let truck = world.spawn(truck);
    runtime.add_system(
        System::named("burn")
            .takes::<(Rows<&mut Fuel>, Global<Clock>)>()
            .runs(|(mut trucks, clock)| trucks.each(|fuel| fuel.0 -= 0.5 * clock.step_seconds())),
    )?;

    // The program has run for a while when recording begins.
    runtime.run_frames(50)?;
    let mut recorder = Recorder::of(Vec::new(), "a truck", &mut runtime, &Registry::standard())?;
    for _ in 0..20 {
        recorder.advance(&mut runtime, Duration::from_millis(50))?;
    }
    let bytes = recorder.finish()?;

    let recording = Recording::from_bytes(bytes, "truck.rec")?;
    println!(
        "{}: frames {} to {} of the program",
        recording.title(),
        recording.first_frame(),
        recording.first_frame() + recording.last_frame()
    );
    let mut playback = recording.playback();
    for frame in (0..=recording.last_frame()).step_by(25) {
        let snapshot = playback.go_to(frame)?;
        let fuel = snapshot.value(truck, "fuel").ok_or("it has fuel")?;
        let place = snapshot.value(truck, "transform").ok_or("it has a place")?;
        let x: f32 = place.at("translation.0").ok_or("it has three")?.read()?;
        println!(
            "frame {frame}: x = {x:.1}, fuel = {:.2}",
            fuel.read::<f32>()?
        );
    }
    Ok(())
}

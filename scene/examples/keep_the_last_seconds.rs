//! A program with a loop of its own keeps its last seconds in a black box, which writes them to a file when a pallet sinks. Name a
//! folder for the file as an argument, and look at it with `gerust inspect`, `gerust watch` or `gerust report`.

use gerust_scene::gerust::prelude::*;
use gerust_scene::{BlackBox, Recording};
use std::error::Error;
use std::path::PathBuf;
use std::time::Duration;

fn main() -> Result<(), Box<dyn Error>> {
    let temporary = tempfile::tempdir()?;
    let folder = std::env::args_os().nth(1).map(PathBuf::from);
    let folder = folder.unwrap_or_else(|| temporary.path().to_owned());

    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit)?;
    // Pallets that slide over a quay, some of them over its edge.
    let world = runtime.world_mut();
    let quay = Aabb::from_corners(Vec3::new(-20.0, -3.0, -8.0), Vec3::new(6.0, 0.0, 8.0));
    world.spawn((
        Name::new("quay"),
        Transform::default(),
        Collider::solid(quay),
    ));
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    for number in 0..8_u8 {
        let name = Name::new(&format!("pallet-{number}"));
        let place = Transform::at(-18.0 + 2.0 * f32::from(number), 0.5, 0.0);
        let body = Body::dynamic()
            .with_velocity(Vec3::X * (1.0 + f32::from(number)))
            .with_friction(0.2);
        world.spawn((name, place, cube.clone(), body));
    }

    let black_box = BlackBox::keeping(Duration::from_secs(2))
        .titled("sunk pallets")
        .writing_into(&folder)
        .when("pallet-7.position.y < -2");
    runtime.add_kit(black_box.clone())?;

    // The game: frames until the player stops.
    runtime.run_frames(240)?;

    for written in black_box.take_written() {
        let written = written?;
        let path = written.path().ok_or("it was written into the folder")?;
        let recording = Recording::load(path)?;
        println!("{}", path.file_name().unwrap_or_default().display());
        println!(
            "because {}",
            recording.reason().unwrap_or("it was asked to")
        );
        println!(
            "frames {} to {} of the program",
            written.frames().start(),
            written.frames().end()
        );
        let mut restored = Runtime::new();
        recording.restore_into(
            &mut restored,
            &gerust_scene::Registry::standard(),
            recording.last_frame(),
        )?;
        let world = restored.world();
        let pallet = world.find("pallet-7").ok_or("it was recorded")?;
        let place = world.get::<Transform>(pallet)?.translation;
        println!("pallet-7 is at x = {:.1}, y = {:.1}", place.x, place.y);
    }
    Ok(())
}

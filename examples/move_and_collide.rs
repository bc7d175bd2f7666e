//! Bodies move, stop at the nearest face, and the contacts of a frame are listed.

use gerust::prelude::*;

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let cube = |half: Vec3| Collider::solid(Aabb::from_center(Vec3::ZERO, half));
    world.spawn((
        Name::new("quay"),
        Transform::at(0.0, -1.0, 0.0),
        cube(Vec3::new(30.0, 1.0, 5.0)),
    ));
    world.spawn((
        Name::new("wall"),
        Transform::at(8.0, 2.0, 0.0),
        cube(Vec3::new(0.5, 2.0, 5.0)),
    ));
    let pallet = world.spawn((
        Name::new("pallet"),
        Transform::at(0.0, 3.0, 0.0),
        cube(Vec3::splat(0.5)),
        Body::dynamic().with_velocity(Vec3::X * 9.0),
    ));
    // As fast as this, it would be behind the wall after one frame.
    let runaway = world.spawn((
        Name::new("runaway"),
        Transform::at(-20.0, 0.5, 3.0),
        cube(Vec3::splat(0.5)),
        Body::dynamic().with_velocity(Vec3::X * 6000.0),
    ));
    runtime.run_frames(1)?;
    let x = |runtime: &Runtime, entity| -> Result<f32, gerust::Error> {
        Ok(runtime.world().get::<Transform>(entity)?.translation.x)
    };
    println!("the runaway stands at {:.2}", x(&runtime, runaway)?);
    runtime.run_frames(119)?;
    println!("the pallet lies at {:.2}", x(&runtime, pallet)?);
    let world = runtime.world();
    let contacts = world.global::<Contacts>()?;
    for touching in contacts.of(pallet) {
        println!("it touches {}", world.label(touching.other));
    }
    println!(
        "it stands on something: {}",
        contacts.stands_on(pallet).is_some()
    );
    Ok(())
}

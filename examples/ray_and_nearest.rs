//! Questions about what is where: a ray, the nearest, all within a radius, among whom one likes.

use gerust::collide::{Among, Boxes};
use gerust::prelude::*;

fn main() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    let pad = Collider::sensor(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    world.spawn((Name::new("pad"), Transform::at(4.0, 0.0, 0.0), pad));
    world.spawn((
        Name::new("stack-1"),
        Transform::at(9.0, 0.0, 0.0),
        cube.clone(),
    ));
    world.spawn((
        Name::new("stack-2"),
        Transform::at(15.0, 0.0, 0.0),
        cube.clone(),
    ));
    world.spawn((Name::new("crane"), Transform::at(0.0, 0.0, -7.0), cube));
    // Boxes are where the last frame left them; this brings them up to date without one.
    runtime.settle()?;

    let world = runtime.world();
    let boxes = world.global::<Boxes>()?;
    let way = Vec3::X * 50.0;
    for (what, among) in [("anything", Among::all()), ("solids", Among::solids())] {
        let struck = boxes
            .cast(Vec3::ZERO, way, &among)
            .expect("something is in the way");
        println!(
            "first of {what}: {} after {} m",
            world.label(struck.entity),
            struck.distance
        );
    }
    let nearest = boxes
        .nearest(Vec3::ZERO, 100.0, &Among::solids())
        .expect("there are some");
    println!(
        "nearest solid: {} at {} m",
        world.label(nearest.entity),
        nearest.distance
    );
    let mut found = Vec::new();
    boxes.within(Vec3::ZERO, 8.0, &Among::all(), &mut found);
    let names: Vec<String> = found
        .iter()
        .map(|found| world.label(found.entity))
        .collect();
    println!("within 8 m: {}", names.join(", "));
    Ok(())
}

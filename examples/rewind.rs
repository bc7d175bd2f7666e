//! Keeps the last moments, finds the frame in which a crate fell over the edge, goes back and tries again.

use gerust::prelude::*;
use gerust::runtime::Moments;

fn height(runtime: &Runtime) -> Result<f32, Error> {
    let world = runtime.world();
    let pallet = world.find("pallet").expect("it is never despawned");
    Ok(world.get::<Transform>(pallet)?.translation.y)
}

fn main() -> Result<(), Error> {
    let mut runtime = Runtime::new();
    let cube = |half: Vec3| Collider::solid(Aabb::from_center(Vec3::ZERO, half));
    let world = runtime.world_mut();
    let deck = (
        Name::new("deck"),
        Transform::default(),
        cube(Vec3::new(3.0, 0.5, 3.0)),
    );
    world.spawn(deck);
    let pallet = world.spawn((
        Name::new("pallet"),
        Transform::at(0.0, 1.0, 0.0),
        cube(Vec3::splat(0.5)),
        Body::dynamic()
            .with_velocity(Vec3::X * 2.0)
            .with_friction(0.02),
    ));

    // Ten seconds of moments.
    let mut moments = Moments::ring(600);
    moments.keep(&mut runtime);
    while height(&runtime)? > 0.0 {
        runtime.run_frames(1)?;
        moments.keep(&mut runtime);
    }
    let fell = runtime.world().global::<Clock>()?.frame();
    println!("the pallet fell off the deck; frame {fell}");

    let second_before = fell - 60;
    moments.go_back(&mut runtime, second_before)?;
    println!(
        "back in frame {second_before}: its height is {:.2} m",
        height(&runtime)?
    );

    let frames = fell - second_before;
    runtime.run_frames(frames)?;
    println!("the same frames again: {:.2} m", height(&runtime)?);

    moments.go_back(&mut runtime, second_before)?;
    runtime.world_mut().get_mut::<Body>(pallet)?.friction = 0.8;
    runtime.run_frames(frames)?;
    println!("with more friction: {:.2} m", height(&runtime)?);
    println!("moments held: {}", moments.len());
    Ok(())
}

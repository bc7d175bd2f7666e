//! Sails 1,000 km with a crate on deck, once with an origin that stays and once with one that goes along.

use gerust::prelude::*;
use gerust::runtime::{Origin, OriginFocus, OriginKit};

/// How far the crate has slipped on the deck at the end, and where the ship is, in metres.
fn sail(moves_origin: bool) -> Result<(f32, f64), Error> {
    let mut runtime = Runtime::new();
    runtime.add_kit(OriginKit)?;
    runtime.set_step_seconds(1.0 / 64.0)?;
    let world = runtime.world_mut();
    let deck = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::new(10.0, 0.5, 4.0)));
    let ship = world.spawn((Transform::default(), deck, Body::kinematic(Vec3::ZERO)));
    if moves_origin {
        world.attach(ship, OriginFocus::default())?;
    }
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    let start = Vec3::new(1.3, 1.0, 0.7);
    let crate_ = world.spawn((Transform::at(1.3, 1.0, 0.7), cube, Body::dynamic()));
    // The crate has come to rest on the deck when the ship leaves.
    runtime.run_frames(10)?;
    runtime.world_mut().get_mut::<Body>(ship)?.velocity = Vec3::X * 32_500.0;
    runtime.run_frames(1_970)?;

    let world = runtime.world();
    let place =
        |entity| -> Result<Vec3, Error> { Ok(world.get::<WorldTransform>(entity)?.translation()) };
    let slipped = (place(crate_)? - place(ship)? - start).length();
    let reached = world.global::<Origin>()?.absolute(place(ship)?);
    Ok((slipped, reached.x))
}

fn main() -> Result<(), Error> {
    for (name, moves_origin) in [("stays", false), ("goes along", true)] {
        let (slipped, reached) = sail(moves_origin)?;
        println!(
            "an origin that {name}: the crate is off by {:.2} mm after {:.0} km",
            slipped * 1e3,
            reached / 1e3
        );
    }
    Ok(())
}

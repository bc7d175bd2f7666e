//! A yard with moving carts, for benches of what is kept of frames.

use gerust::prelude::*;

/// Carts that roll over a yard, in rows of a number; every tenth stands in the way of the one behind.
pub(crate) fn yard(carts: u16, in_a_row: u16, threads: usize) -> Runtime {
    let mut runtime = Runtime::new();
    runtime.set_threads(threads).expect("they can be started");
    runtime.add_kit(StandardKit).expect("its names are free");
    let world = runtime.world_mut();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
    let slab = Aabb::from_center(Vec3::NEG_Y, Vec3::new(2000.0, 1.0, 2000.0));
    world.spawn((Transform::default(), Collider::solid(slab)));
    world.spawn_many((0..carts).map(|i| {
        let (x, z) = (f32::from(i % in_a_row), f32::from(i / in_a_row));
        let place = Transform::at(x * 2.0, 0.4, z * 2.0);
        let speed = if i % 10 == 0 { 2.0 } else { 3.0 };
        let body = Body::dynamic().with_velocity(Vec3::new(0.0, 0.0, speed));
        (place, cube.clone(), body)
    }));
    runtime.run_frames(30).expect("nothing fails");
    runtime
}

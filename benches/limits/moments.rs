//! Moments against the frames that they are kept of.

use crate::harness::Table;
use gerust::prelude::*;
use gerust::runtime::Moments;
use std::time::Instant;

/// Carts on a yard; every tenth stands in the way of the one behind.
fn yard() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.set_threads(1).expect("one is always there");
    runtime.add_kit(StandardKit).expect("its names are free");
    let world = runtime.world_mut();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
    let slab = Collider::solid(Aabb::from_center(
        Vec3::NEG_Y,
        Vec3::new(2000.0, 1.0, 2000.0),
    ));
    world.spawn((Transform::default(), slab));
    world.spawn_many((0..3_000_u16).map(|i| {
        let place = Transform::at(f32::from(i % 60) * 2.0, 0.4, f32::from(i / 60) * 2.0);
        let speed = if i % 10 == 0 { 2.0 } else { 3.0 };
        let body = Body::dynamic().with_velocity(Vec3::new(0.0, 0.0, speed));
        (place, cube.clone(), body)
    }));
    runtime.run_frames(30).expect("nothing fails");
    runtime
}

pub(crate) fn rows(table: &mut Table) {
    let name = "frame of 3000 carts that is kept, and not";
    if !table.wants(name) {
        return;
    }
    let mut plain = yard();
    let mut runtime = yard();
    let mut moments = Moments::ring(60);
    // From then on, a moment takes the memory of the oldest one, as in a game that runs for longer than it can rewind.
    for _ in 0..60 {
        runtime.run_frames(1).expect("nothing fails");
        plain.run_frames(1).expect("nothing fails");
        moments.keep(&mut runtime);
    }
    // What noting writes costs the frame counts as well.
    let with = || {
        let start = Instant::now();
        runtime.run_frames(1).expect("nothing fails");
        moments.keep(&mut runtime);
        start.elapsed()
    };
    let without = || {
        let start = Instant::now();
        plain.run_frames(1).expect("nothing fails");
        start.elapsed()
    };
    table.row_timed(name, 1.05, with, without);
    let per_moment = moments.memory() / moments.len();
    // The least that keeping one can cost: as many bytes copied in one piece to where the oldest were.
    let source = vec![1_u8; per_moment];
    let mut ring: Vec<Vec<u8>> = (0..60_u8).map(|i| vec![i; per_moment]).collect();
    let (mut kept, mut copied) = (Vec::new(), Vec::new());
    for target in &mut ring {
        runtime.run_frames(1).expect("nothing fails");
        let start = Instant::now();
        moments.keep(&mut runtime);
        kept.push(start.elapsed());
        let start = Instant::now();
        target.copy_from_slice(&source);
        copied.push(start.elapsed());
        std::hint::black_box(target);
    }
    kept.sort_unstable();
    copied.sort_unstable();
    let megabytes = per_moment * 600 / 1_000_000;
    println!(
        "keeping one takes {:.2?}, copying as many bytes {:.2?}, going back {:.2?}; each has {per_moment} bytes, 600 of them {megabytes} MB",
        kept[kept.len() / 2],
        copied[copied.len() / 2],
        {
            let moment = moments.iter().nth(5).expect("more were kept").clone();
            let start = Instant::now();
            runtime.go_back(&moment).expect("it is its own");
            start.elapsed()
        }
    );
}

//! A small game with a fixed set of kinds, by a `Vec` for each and by the runtime, measured: what the runtime costs where nothing of it
//! is needed.
//!
//! Run it with `--release`; a debug build says nothing about either.

use gerust::prelude::*;
use std::hint::black_box;
use std::time::Instant;

const CARTS: usize = 40;
const GULLS: usize = 200;
const FRAMES: u64 = 20_000;
const STEP: f32 = 1.0 / 60.0;

struct Cart {
    place: f32,
    speed: f32,
}

struct Gull {
    place: Vec3,
    velocity: Vec3,
}

struct Driving {
    place: f32,
    speed: f32,
}

/// Microseconds for a frame.
fn by_vecs() -> (f64, f32) {
    let mut carts: Vec<Cart> = (0..CARTS)
        .map(|_| Cart {
            place: 0.0,
            speed: 2.0,
        })
        .collect();
    let gull = || Gull {
        place: Vec3::ZERO,
        velocity: Vec3::X,
    };
    let mut gulls: Vec<Gull> = (0..GULLS).map(|_| gull()).collect();
    let start = Instant::now();
    for _ in 0..FRAMES {
        for cart in &mut carts {
            cart.place += cart.speed * STEP;
        }
        for gull in &mut gulls {
            gull.place += gull.velocity * STEP;
        }
        black_box((&mut carts, &mut gulls));
    }
    let took = start.elapsed().as_secs_f64() * 1e6 / FRAMES as f64;
    (took, gulls[0].place.x)
}

fn by_runtime() -> Result<(f64, f32), gerust::Error> {
    let mut runtime = Runtime::bare();
    let world = runtime.world_mut();
    world.spawn_many((0..CARTS).map(|_| {
        (Driving {
            place: 0.0,
            speed: 2.0,
        },)
    }));
    world.spawn_many((0..GULLS).map(|_| (Transform::default(), Velocity(Vec3::X))));
    runtime.add_system(
        System::named("drive")
            .takes::<Rows<&mut Driving>>()
            .runs(|mut rows| rows.each(|cart| cart.place += cart.speed * STEP)),
    )?;
    runtime.add_system(
        System::named("fly")
            .takes::<Rows<(&mut Transform, &Velocity)>>()
            .runs(|mut rows| rows.each(|(gull, velocity)| gull.translation += velocity.0 * STEP)),
    )?;
    let start = Instant::now();
    runtime.run_frames(FRAMES)?;
    let took = start.elapsed().as_secs_f64() * 1e6 / FRAMES as f64;
    let rows = runtime.world().rows::<&Transform>();
    let first = rows.iter().next().map_or(0.0, |gull| gull.translation.x);
    Ok((took, first))
}

fn main() -> Result<(), gerust::Error> {
    let (vecs, there) = by_vecs();
    let (runtime, here) = by_runtime()?;
    println!("both have come to the same place: {}", there == here);
    // Never the same twice.
    eprintln!("a Vec for each kind {vecs:.2} µs a frame, the runtime {runtime:.2} µs");
    Ok(())
}

//! One large record for everything against a component for each thing, measured: a walk that needs two fields of many.
//!
//! Run it with `--release`; a debug build says nothing about either.

use gerust::prelude::*;
use std::hint::black_box;
use std::time::Instant;

/// All that a gull could ever need.
#[derive(Clone)]
struct Record {
    place: Vec3,
    velocity: Vec3,
    /// Names of feathers, plans for the day, and the like.
    rest: [f32; 58],
}

const GULLS: usize = 100_000;
const ROUNDS: usize = 21;

fn median_of(mut work: impl FnMut()) -> f64 {
    let mut times: Vec<f64> = (0..ROUNDS)
        .map(|_| {
            let start = Instant::now();
            work();
            start.elapsed().as_secs_f64()
        })
        .collect();
    times.sort_by(f64::total_cmp);
    times[ROUNDS / 2]
}

fn main() {
    let record = Record {
        place: Vec3::ZERO,
        velocity: Vec3::X,
        rest: [0.0; 58],
    };
    let mut records = vec![record; GULLS];
    let by_record = median_of(|| {
        for gull in &mut records {
            gull.place += gull.velocity * (1.0 / 60.0);
        }
        black_box(&mut records);
    });

    let mut world = World::new();
    world.spawn_many((0..GULLS).map(|_| (Transform::default(), Velocity(Vec3::X), [0.0_f32; 58])));
    let by_column = median_of(|| {
        let mut rows = world.rows_mut::<(&mut Transform, &Velocity)>();
        rows.each(|(transform, velocity)| transform.translation += velocity.0 * (1.0 / 60.0));
    });

    let first = records[0].place.x;
    let rows = world.rows::<&Transform>();
    let same = rows
        .iter()
        .all(|transform| transform.translation.x == first);
    println!("both have come to the same places: {same}");
    println!(
        "bytes of a record that are not needed: {}",
        size_of_val(&records[0].rest)
    );
    // Never the same twice.
    eprintln!(
        "records {:.0} µs, columns {:.0} µs: {:.1} times as fast",
        by_record * 1e6,
        by_column * 1e6,
        by_record / by_column
    );
}

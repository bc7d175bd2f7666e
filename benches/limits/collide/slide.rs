//! Frames in which many bodies slide over a floor of tiles or come to rest on it.

use super::by_hand::ByHand;
use crate::harness::Table;
use gerust::prelude::*;
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use std::hint::black_box;
use std::time::{Duration, Instant};

const TILES: usize = 10_000;
/// Frames after which all crates have landed.
const LANDED: u64 = 120;
/// Frames after which all crates with friction are at rest.
const RESTS: u64 = 300;

pub(super) fn rows(table: &mut Table) {
    frame_row(table, "10k dynamic slide among 10k static, in ms", 0.0);
    frame_row(table, "10k dynamic rest among 10k static, in ms", 0.4);
    by_hand_row(table);
    rest_row(table);
    threads_row(table);
}

/// Where each crate begins, and with which velocity.
fn crates() -> impl Iterator<Item = (Vec3, Vec3)> {
    let mut random = StdRng::seed_from_u64(11);
    (0..10_000).map(move |number| {
        let mut aside = || random.random_range(0.5..1.5);
        let (x, z) = ((number % 100) as f32 * 2.0, (number / 100) as f32 * 2.0);
        let place = Vec3::new(x + aside(), 1.0 + 3.0 * aside(), z + aside());
        (place, Vec3::new(aside() - 1.0, 0.0, aside() - 1.0))
    })
}

fn scene(threads: usize, friction: f32) -> Runtime {
    let mut runtime = Runtime::new();
    runtime.set_threads(threads).expect("threads can be had");
    let world = runtime.world_mut();
    // Tiles of a floor need not report that they touch each other.
    let layers = world.global_mut::<Layers>().expect("always there");
    let ground = layers.add("ground").expect("there is room");
    let tile = Collider::solid(Aabb::from_corner(Vec3::NEG_Y, Vec3::new(2.0, 1.0, 2.0)));
    let tile = tile.in_layer(ground);
    world.spawn_many((0..TILES).map(|number| {
        let (x, z) = ((number % 100) as f32 * 2.0, (number / 100) as f32 * 2.0);
        (Transform::at(x, 0.0, z), tile.clone())
    }));
    let crate_ = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    world.spawn_many(crates().map(|(place, velocity)| {
        let body = Body::dynamic().with_friction(friction);
        (
            Transform::at(place.x, place.y, place.z),
            crate_.clone(),
            body.with_velocity(velocity),
        )
    }));
    runtime
}

pub(super) fn frame(runtime: &mut Runtime) -> Duration {
    let start = Instant::now();
    runtime.run_frames(1).expect("nothing fails");
    start.elapsed()
}

/// 10,000 crates fall onto a floor of 10,000 tiles: whole frames on one thread, over three seconds in which they fall, land
/// and slide on or come to rest.
fn frame_row(table: &mut Table, name: &str, friction: f32) {
    if !table.wants(name) {
        return;
    }
    let mut runtime = scene(1, friction);
    let mut times: Vec<f64> = (0..180)
        .map(|_| frame(&mut runtime).as_secs_f64() * 1e3)
        .collect();
    let last = times[179];
    times.sort_unstable_by(f64::total_cmp);
    println!(
        "{name:<44} 95 % of the frames within {:.2} ms, the last {last:.2} ms",
        times[171]
    );
    table.figure(name, times[90], 1000.0 / 60.0, "ms, median");
    black_box(&runtime);
}

/// The same crates once they slide, against code that was written for them alone.
fn by_hand_row(table: &mut Table) {
    let name = "10k slide, one thread, by hand";
    if !table.wants(name) {
        return;
    }
    let mut runtime = scene(1, 0.0);
    let mut by_hand = ByHand::new(crates(), TILES);
    for _ in 0..LANDED {
        frame(&mut runtime);
        by_hand.frame();
    }
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    println!(
        "{name:<44} {} contacts, {} by hand",
        contacts.iter().count(),
        by_hand.pairs.len()
    );
    drop(contacts);
    table.row_timed(
        name,
        8.0,
        || frame(&mut runtime),
        || {
            let start = Instant::now();
            by_hand.frame();
            start.elapsed()
        },
    );
}

/// Frames in which all crates are at rest, against a loop that only looks whether one of them was written to.
fn rest_row(table: &mut Table) {
    let name = "10k at rest, one thread, by hand";
    if !table.wants(name) {
        return;
    }
    let mut runtime = scene(1, 0.4);
    runtime.run_frames(RESTS).expect("nothing fails");
    let known: Vec<(Transform, Body)> = runtime
        .world_mut()
        .rows::<(&Transform, &Body)>()
        .iter()
        .map(|(transform, body)| (*transform, *body))
        .collect();
    assert!(
        known.iter().all(|(_, body)| body.velocity == Vec3::ZERO),
        "all are at rest"
    );
    let now = known.clone();
    table.row_timed(
        name,
        3.0,
        || frame(&mut runtime),
        || {
            let start = Instant::now();
            let written = now.iter().zip(&known).filter(|(now, known)| now != known);
            assert_eq!(black_box(written.count()), 0, "nothing was written");
            start.elapsed()
        },
    );
}

fn threads_row(table: &mut Table) {
    let name = "10k slide, two threads against one";
    if !table.wants(name) {
        return;
    }
    let [mut two, mut one] = [2, 1].map(|threads| {
        let mut runtime = scene(threads, 0.0);
        runtime.run_frames(LANDED).expect("nothing fails");
        runtime
    });
    table.row_timed(name, 0.67, || frame(&mut two), || frame(&mut one));
    let name = "10k slide, two threads, what is possible";
    table.row_timed(name, 0.67, || plain_loop(2), || plain_loop(1));
}

/// Two pieces of work without shared memory: by how much two threads are faster than one on this machine, at this moment.
fn plain_loop(threads: usize) -> Duration {
    let piece = || {
        let spin = |sum: f32, step: u32| (sum + step as f32).sqrt();
        black_box((0..2_000_000).fold(black_box(1.0), spin));
    };
    let start = Instant::now();
    std::thread::scope(|scope| {
        if threads == 2 {
            scope.spawn(piece);
        } else {
            piece();
        }
        piece();
    });
    start.elapsed()
}

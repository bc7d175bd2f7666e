//! A figure for each promise of motion: energy, momentum, rest, hits, overlaps and riding.

use super::pit::Pit;
use crate::harness::Table;
use gerust::prelude::*;
use gerust::runtime::{Route, Spin};
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};

pub(super) fn rows(table: &mut Table) {
    energy_row(table);
    momentum_row(table);
    rest_row(table);
    height_row(table);
    bounce_row(table);
    sensor_row(table);
    wall_row(table);
    overlap_rows(table);
    ride_row(table);
}

fn cube(half: f32) -> Aabb {
    Aabb::from_center(Vec3::ZERO, Vec3::splat(half))
}

fn runtime(gravity: f32) -> Runtime {
    let mut runtime = Runtime::new();
    runtime.set_threads(1).expect("one is always there");
    runtime.world_mut().set_global(Gravity(Vec3::Y * gravity));
    runtime
}

fn spawn(runtime: &mut Runtime, own: Aabb, place: Vec3) -> Entity {
    let transform = Transform::at(place.x, place.y, place.z);
    runtime.world_mut().spawn((transform, Collider::solid(own)))
}

/// A floor whose top is at 0.
fn spawn_floor(runtime: &mut Runtime) {
    let floor = Aabb::from_center(Vec3::ZERO, Vec3::new(20.0, 1.0, 20.0));
    spawn(runtime, floor, Vec3::NEG_Y);
}

fn spawn_body(runtime: &mut Runtime, own: Aabb, place: Vec3, body: Body) -> Entity {
    let transform = Transform::at(place.x, place.y, place.z);
    runtime
        .world_mut()
        .spawn((transform, Collider::solid(own), body))
}

fn body(runtime: &Runtime, id: Entity) -> Body {
    *runtime.world().get::<Body>(id).expect("it is alive")
}

fn place(runtime: &Runtime, id: Entity) -> Vec3 {
    let placed = runtime.world().get::<WorldTransform>(id);
    placed.expect("it is alive").translation()
}

fn frames(runtime: &mut Runtime, frames: u64) {
    runtime.run_frames(frames).expect("nothing fails");
}

fn energy(runtime: &Runtime, ids: &[Entity]) -> f64 {
    let of = |&id| {
        let body = body(runtime, id);
        f64::from(body.mass) * body.velocity.as_dvec3().length_squared() / 2.0
    };
    ids.iter().map(of).sum()
}

/// Six elastic boxes of random masses in a tube, for a minute: their greatest energy as a share of that at the start.
fn energy_row(table: &mut Table) {
    let name = "six elastic boxes in a tube, a minute";
    if !table.wants(name) {
        return;
    }
    let mut random = StdRng::seed_from_u64(21);
    let mut runtime = runtime(0.0);
    for side in [-11.0, 11.0] {
        let wall = Aabb::from_center(Vec3::ZERO, Vec3::new(1.0, 4.0, 4.0));
        let elastic = Body::immovable().with_restitution(1.0);
        spawn_body(&mut runtime, wall, Vec3::X * side, elastic);
    }
    let ids: Vec<Entity> = (0..6_u8)
        .map(|number| {
            let elastic = Body::dynamic()
                .with_velocity(Vec3::X * random.random_range(-20.0..20.0))
                .with_mass(10_f32.powf(random.random_range(-3.0..6.0)))
                .with_restitution(1.0);
            let at = Vec3::X * (f32::from(number) * 3.0 - 9.0);
            spawn_body(&mut runtime, cube(0.5), at, elastic)
        })
        .collect();
    let start = energy(&runtime, &ids);
    let mut most = 0.0_f64;
    for _ in 0..3_600 {
        frames(&mut runtime, 1);
        most = most.max(energy(&runtime, &ids));
    }
    table.figure(name, most / start, 1.001, "of start");
}

/// A cloud of 200 boxes of random masses that fly into each other: how much its momentum changes, in millionths of what moves.
fn momentum_row(table: &mut Table) {
    let name = "momentum of 200 boxes that meet, change";
    if !table.wants(name) {
        return;
    }
    let mut random = StdRng::seed_from_u64(22);
    let mut runtime = runtime(0.0);
    let ids: Vec<Entity> = (0..200_u8)
        .map(|number| {
            let cell = Vec3::new(f32::from(number % 6), f32::from(number / 36), 0.0)
                .with_z(f32::from(number / 6 % 6));
            let at = cell * 1.5 - Vec3::splat(4.0);
            let inwards = at * -1.0 + Vec3::splat(random.random_range(-1.0..1.0));
            let thrown = Body::dynamic()
                .with_velocity(inwards)
                .with_mass(10_f32.powf(random.random_range(-1.0..2.0)))
                .with_restitution(random.random_range(0.0..1.0))
                .with_friction(random.random_range(0.0..2.0));
            spawn_body(&mut runtime, cube(0.5), at, thrown)
        })
        .collect();
    let sums = |runtime: &Runtime| {
        let (mut sum, mut all) = (Vec3::ZERO.as_dvec3(), 0.0);
        for &id in &ids {
            let body = body(runtime, id);
            let own = f64::from(body.mass) * body.velocity.as_dvec3();
            (sum, all) = (sum + own, all + own.length());
        }
        (sum, all)
    };
    let (before, all) = sums(&runtime);
    frames(&mut runtime, 300);
    let change = (sums(&runtime).0 - before).length() / all;
    table.figure(name, change * 1e6, 10.0, "millionths");
}

/// 27 crates of mixed masses that were stacked: how many still have a velocity after ten seconds.
fn rest_row(table: &mut Table) {
    let name = "stacked crates that never come to rest";
    if !table.wants(name) {
        return;
    }
    let mut random = StdRng::seed_from_u64(23);
    let mut runtime = runtime(-9.81);
    spawn_floor(&mut runtime);
    let ids: Vec<Entity> = (0..27_u8)
        .map(|number| {
            let cell = Vec3::new(f32::from(number % 3), f32::from(number / 9), 0.0)
                .with_z(f32::from(number / 3 % 3));
            let aside = Vec3::new(
                random.random_range(-0.2..0.2),
                0.6,
                random.random_range(-0.2..0.2),
            );
            let mass = 10_f32.powf(random.random_range(-1.0..2.0));
            let crate_ = Body::dynamic().with_mass(mass).with_friction(0.3);
            spawn_body(&mut runtime, cube(0.5), cell * 1.01 + aside, crate_)
        })
        .collect();
    frames(&mut runtime, 600);
    let moves = ids
        .iter()
        .filter(|&&id| body(&runtime, id).velocity != Vec3::ZERO);
    table.figure(name, moves.count() as f64, 0.0, "of 27");
}

/// A ball that bounces, with `rate` frames a second.
fn ball(rate: f64, height: f32, restitution: f32) -> (Runtime, Entity) {
    let mut runtime = runtime(-9.81);
    runtime
        .set_step_seconds(1.0 / rate)
        .expect("it is positive");
    spawn_floor(&mut runtime);
    let ball = Body::dynamic().with_restitution(restitution);
    let ball = spawn_body(&mut runtime, cube(0.25), Vec3::Y * (height + 0.25), ball);
    (runtime, ball)
}

/// A restitution of 1 from 5.5 m: the least height after a minute, of 30, 60 and 240 frames a second.
fn height_row(table: &mut Table) {
    let name = "lost of 5.5 m by a minute of bouncing";
    if !table.wants(name) {
        return;
    }
    let lost = |rate: f64| {
        let (mut runtime, ball) = ball(rate, 5.5, 1.0);
        frames(&mut runtime, (58.0 * rate) as u64);
        let mut most = 0.0_f32;
        for _ in 0..(3.0 * rate) as u64 {
            frames(&mut runtime, 1);
            most = most.max(place(&runtime, ball).y - 0.25);
        }
        5.5 - f64::from(most)
    };
    let worst = [30.0, 60.0, 240.0]
        .map(lost)
        .into_iter()
        .fold(0.0, f64::max);
    table.figure(name, worst, 0.1, "m");
}

/// A restitution of 0.5: by how much the first three heights miss the square law.
fn bounce_row(table: &mut Table) {
    let name = "heights at restitution 0.5, off the law";
    if !table.wants(name) {
        return;
    }
    let mut worst = 0.0_f64;
    for rate in [30.0, 60.0, 240.0] {
        let (mut runtime, ball) = ball(rate, 8.0, 0.5);
        let (mut heights, mut rises) = (Vec::new(), false);
        for _ in 0..(5.0 * rate) as u64 {
            frames(&mut runtime, 1);
            let speed = body(&runtime, ball).velocity.y;
            if speed > 0.0 && !rises {
                let above = place(&runtime, ball).y - 0.25;
                heights.push(f64::from(above + speed * speed / (2.0 * 9.81)));
            }
            rises = speed > 0.0;
        }
        for (number, height) in heights.iter().take(3).enumerate() {
            let right = 8.0 * 0.25_f64.powi(number as i32 + 1);
            worst = worst.max((height / right - 1.0).abs());
        }
    }
    table.figure(name, worst * 100.0, 2.0, "%");
}

/// Bodies of 0.2 m through a sensor of half a metre at 10 to 1,000 m/s: how many it does not notice.
fn sensor_row(table: &mut Table) {
    let name = "passes that a sensor does not notice";
    if !table.wants(name) {
        return;
    }
    let mut random = StdRng::seed_from_u64(24);
    let mut missed = 0;
    for _ in 0..1_000 {
        let mut runtime = runtime(0.0);
        let sensor = Collider::sensor(cube(0.25));
        runtime.world_mut().spawn((Transform::default(), sensor));
        let speed = 10_f32.powf(random.random_range(1.0..3.0));
        let start = Vec3::new(-random.random_range(0.5..20.0), 0.0, 0.0);
        let shot = Body::dynamic().with_velocity(Vec3::X * speed);
        spawn_body(&mut runtime, cube(0.1), start, shot);
        let mut began = 0;
        for _ in 0..140 {
            frames(&mut runtime, 1);
            let posted = runtime.world().posted::<Contact>();
            began += posted
                .iter()
                .filter(|contact| contact.state == ContactState::Began)
                .count();
            if began > 0 {
                break;
            }
        }
        missed += usize::from(began != 1);
    }
    table.figure(name, f64::from(missed as u32), 0.0, "of 1000");
}

/// Bodies of a millimetre at a wall of a millimetre, at 1 to 10,000 m/s: how many pass through it.
fn wall_row(table: &mut Table) {
    let name = "bodies of 1 mm that pass a wall of 1 mm";
    if !table.wants(name) {
        return;
    }
    let mut random = StdRng::seed_from_u64(25);
    let mut passed = 0;
    for _ in 0..1_000 {
        let mut runtime = runtime(0.0);
        let sheet = Aabb::from_center(Vec3::ZERO, Vec3::new(0.000_5, 2_000.0, 2_000.0));
        spawn(&mut runtime, sheet, Vec3::ZERO);
        let mut aside = || random.random_range(-1.0_f32..1.0);
        let towards = Vec3::new(1.0, aside(), aside()).normalize();
        let speed = 10_f32.powf(2.0 + 2.0 * aside());
        let start = Vec3::X * -(0.001 + 15.0 * (1.0 + aside()));
        let shot = Body::dynamic().with_velocity(towards * speed);
        let shot = spawn_body(&mut runtime, cube(0.000_5), start, shot);
        frames(&mut runtime, 8);
        passed += usize::from(place(&runtime, shot).x > -0.000_99);
    }
    table.figure(name, f64::from(passed as u32), 0.0, "of 1000");
}

/// Boxes thrown into the pit for three seconds: overlaps over all frames.
fn overlap_rows(table: &mut Table) {
    for a_second in [300, 1_000, 2_000] {
        let name = format!("overlaps in a pit at {a_second} boxes a second");
        if !table.wants(&name) {
            continue;
        }
        let (mut pit, mut overlaps) = (Pit::new(), 0);
        for _ in 0..180 {
            pit.throw(a_second, |_, _| ());
            frames(&mut pit.runtime, 1);
            overlaps += pit.overlaps();
        }
        table.figure(&name, overlaps as f64, 0.0, "overlaps");
    }
}

/// Ten stacked crates on a zigzag, on a route and on a turning arm: how far they end from where they began on their carrier.
fn ride_row(table: &mut Table) {
    let name = "ten stacked crates, off after their ride";
    if !table.wants(name) {
        return;
    }
    let deck = Aabb::from_center(Vec3::ZERO, Vec3::new(3.0, 0.1, 3.0));
    let worst = [0, 1, 2].map(|kind| {
        let mut runtime = runtime(-9.81);
        runtime.add_kit(StandardKit).expect("it is the first one");
        let carrier = spawn(&mut runtime, deck, Vec3::ZERO);
        let world = runtime.world_mut();
        match kind {
            0 => world.attach(carrier, Body::kinematic(Vec3::ZERO)).map(drop),
            1 => {
                let stops = vec![
                    Vec3::ZERO,
                    Vec3::new(6.0, 2.0, 0.0),
                    Vec3::new(0.0, 0.0, 5.0),
                ];
                world.attach(carrier, Route::new(stops, 2.0)).map(drop)
            }
            _ => {
                let hub = world.spawn((Transform::default(), Spin(Vec3::Y * 0.5)));
                world.link(carrier, hub).expect("both are alive");
                let arm = Transform::at(8.0, 0.0, 0.0);
                world.attach(carrier, arm).map(drop)
            }
        }
        .expect("it is alive");
        runtime.settle().expect("nothing fails");
        let start = place(&runtime, carrier);
        let crates: Vec<Entity> = (0..10_u8)
            .map(|level| {
                let above = Vec3::Y * (0.35 + 0.5 * f32::from(level));
                let crate_ = Body::dynamic().with_friction(0.5);
                spawn_body(&mut runtime, cube(0.25), start + above, crate_)
            })
            .collect();
        // The supports are known before the carrier moves.
        runtime.settle().expect("nothing fails");
        let mut worst = 0.0_f32;
        for frame in 0..600_u64 {
            if kind == 0 && frame.is_multiple_of(60) {
                let velocity = [Vec3::X, Vec3::Z, Vec3::NEG_X, Vec3::NEG_Z];
                let leg = velocity[(frame / 60) as usize % 4] * 2.0;
                let carrier = runtime.world_mut().get_mut::<Body>(carrier);
                carrier.expect("it is alive").velocity = leg;
            }
            frames(&mut runtime, 1);
        }
        for (level, &id) in crates.iter().enumerate() {
            let above = Vec3::Y * (0.35 + 0.5 * level as f32);
            let apart = place(&runtime, id) - place(&runtime, carrier);
            worst = worst.max((apart - above).length());
        }
        worst
    });
    let worst = worst.into_iter().fold(0.0, f32::max);
    table.figure(name, f64::from(worst) * 1e3, 10.0, "mm");
}

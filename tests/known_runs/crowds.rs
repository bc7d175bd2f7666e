//! Crowds of bodies, thrown, dropped and shot at each other.

use super::setup::{Dice, iterations, room, sensor, slab, spawn_body, weightless};
use gerust::collide::TileGrid;
use gerust::prelude::*;

pub(super) fn pile(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    pile_of(world, dice, 70)
}

pub(super) fn other_pile(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    pile_of(world, dice, 50)
}

/// Boxes of any size, mass, bounce and friction fall into a room.
fn pile_of(world: &mut World, dice: &mut Dice, count: usize) -> Result<(), Error> {
    room(world, Vec3::new(4.0, 6.0, 3.0));
    let mut placed: Vec<Aabb> = Vec::new();
    while placed.len() < count {
        let half = dice.vector(0.1, 0.6);
        let center = Vec3::new(
            dice.number(-3.3, 3.3),
            dice.number(-5.0, 5.0),
            dice.number(-2.3, 2.3),
        );
        let here = Aabb::from_center(center, half);
        if placed.iter().any(|other| other.touches(&here.grown(0.01))) {
            continue;
        }
        placed.push(here);
        let mut body = dice.body().with_velocity(dice.vector(-8.0, 8.0));
        body.gravity_scale = dice.among(&[1.0, 1.0, 1.0, 0.2, -0.5]);
        spawn_body(world, center, half, body);
    }
    Ok(())
}

/// Without gravity: elastic and dull boxes, among sensors.
pub(super) fn gas(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    weightless(world);
    room(world, Vec3::splat(4.0));
    for x in -2..=2_i8 {
        for y in -2..=2_i8 {
            let center = Vec3::new(f32::from(x), f32::from(y), 0.3 * f32::from(x * y)) * 1.4;
            let body = dice.body().with_velocity(dice.vector(-20.0, 20.0));
            spawn_body(world, center, dice.vector(0.1, 0.5), body);
        }
    }
    for _ in 0..6 {
        world.spawn(sensor(dice.vector(-3.0, 3.0), dice.vector(0.05, 0.8)));
    }
    Ok(())
}

/// Fast bodies among thin walls, plates without thickness and sensors.
pub(super) fn shots(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    room(world, Vec3::splat(20.0));
    for number in 0..10_u8 {
        let mut half = dice.vector(1.0, 6.0);
        half[usize::from(number % 3)] = dice.among(&[0.0, 0.0005, 0.02]);
        world.spawn(slab(dice.vector(-15.0, 15.0), half));
        world.spawn(sensor(dice.vector(-18.0, 18.0), dice.vector(0.1, 0.4)));
    }
    for number in 0..14_u8 {
        let speed = dice.among(&[30.0, 300.0, 3_000.0, 10_000.0]);
        let body = dice.body().with_velocity(dice.vector(-1.0, 1.0) * speed);
        let center = Vec3::new(
            f32::from(number) * 2.5 - 17.0,
            18.5,
            dice.number(-18.0, 18.0),
        );
        spawn_body(
            world,
            center,
            Vec3::splat(dice.among(&[0.0005, 0.05, 0.2])),
            body,
        );
    }
    Ok(())
}

/// Crates slide among posts and over seams of slabs.
pub(super) fn sliding_crates(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    for x in -3..3_i8 {
        for z in -3..3_i8 {
            let center = Vec3::new(f32::from(x) * 4.0 + 2.0, -0.5, f32::from(z) * 4.0 + 2.0);
            world.spawn(slab(center, Vec3::new(2.0, 0.5, 2.0)));
            if dice.chance(0.5) {
                world.spawn(slab(center + Vec3::Y, Vec3::new(0.3, 0.5, 0.3)));
            }
        }
    }
    for x in -5..5_i8 {
        for z in -5..5_i8 {
            let center = Vec3::new(f32::from(x) * 2.0 + 0.7, 0.35, f32::from(z) * 2.0 + 0.6);
            let velocity = dice.vector(-5.0, 5.0).with_y(0.0);
            spawn_body(
                world,
                center,
                Vec3::splat(0.35),
                dice.body().with_velocity(velocity),
            );
        }
    }
    Ok(())
}

/// Bodies that begin inside of each other, on a floor.
pub(super) fn tangle(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    iterations(world, 2);
    world.spawn(slab(Vec3::NEG_Y, Vec3::new(9.0, 1.0, 9.0)));
    for _ in 0..18 {
        let center = Vec3::new(
            dice.number(-1.5, 1.5),
            dice.number(0.5, 2.5),
            dice.number(-1.5, 1.5),
        );
        let body = dice.body();
        spawn_body(world, center, dice.vector(0.2, 0.6), body);
    }
    Ok(())
}

/// Bodies that begin inside of walls: most get out, some are enclosed.
pub(super) fn in_walls(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    for number in 0..6_u8 {
        let at = Vec3::X * (f32::from(number) * 8.0);
        world.spawn(slab(at, Vec3::new(2.0, 0.4, 2.0)));
        world.spawn(slab(
            at + Vec3::new(2.0, 1.0, 0.0),
            Vec3::new(0.2, 1.0, 2.0),
        ));
        if number > 3 {
            world.spawn(slab(at + Vec3::Y * 1.2, Vec3::new(2.0, 0.2, 2.0)));
        }
        for _ in 0..2 {
            let center = at
                + Vec3::new(
                    dice.number(-1.8, 1.8),
                    dice.number(-0.2, 1.0),
                    dice.number(-1.8, 1.8),
                );
            spawn_body(world, center, dice.vector(0.1, 0.4), dice.body());
        }
    }
    Ok(())
}

/// The pile in two dimensions.
pub(super) fn flat_pile(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    world.set_global(Dimensions::Two);
    pile_of(world, dice, 9)?;
    for x in -3..=3_i8 {
        let center = Vec3::new(f32::from(x), 5.2, dice.number(-9.0, 9.0));
        spawn_body(world, center, dice.vector(0.1, 0.3), dice.body());
    }
    Ok(())
}

/// Gravity along x and z at the same time.
pub(super) fn gravity_aside(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    pile_of(world, dice, 30)?;
    world.set_global(Gravity(Vec3::new(6.0, 0.0, -4.0)));
    Ok(())
}

/// Bodies run through a maze that is one grid of tiles, and over one that stands upright.
pub(super) fn maze_of_tiles(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    let counts = [9, 2, 9];
    let mut grid = TileGrid::new(counts, Vec3::new(1.5, 1.0, 1.5))?;
    for x in 0..9 {
        for z in 0..9 {
            grid.set_solid([x, 0, z], true);
            let is_edge = x == 0 || z == 0 || x == 8 || z == 8;
            grid.set_solid([x, 1, z], is_edge || dice.chance(0.2));
        }
    }
    let free: Vec<[u32; 3]> = (1..8)
        .flat_map(|x| (1..8).map(move |z| [x, 1, z]))
        .filter(|&tile| !grid.is_solid(tile))
        .collect();
    world.spawn((Transform::default(), Collider::tiles(grid)));
    for tile in free.into_iter().step_by(2) {
        let center =
            Vec3::new(tile[0] as f32 + 0.5, 1.6, tile[2] as f32 + 0.5) * Vec3::new(1.5, 1.0, 1.5);
        let velocity = dice.vector(-9.0, 9.0);
        spawn_body(
            world,
            center,
            dice.vector(0.1, 0.5),
            dice.body().with_velocity(velocity),
        );
    }
    Ok(())
}

/// Where numbers are coarse.
pub(super) fn far_away(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    let at = Vec3::new(20_000.0, -8_000.0, 3_000.0);
    world.spawn(slab(at, Vec3::new(6.0, 1.0, 6.0)));
    for number in 0..16_u8 {
        let (x, z) = (f32::from(number % 4), f32::from(number / 4));
        let center = at + Vec3::new(x * 2.0 - 3.0, 2.0 + dice.number(0.0, 3.0), z * 2.0 - 3.0);
        let velocity = dice.vector(-3.0, 3.0);
        spawn_body(
            world,
            center,
            dice.vector(0.2, 0.6),
            dice.body().with_velocity(velocity),
        );
    }
    Ok(())
}

/// Enough bodies for lists of several words, sorted trees and threads.
pub(super) fn large_crowd(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    world.spawn(slab(Vec3::NEG_Y * 0.5, Vec3::new(60.0, 0.5, 60.0)));
    for x in -20..20_i8 {
        for z in -20..20_i8 {
            let center = Vec3::new(
                f32::from(x) * 2.5,
                0.4 + dice.number(0.0, 0.3),
                f32::from(z) * 2.5,
            );
            let velocity = dice.vector(-12.0, 12.0) * Vec3::new(1.0, 0.2, 1.0);
            let half = Vec3::splat(dice.among(&[0.2, 0.3, 0.4]));
            match dice.chance(0.15) {
                true => _ = world.spawn(slab(center, half * 2.0)),
                false => _ = spawn_body(world, center, half, dice.body().with_velocity(velocity)),
            }
        }
    }
    Ok(())
}

/// Columns of crates at rest, hit by a heavy and a light body.
pub(super) fn columns(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    world.spawn(slab(Vec3::NEG_Y * 0.5, Vec3::new(20.0, 0.5, 20.0)));
    for column in 0..4_u8 {
        for level in 0..6_u8 {
            let center = Vec3::new(f32::from(column) * 1.5, 0.5 + f32::from(level), 0.0);
            let body = Body::dynamic()
                .with_mass(dice.among(&[1.0, 2.0, 50.0]))
                .with_friction(0.5);
            spawn_body(world, center, Vec3::splat(0.5), body);
        }
    }
    for (mass, height, speed) in [(30.0, 1.2, 12.0), (0.2, 4.6, 60.0)] {
        let body = Body::dynamic()
            .with_mass(mass)
            .with_restitution(0.5)
            .with_friction(0.3);
        let body = body.with_velocity(Vec3::new(speed, 0.0, 1.0));
        spawn_body(world, Vec3::new(-8.0, height, 0.1), Vec3::splat(0.4), body);
    }
    Ok(())
}

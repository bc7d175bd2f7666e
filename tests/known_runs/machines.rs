//! Kinematic bodies, links, parts and layers, and changes from outside while bodies move.

use super::setup::{Dice, at, iterations, room, sensor, slab, spawn_body};
use gerust::prelude::*;
use gerust::runtime::Route;

fn route(waypoints: &[[f32; 3]], speed: f32) -> Route {
    let waypoints = waypoints.iter().copied().map(Vec3::from_array);
    Route::new(waypoints.collect(), speed).looped()
}

/// Stacks ride on bodies with a velocity, on routes, and below a moved parent; one is on two carriers.
pub(super) fn carriers(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    world.spawn(slab(Vec3::NEG_Y * 6.0, Vec3::new(30.0, 1.0, 30.0)));
    let half = Vec3::new(2.0, 0.25, 2.0);
    let stack = |world: &mut World, dice: &mut Dice, at: Vec3| {
        for level in 0..4_u8 {
            let center = at + Vec3::Y * (0.75 + f32::from(level));
            let body = Body::dynamic()
                .with_mass(dice.among(&[1.0, 5.0]))
                .with_friction(dice.among(&[0.0, 1.0]));
            spawn_body(world, center, Vec3::splat(0.5), body);
        }
    };
    let moved = spawn_body(
        world,
        Vec3::ZERO,
        half,
        Body::kinematic(Vec3::new(1.0, 0.3, -0.4)),
    );
    stack(world, dice, Vec3::ZERO);
    let there = Vec3::X * 10.0;
    let routed = spawn_body(world, there, half, Body::kinematic(Vec3::ZERO));
    world.attach(
        routed,
        route(
            &[[10.0, 3.0, 0.0], [14.0, -2.0, 3.0], [8.0, 0.0, -2.0]],
            4.0,
        ),
    )?;
    stack(world, dice, there);
    let parent = world.spawn((
        Transform::at(-10.0, 0.0, 0.0),
        route(&[[-10.0, 4.0, 2.0], [-14.0, -3.0, 0.0]], 3.0),
    ));
    let child = world.spawn(slab(Vec3::new(0.5, 0.0, 0.5), half));
    world.link(child, parent)?;
    stack(world, dice, Vec3::new(-9.5, 0.0, 0.5));
    // A crate on two carriers, and one that is linked to a carrier.
    let between = Vec3::new(0.0, 0.0, 10.0);
    spawn_body(
        world,
        between - Vec3::X * 2.0,
        half.with_x(1.9),
        Body::kinematic(Vec3::Z),
    );
    spawn_body(
        world,
        between + Vec3::X * 2.2,
        half.with_x(2.1),
        Body::kinematic(Vec3::NEG_Z),
    );
    stack(world, dice, between);
    let hanging = world.spawn(slab(Vec3::new(0.0, -1.5, 0.0), Vec3::splat(0.4)));
    world.link(hanging, moved)
}

/// A lift presses crates against a ceiling, and falls faster than gravity afterwards.
pub(super) fn lift_and_ceiling(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    let lift = spawn_body(
        world,
        Vec3::ZERO,
        Vec3::new(3.0, 0.3, 3.0),
        Body::kinematic(Vec3::ZERO),
    );
    world.attach(lift, route(&[[0.0, 3.5, 0.0], [0.0, -6.0, 0.0]], 9.0))?;
    world.spawn(slab(Vec3::Y * 6.0, Vec3::new(1.5, 0.2, 3.0)));
    for x in -2..=2_i8 {
        let center = Vec3::new(f32::from(x) * 1.2, 0.9, dice.number(-1.0, 1.0));
        spawn_body(world, center, Vec3::new(0.5, 0.6, 0.5), dice.body());
        spawn_body(world, center + Vec3::Y * 1.1, Vec3::splat(0.5), dice.body());
    }
    room(world, Vec3::new(8.0, 12.0, 8.0));
    Ok(())
}

/// Kinematic rams move through a crowd in a narrow room.
pub(super) fn pushers(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    room(world, Vec3::new(6.0, 3.0, 3.0));
    for x in -4..=4_i8 {
        for z in -1..=1_i8 {
            let center = Vec3::new(f32::from(x) * 1.1, -2.5, f32::from(z) * 1.1);
            spawn_body(world, center, Vec3::splat(0.45), dice.body());
        }
    }
    let ram = spawn_body(
        world,
        Vec3::new(-5.6, -2.0, 0.0),
        Vec3::new(0.3, 1.0, 2.5),
        Body::kinematic(Vec3::ZERO),
    );
    world.attach(ram, route(&[[3.0, -2.0, 0.0], [-5.6, -2.0, 0.0]], 6.0))?;
    let fast = Body::kinematic(Vec3::new(0.0, 0.0, 0.9));
    spawn_body(
        world,
        Vec3::new(2.0, -1.0, -6.0),
        Vec3::new(0.5, 2.0, 0.5),
        fast,
    );
    Ok(())
}

/// Bodies with parts below them, scaled and mirrored, and bodies below bodies.
pub(super) fn parts(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    room(world, Vec3::new(5.0, 5.0, 5.0));
    for number in 0..8_u8 {
        let center = Vec3::new(
            f32::from(number % 3) * 3.0 - 3.0,
            dice.number(-3.0, 3.0),
            f32::from(number / 3) * 3.0 - 3.0,
        );
        let body = dice.body().with_velocity(dice.vector(-6.0, 6.0));
        let whole = spawn_body(world, center, dice.vector(0.2, 0.4), body);
        let mut scale = dice.vector(0.5, 1.3);
        scale.x *= dice.among(&[1.0, -1.0]);
        world.get_mut::<Transform>(whole)?.scale = scale;
        let part = world.spawn(slab(dice.vector(-0.8, 0.8), dice.vector(0.1, 0.3)));
        world.link(part, whole)?;
        let beyond = world.spawn(slab(dice.vector(-0.4, 0.4), dice.vector(0.05, 0.2)));
        world.link(beyond, part)?;
        let inner = world.spawn(sensor(dice.vector(-0.4, 0.4), dice.vector(0.05, 0.2)));
        world.link(inner, whole)?;
        if number % 3 == 0 {
            let below = spawn_body(world, Vec3::Y * 1.6, Vec3::splat(0.2), dice.body());
            world.link(below, whole)?;
        }
    }
    Ok(())
}

/// Layers that do not meet, bodies that are switched off, and several boxes each.
pub(super) fn layers(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    let (red, blue) = {
        let layers = world.global_mut::<Layers>()?;
        let (red, blue) = (layers.add("red")?, layers.add("blue")?);
        layers.meet(red, red)?;
        layers.part(red, blue)?;
        (red, blue)
    };
    room(world, Vec3::new(3.0, 4.0, 3.0));
    for number in 0..30_u8 {
        let mut body = dice.body().with_velocity(dice.vector(-5.0, 5.0));
        body.motion = dice.among(&[
            Motion::Dynamic,
            Motion::Dynamic,
            Motion::Dynamic,
            Motion::Static,
            Motion::Kinematic,
        ]);
        let half = dice.vector(0.1, 0.4);
        let own_box = Aabb::from_center(Vec3::ZERO, half);
        let mut collider =
            Collider::solid(own_box).with_box(own_box.moved(Vec3::new(0.0, half.y * 2.0, half.z)));
        collider = collider.in_layer(if number % 2 == 0 { red } else { blue });
        collider.set_on(!dice.chance(0.1));
        collider.set_sensor(dice.chance(0.1));
        world.spawn((at(dice.vector(-2.4, 2.4)), collider, body));
    }
    Ok(())
}

/// A heap whose bodies are changed from outside; see [`change`].
pub(super) fn changes(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    heap(world, dice)?;
    let boxes = |half: f32| [Aabb::from_center(Vec3::ZERO, Vec3::splat(half))];
    let small = Collider::solid(boxes(0.2)[0]).with_set("large", boxes(0.8));
    for x in [-1.5, 1.5] {
        let body = Body::dynamic().with_mass(4.0);
        world.spawn((Transform::at(x, 4.0, 0.0), small.clone(), body));
    }
    Ok(())
}

pub(super) fn heap(world: &mut World, dice: &mut Dice) -> Result<(), Error> {
    room(world, Vec3::new(3.0, 5.0, 2.0));
    for number in 0..24_u8 {
        let (x, z) = (
            f32::from(number % 4) * 1.3 - 2.0,
            f32::from(number / 4 % 2) * 1.3 - 0.7,
        );
        let center = Vec3::new(x, f32::from(number / 8) * 1.4 - 3.0, z);
        spawn_body(world, center, dice.vector(0.3, 0.6), dice.body());
    }
    Ok(())
}

/// Bodies in the order of their ids.
fn all_bodies(world: &World) -> Vec<Entity> {
    let rows = world.rows_where::<Entity, Having<Body>>();
    let mut bodies: Vec<Entity> = rows.iter().collect();
    bodies.sort_unstable();
    bodies
}

/// Switches, teleports, removes, pushes, grows and links bodies, most of them after the heap has come to rest.
pub(super) fn change(world: &mut World, frame: u64) -> Result<(), Error> {
    let bodies = all_bodies(world);
    match frame {
        60 => world.despawn(bodies[0])?,
        80 => world.get_mut::<Collider>(bodies[3])?.set_on(false),
        90 => world.get_mut::<Transform>(bodies[9])?.translation = Vec3::new(0.2, -3.5, 0.1),
        100 => {
            for &entity in &bodies {
                let collider = world.get_mut::<Collider>(entity)?;
                if collider.set_names().len() > 1 {
                    collider.switch_to("large")?;
                }
            }
        }
        115 => world.get_mut::<Body>(bodies[5])?.velocity = Vec3::new(9.0, 14.0, 2.0),
        130 => world.get_mut::<Body>(bodies[6])?.motion = Motion::Static,
        140 => world.global_mut::<Gravity>()?.0 = Vec3::new(0.0, 4.0, 0.0),
        150 => world.get_mut::<Collider>(bodies[3])?.set_on(true),
        160 => {
            world.get_mut::<Body>(bodies[6])?.motion = Motion::Dynamic;
            world.global_mut::<Gravity>()?.0 = Vec3::new(0.0, -9.81, 0.0);
        }
        170 => {
            let hung = world.spawn(slab(Vec3::X * 0.7, Vec3::splat(0.2)));
            world.link(hung, bodies[7])?;
        }
        180 => world.get_mut::<Body>(bodies[8])?.mass = 1e4,
        _ => {}
    }
    Ok(())
}

/// Margin, passes and dimensions change while bodies move.
pub(super) fn set(world: &mut World, frame: u64) -> Result<(), Error> {
    match frame {
        30 => world.global_mut::<Contacts>()?.set_margin(0.05),
        50 => iterations(world, 1),
        60 => {
            world
                .get_mut::<Transform>(all_bodies(world)[4])?
                .translation
                .y += 0.3
        }
        70 => world.global_mut::<Contacts>()?.set_margin(0.0),
        _ => {}
    }
    Ok(())
}

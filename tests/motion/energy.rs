//! Bodies that meet gain no energy, and each one's mass counts.

use super::*;
use proptest::prelude::*;

fn kinetic(runtime: &Runtime, bodies: &[(Entity, f32)]) -> f64 {
    let each = bodies.iter().map(|&(body, mass)| {
        let velocity = velocity_of(runtime, body).as_dvec3();
        f64::from(mass) * velocity.length_squared() / 2.0
    });
    each.sum()
}

/// A tube along x, 20 m long.
fn tube(runtime: &mut Runtime) {
    for side in [-1.0, 1.0] {
        let wall = Aabb::from_center(Vec3::X * 11.0 * side, Vec3::new(1.0, 4.0, 4.0));
        let wall = spawn_box(runtime, wall);
        let body = Body::immovable().with_restitution(1.0);
        runtime.world_mut().attach(wall, body).expect("it is alive");
    }
}

fn elastic(velocity: Vec3, mass: f32) -> Body {
    Body::dynamic()
        .with_velocity(velocity)
        .with_mass(mass)
        .with_restitution(1.0)
        .with_friction(0.0)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn elastic_boxes_in_a_tube_gain_no_energy(
        bodies in proptest::collection::vec((-20.0_f32..20.0, 0.1_f32..10.0), 2..7),
    ) {
        let mut runtime = weightless();
        tube(&mut runtime);
        let mut all = Vec::new();
        for (number, (speed, mass)) in bodies.into_iter().enumerate() {
            let at = Vec3::X * (number as f32 * 3.0 - 9.0);
            let body = spawn_body(&mut runtime, cube(0.5).moved(at), elastic(Vec3::X * speed, mass));
            all.push((body, mass));
        }
        let start = kinetic(&runtime, &all);
        let mut before = start;
        for frame in 0..300 {
            runtime.run_frames(1).expect("nothing fails");
            let now = kinetic(&runtime, &all);
            prop_assert!(now <= before + start * 1e-4 + 1e-6, "frame {}: {} J, before {} J", frame, now, before);
            before = now;
        }
    }
}

#[test]
fn friction_knows_both_masses() {
    // A heavy load dropped on a light cart that rolls: together they hardly move.
    let mut runtime = Runtime::new();
    let floor = Aabb::from_corners(Vec3::new(-99.0, -1.0, -9.0), Vec3::new(99.0, 0.0, 9.0));
    spawn_box(&mut runtime, floor);
    let slippery = Body::dynamic().with_friction(0.0).with_restitution(0.0);
    let flat = Aabb::from_center(Vec3::Y * 0.1, Vec3::new(2.0, 0.1, 1.0));
    let cart = spawn_body(
        &mut runtime,
        flat,
        slippery.with_mass(1.0).with_velocity(Vec3::X * 4.0),
    );
    let load = Body::dynamic()
        .with_friction(1.0)
        .with_restitution(0.0)
        .with_mass(1_000.0);
    let load = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(0.3, 0.75, 0.0)),
        load,
    );
    runtime.run_frames(60).expect("nothing fails");
    for body in [cart, load] {
        let speed = velocity_of(&runtime, body).x;
        assert!((speed - 4.0 / 1_001.0).abs() < 1e-3, "{speed} m/s");
    }

    // A heavy block that slides onto a light sled takes it along.
    let mut runtime = Runtime::new();
    spawn_box(&mut runtime, floor);
    let sled = spawn_body(&mut runtime, flat, slippery.with_mass(1.0));
    let block = Body::dynamic()
        .with_friction(0.5)
        .with_restitution(0.0)
        .with_mass(100.0);
    let block = block.with_velocity(Vec3::X * 3.0);
    let block = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(-1.0, 0.7, 0.0)),
        block,
    );
    runtime.run_frames(60).expect("nothing fails");
    for body in [sled, block] {
        let speed = velocity_of(&runtime, body).x;
        assert!((speed - 300.0 / 101.0).abs() < 0.05, "{speed} m/s");
    }
}

#[test]
fn what_rests_in_a_stack_has_no_velocity() {
    for (count, mixed) in [(6, false), (16, true)] {
        let mut runtime = Runtime::new();
        spawn_box(
            &mut runtime,
            Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(9.0, 0.0, 9.0)),
        );
        let plates: Vec<Entity> = (0..count)
            .map(|number| {
                let mass = if mixed {
                    0.1 * 3.0_f32.powi(number * 7 % 5)
                } else {
                    1.0
                };
                let plate = Aabb::from_center(
                    Vec3::Y * (0.05 + 0.1 * number as f32),
                    Vec3::new(1.0, 0.05, 1.0),
                );
                spawn_body(&mut runtime, plate, Body::dynamic().with_mass(mass))
            })
            .collect();
        runtime.run_frames(120).expect("nothing fails");
        let speeds: Vec<f32> = plates
            .iter()
            .map(|&plate| velocity_of(&runtime, plate).length())
            .collect();
        assert!(speeds.iter().all(|&speed| speed == 0.0), "{speeds:?}");
    }
}

#[test]
fn a_contact_says_what_it_weighs_and_how_hard_it_was_hit() {
    let mut runtime = Runtime::new();
    let floor = Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(9.0, 0.0, 9.0));
    let floor = spawn_box(&mut runtime, floor);
    let load = Body::dynamic().with_mass(20.0);
    let load = spawn_body(&mut runtime, cube(0.5).moved(Vec3::Y * 1.5), load);
    let mut hardest: Option<Contact> = None;
    for _ in 0..90 {
        runtime.run_frames(1).expect("nothing fails");
        for contact in runtime.world().posted::<Contact>() {
            hardest = hardest.or(Some(contact));
        }
    }
    // It fell a metre.
    let hit = hardest.expect("it has landed");
    let speed = (2.0 * 9.81_f32).sqrt();
    assert!((hit.approach - speed).abs() < 0.01, "{hit:?}");
    assert!((hit.impulse / 20.0 - speed).abs() < 0.2, "{hit:?}");
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    let rests = contacts.between(floor, load).expect("it lies there");
    let weight = 20.0 * 9.81 / 60.0;
    assert!((rests.impulse - weight).abs() < 1e-3, "{rests:?}");
    assert_eq!(rests.approach, 0.0);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Bodies of all masses, elastic and rough as they may be, in a closed box and without gravity: the energy never rises.
    #[test]
    fn energy_never_rises_in_a_closed_box(
        bodies in proptest::collection::vec(
            (-3.0_f32..3.0, -6.0_f32..6.0, 0_i8..3, -3.0_f32..6.0, 0.0_f32..1.0, 0.0_f32..2.0),
            2..14,
        ),
    ) {
        let mut runtime = weightless();
        for axis in Vec3::AXES {
            for side in [-1.0, 1.0] {
                let wall = Aabb::from_center(axis * side * 14.0, Vec3::splat(10.0));
                spawn_box(&mut runtime, wall);
            }
        }
        let mut all = Vec::new();
        for (number, &(at, speed, axis, power, restitution, friction)) in bodies.iter().enumerate() {
            let mass = 10.0_f32.powf(power);
            let (x, y) = (number % 4, number / 4);
            let place = Vec3::new(x as f32 * 1.8 - 2.7, y as f32 * 1.8 - 2.7, at.clamp(-3.0, 3.0));
            let velocity = Vec3::AXES[axis as usize] * speed * 3.0 + Vec3::splat(at * 0.3);
            let body = Body::dynamic()
                .with_mass(mass)
                .with_velocity(velocity)
                .with_restitution(restitution)
                .with_friction(friction);
            let body = spawn_body(&mut runtime, cube(0.5).moved(place), body);
            all.push((body, mass));
        }
        let mut before = kinetic(&runtime, &all);
        let start = before;
        for frame in 0..120 {
            runtime.run_frames(1).expect("nothing fails");
            let now = kinetic(&runtime, &all);
            prop_assert!(now <= before * (1.0 + 1e-5) + start * 1e-6, "frame {}: {} J, before {} J", frame, now, before);
            before = now;
            for (number, (a, _)) in all.iter().enumerate() {
                for (b, _) in &all[number + 1..] {
                    prop_assert!(!box_of(&runtime, *a).overlaps(&box_of(&runtime, *b)), "frame {}", frame);
                }
            }
        }
    }
}

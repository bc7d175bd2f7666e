//! Places where there is hardly any room, or none.

use super::*;

/// Four walls around a shaft along y, so that nothing leaves sideways.
fn shaft(runtime: &mut Runtime, half: f32) {
    for aside in [Vec3::X, Vec3::NEG_X, Vec3::Z, Vec3::NEG_Z] {
        spawn_box(
            runtime,
            Aabb::from_center(aside * (20.0 + half), Vec3::splat(20.0)),
        );
    }
}

/// A shaft on the ground.
fn pit(runtime: &mut Runtime, half: f32) {
    shaft(runtime, half);
    spawn_box(
        runtime,
        Aabb::from_center(Vec3::NEG_Y, Vec3::new(3.0, 1.0, 3.0)),
    );
}

/// A body that grows in a chamber too small for it stays in it, is listed, and has not moved when it has shrunk again.
#[test]
fn what_grows_in_a_chamber_stays_in_it() {
    let mut runtime = weightless();
    for axis in 0..3 {
        for side in [-1.0, 1.0] {
            let mut half = Vec3::splat(0.8);
            half[axis] = 0.1;
            let mut at = Vec3::ZERO;
            at[axis] = side * 0.6;
            spawn_box(&mut runtime, Aabb::from_center(at, half));
        }
    }
    let place = Vec3::new(0.05, -0.03, 0.0);
    let body = spawn_body(&mut runtime, cube(0.3).moved(place), Body::dynamic());
    runtime.run_frames(2).expect("nothing fails");
    for (half, is_listed) in [(0.55, true), (0.3, false)] {
        let world = runtime.world_mut();
        let collider = Collider::solid(cube(half));
        world.attach(body, collider).expect("it is alive");
        for _ in 0..30 {
            runtime.run_frames(1).expect("nothing fails");
            let at = place_of(&runtime, body);
            assert!(at.abs().max_element() <= 0.2, "it left to {at}");
        }
        assert_eq!(leftovers(&runtime) > 0, is_listed);
    }
}

#[test]
fn a_crate_between_a_lift_and_a_ceiling_stays_on_the_lift_and_is_listed() {
    for walled in [true, false] {
        let mut runtime = Runtime::new();
        let ceiling = Aabb::from_corners(Vec3::new(-9.0, 3.0, -9.0), Vec3::new(9.0, 4.0, 9.0));
        let ceiling = spawn_box(&mut runtime, ceiling);
        let lift = Aabb::from_center(Vec3::ZERO, Vec3::new(2.0, 0.1, 2.0));
        let lift = spawn_body(&mut runtime, lift, Body::kinematic(Vec3::Y));
        if walled {
            shaft(&mut runtime, 2.0);
        }
        let crate_ = spawn_body(
            &mut runtime,
            cube(0.5).moved(Vec3::Y * 0.6),
            Body::dynamic(),
        );
        let mut listed = 0;
        for frame in 0..300_u16 {
            if frame == 165 {
                let body = runtime.world_mut().get_mut::<Body>(lift);
                body.expect("it is alive").velocity = Vec3::ZERO;
            }
            runtime.run_frames(1).expect("nothing fails");
            let (own, deck) = (box_of(&runtime, crate_), box_of(&runtime, lift));
            assert!(own.max.y <= 3.0, "it is in the ceiling");
            let right = (f32::from(frame + 1) / 60.0 + 0.6).min(2.5);
            assert!(
                (own.center().y - right).abs() < 0.02,
                "frame {frame}: {own:?}"
            );
            if own.depth(&deck).min_element() > 0.001 {
                assert_eq!(leftover_pairs(&runtime), [(lift, crate_)], "frame {frame}");
                listed += 1;
            }
        }
        assert!(listed > 150, "it was squeezed for {listed} frames");
        assert!(!box_of(&runtime, crate_).overlaps(&box_of(&runtime, ceiling)));
        // The lift goes down again, and the crate is free.
        let body = runtime.world_mut().get_mut::<Body>(lift);
        body.expect("it is alive").velocity = Vec3::NEG_Y;
        runtime.run_frames(90).expect("nothing fails");
        assert_eq!(leftovers(&runtime), 0);
    }
}

#[test]
fn what_is_pressed_against_a_thin_wall_does_not_appear_behind_it() {
    let mut runtime = weightless();
    let wall = Aabb::from_center(Vec3::X * 3.0, Vec3::new(0.1, 5.0, 5.0));
    let wall = spawn_box(&mut runtime, wall);
    let ram = Aabb::from_center(Vec3::X * -3.0, Vec3::new(1.0, 4.0, 4.0));
    let ram = spawn_body(&mut runtime, ram, Body::kinematic(Vec3::X * 2.0));
    let crate_ = spawn_body(&mut runtime, cube(0.5), Body::dynamic());
    for _ in 0..140 {
        runtime.run_frames(1).expect("nothing fails");
        let own = box_of(&runtime, crate_);
        assert!(own.max.x <= box_of(&runtime, wall).min.x, "{own:?}");
    }
    assert_eq!(leftover_pairs(&runtime), [(ram, crate_)]);
}

#[test]
fn a_body_in_a_chamber_that_is_too_small_stays_there() {
    let mut runtime = Runtime::new();
    // A chamber 0.9 m wide and high in 20 m of floor.
    for aside in [Vec3::X, Vec3::NEG_X, Vec3::Z, Vec3::NEG_Z] {
        let wall = Aabb::from_center(aside * 10.45 + Vec3::NEG_Y * 10.0, Vec3::splat(10.0));
        spawn_box(&mut runtime, wall);
    }
    for (low, high) in [(-20.0, -10.45), (-9.55, 0.0)] {
        let slab = Aabb::from_corners(Vec3::new(-0.45, low, -0.45), Vec3::new(0.45, high, 0.45));
        spawn_box(&mut runtime, slab);
    }
    let place = Vec3::NEG_Y * 10.0;
    let body = spawn_body(&mut runtime, cube(0.5).moved(place), Body::dynamic());
    for _ in 0..240 {
        runtime.run_frames(1).expect("nothing fails");
        let gone = place_of(&runtime, body).distance(place);
        assert!(gone < 0.06, "it went {gone} m");
        assert!(leftovers(&runtime) > 0);
    }
}

#[test]
fn forty_crates_are_pushed_in_a_row_whatever_their_order() {
    for descending in [false, true] {
        let mut runtime = Runtime::new();
        let floor = Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(99.0, 0.0, 9.0));
        spawn_box(&mut runtime, floor);
        let ram = Aabb::from_center(Vec3::new(-2.0, 0.5, 0.0), Vec3::splat(0.5));
        spawn_body(&mut runtime, ram, Body::kinematic(Vec3::X * 2.0));
        let mut places: Vec<u8> = (0..40).collect();
        if descending {
            places.reverse();
        }
        let crates: Vec<Entity> = places
            .into_iter()
            .map(|number| {
                let place = Vec3::new(f32::from(number) * 1.05, 0.5, 0.0);
                spawn_body(&mut runtime, cube(0.5).moved(place), Body::dynamic())
            })
            .collect();
        for frame in 0..300 {
            runtime.run_frames(1).expect("nothing fails");
            assert_eq!(leftovers(&runtime), 0, "frame {frame}");
            for (number, a) in crates.iter().enumerate() {
                for b in &crates[number + 1..] {
                    assert!(!box_of(&runtime, *a).overlaps(&box_of(&runtime, *b)));
                }
            }
        }
        let least = crates.iter().map(|&id| place_of(&runtime, id).x);
        assert!(least.fold(f32::INFINITY, f32::min) > 8.9);
    }
}

#[test]
fn seams_by_rounding_do_not_stop_what_slides() {
    // A slab that is turned by 90 degrees has its top a step of the numbers too high.
    let mut runtime = Runtime::new();
    let half = Vec3::new(2.0, 0.3, 2.0);
    let slab = Collider::solid(Aabb::from_center(Vec3::ZERO, half));
    let quarter = Quat::from_rotation_z(std::f32::consts::FRAC_PI_2);
    let turned = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::new(0.3, 2.0, 2.0)));
    let world = runtime.world_mut();
    for x in [0.0, 8.0] {
        world.spawn((Transform::at(x, -0.3, 0.0), slab.clone()));
    }
    for x in [4.0, 12.0] {
        world.spawn((Transform::at(x, -0.3, 0.0).rotated(quarter), turned.clone()));
    }
    let body = Body::dynamic().with_velocity(Vec3::X * 5.0);
    let crate_ = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(-1.0, 0.5, 0.0)),
        body,
    );
    runtime.run_frames(120).expect("nothing fails");
    let place = place_of(&runtime, crate_);
    assert!((place.x - 9.0).abs() < 0.01, "{place}");

    // A corridor of exactly the width of the body, of many blocks.
    let mut runtime = weightless();
    for number in 0..30_u8 {
        for side in [-1.0_f32, 1.0] {
            let center = Vec3::new(2.0 + 0.7 * f32::from(number), 0.0, 0.85 * side);
            spawn_box(
                &mut runtime,
                Aabb::from_center(center, Vec3::new(0.35, 0.5, 0.5)),
            );
        }
    }
    let body = Body::dynamic().with_velocity(Vec3::X * 6.0);
    let body = spawn_body(&mut runtime, cube(0.35), body);
    runtime.run_frames(180).expect("nothing fails");
    let place = place_of(&runtime, body);
    assert!((place.x - 18.0).abs() < 0.01, "{place}");
}

#[test]
fn a_sheet_lies_on_a_sheet() {
    let mut runtime = Runtime::new();
    spawn_box(
        &mut runtime,
        Aabb::from_center(Vec3::ZERO, Vec3::new(5.0, 0.0, 5.0)),
    );
    let sheet = Aabb::from_center(Vec3::Y * 2.0, Vec3::new(0.5, 0.0, 0.5));
    let sheet = spawn_body(&mut runtime, sheet, Body::dynamic());
    let plate = Aabb::from_center(Vec3::new(2.0, 2.0, 0.0), Vec3::splat(0.5));
    let plate = spawn_body(&mut runtime, plate, Body::dynamic());
    runtime.run_frames(300).expect("nothing fails");
    assert_eq!(place_of(&runtime, sheet).y, 0.0);
    assert_eq!(place_of(&runtime, plate).y, 0.5);
    // It can be lifted off again.
    let body = runtime.world_mut().get_mut::<Body>(sheet);
    body.expect("it is alive").velocity = Vec3::Y * 2.0;
    runtime.run_frames(5).expect("nothing fails");
    assert!(place_of(&runtime, sheet).y > 0.1);
}

#[test]
fn a_thrown_pile_comes_to_rest_to_the_bit() {
    let mut runtime = Runtime::new();
    pit(&mut runtime, 1.5);
    let mut bodies = Vec::new();
    for number in 0..300_u16 {
        let turn = f32::from(number) * 1.7;
        let height = 12.0 + 0.05 * f32::from(number);
        let place = Vec3::new(turn.cos(), height, turn.sin());
        let body = Body::dynamic()
            .with_velocity(Vec3::new(9.0 * turn.sin(), -10.0, 9.0 * turn.cos()))
            .with_friction(0.3)
            .with_restitution(0.2);
        bodies.push(spawn_body(&mut runtime, cube(0.25).moved(place), body));
        runtime.run_frames(1).expect("nothing fails");
    }
    runtime.run_frames(600).expect("nothing fails");
    let before = end_of(&runtime, &bodies);
    runtime.run_frames(60).expect("nothing fails");
    let after = end_of(&runtime, &bodies);
    for (before, after) in before.iter().zip(&after) {
        assert_eq!((before, before.1), (after, Vec3::ZERO));
    }
    assert_eq!(leftovers(&runtime), 0);
}

#[test]
fn a_body_spawned_in_another_lifts_the_one_above() {
    let mut runtime = Runtime::new();
    pit(&mut runtime, 0.5);
    let body = || Body::dynamic();
    let lower = spawn_body(&mut runtime, cube(0.5).moved(Vec3::Y * 0.5), body());
    let upper = spawn_body(&mut runtime, cube(0.5).moved(Vec3::Y * 1.5), body());
    runtime.run_frames(60).expect("nothing fails");
    let between = spawn_body(&mut runtime, cube(0.5).moved(Vec3::Y * 0.5), body());
    runtime.run_frames(60).expect("nothing fails");
    assert_eq!(leftovers(&runtime), 0);
    let mut heights = [lower, between, upper].map(|body| place_of(&runtime, body).y);
    heights[..2].sort_unstable_by(f32::total_cmp);
    assert_eq!(heights, [0.5, 1.5, 2.5]);
}

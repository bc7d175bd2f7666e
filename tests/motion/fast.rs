//! At any speed bodies hit what is in their way, and miss what is not.

use super::*;
use proptest::prelude::*;

/// A ball above a floor, with `rate` frames a second.
fn dropped(rate: f64, height: f32, restitution: f32) -> (Runtime, Entity) {
    let mut runtime = Runtime::new();
    runtime
        .set_step_seconds(1.0 / rate)
        .expect("it is positive");
    let floor = Aabb::from_center(Vec3::NEG_Y, Vec3::new(9.0, 1.0, 9.0));
    spawn_box(&mut runtime, floor);
    let ball = Body::dynamic().with_restitution(restitution);
    let place = Vec3::Y * (height + 0.25);
    let ball = spawn_body(&mut runtime, cube(0.25).moved(place), ball);
    (runtime, ball)
}

#[test]
fn restitution_of_one_keeps_the_height_for_a_minute() {
    for rate in [30.0_f64, 60.0, 240.0] {
        let (mut runtime, ball) = dropped(rate, 5.5, 1.0);
        runtime
            .run_frames((58.0 * rate) as u64)
            .expect("nothing fails");
        let mut most = 0.0_f32;
        for _ in 0..(3.0 * rate) as u64 {
            runtime.run_frames(1).expect("nothing fails");
            most = most.max(place_of(&runtime, ball).y - 0.25);
        }
        assert!((5.4..5.501).contains(&most), "{most} m at {rate}");
    }
}

#[test]
fn heights_follow_the_square_of_the_restitution() {
    for rate in [30.0_f64, 60.0, 240.0] {
        let (mut runtime, ball) = dropped(rate, 8.0, 0.5);
        // The height of each bounce, by the energy at its fastest.
        let mut heights = Vec::new();
        let mut rises = false;
        for _ in 0..(5.0 * rate) as u64 {
            runtime.run_frames(1).expect("nothing fails");
            let (place, speed) = (place_of(&runtime, ball).y, velocity_of(&runtime, ball).y);
            if speed > 0.0 && !rises {
                heights.push(place - 0.25 + speed * speed / (2.0 * 9.81));
            }
            rises = speed > 0.0;
        }
        for (number, height) in heights.iter().take(3).enumerate() {
            let right = 8.0 * 0.25_f32.powi(number as i32 + 1);
            assert!((height / right - 1.0).abs() < 0.02, "{heights:?} at {rate}");
        }
        assert_eq!(velocity_of(&runtime, ball), Vec3::ZERO);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]

    /// A body of a millimetre and a wall of a millimetre, at up to 10 km/s in any direction.
    #[test]
    fn nothing_passes_through_a_thin_wall(
        axis in 0_usize..3,
        speed in prop_oneof![1.0_f32..100.0, 100.0_f32..10_000.0],
        aside in (-1.0_f32..1.0, -1.0_f32..1.0),
        start in 0.001_f32..30.0,
        sign in prop_oneof![Just(-1.0_f32), Just(1.0)],
    ) {
        let mut runtime = weightless();
        let mut half = Vec3::splat(2_000.0);
        half[axis] = 0.000_5;
        spawn_box(&mut runtime, Aabb::from_center(Vec3::ZERO, half));
        let mut direction = Vec3::ZERO;
        direction[axis] = sign;
        direction[(axis + 1) % 3] = aside.0;
        direction[(axis + 2) % 3] = aside.1;
        let body = Body::dynamic().with_velocity(direction.normalize() * speed);
        let mut place = Vec3::ZERO;
        place[axis] = -sign * (start + 0.001);
        let body = spawn_body(&mut runtime, cube(0.000_5).moved(place), body);
        for _ in 0..8 {
            runtime.run_frames(1).expect("nothing fails");
            let here = place_of(&runtime, body)[axis] * sign;
            prop_assert!(here <= -0.000_99, "it is at {here}");
        }
    }

    /// A way that clears the edge of a box by a hundredth of the body's size is never stopped, and one that misses by as much
    /// is.
    #[test]
    fn ways_that_clear_an_edge_are_not_stopped(
        speed in 1.0_f32..4_000.0,
        slope in -2.0_f32..2.0,
        half in 0.05_f32..1.0,
        clears in proptest::bool::ANY,
        at in 0.05_f32..0.95,
    ) {
        let mut runtime = weightless();
        spawn_box(&mut runtime, Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
        // In one frame over the upper edge on the near side, or on the far one.
        let edge_x = if slope > 0.0 { -0.5 } else { 0.5 };
        let gap = if clears { 0.02 } else { -0.02 } * half;
        // The corner of the body that comes nearest to the edge.
        let corner = Vec3::new(edge_x, 0.5 + gap, 0.0);
        let towards = Vec3::new(1.0, slope, 0.0).normalize();
        let way = towards * (speed / 60.0);
        let offset = Vec3::new(if slope > 0.0 { half } else { -half }, -half, 0.0);
        let start = corner - offset - way * at;
        let own = cube(half).moved(start);
        prop_assume!(own.depth(&cube(0.5)).min_element() < -1e-3);
        let body = spawn_body(&mut runtime, own, Body::dynamic().with_velocity(towards * speed));
        runtime.run_frames(1).expect("nothing fails");
        let gone = place_of(&runtime, body) - start;
        if clears {
            prop_assert!(gone.abs_diff_eq(way, way.length() * 1e-5 + 1e-5), "{gone} of {way}");
        } else if slope.abs() > 0.05 {
            prop_assert!(velocity_of(&runtime, body) != towards * speed, "it was not stopped");
        }
    }
}

#[test]
fn boxes_of_what_hangs_below_stop_a_body_as_its_own_do() {
    let mut runtime = weightless();
    let wall = Aabb::from_corner(Vec3::new(10.0, -5.0, -5.0), Vec3::splat(10.0));
    let wall = spawn_box(&mut runtime, wall);
    let world = runtime.world_mut();
    let truck = world.spawn((
        Transform::at(0.0, 0.0, 0.0),
        Collider::solid(cube(1.0)),
        Body::dynamic().with_velocity(Vec3::X * 30.0),
    ));
    let boom = world.spawn((Transform::at(3.0, 0.5, 0.0), Collider::solid(cube(0.5))));
    world.link(boom, truck).expect("no cycle");
    for _ in 0..60 {
        runtime.run_frames(1).expect("nothing fails");
        assert!(!box_of(&runtime, boom).overlaps(&box_of(&runtime, wall)));
    }
    let place = place_of(&runtime, truck);
    assert!((place.x - 6.5).abs() < 1e-4, "{place}");
    assert_eq!(velocity_of(&runtime, truck), Vec3::ZERO);
}

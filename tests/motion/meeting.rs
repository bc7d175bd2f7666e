//! Bodies that meet bodies.

use super::*;
use gerust::collide::Solver;

#[test]
fn hundreds_a_second_thrown_into_a_pit_stay_inside() {
    let mut runtime = Runtime::new();
    let (inner, wall) = (4.0, 1.0);
    spawn_box(
        &mut runtime,
        Aabb::from_corners(Vec3::new(-6.0, -1.0, -6.0), Vec3::new(6.0, 0.0, 6.0)),
    );
    for axis in [0, 2] {
        for sign in [-1.0, 1.0] {
            let mut half = Vec3::new(6.0, 100.0, 6.0);
            half[axis] = wall / 2.0;
            let center = Vec3::Y * 100.0 + Vec3::AXES[axis] * (sign * (inner + wall / 2.0));
            spawn_box(&mut runtime, Aabb::from_center(center, half));
        }
    }
    let mut thrown = Vec::new();
    for frame in 0..48_u32 {
        for lane in 0..5_u32 {
            let number = frame * 5 + lane;
            let angle = number as f32 * 2.399;
            let place = Vec3::new(
                2.0 * angle.cos(),
                6.0 + lane as f32 * 1.2,
                2.0 * angle.sin(),
            );
            let body = Body::dynamic()
                .with_velocity(Vec3::new(9.0 * angle.sin(), -25.0, 30.0 * angle.cos()))
                .with_mass(0.5 + (number % 7) as f32)
                .with_restitution((number % 3) as f32 * 0.15)
                .with_friction(0.2);
            thrown.push(spawn_body(
                &mut runtime,
                cube(0.2 + 0.02 * (number % 10) as f32).moved(place),
                body,
            ));
        }
        runtime.run_frames(1).expect("nothing fails");
    }
    for _ in 0..60 {
        runtime.run_frames(1).expect("nothing fails");
        for &body in &thrown {
            let here = box_of(&runtime, body);
            assert!(here.min.y >= 0.0, "{here:?} is below the floor");
            assert!(
                here.min.x >= -inner && here.max.x <= inner,
                "{here:?} is in a wall"
            );
            assert!(
                here.min.z >= -inner && here.max.z <= inner,
                "{here:?} is in a wall"
            );
        }
    }
}

#[test]
fn more_iterations_leave_less_over() {
    let left = |iterations| {
        let mut runtime = weightless();
        runtime
            .world_mut()
            .set_global(Solver::default().with_iterations(iterations));
        for number in 0..125_u8 {
            let (x, y, z) = (number % 5, number / 5 % 5, number / 25);
            let place = Vec3::new(f32::from(x), f32::from(y), f32::from(z)) * 0.7;
            spawn_body(&mut runtime, cube(0.5).moved(place), Body::dynamic());
        }
        let mut left = [0; 2];
        for (left, frames) in left.iter_mut().zip([1, 29]) {
            runtime.run_frames(frames).expect("nothing fails");
            *left = leftovers(&runtime);
        }
        left
    };
    let [none, one, few, many] = [0, 1, 4, 64].map(left);
    let counts = [none[0], one[0], few[0], many[0]];
    assert!(none[0] > one[0] && one[0] > few[0], "{counts:?}");
    assert!(few[0] >= many[0], "{counts:?}");
    // The frames after the first one part the rest.
    assert_eq!([one[1], few[1], many[1]], [0; 3]);
}

#[test]
fn an_infinite_mass_is_never_moved_by_others() {
    let mut runtime = weightless();
    let heavy = Body::dynamic().with_mass(f32::INFINITY);
    let heavy = spawn_body(&mut runtime, cube(0.5), heavy);
    for (number, axis) in [Vec3::X, Vec3::Y, Vec3::Z].into_iter().enumerate() {
        let body = Body::dynamic().with_mass(1e6).with_velocity(axis * -10.0);
        spawn_body(
            &mut runtime,
            cube(0.5).moved(axis * (1.5 + number as f32)),
            body,
        );
    }
    spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::splat(0.3)),
        Body::dynamic(),
    );
    spawn_body(
        &mut runtime,
        cube(0.2).moved(Vec3::NEG_X * 2.0),
        Body::kinematic(Vec3::X * 5.0),
    );
    runtime.run_frames(60).expect("nothing fails");
    assert_eq!(end_of(&runtime, &[heavy]), [(Vec3::ZERO, Vec3::ZERO)]);
}

#[test]
fn an_infinite_mass_that_lands_gives_an_infinite_impulse() {
    let mut runtime = Runtime::new();
    let floor = spawn_box(&mut runtime, cube(0.5));
    let heavy = Body::dynamic().with_mass(f32::INFINITY);
    let heavy = spawn_body(&mut runtime, cube(0.5).moved(Vec3::Y * 1.1), heavy);
    runtime.run_frames(30).expect("nothing fails");
    assert_eq!(place_of(&runtime, heavy), Vec3::Y);
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    let contact = contacts.between(floor, heavy).expect("it lies there");
    assert_eq!(contact.impulse, f32::INFINITY);
}

#[test]
fn a_fast_body_does_not_pass_through_another_body() {
    // 30 m/s are two and a half widths of the bolt in a frame, and 6 m/s half of one.
    let cases = [
        (6.0, 0.5),
        (30.0, 0.5),
        (600.0, 0.5),
        (6000.0, 0.5),
        (6.0, 0.01),
        (30.0, 0.02),
        (600.0, 0.02),
    ];
    // From several places, so that a step would end now in the target and now behind it.
    for ((speed, half), start) in cases
        .into_iter()
        .flat_map(|case| (0..5_u8).map(move |start| (case, start)))
    {
        let mut runtime = weightless();
        let own = Aabb::from_center(Vec3::X * 15.0, Vec3::splat(0.5).with_x(half));
        let target = spawn_body(&mut runtime, own, Body::dynamic());
        let bolt = Body::dynamic().with_velocity(Vec3::X * speed);
        let start = Vec3::NEG_X * 0.11 * f32::from(start);
        let bolt = spawn_body(&mut runtime, cube(0.1).moved(start), bolt);
        runtime.run_frames(180).expect("nothing fails");
        assert!(
            place_of(&runtime, bolt).x < place_of(&runtime, target).x,
            "at {speed} m/s"
        );
        // Equal masses without restitution continue together.
        let (one, other) = (
            velocity_of(&runtime, bolt).x,
            velocity_of(&runtime, target).x,
        );
        assert!((one - speed / 2.0).abs() < speed * 1e-5 && (other - one).abs() < speed * 1e-5);
    }
}

#[test]
fn threads_do_not_change_what_comes_out() {
    let run = |threads| {
        let mut runtime = Runtime::new();
        runtime
            .set_threads(threads)
            .expect("two threads can be had");
        runtime.set_serial_below(std::time::Duration::ZERO);
        spawn_box(
            &mut runtime,
            Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(9.0, 0.0, 9.0)),
        );
        let bodies: Vec<Entity> = (0..60_u8)
            .map(|number| {
                let place = Vec3::new(
                    f32::from(number % 4) * 0.9,
                    1.0 + f32::from(number) * 0.4,
                    0.1,
                );
                spawn_body(
                    &mut runtime,
                    cube(0.4).moved(place),
                    Body::dynamic().with_restitution(0.4),
                )
            })
            .collect();
        runtime.run_frames(120).expect("nothing fails");
        end_of(&runtime, &bodies)
    };
    assert_eq!(run(1), run(if cfg!(feature = "parallel") { 2 } else { 1 }));
}

/// Crates one on the other, listed from the bottom or from the top: they stay where they are, to the bit.
#[test]
fn a_tall_stack_is_held_up() {
    for from_the_top in [false, true] {
        let mut runtime = Runtime::new();
        spawn_box(
            &mut runtime,
            Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(9.0, 0.0, 9.0)),
        );
        let mut levels: Vec<u8> = (0..12).collect();
        if from_the_top {
            levels.reverse();
        }
        let places: Vec<Vec3> = levels
            .iter()
            .map(|&level| Vec3::Y * (f32::from(level) + 0.5))
            .collect();
        let crates: Vec<Entity> = places
            .iter()
            .zip(&levels)
            .map(|(&place, &level)| {
                let body = Body::dynamic().with_mass(1.0 + f32::from(level));
                spawn_body(&mut runtime, cube(0.5).moved(place), body)
            })
            .collect();
        for frame in 0..120 {
            runtime.run_frames(1).expect("nothing fails");
            let now: Vec<Vec3> = crates.iter().map(|&id| place_of(&runtime, id)).collect();
            assert_eq!(
                now, places,
                "after {frame} frames, from the top: {from_the_top}"
            );
            assert_eq!(leftovers(&runtime), 0);
        }
    }
}

/// How often a contact of two colliders begins and ends.
fn begins_and_ends(runtime: &mut Runtime, frames: u64, pair: [Entity; 2]) -> (usize, usize) {
    let mut count = (0, 0);
    for _ in 0..frames {
        runtime.run_frames(1).expect("nothing fails");
        for contact in runtime.world().posted::<Contact>() {
            if [contact.first, contact.second] == [pair[0].min(pair[1]), pair[0].max(pair[1])] {
                count.0 += usize::from(contact.state == ContactState::Began);
                count.1 += usize::from(contact.state == ContactState::Ended);
            }
        }
    }
    count
}

#[test]
fn every_hit_begins_and_ends_once_in_either_order() {
    for step in 0..30 {
        for striker_first in [true, false] {
            let mut runtime = weightless();
            let elastic = Body::dynamic().with_restitution(1.0);
            let gap = 1.1 + 0.05 * step as f32;
            let mut made = [
                (
                    cube(0.5).moved(Vec3::X * -gap),
                    elastic.with_velocity(Vec3::X * 20.0),
                ),
                (cube(0.5), elastic),
            ];
            if !striker_first {
                made.reverse();
            }
            let pair = made.map(|(aabb, body)| spawn_body(&mut runtime, aabb, body));
            assert_eq!(
                begins_and_ends(&mut runtime, 60, pair),
                (1, 1),
                "{gap} {striker_first}"
            );
        }
    }
}

#[test]
fn a_ball_off_a_wall_and_a_ram_into_a_body_are_reported() {
    let mut runtime = weightless();
    let wall = spawn_box(&mut runtime, cube(1.0).moved(Vec3::X * 7.0));
    let bouncy = Body::dynamic()
        .with_restitution(1.0)
        .with_velocity(Vec3::X * 90.0);
    let ball = spawn_body(&mut runtime, cube(0.1), bouncy);
    assert_eq!(begins_and_ends(&mut runtime, 30, [wall, ball]), (1, 1));

    let mut runtime = weightless();
    let ram = spawn_body(&mut runtime, cube(0.5), Body::kinematic(Vec3::X * 60.0));
    let bouncy = Body::dynamic().with_restitution(1.0);
    let crate_ = spawn_body(&mut runtime, cube(0.5).moved(Vec3::X * 3.3), bouncy);
    assert_eq!(begins_and_ends(&mut runtime, 20, [ram, crate_]), (1, 1));
}

#[test]
fn sensors_notice_bodies_up_to_1000_metres_a_second() {
    for speed in [10.0, 45.0, 150.0, 400.0, 1_000.0] {
        for step in 0..20 {
            let mut runtime = weightless();
            let gate = runtime
                .world_mut()
                .spawn((Transform::at(40.0, 0.0, 0.0), Collider::sensor(cube(0.25))));
            let start = cube(0.1).moved(Vec3::X * (0.37 * step as f32));
            let body = Body::dynamic().with_velocity(Vec3::X * speed);
            let body = spawn_body(&mut runtime, start, body);
            let frames = (60.0 * 60.0 / speed) as u64 + 3;
            assert_eq!(
                begins_and_ends(&mut runtime, frames, [gate, body]),
                (1, 1),
                "{speed} m/s"
            );
        }
    }
}

//! Numbers that make no sense.

use super::*;

#[test]
fn numbers_without_sense_are_refused_with_the_name_of_the_entity() {
    type Spoil = fn(&mut Body);
    let spoil: [(&str, Spoil); 8] = [
        ("1e12 kg", |body| body.mass = 1e38),
        ("a mass of 0", |body| body.mass = 0.0),
        ("a mass of NaN", |body| body.mass = f32::NAN),
        ("a mass of -2", |body| body.mass = -2.0),
        ("1e-20", |body| body.mass = 1e-39),
        ("a speed of", |body| body.velocity.y = 1e9),
        ("a restitution of 1.5", |body| body.restitution = 1.5),
        ("a friction of -1", |body| body.friction = -1.0),
    ];
    for (problem, spoil) in spoil {
        let mut runtime = weightless();
        let mut body = Body::dynamic().with_velocity(Vec3::X);
        spoil(&mut body);
        let truck = spawn_body(&mut runtime, cube(0.5), body);
        let other = spawn_body(
            &mut runtime,
            cube(0.5).moved(Vec3::Y * 9.0),
            Body::dynamic().with_velocity(Vec3::X),
        );
        runtime
            .world_mut()
            .attach(truck, Name::new("truck-3"))
            .expect("it is alive");
        let error = runtime.run_frames(1).expect_err("it is refused");
        let text = error.to_string();
        assert!(text.contains("truck-3") && text.contains(problem), "{text}");
        assert_eq!(error.entity(), Some(truck));
        assert_eq!(place_of(&runtime, truck), Vec3::ZERO, "it stays");
        assert!(place_of(&runtime, other).x > 0.0, "the others continue");
        runtime
            .world_mut()
            .attach(truck, Body::dynamic())
            .expect("it is alive");
        runtime.run_frames(1).expect("it is fixed");
    }
    let boxes = [
        Aabb {
            min: Vec3::ONE,
            max: Vec3::ZERO,
        },
        Aabb {
            min: Vec3::NAN,
            max: Vec3::ONE,
        },
        Aabb {
            min: Vec3::ZERO,
            max: Vec3::INFINITY,
        },
    ];
    for own in boxes {
        let mut runtime = weightless();
        let gate = runtime.world_mut().spawn((
            Name::new("gate"),
            Transform::default(),
            Collider::solid(own),
        ));
        for _ in 0..2 {
            let error = runtime
                .run_frames(1)
                .expect_err("it is refused until it is fixed");
            assert!(error.to_string().contains("gate"), "{error}");
        }
        runtime
            .world_mut()
            .get_mut::<Collider>(gate)
            .expect("it is alive")
            .set_own_box(cube(1.0));
        runtime.run_frames(1).expect("it is fixed");
    }
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Gravity(Vec3::NAN));
    let falling = spawn_body(&mut runtime, cube(1.0), Body::dynamic());
    let error = runtime.run_frames(1).expect_err("no body can fall");
    assert!(error.to_string().contains("Gravity"), "{error}");
    assert_eq!(place_of(&runtime, falling), Vec3::ZERO);
    let mut runtime = weightless();
    let point = (
        Name::new("gull"),
        Transform::at(f32::INFINITY, 0.0, 0.0),
        Body::dynamic(),
    );
    runtime.world_mut().spawn(point);
    let text = runtime
        .run_frames(1)
        .expect_err("it is nowhere")
        .to_string();
    assert!(
        text.contains("gull") && text.contains("not finite"),
        "{text}"
    );
    let mut runtime = weightless();
    let lost = spawn_body(&mut runtime, cube(1.0), Body::dynamic());
    runtime
        .world_mut()
        .get_mut::<Transform>(lost)
        .expect("it is alive")
        .translation
        .x = f32::NAN;
    let text = runtime
        .run_frames(1)
        .expect_err("it is nowhere")
        .to_string();
    assert!(text.contains("placement"), "{text}");
    runtime.world_mut().despawn(lost).expect("it is alive");
    runtime.run_frames(1).expect("it is gone");
}

#[test]
fn the_longest_step_and_the_largest_masses_give_numbers() {
    let mut runtime = Runtime::new();
    assert!(runtime.set_step_seconds(1e30).is_err());
    runtime.set_step_seconds(1e6).expect("it is the longest");
    let body = spawn_body(&mut runtime, cube(0.5), Body::dynamic());
    runtime
        .run_frames(2)
        .expect("it falls for eleven days, twice");
    assert!(place_of(&runtime, body).is_finite());
    let error = runtime.run_frames(1).expect_err("it has become too fast");
    assert!(error.to_string().contains("a speed of"), "{error}");

    for mass in [1e12, 1e-20, f32::INFINITY] {
        let mut runtime = Runtime::new();
        spawn_box(
            &mut runtime,
            Aabb::from_center(Vec3::Y * -1.0, Vec3::new(9.0, 1.0, 9.0)),
        );
        let bodies = [0.6, 1.8].map(|height| {
            let body = Body::dynamic()
                .with_mass(mass)
                .with_velocity(Vec3::X * height);
            spawn_body(&mut runtime, cube(0.5).moved(Vec3::Y * height), body)
        });
        runtime.run_frames(120).expect("nothing fails");
        for body in bodies {
            assert!(
                velocity_of(&runtime, body).is_finite() && place_of(&runtime, body).is_finite()
            );
        }
    }
}

//! Bodies that are carried and pushed, and those below others.

use super::*;

#[test]
fn a_lift_carries_what_stands_on_it_up_down_and_aside() {
    for velocity in [
        Vec3::Y,
        Vec3::NEG_Y,
        Vec3::X * 3.0,
        Vec3::new(2.0, -1.5, 1.0),
    ] {
        let mut runtime = Runtime::new();
        let lift = spawn_body(
            &mut runtime,
            Aabb::from_center(Vec3::ZERO, Vec3::new(2.0, 0.1, 2.0)),
            Body::kinematic(Vec3::ZERO),
        );
        let pallet = spawn_body(
            &mut runtime,
            cube(0.5).moved(Vec3::Y * 0.6),
            Body::dynamic(),
        );
        runtime.run_frames(5).expect("nothing fails");
        let before = place_of(&runtime, pallet) - place_of(&runtime, lift);
        runtime
            .world_mut()
            .get_mut::<Body>(lift)
            .expect("it is alive")
            .velocity = velocity;
        for frame in 0..120 {
            runtime.run_frames(1).expect("nothing fails");
            let apart = place_of(&runtime, pallet) - place_of(&runtime, lift);
            assert!(
                apart.abs_diff_eq(before, 1e-4),
                "{apart} at frame {frame}, moving {velocity}"
            );
            let contacts = runtime.world().global::<Contacts>().expect("always there");
            let standing = contacts.stands_on(pallet).expect("it stands on the lift");
            assert_eq!((standing.carrier, standing.face), (lift, Vec3::Y));
        }
        assert_eq!(leftovers(&runtime), 0);
    }
}

#[test]
fn a_kinematic_body_pushes_what_is_in_its_way_however_fast() {
    for speed in [1.0, 30.0, 600.0, 6000.0] {
        let mut runtime = weightless();
        let pusher = spawn_body(&mut runtime, cube(0.5), Body::kinematic(Vec3::X * speed));
        let pallet = spawn_body(
            &mut runtime,
            cube(0.5).moved(Vec3::X * 1.5),
            Body::dynamic(),
        );
        for _ in 0..60 {
            runtime.run_frames(1).expect("nothing fails");
            let (behind, ahead) = (box_of(&runtime, pusher), box_of(&runtime, pallet));
            assert!(
                ahead.min.x >= behind.max.x - 1e-3,
                "at {speed} m/s: {ahead:?} is behind {behind:?}"
            );
        }
        assert!(
            place_of(&runtime, pallet).x > 0.9 * speed,
            "it is ahead of the pusher"
        );
    }
}

#[test]
fn what_is_pushed_stays_at_the_face_that_pushes_it() {
    let mut runtime = Runtime::new();
    spawn_box(
        &mut runtime,
        Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(90.0, 0.0, 9.0)),
    );
    let sweeper = Body::kinematic(Vec3::new(1.3, 0.0, 0.0));
    let sweeper = spawn_body(&mut runtime, cube(0.5).moved(Vec3::Y * 0.5), sweeper);
    let pallet = Body::dynamic().with_friction(0.6);
    let pallet = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(1.2, 0.5, 0.2)),
        pallet,
    );
    runtime.run_frames(60).expect("nothing fails");
    for _ in 0..600 {
        runtime.run_frames(1).expect("nothing fails");
        let apart = place_of(&runtime, pallet).x - place_of(&runtime, sweeper).x;
        assert!((apart - 1.0).abs() < 1e-4, "{apart}");
        let contacts = runtime.world().global::<Contacts>().expect("always there");
        assert!(contacts.between(sweeper, pallet).is_some());
    }
}

#[test]
fn what_is_crushed_is_reported_and_stays_out_of_the_wall() {
    let mut runtime = weightless();
    let wall = spawn_box(
        &mut runtime,
        Aabb::from_corner(Vec3::new(3.0, -5.0, -5.0), Vec3::splat(10.0)),
    );
    let press = spawn_body(
        &mut runtime,
        Aabb::from_center(Vec3::X * -6.0, Vec3::splat(5.0)),
        Body::kinematic(Vec3::X * 2.0),
    );
    // A tube, which blocks the sides.
    for aside in [Vec3::Y, Vec3::NEG_Y, Vec3::Z, Vec3::NEG_Z] {
        let around = Aabb::from_center(aside * 20.5, Vec3::splat(20.0));
        spawn_box(&mut runtime, around);
    }
    let pallet = spawn_body(&mut runtime, cube(0.5), Body::dynamic());
    runtime.run_frames(110).expect("nothing fails");
    let here = box_of(&runtime, pallet);
    assert!(!here.overlaps(&box_of(&runtime, wall)));
    assert_eq!(leftover_pairs(&runtime), [(press, pallet)]);
}

#[test]
fn a_cart_on_a_moving_deck_works_in_world_space() {
    let mut runtime = Runtime::new();
    let quarter = Quat::from_rotation_y(std::f32::consts::FRAC_PI_2);
    let own = Aabb::from_center(Vec3::ZERO, Vec3::new(6.0, 0.5, 6.0));
    let barge = runtime.world_mut().spawn((
        Transform::at(0.0, 0.0, 0.0)
            .rotated(quarter)
            .scaled(Vec3::splat(2.0)),
        Collider::solid(own),
        Body::kinematic(Vec3::X * 3.0),
    ));
    let cart = runtime.world_mut().spawn((
        Transform::at(0.0, 1.0, 0.0),
        Collider::solid(cube(0.5)),
        Body::dynamic(),
    ));
    runtime.world_mut().link(cart, barge).expect("no cycle");
    // 20 m east of where the cart begins.
    let wall = spawn_box(
        &mut runtime,
        Aabb::from_corner(Vec3::new(20.0, -9.0, -9.0), Vec3::splat(30.0)),
    );
    let placed = |runtime: &Runtime| {
        runtime
            .world()
            .get::<WorldTransform>(cart)
            .expect("it is alive")
            .translation()
    };
    runtime.run_frames(60).expect("nothing fails");
    // It is as large as its parent's scale makes it, falls onto the deck, and goes along.
    let there = placed(&runtime);
    assert!(there.abs_diff_eq(Vec3::new(3.0, 2.0, 0.0), 1e-3), "{there}");
    runtime.run_frames(500).expect("nothing fails");
    let there = placed(&runtime);
    assert!(
        there.abs_diff_eq(Vec3::new(19.0, 2.0, 0.0), 1e-3),
        "the wall holds it: {there}"
    );
    assert!(!box_of(&runtime, cart).overlaps(&box_of(&runtime, wall)));
    assert!((place_of(&runtime, barge).x - 28.0).abs() < 1e-3);
}

#[test]
fn a_body_under_a_moved_parent_stops_in_world_space() {
    let mut runtime = weightless();
    let world = runtime.world_mut();
    let quarter = Quat::from_rotation_y(std::f32::consts::FRAC_PI_2);
    let deck = world.spawn((Transform::at(10.0, 0.0, 0.0).rotated(quarter),));
    let cart = world.spawn((
        Transform::at(0.0, 0.0, 2.0),
        Collider::solid(cube(0.5)),
        Body::dynamic().with_velocity(Vec3::new(60.0, 0.0, 0.0)),
    ));
    world.link(cart, deck).expect("no cycle");
    world.spawn((Transform::at(20.0, 0.0, 0.0), Collider::solid(cube(1.0))));
    runtime.run_frames(30).expect("nothing fails");
    let placed = runtime
        .world()
        .get::<WorldTransform>(cart)
        .expect("it is alive")
        .translation();
    assert!(
        placed.abs_diff_eq(Vec3::new(18.5, 0.0, 0.0), 1e-4),
        "{placed}"
    );
}

#[test]
fn what_hangs_below_a_body_does_not_block_it() {
    let mut runtime = weightless();
    let world = runtime.world_mut();
    let truck = world.spawn((
        Transform::default(),
        Collider::solid(cube(1.0)),
        Body::dynamic().with_velocity(Vec3::X),
    ));
    let cabin = world.spawn((Transform::at(1.5, 0.0, 0.0), Collider::solid(cube(1.0))));
    world.link(cabin, truck).expect("no cycle");
    runtime.run_frames(60).expect("nothing fails");
    assert!((place_of(&runtime, truck).x - 1.0).abs() < 1e-4);
}

#[test]
fn a_dynamic_body_below_a_dynamic_one_moves_by_itself() {
    let mut runtime = Runtime::new();
    let above = spawn_body(&mut runtime, cube(0.5), Body::dynamic());
    let below = Body::dynamic().with_velocity(Vec3::X);
    let below = spawn_body(&mut runtime, cube(0.5).moved(Vec3::X * 3.0), below);
    runtime
        .world_mut()
        .link_in_place(below, above)
        .expect("no cycle");
    runtime.run_frames(60).expect("nothing fails");
    let placed = runtime.world().get::<WorldTransform>(below);
    let placed = placed.expect("it is alive").translation();
    let fallen = place_of(&runtime, above).y;
    assert!((fallen + 4.905).abs() < 0.01, "{fallen}");
    assert!(
        placed.abs_diff_eq(Vec3::new(4.0, fallen, 0.0), 0.01),
        "{placed}"
    );
}

#[cfg(feature = "snapshot")]
#[test]
fn a_restored_body_is_not_carried_by_what_it_stood_on_later() {
    let mut runtime = Runtime::new();
    let lift = spawn_body(
        &mut runtime,
        Aabb::from_center(Vec3::Y * -0.5, Vec3::new(2.0, 0.5, 2.0)),
        Body::kinematic(Vec3::X),
    );
    let rider = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::Y * 9.0),
        Body::dynamic(),
    );
    let before = runtime.world().snapshot().expect("all can be written");
    runtime.run_frames(120).expect("nothing fails");
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    let standing = contacts.stands_on(rider).map(|standing| standing.carrier);
    assert_eq!(standing, Some(lift));
    drop(contacts);
    runtime
        .world_mut()
        .restore(&before)
        .expect("all can be read");
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        place_of(&runtime, rider).x,
        0.0,
        "it hangs in the air again"
    );
}

//! Bodies among what does not move.

use super::*;
use gerust::collide::{Boxes, MapPlane, TileGrid};

/// Every side, tall and wide bodies and walls, near and far from the origin, and up to 100 widths of the body a frame.
#[test]
fn bodies_stop_from_all_sides_however_fast_wherever() {
    let shapes = [
        Vec3::new(0.2, 2.0, 0.2),
        Vec3::new(2.0, 0.2, 0.7),
        Vec3::splat(0.5),
    ];
    for dimensions in [Dimensions::Two, Dimensions::Three] {
        let axes = if dimensions == Dimensions::Two { 2 } else { 3 };
        for (axis, sign) in (0..axes).flat_map(|axis| [(axis, -1.0), (axis, 1.0)]) {
            for origin in [Vec3::ZERO, Vec3::splat(10_000.0)] {
                for (half, wall_half) in shapes.iter().flat_map(|&a| shapes.map(|b| (a, b))) {
                    let mut runtime = weightless();
                    runtime.world_mut().set_global(dimensions);
                    let towards = Vec3::AXES[axis] * sign;
                    let wall = Aabb::from_center(origin, wall_half);
                    spawn_box(&mut runtime, wall);
                    let reach = half[axis] + wall_half[axis];
                    let start = origin - towards * (reach + 1.7);
                    let speed = 100.0 * 2.0 * half[axis] * 60.0;
                    let body = Body::dynamic().with_velocity(towards * speed);
                    let body = spawn_body(&mut runtime, Aabb::from_center(start, half), body);
                    runtime.run_frames(3).expect("nothing fails");
                    let here = box_of(&runtime, body);
                    assert!(
                        !here.overlaps(&box_of_wall(&runtime)),
                        "{here:?} from {start}"
                    );
                    let gap = ((origin - place_of(&runtime, body)) * towards)[axis] - reach;
                    // Two steps of a number of this size.
                    assert!((-0.001..=0.002).contains(&gap), "{gap} m short at {origin}");
                    assert_eq!(velocity_of(&runtime, body), Vec3::ZERO);
                    let contacts = runtime.world().global::<Contacts>().expect("always there");
                    assert_eq!(contacts.iter().len(), 1, "it is in contact at {origin}");
                }
            }
        }
    }
}

fn box_of_wall(runtime: &Runtime) -> Aabb {
    let rows = runtime.world().rows_where::<&WorldBox, Lacking<Body>>();
    rows.iter().next().expect("there is a wall").aabb()
}

/// One on the floor, a stack of three, and one that leans over an edge: once they are at rest they stay where they are, to
/// the bit, in each of 100,000 frames.
#[test]
fn rest_is_bit_stable() {
    let mut runtime = Runtime::new();
    runtime.profiler_mut().set_on(false);
    let floor = Aabb::from_corners(Vec3::new(-50.0, -1.0, -50.0), Vec3::new(50.0, 0.1, 50.0));
    spawn_box(&mut runtime, floor);
    let mut bodies = vec![spawn_body(
        &mut runtime,
        cube(0.37).moved(Vec3::new(0.3, 4.7, 0.9)),
        Body::dynamic(),
    )];
    for (number, half) in [0.5, 0.33, 0.21].into_iter().enumerate() {
        let place = Vec3::new(5.0 + 0.1 * number as f32, 1.0 + 1.3 * number as f32, 0.0);
        let body = Body::dynamic()
            .with_mass(1.0 + number as f32)
            .with_friction(0.3);
        bodies.push(spawn_body(&mut runtime, cube(half).moved(place), body));
    }
    bodies.push(spawn_body(
        &mut runtime,
        cube(0.4).moved(Vec3::new(5.45, 6.0, 0.3)),
        Body::dynamic(),
    ));
    runtime.run_frames(600).expect("nothing fails");
    let rest = end_of(&runtime, &bodies);
    assert_eq!(leftovers(&runtime), 0);
    // The long form is enough for any drift of a bit in a million.
    let frames = if cfg!(feature = "stress") {
        100_000
    } else {
        5_000
    };
    for frame in 0..frames {
        runtime.run_frames(1).expect("nothing fails");
        assert_eq!(end_of(&runtime, &bodies), rest, "after {frame} frames");
    }
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    for contact in contacts.iter() {
        assert_eq!(contact.state, ContactState::Held);
    }
}

#[test]
fn a_box_set_that_grows_into_a_wall_pushes_its_body_out() {
    let mut runtime = weightless();
    let wall = spawn_box(
        &mut runtime,
        Aabb::from_corner(Vec3::new(1.0, -5.0, -5.0), Vec3::splat(10.0)),
    );
    let floor = spawn_box(
        &mut runtime,
        Aabb::from_corner(Vec3::new(-9.0, -10.5, -5.0), Vec3::splat(10.0)),
    );
    let arm = Aabb::from_center(Vec3::new(0.5, -0.25, 0.0), Vec3::new(1.0, 0.5, 0.2));
    let collider = Collider::solid(cube(0.5)).with_set("reaching", [cube(0.5), arm]);
    let crane =
        runtime
            .world_mut()
            .spawn((Transform::at(0.4, 0.0, 0.0), collider, Body::dynamic()));
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(place_of(&runtime, crane), Vec3::new(0.4, 0.0, 0.0));
    let switch = |runtime: &mut Runtime, set: &str| {
        let collider = runtime
            .world_mut()
            .get_mut::<Collider>(crane)
            .expect("it is alive");
        collider.switch_to(set).expect("there is such a set");
    };
    switch(&mut runtime, "reaching");
    runtime.run_frames(1).expect("nothing fails");
    // The arm reaches 1.5 m ahead and 0.75 m down, into the wall and into the floor.
    assert!(place_of(&runtime, crane).abs_diff_eq(Vec3::new(-0.5, 0.25, 0.0), 1e-6));
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    let solids = [box_of(&runtime, wall), box_of(&runtime, floor)];
    for part in boxes.of(crane) {
        assert!(solids.iter().all(|solid| !part.overlaps(solid)));
    }
    drop(boxes);
    switch(&mut runtime, "default");
    runtime.run_frames(1).expect("nothing fails");
    assert!(place_of(&runtime, crane).abs_diff_eq(Vec3::new(-0.5, 0.25, 0.0), 1e-6));
}

/// A hundred kilometres out, where numbers are 8 mm apart, a body at rest is still in contact with the ground.
#[test]
fn far_away_rest_is_a_contact_as_well() {
    for size in 0..12_u8 {
        let mut runtime = Runtime::new();
        let place = Vec3::splat(100_000.3);
        let ground = Aabb::from_center(place, Vec3::new(5.0, 0.7, 5.0));
        let ground = spawn_box(&mut runtime, ground);
        let half = 0.331 + 0.0137 * f32::from(size);
        // Off its origin, so that there is one more sum to round.
        let own = Aabb::from_center(Vec3::Y * half * 1.37, Vec3::splat(half));
        let start = Transform::at(place.x, place.y + 3.0, place.z);
        let body = (start, Collider::solid(own), Body::dynamic());
        let body = runtime.world_mut().spawn(body);
        runtime.run_frames(200).expect("nothing fails");
        for _ in 0..20 {
            runtime.run_frames(1).expect("nothing fails");
            let contacts = runtime.world().global::<Contacts>().expect("always there");
            assert!(contacts.stands_on(body).is_some(), "with {half} m");
        }
        let gap = box_of(&runtime, body).min.y - box_of(&runtime, ground).max.y;
        assert!((0.0..=0.032).contains(&gap), "{gap} m above the ground");
    }
}

#[test]
fn z_takes_no_part_in_a_scene_of_two_dimensions() {
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Dimensions::Two);
    let stairs = TileGrid::from_rows(
        ["...", "...", "###"],
        Vec3::new(4.0, 1.0, 1.0),
        MapPlane::Wall,
    );
    runtime.world_mut().spawn((
        Transform::at(0.0, 0.0, 90.0),
        Collider::tiles(stairs.expect("it has tiles")),
    ));
    let body = Body::dynamic().with_velocity(Vec3::new(2.0, 0.0, 7.0));
    let cart = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(1.0, 1.6, -40.0)),
        body,
    );
    let stuck = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(10.0, 1.2, 3.0)),
        Body::dynamic(),
    );
    runtime.run_frames(60).expect("nothing fails");
    let place = place_of(&runtime, cart);
    assert_eq!(place.y, 1.5, "it stands on the tiles");
    assert!(
        (place.z + 33.0).abs() < 1e-3 && (place.x - 3.0).abs() < 1e-3,
        "{place}"
    );
    assert_eq!(
        place_of(&runtime, stuck),
        Vec3::new(10.0, 1.5, 3.0),
        "no body is pushed along z"
    );
    assert!(
        box_of(&runtime, cart).max.z < -32.0,
        "its own box keeps its thickness"
    );
}

#[test]
fn layers_that_do_not_meet_neither_touch_nor_stop() {
    let mut runtime = weightless();
    let mut layers = Layers::default();
    let ghost = layers.add("ghost").expect("there is room");
    let wall = layers.add("wall").expect("there is room");
    runtime.world_mut().set_global(layers);
    let world = runtime.world_mut();
    let mover = |layer| {
        (
            Transform::at(-5.0, 0.0, 0.0),
            Collider::solid(cube(0.5)).in_layer(layer),
            Body::dynamic().with_velocity(Vec3::new(60.0, 0.0, 0.0)),
        )
    };
    world.spawn((
        Transform::default(),
        Collider::solid(cube(1.0)).in_layer(wall),
    ));
    let through = world.spawn(mover(ghost));
    let stopped = world.spawn(mover(Layer::default()));
    runtime.run_frames(10).expect("nothing fails");
    assert_eq!(place_of(&runtime, through).x, 5.0);
    assert_eq!(place_of(&runtime, stopped).x, -1.5);
}

#[test]
fn the_nearest_of_many_walls_stops_whatever_their_order() {
    for order in [[3.0, 5.0, 9.0], [9.0, 5.0, 3.0], [5.0, 9.0, 3.0]] {
        let mut runtime = weightless();
        for x in order {
            runtime
                .world_mut()
                .spawn((Transform::at(x, 0.0, 0.0), Collider::solid(cube(0.5))));
        }
        let body = runtime.world_mut().spawn((
            Transform::default(),
            Collider::solid(cube(0.25)),
            Body::dynamic().with_velocity(Vec3::new(1000.0, 0.0, 0.0)),
        ));
        runtime.run_frames(1).expect("nothing fails");
        assert_eq!(place_of(&runtime, body).x, 2.25);
    }
}

#[test]
fn a_wall_that_is_put_onto_a_body_pushes_it_out() {
    let mut runtime = weightless();
    let body = runtime.world_mut().spawn((
        Transform::at(0.9, 0.2, 0.0),
        Collider::solid(cube(0.5)),
        Body::dynamic(),
    ));
    runtime.run_frames(1).expect("nothing fails");
    runtime
        .world_mut()
        .spawn((Transform::default(), Collider::solid(cube(1.0))));
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(place_of(&runtime, body), Vec3::new(1.5, 0.2, 0.0));
}

#[test]
fn what_was_spawned_or_teleported_since_the_last_frame_is_solid_where_it_is() {
    let mut runtime = weightless();
    let body = runtime.world_mut().spawn((
        Transform::default(),
        Collider::solid(cube(0.5)),
        Body::dynamic().with_velocity(Vec3::new(600.0, 0.0, 0.0)),
    ));
    let wall = runtime
        .world_mut()
        .spawn((Transform::at(500.0, 0.0, 0.0), Collider::solid(cube(0.5))));
    runtime
        .world_mut()
        .get_mut::<Transform>(wall)
        .expect("it is alive")
        .translation
        .x = 5.0;
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(place_of(&runtime, body).x, 4.0);
}

#[test]
fn bodies_stop_from_all_six_sides_however_fast() {
    for axis in 0..3 {
        for sign in [-1.0, 1.0] {
            for speed in [1.0, 60.0, 6_000.0, 1e6] {
                let mut runtime = weightless();
                let towards = Vec3::AXES[axis] * sign;
                let wall = Aabb::from_center(Vec3::ZERO, Vec3::splat(8.0).with_y(7.0).with_z(6.0));
                let reach = wall.half_extents()[axis] + 0.5;
                let world = runtime.world_mut();
                world.spawn((Transform::default(), Collider::solid(wall)));
                let start = -towards * (reach + 1.0);
                let body = world.spawn((
                    Transform::at(start.x, start.y, start.z),
                    Collider::solid(cube(0.5)),
                    Body::dynamic().with_velocity(towards * speed),
                ));
                runtime.run_frames(90).expect("nothing fails");
                assert_eq!(
                    place_of(&runtime, body),
                    -towards * reach,
                    "towards {towards} at {speed}"
                );
                let velocity = runtime
                    .world()
                    .get::<Body>(body)
                    .expect("it is alive")
                    .velocity;
                assert_eq!(velocity, Vec3::ZERO);
            }
        }
    }
}

#[test]
fn flush_tiles_do_not_catch_a_sliding_body() {
    let mut runtime = Runtime::new();
    let tile = Aabb::from_corner(Vec3::new(0.0, -1.0, -1.0), Vec3::new(1.0, 1.0, 2.0));
    for x in 0..40_u8 {
        runtime
            .world_mut()
            .spawn((Transform::at(f32::from(x), 0.0, 0.0), Collider::solid(tile)));
    }
    let cart = runtime.world_mut().spawn((
        Transform::at(1.0, 0.4, 0.0),
        Collider::solid(cube(0.4)),
        Body::dynamic().with_velocity(Vec3::new(7.3, 0.0, 0.0)),
    ));
    runtime.run_frames(240).expect("nothing fails");
    let place = place_of(&runtime, cart);
    assert!((place.x - 30.2).abs() < 1e-3, "it went to {place}");
    assert!((place.y - 0.4).abs() < 1e-6);
}

//! Contacts and bodies, through the whole frame.

use gerust::prelude::*;

fn cube(half: f32) -> Aabb {
    Aabb::from_center(Vec3::ZERO, Vec3::splat(half))
}

fn weightless() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Gravity(Vec3::ZERO));
    runtime
}

fn place_of(runtime: &Runtime, entity: Entity) -> Vec3 {
    runtime
        .world()
        .get::<Transform>(entity)
        .expect("it is alive")
        .translation
}

#[test]
fn a_contact_begins_is_held_and_ends() {
    let mut runtime = weightless();
    let gate = runtime
        .world_mut()
        .spawn((Transform::default(), Collider::sensor(cube(1.0))));
    let truck = runtime.world_mut().spawn((
        Transform::at(-3.5, 0.0, 0.0),
        Collider::solid(cube(1.0)),
        Body::kinematic(Vec3::new(60.0, 0.0, 0.0)),
    ));
    runtime
        .world_mut()
        .global_mut::<Contacts>()
        .expect("always there")
        .post_held(true);
    let mut seen = Vec::new();
    for frame in 1..=8_u64 {
        runtime.run_frames(1).expect("nothing fails");
        for contact in runtime.world().posted::<Contact>() {
            assert_eq!(
                (contact.first, contact.second, contact.is_sensor),
                (gate, truck, true)
            );
            seen.push((frame, contact.state, contact.since));
        }
    }
    // One metre a frame: from -1.5 at frame 2 to 1.5 at frame 5.
    use ContactState::{Began, Ended, Held};
    assert_eq!(
        seen,
        [
            (2, Began, 2),
            (3, Held, 2),
            (4, Held, 2),
            (5, Held, 2),
            (6, Ended, 2)
        ]
    );
}

#[test]
fn a_contact_ends_when_one_of_the_two_goes_or_is_switched_off() {
    let mut runtime = weightless();
    let world = runtime.world_mut();
    let pad = world.spawn((Transform::default(), Collider::sensor(cube(1.0))));
    let gone = world.spawn((Transform::default(), Collider::solid(cube(1.0))));
    let off = world.spawn((Transform::at(0.0, 0.5, 0.0), Collider::solid(cube(1.0))));
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        runtime
            .world()
            .global::<Contacts>()
            .expect("always there")
            .iter()
            .len(),
        3
    );
    runtime.world_mut().despawn(gone).expect("it is alive");
    runtime
        .world_mut()
        .get_mut::<Collider>(off)
        .expect("it is alive")
        .set_on(false);
    runtime.run_frames(1).expect("nothing fails");
    let ended: Vec<_> = runtime
        .world()
        .posted::<Contact>()
        .iter()
        .map(|contact| (contact.first, contact.second, contact.state))
        .collect();
    let state = ContactState::Ended;
    assert_eq!(
        ended,
        [(pad, gone, state), (pad, off, state), (gone, off, state)]
    );
    assert_eq!(
        runtime
            .world()
            .global::<Contacts>()
            .expect("always there")
            .iter()
            .len(),
        0
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
fn rest_is_bit_stable() {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let floor = Aabb::from_corners(Vec3::new(-50.0, -1.0, -50.0), Vec3::new(50.0, 0.1, 50.0));
    world.spawn((Transform::default(), Collider::solid(floor)));
    let pallet = world.spawn((
        Transform::at(0.3, 4.7, 0.9),
        Collider::solid(cube(0.37)),
        Body::dynamic(),
    ));
    runtime.run_frames(300).expect("nothing fails");
    let rest = place_of(&runtime, pallet);
    for _ in 0..2_000 {
        runtime.run_frames(1).expect("nothing fails");
        assert_eq!(place_of(&runtime, pallet).to_array(), rest.to_array());
        let contacts = runtime.world().global::<Contacts>().expect("always there");
        let states: Vec<_> = contacts.iter().map(|contact| contact.state).collect();
        assert_eq!(states, [ContactState::Held], "it is held all the time");
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
fn there_are_at_most_32_layers() {
    let mut layers = Layers::default();
    for number in 1..32 {
        layers.add(&number.to_string()).expect("there is room");
    }
    assert_eq!(layers.add("31").ok(), layers.find("31"));
    let error = layers.add("one more").unwrap_err().to_string();
    assert!(error.contains("`one more`") && error.contains("32"));
}

use super::*;
use crate::collide::{Aabb, Body, Collider, Contact, ContactState};
use crate::runtime::{StandardKit, Velocity};
use crate::store::Name;
use proptest::prelude::*;
use std::sync::atomic::{AtomicBool, Ordering};

fn runtime() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it fits");
    runtime.add_kit(OriginKit).expect("it fits");
    runtime
}

fn placed(at: Vec3) -> Transform {
    Transform::at(at.x, at.y, at.z)
}

fn cube(half: f32) -> Collider {
    Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(half)))
}

/// A barge with a mast, crates of which some lie on each other, and a truck on a route: around a place.
fn quay(world: &mut World, at: Vec3) -> Entity {
    let deck = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(30.0, 1.0, 30.0)));
    let barge = world.spawn((Name::new("barge"), placed(at), deck));
    let mast = world.spawn((Name::new("mast"), Transform::at(0.0, 4.0, 0.0), cube(0.25)));
    world.link(mast, barge).expect("both are there");
    for number in 0..12_u8 {
        let offset = Vec3::new(
            f32::from(number % 4) * 2.0 + 3.0,
            f32::from(number / 4) * 1.3 + 0.7,
            0.3,
        );
        let crate_ = (
            Name::new(&format!("crate-{number}")),
            placed(at + offset),
            cube(0.5),
            Body::dynamic(),
        );
        world.spawn(crate_);
    }
    let stops = [Vec3::X * 4.0, Vec3::new(4.0, 2.0, 5.0), Vec3::Z * 7.0];
    let route = Route::new(stops.map(|stop| at + stop).to_vec(), 3.0).looped();
    let truck = (Name::new("truck"), placed(at), route);
    world.spawn(truck);
    barge
}

fn contacts(runtime: &Runtime) -> Vec<(Entity, Entity, ContactState, u64)> {
    let contacts = runtime.world().global::<Contacts>().expect("it is there");
    contacts
        .iter()
        .map(|contact| (contact.first, contact.second, contact.state, contact.since))
        .collect()
}

fn posted(runtime: &Runtime) -> Vec<(Entity, Entity, ContactState)> {
    let posted = runtime.world().posted::<Contact>().into_iter();
    posted
        .map(|contact| (contact.first, contact.second, contact.state))
        .collect()
}

/// By entity: how far it is from another one, which is at the same place in both worlds.
fn around(runtime: &Runtime, center: Entity) -> Vec<(Entity, Vec3)> {
    let world = runtime.world();
    let place = |entity: Entity| {
        let placed = world.get::<WorldTransform>(entity).expect("it has one");
        placed.translation()
    };
    let rows = world.rows::<(Entity, &WorldTransform)>();
    let mut all: Vec<(Entity, Vec3)> = rows
        .iter()
        .map(|(entity, _)| (entity, place(entity) - place(center)))
        .collect();
    all.sort_by_key(|(entity, _)| *entity);
    all
}

fn largest_difference(one: &[(Entity, Vec3)], other: &[(Entity, Vec3)]) -> f32 {
    assert_eq!(one.len(), other.len());
    let pairs = one.iter().zip(other);
    pairs
        .map(|((a, one), (b, other))| {
            assert_eq!(a, b);
            (*one - *other).abs().max_element()
        })
        .fold(0.0, f32::max)
}

const MILLIMETRE: f32 = 1e-3;

/// The origin of a world without entities, 1,000 km from the first one.
fn far_away() -> Runtime {
    let mut runtime = runtime();
    let by = Vec3::new(999_424.0, 0.0, -40_960.0);
    runtime.move_origin(by).expect("it is finite");
    runtime
}

fn offset(runtime: &Runtime) -> DVec3 {
    runtime
        .world()
        .global::<Origin>()
        .expect("the kit made it")
        .offset()
}

#[test]
fn a_quay_a_thousand_kilometres_away_runs_as_one_at_the_origin() {
    let frames = if cfg!(feature = "stress") { 2_000 } else { 240 };
    let (mut near, mut far) = (runtime(), far_away());
    let barge = quay(near.world_mut(), Vec3::ZERO);
    assert_eq!(quay(far.world_mut(), Vec3::ZERO), barge);
    for frame in 0..frames {
        // There and back, about as far as a focus lets it.
        match frame % 10 {
            3 => far
                .move_origin(Vec3::new(256.0, 0.0, -128.0))
                .expect("it is finite"),
            7 => far
                .move_origin(Vec3::new(-256.0, 0.0, 128.0))
                .expect("it is finite"),
            _ => {}
        }
        for runtime in [&mut near, &mut far] {
            runtime.run_frames(1).expect("nothing fails");
        }
        assert_eq!(contacts(&near), contacts(&far), "frame {frame}");
        assert_eq!(posted(&near), posted(&far), "frame {frame}");
        let off = largest_difference(&around(&near, barge), &around(&far, barge));
        assert!(off < MILLIMETRE, "frame {frame}: {off}");
    }
    assert!(contacts(&near).len() > 10);
    assert!(offset(&far).length() > 1e6);
}

#[test]
fn a_journey_of_a_thousand_kilometres_moves_nothing_on_board() {
    // 64 m a frame are exact, so what is measured is the error of the origin and of motion on board.
    let frames = if cfg!(feature = "stress") {
        15_625
    } else {
        1_600
    };
    let (mut still, mut sailing) = (runtime(), runtime());
    let mut barge = None;
    for (runtime, velocity) in [(&mut still, Vec3::ZERO), (&mut sailing, Vec3::X * 4_096.0)] {
        runtime.set_step_seconds(1.0 / 64.0).expect("it is a step");
        let world = runtime.world_mut();
        let made = quay(world, Vec3::ZERO);
        let truck = world.find("truck").expect("it was spawned");
        world.despawn(truck).expect("it is there");
        world
            .attach(made, Body::kinematic(Vec3::ZERO))
            .expect("it is there");
        world
            .attach(made, OriginFocus::default())
            .expect("it is there");
        barge = Some(made);
        runtime.run_frames(90).expect("the crates come to rest");
        let body = runtime
            .world_mut()
            .get_mut::<Body>(made)
            .expect("it has one");
        body.velocity = velocity;
    }
    let barge = barge.expect("two were made");
    for frame in 1..=frames {
        for runtime in [&mut still, &mut sailing] {
            runtime.run_frames(1).expect("nothing fails");
        }
        let off = largest_difference(&around(&still, barge), &around(&sailing, barge));
        assert!(off < MILLIMETRE, "frame {frame}: {off}");
        let place = sailing
            .world()
            .get::<WorldTransform>(barge)
            .expect("it has one");
        assert!(place.translation().x.abs() <= 314.0);
        let origin = sailing.world().global::<Origin>().expect("the kit made it");
        let absolute = origin.absolute(place.translation());
        assert_eq!(
            absolute,
            DVec3::X * 64.0 * f64::from(frame),
            "frame {frame}"
        );
    }
    assert_eq!(offset(&still), DVec3::ZERO);
    assert_eq!(contacts(&still), contacts(&sailing));
}

#[test]
fn entities_move_with_the_highest_transform_above_them() {
    let mut runtime = runtime();
    let world = runtime.world_mut();
    let folder = world.spawn((Name::new("a folder without a place"),));
    let ship = world.spawn((Transform::at(2_000.0, 0.0, 0.0),));
    let hook = world.spawn((Transform::at(1.0, 5.0, 0.0),));
    let bare = world.spawn((Name::new("bare"),));
    let lamp = world.spawn((Transform::at(1.0, 2.0, 0.0),));
    for (child, parent) in [(ship, folder), (hook, ship), (bare, hook), (lamp, bare)] {
        world.link(child, parent).expect("both are there");
    }
    let route = || Route::new(vec![Vec3::X * 2_001.0], 0.5);
    world.attach(ship, route()).expect("it is there");
    world.attach(hook, route()).expect("it is there");
    runtime.run_frames(1).expect("nothing fails");
    let own = |runtime: &Runtime, entity| {
        let transform = runtime.world().get::<Transform>(entity);
        transform.expect("it has one").translation
    };
    let before = [ship, hook, lamp].map(|entity| own(&runtime, entity));
    let relative = around(&runtime, ship);
    runtime
        .move_origin(Vec3::X * 1_024.0)
        .expect("it is finite");
    let after = [ship, hook, lamp].map(|entity| own(&runtime, entity));
    assert_eq!(after, [before[0] - Vec3::X * 1_024.0, before[1], before[2]]);
    assert!(largest_difference(&relative, &around(&runtime, ship)) < 1e-4);
    let goal = |entity| {
        runtime
            .world()
            .get::<Route>(entity)
            .expect("it has one")
            .waypoints[0]
            .x
    };
    assert_eq!((goal(ship), goal(hook)), (977.0, 2_001.0));
}

#[test]
fn a_drawing_between_two_frames_does_not_jump() {
    let mut runtime = runtime();
    let ship = (
        Transform::at(240.0, 0.0, 0.0),
        Velocity(Vec3::X * 600.0),
        OriginFocus::default(),
        Earlier::default(),
    );
    let ship = runtime.world_mut().spawn(ship);
    runtime.settle().expect("nothing fails");
    for frame in 0..20 {
        runtime.run_frames(1).expect("nothing fails");
        let world = runtime.world();
        let now = world
            .get::<WorldTransform>(ship)
            .expect("it has one")
            .translation();
        let earlier = world
            .get::<Earlier>(ship)
            .expect("it has one")
            .0
            .translation();
        assert!(
            (now - earlier - Vec3::X * 10.0).length() < MILLIMETRE,
            "frame {frame}"
        );
    }
    assert_eq!(
        runtime
            .world()
            .global::<Origin>()
            .expect("it is there")
            .moves(),
        1
    );
}

#[test]
fn without_a_focus_or_the_kit_nothing_moves() {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it fits");
    let far = (
        Name::new("ship"),
        Transform::at(9e5, 0.0, 0.0),
        OriginFocus::default(),
    );
    runtime.world_mut().spawn(far);
    runtime.run_frames(3).expect("nothing fails");
    assert!(runtime.world().find_global::<Origin>().is_none());
    let found = runtime.without_effect();
    assert_eq!(
        found[0].to_string(),
        "`OriginFocus` of `ship` has no effect: the runtime lacks the `OriginKit`; add it"
    );
    runtime.add_kit(OriginKit).expect("it fits");
    assert!(runtime.without_effect().is_empty());
    runtime.run_frames(2).expect("nothing fails");
    assert_eq!(offset(&runtime).x, 899_968.0);
    runtime.remove_kit::<OriginKit>().expect("it was added");
    let ship = runtime.world().find("ship").expect("it was spawned");
    runtime
        .world_mut()
        .get_mut::<Transform>(ship)
        .expect("it has one")
        .translation
        .x = 9e5;
    runtime.run_frames(3).expect("nothing fails");
    assert_eq!(offset(&runtime).x, 899_968.0);
}

#[test]
fn a_closure_that_panics_ends_the_frame_and_the_next_one_runs() {
    static PANICS: AtomicBool = AtomicBool::new(true);
    struct Home(Vec3);
    let mut runtime = Runtime::new();
    runtime.add_kit(OriginKit).expect("it fits");
    runtime.moves_with_origin::<Home>(|home, by| {
        assert!(!PANICS.swap(false, Ordering::Relaxed), "no way home");
        home.0 -= by;
    });
    let gull = (
        Transform::at(5_000.0, 0.0, 0.0),
        OriginFocus::default(),
        Home(Vec3::ZERO),
    );
    let gull = runtime.world_mut().spawn(gull);
    let error = runtime.run_frames(1).unwrap_err();
    assert!(
        error
            .to_string()
            .contains("a closure that moves places with the origin"),
        "{error}"
    );
    let place = |runtime: &Runtime| {
        runtime
            .world()
            .get::<WorldTransform>(gull)
            .expect("it has one")
            .translation()
    };
    assert_eq!(place(&runtime).x, 8.0);
    runtime.run_frames(2).expect("the panic is over");
    runtime.move_origin(Vec3::X * 512.0).expect("it is finite");
    assert_eq!(
        runtime.world().get::<Home>(gull).expect("it has one").0.x,
        -512.0
    );
    assert!(runtime.move_origin(Vec3::X * f32::INFINITY).is_err());
    assert_eq!(place(&runtime).x, -504.0);
}

#[test]
fn a_frame_that_is_watched_says_that_the_origin_moved() {
    let mut runtime = runtime();
    let far = (
        Transform::at(5_000.0, 0.0, 0.0),
        OriginFocus { beyond: 10.0 },
    );
    runtime.world_mut().spawn(far);
    let mut causes = Vec::new();
    runtime
        .run_frame_watched(|cause, _| causes.push(cause.to_string()))
        .expect("nothing fails");
    assert_eq!(causes[0], "the action: move the origin");
    assert!(
        runtime
            .world()
            .global::<Origin>()
            .expect("it is there")
            .offset()
            .x
            > 4_990.0
    );
}

#[cfg(all(feature = "snapshot", feature = "chance"))]
#[test]
fn loading_and_going_back_keep_the_origin() {
    let start = || {
        let mut runtime = runtime();
        quay(runtime.world_mut(), Vec3::new(700.0, 0.0, 0.0));
        let ship = (
            Transform::at(700.0, 30.0, 0.0),
            Velocity(Vec3::X * 900.0),
            OriginFocus::default(),
        );
        runtime.world_mut().spawn(ship);
        runtime
    };
    let digest = |runtime: &Runtime| {
        (
            runtime.world().digest().expect("it can be written"),
            offset(runtime),
        )
    };
    let mut plain = start();
    plain.run_frames(120).expect("nothing fails");
    for frame in [1, 2, 21, 22, 60] {
        let mut runtime = start();
        runtime.run_frames(frame).expect("nothing fails");
        let moment = runtime.keep();
        let mut saved = Vec::new();
        runtime.save(&mut saved).expect("it can be written");
        runtime.run_frames(50).expect("nothing fails");
        runtime.go_back(&moment).expect("it is of this runtime");
        runtime.run_frames(120 - frame).expect("nothing fails");
        assert_eq!(digest(&runtime), digest(&plain), "frame {frame}");
        let mut loaded = start();
        loaded.load(&saved[..]).expect("it can be read");
        loaded.run_frames(120 - frame).expect("nothing fails");
        assert_eq!(digest(&loaded), digest(&plain), "frame {frame}");
    }
    assert!(offset(&plain).x > 2_000.0);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(feature = "stress") { 500 } else { 40 }))]

    /// On each way of the origin, entities near it keep their places, and contacts and events stay as they were.
    #[test]
    fn entities_keep_their_places_and_their_contacts(
        start in [-900_000_i32..900_000, -9_000..9_000, -900_000..900_000],
        moves in proptest::collection::vec([-3_i32..=3, -1..=1, -3..=3], 1..30),
        settle in 0_u64..40,
    ) {
        let mut runtime = runtime();
        runtime.move_origin(Vec3::from(start.map(|number| number as f32))).expect("it is finite");
        quay(runtime.world_mut(), Vec3::ZERO);
        runtime.run_frames(settle).expect("nothing fails");
        runtime.settle().expect("nothing fails");
        let absolute = |runtime: &Runtime| -> Vec<(Entity, DVec3)> {
            let origin = runtime.world().global::<Origin>().expect("it is there");
            let rows = runtime.world().rows::<(Entity, &WorldTransform)>();
            rows.iter()
                .map(|(entity, placed)| (entity, origin.absolute(placed.translation())))
                .collect()
        };
        let (places, touching) = (absolute(&runtime), contacts(&runtime));
        let events = posted(&runtime);
        let mut way = DVec3::ZERO;
        for by in moves {
            let by = Vec3::from(by.map(|number| number as f32 * 512.0));
            way += by.as_dvec3();
            // No further than 4 km, where numbers are 0.25 mm apart.
            if way.abs().max_element() > 4_000.0 {
                way -= by.as_dvec3();
                continue;
            }
            runtime.move_origin(by).expect("it is finite");
            for ((entity, before), (other, now)) in places.iter().zip(absolute(&runtime)) {
                prop_assert_eq!(*entity, other);
                let off = (*before - now).abs().max_element();
                prop_assert!(off < 5e-4, "{}", off);
            }
            prop_assert_eq!(&contacts(&runtime), &touching);
            prop_assert_eq!(&posted(&runtime), &events);
        }
        // The next frame finds the same pairs.
        runtime.move_origin(-way.as_vec3()).expect("it is finite");
        runtime.settle().expect("nothing fails");
        let pairs = |contacts: Vec<(Entity, Entity, ContactState, u64)>| -> Vec<(Entity, Entity)> {
            contacts.into_iter().map(|(one, other, ..)| (one, other)).collect()
        };
        prop_assert_eq!(pairs(contacts(&runtime)), pairs(touching));
    }

    #[test]
    fn a_focus_is_near_the_origin_after_a_move(
        place in [-1e7_f32..1e7, -1e7_f32..1e7, -10.0_f32..10.0],
        beyond in 0.0_f32..20_000.0,
    ) {
        let (focus, place) = (OriginFocus { beyond }, Vec3::from(place));
        if let Some(by) = focus.due(place) {
            prop_assert!((place - by).abs().max_element() <= beyond.max(1.0));
            prop_assert_eq!(by, by.round());
            prop_assert!(focus.due(place - by).is_none());
        } else {
            prop_assert!(place.abs().max_element() <= beyond);
        }
    }
}

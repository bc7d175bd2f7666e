//! Bodies and stacks of bodies that go along with what they stand on.

use super::*;
use gerust::runtime::{Follow, Route, Spin, Velocity};
use proptest::prelude::*;

const PLATFORM: Vec3 = Vec3::new(3.0, 0.1, 3.0);

/// Ten crates, one on the other, on a platform whose top is at y = 0.1.
fn stack(runtime: &mut Runtime, at: Vec3) -> Vec<Entity> {
    (0..10_u8)
        .map(|level| {
            let place = at + Vec3::Y * (0.35 + 0.5 * f32::from(level));
            spawn_body(runtime, cube(0.25).moved(place), Body::dynamic())
        })
        .collect()
}

fn world_place(runtime: &Runtime, entity: Entity) -> Vec3 {
    let placed = runtime.world().get::<WorldTransform>(entity);
    placed.expect("it is alive").translation()
}

/// Where bodies are, seen from a platform.
fn apart(runtime: &Runtime, crates: &[Entity], platform: Entity) -> Vec<Vec3> {
    let from = world_place(runtime, platform);
    crates
        .iter()
        .map(|&id| world_place(runtime, id) - from)
        .collect()
}

fn assert_still_there(now: &[Vec3], before: &[Vec3]) {
    for (now, before) in now.iter().zip(before) {
        assert!(now.abs_diff_eq(*before, 2e-3), "{now} instead of {before}");
    }
}

#[test]
fn a_stack_rides_a_platform_that_zigzags() {
    let mut runtime = Runtime::new();
    let platform = spawn_body(
        &mut runtime,
        Aabb::from_center(Vec3::ZERO, PLATFORM),
        Body::kinematic(Vec3::ZERO),
    );
    let crates = stack(&mut runtime, Vec3::new(0.4, 0.0, -0.7));
    runtime.run_frames(5).expect("nothing fails");
    let before = apart(&runtime, &crates, platform);
    for leg in [
        Vec3::X * 2.0,
        Vec3::new(-2.0, 1.0, 1.0),
        Vec3::new(2.0, -1.0, 1.0),
        Vec3::new(-2.0, 0.0, -2.0),
    ] {
        let body = runtime.world_mut().get_mut::<Body>(platform);
        body.expect("it is alive").velocity = leg;
        runtime.run_frames(60).expect("nothing fails");
        assert_still_there(&apart(&runtime, &crates, platform), &before);
        assert_eq!(leftovers(&runtime), 0);
    }
    for &id in &crates {
        assert_eq!(
            velocity_of(&runtime, id),
            Vec3::ZERO,
            "seen from the platform it rests"
        );
    }
}

#[test]
fn a_platform_that_follows_carries_a_stack_and_pushes_what_is_in_its_way() {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it is new");
    let corners = vec![Vec3::new(4.0, 0.0, 0.0), Vec3::new(4.0, 1.0, 3.0)];
    let beacon = (Transform::default(), Route::new(corners, 1.5));
    let beacon = runtime.world_mut().spawn(beacon);
    let slab = Collider::solid(Aabb::from_center(Vec3::ZERO, PLATFORM));
    let platform = (Transform::default(), slab, Follow::new(beacon));
    let platform = runtime.world_mut().spawn(platform);
    let crates = stack(&mut runtime, Vec3::ZERO);
    let ahead = cube(0.25).moved(Vec3::X * 5.0);
    let floating = Body::dynamic().with_gravity_scale(0.0);
    let ahead = spawn_body(&mut runtime, ahead, floating);
    // A body rides from the frame after its first contact.
    runtime.run_frames(5).expect("nothing fails");
    let before = apart(&runtime, &crates, platform);
    for _ in 0..300 {
        runtime.run_frames(1).expect("nothing fails");
        assert_eq!(leftovers(&runtime), 0);
    }
    assert_still_there(&apart(&runtime, &crates, platform), &before);
    assert!(place_of(&runtime, platform).abs_diff_eq(place_of(&runtime, beacon), 1e-6));
    assert!(place_of(&runtime, ahead).x >= 7.2, "it was pushed ahead");
}

#[test]
fn a_stack_rides_a_platform_on_a_route_and_one_that_a_system_moves() {
    for is_route in [true, false] {
        let mut runtime = Runtime::new();
        runtime.add_kit(StandardKit).expect("it is new");
        let slab = Collider::solid(Aabb::from_center(Vec3::ZERO, PLATFORM));
        let platform = (Transform::default(), slab, Body::kinematic(Vec3::ZERO));
        let platform = runtime.world_mut().spawn(platform);
        let crates = stack(&mut runtime, Vec3::ZERO);
        runtime.run_frames(5).expect("nothing fails");
        let before = apart(&runtime, &crates, platform);
        if is_route {
            let corners = [
                Vec3::new(4.0, 0.0, 0.0),
                Vec3::new(4.0, 1.0, 3.0),
                Vec3::ZERO,
            ];
            let route = Route::new(corners.to_vec(), 1.5);
            runtime
                .world_mut()
                .attach(platform, route)
                .expect("it is alive");
        } else {
            runtime
                .add_system(
                    System::named("swing")
                        .takes::<(Rows<(&mut Transform, &Body)>, Global<Clock>)>()
                        .runs(|(mut rows, clock)| {
                            let angle = clock.frame() as f32 * 0.02;
                            rows.each(|(transform, body)| {
                                if body.motion == Motion::Kinematic {
                                    transform.translation =
                                        Vec3::new(angle.sin() * 2.0, 0.0, angle.cos() - 1.0);
                                }
                            });
                        }),
                )
                .expect("it is new");
            // Its first step is a small one, too.
        }
        for _ in 0..600 {
            runtime.run_frames(1).expect("nothing fails");
            assert_eq!(leftovers(&runtime), 0);
        }
        assert_still_there(&apart(&runtime, &crates, platform), &before);
    }
}

#[test]
fn a_stack_rides_what_a_velocity_moves_without_a_body() {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it is new");
    let slab = Collider::solid(Aabb::from_center(Vec3::ZERO, PLATFORM));
    let platform = runtime
        .world_mut()
        .spawn((Transform::default(), slab, Velocity(Vec3::ZERO)));
    let crates = stack(&mut runtime, Vec3::ZERO);
    runtime.run_frames(5).expect("nothing fails");
    let before = apart(&runtime, &crates, platform);
    runtime
        .world_mut()
        .get_mut::<Velocity>(platform)
        .expect("it is alive")
        .0 = Vec3::new(1.0, 0.5, 0.0);
    runtime.run_frames(120).expect("nothing fails");
    assert_still_there(&apart(&runtime, &crates, platform), &before);
}

#[test]
fn a_stack_rides_the_end_of_a_turning_arm() {
    for upright in [true, false] {
        let mut runtime = Runtime::new();
        runtime.add_kit(StandardKit).expect("it is new");
        let turn = std::f32::consts::TAU / 4.0;
        let slab = Collider::solid(Aabb::from_center(Vec3::ZERO, PLATFORM));
        let slab = if upright { slab.upright() } else { slab };
        let world = runtime.world_mut();
        let pivot = world.spawn((Transform::default(), Spin(Vec3::ZERO)));
        let deck = (
            Transform::at(6.0, 0.0, 0.0),
            slab,
            Body::kinematic(Vec3::ZERO),
        );
        let deck = world.spawn(deck);
        world.link(deck, pivot).expect("no cycle");
        let crates = stack(&mut runtime, Vec3::X * 6.0);
        runtime.run_frames(5).expect("nothing fails");
        let before = apart(&runtime, &crates, deck);
        runtime
            .world_mut()
            .get_mut::<Spin>(pivot)
            .expect("it is alive")
            .0 = Vec3::Y * turn;
        runtime.run_frames(240).expect("nothing fails");
        assert_still_there(&apart(&runtime, &crates, deck), &before);
        let end = world_place(&runtime, crates[9]);
        assert!(end.abs_diff_eq(Vec3::new(6.0, 4.85, 0.0), 0.01), "{end}");
    }
}

#[test]
fn who_shares_the_larger_face_carries() {
    // A crate that stands on the floor for 90 % and on a platform for 10 %, for either order of creation.
    for floor_first in [true, false] {
        let mut runtime = Runtime::new();
        let floor = Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(0.4, 0.0, 9.0));
        let deck = Aabb::from_corners(Vec3::new(0.4, -1.0, -9.0), Vec3::new(9.0, 0.0, 9.0));
        if floor_first {
            spawn_box(&mut runtime, floor);
        }
        spawn_body(&mut runtime, deck, Body::kinematic(Vec3::Z));
        if !floor_first {
            spawn_box(&mut runtime, floor);
        }
        let stays = spawn_body(
            &mut runtime,
            cube(0.5).moved(Vec3::Y * 0.5),
            Body::dynamic(),
        );
        let goes = cube(0.5).moved(Vec3::new(0.8, 0.5, 3.0));
        let goes = spawn_body(&mut runtime, goes, Body::dynamic());
        runtime.run_frames(60).expect("nothing fails");
        assert!(place_of(&runtime, stays).z.abs() < 1e-3);
        assert!((place_of(&runtime, goes).z - 4.0).abs() < 0.05);
    }
}

#[test]
fn who_leaves_keeps_the_speed_of_its_carrier() {
    let mut runtime = Runtime::new();
    let deck = Aabb::from_center(Vec3::ZERO, PLATFORM);
    spawn_body(&mut runtime, deck, Body::kinematic(Vec3::X * 3.0));
    let crate_ = cube(0.25).moved(Vec3::Y * 0.35);
    let crate_ = spawn_body(&mut runtime, crate_, Body::dynamic());
    runtime.settle().expect("nothing fails");
    runtime.run_frames(30).expect("nothing fails");
    assert_eq!(velocity_of(&runtime, crate_), Vec3::ZERO);
    let body = runtime.world_mut().get_mut::<Body>(crate_);
    body.expect("it is alive").velocity.y = 4.0;
    runtime.run_frames(10).expect("nothing fails");
    let velocity = velocity_of(&runtime, crate_);
    assert!((velocity.x - 3.0).abs() < 1e-4, "{velocity}");
    // It comes down where it jumped, and rides again.
    runtime.run_frames(60).expect("nothing fails");
    let apart = place_of(&runtime, crate_).x - 3.0 * 100.0 / 60.0;
    assert!(apart.abs() < 0.01, "{apart}");
    assert_eq!(velocity_of(&runtime, crate_), Vec3::ZERO);
}

#[test]
fn a_lift_that_outruns_gravity_leaves_its_rider_in_free_fall() {
    for accelerates in [true, false] {
        let mut runtime = Runtime::new();
        let deck = Aabb::from_center(Vec3::ZERO, PLATFORM);
        let lift = spawn_body(&mut runtime, deck, Body::kinematic(Vec3::ZERO));
        let crate_ = cube(0.25).moved(Vec3::Y * 0.35);
        let crate_ = spawn_body(&mut runtime, crate_, Body::dynamic());
        runtime.run_frames(5).expect("nothing fails");
        for frame in 1..=60_u8 {
            let speed = if accelerates {
                f32::from(frame) * 0.5
            } else {
                30.0
            };
            let body = runtime.world_mut().get_mut::<Body>(lift);
            body.expect("it is alive").velocity.y = -speed;
            runtime.run_frames(1).expect("nothing fails");
        }
        let fallen = 0.35 - place_of(&runtime, crate_).y;
        assert!((fallen - 9.81 / 2.0).abs() < 0.4, "fell {fallen} m");
    }
}

#[test]
fn what_is_carried_fast_hits_what_is_in_its_way() {
    for speed in [2.0, 100.0] {
        let mut runtime = Runtime::new();
        let deck = Aabb::from_center(Vec3::NEG_Y * 0.1, Vec3::new(300.0, 0.1, 3.0));
        let deck = spawn_body(&mut runtime, deck, Body::kinematic(Vec3::ZERO));
        let carried = spawn_body(
            &mut runtime,
            cube(0.25).moved(Vec3::Y * 0.25),
            Body::dynamic(),
        );
        // It hangs in the air, so that nothing takes it along.
        let floating = Body::dynamic().with_mass(100.0).with_gravity_scale(0.0);
        let there = Vec3::new(3.0, 0.4, 0.0);
        let floating = spawn_body(&mut runtime, cube(0.25).moved(there), floating);
        runtime.run_frames(2).expect("nothing fails");
        let body = runtime.world_mut().get_mut::<Body>(deck);
        body.expect("it is alive").velocity.x = speed;
        for _ in 0..120 {
            runtime.run_frames(1).expect("nothing fails");
            let (own, other) = (box_of(&runtime, carried), box_of(&runtime, floating));
            assert!(!own.overlaps(&other) && own.max.x <= other.min.x + 1e-3);
        }
        assert!(velocity_of(&runtime, floating).x > 0.0);
    }
}

/// A stack that has ridden a platform at 3 m/s for half a second.
fn carried_stack() -> (Runtime, Entity, Vec<Entity>) {
    let mut runtime = Runtime::new();
    let deck = Aabb::from_center(Vec3::ZERO, PLATFORM);
    let deck = spawn_body(&mut runtime, deck, Body::kinematic(Vec3::X * 3.0));
    let crates = stack(&mut runtime, Vec3::ZERO);
    runtime.settle().expect("nothing fails");
    runtime.run_frames(30).expect("nothing fails");
    (runtime, deck, crates)
}

#[test]
fn a_stack_whose_carrier_is_gone_keeps_the_speed_it_had_on_it() {
    type End = fn(&mut World, Entity);
    let ends: [(&str, End); 3] = [
        ("despawned", |world, deck| {
            world.despawn(deck).expect("it is alive");
        }),
        ("without its collider", |world, deck| {
            world.detach::<Collider>(deck).expect("it is alive");
        }),
        ("teleported", |world, deck| {
            let transform = world.get_mut::<Transform>(deck).expect("it is alive");
            transform.translation = Vec3::splat(1e3);
        }),
    ];
    for (name, end) in ends {
        let (mut runtime, deck, crates) = carried_stack();
        let before: Vec<Vec3> = crates.iter().map(|&id| place_of(&runtime, id)).collect();
        end(runtime.world_mut(), deck);
        runtime.run_frames(30).expect("nothing fails");
        for (&id, before) in crates.iter().zip(before) {
            let body = *runtime.world().get::<Body>(id).expect("it is alive");
            assert!((body.velocity.x - 3.0).abs() < 1e-3, "{name}: {body:?}");
            assert_eq!(body.carried, Vec3::ZERO, "{name}");
            let way = place_of(&runtime, id) - before;
            assert!((way.x - 1.5).abs() < 1e-2, "{name}: {way}");
            assert!((way.y + 9.81 / 8.0).abs() < 0.05, "{name}: {way}");
        }
    }
}

#[test]
fn a_stack_stops_with_its_carrier() {
    let (mut runtime, deck, crates) = carried_stack();
    for &id in &crates {
        let body = *runtime.world().get::<Body>(id).expect("it is alive");
        assert!(body.carried.abs_diff_eq(Vec3::X * 3.0, 1e-4), "{body:?}");
    }
    let body = runtime.world_mut().get_mut::<Body>(deck);
    body.expect("it is alive").velocity = Vec3::ZERO;
    runtime.run_frames(1).expect("nothing fails");
    let places: Vec<Vec3> = crates.iter().map(|&id| place_of(&runtime, id)).collect();
    runtime.run_frames(30).expect("nothing fails");
    for (&id, place) in crates.iter().zip(places) {
        let body = *runtime.world().get::<Body>(id).expect("it is alive");
        assert_eq!((body.velocity, body.carried), (Vec3::ZERO, Vec3::ZERO));
        assert!(place_of(&runtime, id).abs_diff_eq(place, 1e-5));
    }
}

#[test]
fn what_hung_below_a_carrier_keeps_its_speed_when_it_is_cut_off() {
    for is_despawned in [false, true] {
        let mut runtime = weightless();
        let barge = Body::kinematic(Vec3::X * 3.0);
        let barge = runtime.world_mut().spawn((Transform::default(), barge));
        let own = Collider::solid(cube(0.5));
        let hung = (Transform::at(0.0, 2.0, 0.0), own, Body::dynamic());
        let hung = runtime.world_mut().spawn(hung);
        let world = runtime.world_mut();
        world.link(hung, barge).expect("both are alive");
        runtime.run_frames(10).expect("nothing fails");
        let before = world_place(&runtime, hung);
        let world = runtime.world_mut();
        world.unlink_in_place(hung).expect("it is alive");
        if is_despawned {
            world.despawn(barge).expect("it is alive");
        }
        runtime.run_frames(60).expect("nothing fails");
        let way = world_place(&runtime, hung) - before;
        assert!(way.abs_diff_eq(Vec3::X * 3.0, 1e-3), "{way}");
        assert!(velocity_of(&runtime, hung).abs_diff_eq(Vec3::X * 3.0, 1e-4));
    }
}

#[cfg(feature = "snapshot")]
#[test]
fn a_lift_treats_its_riders_the_same_after_a_restore() {
    // A restored world remembers how fast each rider was carried: whether a lift outruns gravity depends on it.
    let lift_at = |runtime: &mut Runtime, lift: Entity, frame: u8| {
        let body = runtime.world_mut().get_mut::<Body>(lift);
        body.expect("it is alive").velocity.y = f32::from(frame) * -0.3;
        runtime.run_frames(1).expect("nothing fails");
    };
    let start = || {
        let mut runtime = Runtime::new();
        let deck = Aabb::from_center(Vec3::ZERO, PLATFORM);
        let lift = spawn_body(&mut runtime, deck, Body::kinematic(Vec3::ZERO));
        stack(&mut runtime, Vec3::ZERO);
        runtime.run_frames(5).expect("nothing fails");
        (runtime, lift)
    };
    for restored_at in 1..30_u8 {
        let (mut kept, lift) = start();
        for frame in 1..=restored_at {
            lift_at(&mut kept, lift, frame);
        }
        let snapshot = kept.world().snapshot().expect("all is registered");
        let (mut other, _) = start();
        other.world_mut().restore(&snapshot).expect("it is sound");
        other.settle().expect("nothing fails");
        for frame in restored_at + 1..40 {
            lift_at(&mut kept, lift, frame);
            lift_at(&mut other, lift, frame);
            let digests = [&kept, &other].map(|runtime| runtime.world().digest());
            let [kept, other] = digests.map(|digest| digest.expect("all is registered"));
            assert_eq!(kept, other, "restored after {restored_at}, at {frame}");
        }
    }
}

#[test]
fn a_stack_that_appears_on_a_moving_platform_rides_it() {
    // In the first frame no contacts are known, so the platform slips below the stack.
    for velocity in [
        Vec3::new(1.9, 0.6, 0.0),
        Vec3::new(-4.0, 0.0, 1.0),
        Vec3::new(0.5, -1.0, 0.0),
    ] {
        let mut runtime = Runtime::new();
        let deck = Aabb::from_center(Vec3::ZERO, PLATFORM);
        let deck = spawn_body(&mut runtime, deck, Body::kinematic(velocity));
        let crates = stack(&mut runtime, Vec3::ZERO);
        runtime.run_frames(60).expect("nothing fails");
        let before = apart(&runtime, &crates, deck);
        runtime.run_frames(240).expect("nothing fails");
        assert_still_there(&apart(&runtime, &crates, deck), &before);
        for id in crates {
            assert_eq!(velocity_of(&runtime, id), Vec3::ZERO, "on {velocity}");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(feature = "stress") { 128 } else { 24 }))]

    /// A platform makes nothing faster than it is itself, however bodies come to it, hop on it and leave it.
    #[test]
    fn a_platform_makes_nothing_faster_than_itself(
        (velocity, gaps) in (
            (-5.0_f32..5.0, -3.0_f32..3.0, -5.0_f32..5.0).prop_map(Vec3::from),
            proptest::collection::vec((prop_oneof![Just(0.0_f32), 0.0_f32..0.2], -0.3_f32..0.3), 1..8),
        ),
        settles in proptest::bool::ANY,
    ) {
        let mut runtime = Runtime::new();
        let deck = Aabb::from_center(Vec3::ZERO, PLATFORM);
        spawn_body(&mut runtime, deck, Body::kinematic(velocity));
        let mut top = 0.1;
        let mut bodies = Vec::new();
        for (gap, aside) in gaps {
            let place = Vec3::new(aside, top + gap + 0.25, 0.0);
            bodies.push(spawn_body(&mut runtime, cube(0.25).moved(place), Body::dynamic()));
            top += gap + 0.5;
        }
        if settles {
            runtime.settle().expect("nothing fails");
        }
        for frame in 0..180 {
            runtime.run_frames(1).expect("nothing fails");
            for &id in &bodies {
                let body = *runtime.world().get::<Body>(id).expect("it is alive");
                let speed = body.world_velocity();
                let (least, most) = (velocity.min(Vec3::ZERO), velocity.max(Vec3::ZERO));
                let is_within = |axis: usize| {
                    (least[axis] - 0.01..=most[axis] + 0.01).contains(&speed[axis])
                };
                let is_lifted = speed.y <= most.y + 0.01;
                prop_assert!(is_within(0) && is_within(2) && is_lifted, "{speed} on {velocity} at {frame}");
            }
        }
    }
}

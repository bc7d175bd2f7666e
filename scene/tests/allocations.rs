//! A steady frame allocates nothing. One test, in a binary of its own: the counter counts for all threads.

use gerust::prelude::*;
use gerust::runtime::{Controls, Moments};
use gerust_scene::{BlackBox, Registry, Scene};
use stats_alloc::{INSTRUMENTED_SYSTEM, Region, StatsAlloc};
use std::alloc::System as SystemAllocator;
use std::path::Path;
use std::time::Duration;

#[global_allocator]
static ALLOCATOR: &StatsAlloc<SystemAllocator> = &INSTRUMENTED_SYSTEM;

/// Frames in which something was allocated, and how often.
fn allocations(frames: u64, mut frame: impl FnMut()) -> Vec<(u64, usize)> {
    let mut allocating = Vec::with_capacity(frames as usize);
    for number in 0..frames {
        let region = Region::new(ALLOCATOR);
        frame();
        let change = region.change();
        let count = change.allocations + change.reallocations;
        if count > 0 {
            allocating.push((number, count));
        }
    }
    allocating
}

#[test]
fn steady_frames_allocate_nothing() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../scenes/quay.toml");
    let scene = Scene::load(path, &Registry::standard()).expect("it is right");
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it is added once");
    runtime.set_threads(1).expect("one is always there");
    let mut run = scene.start(runtime).expect("it starts");
    // Between two cues, when the profiler has seen as many frames as it keeps.
    for _ in 0..310 {
        run.run_frame().expect("nothing fails");
    }
    let runtime = run.runtime_mut();
    runtime.profiler_mut().keep_frames(60);
    let frame = || runtime.run_frames(1).expect("nothing fails");
    assert_eq!(allocations(100, frame), []);

    // Crates that fall, slide and rest among walls that move.
    let mut runtime = Runtime::new();
    runtime.set_threads(1).expect("one is always there");
    runtime.profiler_mut().keep_frames(60);
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    let world = runtime.world_mut();
    let floor = Aabb::from_corners(Vec3::new(-90.0, -1.0, -90.0), Vec3::new(90.0, 0.0, 90.0));
    world.spawn((Transform::default(), Collider::solid(floor)));
    for number in 0..400_u16 {
        let (x, z) = (f32::from(number % 20) * 1.5, f32::from(number / 20) * 1.5);
        let body = Body::dynamic().with_velocity(Vec3::X * f32::from(number % 3));
        world.spawn((Transform::at(x, 1.0, z), cube.clone(), body));
        let pusher = Body::kinematic(Vec3::Z * 0.1);
        if number % 40 == 0 {
            world.spawn((Transform::at(x, 0.5, z - 1.2), cube.clone(), pusher));
        }
    }
    runtime.run_frames(300).expect("nothing fails");
    let frame = || runtime.run_frames(1).expect("nothing fails");
    let some = allocations(200, frame);
    // Lists that grow beyond what they ever were: once in a while, not in each frame.
    assert!(some.len() <= 4, "{some:?}");

    full_rings_allocate_nothing();
    full_black_boxes_allocate_nothing();
    #[cfg(feature = "parallel")]
    threads_allocate_nothing();
}

/// Bodies, gulls and posts, and a system that asks what has moved.
fn busy() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.set_threads(1).expect("one is always there");
    runtime.profiler_mut().keep_frames(60);
    runtime.add_kit(StandardKit).expect("it is added once");
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
    let floor = Aabb::from_corners(Vec3::new(-90.0, -1.0, -90.0), Vec3::new(90.0, 0.0, 90.0));
    let world = runtime.world_mut();
    world.spawn((Transform::default(), Collider::solid(floor)));
    for number in 0..500_u16 {
        let place = Transform::at(f32::from(number % 25), 0.4, f32::from(number / 25));
        let body = Body::dynamic().with_velocity(Vec3::Y);
        match number % 3 {
            0 => world.spawn((place, Velocity(Vec3::X))),
            1 => world.spawn((place, cube.clone(), body)),
            _ => world.spawn((place,)),
        };
    }
    let watch = System::named("watch");
    let watch = watch
        .takes::<(Rows<Entity, Written<Transform>>, Lost<Body>)>()
        .runs(|(moved, mut lost)| assert!(moved.iter().count() > lost.take_unread().count()));
    runtime.add_system(watch).expect("its name is free");
    let controls = runtime.world_mut().ensure_global::<Controls>();
    controls.set("horn", 1.0);
    runtime
}

/// A new moment takes over the memory of the one that it replaces.
fn full_rings_allocate_nothing() {
    let mut runtime = busy();
    let mut moments = Moments::ring(20);
    let mut frame = || {
        runtime.run_frames(1).expect("nothing fails");
        moments.keep(&mut runtime);
    };
    (0..300).for_each(|_| frame());
    let some = allocations(200, frame);
    assert!(some.len() <= 4, "{some:?}");
}

/// The same for a black box, whose conditions are asked in each frame.
fn full_black_boxes_allocate_nothing() {
    let mut runtime = busy();
    let black_box = BlackBox::keeping(Duration::from_secs_f32(0.3));
    let black_box = black_box
        .when("leftovers > 100")
        .when("counter of entities > 600");
    runtime.add_kit(black_box).expect("it is added once");
    runtime.run_frames(300).expect("nothing fails");
    let frame = || runtime.run_frames(1).expect("nothing fails");
    let some = allocations(200, frame);
    assert!(some.len() <= 4, "{some:?}");
}

/// Systems and loops on two threads keep their jobs on the stack.
#[cfg(feature = "parallel")]
fn threads_allocate_nothing() {
    let mut runtime = Runtime::bare();
    runtime.set_threads(2).expect("they can be started");
    runtime.set_serial_below(std::time::Duration::ZERO);
    runtime.profiler_mut().keep_frames(60);
    let rows = (0..20_000_u32).map(|number| (number, 0_u64));
    runtime.world_mut().spawn_many(rows);
    for number in 0..6 {
        let system = System::named(&format!("spread {number}"));
        let system = match number % 2 {
            0 => system
                .takes::<Rows<(&u32, &mut u64)>>()
                .runs(|mut rows| rows.par_each(|(from, to)| *to += u64::from(*from))),
            _ => system
                .takes::<Rows<&u32>>()
                .runs(|rows| assert!(!rows.is_empty())),
        };
        runtime.add_system(system).expect("its name is free");
    }
    runtime.run_frames(400).expect("nothing fails");
    let frame = || runtime.run_frames(1).expect("nothing fails");
    let some = allocations(200, frame);
    // The queue through which the pool gets work from outside grows by a block for every few dozen frames.
    assert!(some.len() <= 12, "{some:?}");
}

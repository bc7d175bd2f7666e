//! A million frames with spawners, links, switches and threads. It takes minutes, so it runs only when it is asked for:
//! `cargo test --release -p gerust --all-features --test soak -- --ignored`.

#![cfg(all(feature = "chance", feature = "snapshot", feature = "parallel"))]

use gerust::prelude::*;
use gerust::runtime::Spawner;
use stats_alloc::{INSTRUMENTED_SYSTEM, StatsAlloc};
use std::alloc::System as SystemAllocator;

#[global_allocator]
static ALLOCATOR: &StatsAlloc<SystemAllocator> = &INSTRUMENTED_SYSTEM;

/// `GERUST_SOAK_FRAMES` sets another number.
const FRAMES: u64 = 1_000_000;
/// How often in all the runs are compared.
const CHECKS: u64 = 100;

/// Two spawners whose copies live for a while, a crane to which crates are linked and unlinked, and a system that is switched.
fn runtime(threads: usize) -> Result<Runtime, gerust::Error> {
    let mut runtime = Runtime::new();
    runtime.set_threads(threads)?;
    // Threads take part in every phase, however short it is.
    runtime.set_serial_below(std::time::Duration::ZERO);
    runtime.add_kit(StandardKit)?;
    let cube = Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5));
    let mut templates = Templates::default();
    for (name, seconds) in [("crate", 1.5), ("gull", 0.7)] {
        let template = Template::named(name)
            .with(Transform::default())
            .with(Lifetime(seconds));
        templates.add(match name {
            "crate" => template.with(Collider::solid(cube)).with(Body::dynamic()),
            _ => template.with(Velocity(Vec3::X * 3.0)),
        });
    }
    let world = runtime.world_mut();
    world.set_global(templates);
    world.spawn((
        Transform::at(0.0, -1.0, 0.0),
        Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::new(20.0, 0.5, 20.0))),
    ));
    world.spawn((
        Transform::at(0.0, 6.0, 0.0),
        Spawner::new("crate", 9.0).with_spread(Vec3::new(8.0, 2.0, 8.0)),
    ));
    world.spawn((
        Transform::at(0.0, 30.0, 0.0),
        Spawner::new("gull", 20.0)
            .with_spread(Vec3::ONE)
            .with_cap(5),
    ));
    let crane = world.spawn((
        Name::new("crane"),
        Transform::at(0.0, 12.0, 0.0),
        Spin(Vec3::Y * 0.5),
    ));
    world.spawn_under(crane, (Name::new("hook"), Transform::at(3.0, -2.0, 0.0)))?;
    runtime.add_system(
        System::named("hang and drop")
            .takes::<(
                Rows<(Entity, &MadeFrom, Option<&gerust::Transform>)>,
                Rows<(Entity, &Name)>,
                Global<Clock>,
                Edits,
            )>()
            .runs(|(made, named, clock, mut edits)| {
                if !clock.frame().is_multiple_of(7) {
                    return;
                }
                let crane = named.iter().find(|(_, name)| name.as_str() == "crane");
                let gull = made
                    .iter()
                    .filter(|(_, made, _)| made.template() == "gull")
                    .min_by_key(|(entity, ..)| *entity);
                if let (Some((crane, _)), Some((gull, ..))) = (crane, gull) {
                    match clock.frame().is_multiple_of(2) {
                        true => edits.link(gull, crane),
                        false => edits.unlink(gull),
                    }
                }
            }),
    )?;
    runtime.add_system(
        System::named("switch")
            .takes::<(Global<Clock>, Edits)>()
            .runs(|(clock, mut edits)| {
                if clock.frame().is_multiple_of(50) {
                    edits.set_enabled("standard: spin", clock.frame().is_multiple_of(100));
                }
            }),
    )?;
    Ok(runtime)
}

fn live_bytes() -> usize {
    let stats = ALLOCATOR.stats();
    stats
        .bytes_allocated
        .saturating_sub(stats.bytes_deallocated)
}

#[test]
#[ignore = "it takes minutes"]
fn a_million_frames_take_no_more_memory_and_are_the_same_on_any_number_of_threads()
-> Result<(), gerust::Error> {
    let frames = std::env::var("GERUST_SOAK_FRAMES").ok();
    let frames = frames
        .and_then(|frames| frames.parse().ok())
        .unwrap_or(FRAMES);
    let mut runtimes = [runtime(1)?, runtime(2)?, runtime(4)?];
    let mut settled = 0;
    for check in 1..=CHECKS {
        for runtime in &mut runtimes {
            runtime.run_frames(frames / CHECKS)?;
        }
        let digests = [0, 1, 2].map(|number: usize| runtimes[number].world().digest());
        let [one, two, four] = digests;
        let (one, two, four) = (one?, two?, four?);
        assert_eq!(
            (one, one),
            (two, four),
            "after {} frames",
            check * (frames / CHECKS)
        );
        // Lists have grown to what they need after a fifth of the way.
        if check == CHECKS / 5 {
            settled = live_bytes();
        }
    }
    let now = live_bytes();
    assert!(
        now.abs_diff(settled) * 100 <= settled,
        "{settled} bytes became {now}"
    );
    Ok(())
}

//! Kits, pacing and chance.

use gerust::prelude::*;
use std::time::Duration;

#[test]
fn a_kit_that_may_repeat_does() {
    struct Lamps(u32);
    struct LampKit;
    impl Kit for LampKit {
        fn add_to(self, runtime: &mut Runtime) -> Result<(), gerust::Error> {
            let before = runtime.world().global::<Lamps>().map_or(0, |lamps| lamps.0);
            runtime.world_mut().set_global(Lamps(before + 1));
            Ok(())
        }
        fn may_repeat(&self) -> bool {
            true
        }
    }
    let mut runtime = Runtime::new();
    for _ in 0..3 {
        runtime.add_kit(LampKit).expect("it may repeat");
    }
    assert_eq!(
        runtime
            .world()
            .global::<Lamps>()
            .expect("the kit puts it in")
            .0,
        3
    );
}

#[test]
fn frames_do_not_depend_on_how_real_time_comes() {
    let run = |pieces: &[f64]| {
        let mut runtime = Runtime::new();
        let gull = runtime
            .world_mut()
            .spawn((Transform::default(), Velocity(Vec3::X)));
        runtime.add_kit(StandardKit).expect("its names are free");
        runtime.set_most_frames_at_once(1_000);
        for &piece in pieces {
            let piece = Duration::from_secs_f64(piece);
            runtime.advance(piece).expect("nothing fails");
        }
        let frame = runtime
            .world()
            .global::<Clock>()
            .expect("always there")
            .frame();
        (
            frame,
            runtime
                .world()
                .get::<Transform>(gull)
                .expect("it is alive")
                .translation,
        )
    };
    assert_eq!(run(&[1.0; 4]), run(&[0.013; 308]));
    let mut runtime = Runtime::new();
    for bad in [-0.1, f64::NAN, f64::INFINITY] {
        assert!(runtime.set_speed(bad).is_err());
    }
    runtime.set_speed(0.0).expect("standing still is fine");
    assert_eq!(
        runtime
            .advance(Duration::from_secs(5))
            .expect("nothing fails")
            .frames(),
        0
    );
}

#[cfg(feature = "chance")]
#[test]
fn chance_depends_on_nothing_but_seed_frame_system_and_entity() {
    use gerust::Chance;
    use rand::Rng;
    use std::collections::BTreeMap;

    struct Drawn(BTreeMap<(&'static str, u64, Entity), u64>);

    let draw = |name: &'static str| {
        System::named(name)
            .takes::<(Rows<Entity>, Chance, Global<Clock>, GlobalMut<Drawn>)>()
            .runs(move |(rows, chance, clock, mut drawn)| {
                for entity in rows.iter() {
                    let number = chance.stream(entity).next_u64();
                    drawn.0.insert((name, clock.frame(), entity), number);
                }
            })
    };
    let run = |seed, names: &[&'static str], entities: usize| {
        let mut runtime = Runtime::bare();
        runtime.set_seed(seed);
        runtime.world_mut().set_global(Drawn(BTreeMap::new()));
        runtime
            .world_mut()
            .spawn_many((0..entities).map(|number| (number,)));
        for name in names {
            runtime.add_system(draw(name)).expect("its name is free");
        }
        runtime.run_frames(20).expect("nothing fails");
        let drawn = runtime
            .world_mut()
            .global_mut::<Drawn>()
            .expect("it was put in");
        std::mem::take(&mut drawn.0)
    };
    let alone = run(1, &["gusts"], 30);
    let beside = run(1, &["waves", "gusts"], 50);
    assert_eq!(alone.len(), 600);
    // Neither other systems nor other entities change what is drawn.
    assert!(alone.iter().all(|(key, number)| beside[key] == *number));
    // All numbers differ: between systems, frames, entities and seeds.
    let mut numbers: Vec<u64> = beside
        .values()
        .chain(run(2, &["gusts"], 30).values())
        .copied()
        .collect();
    let count = numbers.len();
    numbers.sort_unstable();
    numbers.dedup();
    assert_eq!(numbers.len(), count);
}

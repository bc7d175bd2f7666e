//! Programs whose outcome depends on the order of rows, on what was written and attached, and on losses: a state holds that too.

use gerust::prelude::*;
use gerust::schedule::Clock;
use serde::{Deserialize, Serialize};

#[derive(Clone, Serialize, Deserialize)]
struct Load(f32);
#[derive(Clone, Serialize, Deserialize)]
struct Seal(u32);
#[derive(Clone, Default)]
struct Idle;

/// What walks have found, in a number that depends on their order.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
struct Found {
    order: u64,
    written: u64,
    attached: u64,
    lost: u64,
}

fn mix(number: &mut u64, more: u64) {
    *number = (number.rotate_left(7) ^ more).wrapping_mul(0x9e37_79b9_7f4a_7c15);
}

type Stirred<'w> = (
    Rows<'w, (Entity, &'static mut Load)>,
    Rows<'w, Entity, Having<Seal>>,
    Rows<'w, Entity, Having<Idle>>,
    Global<'w, Clock>,
    Edits<'w>,
);

/// Moves rows between tables, and writes some values: what is chosen depends on the order of the rows.
fn stir((mut loads, sealed, idle, clock, mut edits): Stirred<'_>) {
    let frame = clock.frame();
    let entities: Vec<Entity> = loads.iter().map(|(entity, _)| entity).collect();
    let choose = |nth: u64| entities.get(((frame * 7 + nth * 5) % 23) as usize).copied();
    if let Some(entity) = choose(0) {
        edits.attach(entity, Seal(frame as u32));
    }
    if let Some(entity) = choose(1) {
        edits.attach(entity, Idle);
    }
    if let Some(entity) = sealed.iter().nth(frame as usize % 5) {
        edits.detach::<Seal>(entity);
    }
    if let Some(entity) = idle.iter().nth(3) {
        edits.detach::<Idle>(entity);
    }
    if frame % 3 == 0
        && let Some(entity) = choose(2)
    {
        edits.despawn(entity);
    }
    edits.spawn((Load(frame as f32), Transform::at(frame as f32, 0.0, 0.0)));
    if frame % 2 == 0
        && let Some(entity) = choose(3)
        && let Some((_, load)) = loads.get_mut(entity)
    {
        load.0 *= 1.1;
    }
}

type Looked<'w> = (
    Rows<'w, (Entity, &'static Load)>,
    Rows<'w, Entity, Written<Load>>,
    Rows<'w, Entity, Attached<Seal>>,
    Lost<'w, Seal>,
    Lost<'w, Load>,
    GlobalMut<'w, Found>,
);

fn look((loads, written, attached, mut seals, mut lost, mut found): Looked<'_>) {
    for (entity, load) in loads.iter() {
        mix(
            &mut found.order,
            u64::from(entity.index()) ^ u64::from(load.0.to_bits()),
        );
    }
    for entity in written.iter() {
        mix(&mut found.written, u64::from(entity.index()));
    }
    for entity in attached.iter() {
        mix(&mut found.attached, u64::from(entity.index()));
    }
    for entity in seals.take_unread().chain(lost.take_unread()) {
        mix(&mut found.lost, u64::from(entity.index()));
    }
}

fn program() -> Runtime {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    world.set_global(Found::default());
    world.register_global::<Found>("found").expect("it is free");
    world
        .register_component::<Load>("load")
        .expect("it is free");
    world
        .register_component::<Seal>("seal")
        .expect("it is free");
    world.register_tag::<Idle>("idle").expect("it is free");
    let systems = [
        // It looks at what `stir` has done in the frame before.
        System::named("look early")
            .phase(Phase::Intake)
            .takes::<Looked>()
            .runs(look),
        System::named("stir").takes::<Stirred>().runs(stir),
        System::named("look now and then")
            .phase(Phase::Close)
            .takes::<(Looked, Global<Clock>)>()
            .runs(|(looked, clock)| {
                if clock.frame() % 4 == 1 {
                    look(looked);
                }
            }),
    ];
    for system in systems {
        runtime.add_system(system).expect("its name is free");
    }
    runtime
}

fn started() -> Runtime {
    let mut runtime = program();
    for number in 0..30_u8 {
        runtime.world_mut().spawn((Load(f32::from(number)),));
    }
    runtime
}

fn end(runtime: &mut Runtime, last: u64) -> (u64, Found) {
    let frame = runtime
        .world()
        .global::<Clock>()
        .expect("it is there")
        .frame();
    runtime.run_frames(last - frame).expect("nothing fails");
    let world = runtime.world();
    let found = world.global::<Found>().expect("it is registered").clone();
    (world.digest().expect("all can be written"), found)
}

const LAST: u64 = 60;
const FRAMES: [u64; 8] = [0, 1, 2, 3, 17, 30, 31, 59];

fn saved(runtime: &mut Runtime) -> Vec<u8> {
    let mut file = Vec::new();
    let unsaved = runtime.save(&mut file).expect("everything can be written");
    assert!(unsaved.is_empty(), "{unsaved}");
    file
}

#[test]
fn a_loaded_program_walks_as_the_saved_one() {
    let wanted = end(&mut started(), LAST);
    for frame in FRAMES {
        let mut runtime = started();
        runtime.run_frames(frame).expect("nothing fails");
        let file = saved(&mut runtime);
        assert_eq!(end(&mut runtime, LAST), wanted, "saving changes nothing");
        // Into a new process, and into one with tables and ticks of its own.
        for frames_before in [None, Some(0), Some(25)] {
            let mut other = frames_before.map_or_else(program, |frames| {
                let mut other = started();
                other.run_frames(frames).expect("nothing fails");
                other
            });
            #[cfg(feature = "parallel")]
            if frames_before == Some(25) {
                other.set_threads(8).expect("they can be had");
                other.set_serial_below(std::time::Duration::ZERO);
            }
            other
                .load(&file[..])
                .expect("it was saved by the same program");
            assert_eq!(
                saved(&mut other),
                file,
                "frame {frame}: it saves what it has loaded"
            );
            assert_eq!(end(&mut other, LAST), wanted, "{frame} {frames_before:?}");
        }
    }
}

#[test]
fn a_program_that_goes_back_walks_as_before() {
    let wanted = end(&mut started(), LAST);
    for frame in FRAMES {
        let mut runtime = started();
        runtime.run_frames(frame).expect("nothing fails");
        let moment = runtime.keep();
        for _ in 0..2 {
            // Another way in between, with tables that were not there before.
            let world = runtime.world_mut();
            world.spawn((Seal(1), Idle));
            world.spawn((Idle, Transform::default()));
            runtime.run_frames(9).expect("nothing fails");
            runtime.go_back(&moment).expect("it is of this runtime");
            assert_eq!(end(&mut runtime, LAST), wanted, "from frame {frame}");
            runtime.go_back(&moment).expect("it is of this runtime");
        }
    }
}

#[test]
fn moments_in_a_row_walk_as_the_first_time() {
    let wanted = end(&mut started(), LAST);
    let mut runtime = started();
    let mut moments = Vec::new();
    for _ in 0..LAST {
        moments.push(runtime.keep());
        runtime.run_frames(1).expect("nothing fails");
    }
    for moment in moments.iter().rev().step_by(7) {
        runtime.go_back(moment).expect("it is of this runtime");
        assert_eq!(
            end(&mut runtime, LAST),
            wanted,
            "from frame {}",
            moment.frame()
        );
    }
}

#[test]
fn a_moment_is_saved_as_the_runtime_was() {
    for frame in FRAMES {
        let mut runtime = started();
        runtime.run_frames(frame).expect("nothing fails");
        let file = saved(&mut runtime);
        let moment = runtime.keep();
        let wanted = end(&mut runtime, LAST);
        let mut later = Vec::new();
        moment.save(&mut later).expect("everything can be written");
        let mut other = program();
        other.load(&later[..]).expect("it is a saved runtime");
        assert_eq!(saved(&mut other), file, "frame {frame}");
        assert_eq!(end(&mut other, LAST), wanted, "frame {frame}");
        // The second moment shares with the first.
        let mut runtime = started();
        let mut moments = Vec::new();
        for _ in 0..=frame {
            moments.push(runtime.keep());
            runtime.run_frames(1).expect("nothing fails");
        }
        let mut shared = Vec::new();
        let moment = moments.last().expect("one was kept");
        moment.save(&mut shared).expect("everything can be written");
        let mut other = program();
        other.load(&shared[..]).expect("it is a saved runtime");
        assert_eq!(saved(&mut other), file, "frame {frame}");
    }
}

//! Written and fresh rows against a plain log of what was done.

use gerust::prelude::*;
use proptest::prelude::*;
use std::collections::BTreeSet;

#[derive(Clone, Copy, PartialEq, Debug)]
struct Load(i32);
struct Reefer;

/// What the asking systems have seen in their last run.
#[derive(Default)]
struct Seen {
    touched: Vec<Entity>,
    fresh: Vec<Entity>,
    both: Vec<Entity>,
    lost: Vec<Entity>,
}

#[derive(Clone, Debug)]
enum Step {
    Spawn(i32),
    Despawn(usize),
    Write(usize),
    WriteByRows(usize),
    WriteAll,
    WriteReefers,
    Replace(usize),
    Detach(usize),
    Attach(usize),
    Tag(usize),
    Untag(usize),
    RunFrame,
    /// Frames in which the asking systems are off.
    RunFrameOff,
}

fn step() -> impl Strategy<Value = Step> {
    use Step::*;
    let id = 0_usize..150;
    prop_oneof![
        4 => any::<i32>().prop_map(Spawn),
        2 => id.clone().prop_map(Despawn),
        3 => id.clone().prop_map(Write),
        2 => id.clone().prop_map(WriteByRows),
        1 => Just(WriteAll),
        1 => Just(WriteReefers),
        1 => id.clone().prop_map(Replace),
        1 => id.clone().prop_map(Detach),
        1 => id.clone().prop_map(Attach),
        2 => id.clone().prop_map(Tag),
        1 => id.prop_map(Untag),
        3 => Just(RunFrame),
        1 => Just(RunFrameOff),
    ]
}

fn asking_runtime() -> Runtime {
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Seen::default());
    runtime
        .add_system(
            System::named("ask")
                .takes::<(
                    Rows<Entity, Written<Load>>,
                    Rows<Entity, Attached<Load>>,
                    Rows<(Entity, &Load), (Attached<Load>, Having<Reefer>)>,
                    Lost<Load>,
                    GlobalMut<Seen>,
                )>()
                .runs(|(touched, fresh, both, mut lost, mut seen)| {
                    seen.touched = touched.iter().collect();
                    seen.fresh = fresh.iter().collect();
                    seen.both = both.iter().map(|(entity, _)| entity).collect();
                    seen.lost = lost.take_unread().collect();
                }),
        )
        .expect("its name is free");
    runtime
}

#[derive(Default)]
struct Log {
    touched: BTreeSet<Entity>,
    fresh: BTreeSet<Entity>,
    lost: Vec<Entity>,
}

proptest! {
    #[test]
    fn changes_equal_a_plain_log(steps in proptest::collection::vec(step(), 0..150)) {
        let mut runtime = asking_runtime();
        let mut ids: Vec<Entity> = Vec::new();
        let mut log = Log::default();
        for step in steps {
            let pick = |at: usize| ids.get(at % ids.len().max(1)).copied();
            let world = runtime.world_mut();
            match step {
                Step::Spawn(number) => {
                    let entity = world.spawn((Load(number),));
                    ids.push(entity);
                    log.touched.insert(entity);
                    log.fresh.insert(entity);
                }
                Step::Despawn(at) => {
                    let Some(entity) = pick(at) else { continue };
                    let had = world.has::<Load>(entity);
                    let _ = world.despawn(entity);
                    if had {
                        log.touched.remove(&entity);
                        log.fresh.remove(&entity);
                        log.lost.push(entity);
                    }
                }
                Step::Write(at) => {
                    let Some(entity) = pick(at) else { continue };
                    if let Ok(load) = world.get_mut::<Load>(entity) {
                        load.0 = load.0.wrapping_add(1);
                        log.touched.insert(entity);
                    }
                }
                Step::WriteByRows(at) => {
                    let Some(entity) = pick(at) else { continue };
                    if let Some(load) = world.rows_mut::<&mut Load>().get_mut(entity) {
                        load.0 = load.0.wrapping_sub(1);
                        log.touched.insert(entity);
                    }
                }
                Step::WriteAll => {
                    for (entity, load) in world.rows_mut::<(Entity, &mut Load)>().iter_mut() {
                        load.0 = load.0.wrapping_mul(3);
                        log.touched.insert(entity);
                    }
                }
                Step::WriteReefers => {
                    let mut rows = world.rows_mut_where::<(Entity, Option<&mut Load>), Having<Reefer>>();
                    rows.each(|(entity, load)| {
                        if load.is_some() {
                            log.touched.insert(entity);
                        }
                    });
                }
                Step::Replace(at) => {
                    let Some(entity) = pick(at) else { continue };
                    if world.has::<Load>(entity) {
                        world.attach(entity, Load(0)).expect("it is alive");
                        log.touched.insert(entity);
                    }
                }
                Step::Detach(at) => {
                    let Some(entity) = pick(at) else { continue };
                    if world.detach::<Load>(entity).ok().flatten().is_some() {
                        log.touched.remove(&entity);
                        log.fresh.remove(&entity);
                        log.lost.push(entity);
                    }
                }
                Step::Attach(at) => {
                    let Some(entity) = pick(at) else { continue };
                    if !world.has::<Load>(entity) && world.attach(entity, Load(1)).is_ok() {
                        log.touched.insert(entity);
                        log.fresh.insert(entity);
                    }
                }
                Step::Tag(at) => {
                    let Some(entity) = pick(at) else { continue };
                    let _ = world.attach(entity, Reefer);
                }
                Step::Untag(at) => {
                    let Some(entity) = pick(at) else { continue };
                    let _ = world.detach::<Reefer>(entity);
                }
                Step::RunFrameOff => {
                    runtime.set_enabled("ask", false).expect("it is there");
                    runtime.run_frames(1).expect("nothing fails");
                    runtime.set_enabled("ask", true).expect("it is there");
                }
                Step::RunFrame => {
                    runtime.run_frames(1).expect("nothing fails");
                    let world = runtime.world();
                    let seen = world.global::<Seen>().expect("it was put in");
                    let sorted = |list: &[Entity]| list.iter().copied().collect::<BTreeSet<_>>();
                    prop_assert_eq!(sorted(&seen.touched), std::mem::take(&mut log.touched));
                    let fresh = std::mem::take(&mut log.fresh);
                    prop_assert_eq!(sorted(&seen.fresh), fresh.clone());
                    let both: BTreeSet<Entity> = fresh.into_iter().filter(|&entity| world.has::<Reefer>(entity)).collect();
                    prop_assert_eq!(sorted(&seen.both), both);
                    prop_assert_eq!(&seen.lost, &std::mem::take(&mut log.lost));
                }
            }
        }
    }
}

#[test]
fn a_system_does_not_see_what_it_writes_itself() {
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(0_usize);
    runtime.world_mut().spawn((Load(1),));
    runtime
        .add_system(
            System::named("write what was touched")
                .takes::<(Rows<&mut Load, Written<Load>>, GlobalMut<usize>)>()
                .runs(|(mut loads, mut count)| {
                    loads.each(|load| {
                        load.0 += 1;
                        *count += 1;
                    });
                }),
        )
        .expect("its name is free");
    runtime.run_frames(5).expect("nothing fails");
    assert_eq!(
        *runtime.world().global::<usize>().expect("it was put in"),
        1
    );
}

#[test]
fn only_rows_that_are_admitted_count_as_written() {
    struct Quiet(Vec<Entity>);
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Quiet(Vec::new()));
    let loads = runtime
        .world_mut()
        .spawn_many((0..200).map(|number| (Load(number),)));
    runtime
        .add_system(
            System::named("write fresh ones")
                .takes::<Rows<&mut Load, Attached<Load>>>()
                .runs(|mut loads| loads.each(|load| load.0 = 0)),
        )
        .expect("its name is free");
    runtime
        .add_system(
            System::named("watch")
                .takes::<(Rows<Entity, Written<Load>>, GlobalMut<Quiet>)>()
                .runs(|(rows, mut quiet)| quiet.0 = rows.iter().collect()),
        )
        .expect("its name is free");
    runtime.run_frames(2).expect("nothing fails");
    assert!(
        runtime
            .world()
            .global::<Quiet>()
            .expect("it was put in")
            .0
            .is_empty()
    );
    let new = runtime.world_mut().spawn((Load(5),));
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        runtime.world().global::<Quiet>().expect("it was put in").0,
        [new]
    );
    assert_eq!(
        runtime
            .world()
            .get::<Load>(loads[7])
            .expect("it is alive")
            .0,
        0
    );
}

#[test]
fn one_type_can_be_claimed_twice_where_rows_cannot_meet() {
    let mut runtime = Runtime::bare();
    let dry = runtime.world_mut().spawn((Load(1),));
    let cooled = runtime.world_mut().spawn((Load(10), Reefer));
    let empty_table = runtime.world_mut().spawn((Load(0), Reefer, 1_u8));
    runtime
        .world_mut()
        .despawn(empty_table)
        .expect("it is alive");
    runtime
        .add_system(
            System::named("shift")
                .takes::<(
                    Rows<&mut Load, Having<Reefer>>,
                    Rows<&mut Load, Lacking<Reefer>>,
                    Rows<(&Load, &u8), (Having<Reefer>, Lacking<u16>)>,
                )>()
                .runs(|(mut cooled, mut dry, _)| {
                    for (cooled, dry) in cooled.iter_mut().zip(dry.iter_mut()) {
                        dry.0 += cooled.0;
                        cooled.0 += 1;
                    }
                }),
        )
        .map_or_else(
            |error| assert!(error.to_string().contains("these can meet"), "{error}"),
            |()| panic!("the third claim can meet the first"),
        );
    runtime
        .add_system(
            System::named("shift apart")
                .takes::<(
                    Rows<&mut Load, Having<Reefer>>,
                    Rows<&mut Load, Lacking<Reefer>>,
                )>()
                .runs(|(mut cooled, mut dry)| {
                    for (cooled, dry) in cooled.iter_mut().zip(dry.iter_mut()) {
                        dry.0 += cooled.0;
                        cooled.0 += 1;
                    }
                }),
        )
        .expect("the two cannot meet");
    runtime.run_frames(3).expect("nothing fails");
    let load = |entity| runtime.world().get::<Load>(entity).expect("it is alive").0;
    assert_eq!((load(dry), load(cooled)), (1 + 10 + 11 + 12, 13));
}

#[test]
fn columns_that_were_shared_out_come_back_after_a_panic() {
    let mut runtime = Runtime::bare();
    runtime
        .world_mut()
        .spawn_many((0..10).map(|number| (Load(number),)));
    runtime
        .world_mut()
        .spawn_many((0..10).map(|number| (Load(number), Reefer)));
    runtime
        .add_system(
            System::named("fail")
                .takes::<(
                    Rows<&mut Load, Having<Reefer>>,
                    Rows<&mut Load, Lacking<Reefer>>,
                )>()
                .runs(|(mut cooled, _)| {
                    cooled.each(|load| load.0 += 1);
                    panic!("on purpose");
                }),
        )
        .expect("the two cannot meet");
    assert!(runtime.run_frames(1).unwrap_err().is_panic());
    let sum: i32 = runtime
        .world()
        .rows::<&Load>()
        .iter()
        .map(|load| load.0)
        .sum();
    assert_eq!(sum, 45 + 55);
}

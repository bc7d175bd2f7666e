//! Claims that systems may make beside each other, and the rows that they get.

use super::*;

/// A new table in each of the first 128 frames: rows have to be matched while other systems run.
fn new_tables(runtime: &mut Runtime) {
    macro_rules! tags {
        ($edits:ident, $entity:ident, $bits:ident: $($bit:literal)*) => {
            $(if $bits & 1 << $bit != 0 {
                $edits.attach($entity, Tag::<$bit>);
            })*
        };
    }
    let system = System::named("new table").takes::<(Global<Clock>, Edits)>();
    let system = system.runs(|(clock, mut edits)| {
        let bits = clock.frame();
        let entity = edits.spawn((A(1), B(2)));
        tags!(edits, entity, bits: 0 1 2 3 4 5 6);
        if bits % 3 == 0 {
            edits.attach(entity, C);
        }
    });
    runtime.add_system(system).expect("its name is free");
}

#[test]
fn conditions_on_a_type_run_beside_a_writer_of_it() {
    let mut runtime = Runtime::bare();
    threads(&mut runtime, 4);
    new_tables(&mut runtime);
    for number in 0..4 {
        for system in [
            System::named(&format!("having {number}"))
                .takes::<Rows<&A, (Having<B>, Lacking<C>)>>()
                .runs(|rows| assert!(rows.iter().all(|a| a.0 == 1))),
            System::named(&format!("either {number}"))
                .takes::<Rows<Entity, AnyOf<(Having<C>, Lacking<B>)>>>()
                .runs(|rows| assert!(rows.count() <= 1_000)),
        ] {
            runtime.add_system(system).expect("its name is free");
        }
    }
    let write = System::named("write").takes::<Rows<&mut B>>();
    runtime
        .add_system(write.runs(|mut rows| rows.each(|b| b.0 += 1)))
        .expect("its name is free");
    runtime.run_frames(1_000).expect("no frame fails");
}

#[test]
fn claims_of_one_system_may_ask_what_another_writes() {
    let mut runtime = Runtime::bare();
    new_tables(&mut runtime);
    let systems = [
        System::named("one")
            .takes::<(Rows<&mut A>, Rows<&B, Having<A>>)>()
            .runs(|(mut a, b)| {
                a.each(|a| a.0 += 1);
                assert_eq!(a.count(), b.count());
            }),
        System::named("two")
            .takes::<(Rows<(&mut A, &mut B)>, Rows<&mut A, Lacking<B>>)>()
            .runs(|(mut both, mut alone)| {
                both.each(|(a, b)| b.0 = a.0);
                alone.each(|a| a.0 += 1);
            }),
        System::named("three")
            .takes::<(Rows<&mut A>, Rows<&B, AnyOf<(Having<A>, Having<C>)>>)>()
            .runs(|(mut a, b)| {
                a.each(|a| a.0 += 1);
                assert!(b.count() > 0 || a.count() == 0);
            }),
    ];
    for system in systems {
        runtime
            .add_system(system)
            .expect("these claims never clash");
    }
    runtime.run_frames(200).expect("no frame fails");
}

#[test]
fn rows_that_are_not_handed_out_are_not_marked() {
    struct Seen(usize);
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Seen(0));
    let ids = [1, 2, 3].map(|number| runtime.world_mut().spawn((A(number),)));
    let gone = runtime.world_mut().spawn((B(1),));
    let ask = System::named("ask")
        .takes::<Rows<&mut A>>()
        .runs(move |mut rows| {
            assert!(rows.get_disjoint_mut([ids[0], ids[2], gone]).is_none());
            assert!(rows.get_disjoint_mut([ids[1], ids[1]]).is_none());
        });
    let look = System::named("look")
        .takes::<(Rows<&A, Written<A>>, GlobalMut<Seen>)>()
        .runs(|(rows, mut seen)| seen.0 += rows.count());
    for system in [ask, look] {
        runtime.add_system(system).expect("its name is free");
    }
    runtime.run_frames(3).expect("nothing fails");
    assert_eq!(
        runtime.world().global::<Seen>().expect("it was put in").0,
        3,
        "in the first frame"
    );
}

#[test]
fn edits_are_taken_once() {
    let mut runtime = Runtime::bare();
    let twice = System::named("twice")
        .takes::<(Edits, Edits)>()
        .runs(|_| ());
    let message = runtime.add_system(twice).unwrap_err().to_string();
    assert_eq!(
        message,
        "system `twice` claims `Edits` twice, and edits are carried out in one order; take `Edits` once"
    );
}

#[test]
fn tables_without_rows_are_dropped_and_rows_are_found_all_the_same() {
    let mut runtime = Runtime::new();
    threads(&mut runtime, 2);
    new_tables(&mut runtime);
    let empty = System::named("empty")
        .takes::<(Rows<(Entity, &A)>, Edits)>()
        .runs(|(rows, mut edits)| {
            // All but the youngest, so that nearly every table is left without rows.
            let youngest = rows.iter().map(|(entity, _)| entity).max();
            rows.iter()
                .map(|(entity, _)| entity)
                .filter(|&entity| Some(entity) != youngest)
                .for_each(|entity| edits.despawn(entity));
        });
    struct Sum(u32);
    runtime.world_mut().set_global(Sum(0));
    let walk = System::named("walk")
        .phase(Phase::React)
        .takes::<(
            Rows<(&A, Option<&C>)>,
            Rows<(&mut B, &Tag<0>)>,
            GlobalMut<Sum>,
        )>()
        .runs(|(a, mut b, mut sum)| {
            b.each(|(b, _)| b.0 += 1);
            sum.0 += a.count() as u32;
        });
    for system in [empty, walk] {
        runtime.add_system(system).expect("its name is free");
    }
    let mut most = 0;
    for _ in 0..600 {
        runtime.run_frames(1).expect("nothing fails");
        let tables = runtime.world().memory().tables().len();
        most = most.max(tables);
    }
    assert!(most > 64 && most < 140, "{most} tables");
    let world = runtime.world_mut();
    let before = world.rows::<Entity>().count();
    world.drop_empty_tables();
    assert!(
        world
            .memory()
            .tables()
            .iter()
            .all(|table| table.entities() > 0)
    );
    let linked = [
        world.spawn((A(5), B(6), Transform::default())),
        world.spawn((A(7), Tag::<3>)),
    ];
    world.link(linked[1], linked[0]).expect("no cycle");
    assert_eq!(world.rows::<Entity>().count(), before + 2);
    runtime.run_frames(300).expect("nothing fails");
}

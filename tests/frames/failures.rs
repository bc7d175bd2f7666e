//! Frames that fail, and the next one, which runs.

use super::*;

#[test]
fn systems_of_setup_whose_edits_were_discarded_run_again() {
    let mut runtime = Runtime::bare();
    let runs = Arc::new([const { AtomicU32::new(0) }; 3]);
    let counted = |at: usize| {
        let runs = Arc::clone(&runs);
        move || runs[at].fetch_add(1, Ordering::Relaxed)
    };
    let (spawns, fails, counts) = (counted(0), counted(1), counted(2));
    let systems = [
        System::named("count")
            .phase(Phase::Setup)
            .takes::<()>()
            .runs(move |()| {
                counts();
            }),
        System::named("build")
            .phase(Phase::Setup)
            .takes::<Edits>()
            .runs(move |mut edits| {
                spawns();
                edits.spawn((A(1),));
            }),
        System::named("faulty")
            .phase(Phase::Setup)
            .takes::<()>()
            .runs(move |()| {
                assert_ne!(fails(), 0, "the first time fails");
            }),
    ];
    for system in systems {
        runtime.add_system(system).expect("its name is free");
    }
    let error = runtime.run_frames(1).expect_err("Setup fails");
    assert_eq!(
        (error.system(), error.phase()),
        (Some("faulty"), Some("Setup"))
    );
    assert!(runtime.world().is_empty());
    runtime.run_frames(2).expect("Setup is complete now");
    assert_eq!(runtime.world().rows::<&A>().count(), 1);
    // The one that failed does not run again, and neither does one whose work was not discarded.
    let runs = runs.iter().map(|runs| runs.load(Ordering::Relaxed));
    assert_eq!(runs.collect::<Vec<_>>(), [2, 1, 1]);
}

#[test]
fn a_hook_or_counter_that_panics_ends_one_frame_and_is_asked_again() {
    let mut runtime = Runtime::bare();
    let calls = Arc::new(AtomicU32::new(0));
    let called = Arc::clone(&calls);
    runtime.profiler_mut().on_each_frame(move |_, frame| {
        called.fetch_add(1, Ordering::Relaxed);
        assert_ne!(frame.number(), 2, "the hook slips");
    });
    runtime.run_frames(1).expect("the first frame runs");
    let error = runtime.run_frames(1).expect_err("the hook panics");
    let place = format!(
        "a counter or a function of the profiler panicked in frame 2 at {}:",
        file!()
    );
    assert!(error.to_string().starts_with(&place), "{error}");
    runtime.run_frames(2).expect("later frames run");
    assert_eq!(calls.load(Ordering::Relaxed), 4);
    assert_eq!(runtime.profiler().frames().count(), 4);
}

#[test]
fn a_watcher_that_panics_ends_one_frame() {
    let mut runtime = Runtime::bare();
    let spawn = System::named("spawn").takes::<Edits>().runs(|mut edits| {
        edits.spawn((A(1),));
    });
    runtime.add_system(spawn).expect("its name is free");
    let error = runtime
        .run_frame_watched(|_, _| panic!("it blinks"))
        .expect_err("it panics");
    assert!(
        error
            .to_string()
            .starts_with("the function that watches the frame panicked in frame 1")
    );
    assert!(runtime.world().is_empty());
    runtime.run_frames(2).expect("later frames run");
    assert_eq!(runtime.world().len(), 2);
}

#[test]
fn a_panic_in_a_row_loop_on_any_thread_names_its_line() {
    let mut runtime = Runtime::bare();
    threads(&mut runtime, 4);
    runtime
        .world_mut()
        .spawn_many((0..10_000).map(|number| (A(number), B(0))));
    let line = Arc::new(AtomicU32::new(0));
    let noted = Arc::clone(&line);
    let system = System::named("walk").takes::<(Global<Clock>, Rows<(&A, &mut B)>)>();
    let system = system.runs(move |(clock, mut rows)| {
        let fails_at = match clock.frame() % 2 {
            0 => 9_999,
            _ => u32::MAX,
        };
        let walk = |(a, b): (&A, &mut B)| {
            noted.store(line!() + 1, Ordering::Relaxed);
            assert_ne!(a.0, fails_at, "row {} is bad", a.0);
            b.0 += 1;
        };
        #[cfg(feature = "parallel")]
        rows.par_each(walk);
        #[cfg(not(feature = "parallel"))]
        rows.each(walk);
    });
    runtime.add_system(system).expect("its name is free");
    for _ in 0..10 {
        runtime.run_frames(1).expect("odd frames run");
        let error = runtime.run_frames(1).expect_err("even frames fail");
        assert_eq!(
            error.panic_place(),
            Some((file!(), line.load(Ordering::Relaxed)))
        );
        assert!(error.to_string().contains("row 9999 is bad"), "{error}");
    }
}

#[test]
fn edits_that_can_never_be_carried_out_leave_the_others_alone() {
    let mut runtime = Runtime::bare();
    let ids: Vec<Entity> = runtime
        .world_mut()
        .spawn_many((0..40).map(|number| (A(number),)));
    let targets = ids.clone();
    let system = System::named("confused").takes::<(Global<Clock>, Edits)>();
    let system = system.runs(move |(clock, mut edits)| {
        edits.spawn((B(1),));
        if clock.frame() == 1 {
            // Tuples are no components; a row of this length is applied as a batch.
            targets
                .iter()
                .for_each(|&id| edits.attach(id, (1_u8, 2_u8)));
            edits.spawn((C, C));
        }
        edits.attach(targets[3], B(2));
        edits.despawn(targets[4]);
    });
    runtime.add_system(system).expect("its name is free");
    let error = runtime.run_frames(1).expect_err("tuples are refused");
    assert!(
        error.to_string().contains("a tuple is not a component"),
        "{error}"
    );
    let world = runtime.world();
    assert_eq!((world.len(), world.rows::<&B>().count()), (40, 2));
    assert!(world.has::<B>(ids[3]) && !world.contains(ids[4]));
    runtime.run_frames(1).expect("the second frame is right");
    let world = runtime.world();
    assert_eq!(
        (
            world.len(),
            world.rows::<&B>().count(),
            world.missed_edits().count()
        ),
        (41, 3, 1)
    );
}

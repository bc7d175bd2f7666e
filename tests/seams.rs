//! Closures of the caller's thread between the phases of a frame.

use gerust::ErrorKind;
use gerust::prelude::*;
use gerust::schedule::Seams;
use std::cell::RefCell;
use std::rc::Rc;
use std::thread::{self, ThreadId};
use std::time::Duration;

const WEATHER: Phase = Phase::Own("Weather");

/// Each seam runs once a frame, in the order of the phases, on this thread, with any number of threads.
#[test]
fn seams_run_between_phases_on_the_thread_of_the_caller() {
    for threads in [1, 2, 8] {
        let mut runtime = Runtime::new();
        if cfg!(feature = "parallel") {
            runtime.set_threads(threads).expect("they can be started");
            runtime.set_serial_below(Duration::ZERO);
        }
        runtime
            .add_phase_after(WEATHER, Phase::Simulate)
            .expect("the name is free");
        runtime.world_mut().spawn((1_u32, 2_u64));
        for name in ["a", "b", "c"] {
            let count =
                System::named(name)
                    .takes::<(Rows<&u32>, Edits)>()
                    .runs(|(rows, mut edits)| {
                        if rows.iter().count() < 100 {
                            edits.spawn((1_u32,));
                        }
                    });
            runtime.add_system(count).expect("the names differ");
        }
        type Noted = (&'static str, usize, ThreadId);
        let log: Rc<RefCell<Vec<Noted>>> = Rc::default();
        let note = |what: &'static str| {
            let log = Rc::clone(&log);
            move |world: &mut World| {
                let rows = world.rows::<&u32>().count();
                log.borrow_mut().push((what, rows, thread::current().id()));
            }
        };
        let mut seams = Seams::new();
        seams
            .after(WEATHER, note("after weather"))
            .before(Phase::Intake, note("first"))
            .before(Phase::Intake, note("second"))
            .after(Phase::Simulate, note("after simulate"));
        runtime
            .run_frames_with(2, &mut seams)
            .expect("the phases are there");
        drop(seams);
        let here = thread::current().id();
        let log: Vec<_> = log.borrow().clone();
        assert!(log.iter().all(|&(_, _, thread)| thread == here));
        let log: Vec<_> = log.iter().map(|&(what, rows, _)| (what, rows)).collect();
        let frame = |rows: usize| {
            [
                ("first", rows),
                ("second", rows),
                ("after simulate", rows + 3),
                ("after weather", rows + 3),
            ]
        };
        assert_eq!(log, [frame(1), frame(4)].concat());
    }
}

#[test]
fn what_a_seam_changes_is_seen_by_the_next_phase() {
    let mut runtime = Runtime::new();
    let mut parent = None;
    let mut seams = Seams::new();
    seams.before(Phase::Place, |world| {
        let child = world.spawn((Transform::at(1.0, 0.0, 0.0),));
        let root = *parent.get_or_insert_with(|| world.spawn((Transform::at(0.0, 5.0, 0.0),)));
        world.link(child, root).expect("both live");
    });
    runtime
        .run_frames_with(3, &mut seams)
        .expect("the phase is there");
    drop(seams);
    let world = runtime.world();
    assert_eq!(world.children(parent.expect("it was spawned")).count(), 3);
    let placed = world.rows::<(&WorldTransform, &Transform)>();
    let high = placed
        .iter()
        .filter(|(placed, _)| placed.translation() == Vec3::new(1.0, 5.0, 0.0));
    assert_eq!(high.count(), 3);
}

#[test]
fn a_phase_that_is_not_there_is_an_error_before_any_frame() {
    let mut runtime = Runtime::new();
    for phase in [Phase::Setup, WEATHER] {
        let mut seams = Seams::new();
        seams.before(phase, |_| ());
        let error = runtime.run_frames_with(1, &mut seams).unwrap_err();
        assert_eq!(error.kind(), ErrorKind::UnknownName);
        assert_eq!(
            error.to_string(),
            format!(
                "the seams name phase `{phase}`, which no frame has; \
                 name one of `Intake`, `Simulate`, `Move`, `Place`, `Touch`, `React`, `Close`"
            )
        );
    }
    assert_eq!(
        runtime
            .world()
            .global::<Clock>()
            .expect("it is there")
            .frame(),
        0
    );
}

#[test]
fn a_seam_that_panics_or_replaces_the_world_ends_the_frame() {
    let mut runtime = Runtime::new();
    let mut later = 0;
    let mut seams = Seams::new();
    seams.before(Phase::Move, |world| {
        let frame = world.global::<Clock>().expect("it is there").frame();
        assert_ne!(frame, 2, "no window");
    });
    seams.after(Phase::Close, |_| later += 1);
    let error = runtime.run_frames_with(5, &mut seams).unwrap_err();
    assert_eq!((error.kind(), error.frame()), (ErrorKind::Panic, Some(2)));
    assert!(
        error
            .to_string()
            .starts_with("a closure of the seams panicked in frame 2 at "),
        "{error}"
    );
    runtime
        .run_frames_with(1, &mut seams)
        .expect("frame 3 runs as usual");
    drop(seams);
    assert_eq!(later, 2);

    let mut seams = Seams::new();
    seams.before(Phase::Move, |world| *world = World::new());
    let error = runtime.run_frames_with(1, &mut seams).unwrap_err();
    assert!(
        error.to_string().contains("has replaced the world"),
        "{error}"
    );
    drop(seams);
    runtime
        .run_frames(2)
        .expect("the runtime takes the new world");
}

/// The same result as without seams, bit for bit.
#[test]
fn seams_that_only_look_change_nothing() {
    let run = |with_seams: bool| {
        let mut runtime = Runtime::new();
        let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
        let floor = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(9.0, 1.0, 9.0)));
        runtime.world_mut().spawn((Transform::default(), floor));
        for i in 0..20_u8 {
            let place = Transform::at(f32::from(i % 3) * 0.4, f32::from(i) * 1.1 + 1.0, 0.0);
            runtime
                .world_mut()
                .spawn((place, cube.clone(), Body::dynamic()));
        }
        let mut looked = 0_usize;
        let mut seams = Seams::new();
        seams.after(Phase::Touch, |world| looked += world.len());
        match with_seams {
            true => runtime.run_frames_with(90, &mut seams),
            false => runtime.run_frames(90),
        }
        .expect("no system fails");
        let rows = runtime.world().rows::<&Transform>();
        rows.iter().copied().collect::<Vec<_>>()
    };
    assert_eq!(run(true), run(false));
}

//! The black box: what its files hold, and when it writes them.

use gerust::Profiler;
use gerust::prelude::*;
use gerust::runtime::Controls;
use gerust_scene::{BlackBox, Recorder, Recording, Registry};
use serde::{Deserialize, Serialize};
use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
struct Landed {
    pallet: Entity,
}

/// A component that no one registers.
struct Fuel(f32);

fn registry() -> Registry {
    let mut registry = Registry::standard();
    registry.register_event::<Landed>("landed");
    registry
}

/// Pallets that fall on a floor and are despawned when they land, a gull, and a crane that a control drives.
fn program() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it is added once");
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
    let floor = Aabb::from_corners(Vec3::new(-90.0, -1.0, -90.0), Vec3::new(90.0, 0.0, 90.0));
    let world = runtime.world_mut();
    world.spawn((
        Name::new("floor"),
        Transform::default(),
        Collider::solid(floor),
    ));
    world.spawn((
        Name::new("gull"),
        Transform::at(0.0, 30.0, 0.0),
        Velocity(Vec3::X),
    ));
    world.spawn((
        Name::new("crane"),
        Transform::at(-20.0, 9.0, 0.0),
        Fuel(1.0),
    ));
    for number in 0..12_u8 {
        let place = Transform::at(f32::from(number) * 2.0, 2.0 + f32::from(number), 0.0);
        world.spawn((Name::new("pallet"), place, cube.clone(), Body::dynamic()));
    }
    let land = System::named("land").takes::<(Inbox<Contact>, Outbox<Landed>, Edits)>();
    let land = land.runs(|(mut contacts, mut landed, mut edits)| {
        for contact in contacts.take_unread() {
            landed.post(Landed {
                pallet: contact.second,
            });
            edits.despawn(contact.second);
        }
    });
    let drive = System::named("drive").takes::<(Global<Clock>, Rows<&mut Fuel>)>();
    let drive = drive.runs(|(clock, mut fuels)| {
        fuels.each(|fuel| fuel.0 -= 0.01 * clock.step_seconds());
    });
    runtime.add_system(land).expect("its name is free");
    runtime.add_system(drive).expect("its name is free");
    runtime
}

/// The inputs of a frame.
fn play(runtime: &mut Runtime) {
    let frame = runtime
        .world()
        .global::<Clock>()
        .map_or(0, |clock| clock.frame());
    let controls = runtime.world_mut().ensure_global::<Controls>();
    controls.set("hoist", if frame % 20 < 10 { 0.5 } else { 0.0 });
    runtime
        .set_enabled("drive", frame % 50 < 25)
        .expect("it is there");
}

fn written(black_box: &BlackBox) -> Recording {
    let mut file = Vec::new();
    black_box.write_to(&mut file).expect("it can be written");
    Recording::from_bytes(file, "box.rec").expect("it is a recording")
}

fn same_frames(one: &Recording, other: &Recording, later: u64) {
    for frame in 0..=one.last_frame() {
        let other_frame = frame + later;
        assert_eq!(one.digest(frame), other.digest(other_frame), "{frame}");
        if frame > 0 {
            assert_eq!(
                one.events(frame).unwrap(),
                other.events(other_frame).unwrap()
            );
            assert_eq!(
                one.controls(frame).unwrap(),
                other.controls(other_frame).unwrap()
            );
        }
    }
}

#[test]
fn its_frames_are_those_of_a_recorder() {
    let counts: &[usize] = match cfg!(feature = "parallel") {
        true => &[1, 2, 8],
        false => &[1],
    };
    for &threads in counts {
        let mut runtime = program();
        runtime.set_threads(threads).expect("they can be started");
        runtime.set_serial_below(Duration::ZERO);
        let black_box = BlackBox::keeping(Duration::from_secs(1)).knowing(registry());
        runtime
            .add_kit(black_box.clone())
            .expect("it is added once");
        let mut recorder =
            Recorder::of(Vec::new(), "all", &mut runtime, &registry()).expect("it can be written");
        for frame in 1..=100 {
            play(&mut runtime);
            runtime.run_frames(1).expect("nothing fails");
            recorder.note(&runtime).expect("it can be written");
            if frame == 30 {
                // Before a second has passed, it has all frames.
                assert_eq!(written(&black_box).last_frame(), 30);
            }
        }
        let all = recorder.finish().expect("it can be written");
        let all = Recording::from_bytes(all, "all.rec").expect("it is a recording");
        let last = written(&black_box);
        assert_eq!((last.first_frame(), last.last_frame()), (40, 60));
        assert!(last.damage().is_none());
        same_frames(&last, &all, 40);
        let events: usize = (1..=60)
            .map(|frame| last.events(frame).unwrap().len())
            .sum();
        assert!(events > 3, "{events}");
        // The frames can be restored, with all that was recorded.
        let mut other = program();
        last.restore_into(&mut other, &registry(), 60)
            .expect("all is registered");
        assert_eq!(other.world().digest().ok(), last.digest(60));
    }
}

#[test]
fn times_and_missing_types_are_listed() {
    let mut runtime = program();
    let black_box = BlackBox::keeping(Duration::from_secs(1)).titled("the quay");
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    assert!(
        black_box.write_to(Vec::new()).is_err(),
        "there is no frame yet"
    );
    runtime.run_frames(90).expect("nothing fails");
    let recording = written(&black_box);
    assert_eq!(recording.title(), "the quay");
    assert_eq!(recording.reason(), None);
    assert_eq!(
        recording.missing(),
        ["Fuel"],
        "and not `Landed`, which no inbox waits for"
    );
    let mut profiler = Profiler::default();
    assert_eq!(
        recording
            .add_times_to(&mut profiler)
            .expect("it can be read"),
        61
    );
    let statistics = profiler.statistics();
    let land = statistics
        .iter()
        .find(|statistic| statistic.name() == "land");
    assert!(land.is_some_and(|land| land.frames() > 30));
    let own = runtime.profiler().frames().last().expect("some ran");
    let last = profiler.frames().last().expect("some were added");
    assert_eq!(
        (recording.last_frame(), own.duration()),
        (last.number(), last.duration())
    );
    assert_eq!(own.spans().len(), last.spans().len());
}

fn files_in(folder: &tempfile::TempDir) -> Vec<PathBuf> {
    let files = fs::read_dir(folder.path()).expect("it is there");
    let mut files: Vec<PathBuf> = files
        .map(|file| file.expect("it can be read").path())
        .collect();
    files.sort();
    files
}

#[test]
fn a_failed_frame_writes_a_file() {
    let folder = tempfile::tempdir().expect("there is room");
    let mut runtime = program();
    let black_box = BlackBox::keeping(Duration::from_secs(1))
        .titled("Quay: 2nd try")
        .writing_into(folder.path());
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    let faulty = System::named("faulty").takes::<Global<Clock>>();
    let faulty = faulty.runs(|clock| assert!(!(70..90).contains(&clock.frame()), "it slips"));
    runtime.add_system(faulty).expect("its name is free");
    let error = runtime.run_frames(80).unwrap_err();
    let files = files_in(&folder);
    assert_eq!(
        files,
        [folder.path().join("quay-2nd-try-frame-70.rec")],
        "there at once"
    );
    let recording = Recording::load(&files[0]).expect("it is a recording");
    assert!(recording.damage().is_none());
    assert_eq!(recording.reason(), Some(error.to_string().as_str()));
    assert_eq!(recording.first_frame() + recording.last_frame(), 70);
    let failures: Vec<(u64, &str)> = recording.failures().collect();
    assert_eq!(
        failures,
        [(recording.last_frame(), error.to_string().as_str())]
    );
    // The frames that fail after it are in the file already, or will be in the next.
    for _ in 71..90 {
        assert!(runtime.run_frames(1).is_err());
    }
    assert_eq!(files_in(&folder).len(), 1);
    let done = black_box.take_written();
    assert_eq!(done.len(), 1);
    let done = done[0].as_ref().expect("it was written");
    assert_eq!((done.path(), done.frames()), (Some(&*files[0]), 10..=70));
    assert!(black_box.take_written().is_empty());
}

#[test]
fn a_condition_that_begins_to_hold_writes_a_file() {
    let folder = tempfile::tempdir().expect("there is room");
    let mut runtime = program();
    let black_box = BlackBox::keeping(Duration::from_secs_f32(0.2))
        .knowing(registry())
        .writing_into(folder.path())
        .when("events of landed >= 2")
        .when("counter of entities < 3")
        .when("ghost.position.y < 0")
        .when("gull.position.x + 1");
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    runtime.run_frames(200).expect("nothing fails");
    let done = black_box.take_written();
    let done = done.into_iter().map(|done| done.expect("it was written"));
    let reasons: Vec<String> = done
        .map(|done| done.reason().expect("it has one").to_owned())
        .collect();
    assert_eq!(reasons.len(), 1, "{reasons:?}");
    assert!(
        reasons[0].starts_with("`events of landed >= 2` holds in frame "),
        "{reasons:?}"
    );
    let recording = Recording::load(&files_in(&folder)[0]).expect("it is a recording");
    assert_eq!(recording.last_frame(), 12);
    assert_eq!(
        recording.events(12).expect("it is there").len(),
        1,
        "it ends with the event"
    );
    let unanswered = black_box.unanswered();
    assert_eq!(unanswered.len(), 2, "{unanswered:?}");
    assert_eq!(
        unanswered[0],
        ("ghost.position.y < 0".into(), "there is no `ghost`".into())
    );
    assert!(
        unanswered[1].1.contains("neither true nor false"),
        "{unanswered:?}"
    );
}

#[test]
fn conditions_that_cannot_be_read_are_refused() {
    let mut runtime = Runtime::new();
    let black_box = BlackBox::keeping(Duration::from_secs(1)).when("leftovers >");
    let error = runtime.add_kit(black_box).unwrap_err();
    let message = error.to_string();
    assert!(
        message.contains("`leftovers >`") && message.contains("column 1"),
        "{message}"
    );
    runtime
        .add_kit(BlackBox::keeping(Duration::from_secs(1)))
        .expect("the first was not added");
}

#[test]
fn one_black_box_belongs_to_one_runtime() {
    let black_box = BlackBox::keeping(Duration::from_secs(1));
    let (mut one, mut other) = (Runtime::new(), Runtime::new());
    one.add_kit(black_box.clone()).expect("it is added once");
    let error = other.add_kit(black_box).unwrap_err();
    assert!(error.to_string().contains("another runtime"), "{error}");
}

#[test]
fn it_keeps_to_its_memory() {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it is added once");
    let gulls =
        (0..1_000_u16).map(|at| (Transform::at(f32::from(at), 0.0, 0.0), Velocity(Vec3::X)));
    runtime.world_mut().spawn_many(gulls);
    let black_box = BlackBox::keeping(Duration::from_secs(10)).within(1_000_000);
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    runtime.run_frames(200).expect("nothing fails");
    let recording = written(&black_box);
    assert!(
        (10..30).contains(&recording.last_frame()),
        "{}",
        recording.last_frame()
    );
    assert_eq!(recording.first_frame() + recording.last_frame(), 200);
}

#[test]
fn a_program_that_goes_back_leaves_the_later_frames() {
    let mut runtime = program();
    let black_box = BlackBox::keeping(Duration::from_secs(5));
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    runtime.run_frames(20).expect("nothing fails");
    let moment = runtime.keep();
    runtime.run_frames(30).expect("nothing fails");
    let digest = written(&black_box).digest(25);
    runtime.go_back(&moment).expect("it is its own");
    let gull = runtime.world().find("gull").expect("it is there");
    runtime
        .world_mut()
        .get_mut::<Velocity>(gull)
        .expect("it flies")
        .0 = Vec3::Z;
    runtime.run_frames(10).expect("nothing fails");
    let recording = written(&black_box);
    assert_eq!((recording.first_frame(), recording.last_frame()), (0, 30));
    assert_ne!(recording.digest(25), digest, "it is the other way");
    // A state of another time stands alone.
    let mut file = Vec::new();
    runtime.save(&mut file).expect("it can be written");
    runtime.run_frames(10).expect("nothing fails");
    let mut other = program();
    let of_other = BlackBox::keeping(Duration::from_secs(5));
    other.add_kit(of_other.clone()).expect("it is added once");
    other.run_frames(3).expect("nothing fails");
    other.load(&file[..]).expect("it is of the same program");
    other.run_frames(3).expect("nothing fails");
    let recording = written(&of_other);
    assert_eq!((recording.first_frame(), recording.last_frame()), (31, 2));
}

#[test]
fn a_file_is_replaced_as_a_whole_or_not_at_all() {
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("last.rec");
    let mut runtime = program();
    let black_box = BlackBox::keeping(Duration::from_secs(1));
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    fs::write(&path, "old").expect("there is room");
    let error = black_box.write(&path).unwrap_err();
    assert_eq!(error.kind(), gerust::ErrorKind::Io);
    assert_eq!(fs::read_to_string(&path).expect("it is there"), "old");
    assert_eq!(files_in(&folder).len(), 1, "no part is left");
    runtime.run_frames(3).expect("nothing fails");
    let done = black_box.write(&path).expect("it can be written");
    assert_eq!((done.path(), done.frames()), (Some(&*path), 0..=3));
    assert_eq!(
        Recording::load(&path)
            .expect("it is a recording")
            .last_frame(),
        3
    );
    let error = black_box
        .write(folder.path().join("no/such/folder.rec"))
        .unwrap_err();
    assert!(
        error
            .to_string()
            .contains("name a file in a folder that you can write to"),
        "{error}"
    );
    assert_eq!(files_in(&folder).len(), 1);
}

/// Why a file cannot be written into a folder when a condition becomes true. The frames run all the same.
fn error_of_a_file(runtime: &mut Runtime, folder: &Path) -> gerust::Error {
    let black_box = BlackBox::keeping(Duration::from_secs(1))
        .writing_into(folder)
        .when("frame = 5");
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    runtime.run_frames(10).expect("nothing fails");
    let done = black_box.take_written().remove(0);
    done.expect_err("it cannot be written")
}

#[test]
fn a_folder_that_is_not_there_is_reported() {
    let error = error_of_a_file(&mut program(), "no/such/folder".as_ref());
    assert!(error.to_string().contains("no/such/folder"), "{error}");
}

#[test]
fn a_panic_between_frames_writes_a_file() {
    let folder = tempfile::tempdir().expect("there is room");
    let mut runtime = program();
    let black_box = BlackBox::keeping(Duration::from_secs(1)).writing_into(folder.path());
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    black_box.write_on_panic();
    runtime.run_frames(10).expect("nothing fails");
    let thread = std::thread::spawn(|| panic!("the cable broke"));
    assert!(thread.join().is_err());
    let reasons = files_in(&folder).into_iter().map(|file| {
        let recording = Recording::load(file).expect("it is a recording");
        recording.reason().expect("it has one").to_owned()
    });
    let mut reasons = reasons.filter(|reason| reason.contains("the cable broke"));
    assert!(
        reasons
            .next()
            .is_some_and(|reason| reason.contains("black_box.rs"))
    );
}

/// A value that cannot be written.
#[derive(Clone, Deserialize)]
struct Odd;

impl Serialize for Odd {
    fn serialize<S: serde::Serializer>(&self, _: S) -> Result<S::Ok, S::Error> {
        panic!("it is odd")
    }
}

#[test]
fn a_component_that_cannot_be_written_is_an_error() {
    let folder = tempfile::tempdir().expect("there is room");
    let mut runtime = program();
    runtime
        .world_mut()
        .register_component::<Odd>("odd")
        .expect("it is free");
    runtime.world_mut().spawn((Odd,));
    let error = error_of_a_file(&mut runtime, folder.path());
    assert!(error.to_string().contains("panicked"), "{error}");
}

#[test]
fn a_condition_that_holds_again_writes_again() {
    let folder = tempfile::tempdir().expect("there is room");
    let mut runtime = program();
    let black_box = BlackBox::keeping(Duration::from_secs_f32(0.2))
        .writing_into(folder.path())
        .when("frame = 5 or frame = 6 or frame = 40 or frame = 90");
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    runtime.run_frames(100).expect("nothing fails");
    let done = black_box.take_written();
    let last = done.iter().map(|done| {
        let written = done.as_ref().expect("it was written");
        *written.frames().end()
    });
    assert_eq!(last.collect::<Vec<_>>(), [5, 40, 90]);
}

/// A component that cannot be copied in one frame.
#[derive(Serialize, Deserialize)]
struct Brittle(u64);

impl Clone for Brittle {
    fn clone(&self) -> Self {
        assert_ne!(self.0, 40, "it breaks");
        Self(self.0)
    }
}

#[test]
fn a_frame_that_cannot_be_copied_leaves_the_others_whole() {
    let mut runtime = program();
    runtime
        .world_mut()
        .register_component::<Brittle>("brittle")
        .expect("it is free");
    runtime.world_mut().spawn((Brittle(0),));
    let wear = System::named("wear").takes::<Rows<&mut Brittle>>();
    let wear = wear.runs(|mut all| all.each(|brittle| brittle.0 += 1));
    runtime.add_system(wear).expect("its name is free");
    let black_box = BlackBox::keeping(Duration::from_secs_f32(0.5)).knowing(registry());
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    runtime.run_frames(39).expect("nothing fails");
    assert!(runtime.run_frames(1).is_err(), "the black box panics");
    runtime.run_frames(12).expect("nothing fails");
    let recording = written(&black_box);
    assert_eq!(
        (recording.first_frame(), recording.last_frame()),
        (41, 11),
        "the frames since then"
    );
    let mut profiler = gerust::Profiler::default();
    assert_eq!(
        recording
            .add_times_to(&mut profiler)
            .expect("they can be read"),
        12
    );
    let frames = profiler.frames().zip(runtime.profiler().frames().skip(40));
    for (read, run) in frames {
        assert_eq!(read.duration(), run.duration(), "frame {}", run.number());
    }
}

/// The memory of a system.
#[derive(Clone, Default, Serialize, Deserialize)]
struct Ledger {
    moved: u64,
    hoist: f64,
}

/// The program, with a crane whose place depends on inputs, on a global and on what was written since a system ran last.
fn exact_program() -> Runtime {
    let mut runtime = program();
    let world = runtime.world_mut();
    world
        .register_global::<Ledger>("ledger")
        .expect("it is free");
    world.set_global(Ledger::default());
    let count = System::named("count")
        .takes::<(Rows<Entity, Written<Transform>>, GlobalMut<Ledger>)>()
        .runs(|(written, mut ledger)| ledger.moved += written.iter().count() as u64);
    let lift = System::named("lift")
        .takes::<(
            Rows<&mut Transform, Lacking<Collider>>,
            Global<Controls>,
            GlobalMut<Ledger>,
        )>()
        .runs(|(mut cranes, controls, mut ledger)| {
            ledger.hoist += f64::from(controls.value("hoist")) / 8.0;
            let rope = ledger.hoist as f32 + ledger.moved as f32 / 1e4;
            cranes.each(|transform| transform.translation.z = rope);
        });
    for system in [count, lift] {
        runtime.add_system(system).expect("its name is free");
    }
    runtime
}

#[test]
fn a_program_continues_from_a_recording_as_before() {
    let counts: &[usize] = match cfg!(feature = "parallel") {
        true => &[1, 8],
        false => &[1],
    };
    for &threads in counts {
        let mut runtime = exact_program();
        let black_box = BlackBox::keeping(Duration::from_secs(1)).knowing(registry());
        runtime
            .add_kit(black_box.clone())
            .expect("it is added once");
        let mut recorder = None;
        for frame in 1..=100 {
            play(&mut runtime);
            runtime.run_frames(1).expect("nothing fails");
            if frame == 7 {
                let begun = Recorder::of(Vec::new(), "all", &mut runtime, &registry());
                recorder = Some(begun.expect("it can be written"));
            } else if let Some(recorder) = &mut recorder {
                recorder.note(&runtime).expect("it can be written");
            }
        }
        let all = recorder.expect("it was begun").finish();
        let all = Recording::from_bytes(all.expect("it can be written"), "all.rec");
        for recording in [all.expect("it is one"), written(&black_box)] {
            assert!(recording.has_state());
            let mut again = exact_program();
            again.set_threads(threads).expect("they can be started");
            again.set_serial_below(Duration::ZERO);
            // Its earlier frames do not matter.
            again.run_frames(13).expect("nothing fails");
            recording
                .load_into(&mut again, &registry())
                .expect("all is registered");
            for frame in 0..=recording.last_frame() {
                if frame > 0 {
                    recording
                        .set_controls(&mut again, frame)
                        .expect("it is there");
                    again.run_frames(1).expect("nothing fails");
                }
                assert_eq!(
                    again.world().digest().ok(),
                    recording.digest(frame),
                    "frame {frame} of {}, {threads} threads",
                    recording.path().display()
                );
            }
            assert!(
                again
                    .world()
                    .global::<Ledger>()
                    .is_ok_and(|ledger| ledger.moved > 500)
            );
            // A frame that was restored lacks the global, so it goes another way.
            let mut restored = exact_program();
            recording
                .restore_into(&mut restored, &registry(), 0)
                .expect("all is registered");
            recording
                .set_controls(&mut restored, 1)
                .expect("it is there");
            restored.run_frames(1).expect("nothing fails");
            assert_ne!(restored.world().digest().ok(), recording.digest(1));
            assert!(recording.set_controls(&mut restored, 200).is_err());
        }
    }
}

#[test]
fn a_state_with_unknown_types_changes_nothing() {
    let mut runtime = exact_program();
    runtime.run_frames(5).expect("nothing fails");
    let recorder = Recorder::of(Vec::new(), "t", &mut runtime, &registry());
    let bytes = recorder
        .and_then(Recorder::finish)
        .expect("it can be written");
    let recording = Recording::from_bytes(bytes, "t.rec").expect("it is one");
    // It does not know the ledger.
    let mut other = program();
    other.run_frames(3).expect("nothing fails");
    let before = other.world().digest().ok();
    let error = recording.load_into(&mut other, &registry()).unwrap_err();
    assert!(error.to_string().contains("`ledger`"), "{error}");
    assert_eq!(other.world().digest().ok(), before);
    other.run_frames(1).expect("nothing fails");
}

//! Going back in memory: the same frames run again go the same way.

use crate::program::{Counts, Full, end, program, started};
use gerust::ErrorKind;
use gerust::prelude::*;
use gerust::runtime::Moments;
use proptest::prelude::*;
use serde::{Deserialize, Serialize};

#[test]
fn frames_that_run_again_go_the_same_way() {
    const LAST: u64 = 150;
    let wanted = end(&mut started(), LAST);
    let mut runtime = started();
    let mut moments = vec![runtime.keep()];
    for _ in 0..LAST {
        runtime.run_frames(1).expect("nothing fails");
        moments.push(runtime.keep());
    }
    assert_eq!(end(&mut runtime, LAST), wanted, "keeping changes nothing");
    for frame in [149, 20, 0, 1, 77, 50, 49, 2, 119, 150, 63] {
        let moment = &moments[frame as usize];
        assert_eq!(moment.frame(), frame);
        runtime.go_back(moment).expect("it is its own");
        assert_eq!(end(&mut runtime, LAST), wanted, "from frame {frame}");
    }
    // A moment that was kept after going back shares nothing wrong.
    runtime.go_back(&moments[70]).expect("it is its own");
    runtime.run_frames(5).expect("nothing fails");
    let again = runtime.keep();
    let _ = end(&mut runtime, LAST);
    runtime.go_back(&again).expect("it is its own");
    assert_eq!(end(&mut runtime, LAST), wanted);
}

#[test]
fn a_moment_is_saved_after_the_runtime_has_run_on() {
    for frame in [0, 1, 20, 49, 50, 77] {
        let mut runtime = started();
        runtime.run_frames(frame).expect("nothing fails");
        let mut file = Vec::new();
        runtime.save(&mut file).expect("everything can be written");
        let moment = runtime.keep();
        let wanted = end(&mut runtime, 120);
        drop(runtime);
        let mut later = Vec::new();
        moment.save(&mut later).expect("everything can be written");
        let mut other = program();
        other.load(&later[..]).expect("it is a saved runtime");
        let mut again = Vec::new();
        other.save(&mut again).expect("everything can be written");
        assert_eq!(again, file, "frame {frame}");
        assert_eq!(end(&mut other, 120), wanted, "frame {frame}");
    }
    let error = started().keep().save(Full).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::Io);
}

/// More threads than cores: the same state, kept, saved and put back.
#[cfg(feature = "parallel")]
#[test]
fn threads_change_nothing_about_the_state() {
    let wanted = end(&mut started(), 100);
    for threads in [2, 8] {
        let threaded = |mut runtime: Runtime| {
            runtime.set_threads(threads).expect("they can be started");
            runtime.set_serial_below(std::time::Duration::ZERO);
            runtime
        };
        let mut runtime = threaded(started());
        runtime.run_frames(60).expect("nothing fails");
        let moment = runtime.keep();
        let mut file = Vec::new();
        runtime.save(&mut file).expect("everything can be written");
        assert_eq!(end(&mut runtime, 100), wanted, "{threads} threads");
        runtime.go_back(&moment).expect("it is its own");
        assert_eq!(
            end(&mut runtime, 100),
            wanted,
            "{threads} threads, gone back"
        );
        let mut other = threaded(program());
        other
            .load(&file[..])
            .expect("it was saved by the same program");
        assert_eq!(end(&mut other, 100), wanted, "{threads} threads, loaded");
    }
}

#[test]
fn a_ring_keeps_the_last_moments() {
    let mut runtime = started();
    let mut moments = Moments::ring(10);
    assert!(moments.is_empty() && moments.frames().is_none());
    let error = moments.go_back(&mut runtime, 5).unwrap_err();
    assert!(error.to_string().ends_with("keep one first"), "{error}");
    for frame in 1..=35 {
        runtime.run_frames(1).expect("nothing fails");
        if frame % 2 == 0 {
            moments.keep(&mut runtime);
        }
    }
    assert_eq!((moments.len(), moments.frames()), (10, Some(16..=34)));
    let error = moments.go_back(&mut runtime, 15).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::InvalidArgument);
    assert_eq!(
        error.to_string(),
        "cannot go back to frame 15: no moment of it or of before was kept; name one from 16 on"
    );
    // Frame 23 was not kept, so it is the one before.
    moments.go_back(&mut runtime, 23).expect("there is one");
    assert_eq!(
        runtime
            .world()
            .global::<Clock>()
            .expect("it is there")
            .frame(),
        22
    );
    assert_eq!((moments.len(), moments.frames()), (4, Some(16..=22)));
    assert_eq!(Moments::ring(0).len(), 0);
}

#[test]
fn a_moment_of_another_world_is_refused() {
    let mut runtime = started();
    let moment = program().keep();
    let before = runtime.world().digest().expect("it can be written");
    let error = runtime.go_back(&moment).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::InvalidArgument);
    assert_eq!(runtime.world().digest().expect("it can be written"), before);
    let own = runtime.keep();
    *runtime.world_mut() = World::new();
    assert!(runtime.go_back(&own).is_err(), "its world is gone");
}

/// Ten seconds of 3,000 carts that roll over a yard stay far below 100 MB: a tenth of that is checked here.
#[test]
fn moments_of_moving_carts_take_what_has_moved() {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("its names are free");
    let world = runtime.world_mut();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
    let slab = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(500.0, 1.0, 500.0)));
    world.spawn((Transform::default(), slab));
    world.spawn_many((0..3_000_u16).map(|i| {
        let place = Transform::at(f32::from(i % 60) * 2.0, 0.4, f32::from(i / 60) * 2.0);
        let body = Body::dynamic().with_velocity(Vec3::new(0.0, 0.0, 3.0));
        (place, cube.clone(), body)
    }));
    runtime.run_frames(5).expect("nothing fails");
    let mut moments = Moments::ring(600);
    moments.keep(&mut runtime);
    let first = moments.memory();
    for _ in 0..59 {
        runtime.run_frames(1).expect("nothing fails");
        moments.keep(&mut runtime);
    }
    let later = (moments.memory() - first) / 59;
    println!("the first takes {first} bytes, each later one {later}");
    assert!(later * 600 < 100_000_000, "{later} bytes for each moment");
    // At rest, a moment takes the lists of chunks alone.
    let mut rest = Moments::ring(10);
    for body in runtime.world_mut().rows_mut::<&mut Body>().iter_mut() {
        *body = Body::dynamic();
    }
    runtime.run_frames(5).expect("nothing fails");
    rest.keep(&mut runtime);
    let once = rest.memory();
    for _ in 0..9 {
        runtime.run_frames(1).expect("nothing fails");
        rest.keep(&mut runtime);
    }
    assert!(rest.memory() < 2 * once, "{} of {once}", rest.memory());
}

/// Its clone panics if it is 13.
#[derive(Serialize, Deserialize)]
struct Unlucky(u32);

impl Clone for Unlucky {
    fn clone(&self) -> Self {
        assert_ne!(self.0, 13);
        Self(self.0)
    }
}

#[test]
fn a_ring_is_whole_after_a_clone_has_panicked() {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    world
        .register_component::<Unlucky>("unlucky")
        .expect("it is free");
    let all = world.spawn_many((100..300).map(|number| (Unlucky(number),)));
    let set = |runtime: &mut Runtime, number: u32| {
        let world = runtime.world_mut();
        world.get_mut::<Unlucky>(all[150]).expect("it lives").0 = number;
    };
    let mut ring = Moments::ring(2);
    for number in [1, 2, 13, 4, 5] {
        set(&mut runtime, number);
        let kept = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
            ring.keep(&mut runtime);
        }));
        assert_eq!(kept.is_err(), number == 13);
    }
    for (moment, number) in ring.iter().zip([4, 5]) {
        set(&mut runtime, number);
        let wanted = runtime.world().snapshot().expect("it can be written");
        let snapshot = moment.snapshot().expect("it can be written");
        assert_eq!(snapshot.first_difference(&wanted), None);
    }
}

#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
struct Note(String);

#[derive(Clone, Default)]
struct Sealed;

/// What happens to a world between two moments.
#[derive(Clone, Debug)]
enum Step {
    Spawn(u8),
    Despawn(u8),
    Write(u8),
    WriteAll,
    Note(u8),
    Tag(u8),
    Link(u8, u8),
    Keep,
    Frame,
    GoBack(u8),
}

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        3 => any::<u8>().prop_map(Step::Spawn),
        2 => any::<u8>().prop_map(Step::Despawn),
        3 => any::<u8>().prop_map(Step::Write),
        1 => Just(Step::WriteAll),
        2 => any::<u8>().prop_map(Step::Note),
        2 => any::<u8>().prop_map(Step::Tag),
        2 => (any::<u8>(), any::<u8>()).prop_map(|(a, b)| Step::Link(a, b)),
        4 => Just(Step::Keep),
        1 => Just(Step::Frame),
        2 => any::<u8>().prop_map(Step::GoBack),
    ]
}

/// How many worlds the property test makes.
const CASES: u32 = if cfg!(feature = "stress") { 256 } else { 40 };

proptest! {
    #![proptest_config(ProptestConfig::with_cases(CASES))]

    /// After any changes, a moment leads back to the world of which it was kept, and ids continue as they did.
    #[test]
    fn a_moment_holds_exactly_what_was_there(steps in proptest::collection::vec(step(), 1..120)) {
        let mut runtime = Runtime::new();
        let world = runtime.world_mut();
        world.register_component::<Note>("note").expect("it is free");
        world.register_tag::<Sealed>("sealed").expect("it is free");
        world.register_global::<Counts>("counts").expect("it is free");
        world.spawn_many((0..150_u8).map(|i| (Transform::at(f32::from(i), 0.0, 0.0),)));
        let mut kept = Vec::new();
        // Its moments take over the memory of older ones.
        let mut ring = Moments::ring(3);
        let mut in_ring = std::collections::VecDeque::new();
        for step in steps {
            let all: Vec<Entity> = runtime.world().rows::<Entity>().iter().collect();
            let pick = |at: u8| all.get(usize::from(at) * all.len() / 256).copied();
            let world = runtime.world_mut();
            match step {
                Step::Spawn(at) => {
                    world.spawn((Transform::at(0.0, f32::from(at), 0.0), Note(at.to_string())));
                }
                Step::Despawn(at) => if let Some(entity) = pick(at) {
                    world.despawn(entity).expect("it lives");
                },
                Step::Write(at) => if let Some(entity) = pick(at) {
                    world.get_mut::<Transform>(entity).expect("all have one").translation.z += 1.0;
                },
                Step::WriteAll => world.rows_mut::<&mut Transform>().each(|placed| placed.translation.y -= 0.5),
                Step::Note(at) => if let Some(entity) = pick(at) {
                    match world.has::<Note>(entity) {
                        true => drop(world.detach::<Note>(entity).expect("it lives")),
                        false => drop(world.attach(entity, Note(at.to_string())).expect("it lives")),
                    }
                },
                Step::Tag(at) => if let Some(entity) = pick(at) {
                    let _ = world.attach(entity, Sealed).expect("it lives");
                    world.set_global(Counts { horns: u64::from(at), ..Counts::default() });
                },
                Step::Link(a, b) => if let (Some(a), Some(b)) = (pick(a), pick(b)) {
                    // Cycles are refused.
                    let _ = world.link(a, b);
                },
                Step::Keep => {
                    let moment = runtime.keep();
                    let counts = runtime.world().find_global::<Counts>().map(|counts| counts.clone());
                    let snapshot = runtime.world().snapshot().expect("it can be written");
                    let of_moment = moment.snapshot().expect("it can be written");
                    prop_assert_eq!(of_moment.first_difference(&snapshot), None);
                    prop_assert_eq!((of_moment.ids(), of_moment.digest()), (snapshot.ids(), snapshot.digest()));
                    ring.keep(&mut runtime);
                    in_ring.push_back(snapshot.clone());
                    if in_ring.len() > 3 {
                        in_ring.pop_front();
                    }
                    kept.push((moment, snapshot, counts));
                }
                Step::Frame => runtime.run_frames(1).expect("nothing fails"),
                Step::GoBack(at) => if let Some((moment, snapshot, counts)) = kept.get(usize::from(at) * kept.len() / 256) {
                    runtime.go_back(moment).expect("it is its own");
                    let now = runtime.world().snapshot().expect("it can be written");
                    prop_assert_eq!(now.first_difference(snapshot), None);
                    prop_assert_eq!(now.ids(), snapshot.ids());
                    let now = runtime.world().find_global::<Counts>().map(|counts| counts.clone());
                    prop_assert_eq!(&now, counts, "also that there was none");
                },
            }
        }
        for (moment, snapshot) in ring.iter().zip(&in_ring) {
            let of_moment = moment.snapshot().expect("it can be written");
            prop_assert_eq!(of_moment.first_difference(snapshot), None);
            prop_assert_eq!(of_moment.ids(), snapshot.ids());
            runtime.go_back(moment).expect("it is its own");
            let now = runtime.world().snapshot().expect("it can be written");
            prop_assert_eq!(now.first_difference(snapshot), None);
        }
        for (moment, snapshot, _) in kept.iter().rev() {
            runtime.go_back(moment).expect("it is its own");
            let now = runtime.world().snapshot().expect("it can be written");
            prop_assert_eq!(now.first_difference(snapshot), None);
        }
    }
}

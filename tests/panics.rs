//! Panics of user code at every moment of a frame: the frame ends with an error, and the next frame is right.

use gerust::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, AtomicU64, Ordering};

/// Counts the moments at which user code runs, and panics at one of them.
#[derive(Default)]
struct Fuse {
    passed: AtomicU32,
    /// The moment at which to panic; 0 for none.
    blows_at: AtomicU32,
    /// Values that are alive.
    alive: AtomicU64,
}

impl Fuse {
    fn pass(&self, what: &str) {
        let passed = self.passed.fetch_add(1, Ordering::Relaxed) + 1;
        let blows_at = self.blows_at.load(Ordering::Relaxed);
        assert!(passed != blows_at, "{what} blows at moment {passed}");
    }
}

/// A component with a number, whose drop and clone can panic.
struct Value {
    number: u32,
    fuse: Arc<Fuse>,
}

impl Value {
    fn new(number: u32, fuse: &Arc<Fuse>) -> Self {
        fuse.alive.fetch_add(1, Ordering::Relaxed);
        Self {
            number,
            fuse: Arc::clone(fuse),
        }
    }
}

impl Clone for Value {
    fn clone(&self) -> Self {
        self.fuse.pass("a clone");
        Self::new(self.number, &self.fuse)
    }
}

impl Drop for Value {
    fn drop(&mut self) {
        self.fuse.alive.fetch_sub(1, Ordering::Relaxed);
        // One panic at a time: a second one while the stack unwinds would end the process.
        if !std::thread::panicking() {
            self.fuse.pass("a drop");
        }
    }
}

#[derive(Clone)]
struct First(Value);
#[derive(Clone)]
struct Second(Value);
struct Posted(Value);
struct Number(u32);
/// The ids that were handed out by edits, in order.
struct Ids(Vec<Entity>);

/// One frame makes every kind of edit, spawns from a template, posts and reads events, and walks rows on several threads.
fn runtime(fuse: &Arc<Fuse>, threads: usize) -> Runtime {
    let mut runtime = Runtime::new();
    if cfg!(feature = "parallel") {
        runtime.set_threads(threads).expect("they can be started");
        runtime.set_serial_below(std::time::Duration::ZERO);
    }
    let world = runtime.world_mut();
    world.set_global(Ids(Vec::new()));
    for number in 0..320 {
        world.spawn((Number(number), First(Value::new(number, fuse))));
    }
    let f = Arc::clone(fuse);
    let churn = System::named("churn")
        .takes::<(
            Rows<(Entity, &Number, Option<&Second>)>,
            Global<Clock>,
            GlobalMut<Ids>,
            Edits,
        )>()
        .runs(move |(rows, clock, mut ids, mut edits)| {
            f.pass("a system");
            let frame = clock.frame() as u32;
            let mut rows: Vec<(Entity, u32, bool)> = rows
                .iter()
                .map(|(entity, number, second)| (entity, number.0, second.is_some()))
                .collect();
            rows.sort_unstable();
            // One kind after the other: long runs of one kind are carried out as batches.
            for kind in 0..4 {
                for &(entity, number, has_second) in &rows {
                    match (number + frame) % 5 {
                        remainder if remainder != kind => {}
                        0 => edits.despawn(entity),
                        1 if !has_second => edits.attach(entity, Second(Value::new(number, &f))),
                        2 => edits.detach::<Second>(entity),
                        3 => edits.attach(entity, First(Value::new(number + 1, &f))),
                        _ => {}
                    }
                }
            }
            for number in 0..12 {
                let id = edits.spawn((Number(frame * 100 + number), First(Value::new(number, &f))));
                ids.0.push(id);
            }
            // One that is gone by then, and one that goes twice.
            if let Some(&(entity, ..)) = rows.first() {
                edits.despawn(entity);
                edits.attach(entity, Second(Value::new(7, &f)));
                edits.despawn(entity);
            }
        });
    let (f, hook) = (
        Arc::clone(fuse),
        Template::named("hook").with(Second(Value::new(1, fuse))),
    );
    let crane = Template::named("crane")
        .with(First(Value::new(2, fuse)))
        .with(Transform::default())
        .child(hook);
    let build = System::named("build").takes::<(Global<Clock>, GlobalMut<Ids>, Edits)>();
    let build = build.runs(move |(clock, mut ids, mut edits)| {
        f.pass("another system");
        let parent = edits.spawn((Number(clock.frame() as u32), Transform::default()));
        ids.0.push(parent);
        ids.0.push(edits.spawn_copy(crane.copy().under(parent)));
    });
    let f = Arc::clone(fuse);
    let post = System::named("post")
        .takes::<Outbox<Posted>>()
        .runs(move |mut outbox| {
            for number in 0..3 {
                outbox.post(Posted(Value::new(number, &f)));
            }
            f.pass("a system that posts");
        });
    let f = Arc::clone(fuse);
    let listen = System::named("listen")
        .phase(Phase::React)
        .only_if::<Global<Clock>>(move |_| {
            f.pass("a condition");
            true
        })
        .takes::<Inbox<Posted>>()
        .runs(|mut inbox| {
            let heard: Vec<u32> = inbox.take_unread().map(|posted| posted.0.number).collect();
            assert!(heard.chunks(3).all(|three| three == [0, 1, 2]), "{heard:?}");
        });
    let f = Arc::clone(fuse);
    let spread = System::named("spread")
        .takes::<Rows<&mut Number>>()
        .runs(move |mut rows| {
            let seen = AtomicU32::new(0);
            let look = |_: &mut Number| {
                if seen.fetch_add(1, Ordering::Relaxed) == 20 {
                    f.pass("a loop over rows");
                }
            };
            #[cfg(feature = "parallel")]
            rows.par_each(look);
            #[cfg(not(feature = "parallel"))]
            rows.each(look);
        });
    for system in [churn, build, post, listen, spread] {
        runtime.add_system(system).expect("its name is free");
    }
    runtime
}

/// The state of an entity as an observer sees it.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
struct Seen {
    number: Option<u32>,
    first: Option<u32>,
    second: Option<u32>,
    parent: Option<Entity>,
}

type State = BTreeMap<Entity, Seen>;

fn state(world: &World) -> State {
    let rows = world.rows::<(Entity, Option<&Number>, Option<&First>, Option<&Second>)>();
    let seen = rows.iter().map(|(entity, number, first, second)| {
        let seen = Seen {
            number: number.map(|number| number.0),
            first: first.map(|first| first.0.number),
            second: second.map(|second| second.0.number),
            parent: world.parent(entity),
        };
        (entity, seen)
    });
    seen.collect()
}

fn despawn(state: &mut State, entity: Entity) -> bool {
    let below: Vec<Entity> = state
        .iter()
        .filter(|(_, seen)| seen.parent == Some(entity))
        .map(|(&below, _)| below)
        .collect();
    for below in below {
        despawn(state, below);
    }
    state.remove(&entity).is_some()
}

/// Plays a frame of [`runtime`] on a plain map; `ids` are those that the edits were given, in order, and `hook` is that of
/// the child of the copy. Returns how many edits are missed.
fn model(state: &mut State, frame: u32, ids: &[Entity], hook: Entity) -> u64 {
    let rows: Vec<(Entity, u32, bool)> = state
        .iter()
        .filter_map(|(&entity, seen)| Some((entity, seen.number?, seen.second.is_some())))
        .collect();
    for &(entity, number, has_second) in &rows {
        let seen = state.get_mut(&entity).expect("rows go one by one");
        match (number + frame) % 5 {
            0 => drop(despawn(state, entity)),
            1 if !has_second => seen.second = Some(number),
            2 => seen.second = None,
            3 => seen.first = Some(number + 1),
            _ => {}
        }
    }
    for (&id, number) in ids.iter().zip(0..12) {
        let seen = Seen {
            number: Some(frame * 100 + number),
            first: Some(number),
            ..Seen::default()
        };
        assert_eq!(state.insert(id, seen), None);
    }
    let missed = rows
        .first()
        .map_or(0, |&(entity, ..)| 2 + u64::from(!despawn(state, entity)));
    let [parent, copy] = [ids[12], ids[13]];
    let root = Seen {
        number: Some(frame),
        ..Seen::default()
    };
    let crane = Seen {
        first: Some(2),
        parent: Some(parent),
        ..Seen::default()
    };
    let below = Seen {
        second: Some(1),
        parent: Some(copy),
        ..Seen::default()
    };
    for (id, seen) in [(parent, root), (copy, crane), (hook, below)] {
        assert_eq!(state.insert(id, seen), None);
    }
    missed
}

/// Runs some frames, with a panic at one moment of the fourth, and returns how many moments that frame had.
fn run(threads: usize, blows_at: u32) -> (u32, bool, Runtime, Arc<Fuse>) {
    let fuse = Arc::new(Fuse::default());
    let mut runtime = runtime(&fuse, threads);
    runtime.run_frames(3).expect("nothing blows yet");
    fuse.passed.store(0, Ordering::Relaxed);
    fuse.blows_at.store(blows_at, Ordering::Relaxed);
    let outcome = runtime.run_frames(1);
    let moments = fuse.passed.load(Ordering::Relaxed);
    fuse.blows_at.store(0, Ordering::Relaxed);
    if let Err(error) = &outcome {
        assert!(error.is_panic(), "{error}");
        assert_eq!(error.frame(), Some(4), "{error}");
        let place = error.panic_place();
        assert!(place.is_some_and(|(file, _)| file == file!()), "{error}");
    }
    let frames = runtime.profiler().frames().map(|frame| frame.number());
    assert_eq!(frames.last(), Some(4), "the frame has a profile");
    (moments, outcome.is_err(), runtime, fuse)
}

/// The next frames are those of the model, links lead both ways, and no value is lost or kept.
fn next_frames_are_right(runtime: &mut Runtime, fuse: &Fuse, context: &str) {
    let ids_of = |runtime: &Runtime| {
        let ids = runtime.world().global::<Ids>().expect("it was put in");
        ids.0.clone()
    };
    for frame in 5..8 {
        let mut expected = state(runtime.world());
        let (before, missed_before) = (ids_of(runtime), runtime.world().missed_edits().count());
        runtime.run_frames(1).expect("nothing blows any more");
        let world = runtime.world();
        let ids = ids_of(runtime);
        assert_eq!(ids.len(), before.len() + 14, "{context}, frame {frame}");
        let new = &ids[before.len()..];
        let hook = world.children(new[13]).next().expect("the copy is whole");
        let missed = model(&mut expected, frame, new, hook);
        assert_eq!(state(world), expected, "{context}, frame {frame}");
        let missed_now = world.missed_edits().count() - missed_before;
        assert_eq!(missed_now, missed, "{context}, frame {frame}");
    }
    let world = runtime.world();
    let mut ids = ids_of(runtime);
    ids.sort_unstable();
    assert!(
        ids.windows(2).all(|pair| pair[0] != pair[1]),
        "{context}: an id came twice"
    );
    for entity in world.rows::<Entity>().iter() {
        for child in world.children(entity) {
            assert_eq!(world.parent(child), Some(entity), "{context}");
        }
    }
    let attached = world.rows::<&First>().count() + world.rows::<&Second>().count();
    let events = 3;
    let in_templates = 2;
    let alive = fuse.alive.load(Ordering::Relaxed) as usize;
    assert_eq!(alive, attached + events + in_templates, "{context}: values");
}

fn at_any_moment(threads: usize) {
    let (moments, failed, mut runtime, fuse) = run(threads, 0);
    assert!(!failed && moments > 80, "{moments} moments");
    next_frames_are_right(&mut runtime, &fuse, "without a panic");
    for blows_at in 1..=moments {
        let context = format!("{threads} threads, moment {blows_at} of {moments}");
        let (_, failed, mut runtime, fuse) = run(threads, blows_at);
        assert!(failed, "{context}: no error");
        next_frames_are_right(&mut runtime, &fuse, &context);
    }
}

#[test]
fn a_panic_at_any_moment_of_a_frame_leaves_the_next_frames_right() {
    at_any_moment(1);
}

#[cfg(feature = "parallel")]
#[test]
fn a_panic_at_any_moment_of_a_frame_on_three_threads_leaves_the_next_frames_right() {
    at_any_moment(3);
}

//! Systems and kits that come and go while a runtime runs, and systems that fail.

use gerust::prelude::*;
use gerust::{ErrorKind, Requirement};
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

/// What ran, in order.
#[derive(Default)]
struct Log(Vec<&'static str>);

fn noting(name: &'static str) -> System {
    System::named(name)
        .takes::<GlobalMut<Log>>()
        .runs(move |mut log| log.0.push(name))
}

fn with(systems: impl IntoIterator<Item = System>) -> Runtime {
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Log::default());
    for system in systems {
        runtime.add_system(system).expect("the names differ");
    }
    runtime
}

/// What runs in one frame.
fn frame(runtime: &mut Runtime) -> Vec<&'static str> {
    runtime.run_frames(1).expect("no system fails");
    let log = runtime
        .world_mut()
        .global_mut::<Log>()
        .expect("it is there");
    std::mem::take(&mut log.0)
}

#[test]
fn a_removed_system_does_not_run_and_its_name_is_free() {
    let mut runtime = with([noting("a"), noting("b"), noting("c")]);
    assert_eq!(frame(&mut runtime), ["a", "b", "c"]);
    runtime.remove_system("b").expect("it is there");
    assert_eq!(frame(&mut runtime), ["a", "c"]);
    runtime.add_system(noting("b")).expect("the name is free");
    assert_eq!(frame(&mut runtime), ["a", "c", "b"]);
    let error = runtime.remove_system("bb").unwrap_err();
    assert_eq!(error.kind(), ErrorKind::UnknownName);
    let error = runtime.remove_system("touch: contacts").unwrap_err();
    assert_eq!(
        error.to_string(),
        "system `touch: contacts` cannot leave the schedule: every runtime has it; switch it off with `set_enabled`"
    );
    assert_eq!(
        (error.kind(), error.system()),
        (ErrorKind::InvalidSystem, Some("touch: contacts"))
    );
}

#[test]
fn a_replacement_takes_the_place_and_the_switch() {
    let mut runtime = with([noting("a"), noting("b"), noting("c")]);
    runtime.set_enabled("b", false).expect("it is there");
    runtime
        .replace_system("b", noting("other"))
        .expect("the name is free");
    assert_eq!(frame(&mut runtime), ["a", "c"]);
    runtime.set_enabled("other", true).expect("it is there");
    assert_eq!(frame(&mut runtime), ["a", "other", "c"]);
    let late = System::named("late")
        .phase(Phase::Close)
        .takes::<GlobalMut<Log>>()
        .runs(|mut log| log.0.push("late"));
    runtime.replace_system("a", late).expect("the name is free");
    assert_eq!(frame(&mut runtime), ["other", "c", "late"]);
    let error = runtime.replace_system("c", noting("other")).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::NameTaken);
    assert_eq!(
        frame(&mut runtime),
        ["other", "c", "late"],
        "nothing changed"
    );
}

/// A stated order never loses its target without an error.
#[test]
fn a_system_that_others_are_ordered_against_stays() {
    let labelled = |name: &'static str| {
        System::named(name)
            .label("driving")
            .takes::<GlobalMut<Log>>()
            .runs(move |mut log| log.0.push(name))
    };
    let last = System::named("last")
        .after("driving")
        .takes::<GlobalMut<Log>>()
        .runs(|mut log| log.0.push("last"));
    let mut runtime = with([last, labelled("steer"), labelled("brake")]);
    runtime
        .remove_system("steer")
        .expect("`brake` has the label as well");
    let error = runtime.remove_system("brake").unwrap_err();
    assert!(
        error
            .to_string()
            .contains("`last` is to run after `driving`"),
        "{error}"
    );
    let error = runtime.replace_system("brake", noting("x")).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::InvalidSystem);
    runtime
        .replace_system("brake", labelled("slow down"))
        .expect("it has the label");
    assert_eq!(frame(&mut runtime), ["slow down", "last"]);
}

/// Events, changes and edits of a system that goes are dropped with it.
#[test]
fn a_replacement_begins_anew() {
    let heard = Arc::new(AtomicU32::new(0));
    let listen = |heard: &Arc<AtomicU32>| {
        let heard = Arc::clone(heard);
        System::named("listen")
            .takes::<Inbox<u32>>()
            .runs(move |mut inbox| {
                heard.fetch_add(inbox.take_unread().sum(), Ordering::Relaxed);
            })
    };
    let mut runtime = with([listen(&heard)]);
    runtime.set_enabled("listen", false).expect("it is there");
    runtime.world_mut().post(5_u32);
    runtime.run_frames(3).expect("nothing fails");
    runtime
        .replace_system("listen", listen(&heard))
        .expect("it has the same name");
    runtime.set_enabled("listen", true).expect("it is there");
    runtime.world_mut().post(7_u32);
    runtime.run_frames(2).expect("nothing fails");
    assert_eq!(heard.load(Ordering::Relaxed), 7);
}

struct Cranes;
struct Trolleys;

impl Kit for Cranes {
    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error> {
        runtime.add_kit(Trolleys)?;
        runtime.add_system(noting("swing"))
    }
}

impl Kit for Trolleys {
    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error> {
        runtime.add_system(noting("roll"))
    }
}

struct Spreaders;

impl Kit for Spreaders {
    fn requires(&self) -> Vec<Requirement> {
        vec![Requirement::of::<Trolleys>()]
    }

    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error> {
        runtime.add_system(noting("grip"))
    }
}

#[test]
fn kits_go_with_their_own_systems_only() {
    let mut runtime = with([]);
    runtime.add_kit(Cranes).expect("its names are free");
    runtime.add_kit(Spreaders).expect("its names are free");
    assert_eq!(frame(&mut runtime), ["roll", "swing", "grip"]);
    let error = runtime.remove_kit::<Trolleys>().unwrap_err();
    assert_eq!(
        error.to_string(),
        "kit `Trolleys` cannot be removed: `Spreaders` requires it; remove that one first"
    );
    runtime.remove_kit::<Cranes>().expect("it was added");
    assert_eq!(frame(&mut runtime), ["roll", "grip"]);
    assert!(runtime.remove_kit::<Cranes>().is_err(), "it is gone");
    runtime.remove_kit::<Spreaders>().expect("it was added");
    let after = System::named("after")
        .after("roll")
        .takes::<()>()
        .runs(|()| ());
    runtime.add_system(after).expect("the name is free");
    let error = runtime.remove_kit::<Trolleys>().unwrap_err();
    assert_eq!(error.system(), Some("roll"));
    assert_eq!(frame(&mut runtime), ["roll"], "nothing was removed");
}

/// A system that returns an error ends the frame as a panic does, on any number of threads.
#[test]
fn a_system_that_fails_discards_its_phase_and_nothing_else() {
    for threads in [1, 2, 8] {
        let mut runtime = Runtime::new();
        if cfg!(feature = "parallel") {
            runtime.set_threads(threads).expect("they can be started");
            runtime.set_serial_below(Duration::ZERO);
        }
        let crate_ = runtime.world_mut().spawn((3_u32, 0_u64));
        let load = System::named("load")
            .takes::<(Rows<&mut u32>, Outbox<u8>, Edits, Global<Clock>)>()
            .tries(|(mut rows, mut outbox, mut edits, clock)| {
                rows.each(|tonnes| *tonnes += 1);
                outbox.post(1);
                edits.spawn((9_u32,));
                if clock.frame() == 2 {
                    "twelve".parse::<u32>()?;
                }
                Ok(())
            });
        runtime.add_system(load).expect("the name is free");
        for name in ["x", "y", "z"] {
            let count = System::named(name).takes::<Rows<&u64>>().runs(|rows| {
                let _ = rows.iter().count();
            });
            runtime.add_system(count).expect("the name is free");
        }
        runtime.run_frames(1).expect("frame 1 does not fail");
        let error = runtime.run_frames(1).unwrap_err();
        assert_eq!(error.kind(), ErrorKind::SystemFailed);
        assert_eq!(error.system(), Some("load"));
        assert_eq!((error.frame(), error.phase()), (Some(2), Some("Simulate")));
        assert!(!error.is_panic() && error.panic_place().is_none());
        assert!(std::error::Error::source(&error).is_some());
        let world = runtime.world();
        assert_eq!(
            *world.get::<u32>(crate_).expect("it lives"),
            5,
            "what it wrote stays"
        );
        assert_eq!(
            world.rows::<&u32>().count(),
            2,
            "the edit of frame 2 was discarded"
        );
        assert!(
            world.posted::<u8>().is_empty(),
            "the event of frame 2 was taken back"
        );
        runtime.run_frames(1).expect("frame 3 runs as usual");
        assert_eq!(runtime.world().rows::<&u32>().count(), 3);
    }
}

use super::FrameWatcher;
use crate::prelude::*;
use std::sync::{Arc, Mutex};

/// The calls, in order.
type Calls = Arc<Mutex<Vec<String>>>;

struct Noting {
    name: &'static str,
    calls: Calls,
}

impl Noting {
    fn note(&self, runtime: &Runtime, call: &str) {
        let frame = runtime
            .world()
            .global::<Clock>()
            .map_or(0, |clock| clock.frame());
        let call = format!("{} {call} {frame}", self.name);
        self.calls.lock().expect("no one panics").push(call);
    }
}

impl FrameWatcher for Noting {
    fn before(&mut self, runtime: &mut Runtime) {
        self.note(runtime, "before");
    }

    fn after(&mut self, runtime: &mut Runtime, failure: Option<&Error>) {
        self.note(runtime, if failure.is_some() { "failed" } else { "after" });
        assert_ne!(self.name, "faulty");
    }
}

fn taken(calls: &Calls) -> Vec<String> {
    std::mem::take(&mut *calls.lock().expect("no one panics"))
}

fn watched() -> (Runtime, Calls) {
    let mut runtime = Runtime::new();
    let calls = Calls::default();
    for name in ["first", "second"] {
        let calls = Arc::clone(&calls);
        runtime
            .add_watcher(name, Noting { name, calls })
            .expect("it is free");
    }
    (runtime, calls)
}

#[test]
fn watchers_are_called_around_each_frame_in_order() {
    let (mut runtime, calls) = watched();
    runtime.run_frames(2).expect("nothing fails");
    let wanted = [
        "first before 0",
        "second before 0",
        "first after 1",
        "second after 1",
        "first before 1",
        "second before 1",
        "first after 2",
        "second after 2",
    ];
    assert_eq!(taken(&calls), wanted);
    assert!(runtime.remove_watcher("second"));
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(taken(&calls), ["first before 2", "first after 3"]);
}

#[test]
fn a_failed_frame_is_shown_and_its_error_stays() {
    let (mut runtime, calls) = watched();
    let tries = System::named("faulty").takes::<()>();
    runtime
        .add_system(tries.runs(|()| panic!("a fault")))
        .expect("it is free");
    let error = runtime.run_frames(3).unwrap_err();
    assert_eq!(error.system(), Some("faulty"));
    let wanted = [
        "first before 0",
        "second before 0",
        "first failed 1",
        "second failed 1",
    ];
    assert_eq!(taken(&calls), wanted);
}

#[test]
fn a_watcher_that_panics_ends_the_frame_and_the_others_are_called() {
    let (mut runtime, calls) = watched();
    let faulty = Noting {
        name: "faulty",
        calls: Arc::clone(&calls),
    };
    runtime.remove_watcher("second");
    runtime.add_watcher("faulty", faulty).expect("it is free");
    let last = Noting {
        name: "last",
        calls: Arc::clone(&calls),
    };
    runtime.add_watcher("last", last).expect("it is free");
    let error = runtime.run_frames(5).unwrap_err();
    assert!(error.is_panic(), "{error}");
    assert!(error.to_string().contains("a watcher"), "{error}");
    assert_eq!(
        taken(&calls).last().map(String::as_str),
        Some("last after 1")
    );
    runtime.remove_watcher("faulty");
    runtime.run_frames(1).expect("nothing fails");
}

/// Runs a frame of its own before each, and adds another watcher.
struct Ahead;

impl FrameWatcher for Ahead {
    fn before(&mut self, runtime: &mut Runtime) {
        runtime.run_frames(1).expect("nothing fails");
        let _ = runtime.add_watcher("added", Idle);
    }
}

struct Idle;

impl FrameWatcher for Idle {}

#[test]
fn a_watcher_may_run_frames_and_add_watchers() {
    let mut runtime = Runtime::new();
    runtime.add_watcher("ahead", Ahead).expect("it is free");
    runtime.run_frames(2).expect("nothing fails");
    assert_eq!(
        runtime
            .world()
            .global::<Clock>()
            .expect("it is there")
            .frame(),
        4
    );
    assert!(runtime.remove_watcher("added") && !runtime.remove_watcher("added"));
}

struct WatchKit(Calls);

impl Kit for WatchKit {
    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error> {
        runtime.add_watcher(
            "of the kit",
            Noting {
                name: "kit",
                calls: self.0,
            },
        )
    }
}

#[test]
fn a_kit_takes_its_watchers_along() {
    let (mut runtime, calls) = watched();
    runtime
        .add_kit(WatchKit(Arc::clone(&calls)))
        .expect("it is added once");
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        taken(&calls)
            .iter()
            .filter(|call| call.starts_with("kit"))
            .count(),
        2
    );
    runtime.remove_kit::<WatchKit>().expect("it is there");
    runtime.run_frames(1).expect("nothing fails");
    assert!(taken(&calls).iter().all(|call| !call.starts_with("kit")));
}

use crate::prelude::*;
use crate::profile;
use serde::Deserialize;
use std::collections::BTreeMap;

/// A trace as a viewer reads it, with types of its own, so that a wrong key is noticed.
#[derive(Deserialize)]
struct Trace {
    #[serde(rename = "displayTimeUnit")]
    unit: String,
    #[serde(rename = "traceEvents")]
    events: Vec<Event>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Event {
    name: String,
    cat: String,
    ph: String,
    ts: f64,
    dur: Option<f64>,
    pid: u32,
    tid: u32,
    args: Option<serde_json::Value>,
}

fn busy_runtime() -> Runtime {
    let mut runtime = Runtime::new();
    for name in ["sort \"cargo\"", "stack, then lash"] {
        let system = System::named(name).takes::<()>().runs(|()| {
            for _ in 0..3 {
                let _outer = profile::span("outer");
                profile::count("rounds", 1);
                let _inner = profile::span("inner");
            }
        });
        runtime.add_system(system).expect("the names differ");
    }
    runtime.run_frames(5).expect("nothing fails");
    runtime
}

#[test]
fn a_trace_nests_and_says_which_frame() {
    let runtime = busy_runtime();
    let mut written = Vec::new();
    runtime
        .profiler()
        .write_trace(&mut written)
        .expect("there is room");
    let trace: Trace = serde_json::from_slice(&written).expect("it is a trace");
    assert_eq!(trace.unit, "ms");
    let (names, events): (Vec<Event>, Vec<Event>) =
        trace.events.into_iter().partition(|event| event.ph == "M");
    let (counters, events): (Vec<Event>, Vec<Event>) =
        events.into_iter().partition(|event| event.ph == "C");
    for (counter, wanted) in [("entities", 0), ("rounds", 6)] {
        let of_it = counters.iter().filter(|event| event.name == counter);
        let values: Vec<u64> = of_it
            .map(|event| {
                assert_eq!((event.cat.as_str(), event.dur), ("counter", None));
                let value = event.args.as_ref().and_then(|args| args["value"].as_u64());
                value.expect("a counter has a value")
            })
            .collect();
        assert_eq!(values, [wanted; 5]);
    }
    assert_eq!(names.len(), 2);
    let build = if cfg!(debug_assertions) {
        "debug build"
    } else {
        "release build"
    };
    assert_eq!(names[0].name, "process_name");
    assert_eq!(
        names[0].args.as_ref().map(|args| &args["name"]),
        Some(&build.into())
    );
    assert_eq!(
        names[1].args.as_ref().map(|args| &args["name"]),
        Some(&"frame".into())
    );
    let frames = events.iter().filter(|event| event.cat == "frame");
    assert_eq!(frames.clone().count(), 5);
    assert!(frames.clone().all(|event| event.args.is_none()));
    assert_eq!(
        events.iter().filter(|event| event.name == "inner").count(),
        30
    );
    // A span that begins inside another one ends before it.
    let mut open: BTreeMap<u32, Vec<f64>> = BTreeMap::new();
    for event in &events {
        assert!(event.ph == "X" && event.pid == 1);
        let end = event.ts + event.dur.expect("a complete event has a duration");
        let open = open.entry(event.tid).or_default();
        // What ends in the nanosecond in which this begins is not open: sums of decimals are not exact.
        open.retain(|&end| end > event.ts + 0.001);
        assert!(
            open.iter().all(|&outer| end <= outer + 0.001),
            "{} ends too late",
            event.name
        );
        open.push(end);
        if event.cat != "frame" {
            let frame = event.args.as_ref().and_then(|args| args["frame"].as_u64());
            assert!(frame.is_some_and(|frame| (1..=5).contains(&frame)));
        }
    }
}

#[test]
fn a_table_adds_up_to_the_frames() {
    let runtime = busy_runtime();
    let mut written = Vec::new();
    runtime
        .profiler()
        .write_csv(&mut written)
        .expect("there is room");
    let mut reader = csv::Reader::from_reader(written.as_slice());
    let mut frames = [0_u64; 6];
    let mut own = [0_u64; 6];
    let mut names = BTreeMap::new();
    for line in reader.deserialize() {
        let (frame, kind, name, thread, calls, time, self_time, build): (
            usize,
            String,
            String,
            u32,
            u64,
            u64,
            u64,
            String,
        ) = line.expect("it is a line");
        assert_eq!(thread, 0);
        assert_eq!(build == "debug", cfg!(debug_assertions));
        if kind == "frame" {
            frames[frame] = time;
        }
        own[frame] += self_time;
        *names.entry(name).or_insert(0) += calls;
    }
    assert_eq!(frames, own);
    assert_eq!(names["inner"], 30);
    // Quotes and commas in names survive.
    assert_eq!((names["sort \"cargo\""], names["stack, then lash"]), (5, 5));
}

#[test]
fn a_writer_that_fails_is_reported() {
    struct Full;
    impl std::io::Write for Full {
        fn write(&mut self, _: &[u8]) -> std::io::Result<usize> {
            Err(std::io::Error::other("the disk is full"))
        }
        fn flush(&mut self) -> std::io::Result<()> {
            Ok(())
        }
    }
    let runtime = busy_runtime();
    for error in [
        runtime.profiler().write_trace(Full),
        runtime.profiler().write_csv(Full),
    ] {
        assert!(
            error
                .expect_err("it fails")
                .to_string()
                .contains("the disk is full")
        );
    }
}

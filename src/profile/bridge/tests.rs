use super::*;
use crate::prelude::{Runtime, System};
use crate::profile;
use std::sync::{Arc, Mutex};
use tracing::field::{Field, Visit};
use tracing::span::Attributes;
use tracing_subscriber::layer::SubscriberExt;

/// Records opened and closed spans, with their kinds and names.
#[derive(Clone, Default)]
struct Log(Arc<Mutex<Vec<String>>>);

struct Called(String);

impl Visit for Called {
    fn record_str(&mut self, _: &Field, value: &str) {
        self.0 = format!(" {value}");
    }

    fn record_u64(&mut self, _: &Field, value: u64) {
        self.0 = format!(" {value}");
    }

    fn record_debug(&mut self, _: &Field, _: &dyn std::fmt::Debug) {}
}

impl<S: Subscriber + for<'a> LookupSpan<'a>> Layer<S> for Log {
    fn on_new_span(&self, attributes: &Attributes<'_>, _: &Id, _: Context<'_, S>) {
        let mut called = Called(String::new());
        attributes.record(&mut called);
        let line = format!("{}{}", attributes.metadata().name(), called.0);
        self.0.lock().expect("no other thread panics").push(line);
    }

    fn on_exit(&self, id: &Id, context: Context<'_, S>) {
        let name = context.metadata(id).map_or("", |metadata| metadata.name());
        self.0
            .lock()
            .expect("no other thread panics")
            .push(format!("end of {name}"));
    }
}

fn runtime_with(system: impl FnMut(()) + Send + 'static) -> Runtime {
    let mut runtime = Runtime::bare();
    // The subscribers of these tests are those of their threads.
    runtime.set_threads(1).expect("there is one");
    let system = System::named("stow").takes::<()>().runs(system);
    runtime.add_system(system).expect("it is alone");
    runtime
}

#[test]
fn spans_are_reported() {
    let log = Log::default();
    let mut runtime = runtime_with(|()| profile::timed("lash", || ()));
    let subscriber = tracing_subscriber::registry().with(log.clone());
    tracing::subscriber::with_default(subscriber, || runtime.run_frames(1)).expect("nothing fails");
    let lines = log.0.lock().expect("no other thread panics");
    assert_eq!(
        lines.as_slice(),
        [
            "frame 1",
            "phase Simulate",
            "system stow",
            "block lash",
            "end of block",
            "end of system",
            "end of phase",
            "end of frame"
        ]
    );
}

/// The blocks of the first frame: name, depth.
fn blocks(runtime: &Runtime) -> Vec<(String, u32)> {
    let profiler = runtime.profiler();
    let frame = profiler.frames().next().expect("a frame ran");
    let blocks = frame
        .spans()
        .iter()
        .filter(|span| span.category() == Category::Block);
    blocks
        .map(|span| (profiler.name_of(span).to_owned(), span.depth()))
        .collect()
}

fn recorded(mut runtime: Runtime) -> Runtime {
    let subscriber = tracing_subscriber::registry().with(ProfileLayer::new());
    tracing::subscriber::with_default(subscriber, || {
        // Outside of a frame nothing is recorded, and nothing is left over from it.
        let _outside = tracing::info_span!("outside").entered();
        runtime.run_frames(1)
    })
    .expect("nothing fails");
    runtime
}

#[test]
fn both_directions_record_nothing_twice() {
    let runtime = recorded(runtime_with(|()| {
        let _stack = tracing::info_span!("stack").entered();
        let _lash = profile::span("lash");
        let _knot = tracing::info_span!("knot").entered();
    }));
    assert_eq!(
        blocks(&runtime),
        [("knot".into(), 5), ("lash".into(), 4), ("stack".into(), 3)]
    );
}

#[test]
fn spans_that_are_left_out_of_order_still_nest() {
    let runtime = recorded(runtime_with(|()| {
        let outer = tracing::info_span!("outer").entered();
        let inner = tracing::info_span!("inner").entered();
        drop(outer);
        drop(inner);
        drop(tracing::info_span!("next").entered());
    }));
    assert_eq!(
        blocks(&runtime),
        [("inner".into(), 4), ("outer".into(), 3), ("next".into(), 3)]
    );
}

#[test]
fn a_span_that_outlives_the_frame_is_not_recorded() {
    let (sender, receiver) = std::sync::mpsc::channel();
    let runtime = recorded(runtime_with(move |()| {
        sender
            .send(tracing::info_span!("long"))
            .expect("the receiver is alive");
    }));
    let span = receiver.recv().expect("it was sent");
    drop(span.entered());
    assert_eq!(blocks(&runtime), []);
}

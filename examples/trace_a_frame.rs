//! Spans of the runtime reach the subscriber of the program, and spans of the program reach the profile of the frame.

use gerust::prelude::*;
use gerust::profile::{Category, ProfileLayer};
use tracing::field::{Field, Visit};
use tracing::span::Attributes;
use tracing_subscriber::layer::{Context, Layer, SubscriberExt};

/// Prints the frames, phases and systems that begin. A program would use a subscriber that writes a trace file.
struct Printed;

/// The fields of a span, as text.
#[derive(Default)]
struct Fields(String);

impl Visit for Fields {
    fn record_debug(&mut self, field: &Field, value: &dyn std::fmt::Debug) {
        self.0 += &format!(" {field}={value:?}");
    }
}

impl<S: tracing::Subscriber> Layer<S> for Printed {
    fn on_new_span(&self, attributes: &Attributes<'_>, _: &tracing::Id, _: Context<'_, S>) {
        let span = attributes.metadata();
        if span.target() == "gerust" && span.name() != "part" {
            let mut fields = Fields::default();
            attributes.record(&mut fields);
            println!("{}{}", span.name(), fields.0);
        }
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let subscriber = tracing_subscriber::registry()
        .with(Printed)
        .with(ProfileLayer::new());
    // Of the whole program: systems may run on other threads.
    tracing::subscriber::set_global_default(subscriber)?;

    let mut runtime = Runtime::bare();
    let plan = System::named("plan routes").takes::<()>().runs(|()| {
        let _entered = tracing::info_span!("search", trucks = 3).entered();
    });
    runtime.add_system(plan)?;
    runtime.run_frames(2)?;

    for statistic in runtime.profiler().statistics() {
        if statistic.category() == Category::Block {
            let (name, calls) = (statistic.name(), statistic.calls());
            println!("in the profile: {name}, {calls} calls");
        }
    }
    Ok(())
}

//! Messages on standard error besides results: warnings, notes, and on request a log of each step.

use crate::output::printable;
use console::style;
use std::fmt;
use std::io::IsTerminal;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicBool, Ordering};
use tracing::level_filters::LevelFilter;
use tracing::{Event, Level, Subscriber};
use tracing_subscriber::filter::Targets;
use tracing_subscriber::fmt::format::Writer;
use tracing_subscriber::fmt::{FmtContext, FormatEvent, FormatFields};
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::registry::LookupSpan;
use tracing_subscriber::reload::{self, Handle};
use tracing_subscriber::{Layer, Registry};

/// What this crate says, told apart from what a user's own engine says through `tracing`.
const OWN: &str = "gerust_cli";

/// Whether progress is shown.
static SHOWS_PROGRESS: AtomicBool = AtomicBool::new(true);

/// Settings that can change from one command of this process to the next; `None` if the program has a subscriber of its own.
static FILTER: OnceLock<Option<Handle<Targets, Registry>>> = OnceLock::new();

/// The log level, in steps below or above the default.
pub(crate) fn begin(is_quiet: bool, verbosity: u8) {
    SHOWS_PROGRESS.store(!is_quiet && verbosity == 0, Ordering::Relaxed);
    let wanted = wanted(is_quiet, verbosity);
    let handle = FILTER.get_or_init(|| {
        let (filter, handle) = reload::Layer::new(wanted.clone());
        let told = tracing_subscriber::fmt::layer()
            .with_writer(std::io::stderr)
            .event_format(Lines)
            // A failure to write to standard error cannot be reported there.
            .log_internal_errors(false)
            .with_filter(filter);
        let subscriber = tracing_subscriber::registry().with(told);
        let is_ours = tracing::subscriber::set_global_default(subscriber).is_ok();
        is_ours.then_some(handle)
    });
    if let Some(handle) = handle {
        // It fails only if the subscriber has gone, which the program keeps to its end.
        let _ = handle.reload(wanted);
    }
}

/// The arguments that give another process of this program the same verbosity.
pub(crate) fn flags() -> &'static [&'static str] {
    match (
        tracing::enabled!(Level::WARN),
        tracing::enabled!(Level::DEBUG),
        tracing::enabled!(Level::TRACE),
    ) {
        (false, ..) => &["-q"],
        (true, false, _) => &[],
        (true, true, false) => &["-v"],
        (true, true, true) => &["-vv"],
    }
}

fn wanted(is_quiet: bool, verbosity: u8) -> Targets {
    let (own, others) = match (is_quiet, verbosity) {
        (true, _) => (LevelFilter::ERROR, LevelFilter::ERROR),
        (false, 0) => (LevelFilter::INFO, LevelFilter::WARN),
        (false, 1) => (LevelFilter::DEBUG, LevelFilter::INFO),
        (false, _) => (LevelFilter::TRACE, LevelFilter::TRACE),
    };
    Targets::new().with_target(OWN, own).with_default(others)
}

/// Whether a progress bar may be drawn: on a terminal on which nothing else is written meanwhile.
pub(crate) fn shows_progress() -> bool {
    SHOWS_PROGRESS.load(Ordering::Relaxed) && std::io::stderr().is_terminal()
}

/// A line for each event: what it is unless it is a note, who says it unless it is this crate, and what it says.
struct Lines;

impl<S, N> FormatEvent<S, N> for Lines
where
    S: Subscriber + for<'a> LookupSpan<'a>,
    N: for<'a> FormatFields<'a> + 'static,
{
    fn format_event(
        &self,
        context: &FmtContext<'_, S, N>,
        mut writer: Writer<'_>,
        event: &Event<'_>,
    ) -> fmt::Result {
        let meta = event.metadata();
        match *meta.level() {
            Level::ERROR => write!(writer, "{} ", style("error:").for_stderr().red())?,
            Level::WARN => write!(writer, "{} ", style("warning:").for_stderr().yellow())?,
            _ => {}
        }
        if !meta.target().starts_with(OWN) {
            write!(writer, "{}: ", meta.target())?;
        }
        let mut text = String::new();
        context.format_fields(Writer::new(&mut text), event)?;
        writeln!(writer, "{}", printable(&text))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn own_notes_are_printed_and_those_of_others_on_request() {
        let says = |is_quiet, verbosity, target: &str, level: Level| {
            wanted(is_quiet, verbosity).would_enable(target, &level)
        };
        assert!(says(false, 0, "gerust_cli::output", Level::INFO));
        assert!(!says(false, 0, "gerust_cli::output", Level::DEBUG));
        assert!(!says(false, 0, "own_engine", Level::INFO));
        assert!(says(false, 0, "own_engine", Level::WARN));
        assert!(says(false, 1, "own_engine", Level::INFO));
        assert!(says(false, 2, "own_engine", Level::TRACE));
        assert!(!says(true, 0, "gerust_cli", Level::WARN));
        assert!(says(true, 0, "gerust_cli", Level::ERROR));
    }
}

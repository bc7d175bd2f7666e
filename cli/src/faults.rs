//! Shows the faults of a scene file, each with the line it is in.

use crate::output::printable;
use gerust_scene::{Fault, SceneError};
use miette::{
    Diagnostic, GraphicalReportHandler, GraphicalTheme, LabeledSpan, NamedSource, SourceCode,
};
use owo_colors::Style;
use std::fmt;
use std::io::{IsTerminal, Write};

/// Widths between which messages are wrapped.
const NARROWEST: usize = 40;
const WIDEST: usize = 120;
const WIDTH_WITHOUT_TERMINAL: usize = 100;

pub(crate) fn print(error: &SceneError) {
    let faults = error.faults();
    if faults.is_empty() {
        tracing::error!("{error}");
        return;
    }
    let path = error.path().display().to_string();
    let handler = handler();
    for fault in faults {
        let file = fault.path().display().to_string();
        let source = NamedSource::new(printable(&file), harmless(error.text_of(fault)));
        let mut text = String::new();
        // Writing to a string does not fail.
        let _ = handler.render_report(
            &mut text,
            &Shown {
                fault,
                source: &source,
            },
        );
        // If standard error has no reader, the exit code still reports the faults.
        let _ = writeln!(std::io::stderr(), "{text}");
    }
    tracing::error!("{path} has {}; nothing was run", count(faults.len()));
}

/// Replaces control characters by characters of the same length in bytes, so that spans stay valid.
fn harmless(text: &str) -> String {
    let shown = |c: char| match (
        c.is_control() && c != '\n' && c != '\t' && c != '\r',
        c.len_utf8(),
    ) {
        (false, _) => c,
        (true, 1) => '?',
        (true, _) => '\u{b7}',
    };
    text.chars().map(shown).collect()
}

fn count(faults: usize) -> String {
    match faults {
        1 => String::from("1 fault"),
        more => format!("{more} faults"),
    }
}

fn handler() -> GraphicalReportHandler {
    let is_terminal = std::io::stderr().is_terminal();
    let mut theme = GraphicalTheme::unicode_nocolor();
    if is_terminal && std::env::var_os("NO_COLOR").is_none() {
        // Colours that can be read on dark and on light terminals, and no more of them than needed.
        theme.styles.error = Style::new().red().bold();
        theme.styles.link = Style::new().bold();
        theme.styles.help = Style::new().blue().bold();
        theme.styles.highlights = vec![Style::new().red().bold()];
    }
    let width = match is_terminal {
        true => terminal_width().clamp(NARROWEST, WIDEST),
        false => WIDTH_WITHOUT_TERMINAL,
    };
    GraphicalReportHandler::new_themed(theme)
        .with_width(width)
        .with_context_lines(1)
}

struct Shown<'f> {
    fault: &'f Fault,
    source: &'f NamedSource<String>,
}

impl fmt::Display for Shown<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&printable(self.fault.message()))
    }
}

impl fmt::Debug for Shown<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl std::error::Error for Shown<'_> {}

impl Diagnostic for Shown<'_> {
    fn help(&self) -> Option<Box<dyn fmt::Display + '_>> {
        Some(Box::new(printable(self.fault.fix())))
    }

    fn source_code(&self) -> Option<&dyn SourceCode> {
        Some(self.source)
    }

    fn labels(&self) -> Option<Box<dyn Iterator<Item = LabeledSpan> + '_>> {
        let label = LabeledSpan::new_with_span(None, self.fault.span());
        Some(Box::new(std::iter::once(label)))
    }
}

/// The columns of the terminal that standard error is.
fn terminal_width() -> usize {
    let (_, columns) = console::Term::stderr().size();
    match columns {
        0 => WIDTH_WITHOUT_TERMINAL,
        columns => usize::from(columns),
    }
}

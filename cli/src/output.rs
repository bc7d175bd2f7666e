//! Printing, and what several commands print alike.

use crate::allocations;
use crate::arguments::{Format, Threads};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::messages;
use crate::scene_file::SceneFile;
use crate::target::Target;
use comfy_table::Table;
use gerust::suggest;
use gerust::{Entity, Name, Runtime, World};
use gerust_scene::{RecordingWriter, Report, Scene, SceneRun};
use glam::Vec3;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use serde::Serialize;
use std::borrow::Cow;
use std::io::{ErrorKind, Write};
use std::path::Path;
use std::time::{Duration, Instant};
use tracing::{debug, trace};

/// Updates of the progress bar over a whole run.
const PROGRESS_UPDATES: u64 = 100;

/// Prints a text on standard output, with a line end. If the reader has closed the pipe, as `head` does, the
/// rest is dropped and the exit code stays the same.
pub(crate) fn print(text: &str) -> Result<(), Failure> {
    match writeln!(std::io::stdout().lock(), "{}", printable(text.trim_end())) {
        Ok(()) => Ok(()),
        Err(error) if error.kind() == ErrorKind::BrokenPipe => Ok(()),
        Err(error) => Err(Failure::other(format!(
            "standard output cannot be written: {error}"
        ))),
    }
}

/// Escapes all control characters except line ends and tabs, so that names and files cannot send commands to the terminal.
pub(crate) fn printable(text: &str) -> Cow<'_, str> {
    let is_control = |c: char| c.is_control() && c != '\n' && c != '\t';
    match text.contains(is_control) {
        false => Cow::Borrowed(text),
        true => {
            let written_out = |c: char| match is_control(c) {
                true => c.escape_default().to_string(),
                false => c.to_string(),
            };
            Cow::Owned(text.chars().map(written_out).collect())
        }
    }
}

pub(crate) fn print_json(value: &impl Serialize) -> Result<(), Failure> {
    let text = serde_json::to_string_pretty(value)
        .map_err(|error| Failure::other(format!("the summary cannot be written: {error}")))?;
    print(&text)
}

/// Runs a scene to its end and reports the results.
pub(crate) fn run_scene(
    engine: &Engine,
    file: &SceneFile,
    threads: Threads,
    record: Option<&Path>,
) -> Result<(Scene, Report), Failure> {
    warn_of_debug_build();
    let scene = file.load(engine)?;
    let mut run = scene.start(runtime(engine, threads)?)?;
    match record {
        Some(path) => record_run(&mut run, path)?,
        None => advance_to(&mut run, scene.frames())?,
    }
    let report = run.report();
    Ok((scene, report))
}

/// Runs a scene to its end and writes each frame into a file. If a system fails, the frames before it are kept.
fn record_run(run: &mut SceneRun, path: &Path) -> Result<(), Failure> {
    let cannot = |error: std::io::Error| unwritable(path, &error);
    let target = Target::new(path, run.scene().files_read())?;
    let mut writer = RecordingWriter::begin(target, run).map_err(cannot)?;
    let title = run.scene().title().to_owned();
    let outcome = with_progress(&title, run.scene().frames(), |_| match run.run_frame()? {
        true => writer.note(run).map_err(cannot),
        false => Ok(()),
    });
    // Frames that ran before a system failed are worth keeping.
    if matches!(outcome, Ok(()) | Err(Failure::Runtime(_))) {
        writer.finish(run).map_err(cannot)?.finish()?;
    }
    outcome
}

/// Logs that a file was written.
pub(crate) fn note_written(path: &Path) {
    let size = std::fs::metadata(path).map_or(0, |file| file.len());
    debug!("wrote {}, {}", path.display(), bytes(size as usize));
}

pub(crate) fn unwritable(path: &Path, error: &std::io::Error) -> Failure {
    Failure::other(format!(
        "{} cannot be written: {error}; name a file in a folder that is there",
        path.display()
    ))
}

/// Runs a scene up to a frame, or goes to that frame of a recording, and inspects it. Default: the last frame.
pub(crate) fn look_at(
    engine: &Engine,
    file: &SceneFile,
    at: Option<u64>,
    look: impl FnOnce(&Seen<'_>) -> Result<(), Failure>,
) -> Result<(), Failure> {
    look_with(engine, file, Threads::default(), at, look)
}

/// The same, with the given number of threads.
pub(crate) fn look_with(
    engine: &Engine,
    file: &SceneFile,
    threads: Threads,
    at: Option<u64>,
    look: impl FnOnce(&Seen<'_>) -> Result<(), Failure>,
) -> Result<(), Failure> {
    let file_name = file.path().display().to_string();
    if let Some(recording) = file.recording()? {
        let frame = at.unwrap_or(recording.last_frame());
        let mut runtime = runtime(engine, threads)?;
        recording.restore_into(&mut runtime, engine.registry(), frame)?;
        return look(&Seen {
            file: file_name,
            runtime: &runtime,
            frame,
            is_recorded: true,
            events: recording.events(frame)?,
        });
    }
    let scene = file.load(engine)?;
    let frame = frame_within(&scene, at)?;
    let mut run = scene.start(runtime(engine, threads)?)?;
    advance_to(&mut run, frame)?;
    look(&Seen {
        file: file_name,
        runtime: run.runtime(),
        frame,
        is_recorded: false,
        events: run.events(),
    })
}

/// A scene or a recording after one of its frames.
pub(crate) struct Seen<'r> {
    /// The file as it was given.
    pub(crate) file: String,
    pub(crate) runtime: &'r Runtime,
    pub(crate) frame: u64,
    /// Whether it was read from a recording, so that nothing ran.
    pub(crate) is_recorded: bool,
    /// The events of the frame, by name.
    pub(crate) events: Vec<(String, gerust::Datum)>,
}

impl Seen<'_> {
    pub(crate) fn world(&self) -> &World {
        self.runtime.world()
    }
}

/// Prints what was seen, for people or for programs.
pub(crate) fn show<V: Serialize>(
    view: &V,
    format: Format,
    text: impl FnOnce(&V) -> String,
) -> Result<(), Failure> {
    match format {
        Format::Text => print(&text(view)),
        Format::Json => print_json(view),
    }
}

/// Three coordinates in columns of seven, with two decimals.
pub(crate) fn triple(vector: Vec3) -> String {
    // Plus nothing, so that no negative zero is shown.
    let number = |value: f32| format!("{:.2}", (value * 100.0).round() / 100.0 + 0.0);
    format!(
        "{:>7} {:>7} {:>7}",
        number(vector.x),
        number(vector.y),
        number(vector.z)
    )
}

/// The requested frame. Default: the last one.
pub(crate) fn frame_within(scene: &Scene, at: Option<u64>) -> Result<u64, Failure> {
    match at {
        Some(frame) if frame > scene.frames() => Err(Failure::other(format!(
            "frame {frame} cannot be asked about: the scene has {} frames; choose one up to that",
            scene.frames()
        ))),
        at => Ok(at.unwrap_or(scene.frames())),
    }
}

/// A runtime of an engine with the given number of threads.
pub(crate) fn runtime(engine: &Engine, threads: Threads) -> Result<Runtime, Failure> {
    let mut runtime = engine.runtime()?;
    if let Some(threads) = threads.number() {
        runtime.set_threads(threads)?;
    }
    allocations::count(&mut runtime);
    Ok(runtime)
}

/// Says on standard error that times of a debug build mean little.
pub(crate) fn warn_of_debug_build() {
    if is_debug_build() {
        tracing::warn!(
            "this is a debug build, many times slower than a release build; use `cargo run --release`"
        );
    }
}

/// Runs a scene up to a frame, with a progress bar if standard error is a terminal.
pub(crate) fn advance_to(run: &mut SceneRun, frames: u64) -> Result<(), Failure> {
    let title = run.scene().title().to_owned();
    let left = frames.saturating_sub(run.frame());
    with_progress(&title, left, |_| {
        run.run_frame()?;
        Ok(())
    })
}

/// A progress bar on standard error, which is hidden if that is no terminal.
pub(crate) fn progress_bar(title: &str, length: u64) -> ProgressBar {
    let bar = ProgressBar::with_draw_target(Some(length), ProgressDrawTarget::stderr());
    if !messages::shows_progress() {
        bar.set_draw_target(ProgressDrawTarget::hidden());
    }
    let style = ProgressStyle::with_template("{msg} {wide_bar} {pos} of {len}");
    bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
    bar.set_message(title.to_owned());
    bar
}

/// Does something so often, with a progress bar if standard error is a terminal.
pub(crate) fn with_progress(
    title: &str,
    frames: u64,
    mut advance: impl FnMut(u64) -> Result<(), Failure>,
) -> Result<(), Failure> {
    let bar = progress_bar(title, frames);
    // Drawing each frame would cost more than running it.
    let between = (frames / PROGRESS_UPDATES).max(1);
    let start = Instant::now();
    let outcome = (0..frames).try_for_each(|frame| {
        if frame.is_multiple_of(between) {
            bar.set_position(frame);
        }
        trace!("{title}: {} of {frames}", frame + 1);
        advance(frame)
    });
    bar.finish_and_clear();
    debug!("{title}: {frames} frames in {}", time(start.elapsed()));
    outcome
}

/// A time with three significant digits, in ms or, below that, µs.
pub(crate) fn time(duration: Duration) -> String {
    let microseconds = duration.as_secs_f64() * 1e6;
    // Numbers that would be rounded up to one more digit go by the next line.
    match microseconds {
        small if small < 9.995 => format!("{small:.2} µs"),
        small if small < 99.95 => format!("{small:.1} µs"),
        small if small < 999.5 => format!("{small:.0} µs"),
        large if large < 9_995.0 => format!("{:.2} ms", large / 1e3),
        large if large < 99_950.0 => format!("{:.1} ms", large / 1e3),
        large => format!("{:.0} ms", large / 1e3),
    }
}

/// A number of bytes with three digits.
pub(crate) fn bytes(count: usize) -> String {
    match count as f64 {
        few if few < 1024.0 => format!("{few} B"),
        some if some < 1024.0 * 1024.0 => format!("{:.1} KiB", some / 1024.0),
        many => format!("{:.1} MiB", many / (1024.0 * 1024.0)),
    }
}

pub(crate) fn milliseconds(duration: Duration) -> f64 {
    duration.as_secs_f64() * 1e3
}

/// A share of the frame budget.
pub(crate) fn share(share: f64) -> String {
    let percent = share * 100.0;
    match percent {
        trace if trace < 0.005 => String::from("<0.01 %"),
        tiny if tiny < 1.0 => format!("{tiny:.2} %"),
        small if small < 10.0 => format!("{small:.1} %"),
        large => format!("{large:.0} %"),
    }
}

/// Whether the runtime is a debug build, whose times mean little.
pub(crate) fn is_debug_build() -> bool {
    gerust::profile::build() == "debug"
}

/// How many of the frames that were measured took longer than the budget.
pub(crate) fn over_budget(report: &Report) -> String {
    format!(
        "{} of {} frames over",
        report.frames_over_budget(),
        report.frames_profiled()
    )
}

/// Which frames the times are not of, if they are not of all.
pub(crate) fn left_out(report: &Report) -> Option<String> {
    let left_out = report.frames() - report.frames_profiled() as u64;
    match (left_out, report.warm_up()) {
        (0, _) => None,
        (all, warm_up) if all == warm_up => Some(format!("{warm_up} more were warm-up")),
        (_, warm_up) => Some(format!(
            "only the last were kept, and {warm_up} were warm-up"
        )),
    }
}

/// A table as text, without the blanks that fill its last column.
pub(crate) fn without_trailing_blanks(table: &Table) -> String {
    let lines = table.lines().map(|line| line.trim_end().to_owned());
    lines.collect::<Vec<_>>().join("\n")
}

/// The widest line of plain text.
const WIDEST_LINE: usize = 80;

/// A text with a prefix, broken at blanks so that it stays within 80 columns; later lines are indented. With a line end.
/// Numbers stay with their units.
pub(crate) fn wrapped(text: &str, prefix: &str, indent: usize) -> String {
    const UNITS: [&str; 6] = ["%", "ns", "µs", "ms", "KiB", "MiB"];
    let indent = " ".repeat(indent);
    let options = textwrap::Options::new(WIDEST_LINE)
        .initial_indent(prefix)
        .subsequent_indent(&indent)
        .word_splitter(textwrap::WordSplitter::NoHyphenation)
        .break_words(false);
    let tied = UNITS.iter().fold(text.to_owned(), |text, unit| {
        text.replace(&format!(" {unit}"), &format!("{TIE}{unit}"))
    });
    textwrap::fill(&tied, options).replace(TIE, " ") + "\n"
}

/// A blank at which no line is broken.
const TIE: char = '\u{a0}';

/// A name cut to a number of columns.
pub(crate) fn shortened(name: &str, columns: usize) -> String {
    if name.chars().count() <= columns {
        return name.to_owned();
    }
    let mut short: String = name.chars().take(columns.saturating_sub(1)).collect();
    short.push('…');
    short
}

/// The entity of a name.
pub(crate) fn find(seen: &Seen<'_>, name: &str) -> Result<Entity, Failure> {
    let world = seen.world();
    world
        .find(name)
        .ok_or_else(|| no_entity(world, name, seen.frame))
}

fn no_entity(world: &World, name: &str, frame: u64) -> Failure {
    let rows = world.rows::<&Name>();
    let fix = suggest(name, "names", rows.iter().map(Name::as_str));
    Failure::other(format!(
        "unknown entity `{name}` after frame {frame}; {fix}; choose one, or another frame with `--at`"
    ))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_have_three_digits() {
        let told = |nanoseconds| time(Duration::from_nanos(nanoseconds));
        assert_eq!(told(9_994), "9.99 µs");
        assert_eq!(told(9_996), "10.0 µs");
        assert_eq!(told(99_960), "100 µs");
        assert_eq!(told(999_600), "1.00 ms");
        assert_eq!(told(9_996_000), "10.0 ms");
        assert_eq!(told(99_960_000), "100 ms");
    }

    #[test]
    fn control_characters_are_escaped() {
        let text = "a\u{1b}[31m\tb\r\u{9b}\nc";
        assert_eq!(printable(text), "a\\u{1b}[31m\tb\\r\\u{9b}\nc");
        assert!(matches!(printable("plain µs"), Cow::Borrowed(_)));
    }

    #[test]
    fn numbers_stay_with_their_units() {
        let text = format!("{} 12 ms", "x".repeat(75));
        assert_eq!(
            wrapped(&text, "", 2),
            format!("{}\n  12 ms\n", "x".repeat(75))
        );
    }
}

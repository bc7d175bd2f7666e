//! `gerust watch`: a live view in the terminal.

mod app;
mod keys;
mod picture;
mod view;
mod watched;

use crate::Verdict;
use crate::arguments::{ViewArgument, WatchCommand};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::messages;
use crate::output;
use crate::target::Target;
use app::App;
use keys::Waited;
use picture::View;
use ratatui::DefaultTerminal;
use ratatui::crossterm::event::{self, Event, KeyEventKind};
use signal_hook::consts::TERM_SIGNALS;
use signal_hook::flag;
use std::io::IsTerminal;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use view::Palette;
use watched::Watched;

/// How long keys are waited for before the next look.
const BETWEEN_LOOKS: Duration = Duration::from_millis(33);

pub(crate) fn run(engine: &Engine, command: &WatchCommand) -> Verdict {
    if !std::io::stdout().is_terminal() || !std::io::stdin().is_terminal() {
        return Err(Failure::other(
            "watching takes a terminal for keys and pictures; use `run`, `draw` or `inspect` where there is none",
        ));
    }
    let view = match command.view {
        ViewArgument::Side => View::Side,
        ViewArgument::Top => View::Top,
    };
    if let Some(recording) = command.scene.recording()? {
        if command.record.is_some() {
            return Err(Failure::other(
                "this is a recording already; leave `--record` out",
            ));
        }
        let watched = Watched::recorded(engine, recording)?;
        let app = App::new(watched, view)?;
        watch(app)?;
        return Ok(true);
    }
    let scene = command.scene.load(engine)?;
    let record = command.record.as_deref();
    let target = record
        .map(|path| Target::new(path, scene.files_read()))
        .transpose()?;
    let run = scene.start(output::runtime(engine, command.threads)?)?;
    let app = App::new(Watched::live(engine, run)?, view)?;
    let (app, outcome) = watch_to_end(app);
    // The recording is kept, however the run ended.
    if let Some(target) = target {
        app.watched.keep(target)?;
    }
    outcome?;
    Ok(true)
}

fn watch(app: App<'_>) -> Result<(), Failure> {
    watch_to_end(app).1
}

/// The terminal is put back as it was after any exit: a panic does so by a hook, and a signal ends it as a key would, and so does a
/// terminal that goes away.
fn watch_to_end(mut app: App<'_>) -> (App<'_>, Result<(), Failure>) {
    // Log messages would be written across the picture.
    messages::begin(true, 0);
    let outcome = match ratatui::try_init() {
        Ok(mut terminal) => {
            let outcome = look_and_listen(&mut terminal, &mut app);
            if ratatui::try_restore().is_err() {
                // The terminal has gone. Dropping its handle would try again to restore it, and panic when it reports the failure on
                // a standard error that has gone as well.
                std::mem::forget(terminal);
            }
            outcome
        }
        Err(error) => Err(Failure::other(format!(
            "the terminal cannot be used: {error}"
        ))),
    };
    (app, outcome)
}

/// Becomes true when the program is asked to end.
fn ended_by_signals() -> std::io::Result<Arc<AtomicBool>> {
    let is_asked = Arc::new(AtomicBool::new(false));
    #[cfg(unix)]
    flag::register(signal_hook::consts::SIGHUP, is_asked.clone())?;
    for &signal in TERM_SIGNALS {
        flag::register(signal, is_asked.clone())?;
    }
    Ok(is_asked)
}

fn look_and_listen(terminal: &mut DefaultTerminal, app: &mut App<'_>) -> Result<(), Failure> {
    let cannot =
        |error: std::io::Error| Failure::other(format!("the terminal cannot be used: {error}"));
    let palette = Palette::of_environment();
    let is_asked_to_end = ended_by_signals().map_err(cannot)?;
    let mut looked = Instant::now();
    while !app.is_over && !is_asked_to_end.load(Ordering::Relaxed) {
        app.look();
        terminal
            .draw(|frame| view::draw(frame, app, palette))
            .map_err(cannot)?;
        let until = Instant::now() + BETWEEN_LOOKS;
        while Instant::now() < until && !app.is_over {
            match keys::wait_until(until).map_err(cannot)? {
                Waited::InVain => break,
                Waited::Gone => return Ok(()),
                Waited::ForSomething => {}
            }
            while event::poll(Duration::ZERO).map_err(cannot)? {
                if let Event::Key(key) = event::read().map_err(cannot)?
                    && key.kind != KeyEventKind::Release
                {
                    app.handle(key)?;
                }
            }
        }
        let now = Instant::now();
        app.pass(now - looked)?;
        looked = now;
    }
    Ok(())
}

#[cfg(test)]
mod tests;

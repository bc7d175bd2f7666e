//! `gerust report`: a self-contained page about a run.

mod change;
mod kept;
mod page;
mod playback;
mod threads;
mod times;
mod watcher;

use crate::Verdict;
use crate::arguments::{Measuring, ReportCommand, Threads};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::inspect::{AllocationsView, MemoryView, PlanOf, PlanView, RecordingView};
use crate::output::{self, wrapped};
use crate::picture::extension_of;
use crate::profile::{self, Profile};
use crate::run::Summary;
use crate::target::Target;
use gerust_scene::{Recording, Scene};
use page::{ComparisonView, Page};
use playback::PlaybackView;
use std::path::Path;
use threads::ThreadsView;
use times::TimesView;

pub(crate) fn run(engine: &Engine, command: &ReportCommand) -> Verdict {
    refuse_bad_name(&command.output)?;
    if let Some(recording) = command.scene.recording()? {
        return of_recording(engine, command, &recording);
    }
    let before = match &command.measuring.against {
        Some(path) => Some(profile::read_recorded(path)?),
        None => None,
    };
    output::warn_of_debug_build();
    let scene = command.scene.load(engine)?;
    let against = command.measuring.against.as_deref();
    let target = Target::new(&command.output, scene.files_read().chain(against))?;
    let mut run = profile::start(engine, &command.measuring, &scene, before.is_some())?;
    output::advance_to(&mut run, scene.frames())?;
    // Reading the world between frames would add to their times, so the scene runs a second time for that.
    let seen = look_through(engine, command, &scene)?;
    let profiler = run.runtime().profiler();
    let profile = Profile::of(run.report(), profiler);
    let plan = run.runtime().schedule().plan()?;
    let findings = run.runtime().findings()?;
    let comparison = match &before {
        Some(before) => {
            let after = profile::recorded(&run, &scene)?;
            Some(ComparisonView::new(before, &after))
        }
        None => None,
    };
    let page = Page {
        version: env!("CARGO_PKG_VERSION"),
        run: Summary::new(scene.path(), &profile.report),
        recording: None,
        profile: profile::Summary::new(scene.path(), run.runtime().threads(), &profile),
        times: TimesView::of(profiler, before.as_ref()),
        threads: ThreadsView::of(profiler, &plan),
        playback: seen.playback,
        plan: PlanView::new(
            PlanOf::scene(&scene, scene.frames()),
            run.runtime(),
            &plan,
            Some(&findings),
        ),
        memory: seen.memory,
        comparison,
    };
    write(command, target, &page)?;
    Ok(profile.report.all_held())
}

/// Writes the page of a recording. Nothing runs, so the times are those that were recorded.
fn of_recording(engine: &Engine, command: &ReportCommand, recording: &Recording) -> Verdict {
    refuse_measuring(&command.measuring)?;
    let target = Target::new(&command.output, [recording.path()])?;
    let mut runtime = output::runtime(engine, Threads::default())?;
    let registry = engine.registry();
    recording.restore_into(&mut runtime, registry, 0)?;
    let before = runtime.world().memory();
    let playback = PlaybackView::of_recording(recording, &mut runtime, registry, command.every)?;
    let frame = recording.last_frame();
    let times = runtime.profiler_mut();
    times.keep_frames(usize::try_from(frame + 1).unwrap_or(usize::MAX));
    recording.add_times_to(times)?;
    profile::set_budgets(&mut runtime, &command.measuring.budget)?;
    let profiler = runtime.profiler();
    let profile = Profile::of(recording.report(&runtime), profiler);
    let plan = runtime.schedule().plan()?;
    let of = PlanOf {
        file: recording.path().display().to_string(),
        title: recording.title(),
        frames: frame,
    };
    let page = Page {
        version: env!("CARGO_PKG_VERSION"),
        run: Summary::of_recording(recording, &profile.report),
        recording: Some(RecordingView::new(recording)),
        profile: profile::Summary::new(recording.path(), runtime.threads(), &profile),
        times: TimesView::of(profiler, None),
        threads: ThreadsView::of(profiler, &plan),
        playback,
        plan: PlanView::new(of, &runtime, &plan, None),
        memory: MemoryView::new(&command.scene, runtime.world(), frame, &before),
        comparison: None,
    };
    write(command, target, &page)?;
    Ok(page.run.failed == 0)
}

/// Refuses options about measuring: a recording has its times already.
fn refuse_measuring(measuring: &Measuring) -> Result<(), Failure> {
    let given = [
        ("--against", measuring.against.is_some()),
        ("--warm-up", measuring.warm_up.is_some()),
        ("--threads", measuring.threads.number().is_some()),
    ];
    match given.iter().find(|(_, is_given)| *is_given) {
        Some((option, _)) => Err(Failure::other(format!(
            "{option} has no meaning for a recording, which is not run; leave it out, or report the scene"
        ))),
        None => Ok(()),
    }
}

fn write(command: &ReportCommand, target: Target, page: &Page<'_>) -> Result<(), Failure> {
    let html = page.html()?;
    target.write(html.as_bytes())?;
    output::print(&told(command, page, html.len()))
}

/// Errors in the name are reported before a long scene runs.
fn refuse_bad_name(path: &Path) -> Result<(), Failure> {
    if !matches!(extension_of(path).as_deref(), Some("html" | "htm")) {
        return Err(Failure::other(format!(
            "{} is no .html, and a report is a page; end the name with it",
            path.display()
        )));
    }
    let folder = path
        .parent()
        .filter(|folder| !folder.as_os_str().is_empty());
    match folder {
        Some(folder) if !folder.is_dir() => Err(Failure::other(format!(
            "{} cannot be written: there is no folder {}; make it, or name a file in another",
            path.display(),
            folder.display()
        ))),
        _ => Ok(()),
    }
}

/// The data read from a run after each of its frames.
struct Seen {
    playback: PlaybackView,
    memory: MemoryView,
}

fn look_through(engine: &Engine, command: &ReportCommand, scene: &Scene) -> Result<Seen, Failure> {
    let mut run = scene.start(output::runtime(engine, Threads::default())?)?;
    let before = run.runtime().world().memory();
    let playback = PlaybackView::record(&mut run, command.every)?;
    let mut memory = MemoryView::new(&command.scene, run.runtime().world(), run.frame(), &before);
    memory.allocations = AllocationsView::count(run.runtime_mut())?;
    Ok(Seen { playback, memory })
}

/// A few lines about the written page and the expectations.
fn told(command: &ReportCommand, page: &Page<'_>, bytes: usize) -> String {
    let mut text = wrapped(
        &format!(
            "wrote {}, {}",
            command.output.display(),
            output::bytes(bytes)
        ),
        "",
        2,
    );
    if page.recording.is_none() || page.run.held + page.run.failed > 0 {
        text += &format!(
            "  expectations  {} held, {} failed\n",
            page.run.held, page.run.failed
        );
    }
    text += &format!("  frames        {}", page.run.frames);
    match page.playback.every {
        1 => {}
        every => text += &format!(", one in {every} of them stored"),
    }
    text
}

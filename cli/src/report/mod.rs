//! `gerust report`: a self-contained page about a run.

mod change;
mod kept;
mod page;
mod playback;
mod threads;
mod times;
mod watcher;

use crate::Verdict;
use crate::arguments::{ReportCommand, Threads};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::inspect::{AllocationsView, MemoryView, PlanOf, PlanView};
use crate::output::{self, wrapped};
use crate::picture::extension_of;
use crate::profile::{self, Profile};
use crate::run::Summary;
use crate::target::Target;
use gerust_scene::Scene;
use page::{ComparisonView, Page};
use playback::PlaybackView;
use std::path::Path;
use threads::ThreadsView;
use times::TimesView;

pub(crate) fn run(engine: &Engine, command: &ReportCommand) -> Verdict {
    output::warn_of_debug_build();
    refuse_bad_name(&command.output)?;
    let before = match &command.measuring.against {
        Some(path) => Some(profile::read_recorded(path)?),
        None => None,
    };
    let scene = command.scene.load(engine)?;
    let against = command.measuring.against.as_deref();
    let target = Target::new(&command.output, scene.files_read().chain(against))?;
    let mut run = profile::start(engine, &command.measuring, &scene, before.is_some())?;
    output::advance_to(&mut run, scene.frames())?;
    // Reading the world between frames would add to their times, so the scene runs a second time for that.
    let seen = look_through(engine, command, &scene)?;
    let profile = Profile::of(&run);
    let plan = run.runtime().schedule().plan()?;
    let findings = run.runtime().findings()?;
    let comparison = match &before {
        Some(before) => {
            let after = profile::recorded(&run, &scene)?;
            Some(ComparisonView::new(before, &after))
        }
        None => None,
    };
    let report = run.report();
    let page = Page {
        version: env!("CARGO_PKG_VERSION"),
        run: Summary::new(&scene, &report),
        profile: profile::Summary::new(&scene, &run, &profile),
        times: TimesView::of(&run, before.as_ref()),
        threads: ThreadsView::of(&run, &plan),
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
    let html = page.html()?;
    target.write(html.as_bytes())?;
    output::print(&told(command, &page, html.len()))?;
    Ok(report.all_held())
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
    text += &format!(
        "  expectations  {} held, {} failed\n  frames        {}",
        page.run.held, page.run.failed, page.run.frames
    );
    match page.playback.every {
        1 => {}
        every => text += &format!(", one in {every} of them stored"),
    }
    text
}

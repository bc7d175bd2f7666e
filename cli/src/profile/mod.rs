//! `gerust profile`: runs a scene, or two of them in turn, and tells where the time went.

mod budgets;
mod compare;
mod in_turn;
mod machine;
mod plot;
mod summary;
mod text;

pub(crate) use budgets::BudgetOption;
pub(crate) use compare::{
    ComparisonSummary, ONE_AFTER_THE_OTHER, between_apart, read as read_recorded,
};
pub(crate) use plot::{FrameTimes, Order, PartKind, Timeline};
pub(crate) use summary::{Profile, Summary};

use crate::Verdict;
use crate::arguments::{Measuring, ProfileCommand};
use crate::engine::Engine;
use crate::output;
use crate::trouble::Trouble;
use gerust::profile::{CounterKind, Profiler, RecordedProfile};
use gerust::scene::{Scene, SceneRun};
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::Path;

pub(crate) fn run(engine: &Engine, command: &ProfileCommand) -> Verdict {
    output::warn_of_debug_build();
    // What is wrong with a picture's name or with a file to compare with is told before a long scene is run for nothing.
    let pictures = match &command.plot {
        Some(path) => Some(plot::Pictures::new(path)?),
        None => None,
    };
    let before = match &command.measuring.against {
        Some(path) => Some(compare::read(path)?),
        None => None,
    };
    let scene = command.scene.load(engine)?;
    if let Some(other) = &command.versus {
        return in_turn::run(engine, command, &scene, other);
    }
    let keeps_pace = command.save.is_some() || command.measuring.against.is_some();
    let mut run = start(engine, &command.measuring, &scene, keeps_pace)?;
    output::advance_to(&mut run, scene.frames())?;
    write_files(command, &scene, &run)?;
    if let Some(pictures) = pictures {
        pictures.paint(&run, command)?;
    }
    match before {
        Some(before) => {
            let after = recorded(&run, &scene)?;
            compare::tell_apart(command, &before, &after)?;
        }
        None => summary::tell(command, &scene, &run)?,
    }
    // What the scene expects is the business of `run`: a profile of a scene that fails is still a profile.
    Ok(true)
}

/// A run of the scene that is measured as the command wants, and, where runs are compared that are far apart in time, with the pace
/// of the machine.
pub(crate) fn start<'s>(
    engine: &Engine,
    measuring: &Measuring,
    scene: &'s Scene,
    keeps_pace: bool,
) -> Result<SceneRun<'s>, Trouble> {
    let mut runtime = output::runtime(engine, measuring.threads)?;
    let resident = || memory_stats::memory_stats().map_or(0, |memory| memory.physical_mem as u64);
    let profiler = runtime.profiler_mut();
    profiler.add_counter(RESIDENT, CounterKind::Level, resident);
    if keeps_pace {
        let profiler = runtime.profiler_mut();
        profiler.add_counter(machine::PACE, CounterKind::Level, machine::pace);
    }
    let mut run = scene.start(runtime)?;
    budgets::set(&mut run, &measuring.budget)?;
    if let Some(frames) = measuring.warm_up {
        if frames >= scene.frames() {
            return Err(Trouble::other(format!(
                "after {frames} frames of warm-up none of {} is left; choose fewer with `--warm-up`",
                scene.frames()
            )));
        }
        run.runtime_mut().profiler_mut().set_warm_up(frames);
    }
    Ok(run)
}

const RESIDENT: &str = "resident memory";

pub(crate) fn recorded(run: &SceneRun<'_>, scene: &Scene) -> Result<RecordedProfile, Trouble> {
    let recorded = RecordedProfile::of(run.runtime().profiler());
    machine::describe(recorded, run, scene)
}

fn write_files(command: &ProfileCommand, scene: &Scene, run: &SceneRun<'_>) -> Result<(), Trouble> {
    let profiler: &Profiler = run.runtime().profiler();
    if let Some(path) = &command.trace {
        write(path, |file| profiler.write_trace(file))?;
    }
    if let Some(path) = &command.csv {
        write(path, |file| profiler.write_csv(file))?;
    }
    if let Some(path) = &command.save {
        let recorded = recorded(run, scene)?;
        write(path, |file| recorded.write(file))?;
    }
    Ok(())
}

/// Writes a file, and leaves none behind that is not whole.
fn write(
    path: &Path,
    contents: impl FnOnce(&mut BufWriter<File>) -> io::Result<()>,
) -> Result<(), Trouble> {
    let cannot = |error: io::Error| {
        Trouble::other(format!(
            "{} cannot be written: {error}; check the directory",
            path.display()
        ))
    };
    let mut file = BufWriter::new(File::create(path).map_err(cannot)?);
    let written = contents(&mut file).and_then(|()| file.flush());
    written.map_err(|error| {
        // What is left of it would look like a profile.
        let _ = std::fs::remove_file(path);
        cannot(error)
    })?;
    output::note_written(path);
    Ok(())
}

//! `gerust profile`: runs a scene, or two of them in turn, and tells where the time went.

mod budgets;
mod compare;
mod in_turn;
mod machine;
mod plot;
mod summary;
mod text;

pub(crate) use budgets::{BudgetOption, set as set_budgets};
pub(crate) use compare::{
    ComparisonSummary, ONE_AFTER_THE_OTHER, between_apart, read as read_recorded,
};
pub(crate) use plot::{FrameTimes, Order, PartKind, Timeline};
pub(crate) use summary::{Profile, Summary};

use crate::Verdict;
use crate::arguments::{Measuring, ProfileCommand};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output;
use crate::target::Target;
use gerust::profile::{CounterKind, Profiler, RecordedProfile};
use gerust_scene::{Scene, SceneRun};
use std::path::{Path, PathBuf};

pub(crate) fn run(engine: &Engine, command: &ProfileCommand) -> Verdict {
    output::warn_of_debug_build();
    // Errors in the name of a picture or in a file to compare with are reported before a long scene runs.
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
    let files = Files::new(command, &scene)?;
    let pictures = match pictures {
        Some(pictures) => Some(pictures.claimed(files_read(command, &scene))?),
        None => None,
    };
    let keeps_pace = command.save.is_some() || command.measuring.against.is_some();
    let mut run = start(engine, &command.measuring, &scene, keeps_pace)?;
    output::advance_to(&mut run, scene.frames())?;
    files.write(&scene, &run)?;
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
pub(crate) fn start(
    engine: &Engine,
    measuring: &Measuring,
    scene: &Scene,
    keeps_pace: bool,
) -> Result<SceneRun, Failure> {
    let mut runtime = output::runtime(engine, measuring.threads)?;
    let resident = || memory_stats::memory_stats().map_or(0, |memory| memory.physical_mem as u64);
    let profiler = runtime.profiler_mut();
    profiler.add_counter(RESIDENT, CounterKind::Level, resident);
    if keeps_pace {
        let profiler = runtime.profiler_mut();
        profiler.add_counter(machine::PACE, CounterKind::Level, machine::pace);
    }
    let mut run = scene.start(runtime)?;
    budgets::set(run.runtime_mut(), &measuring.budget)?;
    if let Some(frames) = measuring.warm_up {
        if frames >= scene.frames() {
            return Err(Failure::other(format!(
                "after {frames} frames of warm-up none of {} is left; choose fewer with `--warm-up`",
                scene.frames()
            )));
        }
        run.runtime_mut().profiler_mut().set_warm_up(frames);
    }
    Ok(run)
}

const RESIDENT: &str = "resident memory";

pub(crate) fn recorded(run: &SceneRun, scene: &Scene) -> Result<RecordedProfile, Failure> {
    let recorded = RecordedProfile::of(run.runtime().profiler());
    machine::describe(recorded, run, scene)
}

/// The inputs of a profile: the scene, and the profile with which it is compared.
fn files_read<'c>(
    command: &'c ProfileCommand,
    scene: &'c Scene,
) -> impl Iterator<Item = &'c Path> + Clone + use<'c> {
    scene
        .files_read()
        .chain(command.measuring.against.as_deref())
}

/// The files that a profile is written into.
struct Files {
    trace: Option<Target>,
    csv: Option<Target>,
    save: Option<Target>,
}

impl Files {
    fn new(command: &ProfileCommand, scene: &Scene) -> Result<Self, Failure> {
        let target = |path: &Option<PathBuf>| {
            let path = path.as_deref();
            let target = path.map(|path| Target::new(path, files_read(command, scene)));
            target.transpose()
        };
        Ok(Self {
            trace: target(&command.trace)?,
            csv: target(&command.csv)?,
            save: target(&command.save)?,
        })
    }

    fn write(self, scene: &Scene, run: &SceneRun) -> Result<(), Failure> {
        let profiler: &Profiler = run.runtime().profiler();
        if let Some(target) = self.trace {
            target.write_with(|file| profiler.write_trace(file))?;
        }
        if let Some(target) = self.csv {
            target.write_with(|file| profiler.write_csv(file))?;
        }
        if let Some(target) = self.save {
            let recorded = recorded(run, scene)?;
            target.write_with(|file| recorded.write(file))?;
        }
        Ok(())
    }
}

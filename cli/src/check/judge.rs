//! Runs scenes, several at the same time, each on one thread.

use super::find::Found;
use super::judged::{Check, Judged, Judgement, Ran};
use super::watchdog::Watchdog;
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output;
use gerust_scene::{Outcome, Registry, Scene};
use indicatif::ParallelProgressIterator;
use rayon::prelude::*;
use std::path::PathBuf;
use std::time::Instant;

/// Runs all scenes, and returns their results in the same order.
pub(super) fn all(
    scenes: &[Found],
    jobs: Option<u16>,
    watchdog: &Watchdog<'_>,
) -> Result<Vec<Judged>, Failure> {
    let jobs = jobs.map_or(0, usize::from);
    let pool = rayon::ThreadPoolBuilder::new()
        .num_threads(jobs)
        .build()
        .map_err(|error| {
            Failure::other(format!(
                "cannot run {jobs} scenes at the same time: {error}; choose fewer with `--jobs`"
            ))
        })?;
    let bar = output::progress_bar("scenes", scenes.len() as u64);
    let judged = pool.install(|| {
        let scenes = scenes.into_par_iter().progress_with(bar.clone());
        scenes
            .map(|found| {
                let judged = watchdog.judge(found);
                tracing::debug!(
                    "ran {} in {}",
                    found.path.display(),
                    output::time(judged.took)
                );
                judged
            })
            .collect()
    });
    bar.finish_and_clear();
    Ok(judged)
}

/// Runs a scene in this process.
pub(super) fn judge(engine: &Engine, path: PathBuf, registry: &Registry) -> Judged {
    let start = Instant::now();
    let judgement = match Scene::load(&path, registry) {
        Ok(scene) => run(engine, &scene),
        Err(error) => Judgement::from(&error),
    };
    Judged {
        path,
        took: start.elapsed(),
        judgement,
    }
}

fn run(engine: &Engine, scene: &Scene) -> Judgement {
    let run = || {
        let mut runtime = engine.runtime()?;
        runtime.set_threads(1)?;
        scene.run(runtime)
    };
    match run() {
        Ok(report) => {
            let (of_real_time, others): (Vec<&Outcome>, Vec<&Outcome>) = report
                .outcomes()
                .iter()
                .partition(|outcome| outcome.is_of_real_time());
            Judgement::Ran(Ran {
                checks: others.into_iter().map(Check::from).collect(),
                left_out: of_real_time.len(),
                missed: report.missed().to_vec(),
            })
        }
        Err(error) => Judgement::Broke(error.to_string()),
    }
}

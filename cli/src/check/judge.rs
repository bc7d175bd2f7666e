//! Runs scenes, several at the same time, each on one thread.

use super::find::Found;
use super::judged::{Check, Judged, Judgement, Ran};
use super::watchdog::Watchdog;
use crate::engine::Engine;
use crate::output;
use crate::trouble::Trouble;
use gerust::scene::{Outcome, Registry, Scene, SceneFiles};
use indicatif::ParallelProgressIterator;
use rayon::prelude::*;
use std::collections::BTreeSet;
use std::path::PathBuf;
use std::time::Instant;

/// A scene file, and the files that it names.
pub(super) struct Candidate {
    pub(super) found: Found,
    pub(super) files: SceneFiles,
}

/// Leaves out files that others include, because they are parts of these, unless they were named.
pub(super) fn whole_scenes(found: &[Found], registry: &Registry) -> Vec<Candidate> {
    let all = found.iter().map(|found| Candidate {
        files: match found.is_regular() {
            true => SceneFiles::of(&found.path, &registry_for(found, registry)),
            false => SceneFiles::default(),
        },
        found: found.clone(),
    });
    let all: Vec<Candidate> = all.collect();
    let included = all.iter().flat_map(|candidate| &candidate.files.included);
    let parts: BTreeSet<PathBuf> = included
        .filter_map(|path| path.canonicalize().ok())
        .collect();
    let is_part = |found: &Found| {
        let own = found.path.canonicalize();
        !found.is_named && own.is_ok_and(|own| parts.contains(&own))
    };
    all.into_iter()
        .filter(|candidate| !is_part(&candidate.found))
        .collect()
}

/// A scene may name files below the root, or else below the directory in which it was found, or its own.
pub(super) fn registry_for(found: &Found, registry: &Registry) -> Registry {
    let mut registry = registry.clone();
    if let Some(root) = &found.root {
        registry.set_root(root);
    }
    registry
}

/// Runs all scenes, and returns their results in the same order.
pub(super) fn all(
    scenes: &[Found],
    jobs: Option<u16>,
    watchdog: &Watchdog<'_>,
) -> Result<Vec<Judged>, Trouble> {
    let jobs = jobs.map_or(0, usize::from);
    let pool = rayon::ThreadPoolBuilder::new()
        .num_threads(jobs)
        .build()
        .map_err(|error| {
            Trouble::other(format!(
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

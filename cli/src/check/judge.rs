//! Runs scenes, several at a time, each on one thread.

use super::find::Found;
use crate::engine::Engine;
use crate::output;
use crate::trouble::Trouble;
use gerust::scene::{Outcome, Scene, SceneError};
use indicatif::ParallelProgressIterator;
use rayon::prelude::*;
use std::collections::BTreeSet;
use std::num::NonZeroUsize;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// What came of one scene.
pub(super) struct Judged {
    pub(super) path: PathBuf,
    pub(super) took: Duration,
    pub(super) judgement: Judgement,
}

pub(super) enum Judgement {
    Ran(Ran),
    /// It could not be run.
    Faulty(SceneError),
    /// It could not be run to its end.
    Broke(String),
}

pub(super) struct Ran {
    /// Without those of real time.
    pub(super) outcomes: Vec<Outcome>,
    /// Expectations of real time, which many scenes at once would spoil.
    pub(super) left_out: usize,
    pub(super) missed: Vec<String>,
}

impl Ran {
    pub(super) fn held(&self) -> usize {
        self.outcomes
            .iter()
            .filter(|outcome| outcome.held())
            .count()
    }
}

impl Judged {
    pub(super) fn failures(&self) -> impl Iterator<Item = &Outcome> {
        let outcomes = match &self.judgement {
            Judgement::Ran(run) => run.outcomes.as_slice(),
            Judgement::Faulty(_) | Judgement::Broke(_) => &[],
        };
        outcomes.iter().filter(|outcome| !outcome.held())
    }

    /// What is wrong with the file, or why it stopped.
    pub(super) fn faults(&self) -> Vec<String> {
        match &self.judgement {
            Judgement::Ran(_) => Vec::new(),
            Judgement::Faulty(error) => error.to_string().lines().map(str::to_owned).collect(),
            Judgement::Broke(reason) => vec![reason.clone()],
        }
    }

    pub(super) fn is_faulty(&self) -> bool {
        !matches!(self.judgement, Judgement::Ran(_))
    }

    pub(super) fn is_ok(&self) -> bool {
        !self.is_faulty() && self.failures().next().is_none()
    }

    pub(super) fn verdict(&self) -> &'static str {
        match (self.is_faulty(), self.is_ok()) {
            (true, _) => "faulty",
            (false, true) => "ok",
            (false, false) => "failed",
        }
    }
}

/// A scene file that was read, or why it could not be.
type Loaded = (PathBuf, Result<Scene, SceneError>);

/// Reads all scenes. Files that others include are parts of these, unless they were named.
pub(super) fn load(engine: &Engine, root: Option<&Path>, found: &[Found]) -> Vec<Loaded> {
    let loaded: Vec<(Found, Result<Scene, SceneError>)> = found
        .iter()
        .map(|found| (found.clone(), load_one(engine, root, found)))
        .collect();
    let scenes = loaded.iter().filter_map(|(_, scene)| scene.as_ref().ok());
    let parts: BTreeSet<PathBuf> = scenes
        .flat_map(|scene| &scene.files()[1..])
        .filter_map(|path| path.canonicalize().ok())
        .collect();
    let is_part = |found: &Found| {
        let own = found.path.canonicalize();
        !found.is_named && own.is_ok_and(|own| parts.contains(&own))
    };
    let whole = loaded.into_iter().filter(|(found, _)| !is_part(found));
    whole.map(|(found, scene)| (found.path, scene)).collect()
}

/// Reads a scene. It may name files below the root, or else below the directory in which it was found, or its own.
pub(super) fn load_one(
    engine: &Engine,
    root: Option<&Path>,
    found: &Found,
) -> Result<Scene, SceneError> {
    let mut registry = engine.registry().clone();
    if let Some(root) = root.or(found.root.as_deref()) {
        registry.set_root(root);
    }
    Scene::load(&found.path, &registry)
}

/// Runs all scenes, and returns what came of them in the same order.
pub(super) fn all(
    engine: &Engine,
    scenes: Vec<Loaded>,
    jobs: Option<NonZeroUsize>,
) -> Result<Vec<Judged>, Trouble> {
    let jobs = jobs.map_or(0, usize::from);
    let pool = rayon::ThreadPoolBuilder::new()
        .num_threads(jobs)
        .build()
        .map_err(|error| {
            Trouble::other(format!(
                "{jobs} scenes cannot run at once: {error}; choose fewer with `--jobs`"
            ))
        })?;
    let bar = output::progress_bar("scenes", scenes.len() as u64);
    let judged = pool.install(|| {
        let scenes = scenes.into_par_iter().progress_with(bar.clone());
        scenes
            .map(|(path, scene)| {
                let start = Instant::now();
                let judgement = match scene {
                    Ok(scene) => judge(engine, &scene),
                    Err(error) => Judgement::Faulty(error),
                };
                let took = start.elapsed();
                tracing::debug!("ran {} in {}", path.display(), output::time(took));
                Judged {
                    path,
                    took,
                    judgement,
                }
            })
            .collect()
    });
    bar.finish_and_clear();
    Ok(judged)
}

fn judge(engine: &Engine, scene: &Scene) -> Judgement {
    let run = || {
        let mut runtime = engine.runtime()?;
        runtime.set_threads(1)?;
        scene.run(runtime)
    };
    match run() {
        Ok(report) => {
            let all = report.outcomes().iter().cloned();
            let (of_real_time, outcomes): (Vec<Outcome>, Vec<Outcome>) =
                all.partition(Outcome::is_of_real_time);
            Judgement::Ran(Ran {
                outcomes,
                left_out: of_real_time.len(),
                missed: report.missed().to_vec(),
            })
        }
        Err(error) => Judgement::Broke(error.to_string()),
    }
}

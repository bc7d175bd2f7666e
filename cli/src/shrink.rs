//! `gerust shrink`: the smallest scene that still fails in the same way.

use crate::Verdict;
use crate::arguments::ShrinkCommand;
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output::{self, wrapped};
use crate::target::Target;
use gerust_scene::{Shrinker, Shrunk};
use serde::Serialize;
use std::fs;
use std::path::{Path, PathBuf};

pub(crate) fn run(engine: &Engine, command: &ShrinkCommand) -> Verdict {
    let path = command.scene.path();
    // A faulty scene is reported as by any other command.
    let scene = command.scene.load(engine)?;
    let to = command.output.clone().unwrap_or_else(|| beside(path));
    let target = Target::new(&to, scene.files_read())?;
    refuse_elsewhere(&scene, &to)?;
    let text = fs::read_to_string(path)
        .map_err(|error| Failure::other(format!("{} cannot be read: {error}", path.display())))?;
    let bar = output::progress_bar("scenes run", command.runs);
    let registry = command.scene.registry(engine);
    let mut shrinker = Shrinker::new(&registry, || {
        let mut runtime = engine.runtime()?;
        runtime.set_threads(1)?;
        Ok(runtime)
    })
    .parameters(command.scene.parameters())
    .most_runs(command.runs)
    .on_progress(|progress| {
        bar.set_position(progress.runs);
        tracing::debug!(
            "{} runs so far, {} are left",
            progress.runs,
            output::bytes(progress.bytes)
        );
    });
    if command.loosely {
        shrinker = shrinker.loosely();
    }
    let outcome = shrinker.shrink(&text, path);
    drop(shrinker);
    bar.finish_and_clear();
    let shrunk = outcome.map_err(Failure::other)?;
    target.write(shrunk.text().as_bytes())?;
    let answer = Answer {
        scene: to.display().to_string(),
        failure: shrunk.failure(),
        lines: [&text, shrunk.text()].map(|text| text.lines().count()),
        runs: shrunk.runs(),
        is_smallest: shrunk.is_smallest(),
    };
    output::show(&answer, command.format, |answer| text_of(answer, &shrunk))?;
    Ok(true)
}

/// The default path of a result: beside the scene, so that relative paths in it still hold.
fn beside(scene: &Path) -> PathBuf {
    scene.with_extension("shrunk.toml")
}

/// A scene that names others by paths has to stay in their folder.
fn refuse_elsewhere(scene: &gerust_scene::Scene, to: &Path) -> Result<(), Failure> {
    let folder = |path: &Path| {
        let folder = path.parent().unwrap_or(Path::new(""));
        let folder = if folder.as_os_str().is_empty() {
            Path::new(".")
        } else {
            folder
        };
        folder.canonicalize().ok()
    };
    match scene.names_files() && folder(scene.path()) != folder(to) {
        false => Ok(()),
        true => Err(Failure::other(format!(
            "{} names other files by paths from its own folder; write the result into the same folder",
            scene.path().display()
        ))),
    }
}

fn text_of(answer: &Answer<'_>, shrunk: &Shrunk) -> String {
    let [before, after] = answer.lines;
    let mut text = format!(
        "{}: {after} lines of {before}, after {} runs\n",
        answer.scene, answer.runs
    );
    text += &wrapped(shrunk.failure(), "  fails    ", 11);
    if !answer.is_smallest {
        text += "  not done: more could be taken out; allow more `--runs`\n";
    }
    text
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Answer<'s> {
    scene: String,
    failure: &'s str,
    /// Of the file before and after.
    lines: [usize; 2],
    runs: u64,
    is_smallest: bool,
}

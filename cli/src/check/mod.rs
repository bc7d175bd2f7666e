//! `gerust check`: runs many scenes and says which of them hold.

mod bless;
mod find;
mod judge;
mod judged;
mod junit;
mod text;
mod watchdog;

pub(crate) use watchdog::{OwnProcess, run_one};

use crate::Verdict;
use crate::arguments::{CheckCommand, Format};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output;
use crate::target::Target;
use find::Found;
use judged::{Judged, Judgement};
use serde::Serialize;
use std::path::PathBuf;
use std::str::FromStr;
use std::time::Instant;
use watchdog::Watchdog;

pub(crate) fn run(engine: &Engine, command: &CheckCommand, process: &OwnProcess) -> Verdict {
    let start = Instant::now();
    let watchdog = Watchdog {
        engine,
        command,
        process,
    };
    // The filter and the shard must not hide the scenes that include others.
    let mut scenes = watchdog.whole_scenes(find::scenes_in(&command.paths)?);
    if let Some(filter) = &command.filter {
        let is_wanted = |found: &Found| found.path.to_string_lossy().contains(filter.as_str());
        scenes.retain(|scene| is_wanted(&scene.found));
    }
    if let Some(shard) = command.shard {
        scenes = shard.of(scenes);
    }
    if scenes.is_empty() {
        return Err(Failure::other(
            "no scene is left to check; choose other paths, another `--filter` or another `--shard`",
        ));
    }
    let junit = command.junit.as_deref();
    let read = scenes.iter().flat_map(|scene| {
        let named = scene.files.included.iter().chain(&scene.files.loaded);
        std::iter::once(&scene.found.path)
            .chain(named)
            .map(PathBuf::as_path)
    });
    let junit = junit.map(|path| Target::new(path, read)).transpose()?;
    let scenes: Vec<Found> = scenes.into_iter().map(|scene| scene.found).collect();
    let mut judged = judge::all(&scenes, command.jobs, &watchdog)?;
    if command.bless {
        bless::write(&mut judged, |again| {
            let mut scenes = scenes.clone();
            scenes.retain(|found| again.contains(&found.path));
            judge::all(&scenes, command.jobs, &watchdog)
        })?;
    }
    if let Some(target) = junit {
        let text = junit::text(&judged).map_err(Failure::other)?;
        target.write(text.as_bytes())?;
    }
    let took = start.elapsed();
    match command.format {
        Format::Text => output::print(&text::of(&judged, took))?,
        Format::Json => output::print_json(&Summary::new(&judged))?,
    }
    if judged.iter().any(Judged::is_faulty) {
        return Err(Failure::AlreadyReported);
    }
    Ok(judged.iter().all(Judged::is_ok))
}

/// One part of several into which scenes are divided, so that several machines can share them.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct Shard {
    /// From 1.
    number: usize,
    of: usize,
}

impl Shard {
    /// Every N-th scene: neighbors, which often take equally long, go to different parts.
    fn of<T>(self, all: Vec<T>) -> Vec<T> {
        let numbered = all.into_iter().enumerate();
        numbered
            .filter(|(at, _)| at % self.of == self.number - 1)
            .map(|(_, scene)| scene)
            .collect()
    }
}

impl FromStr for Shard {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let numbers = text.split_once('/');
        let numbers =
            numbers.and_then(|(number, of)| Some((number.parse().ok()?, of.parse().ok()?)));
        match numbers {
            Some((number, of)) if (1..=of).contains(&number) => Ok(Self { number, of }),
            _ => Err(String::from(
                "write a part and how many there are, such as 1/4",
            )),
        }
    }
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Summary<'j> {
    ok: usize,
    failed: usize,
    faulty: usize,
    scenes: Vec<SceneSummary<'j>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct SceneSummary<'j> {
    scene: String,
    verdict: &'static str,
    seconds: f64,
    held: usize,
    failed: Vec<FailureSummary<'j>>,
    left_out: usize,
    missed: &'j [String],
    faults: &'j [String],
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct FailureSummary<'j> {
    what: Option<&'j str>,
    wanted: &'j str,
    when: &'j str,
    frame: u64,
    measured: &'j str,
}

impl<'j> Summary<'j> {
    fn new(judged: &'j [Judged]) -> Self {
        let count = |verdict: &str| {
            judged
                .iter()
                .filter(|scene| scene.verdict() == verdict)
                .count()
        };
        Self {
            ok: count("ok"),
            failed: count("failed"),
            faulty: count("faulty"),
            scenes: judged.iter().map(SceneSummary::new).collect(),
        }
    }
}

impl<'j> SceneSummary<'j> {
    fn new(judged: &'j Judged) -> Self {
        let (held, left_out, missed): (_, _, &[String]) = match &judged.judgement {
            Judgement::Ran(run) => (run.held(), run.left_out, &run.missed),
            Judgement::Faulty { .. } | Judgement::Broke(_) => (0, 0, &[]),
        };
        Self {
            scene: judged.path.display().to_string(),
            verdict: judged.verdict(),
            seconds: judged.took.as_secs_f64(),
            held,
            failed: judged
                .failures()
                .map(|check| FailureSummary {
                    what: check.what.as_deref(),
                    wanted: &check.wanted,
                    when: &check.when,
                    frame: check.frame,
                    measured: &check.measured,
                })
                .collect(),
            left_out,
            missed,
            faults: judged.faults(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn shards_divide_all_scenes() {
        let shard = |text: &str| text.parse::<Shard>().ok();
        let all: Vec<u32> = (0..10).collect();
        let mut found: Vec<u32> = (1..=4)
            .flat_map(|number| {
                shard(&format!("{number}/4"))
                    .expect("it is one")
                    .of(all.clone())
            })
            .collect();
        found.sort_unstable();
        assert_eq!(found, all);
        for bad in ["", "1", "0/4", "5/4", "1/0", "a/b", "1/4/2", "-1/4"] {
            assert_eq!(shard(bad), None, "{bad}");
        }
    }
}

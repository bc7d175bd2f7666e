//! `gerust check`: runs many scenes and says which of them hold.

mod bless;
mod find;
mod judge;
mod junit;
mod text;

use crate::Verdict;
use crate::arguments::{CheckCommand, Format};
use crate::engine::Engine;
use crate::output;
use crate::target::Target;
use crate::trouble::Trouble;
use find::Found;
use gerust::scene::Scene;
use judge::{Judged, Judgement};
use serde::Serialize;
use std::str::FromStr;
use std::time::Instant;

pub(crate) fn run(engine: &Engine, command: &CheckCommand) -> Verdict {
    let start = Instant::now();
    // What is part of another scene has to be known before some are left out.
    let found = find::scenes_in(&command.paths)?;
    let root = command.root.as_deref();
    let mut scenes = judge::load(engine, root, &found);
    if let Some(filter) = &command.filter {
        scenes.retain(|(path, _)| path.to_string_lossy().contains(filter.as_str()));
    }
    if let Some(shard) = command.shard {
        scenes = shard.of(scenes);
    }
    if scenes.is_empty() {
        return Err(Trouble::other(
            "there is no scene left to check; choose other paths, another `--filter` or another `--shard`",
        ));
    }
    let junit = command.junit.as_deref();
    let read = scenes.iter().flat_map(|(path, scene)| {
        let files = scene.iter().flat_map(Scene::files_read);
        std::iter::once(path.as_path()).chain(files)
    });
    let junit = junit.map(|path| Target::new(path, read)).transpose()?;
    let mut judged = judge::all(engine, scenes, command.jobs)?;
    if command.bless {
        bless::write(&mut judged, |again| {
            let all = found.iter().filter(|found| again.contains(&found.path));
            let load = |found: &Found| (found.path.clone(), judge::load_one(engine, root, found));
            judge::all(engine, all.map(load).collect(), command.jobs)
        })?;
    }
    if let Some(target) = junit {
        target.write_with(|file| {
            let written = junit::report(&judged).serialize(file);
            written.map_err(std::io::Error::other)
        })?;
    }
    let took = start.elapsed();
    match command.format {
        Format::Text => output::print(&text::of(&judged, took))?,
        Format::Json => output::print_json(&Summary::new(&judged))?,
    }
    if judged.iter().any(Judged::is_faulty) {
        return Err(Trouble::AlreadyTold);
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
    /// Every so many-th scene: neighbors, which are often alike long, go to different parts.
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
    faults: Vec<String>,
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
            Judgement::Faulty(_) | Judgement::Broke(_) => (0, 0, &[]),
        };
        Self {
            scene: judged.path.display().to_string(),
            verdict: judged.verdict(),
            seconds: judged.took.as_secs_f64(),
            held,
            failed: judged
                .failures()
                .map(|outcome| FailureSummary {
                    what: outcome.what(),
                    wanted: outcome.wanted(),
                    when: outcome.when(),
                    frame: outcome.frame(),
                    measured: outcome.measured(),
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

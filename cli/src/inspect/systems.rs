//! `gerust inspect SCENE systems`.

use crate::output::{self, Seen, wrapped};
use gerust::schedule::SystemInfo;
use serde::Serialize;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct SystemsView {
    scene: String,
    frame: u64,
    /// Whether anything ran, so that there are times: not when a recording was read.
    measured: bool,
    systems: Vec<SystemView>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct SystemView {
    name: String,
    phase: &'static str,
    is_on: bool,
    labels: Vec<String>,
    every_seconds: Option<f64>,
    runs: u64,
    mean_ms: f64,
    #[serde(skip)]
    mean: String,
    reads: Vec<String>,
    writes: Vec<String>,
}

impl SystemsView {
    /// Those whose name contains a text, in the order in which they run.
    pub(super) fn new(seen: &Seen<'_>, name: Option<&str>) -> Self {
        let systems = seen.runtime.schedule().systems();
        let shown = systems.filter(|system| name.is_none_or(|part| system.name().contains(part)));
        Self {
            scene: seen.file.clone(),
            frame: seen.frame,
            measured: !seen.is_recorded,
            systems: shown.map(SystemView::new).collect(),
        }
    }

    pub(super) fn text(&self) -> String {
        let mut text = format!(
            "after frame {}: {} systems{}\n\n{:<NAME$} {:<PHASE$} {:>6} {:>9}\n",
            self.frame,
            self.systems.len(),
            match self.measured {
                true => "",
                false => ", none of which ran, because a recording was read",
            },
            "name",
            "phase",
            "runs",
            "mean",
        );
        for system in &self.systems {
            system.push(&mut text);
        }
        text
    }
}

const NAME: usize = 34;
const PHASE: usize = 9;

impl SystemView {
    fn new(system: SystemInfo<'_>) -> Self {
        let reached = |wanted: bool| {
            let all = system.access().reaches();
            let fitting = all.filter(|(_, writes)| *writes == wanted);
            let mut names: Vec<String> = fitting.map(|(name, _)| name.to_owned()).collect();
            names.sort();
            names.dedup();
            names
        };
        let mean = system.mean_time();
        Self {
            name: system.name().to_owned(),
            phase: system.phase().name(),
            is_on: system.is_enabled(),
            labels: system.labels().map(str::to_owned).collect(),
            every_seconds: system.every(),
            runs: system.runs(),
            mean_ms: output::milliseconds(mean),
            mean: match system.runs() {
                0 => String::new(),
                _ => output::time(mean),
            },
            reads: reached(false),
            writes: reached(true),
        }
    }

    fn push(&self, text: &mut String) {
        let state = match (self.is_on, self.every_seconds) {
            (false, _) => String::from("  off"),
            (true, Some(seconds)) => format!("  every {seconds} s"),
            (true, None) => String::new(),
        };
        let line = format!(
            "{:<NAME$} {:<PHASE$} {:>6} {:>9}{state}",
            output::shortened(&self.name, NAME),
            self.phase,
            self.runs,
            self.mean,
        );
        text.push_str(line.trim_end());
        text.push('\n');
        for (what, names) in [("reads", &self.reads), ("writes", &self.writes)] {
            if !names.is_empty() {
                *text += &wrapped(&names.join(", "), &format!("    {what:<7}"), 11);
            }
        }
    }
}

//! `gerust run`.

use crate::Verdict;
use crate::arguments::{Format, RunCommand};
use crate::engine::Engine;
use crate::output::{self, milliseconds, share, time};
use gerust::profile::Statistic;
use gerust_scene::{Outcome, Recording, Report};
use serde::Serialize;
use std::fmt::Write;
use std::path::Path;

pub(crate) fn run(engine: &Engine, command: &RunCommand) -> Verdict {
    let (scene, report) = {
        let record = command.record.as_deref();
        output::run_scene(engine, &command.scene, command.threads, record)?
    };
    match command.format {
        Format::Text => output::print(&text(&report))?,
        Format::Json => output::print_json(&Summary::new(scene.path(), &report))?,
    }
    Ok(report.all_held())
}

fn frame_statistic(report: &Report) -> Option<&Statistic> {
    report
        .statistics()
        .iter()
        .find(|statistic| statistic.category() == gerust::profile::Category::Frame)
}

fn text(report: &Report) -> String {
    let failed: Vec<&Outcome> = report.failures().collect();
    let mut text = String::new();
    // Writing to a string does not fail.
    let _ = writeln!(text, "{}", report.title());
    let _ = writeln!(
        text,
        "  build         {}",
        match output::is_debug_build() {
            true => "debug: frames take many times as long as in a release build",
            false => "release",
        }
    );
    let _ = writeln!(text, "  frames        {}", report.frames());
    let _ = writeln!(text, "  entities      {} at the end", report.entities());
    let _ = writeln!(
        text,
        "  contacts      {} at the end, {} begun",
        report.contacts(),
        report.contacts_begun()
    );
    let left = report.leftovers();
    if left.frames > 0 {
        let _ = writeln!(
            text,
            "  left over     up to {} overlaps in {} frames, the deepest {:.3} m (frame {})",
            left.most, left.frames, left.deepest, left.deepest_frame
        );
    }
    if let Some(frame) = frame_statistic(report) {
        let _ = writeln!(
            text,
            "  frame time    median {}, 95 % {}, worst {} (frame {})",
            time(frame.median()),
            time(frame.percentile_95()),
            time(frame.worst()),
            frame.worst_frame()
        );
        let _ = writeln!(
            text,
            "  budget        {} of {} used by the median, {}",
            share(frame.share_of_budget()),
            time(report.budget()),
            output::over_budget(report)
        );
        if let Some(left_out) = output::left_out(report) {
            let _ = writeln!(text, "  times         {left_out}");
        }
    }
    let _ = writeln!(
        text,
        "  expectations  {} held, {} failed",
        report.outcomes().len() - failed.len(),
        failed.len()
    );
    for missed in report.missed() {
        let _ = writeln!(text, "  missed        {missed}");
    }
    for idle in report.without_effect() {
        text += &output::wrapped(&idle.to_string(), "  no effect     ", 16);
    }
    for outcome in failed {
        let _ = writeln!(
            text,
            "\nfailed: {}",
            outcome.what().unwrap_or(outcome.wanted())
        );
        let _ = writeln!(text, "  wanted  {} {}", outcome.wanted(), outcome.when());
        let found = format!("{}, at frame {}", outcome.measured(), outcome.frame());
        text += &output::wrapped(&found, "  found   ", 10);
        for (frame, measured) in outcome.before() {
            text += &output::wrapped(&format!("frame {frame}: {measured}"), "  before  ", 10);
        }
        if let Some(touching) = outcome.touching() {
            text += &output::wrapped(touching, "  then    ", 10);
        }
    }
    text
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct Summary<'r> {
    scene: String,
    pub(crate) title: &'r str,
    build: &'static str,
    pub(crate) frames: u64,
    entities: usize,
    contacts: usize,
    contacts_begun: u64,
    /// `None` for a recording, which does not hold them.
    left_over: Option<LeftOver>,
    frame_time: Option<FrameTime>,
    pub(crate) held: usize,
    pub(crate) failed: usize,
    expectations: Vec<ExpectationSummary<'r>>,
    missed: &'r [String],
    without_effect: Vec<String>,
}

/// Overlaps that motion could not part.
#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct LeftOver {
    frames: u64,
    most: usize,
    deepest: f32,
    deepest_frame: u64,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct FrameTime {
    budget_ms: f64,
    median_ms: f64,
    percentile_95_ms: f64,
    worst_ms: f64,
    worst_frame: u64,
    frames_over_budget: usize,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct ExpectationSummary<'r> {
    what: Option<&'r str>,
    held: bool,
    when: &'r str,
    frame: u64,
    wanted: &'r str,
    measured: &'r str,
    before: Vec<BeforeSummary<'r>>,
    touching: Option<&'r str>,
}

/// The findings of an earlier frame.
#[derive(Serialize)]
struct BeforeSummary<'r> {
    frame: u64,
    measured: &'r str,
}

impl<'r> Summary<'r> {
    pub(crate) fn new(scene: &Path, report: &'r Report) -> Self {
        let failed = report.failures().count();
        Self {
            scene: scene.display().to_string(),
            title: report.title(),
            build: gerust::profile::build(),
            frames: report.frames(),
            entities: report.entities(),
            contacts: report.contacts(),
            contacts_begun: report.contacts_begun(),
            left_over: {
                let left = report.leftovers();
                Some(LeftOver {
                    frames: left.frames,
                    most: left.most,
                    deepest: left.deepest,
                    deepest_frame: left.deepest_frame,
                })
            },
            frame_time: frame_statistic(report).map(|frame| FrameTime {
                budget_ms: milliseconds(report.budget()),
                median_ms: milliseconds(frame.median()),
                percentile_95_ms: milliseconds(frame.percentile_95()),
                worst_ms: milliseconds(frame.worst()),
                worst_frame: frame.worst_frame(),
                frames_over_budget: report.frames_over_budget(),
            }),
            held: report.outcomes().len() - failed,
            failed,
            expectations: report
                .outcomes()
                .iter()
                .map(ExpectationSummary::new)
                .collect(),
            missed: report.missed(),
            without_effect: report
                .without_effect()
                .iter()
                .map(ToString::to_string)
                .collect(),
        }
    }

    /// Of a recording, which says how many expectations held but not which.
    pub(crate) fn of_recording(recording: &Recording, report: &'r Report) -> Self {
        let (held, failed) = recording.verdict().unwrap_or((0, 0));
        Self {
            left_over: None,
            held: usize::try_from(held).unwrap_or(usize::MAX),
            failed: usize::try_from(failed).unwrap_or(usize::MAX),
            ..Self::new(recording.path(), report)
        }
    }
}

impl<'r> ExpectationSummary<'r> {
    fn new(outcome: &'r Outcome) -> Self {
        Self {
            what: outcome.what(),
            held: outcome.held(),
            when: outcome.when(),
            frame: outcome.frame(),
            wanted: outcome.wanted(),
            measured: outcome.measured(),
            before: outcome
                .before()
                .iter()
                .map(|(frame, measured)| BeforeSummary {
                    frame: *frame,
                    measured,
                })
                .collect(),
            touching: outcome.touching(),
        }
    }
}

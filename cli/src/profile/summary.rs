//! The summary of a profile, for people and for programs.

use super::text;
use crate::arguments::{Format, ProfileCommand};
use crate::failure::Failure;
use crate::output::{self, milliseconds};
use gerust::profile::{
    Category, ClockCost, CounterStatistic, Culprit, Excess, Profiler, Statistic,
};
use gerust_scene::{Report, Scene, SceneRun};
use serde::Serialize;
use std::path::Path;
use std::time::Duration;

/// The summary of a run.
pub(crate) struct Profile {
    pub(crate) report: Report,
    pub(super) warm_up: Vec<Statistic>,
    pub(super) counters: Vec<CounterStatistic>,
    pub(super) slowest: Option<Slowest>,
    pub(super) culprits: Vec<Culprit>,
    pub(super) clock: ClockCost,
    /// In the middle frame.
    pub(super) spans_per_frame: usize,
}

/// The slowest frame and what made it slow.
pub(super) struct Slowest {
    pub(super) frame: u64,
    pub(super) took: Duration,
    pub(super) median: Duration,
    /// Parts that took longer than their median, the largest excess first.
    pub(super) excess: Vec<Excess>,
}

/// The number of parts that are listed for a slow frame.
const MOST_REASONS: usize = 3;

impl Slowest {
    fn of(profiler: &Profiler, frames: &Statistic) -> Self {
        let mut excess = profiler.excess_of(frames.worst_frame());
        excess.retain(|excess| !excess.more().is_zero());
        excess.truncate(MOST_REASONS);
        Self {
            frame: frames.worst_frame(),
            took: frames.worst(),
            median: frames.median(),
            excess,
        }
    }
}

impl Profile {
    pub(crate) fn of(report: Report, profiler: &Profiler) -> Self {
        let frames = report.statistics().first();
        let slowest = frames.filter(|frames| frames.category() == Category::Frame);
        let mut spans: Vec<usize> = profiler.frames().map(|frame| frame.spans().len()).collect();
        spans.sort_unstable();
        Self {
            slowest: slowest.map(|frames| Slowest::of(profiler, frames)),
            warm_up: profiler.warm_up_statistics(),
            counters: profiler.counter_statistics(),
            culprits: profiler.culprits(),
            clock: ClockCost::measure(),
            spans_per_frame: spans.get(spans.len() / 2).copied().unwrap_or(0),
            report,
        }
    }
}

pub(super) fn tell(command: &ProfileCommand, scene: &Scene, run: &SceneRun) -> Result<(), Failure> {
    let profile = Profile::of(run.report(), run.runtime().profiler());
    match command.format {
        Format::Text => output::print(&text::of(&profile)),
        Format::Json => output::print_json(&Summary::new(
            scene.path(),
            run.runtime().threads(),
            &profile,
        )),
    }
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct Summary<'r> {
    scene: String,
    title: &'r str,
    build: &'static str,
    threads: usize,
    frames: u64,
    warm_up: u64,
    frames_measured: usize,
    entities: usize,
    budget_ms: f64,
    frames_over_budget: usize,
    over_budget_because_of: Vec<CulpritSummary<'r>>,
    slowest_frame: Option<SlowestSummary<'r>>,
    clock: ClockSummary,
    counters: Vec<CounterSummary>,
    names: Vec<NameSummary<'r>>,
    warm_up_names: Vec<NameSummary<'r>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct CulpritSummary<'r> {
    kind: &'static str,
    name: &'r str,
    within: Option<&'r str>,
    frames: usize,
    most_more_ms: f64,
    worst_frame: u64,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct SlowestSummary<'r> {
    frame: u64,
    took_ms: f64,
    median_ms: f64,
    excess: Vec<ExcessSummary<'r>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct ExcessSummary<'r> {
    kind: &'static str,
    name: &'r str,
    within: Option<&'r str>,
    self_ms: f64,
    median_self_ms: f64,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct ClockSummary {
    read_ns: f64,
    step_ns: u128,
    spans_per_frame: usize,
    cost_per_frame_ms: f64,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct CounterSummary {
    name: &'static str,
    median: u64,
    most: u64,
    most_frame: u64,
    total: u64,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct NameSummary<'r> {
    kind: &'static str,
    name: &'r str,
    calls: u64,
    frames: usize,
    total_ms: f64,
    self_ms: f64,
    median_ms: f64,
    percentile_95_ms: f64,
    percentile_99_ms: f64,
    worst_ms: f64,
    worst_frame: u64,
    share_of_budget: f64,
    budget_ms: Option<f64>,
    frames_over_budget: usize,
}

impl<'r> Summary<'r> {
    pub(crate) fn new(scene: &Path, threads: usize, profile: &'r Profile) -> Self {
        let report = &profile.report;
        let spans = profile.spans_per_frame;
        Self {
            scene: scene.display().to_string(),
            title: report.title(),
            build: gerust::profile::build(),
            threads,
            frames: report.frames(),
            warm_up: report.warm_up(),
            frames_measured: report.frames_profiled(),
            entities: report.entities(),
            budget_ms: milliseconds(report.budget()),
            frames_over_budget: report.frames_over_budget(),
            over_budget_because_of: profile.culprits.iter().map(CulpritSummary::new).collect(),
            slowest_frame: profile.slowest.as_ref().map(SlowestSummary::new),
            clock: ClockSummary {
                read_ns: profile.clock.read_nanoseconds(),
                step_ns: profile.clock.step().as_nanos(),
                spans_per_frame: spans,
                cost_per_frame_ms: milliseconds(profile.clock.of_spans(spans)),
            },
            counters: profile.counters.iter().map(CounterSummary::new).collect(),
            names: report.statistics().iter().map(NameSummary::new).collect(),
            warm_up_names: profile.warm_up.iter().map(NameSummary::new).collect(),
        }
    }
}

impl<'r> CulpritSummary<'r> {
    fn new(culprit: &'r Culprit) -> Self {
        Self {
            kind: culprit.category.name(),
            name: &culprit.name,
            within: culprit.within.as_deref(),
            frames: culprit.frames,
            most_more_ms: milliseconds(culprit.most_more),
            worst_frame: culprit.worst_frame,
        }
    }
}

impl<'r> SlowestSummary<'r> {
    fn new(slowest: &'r Slowest) -> Self {
        let excess = slowest.excess.iter();
        Self {
            frame: slowest.frame,
            took_ms: milliseconds(slowest.took),
            median_ms: milliseconds(slowest.median),
            excess: excess
                .map(|excess| ExcessSummary {
                    kind: excess.category.name(),
                    name: &excess.name,
                    within: excess.within.as_deref(),
                    self_ms: milliseconds(excess.self_time),
                    median_self_ms: milliseconds(excess.median),
                })
                .collect(),
        }
    }
}

impl CounterSummary {
    fn new(counter: &CounterStatistic) -> Self {
        Self {
            name: counter.name,
            median: counter.median,
            most: counter.most,
            most_frame: counter.most_frame,
            total: counter.total,
        }
    }
}

impl<'r> NameSummary<'r> {
    fn new(statistic: &'r Statistic) -> Self {
        Self {
            kind: statistic.category().name(),
            name: statistic.name(),
            calls: statistic.calls(),
            frames: statistic.frames(),
            total_ms: milliseconds(statistic.total()),
            self_ms: milliseconds(statistic.self_time()),
            median_ms: milliseconds(statistic.median()),
            percentile_95_ms: milliseconds(statistic.percentile_95()),
            percentile_99_ms: milliseconds(statistic.percentile_99()),
            worst_ms: milliseconds(statistic.worst()),
            worst_frame: statistic.worst_frame(),
            share_of_budget: statistic.share_of_budget(),
            budget_ms: statistic.budget().map(milliseconds),
            frames_over_budget: statistic.frames_over_budget(),
        }
    }
}

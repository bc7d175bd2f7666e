//! The time of each frame, as the page charts it.

use crate::output::milliseconds;
use crate::profile::{FrameTimes, PartKind};
use gerust::profile::{Profiler, RecordedProfile};
use serde::Serialize;
use std::collections::BTreeMap;

/// More frames than this share columns, of which each shows its slowest one.
const MOST_COLUMNS: usize = 4_000;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct TimesView {
    budget_ms: f64,
    /// The upper end of a scale that a few long frames do not squeeze.
    top_ms: f64,
    frames_per_column: usize,
    /// Whether the parts of a frame are those of several threads, scaled to its time.
    is_scaled: bool,
    parts: Vec<PartView>,
    /// The first frame of each column.
    frames: Vec<u64>,
    warm_up: Vec<bool>,
    over: Vec<bool>,
    /// Milliseconds by part, then by column.
    times: Vec<Vec<f64>>,
    /// The counters of each stored frame, by name.
    counters: BTreeMap<&'static str, Vec<Option<u64>>>,
    /// The milliseconds of the run that is compared with, by column.
    before: Option<Vec<Option<f64>>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct PartView {
    name: String,
    kind: &'static str,
    median_ms: f64,
}

impl TimesView {
    pub(super) fn of(profiler: &Profiler, before: Option<&RecordedProfile>) -> Self {
        let times = FrameTimes::of(profiler, MOST_COLUMNS);
        let frames: Vec<u64> = times.columns.iter().map(|column| column.first).collect();
        let by_part = (0..times.parts.len()).map(|part| {
            let columns = times.columns.iter();
            columns.map(|column| rounded(column.times[part])).collect()
        });
        Self {
            budget_ms: milliseconds(times.budget),
            top_ms: times.top,
            frames_per_column: times.frames_per_column,
            is_scaled: times.is_scaled,
            times: by_part.collect(),
            warm_up: times
                .columns
                .iter()
                .map(|column| column.is_warm_up)
                .collect(),
            over: times.columns.iter().map(|column| column.is_over).collect(),
            counters: counters_of(profiler, &frames),
            before: before.map(|before| before_by_column(before, &frames)),
            parts: times
                .parts
                .into_iter()
                .map(|part| PartView {
                    name: part.name,
                    kind: match part.kind {
                        PartKind::System(_) => "system",
                        PartKind::OtherSystems => "others",
                        PartKind::Edits => "edits",
                        PartKind::Between => "between",
                    },
                    median_ms: part.median,
                })
                .collect(),
            frames,
        }
    }
}

/// Nanoseconds are the least that a clock tells.
fn rounded(milliseconds: f64) -> f64 {
    (milliseconds * 1e6).round() / 1e6
}

/// The counters of the first frame of each column.
fn counters_of(profiler: &Profiler, frames: &[u64]) -> BTreeMap<&'static str, Vec<Option<u64>>> {
    let mut counters: BTreeMap<&'static str, Vec<Option<u64>>> = BTreeMap::new();
    for frame in profiler.frames() {
        let Ok(column) = frames.binary_search(&frame.number()) else {
            continue;
        };
        for count in frame.counters() {
            let values = counters.entry(count.name);
            values.or_insert_with(|| vec![None; frames.len()])[column] = Some(count.value);
        }
    }
    counters
}

/// What the frames took that are the first of the columns.
fn before_by_column(before: &RecordedProfile, frames: &[u64]) -> Vec<Option<f64>> {
    let whole = before.names().iter().find(|name| name.kind == "frame");
    let took = |frame: &u64| {
        let place = before.frames().binary_search(frame).ok()?;
        let nanoseconds = (*whole?.nanoseconds.get(place)?)?;
        Some(nanoseconds as f64 / 1e6)
    };
    frames.iter().map(took).collect()
}

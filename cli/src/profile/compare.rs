//! One profile against another, in words and figures.

use super::machine::{PACE, PROGRAM, pace_ratio};
use crate::arguments::{Format, ProfileCommand};
use crate::failure::Failure;
use crate::output::{self, milliseconds, time};
use comfy_table::{CellAlignment, ContentArrangement, Table};
use gerust::profile::{Change, ClockCost, Comparison, NameComparison, RecordedProfile, Threshold};
use serde::Serialize;
use std::fmt::Write as _;
use std::path::Path;

/// The ratio up to which a difference does not matter: two runs one after the other differ by more than two in turn.
const LEAST_APART: f64 = 1.05;
const LEAST_IN_TURN: f64 = 1.02;
/// Up to this ratio the machine was at the same pace.
const SAME_PACE: f64 = 1.05;
/// A name is cut to this, so that the table stays within 80 columns.
const WIDEST_NAME: usize = 25;

pub(crate) fn read(path: &Path) -> Result<RecordedProfile, Failure> {
    let text = std::fs::read_to_string(path).map_err(|error| {
        Failure::other(format!(
            "{} cannot be read: {error}; check the path",
            path.display()
        ))
    })?;
    // The library names the function that writes a profile; users of the tool need the option.
    RecordedProfile::read(&text).map_err(|error| {
        let reason = error.to_string();
        let reason = reason
            .split("; write one")
            .next()
            .unwrap_or_default()
            .to_owned();
        Failure::other(format!(
            "{}: {reason}; make one with `profile --save`",
            path.display()
        ))
    })
}

/// A difference counts from a ratio on, and from what the clock reads of a span cost.
fn threshold(ratio: f64) -> Threshold {
    Threshold {
        ratio,
        difference: ClockCost::measure().of_spans(1),
    }
}

/// Two runs, one after the other.
pub(super) fn tell_apart(
    command: &ProfileCommand,
    before: &RecordedProfile,
    after: &RecordedProfile,
) -> Result<(), Failure> {
    let comparison = between_apart(before, after);
    tell(command, &comparison, before, after, ONE_AFTER_THE_OTHER)
}

/// How two runs compare that were measured one after the other.
pub(crate) fn between_apart(before: &RecordedProfile, after: &RecordedProfile) -> Comparison {
    Comparison::between(before, after, threshold(LEAST_APART))
}

/// What such a comparison cannot tell.
pub(crate) const ONE_AFTER_THE_OTHER: &str = "The two were measured one after the other: if the machine was slower throughout one \
     of them, that is in the ratios. `profile --versus` runs two in turn.";

/// Two runs in turn.
pub(super) fn tell_in_turn(
    command: &ProfileCommand,
    before: &RecordedProfile,
    after: &RecordedProfile,
) -> Result<(), Failure> {
    let comparison = Comparison::between(before, after, threshold(LEAST_IN_TURN));
    tell(
        command,
        &comparison,
        before,
        after,
        "The two were measured in turn, frame by frame.",
    )
}

fn tell(
    command: &ProfileCommand,
    comparison: &Comparison,
    before: &RecordedProfile,
    after: &RecordedProfile,
    note: &str,
) -> Result<(), Failure> {
    match command.format {
        Format::Text => output::print(&text(comparison, before, after, note)),
        Format::Json => output::print_json(&ComparisonSummary::new(comparison)),
    }
}

fn text(
    comparison: &Comparison,
    before: &RecordedProfile,
    after: &RecordedProfile,
    note: &str,
) -> String {
    let scene = after.facts().get("scene").map_or("", String::as_str);
    let mut text = output::wrapped(
        &format!(
            "{scene}: {} frames before, {} after, warm-up left out{}",
            before.frames().len(),
            after.frames().len(),
            if output::is_debug_build() {
                ", DEBUG BUILD"
            } else {
                ""
            }
        ),
        "",
        2,
    );
    let differing = comparison
        .differing_facts
        .iter()
        .filter(|(fact, ..)| fact != PACE);
    for (fact, was, is) in differing.clone() {
        let line = match fact.as_str() {
            PROGRAM => String::from("another build of the program"),
            _ => format!("{fact}: {} before, {} after", known(was), known(is)),
        };
        text += &output::wrapped(&line, "differs: ", 9);
    }
    if differing.count() == 0 {
        text += "nothing differs that is known: the same program, scene and machine\n";
    }
    text += &output::wrapped(&verdict(comparison), "", 2);
    if let Some(line) = pace_ratio(before, after).and_then(|pace| other_pace(comparison, pace)) {
        text += &output::wrapped(&line, "", 2);
    }
    let _ = write!(text, "\n{}\n\n", table(comparison));
    text += &output::wrapped(
        &format!(
            "{} The ratio is after by before: {}. The interval holds it with 99 %; a difference counts from {:.0} % and {} on.",
            note,
            match comparison.is_paired {
                true => "the median over frames of the same number",
                false => "that of the medians, since the scenes differ",
            },
            (comparison.threshold.ratio - 1.0) * 100.0,
            time(comparison.threshold.difference)
        ),
        "",
        0,
    );
    text
}

/// What the pace of the machine explains, if it was another.
fn other_pace(comparison: &Comparison, pace: f64) -> Option<String> {
    if (1.0 / SAME_PACE..=SAME_PACE).contains(&pace) {
        return None;
    }
    let frame = comparison
        .names
        .iter()
        .find(|ratio| ratio.kind == "frame")?;
    Some(format!(
        "but the machine was at another pace: a fixed piece of work took {} of the time before; at the same pace the frame would \
         be at about {}. Measure in turn with `--versus`, or again",
        percent(pace),
        percent(frame.ratio / pace)
    ))
}

fn known(fact: &str) -> &str {
    match fact {
        "" => "unknown",
        known => known,
    }
}

/// The frame in plain words, and how many names went up and down.
fn verdict(comparison: &Comparison) -> String {
    let count = |change| {
        comparison
            .names
            .iter()
            .filter(|ratio| ratio.change == change)
            .count()
    };
    let frame = comparison.names.iter().find(|ratio| ratio.kind == "frame");
    let frame = frame.map_or_else(String::new, |frame| match frame.change {
        Change::Slower | Change::Faster => format!(
            "the frame is {}: {} of the time before; ",
            frame.change.words(),
            percent(frame.ratio)
        ),
        other => format!("the frame: {}; ", other.words()),
    });
    format!(
        "{frame}of {} names {} are slower, {} faster",
        comparison.names.len(),
        count(Change::Slower),
        count(Change::Faster)
    )
}

fn percent(ratio: f64) -> String {
    format!("{:.0} %", ratio * 100.0)
}

/// The names, the greatest difference in time first; those without a change last.
fn table(comparison: &Comparison) -> String {
    let mut names: Vec<&NameComparison> = comparison.names.iter().collect();
    let weight = |ratio: &NameComparison| {
        let is_change = matches!(ratio.change, Change::Slower | Change::Faster);
        (
            !is_change,
            std::cmp::Reverse(ratio.before.abs_diff(ratio.after)),
        )
    };
    names.sort_by_key(|ratio| weight(ratio));
    let mut table = Table::new();
    table
        .load_style(comfy_table::TableStyle::new())
        .set_content_arrangement(ContentArrangement::Disabled)
        .set_header([
            "kind", "name", "before", "after", "ratio", "interval", "shown",
        ]);
    for ratio in names {
        let is_known = ratio.low != ratio.high || ratio.ratio != 1.0;
        let figure = |figure: String| if is_known { figure } else { String::new() };
        let of = |duration, missing| match ratio.change == missing {
            true => String::new(),
            false => time(duration),
        };
        table.add_row([
            ratio.kind.clone(),
            output::shortened(&ratio.name, WIDEST_NAME),
            of(ratio.before, Change::New),
            of(ratio.after, Change::Gone),
            figure(format!("{:.2}", ratio.ratio)),
            figure(format!("{:.2}-{:.2}", ratio.low, ratio.high)),
            short(ratio.change).to_owned(),
        ]);
    }
    for (position, column) in table.column_iter_mut().enumerate() {
        column.set_padding((0, 1));
        if (2..6).contains(&position) {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    output::without_trailing_blanks(&table)
}

/// The change in a column of its own, where "no difference shown" in each line would drown what is shown.
fn short(change: Change) -> &'static str {
    match change {
        Change::NoDifference => "no difference",
        other => other.words(),
    }
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct ComparisonSummary<'c> {
    paired: bool,
    least_ratio: f64,
    least_difference_ms: f64,
    differs: Vec<Difference<'c>>,
    names: Vec<RatioSummary<'c>>,
}

#[derive(Serialize)]
struct Difference<'c> {
    fact: &'c str,
    before: &'c str,
    after: &'c str,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct RatioSummary<'c> {
    kind: &'c str,
    name: &'c str,
    before_ms: f64,
    after_ms: f64,
    ratio: f64,
    low: f64,
    high: f64,
    shown: &'static str,
}

impl<'c> ComparisonSummary<'c> {
    pub(crate) fn new(comparison: &'c Comparison) -> Self {
        let differs = comparison.differing_facts.iter();
        let names = comparison.names.iter();
        Self {
            paired: comparison.is_paired,
            least_ratio: comparison.threshold.ratio,
            least_difference_ms: milliseconds(comparison.threshold.difference),
            differs: differs
                .map(|(fact, before, after)| Difference {
                    fact,
                    before,
                    after,
                })
                .collect(),
            names: names
                .map(|ratio| RatioSummary {
                    kind: &ratio.kind,
                    name: &ratio.name,
                    before_ms: milliseconds(ratio.before),
                    after_ms: milliseconds(ratio.after),
                    ratio: ratio.ratio,
                    low: ratio.low,
                    high: ratio.high,
                    shown: ratio.change.words(),
                })
                .collect(),
        }
    }
}

//! The profile as text: what is wrong first, then the table, worst first.

use super::RESIDENT;
use super::summary::{Profile, Slowest};
use crate::output::{self, share, time};
use comfy_table::{CellAlignment, ContentArrangement, Table};
use console::Term;
use gerust::profile::{Category, Culprit, Statistic};
use std::fmt::Write as _;

/// A name is cut to this, so that the table stays within 80 columns.
const WIDEST_NAME: usize = 26;
/// From this width on there is room for the further columns.
const WIDE: u16 = 120;
/// The number of culprits and counters that are listed.
const MOST_CULPRITS: usize = 3;

pub(super) fn of(profile: &Profile) -> String {
    let report = &profile.report;
    let is_debug = output::is_debug_build();
    let mut text = output::wrapped(
        &format!(
            "{}: {} frames, {} entities at the end{}",
            report.title(),
            report.frames(),
            report.entities(),
            if is_debug { ", DEBUG BUILD" } else { "" },
        ),
        "",
        2,
    );
    let left_out = output::left_out(report);
    let budget = format!(
        "budget {}: {}{}",
        time(report.budget()),
        output::over_budget(report),
        left_out.map_or_else(String::new, |left_out| format!("; {left_out}"))
    );
    text += &output::wrapped(&budget, "", 2);
    for line in [
        culprits(profile),
        budgets_of_systems(profile),
        profile.slowest.as_ref().map(slowest),
        warm_up(profile),
        counters(profile),
        Some(clock(profile)),
    ]
    .into_iter()
    .flatten()
    {
        text += &output::wrapped(&line, "", 2);
    }
    let is_wide = Term::stdout().is_term() && Term::stdout().size().1 >= WIDE;
    let _ = write!(text, "\n{}", table(profile, is_wide));
    text
}

/// What made frames go over the budget.
fn culprits(profile: &Profile) -> Option<String> {
    let report = &profile.report;
    let over = report.frames_over_budget();
    if over == 0 {
        return None;
    }
    if over * 2 > report.frames_profiled() {
        // Where the middle frame is over, no single frame is to blame but what takes the time in all of them.
        let systems = report.statistics().iter();
        let heaviest = systems
            .filter(|statistic| statistic.category() == Category::System)
            .max_by_key(|statistic| statistic.median())?;
        return Some(format!(
            "over budget: most frames are; what takes most of them is {}, {} of the budget in the median",
            heaviest.name(),
            share(heaviest.share_of_budget())
        ));
    }
    let told: Vec<String> = profile
        .culprits
        .iter()
        .take(MOST_CULPRITS)
        .map(culprit)
        .collect();
    let more = profile.culprits.len() - told.len();
    let more = if more > 0 {
        format!(", and {more} more")
    } else {
        String::new()
    };
    Some(format!("over budget because of: {}{more}", told.join(", ")))
}

fn culprit(culprit: &Culprit) -> String {
    format!(
        "{} in {} (at worst {} more, frame {})",
        named(culprit.category, &culprit.name, culprit.within.as_deref()),
        match culprit.frames {
            1 => String::from("1 frame"),
            frames => format!("{frames} frames"),
        },
        time(culprit.most_more),
        culprit.worst_frame
    )
}

/// A name in a sentence: what is left of a frame or a phase is what lies between its systems.
fn named(category: Category, name: &str, within: Option<&str>) -> String {
    match (category, within) {
        (Category::Frame | Category::Phase, _) => format!("{name} itself"),
        (_, Some(system)) => format!("{name} of {system}"),
        (_, None) => name.to_owned(),
    }
}

/// The systems that have a budget of their own.
fn budgets_of_systems(profile: &Profile) -> Option<String> {
    let systems = profile.report.statistics().iter();
    let told: Vec<String> = systems
        .filter(|statistic| statistic.category() == Category::System)
        .filter_map(|statistic| Some((statistic, statistic.budget()?)))
        .map(|(statistic, budget)| {
            let over = statistic.frames_over_budget();
            let name = statistic.name();
            let within = format!(
                "{name} {over} of {} frames over {}",
                statistic.frames(),
                time(budget)
            );
            match over {
                0 => within,
                _ => format!(
                    "{within} (worst {}, frame {})",
                    time(statistic.worst()),
                    statistic.worst_frame()
                ),
            }
        })
        .collect();
    (!told.is_empty()).then(|| format!("budgets of systems: {}", told.join(", ")))
}

fn slowest(slowest: &Slowest) -> String {
    let reasons: Vec<String> = slowest
        .excess
        .iter()
        .map(|excess| {
            format!(
                "{} in {}",
                time(excess.more()),
                named(excess.category, &excess.name, excess.within.as_deref())
            )
        })
        .collect();
    format!(
        "slowest frame {}: {}, {} more than the median: {}",
        slowest.frame,
        time(slowest.took),
        time(slowest.took.saturating_sub(slowest.median)),
        reasons.join(", ")
    )
}

fn warm_up(profile: &Profile) -> Option<String> {
    let frames = profile.warm_up.first()?;
    Some(format!(
        "warm-up, kept apart: {} frames, median {}, worst {} (frame {})",
        frames.frames(),
        time(frames.median()),
        time(frames.worst()),
        frames.worst_frame()
    ))
}

/// The middle of each counter, and its highest value where that is another.
fn counters(profile: &Profile) -> Option<String> {
    let told: Vec<String> = profile
        .counters
        .iter()
        .map(|counter| {
            let figure = |value: u64| match counter.name {
                RESIDENT => output::bytes(value as usize),
                _ => value.to_string(),
            };
            let (median, most) = (figure(counter.median), figure(counter.most));
            match median == most {
                true => format!("{} {median}", counter.name),
                false => format!(
                    "{} {median} (most {most}, frame {})",
                    counter.name, counter.most_frame
                ),
            }
        })
        .collect();
    (!told.is_empty()).then(|| format!("counted per frame: {}", told.join(", ")))
}

fn clock(profile: &Profile) -> String {
    let (clock, spans) = (profile.clock, profile.spans_per_frame);
    let cost = clock.of_spans(spans);
    let of_frame = profile
        .slowest
        .as_ref()
        .map_or_else(String::new, |slowest| {
            let part = cost.as_secs_f64() / slowest.median.as_secs_f64().max(f64::EPSILON);
            format!(", {} of the median frame", share(part))
        });
    format!(
        "clock: {:.0} ns a read, steps of {} ns; the {spans} spans of a frame cost about {}{of_frame}",
        clock.read_nanoseconds(),
        clock.step().as_nanos(),
        time(cost)
    )
}

fn table(profile: &Profile, is_wide: bool) -> String {
    let statistics = profile.report.statistics();
    let highest = statistics
        .iter()
        .map(Statistic::share_of_budget)
        .fold(0.0, f64::max);
    let scale = Scale::for_highest(highest);
    let mut table = Table::new();
    let mut header = vec![
        String::from("name"),
        "median".into(),
        "95 %".into(),
        "99 %".into(),
        "worst".into(),
        "at".into(),
    ];
    if is_wide {
        header.extend(["calls".into(), "total".into(), "self".into()]);
    }
    header.extend([String::from("budget"), scale.title()]);
    let right = header.len() - 1;
    table
        .load_style(comfy_table::TableStyle::new())
        .set_content_arrangement(ContentArrangement::Disabled)
        .set_header(header);
    let mut category = None;
    for statistic in statistics {
        if category.replace(statistic.category()) != Some(statistic.category())
            && let Some(title) = title(statistic.category())
        {
            table.add_row([title]);
        }
        table.add_row(row(statistic, &scale, is_wide));
    }
    for (position, column) in table.column_iter_mut().enumerate() {
        // Room to the right only: with the usual room on both sides long names would pass 80 columns.
        column.set_padding((0, 1));
        if (1..right).contains(&position) {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    output::without_trailing_blanks(&table)
}

/// What stands above the names of a kind.
fn title(category: Category) -> Option<&'static str> {
    match category {
        Category::Frame => None,
        Category::Phase => Some("phases"),
        Category::System => Some("systems"),
        Category::Part => Some("parts of the runtime"),
        Category::Block => Some("blocks"),
    }
}

fn row(statistic: &Statistic, scale: &Scale, is_wide: bool) -> Vec<String> {
    let indent = match statistic.category() {
        Category::Frame => "",
        _ => " ",
    };
    let name = format!("{indent}{}", statistic.name());
    let mut row = vec![
        output::shortened(&name, WIDEST_NAME),
        time(statistic.median()),
        time(statistic.percentile_95()),
        time(statistic.percentile_99()),
        time(statistic.worst()),
        statistic.worst_frame().to_string(),
    ];
    if is_wide {
        row.extend([
            statistic.calls().to_string(),
            time(statistic.total()),
            time(statistic.self_time()),
        ]);
    }
    let of_budget = statistic.share_of_budget();
    row.extend([share(of_budget), scale.bar(of_budget)]);
    row
}

/// How long the bars are.
struct Scale {
    /// The share of the budget that fills a bar.
    full: f64,
}

/// Columns of a full bar.
const BAR: usize = 6;

impl Scale {
    /// The budget fills a bar, or a tenth, a hundredth or a thousandth of it where nothing takes as much: where a frame takes a
    /// thousandth of its budget there would be nothing to see.
    fn for_highest(highest: f64) -> Self {
        let scales = [0.001, 0.01, 0.1].into_iter();
        let full = scales.into_iter().find(|&full| highest <= full);
        Self {
            full: full.unwrap_or(1.0),
        }
    }

    fn title(&self) -> String {
        format!("to {} %", self.full * 100.0)
    }

    /// A bar in eighths of a column; what does not fit ends in an arrow.
    fn bar(&self, share: f64) -> String {
        let eighths = (share / self.full * (BAR * 8) as f64).round() as usize;
        if eighths > BAR * 8 {
            return "█".repeat(BAR - 1) + "►";
        }
        let rest = ["", "▏", "▎", "▍", "▌", "▋", "▊", "▉"][eighths % 8];
        "█".repeat(eighths / 8) + rest
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bars_tell_the_share() {
        let scale = Scale::for_highest(0.4);
        assert_eq!((scale.full, scale.title().as_str()), (1.0, "to 100 %"));
        assert_eq!(scale.bar(1.0), "██████");
        assert_eq!(scale.bar(0.5), "███");
        assert_eq!(scale.bar(1.0 / 48.0), "▏");
        assert_eq!(scale.bar(0.0), "");
        assert_eq!(scale.bar(1.1), "█████►");
        let small = Scale::for_highest(0.0009);
        assert_eq!(
            (small.bar(0.001).chars().count(), small.title().as_str()),
            (6, "to 0.1 %")
        );
    }
}

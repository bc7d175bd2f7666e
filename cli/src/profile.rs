//! `gerust profile`.

use crate::Verdict;
use crate::arguments::{Format, ProfileCommand};
use crate::engine::Engine;
use crate::output::{self, milliseconds, share, time};
use crate::trouble::Trouble;
use comfy_table::{CellAlignment, ContentArrangement, Table};
use gerust::profile::{Category, Excess, Profiler, Statistic};
use gerust::scene::{Report, Scene};
use serde::Serialize;
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::Path;
use std::time::Duration;

/// A name is cut to this, so that the table stays within 80 columns.
const WIDEST_NAME: usize = 26;

pub(crate) fn run(engine: &Engine, command: &ProfileCommand) -> Verdict {
    output::warn_of_debug_build();
    let scene = Scene::load(&command.scene, engine.registry())?;
    let mut run = scene.start(output::runtime(engine, command.threads)?)?;
    output::advance_to(&mut run, scene.frames())?;
    let report = run.report();
    let profiler = run.runtime().profiler();
    if let Some(path) = &command.trace {
        write(path, |file| profiler.write_trace(file))?;
    }
    if let Some(path) = &command.csv {
        write(path, |file| profiler.write_csv(file))?;
    }
    match command.format {
        Format::Text => output::print(&text(&report, profiler))?,
        Format::Json => output::print_json(&Summary::new(&scene, &report, profiler))?,
    }
    // What the scene expects is the business of `run`: a profile of a scene that fails is still a profile.
    Ok(true)
}

/// Writes a file, and leaves none behind that is not whole.
fn write(
    path: &Path,
    contents: impl FnOnce(&mut BufWriter<File>) -> io::Result<()>,
) -> Result<(), Trouble> {
    let cannot = |error: io::Error| {
        Trouble::other(format!(
            "{} cannot be written: {error}; check the directory",
            path.display()
        ))
    };
    let mut file = BufWriter::new(File::create(path).map_err(cannot)?);
    let written = contents(&mut file).and_then(|()| file.flush());
    written.map_err(|error| {
        // What is left of it would look like a profile.
        let _ = std::fs::remove_file(path);
        cannot(error)
    })
}

fn text(report: &Report, profiler: &Profiler) -> String {
    let mut table = Table::new();
    table
        .load_style(comfy_table::TableStyle::new())
        .set_content_arrangement(ContentArrangement::Disabled)
        .set_header([
            "kind", "name", "calls", "median", "95 %", "worst", "at", "budget",
        ]);
    for statistic in report.statistics() {
        table.add_row(row(statistic));
    }
    for (position, column) in table.column_iter_mut().enumerate() {
        // Room to the right only: with the usual room on both sides long names would pass 80 columns.
        column.set_padding((0, 2));
        if position >= 2 {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    let slowest = Slowest::of(profiler).map_or_else(String::new, |slowest| slowest.text());
    format!(
        "{}: {} frames, {} entities at the end{}\n{} frames over the budget of {}{}\n{slowest}\n{}",
        report.title(),
        report.frames(),
        report.entities(),
        if cfg!(debug_assertions) {
            ", DEBUG BUILD"
        } else {
            ""
        },
        report.frames_over_budget(),
        time(report.budget()),
        output::of_the_last(report),
        table
            .lines()
            .map(|line| line.trim_end().to_owned())
            .collect::<Vec<_>>()
            .join("\n")
    )
}

/// The slowest frame and what made it slow.
struct Slowest {
    frame: u64,
    took: Duration,
    median: Duration,
    /// What took more than as a rule, the most first.
    excess: Vec<Excess>,
}

/// Names that are told of a slow frame.
const MOST_REASONS: usize = 3;

impl Slowest {
    fn of(profiler: &Profiler) -> Option<Self> {
        let slowest = profiler.frames().max_by_key(|frame| frame.duration())?;
        let frames = profiler.statistics();
        let frames = frames
            .iter()
            .find(|known| known.category() == Category::Frame)?;
        let mut excess = profiler.excess_of(slowest.number());
        excess.retain(|excess| !excess.more().is_zero());
        excess.truncate(MOST_REASONS);
        Some(Self {
            frame: slowest.number(),
            took: slowest.duration(),
            median: frames.median(),
            excess,
        })
    }

    fn text(&self) -> String {
        let reasons: Vec<String> = self
            .excess
            .iter()
            .map(|excess| {
                let (more, name) = (time(excess.more()), &excess.name);
                match excess.category {
                    // What is left of a frame or a phase is what lies between its systems.
                    Category::Frame | Category::Phase => format!("{more} in {name} itself"),
                    Category::System | Category::Block => format!("{more} in {name}"),
                }
            })
            .collect();
        let line = format!(
            "the slowest frame, {}, took {}, {} more than the median: {}",
            self.frame,
            time(self.took),
            time(self.took.saturating_sub(self.median)),
            reasons.join(", ")
        );
        output::wrapped(&line, "", 2)
    }
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct SlowestSummary {
    frame: u64,
    took_ms: f64,
    median_ms: f64,
    excess: Vec<ExcessSummary>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct ExcessSummary {
    kind: &'static str,
    name: String,
    self_ms: f64,
    median_self_ms: f64,
}

impl From<Slowest> for SlowestSummary {
    fn from(slowest: Slowest) -> Self {
        Self {
            frame: slowest.frame,
            took_ms: milliseconds(slowest.took),
            median_ms: milliseconds(slowest.median),
            excess: slowest
                .excess
                .into_iter()
                .map(|excess| ExcessSummary {
                    kind: excess.category.name(),
                    name: excess.name,
                    self_ms: milliseconds(excess.self_time),
                    median_self_ms: milliseconds(excess.median),
                })
                .collect(),
        }
    }
}

fn row(statistic: &Statistic) -> [String; 8] {
    [
        statistic.category().name().to_owned(),
        output::shortened(statistic.name(), WIDEST_NAME),
        statistic.calls().to_string(),
        time(statistic.median()),
        time(statistic.percentile_95()),
        time(statistic.worst()),
        statistic.worst_frame().to_string(),
        share(statistic.share_of_budget()),
    ]
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Summary<'r> {
    scene: String,
    title: &'r str,
    build: &'static str,
    frames: u64,
    entities: usize,
    budget_ms: f64,
    frames_over_budget: usize,
    slowest_frame: Option<SlowestSummary>,
    names: Vec<NameSummary<'r>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct NameSummary<'r> {
    kind: &'static str,
    name: &'r str,
    calls: u64,
    total_ms: f64,
    self_ms: f64,
    median_ms: f64,
    percentile_95_ms: f64,
    percentile_99_ms: f64,
    worst_ms: f64,
    worst_frame: u64,
    share_of_budget: f64,
}

impl<'r> Summary<'r> {
    fn new(scene: &Scene, report: &'r Report, profiler: &Profiler) -> Self {
        Self {
            scene: scene.path().display().to_string(),
            title: report.title(),
            build: output::build(),
            frames: report.frames(),
            entities: report.entities(),
            budget_ms: milliseconds(report.budget()),
            frames_over_budget: report.frames_over_budget(),
            slowest_frame: Slowest::of(profiler).map(SlowestSummary::from),
            names: report.statistics().iter().map(NameSummary::new).collect(),
        }
    }
}

impl<'r> NameSummary<'r> {
    fn new(statistic: &'r Statistic) -> Self {
        Self {
            kind: statistic.category().name(),
            name: statistic.name(),
            calls: statistic.calls(),
            total_ms: milliseconds(statistic.total()),
            self_ms: milliseconds(statistic.self_time()),
            median_ms: milliseconds(statistic.median()),
            percentile_95_ms: milliseconds(statistic.percentile_95()),
            percentile_99_ms: milliseconds(statistic.percentile_99()),
            worst_ms: milliseconds(statistic.worst()),
            worst_frame: statistic.worst_frame(),
            share_of_budget: statistic.share_of_budget(),
        }
    }
}

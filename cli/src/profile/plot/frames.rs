//! The time of each frame, divided among systems.

use gerust::profile::{Category, FrameProfile, Profiler, Span};
use std::collections::HashMap;
use std::time::Duration;

/// Systems with a colour of their own.
pub(super) const MOST_SYSTEMS: usize = 9;
/// Of them chosen by their worst frame.
const SPIKES: usize = 2;

/// What the picture shows.
pub(crate) struct FrameTimes {
    pub(crate) budget: Duration,
    /// From the bottom of the stack upwards.
    pub(crate) parts: Vec<Part>,
    pub(crate) columns: Vec<Column>,
    /// The number of frames behind a column; it shows the slowest of them.
    pub(crate) frames_per_column: usize,
    /// Whether any frame had helpers, so that its parts are scaled.
    pub(crate) is_scaled: bool,
    /// The upper end of the scale, in milliseconds.
    pub(crate) top: f64,
}

pub(crate) struct Part {
    pub(crate) name: String,
    pub(crate) kind: PartKind,
    /// The middle time in a frame, in milliseconds.
    pub(crate) median: f64,
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum PartKind {
    /// One of the systems with the highest times, counted from 0.
    System(usize),
    OtherSystems,
    Edits,
    /// What the frame's thread does between systems, waiting for others included.
    Between,
}

pub(crate) struct Column {
    /// The first of its frames.
    pub(crate) first: u64,
    pub(crate) is_warm_up: bool,
    pub(crate) is_over: bool,
    /// Milliseconds by part.
    pub(crate) times: Vec<f64>,
}

impl Column {
    pub(crate) fn whole(&self) -> f64 {
        self.times.iter().sum()
    }
}

/// Whose time it is.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
enum Owner<'p> {
    System(&'p str),
    Edits,
    Between,
}

impl FrameTimes {
    /// Groups the frames into at most the given number of columns.
    pub(crate) fn of(profiler: &Profiler, most_columns: usize) -> Self {
        let owned: Vec<(&FrameProfile, HashMap<Owner<'_>, f64>)> = profiler
            .frames()
            .map(|frame| (frame, divide(profiler, frame)))
            .collect();
        let owners = owners_by_total(&owned);
        let parts = owners.len();
        let frames_per_column = owned.len().div_ceil(most_columns).max(1);
        let columns: Vec<Column> = owned
            .chunks(frames_per_column)
            .filter_map(|frames| {
                let slowest = frames.iter().max_by_key(|(frame, _)| frame.duration())?;
                Some((frames[0].0.number(), slowest))
            })
            .map(|(first, (frame, times))| {
                let mut column = vec![0.0; parts];
                for (owner, &time) in times {
                    column[place_of(&owners, *owner)] += time / 1e6;
                }
                Column {
                    first,
                    is_warm_up: frame.is_warm_up(),
                    is_over: !frame.is_warm_up() && frame.duration() > profiler.budget(),
                    times: column,
                }
            })
            .collect();
        Self {
            budget: profiler.budget(),
            parts: named_parts(&owners, &columns),
            frames_per_column,
            is_scaled: profiler
                .frames()
                .any(|frame| frame.spans().iter().any(|span| span.thread() > 0)),
            top: top_of(&columns, profiler.budget().as_secs_f64() * 1e3),
            columns,
        }
    }
}

/// The self times of a frame by the system in which they lie. Those of all threads, scaled so that they add up to the time of
/// the frame: by its own thread alone, a system would come and go with the thread that takes it.
fn divide<'p>(profiler: &'p Profiler, frame: &'p FrameProfile) -> HashMap<Owner<'p>, f64> {
    let mut times: HashMap<Owner<'p>, f64> = HashMap::new();
    for piece in frame.pieces() {
        let span = piece.span;
        let owner = match (span.category(), piece.system) {
            (Category::System, _) => Owner::System(profiler.name_of(span)),
            (Category::Frame | Category::Phase, _) => Owner::Between,
            (Category::Part | Category::Block, Some(system)) => {
                Owner::System(profiler.name_of(system))
            }
            // The frame's own thread has no parts outside of systems but these.
            (Category::Part | Category::Block, None) if span.thread() == 0 => Owner::Edits,
            (Category::Part | Category::Block, None) => system_at(profiler, frame, span),
        };
        *times.entry(owner).or_default() += piece.self_nanoseconds as f64;
    }
    let sum: f64 = times.values().sum();
    let scale = frame.duration().as_nanos() as f64 / sum.max(1.0);
    times.values_mut().for_each(|time| *time *= scale);
    times
}

/// The system for which a helper works: one that runs at that time on the frame's own thread, or else on another.
fn system_at<'p>(profiler: &'p Profiler, frame: &'p FrameProfile, work: &Span) -> Owner<'p> {
    let start = frame.offset(work);
    let runs = |span: &&Span| {
        let end = frame.offset(span) + Duration::from_nanos(span.nanoseconds());
        span.category() == Category::System && (frame.offset(span)..=end).contains(&start)
    };
    let running = frame.spans().iter().filter(runs);
    let system = running.min_by_key(|span| span.thread());
    system.map_or(Owner::Between, |span| Owner::System(profiler.name_of(span)))
}

/// The parts of the stack: the systems with the highest times in total and in a single frame, all other systems, edits, and
/// what lies between.
fn owners_by_total<'p>(
    owned: &[(&FrameProfile, HashMap<Owner<'p>, f64>)],
) -> Vec<(Option<Owner<'p>>, usize)> {
    let mut totals: HashMap<&'p str, (f64, f64)> = HashMap::new();
    let mut has_edits = false;
    for (owner, time) in owned.iter().flat_map(|(_, times)| times) {
        match owner {
            Owner::System(name) => {
                let (total, worst) = totals.entry(name).or_default();
                *total += time;
                *worst = worst.max(*time);
            }
            Owner::Edits => has_edits = true,
            Owner::Between => {}
        }
    }
    let mut systems: Vec<(&str, (f64, f64))> = totals.into_iter().collect();
    systems.sort_by(|(a, (total, _)), (b, (other, _))| other.total_cmp(total).then(a.cmp(b)));
    let rest = systems.len().saturating_sub(MOST_SYSTEMS);
    if rest > 0 {
        // Parts that make only a few frames long count as well.
        let by_total = MOST_SYSTEMS - SPIKES;
        systems[by_total..].sort_by(|(_, (_, worst)), (_, (_, other))| other.total_cmp(worst));
    }
    let shown = systems.iter().take(MOST_SYSTEMS);
    let mut owners: Vec<_> = shown
        .map(|&(name, _)| (Some(Owner::System(name)), 1))
        .collect();
    if rest > 0 {
        owners.push((None, rest));
    }
    if has_edits {
        owners.push((Some(Owner::Edits), 1));
    }
    owners.push((Some(Owner::Between), 1));
    owners
}

fn place_of(owners: &[(Option<Owner<'_>>, usize)], owner: Owner<'_>) -> usize {
    let own = owners.iter().position(|(known, _)| *known == Some(owner));
    let rest = || owners.iter().position(|(known, _)| known.is_none());
    own.or_else(rest).unwrap_or(owners.len() - 1)
}

fn named_parts(owners: &[(Option<Owner<'_>>, usize)], columns: &[Column]) -> Vec<Part> {
    let parts = owners.iter().enumerate();
    parts
        .map(|(place, (owner, count))| {
            let (name, kind) = match owner {
                Some(Owner::System(name)) => ((*name).to_owned(), PartKind::System(place)),
                None => (format!("{count} other systems"), PartKind::OtherSystems),
                Some(Owner::Edits) => (String::from("edits"), PartKind::Edits),
                Some(Owner::Between) => (String::from("between systems"), PartKind::Between),
            };
            let measured = columns.iter().filter(|column| !column.is_warm_up);
            let times = measured.map(|column| column.times[place]).collect();
            Part {
                name,
                kind,
                median: percentile(times, 0.5),
            }
        })
        .collect()
}

fn percentile(mut values: Vec<f64>, share: f64) -> f64 {
    values.sort_unstable_by(f64::total_cmp);
    let rank = (values.len() as f64 * share).ceil() as usize;
    values.get(rank.saturating_sub(1)).copied().unwrap_or(0.0)
}

/// A few frames may be cut off so that all others can be read; the budget is on the scale if it is near.
fn top_of(columns: &[Column], budget: f64) -> f64 {
    let measured = columns.iter().filter(|column| !column.is_warm_up);
    let times: Vec<f64> = measured.map(Column::whole).collect();
    let worst = times.iter().copied().fold(0.0, f64::max);
    let usual = percentile(times, 0.98);
    let top = if worst > 2.5 * usual {
        1.6 * usual
    } else {
        1.05 * worst
    };
    let top = top.max(1e-6);
    if budget < 2.5 * top {
        top.max(1.12 * budget)
    } else {
        top
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn column(whole: f64) -> Column {
        Column {
            first: 1,
            is_warm_up: false,
            is_over: false,
            times: vec![whole],
        }
    }

    #[test]
    fn outliers_do_not_squeeze_the_others_and_a_near_budget_is_shown() {
        let mut columns: Vec<Column> = (0..100).map(|_| column(2.0)).collect();
        assert!((top_of(&columns, 100.0) - 2.1).abs() < 1e-9);
        assert!((top_of(&columns, 4.0) - 4.48).abs() < 1e-9);
        columns.push(column(80.0));
        assert!((top_of(&columns, 100.0) - 3.2).abs() < 1e-9);
        assert!(top_of(&[], 5.0) > 0.0);
    }
}

//! How the times of each system spread.

use gerust::profile::{Category, Profiler, Statistic};

/// What the picture shows.
pub(super) struct SystemTimes {
    /// Milliseconds.
    pub(super) frame_budget: f64,
    pub(super) frames: usize,
    /// The frame, then systems by total time.
    pub(super) rows: Vec<Row>,
}

/// The times of one name per frame, in milliseconds.
pub(super) struct Row {
    pub(super) name: String,
    pub(super) low: f64,
    pub(super) quarter: f64,
    pub(super) median: f64,
    pub(super) three_quarters: f64,
    pub(super) high: f64,
    pub(super) worst: f64,
    /// A budget of its own.
    pub(super) budget: Option<f64>,
    pub(super) frames_over: usize,
}

impl SystemTimes {
    pub(super) fn of(profiler: &Profiler) -> Self {
        let statistics = profiler.statistics();
        let is_shown = |statistic: &&Statistic| {
            matches!(statistic.category(), Category::Frame | Category::System)
        };
        Self {
            frame_budget: profiler.budget().as_secs_f64() * 1e3,
            frames: statistics.first().map_or(0, Statistic::frames),
            rows: statistics.iter().filter(is_shown).map(Row::of).collect(),
        }
    }

    /// The least and the greatest time that is drawn.
    pub(super) fn range(&self) -> (f64, f64) {
        let low = self.rows.iter().map(|row| row.low).fold(f64::MAX, f64::min);
        let high = self.rows.iter().map(|row| row.worst).fold(0.0, f64::max);
        match low <= high {
            true => (low.max(1e-6), high.max(1e-6)),
            false => (1e-6, 1.0),
        }
    }
}

impl Row {
    fn of(statistic: &Statistic) -> Self {
        let percentile = |percent| statistic.percentile(percent).as_secs_f64() * 1e3;
        let own = match statistic.category() {
            // The budget of the frame has a line of its own.
            Category::Frame => None,
            _ => statistic.budget(),
        };
        Self {
            name: statistic.name().to_owned(),
            low: percentile(5),
            quarter: percentile(25),
            median: percentile(50),
            three_quarters: percentile(75),
            high: percentile(95),
            worst: percentile(100),
            budget: own.map(|budget| budget.as_secs_f64() * 1e3),
            frames_over: statistic.frames_over_budget(),
        }
    }
}

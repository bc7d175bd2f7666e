//! Paints the time of each frame as a stack of its parts.

use super::Captioned;
use super::frames::{FrameTimes, PartKind};
use super::sheet::{self, Error, SMALL_SIZE, TEXT_SIZE, tick};
use crate::font::FAMILY;
use crate::output::time;
use crate::picture::{BLUE, INK, OCHRE, Painting, STEEL, TEAL, VERMILION};
use plotters::coord::Shift;
use plotters::coord::types::RangedCoordf64;
use plotters::prelude::*;
use plotters::style::text_anchor::HPos;
use std::time::Duration;

/// One for each system that has a place of its own: neighbors differ in lightness as well as in hue.
const SYSTEMS: [RGBColor; super::frames::MOST_SYSTEMS] = [
    BLUE,
    RGBColor(240, 178, 60),
    TEAL,
    RGBColor(196, 120, 190),
    RGBColor(92, 54, 130),
    RGBColor(120, 190, 230),
    RGBColor(150, 72, 40),
    RGBColor(160, 180, 70),
    OCHRE,
];
const OTHERS: RGBColor = RGBColor(172, 170, 162);
const EDITS: RGBColor = RGBColor(70, 76, 84);
const BETWEEN: RGBColor = RGBColor(212, 208, 198);
/// Paper on which warm-up lies.
const WARM_UP: RGBColor = RGBColor(238, 235, 226);

const LEGEND_WIDTH: u32 = 262;
const LEGEND_LINE: i32 = 21;

type Panel<'a, B> = ChartContext<'a, B, Cartesian2d<RangedCoordf64, RangedCoordf64>>;

fn colour(kind: PartKind) -> RGBColor {
    match kind {
        PartKind::System(place) => SYSTEMS[place % SYSTEMS.len()],
        PartKind::OtherSystems => OTHERS,
        PartKind::Edits => EDITS,
        PartKind::Between => BETWEEN,
    }
}

impl Painting for Captioned<'_, FrameTimes> {
    fn paint<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), Error<B>> {
        let times = self.times;
        let below = format!(
            "time of each frame by part{}; {}{}",
            match times.is_scaled {
                true => ": the work of all threads, scaled to the length of the frame",
                false => "",
            },
            self.measured,
            match times.frames_per_column {
                1 => String::new(),
                several => format!("; the slowest of {several} frames each"),
            }
        );
        let rest = sheet::begin(area, self.title, &below)?;
        let (width, _) = rest.dim_in_pixel();
        let (chart, legend) = rest.split_horizontally(width.saturating_sub(LEGEND_WIDTH));
        times.paint_chart(&chart)?;
        times.paint_legend(&legend)?;
        area.present()
    }
}

impl FrameTimes {
    fn budget_ms(&self) -> f64 {
        self.budget.as_secs_f64() * 1e3
    }

    fn paint_chart<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), Error<B>> {
        let count = self.columns.len().max(1) as f64;
        let mut panel = ChartBuilder::on(area)
            .margin_right(10)
            .margin_left(8)
            .margin_top(10)
            .x_label_area_size(40)
            .y_label_area_size(62)
            .build_cartesian_2d(0.0..count, 0.0..self.top)?;
        let warm_up = self
            .columns
            .iter()
            .filter(|column| column.is_warm_up)
            .count();
        if warm_up > 0 {
            let region = [(0.0, 0.0), (warm_up as f64, self.top)];
            panel.draw_series([Rectangle::new(region, WARM_UP.filled())])?;
        }
        let frame_at = |place: &f64| {
            let column = self.columns.get(*place as usize);
            column.map_or_else(String::new, |column| column.first.to_string())
        };
        let mut mesh = panel.configure_mesh();
        sheet::style_mesh(&mut mesh);
        mesh.disable_x_mesh()
            .axis_desc_style((FAMILY, TEXT_SIZE).into_font().color(&INK))
            .x_desc("frame")
            .x_labels(10)
            .y_labels(8)
            .x_label_formatter(&frame_at)
            .y_label_formatter(&|time| tick(*time))
            .draw()?;
        for (place, part) in self.parts.iter().enumerate() {
            let colour = colour(part.kind);
            panel.draw_series(self.columns.iter().enumerate().filter_map(|(at, column)| {
                let from: f64 = column.times[..place].iter().sum();
                let to = (from + column.times[place]).min(self.top);
                let left = at as f64;
                (to > from)
                    .then(|| Rectangle::new([(left, from), (left + 1.0, to)], colour.filled()))
            }))?;
        }
        self.paint_marks(&mut panel)?;
        self.paint_budget(&mut panel, area, warm_up)
    }

    /// A dot above each frame over the budget, and an arrow where a frame goes beyond the scale.
    fn paint_marks<B: DrawingBackend>(&self, panel: &mut Panel<'_, B>) -> Result<(), Error<B>> {
        let middle = |at: usize| at as f64 + 0.5;
        let columns = || self.columns.iter().enumerate();
        let over = columns().filter(|(_, column)| column.is_over);
        panel.draw_series(over.map(|(at, column)| {
            let height = column.whole().min(self.top);
            EmptyElement::at((middle(at), height)) + Circle::new((0, -4), 3, VERMILION.filled())
        }))?;
        let beyond = columns().filter(|(_, column)| column.whole() > self.top);
        panel.draw_series(beyond.map(|(at, _)| {
            EmptyElement::at((middle(at), self.top)) + TriangleMarker::new((0, 7), 6, INK.filled())
        }))?;
        Ok(())
    }

    fn paint_budget<B: DrawingBackend>(
        &self,
        panel: &mut Panel<'_, B>,
        area: &DrawingArea<B, Shift>,
        warm_up: usize,
    ) -> Result<(), Error<B>> {
        let budget = self.budget_ms();
        if budget <= self.top {
            let line = [(0.0, budget), (self.columns.len().max(1) as f64, budget)];
            panel.draw_series(DashedLineSeries::new(line, 8, 4, VERMILION.stroke_width(2)))?;
        }
        // Places in the area, not in the chart.
        let (left, top) = area.get_base_pixel();
        let at = |x: f64, y: f64| {
            let (x, y) = panel.backend_coord(&(x, y));
            (x - left, y - top)
        };
        if warm_up > 0 {
            let (x, y) = at(0.0, self.top);
            sheet::write(
                area,
                "warm-up",
                (x + 4, y + 4),
                SMALL_SIZE,
                &STEEL,
                HPos::Left,
            )?;
        }
        let (x, y) = at(self.columns.len().max(1) as f64, budget.min(self.top));
        let (text, y) = if budget <= self.top {
            (format!("budget {}", time(self.budget)), y - 18)
        } else {
            let times = budget / self.top;
            (
                format!(
                    "budget {}: {times:.0} times as high as this picture",
                    time(self.budget)
                ),
                y + 4,
            )
        };
        sheet::write(area, &text, (x - 6, y), TEXT_SIZE, &VERMILION, HPos::Right)
    }

    /// From the top of the stack down, as it stands in the chart.
    fn paint_legend<B: DrawingBackend>(
        &self,
        area: &DrawingArea<B, Shift>,
    ) -> Result<(), Error<B>> {
        let mut y = 14;
        let heading = "median of each part";
        sheet::write(area, heading, (6, y), SMALL_SIZE, &STEEL, HPos::Left)?;
        y += LEGEND_LINE + 2;
        let right = LEGEND_WIDTH as i32 - 14;
        for part in self.parts.iter().rev() {
            let median = time(Duration::from_secs_f64(part.median / 1e3));
            let room = LEGEND_WIDTH - 36 - sheet::width_of(area, &median, SMALL_SIZE)? - 22;
            let name = sheet::fitted(area, &part.name, SMALL_SIZE, room)?;
            area.draw(&Rectangle::new(
                [(6, y), (20, y + 13)],
                colour(part.kind).filled(),
            ))?;
            sheet::write(area, &name, (28, y), SMALL_SIZE, &INK, HPos::Left)?;
            sheet::write(area, &median, (right, y), SMALL_SIZE, &INK, HPos::Right)?;
            y += LEGEND_LINE;
        }
        y += 8;
        let over = self.columns.iter().filter(|column| column.is_over).count();
        if over > 0 {
            area.draw(&Circle::new((13, y + 7), 3, VERMILION.filled()))?;
            sheet::write(
                area,
                "frame over the budget",
                (28, y),
                SMALL_SIZE,
                &INK,
                HPos::Left,
            )?;
            y += LEGEND_LINE;
        }
        let beyond = |column: &&super::frames::Column| column.whole() > self.top;
        if let Some(highest) = self
            .columns
            .iter()
            .filter(beyond)
            .map(super::frames::Column::whole)
            .reduce(f64::max)
        {
            area.draw(&TriangleMarker::new((13, y + 9), 6, INK.filled()))?;
            let highest = time(Duration::from_secs_f64(highest / 1e3));
            let text = format!("beyond the scale, up to {highest}");
            sheet::write(area, &text, (28, y), SMALL_SIZE, &INK, HPos::Left)?;
        }
        Ok(())
    }
}

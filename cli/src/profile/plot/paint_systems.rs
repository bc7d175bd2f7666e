//! Paints how the times of each system spread: a line from the 5th to the 95th percentile, a box from the 25th to the 75th,
//! the median and the worst.

use super::Captioned;
use super::sheet::{self, Error, SMALL_SIZE, TEXT_SIZE, tick};
use super::systems::{Row, SystemTimes};
use crate::output::time;
use crate::picture::{BLUE, INK, PAPER, Painting, STEEL, TEAL, VERMILION};
use plotters::coord::Shift;
use plotters::coord::combinators::LogCoord;
use plotters::coord::types::RangedCoordf64;
use plotters::prelude::*;
use plotters::style::text_anchor::HPos;
use std::time::Duration;

const NAMES_WIDTH: u32 = 236;
const FIGURES_WIDTH: u32 = 150;
const FOOT_HEIGHT: u32 = 66;
/// Pixels of a row: from what can still be read to what looks well.
const ROW_HEIGHT: std::ops::RangeInclusive<u32> = 15..=40;

type Panel<'a, B> = ChartContext<'a, B, Cartesian2d<LogCoord<f64>, RangedCoordf64>>;

impl Painting for Captioned<'_, SystemTimes> {
    fn paint<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), Error<B>> {
        let times = self.times;
        let below = format!(
            "how the time per frame of each system spreads over {} frames; {}",
            times.frames, self.measured
        );
        let rest = sheet::begin(area, self.title, &below)?;
        let (width, height) = rest.dim_in_pixel();
        let room = height.saturating_sub(FOOT_HEIGHT).max(*ROW_HEIGHT.start());
        let fit = (room / ROW_HEIGHT.start()) as usize;
        // The last line says how many are left out.
        let shown = if times.rows.len() > fit {
            fit - 1
        } else {
            times.rows.len()
        };
        let row_height = (room / times.rows.len().clamp(1, fit) as u32)
            .clamp(*ROW_HEIGHT.start(), *ROW_HEIGHT.end());
        let lines = times.rows.len().min(fit).max(1) as u32;
        let (chart, foot) = rest.split_vertically(lines * row_height + 30);
        let (names, chart) = chart.split_horizontally(NAMES_WIDTH);
        let (chart, figures) =
            chart.split_horizontally(width.saturating_sub(NAMES_WIDTH + FIGURES_WIDTH).max(60));
        times.paint_rows(&chart, shown, lines)?;
        let middle = |place: usize| {
            place as i32 * row_height as i32 + (row_height as i32 - SMALL_SIZE) / 2 + 4
        };
        for (place, row) in times.rows[..shown].iter().enumerate() {
            let name = sheet::fitted(&names, &row.name, SMALL_SIZE, NAMES_WIDTH - 24)?;
            let at = (NAMES_WIDTH as i32 - 8, middle(place));
            sheet::write(&names, &name, at, SMALL_SIZE, &INK, HPos::Right)?;
            let at = (8, middle(place));
            sheet::write(
                &figures,
                &figures_of(row),
                at,
                SMALL_SIZE,
                &figure_colour(row),
                HPos::Left,
            )?;
        }
        if shown < times.rows.len() {
            let more = format!(
                "{} more, which take less, are left out",
                times.rows.len() - shown
            );
            let at = (NAMES_WIDTH as i32 - 8, middle(shown));
            sheet::write(&names, &more, at, SMALL_SIZE, &STEEL, HPos::Right)?;
        }
        paint_legend(&foot)?;
        area.present()
    }
}

fn figures_of(row: &Row) -> String {
    let median = time(Duration::from_secs_f64(row.median / 1e3));
    match row.frames_over {
        0 => median,
        over => format!("{median}, {over} over"),
    }
}

fn figure_colour(row: &Row) -> RGBColor {
    if row.frames_over > 0 { VERMILION } else { INK }
}

impl SystemTimes {
    fn paint_rows<B: DrawingBackend>(
        &self,
        area: &DrawingArea<B, Shift>,
        shown: usize,
        lines: u32,
    ) -> Result<(), Error<B>> {
        let (low, high) = self.range();
        let budgets = self.rows.iter().filter_map(|row| row.budget);
        let high = budgets.fold(high, f64::max);
        // The frame's budget is shown if the scale does not have to grow much for it.
        let has_line = self.frame_budget < high * 20.0;
        let high = if has_line {
            high.max(self.frame_budget)
        } else {
            high
        };
        let mut panel = ChartBuilder::on(area)
            .x_label_area_size(30)
            .build_cartesian_2d((low / 1.3..high * 1.3).log_scale(), f64::from(lines)..0.0)?;
        let mut mesh = panel.configure_mesh();
        sheet::style_mesh(&mut mesh);
        mesh.disable_y_mesh()
            .x_labels(8)
            .x_label_formatter(&|time| tick(*time))
            .draw()?;
        if has_line {
            let line = [
                (self.frame_budget, 0.0),
                (self.frame_budget, f64::from(lines)),
            ];
            panel.draw_series(DashedLineSeries::new(line, 8, 4, VERMILION.stroke_width(2)))?;
        }
        for (place, row) in self.rows[..shown].iter().enumerate() {
            paint_row(&mut panel, row, place as f64)?;
        }
        Ok(())
    }
}

fn paint_row<B: DrawingBackend>(
    panel: &mut Panel<'_, B>,
    row: &Row,
    top: f64,
) -> Result<(), Error<B>> {
    let middle = top + 0.5;
    let is_frame = top == 0.0;
    let colour = if is_frame { BLUE } else { TEAL };
    let line =
        |from: (f64, f64), to: (f64, f64), style: ShapeStyle| PathElement::new([from, to], style);
    panel.draw_series([line(
        (row.low, middle),
        (row.high, middle),
        colour.stroke_width(1),
    )])?;
    let (upper, lower) = (top + 0.22, top + 0.78);
    panel.draw_series([Rectangle::new(
        [(row.quarter, upper), (row.three_quarters, lower)],
        colour.mix(0.55).filled(),
    )])?;
    panel.draw_series([line(
        (row.median, top + 0.12),
        (row.median, top + 0.88),
        INK.stroke_width(2),
    )])?;
    panel.draw_series([Circle::new((row.worst, middle), 3, colour.stroke_width(1))])?;
    if let Some(budget) = row.budget {
        panel.draw_series([line(
            (budget, top + 0.08),
            (budget, top + 0.92),
            VERMILION.stroke_width(2),
        )])?;
    }
    Ok(())
}

fn paint_legend<B: DrawingBackend>(area: &DrawingArea<B, Shift>) -> Result<(), Error<B>> {
    let y = 14;
    let mut x = 24;
    let mut entry = |name: &str, sample: &dyn Fn(i32) -> Result<(), Error<B>>| {
        sample(x)?;
        sheet::write(area, name, (x + 36, y), TEXT_SIZE, &INK, HPos::Left)?;
        x += 36 + sheet::width_of(area, name, TEXT_SIZE)? as i32 + 30;
        Ok::<(), Error<B>>(())
    };
    let line = |from: (i32, i32), to: (i32, i32), style: ShapeStyle| {
        area.draw(&PathElement::new([from, to], style))
    };
    entry("5 % to 95 % of the frames", &|x| {
        line((x, y + 8), (x + 28, y + 8), TEAL.stroke_width(1))
    })?;
    entry("the middle half", &|x| {
        area.draw(&Rectangle::new(
            [(x, y + 2), (x + 28, y + 14)],
            TEAL.mix(0.55).filled(),
        ))
    })?;
    entry("median", &|x| {
        line((x + 14, y), (x + 14, y + 16), INK.stroke_width(2))
    })?;
    entry("worst", &|x| {
        area.draw(&Circle::new((x + 14, y + 8), 3, PAPER.filled()))?;
        area.draw(&Circle::new((x + 14, y + 8), 3, TEAL.stroke_width(1)))
    })?;
    entry("budget", &|x| {
        line((x + 14, y), (x + 14, y + 16), VERMILION.stroke_width(2))
    })
}

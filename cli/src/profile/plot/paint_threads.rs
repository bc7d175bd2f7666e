//! Paints what ran where in one frame.

use super::Captioned;
use super::sheet::{self, Error, SMALL_SIZE, TEXT_SIZE, tick};
use super::threads::{Block, Lane, Timeline};
use crate::output::time;
use crate::picture::{BLUE, INK, OCHRE, Painting, STEEL, TEAL, VERMILION};
use gerust::profile::Category;
use plotters::coord::Shift;
use plotters::coord::types::RangedCoordf64;
use plotters::prelude::*;
use plotters::style::text_anchor::HPos;

const NAMES_WIDTH: u32 = 90;
const FOOT_HEIGHT: u32 = 150;
/// Pixels of a level of blocks at most.
const HIGHEST_LEVEL: u32 = 72;
/// Room between two lanes, in levels.
const GAP: f64 = 0.5;

type Panel<'a, B> = ChartContext<'a, B, Cartesian2d<RangedCoordf64, RangedCoordf64>>;

impl Painting for Captioned<'_, Timeline> {
    fn paint<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), Error<B>> {
        let times = self.times;
        let below = format!(
            "what ran where in frame {}, which took {}, {} the budget of {}; {}",
            times.frame,
            time(times.took),
            if times.took > times.budget {
                "over"
            } else {
                "within"
            },
            time(times.budget),
            self.measured
        );
        let rest = sheet::begin(area, self.title, &below)?;
        let (_, height) = rest.dim_in_pixel();
        let levels: f64 = times
            .lanes
            .iter()
            .map(|lane| f64::from(lane.levels) + GAP)
            .sum();
        let room = height.saturating_sub(FOOT_HEIGHT + 34).max(60);
        let chart_height = room.min((levels * f64::from(HIGHEST_LEVEL)) as u32) + 34;
        let (chart, foot) = rest.split_vertically(chart_height);
        let (names, chart) = chart.split_horizontally(NAMES_WIDTH);
        times.paint_lanes(&names, &chart, levels)?;
        times.paint_foot(&foot)?;
        area.present()
    }
}

impl Timeline {
    fn paint_lanes<B: DrawingBackend>(
        &self,
        names: &DrawingArea<B, Shift>,
        area: &DrawingArea<B, Shift>,
        levels: f64,
    ) -> Result<(), Error<B>> {
        let took = self.took.as_secs_f64() * 1e3;
        let mut panel = ChartBuilder::on(area)
            .margin_right(16)
            .x_label_area_size(30)
            .build_cartesian_2d(0.0..took.max(1e-6), levels..0.0)?;
        let mut mesh = panel.configure_mesh();
        sheet::style_mesh(&mut mesh);
        mesh.disable_y_mesh()
            .x_labels(10)
            .x_label_formatter(&|time| tick(*time))
            .draw()?;
        let mut top = 0.0;
        for lane in &self.lanes {
            let (_, y) = panel.backend_coord(&(0.0, top));
            let at = (NAMES_WIDTH as i32 - 10, y - names.get_base_pixel().1 + 6);
            sheet::write(names, &lane.name, at, TEXT_SIZE, &INK, HPos::Right)?;
            paint_lane(&mut panel, lane, top)?;
            top += f64::from(lane.levels) + GAP;
        }
        Ok(())
    }

    fn paint_foot<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), Error<B>> {
        let (width, height) = area.dim_in_pixel();
        let mut x = NAMES_WIDTH as i32;
        for (name, colour) in [
            ("phase", STEEL),
            ("system", BLUE),
            ("part of the runtime's own work, edits", TEAL),
            ("block", OCHRE),
        ] {
            area.draw(&Rectangle::new(
                [(x, 12), (x + 22, 26)],
                colour.mix(0.3).filled(),
            ))?;
            area.draw(&Rectangle::new(
                [(x, 12), (x + 22, 26)],
                colour.stroke_width(1),
            ))?;
            sheet::write(area, name, (x + 30, 12), TEXT_SIZE, &INK, HPos::Left)?;
            x += 30 + sheet::width_of(area, name, TEXT_SIZE)? as i32 + 26;
        }
        area.draw(&Rectangle::new(
            [(x, 12), (x + 22, 26)],
            VERMILION.stroke_width(2),
        ))?;
        sheet::write(
            area,
            "on the critical path",
            (x + 30, 12),
            TEXT_SIZE,
            &INK,
            HPos::Left,
        )?;
        self.paint_path(area, (width, height))
    }

    /// The critical path in words, in as many lines as there is room for.
    fn paint_path<B: DrawingBackend>(
        &self,
        area: &DrawingArea<B, Shift>,
        (width, height): (u32, u32),
    ) -> Result<(), Error<B>> {
        let sum = self.path.iter().map(|(_, took)| *took).sum();
        let head = format!("critical path, {} of {}:", time(sum), time(self.took));
        let left = NAMES_WIDTH as i32;
        let right = width as i32 - 16;
        sheet::write(area, &head, (left, 42), TEXT_SIZE, &INK, HPos::Left)?;
        let mut at = (left, 64);
        for (place, (name, took)) in self.path.iter().enumerate() {
            let arrow = if place + 1 < self.path.len() {
                "  →  "
            } else {
                ""
            };
            let text = format!("{name} {}{arrow}", time(*took));
            let text_width = sheet::width_of(area, &text, SMALL_SIZE)? as i32;
            if at.0 + text_width > right {
                at = (left, at.1 + 20);
            }
            if at.1 + 20 > height as i32 {
                let more = format!("and {} more", self.path.len() - place);
                return sheet::write(
                    area,
                    &more,
                    (right, at.1 - 20),
                    SMALL_SIZE,
                    &STEEL,
                    HPos::Right,
                );
            }
            sheet::write(area, &text, at, SMALL_SIZE, &INK, HPos::Left)?;
            at.0 += text_width;
        }
        Ok(())
    }
}

fn colour(category: Category) -> RGBColor {
    match category {
        Category::Frame | Category::Phase => STEEL,
        Category::System => BLUE,
        Category::Part => TEAL,
        Category::Block => OCHRE,
    }
}

fn paint_lane<B: DrawingBackend>(
    panel: &mut Panel<'_, B>,
    lane: &Lane,
    top: f64,
) -> Result<(), Error<B>> {
    let corners = |block: &Block| {
        let left = block.start.as_secs_f64() * 1e3;
        let upper = top + f64::from(block.level);
        [
            (left, upper + 0.06),
            (left + block.took.as_secs_f64() * 1e3, upper + 0.94),
        ]
    };
    let blocks = lane.blocks.iter();
    panel
        .draw_series(blocks.map(|block| {
            Rectangle::new(corners(block), colour(block.category).mix(0.3).filled())
        }))?;
    let (on_path, apart): (Vec<&Block>, Vec<&Block>) =
        lane.blocks.iter().partition(|block| block.is_on_path);
    panel.draw_series(
        apart
            .iter()
            .map(|block| Rectangle::new(corners(block), colour(block.category).stroke_width(1))),
    )?;
    // Last, so that no neighbor lies over them.
    panel.draw_series(
        on_path
            .iter()
            .map(|block| Rectangle::new(corners(block), VERMILION.stroke_width(2))),
    )?;
    for block in &lane.blocks {
        paint_name(panel, block, corners(block))?;
    }
    Ok(())
}

/// Writes the name into the block, and how long it took if there is room; nothing if there is none.
fn paint_name<B: DrawingBackend>(
    panel: &Panel<'_, B>,
    block: &Block,
    corners: [(f64, f64); 2],
) -> Result<(), Error<B>> {
    let plot = panel.plotting_area();
    let (across, down) = plot.get_pixel_range();
    let area = plot.strip_coord_spec();
    let [(left, upper), (right, lower)] = corners.map(|corner| panel.backend_coord(&corner));
    let room = u32::try_from(right - left - 8).unwrap_or(0);
    let height = lower - upper;
    if height < SMALL_SIZE || room < 24 {
        return Ok(());
    }
    let took = time(block.took);
    let with_time = format!("{} {took}", block.name);
    let fits = sheet::width_of(&area, &with_time, SMALL_SIZE)? <= room;
    let has_two_lines = height > 2 * SMALL_SIZE + 8;
    let place = |line: i32, lines: i32| {
        let first = upper - down.start + (height - lines * (SMALL_SIZE + 3)) / 2;
        (left - across.start + 4, first + line * (SMALL_SIZE + 3))
    };
    if has_two_lines && !fits {
        let name = sheet::fitted(&area, &block.name, SMALL_SIZE, room)?;
        sheet::write(&area, &name, place(0, 2), SMALL_SIZE, &INK, HPos::Left)?;
        let took = sheet::fitted(&area, &took, SMALL_SIZE, room)?;
        return sheet::write(&area, &took, place(1, 2), SMALL_SIZE, &INK, HPos::Left);
    }
    let text = if fits { with_time } else { block.name.clone() };
    let text = sheet::fitted(&area, &text, SMALL_SIZE, room)?;
    sheet::write(&area, &text, place(0, 1), SMALL_SIZE, &INK, HPos::Left)
}

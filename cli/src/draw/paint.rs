//! Paints snapshots: a side view and a top view of each frame, all in one scale.

use super::labels::{Area, Labels};
use super::snapshot::{DrawnBox, Look, Snapshot};
use crate::font::FAMILY;
use crate::picture::{BLUE, GRID, INK, OCHRE, PAPER, Painting, STEEL, TEAL, VERMILION};
use gerust::{Aabb, prelude::Vec3};
use plotters::coord::Shift;
use plotters::coord::types::RangedCoordf32;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};
use std::ops::Range;

const TITLE_SIZE: i32 = 20;
const CAPTION_SIZE: i32 = 14;
const LABEL_SIZE: i32 = 11;
const TITLE_HEIGHT: u32 = 32;
const LEGEND_HEIGHT: u32 = 28;
/// Empty room around the scene, as a share of its size.
const ROOM: f32 = 0.03;

type Error<B> = DrawingAreaErrorKind<<B as DrawingBackend>::ErrorType>;
type Panel<'a, B> = ChartContext<'a, B, Cartesian2d<RangedCoordf32, RangedCoordf32>>;

/// Which way one looks at the scene.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
enum View {
    /// Along -z: x to the right, y up.
    Side,
    /// Along -y: x to the right, z down.
    Top,
}

impl View {
    fn name(self) -> &'static str {
        match self {
            Self::Side => "from the side (x right, y up)",
            Self::Top => "from above (x right, z down)",
        }
    }

    /// Which way the vertical axis grows on paper.
    fn vertical_sign(self) -> f32 {
        match self {
            Self::Side => 1.0,
            Self::Top => -1.0,
        }
    }

    fn project(self, point: Vec3) -> (f32, f32) {
        match self {
            Self::Side => (point.x, point.y),
            Self::Top => (point.x, -point.z),
        }
    }
}

/// All that is painted.
pub(super) struct Picture<'s> {
    title: &'s str,
    snapshots: &'s [Snapshot],
    /// What all frames together take up, so that all are drawn in one scale.
    bounds: Aabb,
}

impl<'s> Picture<'s> {
    pub(super) fn new(title: &'s str, snapshots: &'s [Snapshot]) -> Self {
        let boxes = snapshots.iter().flat_map(|snapshot| {
            let points = snapshot
                .points
                .iter()
                .map(|&point| Aabb::from_corners(point, point));
            snapshot.boxes.iter().map(|drawn| drawn.aabb).chain(points)
        });
        let bounds = boxes
            .filter(Aabb::is_valid)
            .reduce(|all, next| all.merged(&next))
            .unwrap_or_default();
        let least = bounds.size().max_element().max(1.0);
        Self {
            title,
            snapshots,
            bounds: bounds.grown(least * ROOM),
        }
    }
}

impl Painting for Picture<'_> {
    fn paint<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), Error<B>> {
        area.fill(&PAPER)?;
        let (_, height) = area.dim_in_pixel();
        let (title, rest) = area.split_vertically(TITLE_HEIGHT);
        let (panels, legend) = rest.split_vertically(height - TITLE_HEIGHT - LEGEND_HEIGHT);
        title.draw(&Text::new(
            self.title,
            (14, 8),
            (FAMILY, TITLE_SIZE).into_font().color(&INK),
        ))?;
        // A single frame has room for both views in full width, one above the other.
        let (rows, columns) = match self.snapshots.len() {
            1 => (2, 1),
            frames => (frames, 2),
        };
        let cells = panels.split_evenly((rows, columns));
        let views = self
            .snapshots
            .iter()
            .flat_map(|snapshot| [(snapshot, View::Side), (snapshot, View::Top)]);
        for (cell, (snapshot, view)) in cells.iter().zip(views) {
            self.paint_panel(cell, snapshot, view)?;
        }
        paint_legend(&legend)?;
        area.present()
    }
}

impl Picture<'_> {
    fn paint_panel<B: DrawingBackend>(
        &self,
        cell: &DrawingArea<B, Shift>,
        snapshot: &Snapshot,
        view: View,
    ) -> Result<(), Error<B>> {
        let caption = format!(
            "frame {}, {:.2} s, {}",
            snapshot.frame,
            snapshot.seconds,
            view.name()
        );
        let (across, up) = self.ranges(view, cell.dim_in_pixel());
        let mut panel = ChartBuilder::on(cell)
            .margin_right(12)
            .margin_left(4)
            .caption(caption, (FAMILY, CAPTION_SIZE).into_font().color(&INK))
            .x_label_area_size(LABEL_AREA.1)
            .y_label_area_size(LABEL_AREA.0)
            .build_cartesian_2d(across, up)?;
        let sign = view.vertical_sign();
        panel
            .configure_mesh()
            .bold_line_style(GRID)
            .light_line_style(TRANSPARENT)
            .axis_style(STEEL)
            .label_style((FAMILY, LABEL_SIZE).into_font().color(&INK))
            .x_labels(9)
            .y_labels(6)
            // Adding zero turns -0 into 0.
            .y_label_formatter(&|up| format!("{} m", up * sign + 0.0))
            .x_label_formatter(&|across| format!("{across} m"))
            .draw()?;
        for &point in &snapshot.points {
            panel.draw_series(std::iter::once(Circle::new(
                view.project(point),
                2,
                INK.mix(0.7).filled(),
            )))?;
        }
        for drawn in &snapshot.boxes {
            paint_box(&mut panel, drawn, view)?;
        }
        for contact in &snapshot.contacts {
            let (a, b) = (view.project(contact.min), view.project(contact.max));
            panel.draw_series(std::iter::once(Rectangle::new(
                [a, b],
                VERMILION.stroke_width(2),
            )))?;
        }
        paint_labels(&panel, snapshot, view)
    }

    /// The ranges of both axes, in one scale, so that the whole scene is seen.
    fn ranges(&self, view: View, cell: (u32, u32)) -> (Range<f32>, Range<f32>) {
        let (left, below) = view.project(self.bounds.min);
        let (right, above) = view.project(self.bounds.max);
        let (below, above) = (below.min(above), below.max(above));
        let width = cell.0.saturating_sub(LABEL_AREA.0 + 16).max(1) as f32;
        let height = cell
            .1
            .saturating_sub(LABEL_AREA.1 + CAPTION_SIZE as u32 + 10)
            .max(1) as f32;
        let metres_per_pixel = ((right - left) / width).max((above - below) / height);
        let spread = |from: f32, to: f32, pixels: f32| {
            let middle = f32::midpoint(from, to);
            let half = metres_per_pixel * pixels / 2.0;
            middle - half..middle + half
        };
        (spread(left, right, width), spread(below, above, height))
    }
}

/// Room for the numbers at the left and below, in pixels.
const LABEL_AREA: (u32, u32) = (50, 22);

fn colour(look: Look) -> RGBColor {
    match look {
        Look::Static | Look::Off => STEEL,
        Look::Kinematic => TEAL,
        Look::Dynamic => BLUE,
        Look::Sensor => OCHRE,
    }
}

/// Length of a dash and of the gap after it, in pixels; `None` for a full line.
fn dashes(look: Look) -> Option<(i32, i32)> {
    match look {
        Look::Sensor => Some((6, 3)),
        Look::Off => Some((2, 3)),
        Look::Static | Look::Kinematic | Look::Dynamic => None,
    }
}

fn corners(a: (f32, f32), b: (f32, f32)) -> [(f32, f32); 5] {
    [a, (b.0, a.1), b, (a.0, b.1), a]
}

fn paint_box<B: DrawingBackend>(
    panel: &mut Panel<'_, B>,
    drawn: &DrawnBox,
    view: View,
) -> Result<(), Error<B>> {
    let (a, b) = (view.project(drawn.aabb.min), view.project(drawn.aabb.max));
    let colour = colour(drawn.look);
    match dashes(drawn.look) {
        None => {
            panel.draw_series([
                Rectangle::new([a, b], colour.mix(0.16).filled()),
                Rectangle::new([a, b], colour.stroke_width(1)),
            ])?;
        }
        Some((length, gap)) => {
            panel.draw_series(DashedLineSeries::new(
                corners(a, b),
                length as u32,
                gap as u32,
                colour.stroke_width(1),
            ))?;
        }
    }
    Ok(())
}

fn paint_labels<B: DrawingBackend>(
    panel: &Panel<'_, B>,
    snapshot: &Snapshot,
    view: View,
) -> Result<(), Error<B>> {
    let plot = panel.plotting_area();
    let (across, down) = plot.get_pixel_range();
    let mut labels = Labels::new(Area {
        left: across.start,
        top: down.start,
        right: across.end,
        bottom: down.end,
    });
    let style = (FAMILY, LABEL_SIZE)
        .into_font()
        .color(&INK)
        .pos(Pos::new(HPos::Left, VPos::Top));
    let mut named: Vec<(&DrawnBox, Area)> = snapshot
        .boxes
        .iter()
        .filter(|drawn| drawn.name.is_some())
        .map(|drawn| (drawn, pixels(panel, &drawn.aabb, view)))
        .collect();
    // What moves is looked for first, then what is small: a large box can be told without its name.
    named.sort_by_key(|(drawn, area)| {
        let moves = matches!(drawn.look, Look::Dynamic | Look::Kinematic | Look::Sensor);
        (!moves, (area.right - area.left) * (area.bottom - area.top))
    });
    let root = plot.strip_coord_spec();
    for (drawn, area) in named {
        let name = drawn.name.as_deref().unwrap_or_default();
        let (width, height) = root.estimate_text_size(name, &style)?;
        if let Some((left, top)) = labels.place(area, (width as i32, height as i32)) {
            // Relative to the panel, as its backend is.
            let place = (left - across.start, top - down.start);
            let end = (place.0 + width as i32, place.1 + height as i32);
            root.draw(&Rectangle::new([place, end], PAPER.mix(0.65).filled()))?;
            root.draw(&Text::new(name, place, style.clone()))?;
        }
    }
    Ok(())
}

fn pixels<B: DrawingBackend>(panel: &Panel<'_, B>, aabb: &Aabb, view: View) -> Area {
    let a = panel.backend_coord(&view.project(aabb.min));
    let b = panel.backend_coord(&view.project(aabb.max));
    Area {
        left: a.0.min(b.0),
        top: a.1.min(b.1),
        right: a.0.max(b.0),
        bottom: a.1.max(b.1),
    }
}

fn paint_legend<B: DrawingBackend>(area: &DrawingArea<B, Shift>) -> Result<(), Error<B>> {
    let style = (FAMILY, LABEL_SIZE + 1)
        .into_font()
        .color(&INK)
        .pos(Pos::new(HPos::Left, VPos::Center));
    let mut left = 56;
    let middle = LEGEND_HEIGHT as i32 / 2;
    let mut entry = |name: &str, sample: &dyn Fn(i32) -> Result<(), Error<B>>| {
        sample(left)?;
        area.draw(&Text::new(
            name.to_owned(),
            (left + 28, middle),
            style.clone(),
        ))?;
        let (width, _) = area.estimate_text_size(name, &style)?;
        left += 28 + width as i32 + 26;
        Ok::<(), Error<B>>(())
    };
    for look in Look::ALL {
        entry(look.name(), &|left| {
            let (a, b) = ((left, middle - 6), (left + 20, middle + 6));
            let colour = colour(look);
            match dashes(look) {
                None => {
                    area.draw(&Rectangle::new([a, b], colour.mix(0.16).filled()))?;
                    area.draw(&Rectangle::new([a, b], colour.stroke_width(1)))
                }
                Some((length, gap)) => {
                    let path = [a, (b.0, a.1), b, (a.0, b.1), a];
                    area.draw(&plotters::element::DashedPathElement::new(
                        path,
                        length,
                        gap,
                        colour.stroke_width(1),
                    ))
                }
            }
        })?;
    }
    entry("touching", &|left| {
        let (a, b) = ((left, middle - 6), (left + 20, middle + 6));
        area.draw(&Rectangle::new([a, b], VERMILION.stroke_width(2)))
    })?;
    entry("entity without a box", &|left| {
        area.draw(&Circle::new((left + 10, middle), 2, INK.mix(0.7).filled()))
    })
}

//! Paints snapshots: some views of each frame, all in one scale.

use super::labels::{Area, Labels};
use super::order::back_to_front;
use super::snapshot::{DrawnBox, Look, Snapshot};
use super::tiles;
use super::view::View;
use crate::font::FAMILY;
use crate::picture::{BLUE, GRID, INK, OCHRE, PAPER, Painting, STEEL, TEAL, VERMILION};
use gerust::Aabb;
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

/// All that is painted.
pub(super) struct Picture<'s> {
    title: &'s str,
    snapshots: &'s [Snapshot],
    views: &'s [View],
    shows_links: bool,
    /// What all frames together take up, so that all are drawn in one scale.
    bounds: Aabb,
}

impl<'s> Picture<'s> {
    pub(super) fn new(
        title: &'s str,
        snapshots: &'s [Snapshot],
        views: &'s [View],
        shows_links: bool,
    ) -> Self {
        Self {
            title,
            snapshots,
            views,
            shows_links,
            bounds: bounds_of(snapshots),
        }
    }

    /// One frame of several that follow each other, all within the same bounds.
    pub(super) fn only(&self, at: usize) -> Self {
        Self {
            snapshots: &self.snapshots[at..=at],
            ..*self
        }
    }
}

/// What all frames together take up, and a little more.
fn bounds_of(snapshots: &[Snapshot]) -> Aabb {
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
    bounds.grown(least * ROOM)
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
        // A single frame has room for all views in full width, one above the other.
        let (rows, columns) = match self.snapshots.len() {
            1 => (self.views.len(), 1),
            frames => (frames, self.views.len()),
        };
        let cells = panels.split_evenly((rows, columns));
        let views = self.snapshots.iter().flat_map(|snapshot| {
            let views = self.views.iter();
            views.map(move |&view| (snapshot, view))
        });
        for (cell, (snapshot, view)) in cells.iter().zip(views) {
            self.paint_panel(cell, snapshot, view)?;
        }
        let has_trails = self
            .snapshots
            .iter()
            .any(|snapshot| !snapshot.trails.is_empty());
        paint_legend(&legend, has_trails, self.shows_links)?;
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
        let origin = snapshot.origin.map_or_else(String::new, |[x, y, z]| {
            format!(", origin at ({x}, {y}, {z}) m")
        });
        let caption = format!(
            "frame {}, {:.2} s, {}{origin}",
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
        if !view.has_axes() {
            paint_scale(&mut panel)?;
        }
        let sign = view.vertical_sign();
        let labels = if view.has_axes() { (9, 6) } else { (0, 0) };
        panel
            .configure_mesh()
            .bold_line_style(GRID)
            .light_line_style(TRANSPARENT)
            .axis_style(STEEL)
            .label_style((FAMILY, LABEL_SIZE).into_font().color(&INK))
            .x_labels(labels.0)
            .y_labels(labels.1)
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
        let boxes = snapshot.boxes.iter();
        let boxes: Vec<&DrawnBox> = match view {
            View::Slanted => back_to_front(&snapshot.boxes),
            View::Side | View::Top => tiles::seen(boxes, view),
        };
        self.paint_grids(&mut panel, snapshot, view)?;
        for drawn in boxes {
            paint_box(&mut panel, drawn, view)?;
        }
        let lines = snapshot
            .trails
            .iter()
            .map(|way| (way.as_slice(), BLUE.mix(TRAIL)));
        let links = snapshot.links.iter().filter(|_| self.shows_links);
        let links = links.map(|link| (link.as_slice(), INK.mix(LINK)));
        for (way, style) in lines.chain(links) {
            let way: Vec<(f32, f32)> = way.iter().map(|&place| view.project(place)).collect();
            panel.draw_series(std::iter::once(PathElement::new(
                way,
                style.stroke_width(1),
            )))?;
        }
        // Long enough to be seen in a large scene.
        let normal = self.bounds.size().max_element() * 0.02;
        for contact in &snapshot.contacts {
            for face in view.faces(&contact.region) {
                let around = [face[0], face[1], face[2], face[3], face[0]];
                let line = PathElement::new(around.to_vec(), VERMILION.stroke_width(2));
                panel.draw_series(std::iter::once(line))?;
            }
            let middle = contact.region.center();
            let way = [middle, middle + contact.normal * normal].map(|place| view.project(place));
            panel.draw_series(std::iter::once(PathElement::new(
                way.to_vec(),
                VERMILION.stroke_width(1),
            )))?;
        }
        paint_labels(&panel, snapshot, view)
    }

    /// Grid lines of tiles, unless they would be too close to each other to be distinguished.
    fn paint_grids<B: DrawingBackend>(
        &self,
        panel: &mut Panel<'_, B>,
        snapshot: &Snapshot,
        view: View,
    ) -> Result<(), Error<B>> {
        let (width, _) = panel.plotting_area().dim_in_pixel();
        let across = panel.x_range();
        let pixels_per_metre = width as f32 / (across.end - across.start);
        let grids = snapshot.grids.iter();
        for grid in grids.filter(|grid| grid.pitch(view) * pixels_per_metre >= NEAREST_LINES) {
            for line in grid.lines(view) {
                let way = line.map(|end| view.project(end)).to_vec();
                panel.draw_series(std::iter::once(PathElement::new(
                    way,
                    STEEL.mix(TILE_LINE).stroke_width(1),
                )))?;
            }
        }
        Ok(())
    }

    /// The ranges of both axes, in one scale, so that the whole scene is seen.
    fn ranges(&self, view: View, cell: (u32, u32)) -> (Range<f32>, Range<f32>) {
        let ((left, below), (right, above)) = view.extent(&self.bounds);
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

/// How dark lines are that are no edges of boxes.
const TRAIL: f64 = 0.55;
const LINK: f64 = 0.45;
const TILE_LINE: f64 = 0.3;
/// How near to each other the lines of a grid are drawn at most, in pixels.
const NEAREST_LINES: f32 = 4.0;

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

fn paint_box<B: DrawingBackend>(
    panel: &mut Panel<'_, B>,
    drawn: &DrawnBox,
    view: View,
) -> Result<(), Error<B>> {
    let colour = colour(drawn.look);
    for face in view.faces(&drawn.aabb) {
        let around = [face[0], face[1], face[2], face[3], face[0]];
        match dashes(drawn.look) {
            None => {
                if view == View::Slanted {
                    // The background must not shine through.
                    let covered = Polygon::new(face.to_vec(), PAPER.filled());
                    panel.draw_series(std::iter::once(covered))?;
                }
                let filled = Polygon::new(face.to_vec(), colour.mix(0.16).filled());
                panel.draw_series(std::iter::once(filled))?;
                let line = PathElement::new(around.to_vec(), colour.stroke_width(1));
                panel.draw_series(std::iter::once(line))?;
            }
            Some((length, gap)) => {
                panel.draw_series(DashedLineSeries::new(
                    around,
                    length as u32,
                    gap as u32,
                    colour.stroke_width(1),
                ))?;
            }
        }
    }
    Ok(())
}

/// A bar of a round number of metres, for views whose edges are no axes.
fn paint_scale<B: DrawingBackend>(panel: &mut Panel<'_, B>) -> Result<(), Error<B>> {
    let (across, up) = (panel.x_range(), panel.y_range());
    let width = across.end - across.start;
    let metres = round_length(width * 0.15);
    let (left, below) = (
        across.start + width * 0.02,
        up.start + (up.end - up.start) * 0.05,
    );
    let bar = PathElement::new(
        vec![(left, below), (left + metres, below)],
        INK.stroke_width(2),
    );
    panel.draw_series(std::iter::once(bar))?;
    let style = (FAMILY, LABEL_SIZE).into_font().color(&INK);
    let text = Text::new(
        format!("{metres} m"),
        (left, below),
        style.pos(Pos::new(HPos::Left, VPos::Bottom)),
    );
    panel.draw_series(std::iter::once(text))?;
    Ok(())
}

/// The greatest of 1, 2, 5, 10, 20 and so on, or their tenths and so on, that is not longer.
fn round_length(most: f32) -> f32 {
    let power = 10.0_f32.powf(most.max(1e-3).log10().floor());
    let factor = [5.0, 2.0, 1.0]
        .into_iter()
        .find(|factor| factor * power <= most);
    factor.unwrap_or(1.0) * power
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
    // Moving boxes are named first, then small ones: a large box is recognizable without its name.
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
    let (least, most) = view.extent(aabb);
    let (a, b) = (panel.backend_coord(&least), panel.backend_coord(&most));
    Area {
        left: a.0.min(b.0),
        top: a.1.min(b.1),
        right: a.0.max(b.0),
        bottom: a.1.max(b.1),
    }
}

fn paint_legend<B: DrawingBackend>(
    area: &DrawingArea<B, Shift>,
    has_trails: bool,
    has_links: bool,
) -> Result<(), Error<B>> {
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
    })?;
    let lines = [
        (has_trails, "path since frame 0", BLUE.mix(TRAIL)),
        (has_links, "from parent to child", INK.mix(LINK)),
    ];
    for (is_shown, name, color) in lines {
        if is_shown {
            entry(name, &|left| {
                let ends = vec![(left, middle), (left + 20, middle)];
                area.draw(&PathElement::new(ends, color.stroke_width(1)))
            })?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn scales_are_round() {
        for (most, metres) in [(1.0, 1.0), (4.9, 2.0), (5.1, 5.0), (37.0, 20.0), (0.3, 0.2)] {
            assert!((round_length(most) - metres).abs() < 1e-5, "{most}");
        }
        assert!(round_length(0.0) > 0.0);
    }
}

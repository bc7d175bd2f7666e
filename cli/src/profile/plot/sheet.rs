//! What the pictures have in common.

use crate::font::FAMILY;
use crate::picture::{GRID, INK, PAPER, STEEL};
use plotters::chart::MeshStyle;
use plotters::coord::Shift;
use plotters::coord::ranged1d::Ranged;
use plotters::drawing::DrawingAreaErrorKind;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};

pub(super) type Error<B> = DrawingAreaErrorKind<<B as DrawingBackend>::ErrorType>;

pub(super) const TITLE_SIZE: i32 = 20;
pub(super) const TEXT_SIZE: i32 = 13;
pub(super) const SMALL_SIZE: i32 = 12;
const HEADER_HEIGHT: u32 = 58;

/// Fills the paper, writes a title and a line below it, and returns what is left.
pub(super) fn begin<B: DrawingBackend>(
    area: &DrawingArea<B, Shift>,
    title: &str,
    below: &str,
) -> Result<DrawingArea<B, Shift>, Error<B>> {
    area.fill(&PAPER)?;
    let (header, rest) = area.split_vertically(HEADER_HEIGHT);
    let (width, _) = header.dim_in_pixel();
    let fit = |text: &str, size| fitted(&header, text, size, width.saturating_sub(28));
    write(
        &header,
        &fit(title, TITLE_SIZE)?,
        (14, 8),
        TITLE_SIZE,
        &INK,
        HPos::Left,
    )?;
    write(
        &header,
        &fit(below, TEXT_SIZE)?,
        (14, 36),
        TEXT_SIZE,
        &STEEL,
        HPos::Left,
    )?;
    Ok(rest)
}

/// The look that the meshes of all charts share.
pub(super) fn style_mesh<X: Ranged, Y: Ranged, B: DrawingBackend>(
    mesh: &mut MeshStyle<'_, '_, X, Y, B>,
) {
    mesh.bold_line_style(GRID)
        .light_line_style(TRANSPARENT)
        .axis_style(STEEL)
        .label_style((FAMILY, SMALL_SIZE).into_font().color(&INK));
}

/// Writes a text whose upper corner is at a place.
pub(super) fn write<B: DrawingBackend>(
    area: &DrawingArea<B, Shift>,
    text: &str,
    at: (i32, i32),
    size: i32,
    colour: &RGBColor,
    side: HPos,
) -> Result<(), Error<B>> {
    let style = (FAMILY, size)
        .into_font()
        .color(colour)
        .pos(Pos::new(side, VPos::Top));
    area.draw(&Text::new(text.to_owned(), at, style))
}

/// How wide a text is, in pixels.
pub(super) fn width_of<B: DrawingBackend>(
    area: &DrawingArea<B, Shift>,
    text: &str,
    size: i32,
) -> Result<u32, Error<B>> {
    let style = (FAMILY, size).into_font().color(&INK);
    Ok(area.estimate_text_size(text, &style)?.0)
}

/// A text, cut to a width in pixels.
pub(super) fn fitted<B: DrawingBackend>(
    area: &DrawingArea<B, Shift>,
    text: &str,
    size: i32,
    pixels: u32,
) -> Result<String, Error<B>> {
    if width_of(area, text, size)? <= pixels {
        return Ok(text.to_owned());
    }
    let mut letters: Vec<char> = text.chars().collect();
    while letters.pop().is_some() {
        let cut: String = letters.iter().chain(['…'].iter()).collect();
        if width_of(area, &cut, size)? <= pixels {
            return Ok(cut);
        }
    }
    Ok(String::new())
}

/// A number of milliseconds on an axis, in the unit that suits it.
pub(super) fn tick(milliseconds: f64) -> String {
    let rounded = |number: f64| {
        let text = format!("{number:.3}");
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    };
    match milliseconds {
        0.0 => String::from("0"),
        tiny if tiny < 1e-3 => format!("{} ns", rounded(tiny * 1e6)),
        small if small < 1.0 => format!("{} µs", rounded(small * 1e3)),
        large => format!("{} ms", rounded(large)),
    }
}

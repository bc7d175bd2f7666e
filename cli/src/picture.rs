//! Pictures as files.

use crate::failure::Failure;
use crate::target::Target;
use plotters::coord::Shift;
use plotters::prelude::{
    BitMapBackend, DrawingArea, DrawingBackend, IntoDrawingArea, RGBColor, SVGBackend,
};
use std::error::Error;
use std::path::{Path, PathBuf};

// Colours that stay apart for people with any of the common kinds of colour blindness, on paper as on a screen.
pub(crate) const PAPER: RGBColor = RGBColor(250, 249, 245);
pub(crate) const INK: RGBColor = RGBColor(38, 42, 48);
pub(crate) const GRID: RGBColor = RGBColor(228, 225, 216);
pub(crate) const STEEL: RGBColor = RGBColor(110, 118, 128);
pub(crate) const TEAL: RGBColor = RGBColor(0, 132, 120);
pub(crate) const BLUE: RGBColor = RGBColor(20, 90, 190);
pub(crate) const OCHRE: RGBColor = RGBColor(176, 122, 0);
pub(crate) const VERMILION: RGBColor = RGBColor(213, 62, 0);

/// A drawing that any backend can paint.
pub(crate) trait Painting {
    fn paint<B: DrawingBackend>(
        &self,
        area: &DrawingArea<B, Shift>,
    ) -> Result<(), plotters::drawing::DrawingAreaErrorKind<B::ErrorType>>
    where
        B::ErrorType: Error + Send + Sync;
}

/// The file of a picture, whose name says of which kind it is.
#[derive(Debug)]
pub(crate) struct PictureFile {
    path: PathBuf,
    is_svg: bool,
    /// Once it is known what is read.
    target: Option<Target>,
}

/// What the name ends in, in small letters.
pub(crate) fn extension_of(path: &Path) -> Option<String> {
    let extension = path.extension()?.to_str()?;
    Some(extension.to_ascii_lowercase())
}

impl PictureFile {
    pub(crate) fn new(path: &Path) -> Result<Self, Failure> {
        let is_svg = match extension_of(path).as_deref() {
            Some("png") => false,
            Some("svg") => true,
            _ => {
                return Err(Failure::other(format!(
                    "{} is neither a .png nor a .svg; end the name with one of these",
                    path.display()
                )));
            }
        };
        Ok(Self {
            path: path.to_owned(),
            is_svg,
            target: None,
        })
    }

    /// Creates the file, which must not be one of the files that are read.
    pub(crate) fn claimed<'p>(
        self,
        read: impl IntoIterator<Item = &'p Path>,
    ) -> Result<Self, Failure> {
        let target = Some(Target::new(&self.path, read)?);
        Ok(Self { target, ..self })
    }

    /// The file of a picture that moves.
    pub(crate) fn moving(path: &Path) -> Result<Self, Failure> {
        match extension_of(path).as_deref() {
            Some("gif") => Ok(Self {
                path: path.to_owned(),
                is_svg: false,
                target: None,
            }),
            _ => Err(Failure::other(format!(
                "{} is no .gif, and nothing else moves; end the name with it, or leave `--from` and `--to` out",
                path.display()
            ))),
        }
    }

    /// Paints pictures of a size in pixels one after the other, each shown for the same number of milliseconds.
    pub(crate) fn paint_moving(
        self,
        size: (u32, u32),
        paintings: &[impl Painting],
        delay: u32,
    ) -> Result<(), Failure> {
        self.put(|draft| {
            let area = BitMapBackend::gif(draft, size, delay).map_err(|error| error.to_string())?;
            let area = area.into_drawing_area();
            paintings.iter().try_for_each(|painting| {
                let painted = painting.paint(&area);
                painted.map_err(|error| error.to_string())
            })
        })
    }

    /// The file of a further picture beside this one.
    pub(crate) fn beside(&self, suffix: &str) -> Self {
        let stem = self.path.file_stem().unwrap_or_default().to_string_lossy();
        let extension = self.path.extension().unwrap_or_default().to_string_lossy();
        Self {
            path: self
                .path
                .with_file_name(format!("{stem}-{suffix}.{extension}")),
            is_svg: self.is_svg,
            target: None,
        }
    }

    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// Paints a picture of a size in pixels into the file.
    pub(crate) fn paint(self, size: (u32, u32), painting: &impl Painting) -> Result<(), Failure> {
        let is_svg = self.is_svg;
        self.put(|draft| match is_svg {
            false => {
                let area = BitMapBackend::new(draft, size).into_drawing_area();
                painting.paint(&area).map_err(|error| error.to_string())
            }
            true => {
                let area = SVGBackend::new(draft, size).into_drawing_area();
                painting.paint(&area).map_err(|error| error.to_string())
            }
        })
    }

    /// Calls `paint` with a temporary file, and moves it to its place if that succeeds.
    fn put(self, paint: impl FnOnce(&Path) -> Result<(), String>) -> Result<(), Failure> {
        crate::font::register()?;
        let target = match self.target {
            Some(target) => target,
            None => Target::new(&self.path, [])?,
        };
        paint(target.draft()).map_err(|reason| {
            Failure::other(format!(
                "{} cannot be written: {reason}; check the directory",
                self.path.display()
            ))
        })?;
        target.finish()
    }
}

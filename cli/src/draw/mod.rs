//! `gerust draw`: measuring what is to be drawn is kept apart from painting it.

mod labels;
mod paint;
mod snapshot;

use crate::Verdict;
use crate::arguments::DrawCommand;
use crate::engine::Engine;
use crate::output;
use crate::trouble::Trouble;
use gerust::scene::Scene;
use paint::Picture;
use plotters::prelude::{BitMapBackend, IntoDrawingArea, SVGBackend};
use snapshot::Snapshot;

/// Frames that fit into one picture.
const MOST_FRAMES: usize = 6;

pub(crate) fn run(engine: &Engine, command: &DrawCommand) -> Verdict {
    let scene = Scene::load(&command.scene, engine.registry())?;
    let frames = wanted_frames(command, &scene)?;
    // An unknown kind of picture is told before a long scene is run for nothing.
    let kind = PictureKind::of(command)?;
    let mut run = scene.start(engine.runtime()?)?;
    let mut snapshots = Vec::new();
    for &frame in &frames {
        while run.frame() < frame && run.advance()? {}
        snapshots.push(Snapshot::take(&run)?);
    }
    crate::font::register()?;
    let picture = Picture::new(scene.title(), &snapshots);
    let painted = match kind {
        PictureKind::Png => picture
            .paint(&BitMapBackend::new(&command.output, command.size).into_drawing_area())
            .map_err(|error| error.to_string()),
        PictureKind::Svg => picture
            .paint(&SVGBackend::new(&command.output, command.size).into_drawing_area())
            .map_err(|error| error.to_string()),
    };
    painted.map_err(|reason| {
        let path = command.output.display();
        Trouble::other(format!(
            "{path} cannot be written: {reason}; check the directory"
        ))
    })?;
    output::print(&format!(
        "{}: {} of {}",
        command.output.display(),
        match frames.as_slice() {
            [frame] => format!("frame {frame}"),
            _ => format!(
                "frames {}",
                frames
                    .iter()
                    .map(u64::to_string)
                    .collect::<Vec<_>>()
                    .join(", ")
            ),
        },
        scene.path().display()
    ))?;
    Ok(true)
}

/// The frames in ascending order, each once.
fn wanted_frames(command: &DrawCommand, scene: &Scene) -> Result<Vec<u64>, Trouble> {
    let mut frames = command.at.clone();
    frames.sort_unstable();
    frames.dedup();
    if let Some(late) = frames.iter().find(|&&frame| frame > scene.frames()) {
        return Err(Trouble::other(format!(
            "there is no frame {late} in {}: it ends at frame {}; name frames from 0 to {}",
            scene.path().display(),
            scene.frames(),
            scene.frames()
        )));
    }
    if frames.len() > MOST_FRAMES {
        return Err(Trouble::other(format!(
            "{} frames do not fit into one picture; name at most {MOST_FRAMES}",
            frames.len()
        )));
    }
    Ok(frames)
}

enum PictureKind {
    Png,
    Svg,
}

impl PictureKind {
    fn of(command: &DrawCommand) -> Result<Self, Trouble> {
        let extension = command
            .output
            .extension()
            .and_then(|extension| extension.to_str());
        match extension.map(str::to_ascii_lowercase).as_deref() {
            Some("png") => Ok(Self::Png),
            Some("svg") => Ok(Self::Svg),
            _ => Err(Trouble::other(format!(
                "{} is neither a .png nor a .svg; end the name with one of these",
                command.output.display()
            ))),
        }
    }
}

//! `gerust draw`: measuring what is to be drawn is kept apart from painting it.

mod labels;
mod paint;
pub(crate) mod snapshot;

use crate::Verdict;
use crate::arguments::DrawCommand;
use crate::engine::Engine;
use crate::output;
use crate::picture::PictureFile;
use crate::trouble::Trouble;
use gerust::scene::Scene;
use paint::Picture;
use snapshot::Snapshot;

/// Frames that fit into one picture.
const MOST_FRAMES: usize = 6;

pub(crate) fn run(engine: &Engine, command: &DrawCommand) -> Verdict {
    let scene = command.scene.load(engine)?;
    let frames = wanted_frames(command, &scene)?;
    // An unknown kind of picture is told before a long scene is run for nothing.
    let file = PictureFile::new(&command.output)?;
    let mut run = scene.start(engine.runtime()?)?;
    let mut snapshots = Vec::new();
    for &frame in &frames {
        while run.frame() < frame && run.advance()? {}
        snapshots.push(Snapshot::take(run.runtime().world())?);
    }
    let picture = Picture::new(scene.title(), &snapshots);
    file.paint(command.size, &picture)?;
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

//! `gerust draw`: measuring what is to be drawn is kept apart from painting it.

mod labels;
mod order;
mod paint;
pub(crate) mod snapshot;
pub(crate) mod tiles;
mod trails;
mod view;

use crate::Verdict;
use crate::arguments::{DrawCommand, DrawView};
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output;
use crate::picture::{PictureFile, extension_of};
use gerust::World;
use gerust::collide::Dimensions;
use paint::Picture;
pub(crate) use snapshot::Look;
use snapshot::Snapshot;
use std::path::Path;
use trails::Trails;
use view::View;

/// Frames that fit into one picture, and into one that moves.
const MOST_FRAMES: usize = 6;
const MOST_MOVING: usize = 1_000;

pub(crate) fn run(engine: &Engine, command: &DrawCommand) -> Verdict {
    // An unknown picture format is reported before a long scene runs.
    let is_moving = command.from.is_some() || command.to.is_some();
    let file = match is_moving {
        true => PictureFile::moving(&command.output)?,
        false if extension_of(&command.output).as_deref() == Some("gif") => {
            return Err(Failure::other(format!(
                "{} would be a picture that moves; say from which frame to which with `--from` and `--to`",
                command.output.display()
            )));
        }
        false => PictureFile::new(&command.output)?,
    };
    let mut film = Film::new(command);
    let path = command.scene.path();
    let (file, title, last) = match command.scene.recording()? {
        Some(recording) => {
            let file = file.claimed([path])?;
            film.choose(path, recording.last_frame())?;
            let (mut runtime, mut playback) = (engine.runtime()?, recording.playback());
            for frame in 0..=recording.last_frame() {
                if film.wants(frame) {
                    playback.restore_into(&mut runtime, engine.registry(), frame)?;
                    film.see(runtime.world(), frame)?;
                }
            }
            let title = recording.title().to_owned();
            (file, title, recording.last_frame())
        }
        None => {
            let scene = command.scene.load(engine)?;
            let file = file.claimed(scene.files_read())?;
            film.choose(path, scene.frames())?;
            let mut run = scene.start(engine.runtime()?)?;
            film.see(run.runtime().world(), 0)?;
            while run.frame() < film.last() && run.run_frame()? {
                film.see(run.runtime().world(), run.frame())?;
            }
            (file, scene.title().to_owned(), scene.frames())
        }
    };
    if film.snapshots.is_empty() {
        return Err(Failure::other(format!(
            "{} ended before any of these frames ran; its last was to be {last}",
            path.display()
        )));
    }
    let views = film.views(command);
    let title = output::printable(&title);
    let picture = Picture::new(&title, &film.snapshots, &views, command.links);
    match is_moving {
        true => {
            let pictures = (0..film.snapshots.len()).map(|at| picture.only(at));
            let pictures: Vec<Picture<'_>> = pictures.collect();
            file.paint_moving(command.size, &pictures, film.delay())?;
        }
        false => file.paint(command.size, &picture)?,
    }
    output::print(&format!(
        "{}: {} of {}",
        command.output.display(),
        film.described(is_moving),
        path.display()
    ))?;
    Ok(true)
}

/// The frames that are drawn, as they come.
struct Film<'c> {
    command: &'c DrawCommand,
    frames: Vec<u64>,
    snapshots: Vec<Snapshot>,
    trails: Trails,
    is_flat: bool,
    step: f32,
}

impl<'c> Film<'c> {
    fn new(command: &'c DrawCommand) -> Self {
        Self {
            command,
            frames: Vec::new(),
            snapshots: Vec::new(),
            trails: Trails::default(),
            is_flat: false,
            step: 0.0,
        }
    }

    /// Says which frames are drawn: in ascending order, each once.
    fn choose(&mut self, path: &Path, last: u64) -> Result<(), Failure> {
        let command = self.command;
        let (mut frames, most) = match (command.from, command.to) {
            (None, None) => (command.at.clone(), MOST_FRAMES),
            (from, to) => {
                let (from, to) = (from.unwrap_or(0), to.unwrap_or(last));
                if from > to {
                    return Err(Failure::other(format!(
                        "frame {from} comes after frame {to}; swap `--from` and `--to`"
                    )));
                }
                // The last one may be left out by the steps.
                Self::refuse_late(path, to, last)?;
                let every = command.every;
                let all = (from..=to).step_by(usize::try_from(every).unwrap_or(usize::MAX));
                (all.collect(), MOST_MOVING)
            }
        };
        frames.sort_unstable();
        frames.dedup();
        for &frame in &frames {
            Self::refuse_late(path, frame, last)?;
        }
        if frames.len() > most {
            return Err(Failure::other(format!(
                "{} frames do not fit into one picture; name at most {most}",
                frames.len()
            )));
        }
        self.frames = frames;
        Ok(())
    }

    fn refuse_late(path: &Path, frame: u64, last: u64) -> Result<(), Failure> {
        match frame <= last {
            true => Ok(()),
            false => Err(Failure::other(format!(
                "there is no frame {frame} in {}: it ends at frame {last}; name frames from 0 to {last}",
                path.display()
            ))),
        }
    }

    fn last(&self) -> u64 {
        self.frames.last().copied().unwrap_or(0)
    }

    /// Returns whether to record a frame: the frames in between leave trails.
    fn wants(&self, frame: u64) -> bool {
        self.frames.binary_search(&frame).is_ok() || (self.command.trail && frame <= self.last())
    }

    fn see(&mut self, world: &World, frame: u64) -> Result<(), Failure> {
        if self.command.trail {
            self.trails.note(world);
        }
        if self.frames.binary_search(&frame).is_err() {
            return Ok(());
        }
        self.is_flat = matches!(world.global::<Dimensions>().as_deref(), Ok(Dimensions::Two));
        self.step = world.global::<gerust::Clock>()?.step_seconds();
        let mut snapshot = Snapshot::take(world)?;
        snapshot.trails = self.trails.ways();
        self.snapshots.push(snapshot);
        Ok(())
    }

    /// The requested views; by default the side and the top, and for flat scenes the front.
    fn views(&self, command: &DrawCommand) -> Vec<View> {
        let asked: Vec<View> = command
            .view
            .iter()
            .map(|view| match view {
                DrawView::Side => View::Side,
                DrawView::Top => View::Top,
                DrawView::Slanted => View::Slanted,
            })
            .collect();
        match (asked.is_empty(), self.is_flat) {
            (false, _) => asked,
            (true, true) => vec![View::Side],
            (true, false) => vec![View::Side, View::Top],
        }
    }

    /// Milliseconds for which each frame of a moving picture is shown, so that time passes as in the scene.
    fn delay(&self) -> u32 {
        let seconds = f64::from(self.step) * self.command.every as f64;
        (seconds * 1000.0).round().clamp(20.0, 10_000.0) as u32
    }

    fn described(&self, is_moving: bool) -> String {
        let frames: Vec<u64> = self
            .snapshots
            .iter()
            .map(|snapshot| snapshot.frame)
            .collect();
        match frames.as_slice() {
            [frame] => format!("frame {frame}"),
            [first, .., last] if is_moving => {
                format!("{} frames from {first} to {last}", frames.len())
            }
            _ => {
                let all: Vec<String> = frames.iter().map(u64::to_string).collect();
                format!("frames {}", all.join(", "))
            }
        }
    }
}

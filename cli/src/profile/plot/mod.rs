//! The pictures of a profile: measuring what is to be drawn is kept apart from painting it.

mod frames;
mod paint_frames;
mod paint_systems;
mod paint_threads;
mod sheet;
mod systems;
mod threads;

pub(crate) use frames::{FrameTimes, PartKind};
pub(crate) use threads::{Order, Timeline};

use crate::arguments::ProfileCommand;
use crate::failure::Failure;
use crate::picture::PictureFile;
use gerust::profile::{Category, FrameProfile};
use gerust_scene::SceneRun;
use std::path::Path;
use systems::SystemTimes;

/// Columns side by side at most: two pixels each in a picture of the usual size.
const MOST_COLUMNS: usize = 560;

/// The files of the three pictures.
pub(super) struct Pictures {
    frames: PictureFile,
    systems: PictureFile,
    threads: PictureFile,
}

impl Pictures {
    pub(super) fn new(path: &Path) -> Result<Self, Failure> {
        let frames = PictureFile::new(path)?;
        Ok(Self {
            systems: frames.beside("systems"),
            threads: frames.beside("threads"),
            frames,
        })
    }

    /// Creates all three files, none of which may be a file that is read.
    pub(super) fn claimed<'p>(
        self,
        read: impl Iterator<Item = &'p Path> + Clone,
    ) -> Result<Self, Failure> {
        Ok(Self {
            frames: self.frames.claimed(read.clone())?,
            systems: self.systems.claimed(read.clone())?,
            threads: self.threads.claimed(read)?,
        })
    }

    /// Paints all three and says where they are.
    pub(super) fn paint(self, run: &SceneRun, command: &ProfileCommand) -> Result<(), Failure> {
        let chosen = chosen_frame(run, command.frame)?;
        let plan = run.runtime().schedule().plan()?;
        let files = [
            (&self.frames, "the time of each frame by part"),
            (&self.systems, "how the times of each system spread"),
            (&self.threads, "what ran where in one frame"),
        ];
        let told = files.map(|(file, what)| format!("wrote {}: {what}", file.path().display()));
        let size = command.size;
        let profiler = run.runtime().profiler();
        let frames = FrameTimes::of(profiler, MOST_COLUMNS);
        self.frames.paint(size, &Captioned::of(run, &frames))?;
        let systems = SystemTimes::of(profiler);
        self.systems.paint(size, &Captioned::of(run, &systems))?;
        let threads = Timeline::of(profiler, chosen, &Order::of(&plan));
        self.threads.paint(size, &Captioned::of(run, &threads))?;
        told.iter().for_each(|told| tracing::info!("{told}"));
        Ok(())
    }
}

/// The frame that is asked for, or the slowest one after warm-up.
fn chosen_frame(run: &SceneRun, wanted: Option<u64>) -> Result<&FrameProfile, Failure> {
    let profiler = run.runtime().profiler();
    let mut frames = profiler.frames();
    let Some(number) = wanted else {
        let statistics = profiler.statistics();
        let whole = statistics
            .iter()
            .find(|known| known.category() == Category::Frame);
        let slowest = whole.map(|whole| whole.worst_frame());
        let found = frames.find(|frame| Some(frame.number()) == slowest);
        return found.ok_or_else(|| {
            Failure::other("no frame was measured; let the scene run longer than its warm-up")
        });
    };
    let (first, last) = (frames.next().map_or(0, FrameProfile::number), run.frame());
    let found = profiler.frames().find(|frame| frame.number() == number);
    found.ok_or_else(|| {
        Failure::other(format!(
            "there is no profile of frame {number}; choose one from {first} to {last} with `--frame`"
        ))
    })
}

/// A picture of some times, with the title of the run and how it was measured.
struct Captioned<'c, T> {
    title: &'c str,
    measured: String,
    times: &'c T,
}

impl<'c, T> Captioned<'c, T> {
    fn of(run: &'c SceneRun, times: &'c T) -> Self {
        let threads = run.runtime().threads();
        let noun = match threads {
            1 => "thread",
            _ => "threads",
        };
        Self {
            title: run.scene().title(),
            measured: format!("{} build, {threads} {noun}", gerust::profile::build()),
            times,
        }
    }
}

#[cfg(test)]
mod tests;

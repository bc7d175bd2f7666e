//! `gerust compare`: says where two runs begin to differ, of scenes or as they were recorded.

use crate::Verdict;
use crate::arguments::CompareCommand;
use crate::engine::Engine;
use crate::failure::Failure;
use crate::output::{self, wrapped};
use crate::scene_file::recording_at;
use crate::versus::Versus;
use gerust::Runtime;
use gerust::store::Snapshot;
use gerust_scene::{FirstDifference, Playback, Recording, Scene, SceneRun};
use serde::Serialize;
use std::time::Duration;

pub(crate) fn run(engine: &Engine, command: &CompareCommand) -> Verdict {
    let versus = &command.versus;
    versus.refuse_unknown()?;
    let first = match command.scene.recording()? {
        Some(recording) => Source::Recording(Box::new(recording)),
        None => Source::Scene(Box::new(command.scene.load(engine)?)),
    };
    let second = match versus {
        Versus::Scene(path) => match recording_at(path)? {
            Some(recording) => Some(Source::Recording(Box::new(recording))),
            None => {
                let scene = command.scene.load_other(path, engine)?;
                Some(Source::Scene(Box::new(scene)))
            }
        },
        _ => None,
    };
    if let (None, Source::Recording(_)) = (&second, &first) {
        return Err(Failure::other(
            "a recording has run already and cannot be given another setting; name the scene, or a second recording",
        ));
    }
    let one_setting = Setting::usual(engine, command);
    let other_setting = Setting {
        versus: Some(versus),
        ..one_setting
    };
    let other_source = second.as_ref().unwrap_or(&first);
    let mut one = first.begin(&one_setting)?;
    let mut other = other_source.begin(&other_setting)?;
    let (frames, found) = first_difference(&mut one, &mut other)?;
    let found = found.map(|found| Found {
        wrote: [
            first.cause_of(&found, &one_setting),
            other_source.cause_of(&found, &other_setting),
        ],
        difference: found,
    });
    let answer = Answer {
        frames,
        differs: found.is_some(),
        difference: found.as_ref().map(DifferenceView::new),
    };
    output::show(&answer, command.format, |answer| {
        text(answer, found.as_ref())
    })?;
    Ok(found.is_none())
}

/// How a scene is run.
#[derive(Clone, Copy)]
struct Setting<'c> {
    engine: &'c Engine,
    command: &'c CompareCommand,
    versus: Option<&'c Versus>,
}

impl<'c> Setting<'c> {
    fn usual(engine: &'c Engine, command: &'c CompareCommand) -> Self {
        Self {
            engine,
            command,
            versus: None,
        }
    }

    fn runtime(&self) -> Result<Runtime, Failure> {
        let mut runtime = output::runtime(self.engine, self.command.threads)?;
        if let Some(threads) = self.versus.and_then(Versus::threads) {
            runtime.set_threads(threads)?;
            // Threads are what is compared: they are used wherever they can be.
            runtime.set_serial_below(Duration::ZERO);
        }
        Ok(runtime)
    }

    fn start(&self, scene: &Scene) -> Result<SceneRun, Failure> {
        let mut run = scene.start(self.runtime()?)?;
        if let Some(versus) = self.versus {
            versus.apply(run.runtime_mut())?;
        }
        Ok(run)
    }
}

/// Where the frames come from.
enum Source {
    Scene(Box<Scene>),
    Recording(Box<Recording>),
}

/// A source at one of its frames.
enum Side<'s> {
    Run(Box<SceneRun>),
    Playback(Box<Playback<'s>>, u64),
}

impl Source {
    fn begin(&self, setting: &Setting<'_>) -> Result<Side<'_>, Failure> {
        Ok(match self {
            Self::Scene(scene) => Side::Run(Box::new(setting.start(scene)?)),
            Self::Recording(recording) => Side::Playback(Box::new(recording.playback()), 0),
        })
    }

    /// What wrote the value last in the frame in which it differs, if it was written there: the scene is run up to there once more.
    /// Of recordings that is not known.
    fn cause_of(&self, found: &FirstDifference, setting: &Setting<'_>) -> Option<String> {
        let Self::Scene(scene) = self else {
            return None;
        };
        // As it was loaded: no frame has run.
        if found.frame == 0 {
            return None;
        }
        let mut run = setting.start(scene).ok()?;
        while run.frame() + 1 < found.frame {
            run.run_frame().ok()?;
        }
        run.run_frame_traced(found).ok()?
    }
}

impl Side<'_> {
    fn frame(&self) -> u64 {
        match self {
            Self::Run(run) => run.frame(),
            Self::Playback(_, frame) => *frame,
        }
    }

    fn last_frame(&self) -> u64 {
        match self {
            Self::Run(run) => run.scene().frames(),
            Self::Playback(playback, _) => playback.recording().last_frame(),
        }
    }

    fn title(&self) -> &str {
        match self {
            Self::Run(run) => run.scene().title(),
            Self::Playback(playback, _) => playback.recording().title(),
        }
    }

    /// Returns whether there was another frame.
    fn advance(&mut self) -> Result<bool, Failure> {
        match self {
            Self::Run(run) => Ok(run.run_frame()?),
            Self::Playback(playback, frame) => {
                let is_there = *frame < playback.recording().last_frame();
                *frame += u64::from(is_there);
                Ok(is_there)
            }
        }
    }

    /// The digest, if it is known without a look at the values.
    fn known_digest(&self) -> Option<u64> {
        match self {
            Self::Run(_) => None,
            Self::Playback(playback, frame) => playback.recording().digest(*frame),
        }
    }

    fn snapshot(&mut self) -> Result<Snapshot, Failure> {
        match self {
            Self::Run(run) => Ok(run.runtime().world().snapshot()?),
            Self::Playback(playback, frame) => Ok(playback.go_to(*frame)?.clone()),
        }
    }

    fn difference_to(&mut self, other: &mut Side<'_>) -> Result<Option<FirstDifference>, Failure> {
        if let (Self::Run(one), Side::Run(other)) = (&*self, &*other) {
            return Ok(one.difference_to(other)?);
        }
        if let (Some(one), Some(other)) = (self.known_digest(), other.known_digest())
            && one == other
        {
            return Ok(None);
        }
        let (one, two) = (self.snapshot()?, other.snapshot()?);
        Ok(FirstDifference::between(self.frame(), &one, &two))
    }
}

/// How many frames were compared, and the first difference.
fn first_difference(
    one: &mut Side<'_>,
    other: &mut Side<'_>,
) -> Result<(u64, Option<FirstDifference>), Failure> {
    let mut found = one.difference_to(other)?;
    let frames = one.last_frame().max(other.last_frame());
    let title = one.title().to_owned();
    output::with_progress(&title, frames, |_| {
        if found.is_none() {
            let (mine, theirs) = (one.advance()?, other.advance()?);
            if mine != theirs {
                return Err(Failure::other(format!(
                    "one of the two ends after frame {} without a difference; the other continues",
                    one.frame().min(other.frame())
                )));
            }
            found = one.difference_to(other)?;
        }
        Ok(())
    })?;
    Ok((one.frame(), found))
}

/// A difference, and what wrote each of the two values in that frame.
struct Found {
    difference: FirstDifference,
    wrote: [Option<String>; 2],
}

fn text(answer: &Answer<'_>, found: Option<&Found>) -> String {
    let Some(Found { difference, wrote }) = found else {
        return format!("no difference in {} frames", answer.frames);
    };
    let mut text = wrapped(&difference.to_string(), "", 2);
    match wrote {
        [None, None] if difference.frame == 0 => text += "  as they were loaded\n",
        [None, None] if difference.writers.is_empty() => {}
        [None, None] => {
            let writers = difference.writers.join(", ");
            let line = format!("written by {writers}, or by an action or an edit");
            text += &wrapped(&line, "  ", 4);
        }
        [Some(one), Some(other)] if one == other => {
            text += &wrapped(&format!("written by {one}"), "  ", 4);
        }
        both => {
            for (which, cause) in ["the first", "the second"].iter().zip(both) {
                let line = match cause {
                    Some(cause) => format!("{which} was written by {cause}"),
                    None => format!("{which} was not written in this frame, as far as is known"),
                };
                text += &wrapped(&line, "  ", 4);
            }
        }
    }
    text
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Answer<'d> {
    frames: u64,
    differs: bool,
    difference: Option<DifferenceView<'d>>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct DifferenceView<'d> {
    frame: u64,
    entity: &'d str,
    component: &'d str,
    field: &'d str,
    values: &'d [String; 2],
    /// What wrote each of the two in this frame.
    written_by: &'d [Option<String>; 2],
    /// What may write it.
    writers: &'d [String],
}

impl<'d> DifferenceView<'d> {
    fn new(found: &'d Found) -> Self {
        let difference = &found.difference;
        Self {
            frame: difference.frame,
            entity: &difference.entity,
            component: &difference.component,
            field: &difference.field,
            values: &difference.values,
            written_by: &found.wrote,
            writers: &difference.writers,
        }
    }
}

//! Recording a runtime that runs no scene.

use super::item::{FrameItem, Happened, Header};
use super::resume::off_of;
use super::write::{Frames, not_written, out_of_turn};
use crate::registry::Registry;
use crate::settings::Settings;
use ciborium::Value;
use gerust::collide::{Contact, ContactState};
use gerust::runtime::{Advance, Runtime};
use gerust::schedule::{Clock, Phase, Seams};
use gerust::store::World;
use gerust::{Error, ErrorKind};
use std::collections::BTreeMap;
use std::fmt;
use std::io::{self, Write};
use std::time::Duration;

/// Records any runtime, from any frame on: a program with a loop of its own, without a scene file. [`Recording`](super::Recording) and
/// all commands that read recordings read the result.
///
/// A frame is written as its changes, as by a [`RecordingWriter`](super::RecordingWriter), and costs a snapshot of the world. Recorded are the
/// registered components, control inputs, events of the registry, and switched systems. Frame 0 of the recording is the state at its beginning;
/// [`Recording::first_frame`](super::Recording::first_frame) is the number that this frame had in the runtime.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Recorder, Recording, Registry};
/// use std::time::Duration;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// let gull = runtime.world_mut().spawn((Name::new("gull"), Transform::default(), Velocity(Vec3::X * 6.0)));
/// runtime.run_frames(100)?;
///
/// let mut recorder = Recorder::of(Vec::new(), "a gull", &mut runtime, &Registry::standard())?;
/// for _ in 0..30 {
///     runtime.run_frames(1)?;
///     recorder.note(&runtime)?;
/// }
/// // Or by real time: as many frames as fit into it.
/// recorder.advance(&mut runtime, Duration::from_millis(50))?;
///
/// let recording = Recording::from_bytes(recorder.finish()?, "gull.rec")?;
/// assert_eq!((recording.first_frame(), recording.last_frame()), (100, 33));
/// assert_eq!(recording.digest(33), Some(runtime.world().digest()?));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Recorder<W> {
    frames: Frames<W>,
    registry: Registry,
    /// The number in the runtime of the frame that comes next.
    due: u64,
    /// How many events of each name were posted before the latest frame that was noted.
    posted: BTreeMap<String, u64>,
}

impl<W: Write> Recorder<W> {
    /// Begins with the present state of a runtime, and records it as frame 0, also exactly, for [`Recording::load_into`](super::Recording::load_into).
    /// The registry names the events that are recorded.
    ///
    /// # Errors
    ///
    /// If it cannot be written, or if a component cannot be serialized.
    pub fn of(to: W, title: &str, runtime: &mut Runtime, registry: &Registry) -> io::Result<Self> {
        let mut state = Vec::new();
        runtime.save(&mut state).map_err(not_written)?;
        let runtime = &*runtime;
        let world = runtime.world();
        let first = frame_of(world);
        let header = Header {
            title: title.to_owned(),
            first,
            missing: missing_in(runtime),
            state: Some(Value::Bytes(state)),
            settings: Settings::of(world),
            ..Header::default()
        };
        let posted = registry.posted_so_far(world);
        let posted = posted
            .map(|(name, count)| (name.to_owned(), count))
            .collect();
        let mut recorder = Self {
            frames: Frames::begin(to, header)?,
            registry: registry.clone(),
            due: first,
            posted,
        };
        recorder.note(runtime)?;
        Ok(recorder)
    }

    /// Records the frame that has just run. Frames have to follow each other.
    ///
    /// # Errors
    ///
    /// If it cannot be written, if a component cannot be serialized, or if it is not the frame after the last one.
    pub fn note(&mut self, runtime: &Runtime) -> io::Result<()> {
        self.note_world(runtime.world(), off_of(runtime), None)
    }

    /// Advances a runtime by an amount of real time, as [`Runtime::advance`] does, and records each frame that runs, also one that
    /// fails.
    ///
    /// # Errors
    ///
    /// As [`Runtime::advance`]. Also, with the kind [`Io`](ErrorKind::Io), as [`note`](Self::note): all frames have run then, and those
    /// after the error are missing in the recording.
    pub fn advance(&mut self, runtime: &mut Runtime, elapsed: Duration) -> Result<Advance, Error> {
        let phases = runtime.schedule().phases();
        let last = phases.last().unwrap_or(Phase::Close);
        let off = off_of(runtime);
        let mut noted = Ok(());
        let mut seams = Seams::new();
        seams.after(last, |world| {
            if noted.is_ok() {
                noted = self.note_world(world, off.clone(), None);
            }
        });
        let advance = runtime.advance_with(elapsed, &mut seams);
        drop(seams);
        // A frame that failed before its last phase is part of the recording as well: it is the one to look at.
        if let Err(error) = &advance
            && noted.is_ok()
            && frame_of(runtime.world()) == self.due
        {
            noted = self.note_world(runtime.world(), off_of(runtime), Some(error.to_string()));
        }
        let advance = advance?;
        noted.map_err(|error| Error::new(ErrorKind::Io, error))?;
        Ok(advance)
    }

    /// Records the end.
    ///
    /// # Errors
    ///
    /// If it cannot be written.
    pub fn finish(self) -> io::Result<W> {
        self.frames.finish(0, 0)
    }

    fn note_world(
        &mut self,
        world: &World,
        off: Vec<String>,
        failure: Option<String>,
    ) -> io::Result<()> {
        let frame = frame_of(world);
        if frame != self.due {
            return Err(out_of_turn(frame, self.due));
        }
        let now = world.snapshot().map_err(not_written)?;
        let extras = FrameItem {
            happened: self.happened(world, off),
            failure,
            ..FrameItem::default()
        };
        self.frames.write_with(now, extras)?;
        self.due += 1;
        Ok(())
    }

    fn happened(&mut self, world: &World, off: Vec<String>) -> Happened {
        let mut happened = Happened::of_world(world, off);
        let contacts = world.posted::<Contact>().into_iter();
        let begun = contacts.filter(|contact| contact.state == ContactState::Began);
        happened.begun = begun
            .map(|contact| [contact.first.into(), contact.second.into()])
            .collect();
        for (name, so_far) in self.registry.posted_so_far(world) {
            let before = self.posted.get_mut(name);
            let seen = before.as_deref().copied().unwrap_or(0);
            let events = self.registry.posted_after(name, world, seen);
            if !events.is_empty() {
                happened.events.insert(name.to_owned(), events);
            }
            if so_far > 0 {
                happened.counts.insert(name.to_owned(), so_far);
            }
            match before {
                Some(before) => *before = so_far,
                None => drop(self.posted.insert(name.to_owned(), so_far)),
            }
        }
        happened
    }
}

/// The names of the types that are not registered.
pub(crate) fn missing_in(runtime: &Runtime) -> Vec<String> {
    let unsaved = runtime.unsaved();
    let all = [unsaved.components(), unsaved.globals(), unsaved.events()];
    all.concat()
}

fn frame_of(world: &World) -> u64 {
    world
        .find_global::<Clock>()
        .map_or(0, |clock| clock.frame())
}

impl<W> fmt::Debug for Recorder<W> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Recorder")
            .field("due", &self.due)
            .finish_non_exhaustive()
    }
}

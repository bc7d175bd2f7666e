//! What is watched: a scene that runs, with all that it was before, or a recording.

use crate::engine::Engine;
use crate::output;
use crate::trouble::Trouble;
use gerust::scene::{Recording, RecordingWriter, SceneRun};
use gerust::{Runtime, World};
use std::cell::RefCell;
use std::io::{self, Write};
use std::path::Path;
use std::rc::Rc;

/// Bytes that can be read while they are written.
#[derive(Clone, Default)]
struct Memory(Rc<RefCell<Vec<u8>>>);

impl Write for Memory {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.borrow_mut().extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// A run that goes on, and what has been written down of it.
struct Live<'s> {
    run: SceneRun<'s>,
    writer: RecordingWriter<Memory>,
    written: Memory,
}

/// A frame that was written down.
struct Past {
    recording: Recording,
    runtime: Runtime,
    frame: u64,
}

pub(super) struct Watched<'s> {
    engine: &'s Engine,
    live: Option<Live<'s>>,
    past: Option<Past>,
}

impl<'s> Watched<'s> {
    /// A scene from its start.
    pub(super) fn live(engine: &'s Engine, run: SceneRun<'s>) -> Result<Self, Trouble> {
        let written = Memory::default();
        let writer = RecordingWriter::begin(written.clone(), &run).map_err(Trouble::other)?;
        Ok(Self {
            engine,
            live: Some(Live {
                run,
                writer,
                written,
            }),
            past: None,
        })
    }

    /// A recording from its start.
    pub(super) fn recorded(engine: &'s Engine, recording: Recording) -> Result<Self, Trouble> {
        let mut watched = Self {
            engine,
            live: None,
            past: None,
        };
        watched.show(recording, 0)?;
        Ok(watched)
    }

    fn show(&mut self, recording: Recording, frame: u64) -> Result<(), Trouble> {
        let mut runtime = self.engine.runtime()?;
        recording.restore_into(&mut runtime, self.engine.registry(), frame)?;
        self.past = Some(Past {
            recording,
            runtime,
            frame,
        });
        Ok(())
    }

    pub(super) fn title(&self) -> String {
        match (&self.live, &self.past) {
            (Some(live), _) => live.run.scene().title().to_owned(),
            (None, Some(past)) => past.recording.title().to_owned(),
            (None, None) => String::new(),
        }
    }

    /// The frame that is shown.
    pub(super) fn frame(&self) -> u64 {
        match (&self.past, &self.live) {
            (Some(past), _) => past.frame,
            (None, Some(live)) => live.run.frame(),
            (None, None) => 0,
        }
    }

    /// The last frame that there will be.
    pub(super) fn last_frame(&self) -> u64 {
        match (&self.live, &self.past) {
            (Some(live), _) => live.run.scene().frames(),
            (None, Some(past)) => past.recording.last_frame(),
            (None, None) => 0,
        }
    }

    /// Whether a frame is shown that ran earlier.
    pub(super) fn is_past(&self) -> bool {
        self.past.is_some() && self.live.is_some()
    }

    pub(super) fn is_recording(&self) -> bool {
        self.live.is_none()
    }

    /// What is shown.
    pub(super) fn world(&self) -> &World {
        self.shown().world()
    }

    /// The runtime that is shown. Of a past frame its world counts, not its profiler.
    pub(super) fn shown(&self) -> &Runtime {
        match (&self.past, &self.live) {
            (Some(past), _) => &past.runtime,
            (None, Some(live)) => live.run.runtime(),
            (None, None) => unreachable!("there is one or the other"),
        }
    }

    /// The runtime that runs, if one does.
    pub(super) fn running(&self) -> Option<&Runtime> {
        self.live.as_ref().map(|live| live.run.runtime())
    }

    /// Goes to the next frame; says whether there was one.
    pub(super) fn forward(&mut self) -> Result<bool, Trouble> {
        let Some(past) = &mut self.past else {
            let Some(live) = &mut self.live else {
                return Ok(false);
            };
            let has_run = live.run.advance()?;
            if has_run {
                live.writer.note(&live.run).map_err(Trouble::other)?;
            }
            return Ok(has_run);
        };
        let next = past.frame + 1;
        if next > past.recording.last_frame() {
            return Ok(false);
        }
        let is_now = |live: &Live<'_>| live.run.frame() == next;
        match self.live.as_ref().is_some_and(is_now) {
            true => self.past = None,
            false => self.go_to_past(next)?,
        }
        Ok(true)
    }

    /// Goes to the frame before; says whether there was one.
    pub(super) fn back(&mut self) -> Result<bool, Trouble> {
        let Some(before) = self.frame().checked_sub(1) else {
            return Ok(false);
        };
        if self.past.is_none()
            && let Some(live) = &self.live
        {
            let bytes = live.written.0.borrow().clone();
            let recording = Recording::from_bytes(bytes, "this run")?;
            self.show(recording, before)?;
            return Ok(true);
        }
        self.go_to_past(before)?;
        Ok(true)
    }

    fn go_to_past(&mut self, frame: u64) -> Result<(), Trouble> {
        if let Some(past) = &mut self.past {
            let registry = self.engine.registry();
            past.recording
                .restore_into(&mut past.runtime, registry, frame)?;
            past.frame = frame;
        }
        Ok(())
    }

    /// Switches a system of the run on or off; says whether it is on.
    pub(super) fn toggle(&mut self, system: &str) -> Result<Option<bool>, Trouble> {
        let Some(live) = &mut self.live else {
            return Ok(None);
        };
        let runtime = live.run.runtime_mut();
        let is_on = runtime
            .schedule()
            .system(system)
            .is_some_and(|system| system.is_enabled());
        runtime.set_enabled(system, !is_on)?;
        Ok(Some(!is_on))
    }

    /// Writes all that has run into a file.
    pub(super) fn keep(self, path: &Path) -> Result<(), Trouble> {
        let Some(live) = self.live else {
            return Ok(());
        };
        let finished = live.writer.finish(&live.run).map_err(Trouble::other)?;
        let bytes = finished.0.borrow();
        std::fs::write(path, bytes.as_slice()).map_err(|error| output::unwritable(path, &error))
    }
}

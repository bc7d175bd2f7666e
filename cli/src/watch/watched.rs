//! The subject of `watch`: a running scene with its past frames, or a recording.

use crate::engine::Engine;
use crate::failure::Failure;
use crate::target::Target;
use gerust::{Runtime, World};
use gerust_scene::{Recording, RecordingWriter, SceneRun};
use std::cell::RefCell;
use std::io::{self, Write};
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

/// A run, and the recording of its past.
struct Live {
    run: SceneRun,
    writer: RecordingWriter<Memory>,
    written: Memory,
}

/// A recorded frame.
struct Past {
    recording: Recording,
    runtime: Runtime,
    frame: u64,
}

pub(super) struct Watched<'s> {
    engine: &'s Engine,
    source: Source,
}

enum Source {
    Live {
        live: Box<Live>,
        /// The message shown in its place.
        past: Option<Past>,
    },
    Recorded(Past),
}

impl<'s> Watched<'s> {
    /// A scene from its start.
    pub(super) fn live(engine: &'s Engine, run: SceneRun) -> Result<Self, Failure> {
        let written = Memory::default();
        let writer = RecordingWriter::begin(written.clone(), &run).map_err(Failure::other)?;
        let live = Box::new(Live {
            run,
            writer,
            written,
        });
        let source = Source::Live { live, past: None };
        Ok(Self { engine, source })
    }

    /// A recording from its start.
    pub(super) fn recorded(engine: &'s Engine, recording: Recording) -> Result<Self, Failure> {
        let source = Source::Recorded(Past::at(engine, recording, 0)?);
        Ok(Self { engine, source })
    }

    fn run(&self) -> Option<&SceneRun> {
        match &self.source {
            Source::Live { live, .. } => Some(&live.run),
            Source::Recorded(_) => None,
        }
    }

    pub(super) fn title(&self) -> &str {
        match &self.source {
            Source::Live { live, .. } => live.run.scene().title(),
            Source::Recorded(past) => past.recording.title(),
        }
    }

    /// The frame that is shown.
    pub(super) fn frame(&self) -> u64 {
        match &self.source {
            Source::Live {
                past: Some(past), ..
            }
            | Source::Recorded(past) => past.frame,
            Source::Live { live, past: None } => live.run.frame(),
        }
    }

    /// The last frame that there will be.
    pub(super) fn last_frame(&self) -> u64 {
        match &self.source {
            Source::Live { live, .. } => live.run.scene().frames(),
            Source::Recorded(past) => past.recording.last_frame(),
        }
    }

    /// Whether a frame is shown that ran earlier.
    pub(super) fn is_past(&self) -> bool {
        matches!(&self.source, Source::Live { past: Some(_), .. })
    }

    /// The displayed state.
    pub(super) fn world(&self) -> &World {
        self.shown().world()
    }

    /// The runtime that is shown. Of a past frame its world counts, not its profiler.
    pub(super) fn shown(&self) -> &Runtime {
        match &self.source {
            Source::Live {
                past: Some(past), ..
            }
            | Source::Recorded(past) => &past.runtime,
            Source::Live { live, past: None } => live.run.runtime(),
        }
    }

    /// The runtime that runs, if one does.
    pub(super) fn running(&self) -> Option<&Runtime> {
        self.run().map(SceneRun::runtime)
    }

    /// Goes to the next frame; says whether there was one.
    pub(super) fn forward(&mut self) -> Result<bool, Failure> {
        match &mut self.source {
            Source::Live { live, past: None } => live.advance(),
            Source::Live {
                live,
                past: slot @ Some(_),
            } if slot
                .as_ref()
                .is_some_and(|past| past.frame + 1 == live.run.frame()) =>
            {
                *slot = None;
                Ok(true)
            }
            Source::Live {
                past: Some(past), ..
            }
            | Source::Recorded(past) => {
                let next = past.frame + 1;
                let is_there = next <= past.recording.last_frame();
                if is_there {
                    past.go_to(self.engine, next)?;
                }
                Ok(is_there)
            }
        }
    }

    /// Goes to the frame before; says whether there was one.
    pub(super) fn back(&mut self) -> Result<bool, Failure> {
        let Some(before) = self.frame().checked_sub(1) else {
            return Ok(false);
        };
        match &mut self.source {
            Source::Live {
                live,
                past: past @ None,
            } => {
                let bytes = live.written.0.borrow().clone();
                let recording = Recording::from_bytes(bytes, "this run")?;
                *past = Some(Past::at(self.engine, recording, before)?);
            }
            Source::Live {
                past: Some(past), ..
            }
            | Source::Recorded(past) => {
                past.go_to(self.engine, before)?;
            }
        }
        Ok(true)
    }

    /// Switches a system of the run on or off; says whether it is on.
    pub(super) fn toggle(&mut self, system: &str) -> Result<Option<bool>, Failure> {
        let Source::Live { live, .. } = &mut self.source else {
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
    pub(super) fn keep(self, target: Target) -> Result<(), Failure> {
        let Source::Live { live, .. } = self.source else {
            return Ok(());
        };
        let finished = live.writer.finish(&live.run).map_err(Failure::other)?;
        let bytes = finished.0.borrow();
        target.write(bytes.as_slice())
    }
}

impl Live {
    /// Runs the next frame and writes it down; says whether there was one.
    fn advance(&mut self) -> Result<bool, Failure> {
        let has_run = self.run.run_frame()?;
        if has_run {
            self.writer.note(&self.run).map_err(Failure::other)?;
        }
        Ok(has_run)
    }
}

impl Past {
    fn at(engine: &Engine, recording: Recording, frame: u64) -> Result<Self, Failure> {
        let mut past = Self {
            recording,
            runtime: engine.runtime()?,
            frame,
        };
        past.go_to(engine, frame)?;
        Ok(past)
    }

    fn go_to(&mut self, engine: &Engine, frame: u64) -> Result<(), Failure> {
        let registry = engine.registry();
        self.recording
            .restore_into(&mut self.runtime, registry, frame)?;
        self.frame = frame;
        Ok(())
    }
}

//! Writing runs down.

use super::change::{change, key_frame};
use super::item::{End, FrameItem, Happened, Header, Item, wrapped};
use crate::run::SceneRun;
use gerust::Error;
use gerust::store::Snapshot;
use std::io::{self, Write};

/// The changes since a key frame may take this multiple of its bytes before the next one: seeking stays short, and key frames add a
/// quarter to the file at most.
const KEY_EVERY: usize = 4;

/// Writes a run down, frame by frame; see [`Recording`](super::Recording) for an example. A [`Recorder`](super::Recorder) records a
/// runtime without a scene.
///
/// A frame is written as its changes, field by field, with the digest of the whole world; from time to time as a key frame with
/// the whole world. It costs a snapshot of the world for each frame.
pub struct RecordingWriter<W> {
    frames: Frames<W>,
}

impl<W: Write> RecordingWriter<W> {
    /// Begins with a run that has just been started, and writes its frame 0 down.
    ///
    /// # Errors
    ///
    /// If it cannot be written.
    pub fn begin(to: W, run: &SceneRun) -> io::Result<Self> {
        let scene = run.scene();
        let parameters = scene.parameters().iter();
        let header = Header {
            title: scene.title().to_owned(),
            scene: scene.path().display().to_string(),
            parameters: parameters
                .map(|(name, value)| (name.to_owned(), value.to_owned()))
                .collect(),
            frames: scene.frames(),
            settings: scene.parts.settings.with_layers_of(run.runtime().world()),
            ..Header::default()
        };
        let mut writer = Self {
            frames: Frames::begin(to, header)?,
        };
        writer.note(run)?;
        Ok(writer)
    }

    /// Writes the frame down that has just run. Frames have to follow each other.
    ///
    /// # Errors
    ///
    /// If it cannot be written, if a component cannot be serialized, or if it is not the frame after the last one.
    pub fn note(&mut self, run: &SceneRun) -> io::Result<()> {
        if run.frame() != self.frames.next {
            return Err(out_of_turn(run.frame(), self.frames.next));
        }
        let now = run.runtime().world().snapshot().map_err(not_written)?;
        self.frames.write(now, Happened::of(run))
    }

    /// Records the end of the run.
    ///
    /// # Errors
    ///
    /// If it cannot be written.
    pub fn finish(self, run: &SceneRun) -> io::Result<W> {
        let report = run.report();
        let failed = report.failures().count() as u64;
        let held = report.outcomes().len() as u64 - failed;
        self.frames.finish(held, failed)
    }
}

impl<W> std::fmt::Debug for RecordingWriter<W> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("RecordingWriter")
            .field("next", &self.frames.next)
            .finish_non_exhaustive()
    }
}

pub(super) fn out_of_turn(frame: u64, due: u64) -> io::Error {
    io::Error::new(
        io::ErrorKind::InvalidInput,
        format!("frame {frame} was noted where frame {due} was due; note each frame once"),
    )
}

pub(super) fn not_written(error: Error) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, error)
}

/// The frames of a recording that is being written.
pub(super) struct Frames<W> {
    to: W,
    before: Snapshot,
    /// Bytes of the last key frame, and of what has followed it.
    key_bytes: usize,
    since_key: usize,
    /// The number of the next frame.
    next: u64,
    /// The checksum of the last item.
    check: u64,
}

impl<W: Write> Frames<W> {
    /// Writes the header.
    pub(super) fn begin(mut to: W, header: Header) -> io::Result<Self> {
        let (bytes, check) = wrapped(&Item::Header(Box::new(header)), 0);
        to.write_all(&bytes)?;
        Ok(Self {
            to,
            before: Snapshot::default(),
            key_bytes: 0,
            since_key: 0,
            next: 0,
            check,
        })
    }

    /// Writes a frame.
    pub(super) fn write(&mut self, now: Snapshot, happened: Happened) -> io::Result<()> {
        let extras = FrameItem {
            happened,
            ..FrameItem::default()
        };
        self.write_with(now, extras)
    }

    /// Writes a frame, with what is known of it besides components.
    pub(super) fn write_with(&mut self, now: Snapshot, extras: FrameItem) -> io::Result<()> {
        let is_key = self.next == 0 || self.since_key >= KEY_EVERY * self.key_bytes;
        let item = match is_key {
            true => key_frame(&now),
            false => change(&self.before, &now),
        };
        let item = Item::Frame(Box::new(FrameItem {
            frame: self.next,
            digest: now.digest(),
            happened: extras.happened,
            failure: extras.failure,
            times: extras.times,
            ..item
        }));
        let (bytes, check) = wrapped(&item, self.check);
        self.to.write_all(&bytes)?;
        self.check = check;
        match is_key {
            true => (self.key_bytes, self.since_key) = (bytes.len(), 0),
            false => self.since_key += bytes.len(),
        }
        self.before = now;
        self.next += 1;
        Ok(())
    }

    /// Writes the end.
    pub(super) fn finish(mut self, held: u64, failed: u64) -> io::Result<W> {
        let end = Item::End(End { held, failed });
        self.to.write_all(&wrapped(&end, self.check).0)?;
        self.to.flush()?;
        Ok(self.to)
    }
}

//! Looking at the frames of a recording.

use super::{Recording, RecordingError, change};
use gerust::runtime::Origin;
use gerust::store::Snapshot;

/// Looks at frames of a [`Recording`], one after the other or in any order; see there for an example.
///
/// Stepping to the next frame costs its changes and the digest of the whole world; a jump starts at the key frame before
/// it. Each frame is checked against its digest.
#[derive(Debug)]
pub struct Playback<'r> {
    recording: &'r Recording,
    /// The frame that the snapshot is of.
    at: Option<u64>,
    snapshot: Snapshot,
    /// Where the origin is then, once it has moved.
    pub(super) origin: Option<Origin>,
}

impl<'r> Playback<'r> {
    pub(super) fn new(recording: &'r Recording) -> Self {
        Self {
            recording,
            at: None,
            snapshot: Snapshot::default(),
            origin: None,
        }
    }

    /// The recording.
    #[must_use]
    pub fn recording(&self) -> &'r Recording {
        self.recording
    }

    /// The current frame.
    #[must_use]
    pub fn frame(&self) -> Option<u64> {
        self.at
    }

    /// The world after a frame.
    ///
    /// # Errors
    ///
    /// If there is no such frame, or if it does not come to what its digest says.
    pub fn go_to(&mut self, frame: u64) -> Result<&Snapshot, RecordingError> {
        let recording = self.recording;
        if frame > recording.last_frame() || recording.frames.is_empty() {
            return Err(recording.no_such_frame(frame));
        }
        let mut keys = recording.frames[..=frame as usize].iter();
        let key = keys.rposition(|place| place.is_key).unwrap_or(0) as u64;
        let first = match self.at {
            Some(at) if (key..=frame).contains(&at) => at + 1,
            _ => key,
        };
        for next in first..=frame {
            let item = recording.item(next)?;
            if let Err(reason) = change::apply(&mut self.snapshot, &item) {
                self.at = None;
                return Err(recording.damaged(next, reason));
            }
            self.at = Some(next);
            self.origin = item.happened.origin;
        }
        Ok(&self.snapshot)
    }
}

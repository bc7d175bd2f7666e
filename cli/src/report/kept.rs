//! Which frames the page stores: all, or as many as there is room for.

use super::change::Change;
use crate::failure::Failure;
use std::num::NonZeroU64;

/// The room in bytes for all frames, so that a page can be sent by mail.
const MOST_BYTES: usize = 12 << 20;

/// Changes from one frame to the next of those that are kept.
pub(super) struct Kept {
    /// Every N-th frame is stored, and the last.
    pub(super) every: u64,
    pub(super) changes: Vec<Change>,
    /// As JSON.
    bytes: usize,
    room: Option<usize>,
}

impl Kept {
    /// Stores every N-th frame. Default: as many as there is room for.
    pub(super) fn chosen(every: Option<NonZeroU64>) -> Self {
        match every {
            Some(every) => Self::every(every.get()),
            None => Self::within(MOST_BYTES),
        }
    }

    /// Stores every N-th frame, at any size.
    fn every(every: u64) -> Self {
        Self {
            every,
            changes: Vec::new(),
            bytes: 0,
            room: None,
        }
    }

    /// Stores as many frames as fit into a number of bytes of JSON. When they do not fit, every second one is left out.
    fn within(room: usize) -> Self {
        Self {
            room: Some(room),
            ..Self::every(1)
        }
    }

    /// Adds what has changed since the frame that was added before.
    pub(super) fn add(&mut self, mut change: Change) -> Result<(), Failure> {
        // The change stored last is merged into this one if its frame is among those that are now left out.
        let every = self.every;
        let is_left_out = |last: &mut Change| !last.frame.is_multiple_of(every);
        if let Some(earlier) = self.changes.pop_if(is_left_out) {
            self.bytes -= size_of_json(&earlier)?;
            change = earlier.then(change);
        }
        self.bytes += size_of_json(&change)?;
        self.changes.push(change);
        while self.room.is_some_and(|room| self.bytes > room) && self.changes.len() > 3 {
            self.halve()?;
        }
        Ok(())
    }

    /// Whether this is the frame that was added last.
    pub(super) fn ends_with(&self, frame: u64) -> bool {
        self.changes.last().is_some_and(|last| last.frame == frame)
    }

    /// Leaves out every frame that is no multiple of twice the distance, but for the last.
    fn halve(&mut self) -> Result<(), Failure> {
        self.every *= 2;
        let mut thinned: Vec<Change> = Vec::new();
        let mut waiting: Option<Change> = None;
        for change in self.changes.drain(..) {
            let change = match waiting.take() {
                Some(earlier) => earlier.then(change),
                None => change,
            };
            match change.frame.is_multiple_of(self.every) {
                true => thinned.push(change),
                false => waiting = Some(change),
            }
        }
        thinned.extend(waiting);
        self.changes = thinned;
        self.bytes = 0;
        for change in &self.changes {
            self.bytes += size_of_json(change)?;
        }
        Ok(())
    }
}

fn size_of_json(change: &Change) -> Result<usize, Failure> {
    let text = serde_json::to_vec(change);
    text.map(|text| text.len())
        .map_err(|error| Failure::other(format!("the page cannot be written: {error}")))
}

#[cfg(test)]
mod tests {
    use super::super::change::Drawn;
    use super::*;
    use std::collections::BTreeMap;

    fn moved(frame: u64) -> Change {
        Change {
            frame,
            drawn: BTreeMap::from([(0, Some(Drawn::Point([frame as f64, 0.0, 0.0])))]),
            ..Change::default()
        }
    }

    #[test]
    fn frames_are_left_out_until_the_others_fit() {
        let mut kept = Kept::within(600);
        for frame in 0..=101 {
            kept.add(moved(frame)).expect("it can be written");
        }
        assert!(
            kept.bytes <= 600 && kept.every.is_power_of_two(),
            "{}",
            kept.every
        );
        let frames: Vec<u64> = kept.changes.iter().map(|change| change.frame).collect();
        let mut wanted: Vec<u64> = (0..=101).step_by(kept.every as usize).collect();
        wanted.push(101);
        assert_eq!(frames, wanted);
        for change in &kept.changes {
            let at = Drawn::Point([change.frame as f64, 0.0, 0.0]);
            assert_eq!(change.drawn[&0], Some(at));
        }
    }

    #[test]
    fn all_are_kept_that_are_asked_for() {
        let mut kept = Kept::every(1);
        for frame in 0..200 {
            kept.add(moved(frame)).expect("it can be written");
        }
        assert_eq!((kept.every, kept.changes.len()), (1, 200));
    }
}

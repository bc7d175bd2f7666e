//! Checks how control inputs are moved.

use super::Checker;
use crate::cue::Track;
use crate::document::ControlTrack;
use toml::Spanned;

impl<'d> Checker<'d> {
    pub(super) fn check_controls(&mut self) -> Vec<Track> {
        let controls = self.document.controls.iter();
        controls
            .map(|(name, track)| Track {
                control: name.get_ref().clone(),
                moves: self.check_track(track),
            })
            .collect()
    }

    fn check_track(&mut self, track: &'d ControlTrack) -> Vec<(u64, f32)> {
        let mut moves = Vec::new();
        for times in &track.held {
            let [from, to] = times.get_ref();
            if from.get_ref() >= to.get_ref() {
                let message = format!("{} s is not before {} s", from.get_ref(), to.get_ref());
                let fix = "write the times at which it is pressed and released";
                self.fault(times, message, fix);
                continue;
            }
            moves.push((self.frame_of_time(from, 1), 1.0));
            // A control that is held beyond the end is never released.
            if self.frame_at(*to.get_ref()) <= self.frames() {
                moves.push((self.frame_of_time(to, 1), 0.0));
            }
        }
        for (time, value) in &track.values {
            moves.push((self.frame_of_time(time, 1), *value));
        }
        moves
    }

    pub(super) fn check_control_name(&mut self, name: &Spanned<String>) {
        let document = self.document;
        let known = document.controls.keys();
        let known = known.map(|name| name.get_ref().as_str());
        self.check_known(name, "control", "names under `controls`", known);
    }
}

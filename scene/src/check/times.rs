//! From times to frames.

use super::Checker;
use toml::Spanned;

impl<'d> Checker<'d> {
    /// The first frame that ends at a time or later.
    pub(super) fn frame_at(&self, seconds: f64) -> u64 {
        // Rounding must not turn a time that is a whole number of frames into the next frame.
        let frames = seconds / self.step;
        (frames - 1e-6).ceil().max(0.0) as u64
    }

    pub(super) fn check_frame<T>(&mut self, at: &Spanned<T>, frame: u64, first: u64) -> u64 {
        if frame < first {
            self.fault(
                at,
                format!("this is frame {frame}, but frames are counted from {first}"),
                format!("write {first} or more"),
            );
        } else if let Some((message, fix)) = self.beyond_end(frame) {
            self.fault(at, message, fix);
        }
        frame
    }

    /// How many frames the scene runs; 0 if that is at fault.
    pub(super) fn frames(&self) -> u64 {
        let frames = self.document.frames.as_ref();
        frames.map_or(0, |frames| *frames.get_ref())
    }

    /// The problem with a frame beyond the end of the scene, and how to fix it.
    pub(super) fn beyond_end(&self, frame: u64) -> Option<(String, &'static str)> {
        let frames = self.frames();
        (frame > frames && frames > 0).then(|| {
            let message = format!("this is frame {frame}, but the scene ends at frame {frames}");
            (message, "move it, or raise `frames`")
        })
    }

    pub(super) fn frame_of_time(&mut self, time: &Spanned<f64>, first: u64) -> u64 {
        if *time.get_ref() < 0.0 {
            let message = format!("{} s is before the scene begins", time.get_ref());
            self.fault(time, message, "write 0 or more");
            return first;
        }
        let frame = self.frame_at(*time.get_ref()).max(first);
        self.check_frame(time, frame, first)
    }
}

//! `gerust inspect RECORDING recording`.

use crate::output::wrapped;
use gerust_scene::Recording;
use serde::Serialize;

/// The contents of a recording, and the reason for it.
#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct RecordingView<'r> {
    recording: String,
    title: &'r str,
    /// The scene file that was recorded, if one was.
    scene: Option<String>,
    last_frame: u64,
    /// The number of frame 0 in the program that was recorded.
    first_frame: u64,
    step_seconds: f64,
    reason: Option<&'r str>,
    failures: Vec<FailureView<'r>>,
    /// The types that were not registered.
    missing: &'r [String],
    frames_with_times: u64,
    /// Whether it begins with the exact state of the program.
    state: bool,
    damage: Option<String>,
}

#[derive(Serialize)]
struct FailureView<'r> {
    frame: u64,
    error: &'r str,
}

/// Failed frames that the text lists.
const MOST_FAILURES: usize = 5;

impl<'r> RecordingView<'r> {
    pub(crate) fn new(recording: &'r Recording) -> Self {
        let scene = recording.scene().display().to_string();
        let failures = recording.failures();
        Self {
            recording: recording.path().display().to_string(),
            title: recording.title(),
            scene: Some(scene).filter(|scene| !scene.is_empty()),
            last_frame: recording.last_frame(),
            first_frame: recording.first_frame(),
            step_seconds: recording.step_seconds(),
            reason: recording.reason(),
            failures: failures
                .map(|(frame, error)| FailureView { frame, error })
                .collect(),
            missing: recording.missing(),
            frames_with_times: recording.frames_with_times(),
            state: recording.has_state(),
            damage: recording.damage().map(ToString::to_string),
        }
    }

    pub(super) fn text(&self) -> String {
        let mut text = format!("{}\n", self.title);
        let mut line = |name: &str, value: &str| {
            text += &wrapped(value, &format!("  {name:<15} "), 18);
        };
        if let Some(scene) = &self.scene {
            line("scene", scene);
        }
        let seconds = self.last_frame as f64 * self.step_seconds;
        let mut frames = format!("0 to {}, {seconds:.2} s", self.last_frame);
        if self.first_frame > 0 {
            let last = self.first_frame + self.last_frame;
            frames += &format!("; {} to {last} in the program", self.first_frame);
        }
        line("frames", &frames);
        if let Some(reason) = self.reason {
            line("written because", reason);
        }
        for FailureView { frame, error } in self.failures.iter().take(MOST_FAILURES) {
            line("failed", &format!("frame {frame}: {error}"));
        }
        if let Some(more) = self.failures.len().checked_sub(MOST_FAILURES + 1) {
            line("", &format!("and {} more frames", more + 1));
        }
        if !self.missing.is_empty() {
            let names = self.missing.join(", ");
            line("missing", &format!("{names} (not registered)"));
        }
        if self.frames_with_times > 0 {
            line("times", &format!("of {} frames", self.frames_with_times));
        }
        if self.state {
            line("state", "exact in frame 0, for `Recording::load_into`");
        }
        if let Some(damage) = &self.damage {
            line("damage", damage);
        }
        text
    }
}

//! What keeps a command from running.

use crate::faults;
use gerust_scene::{RecordingError, ResumeError, SceneError};
use std::fmt::Display;
use std::process::ExitCode;

pub(crate) const EXPECTATION_FAILED: u8 = 1;
pub(crate) const BAD_INPUT: u8 = 2;

/// Why a command did not do what it was asked.
#[derive(Debug)]
pub(crate) enum Failure {
    /// The scene file is at fault.
    Scene(SceneError),
    /// A system of the scene failed.
    Runtime(gerust::Error),
    /// Something else, in words.
    Other(String),
    /// An error that was already reported in full.
    AlreadyReported,
}

impl Failure {
    pub(crate) fn other(message: impl Display) -> Self {
        Self::Other(message.to_string())
    }

    /// Tells it on standard error.
    pub(crate) fn tell(self) -> ExitCode {
        match self {
            Self::Scene(error) => faults::print(&error),
            Self::Runtime(error) => tracing::error!("{error}"),
            Self::Other(message) => tracing::error!("{message}"),
            Self::AlreadyReported => {}
        }
        ExitCode::from(BAD_INPUT)
    }
}

impl From<SceneError> for Failure {
    fn from(error: SceneError) -> Self {
        Self::Scene(error)
    }
}

impl From<RecordingError> for Failure {
    fn from(error: RecordingError) -> Self {
        Self::other(error)
    }
}

impl From<ResumeError> for Failure {
    fn from(error: ResumeError) -> Self {
        Self::other(error)
    }
}

impl From<gerust::Error> for Failure {
    fn from(error: gerust::Error) -> Self {
        Self::Runtime(error)
    }
}

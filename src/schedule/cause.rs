//! What may have changed a world.

use std::fmt;

/// A step of a frame after which a world may be another one; see [`Runtime::run_frame_watched`](crate::Runtime::run_frame_watched).
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Cause<'a> {
    /// A system has run.
    System(&'a str),
    /// The edits that a system has recorded were applied, at the end of its phase.
    Edits(&'a str),
    /// Something was done before the systems ran: an action of a scene, in words.
    Action(&'a str),
}

impl fmt::Display for Cause<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::System(name) => write!(f, "the system `{name}`"),
            Self::Edits(name) => write!(f, "the edits of the system `{name}`"),
            Self::Action(what) => write!(f, "the action: {what}"),
        }
    }
}

//! Phases: the parts of a frame.

use std::fmt;

/// A part of a frame, named after what belongs there.
///
/// Phases run one after the other: the standard ones in the order of [`Phase::STANDARD`], your own where
/// [`Runtime::add_phase_after`](crate::Runtime::add_phase_after) has put them. What systems record as
/// [`Edits`](crate::Edits) is carried out at the end of each.
///
/// # Example
///
/// ```
/// use gerust::Phase;
///
/// assert_eq!(Phase::Simulate.to_string(), "Simulate");
/// assert_eq!(Phase::Own("Weather").to_string(), "Weather");
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
#[non_exhaustive]
pub enum Phase {
    /// Each system once, before the first frame that finds it switched on. If a system fails, the frame does not run, and the
    /// edits of all systems that ran with it are discarded; those others run again before the next frame.
    Setup,
    /// Take in what comes from outside: controls, messages, time.
    Intake,
    /// Decide and simulate: the phase of a system that names none.
    Simulate,
    /// Move bodies, stopping at what is solid.
    Move,
    /// Resolve the world placement of everything that has a parent.
    Place,
    /// Find out what touches what.
    Touch,
    /// React to contacts and other events.
    React,
    /// Tidy up, count, and hand results on.
    Close,
    /// A phase of your own, by its name; see [`Runtime::add_phase_after`](crate::Runtime::add_phase_after).
    Own(&'static str),
}

impl Phase {
    /// The phases that every runtime has, in the order in which they run.
    pub const STANDARD: &'static [Self] = &[
        Self::Setup,
        Self::Intake,
        Self::Simulate,
        Self::Move,
        Self::Place,
        Self::Touch,
        Self::React,
        Self::Close,
    ];

    /// The name, as reports show it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Setup => "Setup",
            Self::Intake => "Intake",
            Self::Simulate => "Simulate",
            Self::Move => "Move",
            Self::Place => "Place",
            Self::Touch => "Touch",
            Self::React => "React",
            Self::Close => "Close",
            Self::Own(name) => name,
        }
    }
}

impl fmt::Display for Phase {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.name())
    }
}

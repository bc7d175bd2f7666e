//! The error that every floor returns.

mod facts;
mod kind;

pub use kind::ErrorKind;

use crate::panics::Panic;
use crate::store::Entity;
use std::fmt;

/// The error of every call to the runtime.
///
/// The message says in one sentence what is wrong, with names and numbers, and in a second one how to fix it.
/// [`Error::kind`] and the other accessors give a program the same facts.
///
/// # Example
///
/// ```
/// use gerust::World;
///
/// let mut world = World::new();
/// let barrel = world.spawn(("barrel",));
/// world.despawn(barrel)?;
///
/// let error = world.despawn(barrel).unwrap_err();
/// assert!(error.is_stale_entity());
/// assert_eq!(error.entity(), Some(barrel));
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Error(Box<Kind>);

#[derive(Debug, thiserror::Error)]
pub(crate) enum Kind {
    #[error(
        "entity {entity} cannot be {verb}: it is no longer alive; keep ids no longer than their entities, or ask `contains` first"
    )]
    StaleEntity { entity: Entity, verb: &'static str },
    #[error("entity {label} has no `{component}` to {verb}; attach one first, or ask `has` before")]
    MissingComponent {
        entity: Entity,
        label: String,
        component: &'static str,
        verb: &'static str,
    },
    #[error(
        "there are {count} rows of `{rows}`, not exactly one; spawn or despawn, or walk over them with `iter`"
    )]
    NotOnly { rows: String, count: usize },
    #[cfg(feature = "snapshot")]
    #[error(
        "`{component}` cannot be registered as `{name}`: `{taken}` is the name of `{by}` already; choose another name"
    )]
    NameTaken {
        name: String,
        component: &'static str,
        taken: String,
        by: &'static str,
    },
    #[cfg(feature = "snapshot")]
    #[error(
        "cannot write `{name}` of entity {label}: {reason}; change the value, or how its type is serialized"
    )]
    NotWritten {
        name: String,
        entity: Entity,
        label: String,
        reason: String,
    },
    #[cfg(feature = "snapshot")]
    #[error(
        "`{name}` of entity {entity} cannot be restored: {reason}; register the types that the snapshot was taken with"
    )]
    NotRestored {
        name: String,
        entity: Entity,
        reason: String,
    },
    #[cfg(feature = "snapshot")]
    #[error(
        "the snapshot contradicts itself at entity {entity}: {reason}; nothing was restored; take another snapshot"
    )]
    BadSnapshot {
        entity: Entity,
        reason: &'static str,
    },
    #[cfg(feature = "snapshot")]
    #[error("the value cannot be written as data: {0}; give maps keys that are texts")]
    UnwritableDatum(String),
    #[cfg(feature = "snapshot")]
    #[error("the data cannot be read as this type: {0}; read it as the type that wrote it")]
    UnreadableDatum(String),
    #[error(
        "the world has no global `{global}`; put one in with `set_global` before it is asked for"
    )]
    MissingGlobal { global: &'static str },
    #[error(
        "entity `{child}` cannot be linked under `{parent}`: that would make a cycle {cycle}; {fix}"
    )]
    LinkCycle {
        entity: Entity,
        child: String,
        parent: String,
        cycle: String,
        fix: String,
    },
    #[error(
        "entity `{child}` cannot be put next to `{sibling}`, which is not another child of `{parent}`; name one of its children, or `Last`"
    )]
    NoSibling {
        entity: Entity,
        child: String,
        sibling: String,
        parent: String,
    },
    #[error(
        "entity `{child}` cannot be linked under `{parent}` and stay where it is: `{parent}` is flattened by a scale of zero; use `link`, which keeps the local placement"
    )]
    FlatParent {
        entity: Entity,
        child: String,
        parent: String,
    },
    #[error("system `{system}` claims {clash}")]
    ClaimClash { system: String, clash: String },
    #[error("system `{system}` claims {claim}")]
    BadClaim { system: String, claim: String },
    #[error("there is already a system named `{system}`; give one of the two another name")]
    DuplicateSystem { system: String },
    #[error("unknown template `{name}`; {fix}")]
    UnknownTemplate { name: String, fix: String },
    #[error("unknown system `{system}`; {fix}")]
    UnknownSystem { system: String, fix: String },
    #[error(
        "system `{system}` of phase {phase} is to run {word} `{target}`, which is a name or label of phase {other}; phases have \
         an order of their own, so take the statement out, or move one of the two"
    )]
    OrderAcrossPhases {
        system: String,
        phase: &'static str,
        word: &'static str,
        target: String,
        other: &'static str,
    },
    #[error(
        "system `{system}` is to run {word} `{target}`, but no other system has that name or label; {fix}"
    )]
    UnknownOrder {
        system: String,
        word: &'static str,
        target: String,
        fix: String,
    },
    #[error(
        "the systems of phase {phase} are ordered in a circle: {cycle}; take out one of {statements}"
    )]
    OrderCycle {
        system: String,
        phase: &'static str,
        cycle: String,
        statements: String,
    },
    #[error("system `{system}` cannot be added: {reason}")]
    BadRule { system: String, reason: String },
    #[error("system `{system}` cannot leave the schedule: {reason}")]
    StaysInSchedule { system: String, reason: String },
    #[error("phase {phase} cannot be added: {reason}")]
    BadPhase { phase: &'static str, reason: String },
    #[error("kit `{kit}` cannot be {verb}: {reason}")]
    BadKit {
        kit: &'static str,
        verb: &'static str,
        reason: String,
    },
    #[error("cannot start {threads} threads: {reason}")]
    BadThreads { threads: usize, reason: String },
    #[error("system `{system}` cannot run: {source}")]
    ClaimFailed { system: String, source: Error },
    #[error(
        "system `{system}` panicked in phase {phase} of frame {frame} {}; the edits of that phase were discarded", panic.described()
    )]
    SystemPanicked {
        system: String,
        phase: &'static str,
        frame: u64,
        panic: Panic,
    },
    #[error(
        "system `{system}` failed in phase {phase} of frame {frame}: {source}; the edits of that phase were discarded"
    )]
    SystemFailed {
        system: String,
        phase: &'static str,
        frame: u64,
        source: Box<dyn std::error::Error + Send + Sync>,
    },
    #[error(
        "an edit of system `{system}` panicked at the end of phase {phase} of frame {frame} {}; the other edits of that phase \
         were carried out", panic.described()
    )]
    EditPanicked {
        system: String,
        phase: &'static str,
        frame: u64,
        panic: Panic,
    },
    #[error("{step} panicked in frame {frame} {}; the rest of that frame was skipped", panic.described())]
    StepPanicked {
        step: &'static str,
        frame: u64,
        panic: Panic,
    },
    #[cfg(feature = "gltf")]
    #[error("{place}: {problem}; {fix}")]
    BadGltf {
        place: String,
        problem: String,
        fix: &'static str,
    },
    #[error(
        "layer `{name}` cannot be added: there are {most} layers already; let some colliders share a layer"
    )]
    TooManyLayers { name: String, most: usize },
    #[error(
        "layer number {number} is none of these layers, which are `{known}`; use layers that the `Layers` of this world returned"
    )]
    ForeignLayer { number: u8, known: String },
    #[error("unknown box set `{name}` of a collider; {fix}")]
    UnknownBoxSet { name: String, fix: String },
    #[error("a grid of tiles cannot be made: {reason}")]
    BadTiles { reason: String },
    #[error(
        "the placement of entity {label} is not finite after frame {frame}: {problem}; {writers}"
    )]
    NotFinite {
        entity: Entity,
        label: String,
        frame: u64,
        problem: String,
        /// The only one that can have written it.
        system: Option<String>,
        writers: String,
    },
    #[error(
        "there are {count} entities, which exceeds the limit of {most}; despawn some, or raise the limit: the global `MostEntities`, \
         or `limits.entities` of a scene"
    )]
    TooManyEntities { count: u64, most: u64 },
    #[error(
        "more than {most} pairs of boxes touch or may meet in one frame, which is the limit; move the boxes apart, or raise the \
         limit: `Contacts::set_most_pairs`, or `limits.pairs` of a scene"
    )]
    TooManyPairs { most: usize },
    #[error(
        "the collider of entity {label} takes no part: {problem}; give it finite numbers, and boxes whose `min` is nowhere beyond their `max`"
    )]
    BadCollider {
        entity: Entity,
        label: String,
        problem: String,
    },
    #[error(
        "the collider of entity {label} is in a layer that this world does not have, so it meets nothing; add the layer to the global `Layers`, which has `{known}`"
    )]
    StrayLayer {
        entity: Entity,
        label: String,
        known: String,
    },
    #[error("entity {label} has no contact with itself; name two entities")]
    SamePair { entity: Entity, label: String },
    #[error("entity {label} was not moved: its body {problem}")]
    BadBody {
        entity: Entity,
        label: String,
        problem: String,
    },
    #[cfg(feature = "snapshot")]
    #[error(
        "these ids do not belong to the entities of the snapshot; add all entities first, and take the ids of the same world"
    )]
    BadIds,
    #[cfg(feature = "snapshot")]
    #[error("cannot load a saved runtime: {reason}")]
    BadSave { reason: String },
    #[cfg(feature = "snapshot")]
    #[error("cannot {verb} {what}: {source}; {fix}")]
    Io {
        verb: &'static str,
        what: String,
        source: std::io::Error,
        fix: &'static str,
    },
    #[cfg(feature = "snapshot")]
    #[error(
        "cannot save the {what} `{name}`: {reason}; change the value, or how its type is serialized"
    )]
    NotSaved {
        what: &'static str,
        name: String,
        reason: String,
    },
    #[cfg(feature = "export")]
    #[error("this is not a recorded profile: {reason}; write one with `RecordedProfile::write`")]
    BadProfile { reason: String },
    #[error("{what} must be {want}, but it is {found}; pass a finite number in that range")]
    BadNumber {
        what: &'static str,
        want: &'static str,
        found: f64,
    },
    #[error("{error}")]
    Own {
        kind: ErrorKind,
        error: Box<dyn std::error::Error + Send + Sync>,
    },
}

impl Error {
    /// An error of your own, for functions that must return this type, such as those of kits, templates and file formats. It
    /// prints like the error that it wraps, which [`Error::inner`] returns. Take [`ErrorKind::Other`] if no other kind fits.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Error, ErrorKind};
    ///
    /// let error = Error::new(ErrorKind::InvalidFile, "the chart has no berths; draw one");
    /// assert_eq!(error.to_string(), "the chart has no berths; draw one");
    /// assert_eq!(error.kind(), ErrorKind::InvalidFile);
    /// ```
    pub fn new(
        kind: ErrorKind,
        error: impl Into<Box<dyn std::error::Error + Send + Sync>>,
    ) -> Self {
        let error = error.into();
        Self::from(Kind::Own { kind, error })
    }

    /// The error that [`Error::new`] wrapped, or that a system returned; `None` for an error of the runtime.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Error, ErrorKind};
    ///
    /// let error = Error::new(ErrorKind::InvalidData, "x".parse::<f32>().unwrap_err());
    /// assert!(error.inner().is_some_and(|inner| inner.is::<std::num::ParseFloatError>()));
    /// ```
    #[must_use]
    pub fn inner(&self) -> Option<&(dyn std::error::Error + Send + Sync + 'static)> {
        match &*self.0 {
            Kind::Own { error, .. } => Some(&**error),
            Kind::SystemFailed { source, .. } => Some(&**source),
            _ => None,
        }
    }
}

#[cfg(feature = "gltf")]
impl Error {
    pub(crate) fn into_kind(self) -> Kind {
        *self.0
    }
}

impl From<Kind> for Error {
    fn from(kind: Kind) -> Self {
        Self(Box::new(kind))
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&self.0, f)
    }
}

/// Reads like the message: a program that ends with `fn main() -> Result<(), gerust::Error>` prints it.
impl fmt::Debug for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl std::error::Error for Error {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        std::error::Error::source(&*self.0)
    }
}

//! The kinds of errors, for programs that react to some of them.

use super::{Error, Kind};

/// The kind of an [`Error`], for a program that reacts to some errors and passes on others.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::ErrorKind;
///
/// struct Fuel(f32);
///
/// fn fuel_of(world: &World, truck: Entity) -> Result<f32, Error> {
///     match world.get::<Fuel>(truck) {
///         Ok(fuel) => Ok(fuel.0),
///         Err(error) if error.kind() == ErrorKind::MissingComponent => Ok(0.0),
///         Err(error) => Err(error),
///     }
/// }
///
/// let mut world = World::new();
/// let truck = world.spawn((Name::new("truck"),));
/// assert_eq!(fuel_of(&world, truck)?, 0.0);
/// world.despawn(truck)?;
/// assert_eq!(fuel_of(&world, truck).unwrap_err().kind(), ErrorKind::StaleEntity);
/// # Ok::<(), gerust::Error>(())
/// ```
#[non_exhaustive]
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum ErrorKind {
    /// The entity is no longer alive.
    StaleEntity,
    /// The entity lacks the component.
    MissingComponent,
    /// The world has no such global.
    MissingGlobal,
    /// Not exactly one row matches.
    NotOneRow,
    /// A system or a component type has this name already.
    NameTaken,
    /// No system, template or box set has this name.
    UnknownName,
    /// The links of entities, or the stated orders of systems, would form a cycle.
    Cycle,
    /// The entities cannot be linked in this way.
    InvalidLink,
    /// A system claims the same data twice.
    AccessClash,
    /// A system, a phase or a kit cannot be added or removed as it is.
    InvalidSystem,
    /// The threads cannot be started.
    Threads,
    /// A system, an edit, a drop, or another function that the runtime calls panicked.
    Panic,
    /// A system returned an error of its own.
    SystemFailed,
    /// A snapshot cannot be taken or restored.
    Snapshot,
    /// A value cannot be written as data, or read from it.
    InvalidData,
    /// A file has another format, or is damaged.
    InvalidFile,
    /// A file or a stream cannot be read or written.
    Io,
    /// A collider, its tiles or its layer are invalid.
    InvalidCollider,
    /// There are more entities, pairs of boxes or layers than a limit allows.
    LimitExceeded,
    /// A placement is not finite.
    NotFinite,
    /// A number or another argument is outside of its range.
    InvalidArgument,
    /// An error of the program's own; see [`Error::new`].
    Other,
}

impl Error {
    /// The kind of the error. An error of a claim has the kind of its cause.
    #[must_use]
    pub fn kind(&self) -> ErrorKind {
        match &*self.0 {
            Kind::StaleEntity { .. } => ErrorKind::StaleEntity,
            Kind::MissingComponent { .. } => ErrorKind::MissingComponent,
            Kind::MissingGlobal { .. } => ErrorKind::MissingGlobal,
            Kind::NotOnly { .. } => ErrorKind::NotOneRow,
            #[cfg(feature = "snapshot")]
            Kind::NameTaken { .. } => ErrorKind::NameTaken,
            Kind::DuplicateSystem { .. } => ErrorKind::NameTaken,
            Kind::UnknownTemplate { .. }
            | Kind::UnknownSystem { .. }
            | Kind::UnknownOrder { .. }
            | Kind::UnknownBoxSet { .. } => ErrorKind::UnknownName,
            Kind::LinkCycle { .. } | Kind::OrderCycle { .. } => ErrorKind::Cycle,
            Kind::NoSibling { .. } | Kind::FlatParent { .. } => ErrorKind::InvalidLink,
            Kind::ClaimClash { .. } => ErrorKind::AccessClash,
            Kind::OrderAcrossPhases { .. }
            | Kind::BadRule { .. }
            | Kind::BadClaim { .. }
            | Kind::StaysInSchedule { .. }
            | Kind::BadPhase { .. }
            | Kind::BadKit { .. } => ErrorKind::InvalidSystem,
            Kind::BadThreads { .. } => ErrorKind::Threads,
            Kind::ClaimFailed { source, .. } => source.kind(),
            Kind::SystemPanicked { .. } | Kind::EditPanicked { .. } | Kind::StepPanicked { .. } => {
                ErrorKind::Panic
            }
            Kind::SystemFailed { .. } => ErrorKind::SystemFailed,
            #[cfg(feature = "snapshot")]
            Kind::NotWritten { .. }
            | Kind::NotRestored { .. }
            | Kind::BadSnapshot { .. }
            | Kind::BadIds => ErrorKind::Snapshot,
            #[cfg(feature = "snapshot")]
            Kind::UnwritableDatum(_) | Kind::UnreadableDatum(_) => ErrorKind::InvalidData,
            #[cfg(feature = "snapshot")]
            Kind::NotSaved { .. } => ErrorKind::Snapshot,
            #[cfg(feature = "snapshot")]
            Kind::BadSave { .. } => ErrorKind::InvalidFile,
            #[cfg(feature = "snapshot")]
            Kind::Io { .. } => ErrorKind::Io,
            #[cfg(feature = "gltf")]
            Kind::BadGltf { .. } => ErrorKind::InvalidFile,
            #[cfg(feature = "export")]
            Kind::BadProfile { .. } => ErrorKind::InvalidFile,
            Kind::BadTiles { .. }
            | Kind::BadCollider { .. }
            | Kind::StrayLayer { .. }
            | Kind::ForeignLayer { .. } => ErrorKind::InvalidCollider,
            Kind::TooManyLayers { .. }
            | Kind::TooManyEntities { .. }
            | Kind::TooManyPairs { .. } => ErrorKind::LimitExceeded,
            Kind::NotFinite { .. } => ErrorKind::NotFinite,
            Kind::SamePair { .. } | Kind::BadBody { .. } | Kind::BadNumber { .. } => {
                ErrorKind::InvalidArgument
            }
            Kind::Own { kind, .. } => *kind,
        }
    }
}

#[cfg(test)]
mod tests;

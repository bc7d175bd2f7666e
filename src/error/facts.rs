//! The facts that an error names: entity, system, phase, frame, place of a panic.

use super::{Error, ErrorKind, Kind};
use crate::panics::Panic;
use crate::store::Entity;

impl Error {
    /// Whether an entity was named that is no longer alive.
    #[must_use]
    pub fn is_stale_entity(&self) -> bool {
        self.kind() == ErrorKind::StaleEntity
    }

    /// Whether links or stated orders would form a cycle.
    #[must_use]
    pub fn is_cycle(&self) -> bool {
        self.kind() == ErrorKind::Cycle
    }

    /// Whether code of the program panicked in a frame: a system, an edit, a drop, or a function that the runtime calls.
    #[must_use]
    pub fn is_panic(&self) -> bool {
        self.kind() == ErrorKind::Panic
    }

    fn panic(&self) -> Option<&Panic> {
        match &*self.0 {
            Kind::SystemPanicked { panic, .. }
            | Kind::EditPanicked { panic, .. }
            | Kind::StepPanicked { panic, .. } => Some(panic),
            _ => None,
        }
    }

    /// The file and the line of a panic, if the error is about one and its place is known. It is not known if the program
    /// has set a panic hook of its own after the first runtime was made, and that hook does not call the one before.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::bare();
    /// runtime.add_system(System::named("faulty").takes::<()>().runs(|()| panic!("no fuel")))?;
    /// let error = runtime.run_frames(1).unwrap_err();
    /// assert!(error.panic_place().is_some_and(|(file, line)| file.ends_with(".rs") && line > 0));
    /// assert_eq!((error.frame(), error.phase()), (Some(1), Some("Simulate")));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn panic_place(&self) -> Option<(&str, u32)> {
        let place = self.panic()?.place.as_ref()?;
        Some((&place.file, place.line))
    }

    /// The frame in which the program's code panicked or failed, or after which a placement was not finite.
    #[must_use]
    pub fn frame(&self) -> Option<u64> {
        match *self.0 {
            Kind::SystemPanicked { frame, .. }
            | Kind::SystemFailed { frame, .. }
            | Kind::EditPanicked { frame, .. }
            | Kind::StepPanicked { frame, .. }
            | Kind::NotFinite { frame, .. } => Some(frame),
            _ => None,
        }
    }

    /// The phase in which a system failed, or a system or an edit panicked.
    #[must_use]
    pub fn phase(&self) -> Option<&str> {
        match *self.0 {
            Kind::SystemPanicked { phase, .. }
            | Kind::SystemFailed { phase, .. }
            | Kind::EditPanicked { phase, .. } => Some(phase),
            _ => None,
        }
    }

    /// The entity that the error is about, if it is about one.
    #[must_use]
    pub fn entity(&self) -> Option<Entity> {
        match *self.0 {
            Kind::StaleEntity { entity, .. }
            | Kind::MissingComponent { entity, .. }
            | Kind::LinkCycle { entity, .. }
            | Kind::NoSibling { entity, .. }
            | Kind::FlatParent { entity, .. }
            | Kind::BadCollider { entity, .. }
            | Kind::StrayLayer { entity, .. }
            | Kind::SamePair { entity, .. }
            | Kind::NotFinite { entity, .. }
            | Kind::BadBody { entity, .. } => Some(entity),
            #[cfg(feature = "snapshot")]
            Kind::NotWritten { entity, .. }
            | Kind::NotRestored { entity, .. }
            | Kind::BadSnapshot { entity, .. } => Some(entity),
            _ => None,
        }
    }

    /// The name of the system that the error is about, if it is about one.
    #[must_use]
    pub fn system(&self) -> Option<&str> {
        match &*self.0 {
            Kind::ClaimClash { system, .. }
            | Kind::BadClaim { system, .. }
            | Kind::OrderAcrossPhases { system, .. }
            | Kind::UnknownOrder { system, .. }
            | Kind::OrderCycle { system, .. }
            | Kind::BadRule { system, .. }
            | Kind::StaysInSchedule { system, .. }
            | Kind::DuplicateSystem { system }
            | Kind::UnknownSystem { system, .. }
            | Kind::ClaimFailed { system, .. }
            | Kind::SystemPanicked { system, .. }
            | Kind::SystemFailed { system, .. }
            | Kind::EditPanicked { system, .. } => Some(system),
            Kind::NotFinite { system, .. } => system.as_deref(),
            _ => None,
        }
    }
}

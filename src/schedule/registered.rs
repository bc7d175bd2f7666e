//! The schedule: which systems there are, phase by phase.

use super::phase::Phase;
use super::system::System;
use crate::error::{Error, Kind};
use crate::profile::Profiler;
use crate::store::{Access, ReservedIds, World};

/// All systems of a runtime, in the order in which they run.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::bare();
/// runtime.add_system(System::named("react").phase(Phase::React).takes::<()>().runs(|()| ()))?;
/// runtime.add_system(System::named("steer").takes::<()>().runs(|()| ()))?;
/// let order: Vec<_> = runtime.schedule().systems().map(|system| system.name()).collect();
/// assert_eq!(order, ["steer", "react"]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Debug)]
pub struct Schedule {
    pub(super) phases: Vec<PhaseSystems>,
    pub(super) reserved: ReservedIds,
}

#[derive(Debug)]
pub(super) struct PhaseSystems {
    pub(super) phase: Phase,
    /// In registration order.
    pub(super) systems: Vec<System>,
}

impl PhaseSystems {
    pub(super) fn lanes(&self) -> u32 {
        self.systems.iter().map(System::lanes).sum()
    }
}

impl Default for Schedule {
    fn default() -> Self {
        Self {
            phases: Phase::ALL
                .iter()
                .map(|&phase| PhaseSystems {
                    phase,
                    systems: Vec::new(),
                })
                .collect(),
            reserved: ReservedIds::default(),
        }
    }
}

impl Schedule {
    /// All systems, in the order in which they run.
    pub fn systems(&self) -> impl Iterator<Item = SystemInfo<'_>> {
        self.phases
            .iter()
            .flat_map(|phase| &phase.systems)
            .map(SystemInfo)
    }

    pub(crate) fn add(
        &mut self,
        mut system: System,
        world: &mut World,
        profiler: &mut Profiler,
    ) -> Result<(), Error> {
        if self.find(system.name()).is_some() {
            return Err(Error::from(Kind::DuplicateSystem {
                system: system.name().to_owned(),
            }));
        }
        if let Some(clash) = system.access().own_clash() {
            let [first, second] = clash.claims.clone();
            return Err(Error::from(Kind::ClaimClash {
                system: system.name().to_owned(),
                resource: clash.resource,
                first,
                second,
            }));
        }
        system.body.prepare(world, &system.access);
        system.span_name = profiler.list_name(system.name());
        self.phases
            .iter_mut()
            .find(|known| known.phase == system.phase())
            .expect("every phase has its list")
            .systems
            .push(system);
        Ok(())
    }

    fn find(&self, name: &str) -> Option<SystemInfo<'_>> {
        self.systems().find(|system| system.name() == name)
    }

    /// Switches a system on or off by its name.
    pub(crate) fn set_enabled(&mut self, name: &str, enabled: bool) -> Result<(), Error> {
        let found = self
            .phases
            .iter_mut()
            .flat_map(|phase| &mut phase.systems)
            .find(|system| system.name() == name);
        match found {
            Some(system) => {
                system.enabled = enabled;
                Ok(())
            }
            None => Err(Error::from(Kind::UnknownSystem {
                system: name.to_owned(),
                known: self
                    .systems()
                    .map(|system| format!("`{}`", system.name()))
                    .collect::<Vec<_>>()
                    .join(", "),
            })),
        }
    }
}

/// What a schedule tells of one system.
#[derive(Clone, Copy, Debug)]
pub struct SystemInfo<'s>(&'s System);

impl<'s> SystemInfo<'s> {
    /// The name.
    #[must_use]
    pub fn name(self) -> &'s str {
        self.0.name()
    }

    /// The phase.
    #[must_use]
    pub fn phase(self) -> Phase {
        self.0.phase()
    }

    /// What it reads and writes.
    #[must_use]
    pub fn access(self) -> &'s Access {
        self.0.access()
    }

    /// Whether it is switched on.
    #[must_use]
    pub fn is_enabled(self) -> bool {
        self.0.enabled
    }
}

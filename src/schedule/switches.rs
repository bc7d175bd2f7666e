//! Switches of systems, and which systems of Setup have had their run.

#[cfg(feature = "snapshot")]
use super::phase::Phase;
use super::registered::Schedule;
use crate::error::Error;

impl Schedule {
    /// Switches systems on or off by their name or label.
    pub(crate) fn set_enabled(&mut self, name_or_label: &str, enabled: bool) -> Result<(), Error> {
        let mut found = false;
        for phase in &mut self.phases {
            let mut changed = false;
            for system in phase
                .systems
                .iter_mut()
                .filter(|system| system.answers_to(name_or_label))
            {
                found = true;
                changed |= system.facts.is_on != enabled;
                system.facts.is_on = enabled;
            }
            if changed {
                phase.lineup = None;
            }
        }
        match found {
            true => Ok(()),
            false => Err(self.unknown(name_or_label)),
        }
    }

    /// The systems that are switched off.
    #[cfg(feature = "snapshot")]
    pub(crate) fn off_names(&self) -> Vec<String> {
        let off = self.systems().filter(|system| !system.is_enabled());
        off.map(|system| system.name().to_owned()).collect()
    }

    /// Switches the systems with these names off, and all others on.
    #[cfg(feature = "snapshot")]
    pub(crate) fn switch_all_but(&mut self, off: &[String]) {
        for phase in &mut self.phases {
            for system in &mut phase.systems {
                let is_on = !off.contains(&system.facts.name);
                if system.facts.is_on != is_on {
                    system.facts.is_on = is_on;
                    phase.lineup = None;
                }
            }
        }
    }

    /// The systems of Setup that have had their run.
    #[cfg(feature = "snapshot")]
    pub(crate) fn set_up_names(&self) -> Vec<String> {
        let systems = self.phases.iter().flat_map(|phase| &phase.systems);
        let done = systems
            .filter(|system| system.facts.phase == Phase::Setup && system.job().tally.tried > 0);
        done.map(|system| system.facts.name.clone()).collect()
    }

    /// Marks these systems of Setup, and no others, as having had their run.
    #[cfg(feature = "snapshot")]
    pub(crate) fn take_as_set_up(&mut self, names: &[String]) {
        let systems = self.phases.iter_mut().flat_map(|phase| &mut phase.systems);
        for system in systems.filter(|system| system.facts.phase == Phase::Setup) {
            let is_done = names.contains(&system.facts.name);
            system.job_mut().tally.tried = u64::from(is_done);
        }
    }
}

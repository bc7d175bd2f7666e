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
    pub(crate) fn off_names(&self) -> impl Iterator<Item = &str> {
        let systems = self.phases.iter().flat_map(|phase| &phase.systems);
        let off = systems.filter(|system| !system.facts.is_on);
        off.map(|system| &*system.facts.name)
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

    /// By system, if it asks what has changed: the tick of the last run, for each claim that asks; 0 if there was none.
    #[cfg(feature = "snapshot")]
    pub(crate) fn last_runs(&mut self) -> Vec<(String, Vec<u64>)> {
        let mut all = Vec::new();
        self.put_last_runs(&mut all);
        all
    }

    /// [`Schedule::last_runs`] in the place of an earlier list.
    #[cfg(feature = "snapshot")]
    pub(crate) fn put_last_runs(&mut self, all: &mut Vec<(String, Vec<u64>)>) {
        let mut listed = 0;
        for system in self.phases.iter_mut().flat_map(|phase| &mut phase.systems) {
            let mut asks = false;
            system.job_mut().body.visit_runs(&mut |_| asks = true);
            if !asks {
                continue;
            }
            if listed == all.len() {
                all.push(Default::default());
            }
            let (name, runs) = &mut all[listed];
            name.clone_from(&system.facts.name);
            runs.clear();
            system.job_mut().body.visit_runs(&mut |run| runs.push(*run));
            listed += 1;
        }
        all.truncate(listed);
    }

    /// Sets the ticks of last runs. A system that is not listed has seen nothing.
    #[cfg(feature = "snapshot")]
    pub(crate) fn set_last_runs(&mut self, all: &[(String, Vec<u64>)]) {
        for system in self.phases.iter_mut().flat_map(|phase| &mut phase.systems) {
            let mut known = all.iter();
            let known = known.find(|(name, _)| *name == system.facts.name);
            let mut runs = known.map_or(&[][..], |(_, runs)| runs).iter();
            let body = &mut system.job_mut().body;
            body.visit_runs(&mut |run| *run = runs.next().copied().unwrap_or(0));
        }
    }

    /// The systems of Setup that have had their run.
    #[cfg(feature = "snapshot")]
    pub(crate) fn set_up_names(&self) -> impl Iterator<Item = &str> {
        let systems = self.phases.iter().flat_map(|phase| &phase.systems);
        let done = systems
            .filter(|system| system.facts.phase == Phase::Setup && system.job().tally.tried > 0);
        done.map(|system| &*system.facts.name)
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

//! Systems that leave a schedule, or are replaced, between two frames.

use super::registered::{Facts, Schedule};
use super::system::System;
use crate::error::{Error, Kind};
use crate::profile::Profiler;
use crate::store::World;
use std::any::TypeId;

impl Schedule {
    /// Removes a system.
    ///
    /// # Errors
    ///
    /// If there is none of this name, if it is built in, or if another system is ordered against it.
    pub(crate) fn remove(&mut self, name: &str) -> Result<(), Error> {
        let (phase, at) = self.place_of(name)?;
        self.check_none_waits_for(phase, &[at], None)?;
        self.take_out(phase, &[at]);
        Ok(())
    }

    /// Puts another system in the place of one.
    ///
    /// # Errors
    ///
    /// As [`Schedule::remove`] and [`Schedule::add`]; the old one then stays.
    pub(crate) fn replace(
        &mut self,
        name: &str,
        system: System,
        world: &mut World,
        profiler: &mut Profiler,
    ) -> Result<(), Error> {
        let (phase, at) = self.place_of(name)?;
        self.check(&system, Some(name))?;
        let moves = self.phases[phase].phase != system.phase;
        self.check_none_waits_for(phase, &[at], (!moves).then_some(&system))?;
        let old = &self.phases[phase].systems[at].facts;
        let (kit, is_on) = (old.kit, old.is_on);
        let mut new = self.registered(system, kit, world, profiler);
        new.facts.is_on = is_on;
        self.take_out(phase, &[at]);
        let target = self.phase_of(&new.facts);
        let target = &mut self.phases[target];
        let at = if moves { target.systems.len() } else { at };
        target.systems.insert(at, new);
        target.plan = None;
        target.lineup = None;
        Ok(())
    }

    /// Removes all systems that a kit has added.
    ///
    /// # Errors
    ///
    /// If another system is ordered against one of them; none is removed then.
    pub(crate) fn remove_of_kit(&mut self, kit: TypeId) -> Result<(), Error> {
        let places: Vec<Vec<usize>> = self
            .phases
            .iter()
            .map(|phase| {
                let systems = phase.systems.iter().enumerate();
                let own = systems.filter(|(_, system)| system.facts.kit == Some(kit));
                own.map(|(at, _)| at).collect()
            })
            .collect();
        for (phase, places) in places.iter().enumerate() {
            self.check_none_waits_for(phase, places, None)?;
        }
        for (phase, places) in places.iter().enumerate() {
            self.take_out(phase, places);
        }
        Ok(())
    }

    /// The phase of a system and its place there.
    fn place_of(&self, name: &str) -> Result<(usize, usize), Error> {
        let mut phases = self.phases.iter().enumerate();
        let found = phases.find_map(|(phase, known)| {
            let mut systems = known.systems.iter();
            let at = systems.position(|system| system.facts.name == name)?;
            Some((phase, at))
        });
        let (phase, at) = found.ok_or_else(|| self.unknown(name))?;
        if self.phases[phase].systems[at].facts.built_in {
            let reason = "every runtime has it; switch it off with `set_enabled`";
            return Err(stays(name, reason.to_owned()));
        }
        Ok((phase, at))
    }

    /// Fails if a system is ordered against one that leaves, and no other one answers to that name or label.
    fn check_none_waits_for(
        &self,
        phase: usize,
        leaving: &[usize],
        arriving: Option<&System>,
    ) -> Result<(), Error> {
        let systems = &self.phases[phase].systems;
        let staying = || {
            let all = systems.iter().enumerate();
            all.filter(|(at, _)| !leaving.contains(at))
                .map(|(_, system)| system)
        };
        for &at in leaving {
            for other in staying() {
                let mut orders = other.facts.orders.iter();
                let lost = orders.find(|wish| {
                    systems[at].answers_to(&wish.target)
                        && !arriving.is_some_and(|new| new.answers_to(&wish.target))
                        && !staying().any(|third| {
                            third.facts.name != other.facts.name && third.answers_to(&wish.target)
                        })
                });
                if let Some(lost) = lost {
                    let (other, target) = (&other.facts.name, &lost.target);
                    let word = lost.word.name();
                    let reason = format!(
                        "system `{other}` is to run {word} `{target}`; remove or replace that one first"
                    );
                    return Err(stays(&systems[at].facts.name, reason));
                }
            }
        }
        Ok(())
    }

    /// Takes systems out of a phase, with all that they remember.
    fn take_out(&mut self, phase: usize, places: &[usize]) {
        if places.is_empty() {
            return;
        }
        let phase = &mut self.phases[phase];
        let mut at = 0;
        phase.systems.retain(|_| {
            at += 1;
            !places.contains(&(at - 1))
        });
        phase.plan = None;
        phase.lineup = None;
    }

    fn phase_of(&self, facts: &Facts) -> usize {
        let mut phases = self.phases.iter();
        phases
            .position(|known| known.phase == facts.phase)
            .expect("the phase was found before")
    }
}

fn stays(system: &str, reason: String) -> Error {
    Error::from(Kind::StaysInSchedule {
        system: system.to_owned(),
        reason,
    })
}

//! The schedule: which systems there are, phase by phase.

#[cfg(feature = "parallel")]
use super::executor::Ring;
use super::info::SystemInfo;
use super::lineup::{Lineup, Member};
use super::phase::Phase;
use super::plan::{Candidate, PhasePlan, Plan};
use super::rules::{Condition, OrderWish};
use super::system::{Body, System};
use super::tally::{PhaseTally, Tally};
use crate::error::{Error, Kind};
use crate::profile::{Profiler, SpanName};
use crate::store::{Access, ReservedIds, World};
use crate::suggest::suggest;
use std::any::TypeId;
use std::sync::{Mutex, MutexGuard, PoisonError};

/// All systems of a runtime, phase by phase.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::bare();
/// runtime.add_system(System::named("react").phase(Phase::React).takes::<()>().runs(|()| ()))?;
/// runtime.add_system(System::named("steer").takes::<()>().runs(|()| ()))?;
/// let names: Vec<_> = runtime.schedule().systems().map(|system| system.name()).collect();
/// assert_eq!(names, ["steer", "react"]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Debug)]
pub struct Schedule {
    pub(super) phases: Vec<PhaseSystems>,
    pub(super) reserved: ReservedIds,
    /// The world that the systems remember rows and events of.
    prepared_for: Option<u64>,
    /// The key of the next lane of ids.
    next_lane: u32,
}

#[derive(Debug)]
pub(super) struct PhaseSystems {
    pub(super) phase: Phase,
    /// In registration order.
    pub(super) systems: Vec<Registered>,
    /// `None` if systems were added since the last frame.
    pub(super) plan: Option<PhasePlan>,
    /// `None` if systems were added or switched since the last frame.
    pub(super) lineup: Option<Lineup>,
    #[cfg(feature = "parallel")]
    pub(super) ring: Ring,
    pub(super) tally: PhaseTally,
}

/// A system in a schedule. What it is lies open; what a run changes is behind a lock that is never waited for, because a
/// lineup hands each system to one thread.
#[derive(Debug)]
pub(super) struct Registered {
    pub(super) facts: Facts,
    pub(super) job: Mutex<Job>,
}

#[derive(Debug)]
pub(super) struct Facts {
    pub(super) name: String,
    pub(super) phase: Phase,
    /// What the closure takes.
    pub(super) access: Access,
    /// With what the conditions take.
    pub(super) joint_access: Access,
    pub(super) labels: Vec<String>,
    pub(super) orders: Vec<OrderWish>,
    pub(super) every: Option<f64>,
    pub(super) on_caller_thread: bool,
    /// The key of its lane of ids, if it records edits.
    pub(super) lane: Option<u32>,
    pub(super) is_on: bool,
    pub(super) built_in: bool,
    /// Whether it comes with the crate: findings leave it out if it does nothing.
    pub(super) is_shipped: bool,
    /// The kit that added it.
    pub(super) kit: Option<TypeId>,
    pub(super) span_name: SpanName,
}

pub(super) struct Job {
    pub(super) body: Box<dyn Body>,
    pub(super) conditions: Vec<Box<dyn Condition>>,
    pub(super) tally: Tally,
}

impl std::fmt::Debug for Job {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Job")
            .field("tally", &self.tally)
            .finish_non_exhaustive()
    }
}

impl Registered {
    /// Between runs no other thread holds the job, and during one only the thread that has claimed the place; a run that
    /// panicked was caught, so the job is whole.
    pub(super) fn job(&self) -> MutexGuard<'_, Job> {
        self.job.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub(super) fn job_mut(&mut self) -> &mut Job {
        self.job.get_mut().unwrap_or_else(PoisonError::into_inner)
    }

    /// Lets everything that the system remembers begin with this world.
    fn prepare(&mut self, world: &mut World) {
        let Self { facts, job } = self;
        let job = job.get_mut().unwrap_or_else(PoisonError::into_inner);
        for (condition, number) in job.conditions.iter_mut().zip(0..) {
            condition.prepare(world, &format!("{}\0condition {number}", facts.name));
        }
        job.body.prepare(world, &facts.access, &facts.name);
    }

    pub(super) fn answers_to(&self, name_or_label: &str) -> bool {
        self.facts.name == name_or_label
            || self.facts.labels.iter().any(|label| label == name_or_label)
    }
}

impl PhaseSystems {
    fn new(phase: Phase) -> Self {
        Self {
            phase,
            systems: Vec::new(),
            plan: None,
            lineup: None,
            #[cfg(feature = "parallel")]
            ring: Ring::default(),
            tally: PhaseTally::default(),
        }
    }

    fn candidates(&self) -> Vec<Candidate<'_>> {
        let facts = self.systems.iter().map(|system| &system.facts);
        facts
            .map(|facts| Candidate {
                name: &facts.name,
                labels: &facts.labels,
                orders: &facts.orders,
                access: &facts.joint_access,
            })
            .collect()
    }
}

impl Default for Schedule {
    fn default() -> Self {
        Self {
            phases: Phase::STANDARD
                .iter()
                .copied()
                .map(PhaseSystems::new)
                .collect(),
            reserved: ReservedIds::default(),
            prepared_for: None,
            next_lane: 0,
        }
    }
}

impl Schedule {
    /// All systems, phase by phase, each phase in registration order.
    pub fn systems(&self) -> impl Iterator<Item = SystemInfo<'_>> {
        self.phases
            .iter()
            .flat_map(|phase| &phase.systems)
            .map(SystemInfo)
    }

    /// One system by its name.
    #[must_use]
    pub fn system(&self, name: &str) -> Option<SystemInfo<'_>> {
        self.systems().find(|system| system.name() == name)
    }

    /// Returns the system with this name. O(systems).
    ///
    /// # Errors
    ///
    /// If no system has this name; the error suggests the nearest one.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(StandardKit)?;
    /// assert!(runtime.schedule().require("standard: spin").is_ok());
    /// let error = runtime.schedule().require("spin").unwrap_err();
    /// assert!(error.to_string().contains("did you mean `standard: spin`?"));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn require(&self, name: &str) -> Result<SystemInfo<'_>, Error> {
        self.system(name).ok_or_else(|| self.unknown(name))
    }

    /// All phases, in the order in which they run.
    pub fn phases(&self) -> impl Iterator<Item = Phase> {
        self.phases.iter().map(|known| known.phase)
    }

    /// Plans the order of all systems: those that are switched off as well.
    ///
    /// # Errors
    ///
    /// If a stated order names what is not there or lies in another phase, or if the stated orders go in a circle; the
    /// message shows the whole circle.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::bare();
    /// runtime.add_system(System::named("a").after("b").takes::<()>().runs(|()| ()))?;
    /// runtime.add_system(System::named("b").after("a").takes::<()>().runs(|()| ()))?;
    /// let error = runtime.schedule().plan().unwrap_err();
    /// assert!(error.to_string().contains("a → b → a"), "{error}");
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn plan(&self) -> Result<Plan, Error> {
        let all: Vec<_> = self
            .phases
            .iter()
            .map(|phase| (phase.phase, phase.candidates()))
            .collect();
        Plan::new(&all)
    }

    /// Whether the systems have begun with this world.
    pub(crate) fn knows(&self, world: &World) -> bool {
        self.prepared_for == Some(world.identity())
    }

    /// Lets all systems begin anew if this is not the world that they know.
    pub(crate) fn meet(&mut self, world: &mut World) {
        if self.knows(world) {
            return;
        }
        self.prepared_for = Some(world.identity());
        for system in self.phases.iter_mut().flat_map(|phase| &mut phase.systems) {
            system.prepare(world);
        }
    }

    /// Makes plans and lineups that are missing.
    ///
    /// # Errors
    ///
    /// As [`Schedule::plan`].
    pub(crate) fn get_ready(&mut self) -> Result<(), Error> {
        if self.phases.iter().any(|phase| phase.plan.is_none()) {
            let plan = self.plan()?;
            for phase in &mut self.phases {
                phase.plan = plan.phase(phase.phase).cloned();
                phase
                    .plan
                    .get_or_insert_with(|| PhasePlan::empty(phase.phase));
            }
        }
        self.line_up();
        Ok(())
    }

    /// Makes lineups that are missing; plans must be there.
    pub(super) fn line_up(&mut self) {
        for phase in &mut self.phases {
            if phase.lineup.is_some() {
                continue;
            }
            let members: Vec<Member> = phase
                .systems
                .iter()
                .map(|system| Member {
                    is_on: system.facts.is_on,
                    records_edits: system.facts.lane.is_some(),
                    on_caller_thread: system.facts.on_caller_thread,
                })
                .collect();
            phase.lineup = phase.plan.as_ref().map(|plan| Lineup::new(plan, &members));
        }
    }

    /// Puts a phase next to another.
    pub(crate) fn add_phase(
        &mut self,
        phase: Phase,
        anchor: Phase,
        is_after: bool,
    ) -> Result<(), Error> {
        let refuse = |reason: String| {
            Error::from(Kind::BadPhase {
                phase: phase.name(),
                reason,
            })
        };
        if self
            .phases
            .iter()
            .any(|known| known.phase.name() == phase.name())
        {
            return Err(refuse(String::from(
                "there is one of that name already; choose another name",
            )));
        }
        if anchor == Phase::Setup && !is_after {
            return Err(refuse(String::from(
                "nothing runs before Setup; put it after Setup or later",
            )));
        }
        let Some(at) = self.phases.iter().position(|known| known.phase == anchor) else {
            return Err(refuse(format!(
                "unknown phase `{anchor}`; {}",
                self.suggest_phase(anchor)
            )));
        };
        let at = at + usize::from(is_after);
        self.phases.insert(at, PhaseSystems::new(phase));
        Ok(())
    }

    /// How to fix a phase that this schedule does not have.
    fn suggest_phase(&self, wrong: Phase) -> String {
        suggest(wrong.name(), "phases", self.phases().map(Phase::name))
    }

    /// Adds a system. The world must be the one that earlier systems know.
    pub(crate) fn add(
        &mut self,
        system: System,
        kit: Option<TypeId>,
        world: &mut World,
        profiler: &mut Profiler,
    ) -> Result<(), Error> {
        self.check(&system, None)?;
        let registered = self.registered(system, kit, world, profiler);
        let mut phases = self.phases.iter_mut();
        let systems = phases
            .find(|known| known.phase == registered.facts.phase)
            .expect("the phase was found before");
        systems.systems.push(registered);
        systems.plan = None;
        systems.lineup = None;
        Ok(())
    }

    pub(super) fn registered(
        &mut self,
        system: System,
        kit: Option<TypeId>,
        world: &mut World,
        profiler: &mut Profiler,
    ) -> Registered {
        let System {
            name,
            phase,
            access,
            rules,
            lanes,
            built_in,
            is_shipped,
            body,
        } = system;
        let conditions = rules.conditions;
        let mut joint_access = access.clone();
        for condition in &conditions {
            joint_access.join(condition.access());
        }
        let lane = (lanes > 0).then_some(self.next_lane);
        self.next_lane += lanes;
        let mut registered = Registered {
            facts: Facts {
                phase,
                access,
                joint_access,
                labels: rules.labels,
                orders: rules.orders,
                every: rules.every,
                on_caller_thread: rules.on_caller_thread,
                lane,
                is_on: true,
                built_in,
                is_shipped,
                kit,
                span_name: profiler.list_name(&name),
                name,
            },
            job: Mutex::new(Job {
                body,
                conditions,
                tally: Tally::default(),
            }),
        };
        registered.prepare(world);
        registered
    }

    /// Checks a system by itself, before its order among the others is known. It may have the name of the one that it replaces.
    pub(super) fn check(&self, system: &System, replaces: Option<&str>) -> Result<(), Error> {
        let name = system.name.clone();
        if self.system(&name).is_some() && replaces != Some(name.as_str()) {
            return Err(Error::from(Kind::DuplicateSystem { system: name }));
        }
        if let Some(refusal) = system.access.refusal(&name) {
            return Err(refusal);
        }
        let refuse = |reason: String| {
            Err(Error::from(Kind::BadRule {
                system: system.name.clone(),
                reason,
            }))
        };
        if system.lanes > 1 {
            return Err(Access::edits_twice(&name));
        }
        if !self.phases.iter().any(|known| known.phase == system.phase) {
            let phase = system.phase;
            return refuse(format!(
                "unknown phase `{phase}`; {}, and `add_phase_after` adds another",
                self.suggest_phase(phase)
            ));
        }
        match system.rules.every {
            Some(every) if !every.is_finite() || every <= 0.0 => {
                return refuse(format!(
                    "`every` must be above 0 seconds and finite, but it is {every}"
                ));
            }
            Some(_) if system.phase == Phase::Setup => {
                return refuse(String::from(
                    "systems of Setup run once, so `every` has no meaning; choose another phase",
                ));
            }
            _ => {}
        }
        let mut conditions = system.rules.conditions.iter();
        if conditions.any(|condition| condition.access().writes() || condition.reserves_ids()) {
            return refuse(String::from(
                "a condition of `only_if` may only read; write in the system itself",
            ));
        }
        Ok(())
    }

    /// The error for a name that no system has.
    pub(super) fn unknown(&self, name: &str) -> Error {
        Error::from(Kind::UnknownSystem {
            system: name.to_owned(),
            fix: suggest(name, "systems", self.systems().map(|system| system.name())),
        })
    }
}

//! Findings about systems: those that never ran, those whose rows matched nothing, and the gain from threads.

mod without_effect;

use super::clock::Clock;
use super::executor::Crew;
use super::phase::Phase;
use super::plan::PhasePlan;
use super::registered::{PhaseSystems, Registered, Schedule};
use crate::error::{Error, Kind};
use crate::store::{Entity, RowMatch, World};
use std::fmt;
use std::time::Duration;

pub use without_effect::WithoutEffect;

/// Findings about the run so far; from [`Runtime::findings`](crate::Runtime::findings).
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Engine;
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().spawn((Name::new("truck-3"), Transform::default()));
/// runtime.add_system(System::named("drive").takes::<Rows<(&mut Transform, &Engine)>>().runs(|_| ()))?;
/// runtime.add_system(System::named("report").every(60.0).takes::<()>().runs(|()| ()))?;
/// runtime.run_frames(60)?;
///
/// let findings = runtime.findings()?;
/// assert_eq!(
///     findings.idle()[0].to_string(),
///     "`report` never ran: it runs every 60 s, and 1 s of scene time have passed"
/// );
/// assert_eq!(
///     findings.empty_rows()[0].to_string(),
///     "`drive` claims `Rows<(&mut Transform, &Engine)>`, which no entity matched so far; the nearest: \
///      `truck-3` has Transform but lacks Engine"
/// );
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Debug)]
pub struct Findings {
    idle: Vec<IdleSystem>,
    empty_rows: Vec<EmptyRows>,
    phases: Vec<PhaseCost>,
    without_effect: Vec<WithoutEffect>,
}

impl Findings {
    /// The components that have no effect, because something that they need is missing.
    #[must_use]
    pub fn without_effect(&self) -> &[WithoutEffect] {
        &self.without_effect
    }

    /// The systems that never ran, but for those that come with this crate.
    #[must_use]
    pub fn idle(&self) -> &[IdleSystem] {
        &self.idle
    }

    /// The claims of rows, of systems that did run, for which no entity ever had the components; those of systems that
    /// come with this crate are left out.
    #[must_use]
    pub fn empty_rows(&self) -> &[EmptyRows] {
        &self.empty_rows
    }

    /// What each phase cost that has run.
    #[must_use]
    pub fn phases(&self) -> &[PhaseCost] {
        &self.phases
    }

    /// The best speed-up of whole frames that any number of threads could give: all work against the longest chains,
    /// one phase after the other.
    #[must_use]
    pub fn best_speed_up(&self) -> f64 {
        let sum = |of: fn(&PhaseCost) -> Duration| self.phases.iter().map(of).sum::<Duration>();
        ratio(sum(|phase| phase.work), sum(|phase| phase.span))
    }

    /// The speed-up of whole frames that was measured: all work against the time it took, phases that ran on one thread
    /// included.
    #[must_use]
    pub fn measured_speed_up(&self) -> f64 {
        let took = |phase: &PhaseCost| match phase.measured_speed_up() {
            Some(speed_up) => phase.work.div_f64(speed_up),
            None => phase.work,
        };
        let work = self.phases.iter().map(|phase| phase.work).sum();
        ratio(work, self.phases.iter().map(took).sum())
    }
}

fn ratio(work: Duration, took: Duration) -> f64 {
    match took.is_zero() {
        true => 1.0,
        false => work.as_secs_f64() / took.as_secs_f64(),
    }
}

/// A system that never ran, and why; its text form says it in a sentence.
#[derive(Clone, PartialEq, Debug)]
pub struct IdleSystem {
    system: String,
    phase: Phase,
    why: WhyIdle,
}

/// Why a system never ran; see [`IdleSystem`].
#[derive(Clone, PartialEq, Debug)]
#[non_exhaustive]
pub enum WhyIdle {
    /// It is switched off.
    Off,
    /// Its first interval has not ended.
    NotDue {
        /// The interval, in seconds.
        every: f64,
        /// Scene time so far, in seconds.
        passed: f64,
    },
    /// Its condition never held.
    Refused {
        /// How often it was asked.
        asked: u64,
    },
    /// It was tried and failed each time.
    Failed,
    /// No frame has come as far as its phase.
    NotReached,
}

impl IdleSystem {
    fn new(system: &Registered, clock: &Clock) -> Option<Self> {
        let tally = system.job().tally;
        if tally.runs > 0 || system.facts.is_shipped {
            return None;
        }
        let why = match (system.facts.is_on, system.facts.every) {
            (false, _) => WhyIdle::Off,
            _ if tally.refused > 0 => WhyIdle::Refused {
                asked: tally.refused,
            },
            _ if tally.tried > 0 => WhyIdle::Failed,
            (true, Some(every)) if clock.frame() > 0 => WhyIdle::NotDue {
                every,
                passed: clock.seconds(),
            },
            _ => WhyIdle::NotReached,
        };
        Some(Self {
            system: system.facts.name.clone(),
            phase: system.facts.phase,
            why,
        })
    }

    /// The name of the system.
    #[must_use]
    pub fn system(&self) -> &str {
        &self.system
    }

    /// Its phase.
    #[must_use]
    pub fn phase(&self) -> Phase {
        self.phase
    }

    /// Why it never ran.
    #[must_use]
    pub fn why(&self) -> &WhyIdle {
        &self.why
    }
}

impl fmt::Display for IdleSystem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{}` never ran: ", self.system)?;
        match self.why {
            WhyIdle::Off => write!(f, "it is switched off"),
            WhyIdle::NotDue { every, passed } => write!(
                f,
                "it runs every {every} s, and {:.4} s of scene time have passed",
                Trimmed(passed)
            ),
            WhyIdle::Refused { asked } => {
                write!(f, "its condition did not hold in any of {asked} frames")
            }
            WhyIdle::Failed => write!(f, "it failed whenever it was tried"),
            WhyIdle::NotReached => write!(f, "no frame has come as far as phase {}", self.phase),
        }
    }
}

/// A number without noughts at its end.
struct Trimmed(f64);

impl fmt::Display for Trimmed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let digits = f.precision().unwrap_or(3) as i32;
        let scale = 10_f64.powi(digits);
        write!(f, "{}", (self.0 * scale).round() / scale)
    }
}

/// A claim of rows that no entity ever matched; its text form says it in a sentence.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct EmptyRows {
    system: String,
    rows: String,
    nearest: Option<RowMatch>,
}

impl EmptyRows {
    /// The name of the system.
    #[must_use]
    pub fn system(&self) -> &str {
        &self.system
    }

    /// The claim, as its type is written.
    #[must_use]
    pub fn rows(&self) -> &str {
        &self.rows
    }

    /// The entity that comes nearest at present, if there is any entity.
    #[must_use]
    pub fn nearest(&self) -> Option<&RowMatch> {
        self.nearest.as_ref()
    }
}

impl fmt::Display for EmptyRows {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (system, rows) = (&self.system, &self.rows);
        write!(
            f,
            "`{system}` claims `{rows}`, which no entity matched so far"
        )?;
        match &self.nearest {
            Some(nearest) => write!(f, "; the nearest: {nearest}"),
            None => write!(f, "; there is no entity at all"),
        }
    }
}

/// The mean cost of a phase per frame, and the gain from threads.
#[derive(Clone, Debug)]
pub struct PhaseCost {
    phase: Phase,
    work: Duration,
    span: Duration,
    chain: Vec<String>,
    rounds: u64,
    parallel_rounds: u64,
    parallel_work: Duration,
    parallel_took: Duration,
    /// Of the runtime.
    threads: usize,
    serial_below: Duration,
}

/// A speed-up that is worth mention.
const WORTH: f64 = 1.1;

impl PhaseCost {
    fn new(systems: &PhaseSystems, plan: &PhasePlan, crew: &Crew) -> Self {
        let tally = systems.tally;
        let rounds = tally.rounds.max(1) as f64;
        let means: Vec<Duration> = systems
            .systems
            .iter()
            .map(|system| system.job().tally.total().div_f64(rounds))
            .collect();
        let weights: Vec<f64> = means.iter().map(Duration::as_secs_f64).collect();
        let (chain, span) = plan.longest_chain(&weights);
        Self {
            phase: systems.phase,
            work: means.iter().sum(),
            span: Duration::from_secs_f64(span),
            chain: chain
                .into_iter()
                .map(|at| systems.systems[at].facts.name.clone())
                .collect(),
            rounds: tally.rounds,
            parallel_rounds: tally.parallel_rounds,
            parallel_work: tally.parallel_work,
            parallel_took: tally.parallel_took,
            threads: crew.threads(),
            serial_below: crew.serial_below,
        }
    }

    /// The phase.
    #[must_use]
    pub fn phase(&self) -> Phase {
        self.phase
    }

    /// The time of all systems together.
    #[must_use]
    pub fn work(&self) -> Duration {
        self.work
    }

    /// The time of the critical path: no number of threads gets the phase done faster.
    #[must_use]
    pub fn span(&self) -> Duration {
        self.span
    }

    /// The systems of the critical path, first to last.
    #[must_use]
    pub fn critical_path(&self) -> &[String] {
        &self.chain
    }

    /// How often the phase ran, and how often of that on several threads.
    #[must_use]
    pub fn rounds(&self) -> (u64, u64) {
        (self.rounds, self.parallel_rounds)
    }

    /// Work against span: the best speed-up that any number of threads could give.
    #[must_use]
    pub fn best_speed_up(&self) -> f64 {
        ratio(self.work, self.span)
    }

    /// Work against the time it took, over the runs on several threads, if there were any.
    #[must_use]
    pub fn measured_speed_up(&self) -> Option<f64> {
        (self.parallel_rounds > 0).then(|| ratio(self.parallel_work, self.parallel_took))
    }

    /// Advice about threads, in words.
    #[must_use]
    pub fn advice(&self) -> String {
        match self.measured_speed_up() {
            Some(measured) if measured < 1.0 => String::from(
                "threads lose here: run it on one, by a higher `set_serial_below` or by `set_threads(1)`",
            ),
            Some(measured) if measured < WORTH => {
                String::from("threads bring next to nothing here")
            }
            Some(_) => String::from("threads pay here"),
            None if self.work < self.serial_below => {
                String::from("too little work for a second thread")
            }
            None if self.best_speed_up() < WORTH => {
                String::from("one chain: no number of threads makes it faster")
            }
            None if self.threads == 1 => format!(
                "ran on one thread; more could make it up to {:.1} times as fast",
                self.best_speed_up()
            ),
            None => String::from("ran on one thread so far"),
        }
    }
}

impl Schedule {
    /// # Errors
    ///
    /// As [`Schedule::plan`].
    pub(crate) fn findings(
        &self,
        world: &World,
        crew: &Crew,
        without_effect: Vec<WithoutEffect>,
    ) -> Result<Findings, Error> {
        let plan = self.plan()?;
        let clock = world
            .global::<Clock>()
            .map(|clock| *clock)
            .unwrap_or_default();
        let systems = || self.phases.iter().flat_map(|phase| &phase.systems);
        let phases = self.phases.iter().filter(|phase| phase.tally.rounds > 0);
        Ok(Findings {
            idle: systems()
                .filter_map(|system| IdleSystem::new(system, &clock))
                .collect(),
            empty_rows: systems()
                .flat_map(|system| empty_rows(system, world))
                .collect(),
            phases: phases
                .filter_map(|phase| Some(PhaseCost::new(phase, plan.phase(phase.phase)?, crew)))
                .collect(),
            without_effect,
        })
    }

    /// How an entity stands to each claim of rows of a system.
    ///
    /// # Errors
    ///
    /// If there is no such system, or the entity is not alive.
    pub(crate) fn explain_rows(
        &self,
        world: &World,
        system: &str,
        entity: Entity,
    ) -> Result<Vec<RowMatch>, Error> {
        let known = self.require(system)?;
        known.access().compare(world, entity).ok_or_else(|| {
            Error::from(Kind::StaleEntity {
                entity,
                verb: "compared with rows",
            })
        })
    }
}

fn empty_rows(system: &Registered, world: &World) -> Vec<EmptyRows> {
    let job = system.job();
    if job.tally.runs == 0 || system.facts.is_shipped {
        return Vec::new();
    }
    let access = &system.facts.access;
    let claims = access.rows().zip(job.body.rows_met()).enumerate();
    claims
        .filter(|(_, (_, has_met))| !has_met)
        .map(|(number, (rows, _))| EmptyRows {
            system: system.facts.name.clone(),
            rows: rows.to_owned(),
            nearest: access.nearest(world, number),
        })
        .collect()
}

#[cfg(test)]
mod tests;

//! A system: a name, a declared access, rules, and a closure.

use super::phase::Phase;
use super::rules::{Check, OrderWish, OrderWord, Rules};
use crate::error::Error;
use crate::store::{Access, Claim, Component, Inbox, Preparation, ReservedIds, World};
use std::fmt;
use std::marker::PhantomData;

/// A named piece of work that runs once a frame, with the access that it declares.
///
/// The closure receives what [`takes`](SystemDraft::takes) lists and nothing else, so the schedule knows what a system
/// reads and writes without running it. A plain `fn` with the same parameter does as well, and can be called by a unit
/// test.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Fuel(f32);
///
/// fn burn(mut tanks: Rows<&mut Fuel>) {
///     tanks.each(|fuel| fuel.0 -= 0.25);
/// }
///
/// let system = System::named("burn").takes::<Rows<&mut Fuel>>().runs(burn);
/// assert_eq!(system.name(), "burn");
/// assert_eq!(system.phase(), Phase::Simulate);
/// assert_eq!(system.access().reaches().next(), Some((String::from("Fuel"), true)));
/// ```
pub struct System {
    pub(super) name: String,
    pub(super) phase: Phase,
    /// What the closure takes; conditions have an access of their own.
    pub(super) access: Access,
    pub(super) rules: Rules,
    pub(super) lanes: u32,
    pub(super) built_in: bool,
    pub(super) is_shipped: bool,
    pub(super) body: Box<dyn Body>,
}

impl System {
    /// Begins a system of this name, in phase [`Phase::Simulate`] unless another is named.
    pub fn named(name: &str) -> SystemDraft {
        SystemDraft {
            name: name.to_owned(),
            phase: Phase::Simulate,
            rules: Rules::default(),
        }
    }

    /// The name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The phase.
    #[must_use]
    pub fn phase(&self) -> Phase {
        self.phase
    }

    /// What the closure reads and writes.
    #[must_use]
    pub fn access(&self) -> &Access {
        &self.access
    }

    pub(super) fn answers_to(&self, name_or_label: &str) -> bool {
        let mut labels = self.rules.labels.iter();
        self.name == name_or_label || labels.any(|label| label == name_or_label)
    }

    /// The same system as one that every runtime has.
    pub(crate) fn built_in(self) -> Self {
        Self {
            built_in: true,
            ..self.shipped()
        }
    }

    /// The same system as one that comes with the crate: findings do not ask why it does nothing.
    pub(crate) fn shipped(self) -> Self {
        Self {
            is_shipped: true,
            ..self
        }
    }
}

impl fmt::Debug for System {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("System")
            .field("name", &self.name)
            .field("phase", &self.phase)
            .field("access", &self.access)
            .finish_non_exhaustive()
    }
}

/// A system whose access is not declared yet; see [`System::named`].
#[must_use = "a system does nothing until it is added to a runtime"]
pub struct SystemDraft {
    name: String,
    phase: Phase,
    rules: Rules,
}

impl SystemDraft {
    /// Puts the system into a phase.
    pub fn phase(self, phase: Phase) -> Self {
        Self { phase, ..self }
    }

    /// Gives the system a label, by which several systems can be ordered against or switched together.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// for name in ["brake", "steer"] {
    ///     runtime.add_system(System::named(name).label("driving").takes::<()>().runs(|()| ()))?;
    /// }
    /// runtime.set_enabled("driving", false)?;
    /// assert!(runtime.schedule().systems().filter(|s| s.has_label("driving")).all(|s| !s.is_enabled()));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn label(mut self, label: &str) -> Self {
        self.rules.labels.push(label.to_owned());
        self
    }

    /// Runs the system after the systems of a name or label, which may be added later. They must be in the same phase;
    /// systems that clash and state no order run in registration order.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::bare();
    /// runtime.add_system(System::named("wake").after("steer").takes::<()>().runs(|()| ()))?;
    /// runtime.add_system(System::named("steer").takes::<()>().runs(|()| ()))?;
    /// let plan = runtime.schedule().plan()?;
    /// assert_eq!(plan.phases()[0].sequence().collect::<Vec<_>>(), ["steer", "wake"]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn after(self, name_or_label: &str) -> Self {
        self.ordered(OrderWord::After, name_or_label)
    }

    /// Runs the system before the systems of a name or label; see [`SystemDraft::after`].
    pub fn before(self, name_or_label: &str) -> Self {
        self.ordered(OrderWord::Before, name_or_label)
    }

    fn ordered(mut self, word: OrderWord, target: &str) -> Self {
        self.rules.orders.push(OrderWish {
            word,
            target: target.to_owned(),
        });
        self
    }

    /// Runs the system only in frames in which an interval of scene time ends, in seconds, counted from the start
    /// of the scene. So the first run is at that time, and no run is lost or added by rounding; an interval shorter than
    /// a frame runs once a frame.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Reports(u32);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Reports(0));
    /// runtime.add_system(
    ///     System::named("report").every(0.5).takes::<GlobalMut<Reports>>().runs(|mut sent| sent.0 += 1),
    /// )?;
    /// runtime.run_frames(60 * 60)?;
    /// assert_eq!(runtime.world().global::<Reports>()?.0, 120);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn every(mut self, seconds: f64) -> Self {
        self.rules.every = Some(seconds);
        self
    }

    /// Runs the system only if a condition holds. The condition takes a claim of its own, which must only read, and is
    /// asked each time before the system would run; of several conditions all must hold, and those after one that does not
    /// hold are not asked.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Tide(f32);
    /// struct Lifted(u32);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Tide(0.2));
    /// runtime.world_mut().set_global(Lifted(0));
    /// runtime.add_system(
    ///     System::named("lift the barge")
    ///         .only_if::<Global<Tide>>(|tide| tide.0 > 1.0)
    ///         .takes::<GlobalMut<Lifted>>()
    ///         .runs(|mut lifted| lifted.0 += 1),
    /// )?;
    /// runtime.run_frames(3)?;
    /// runtime.world_mut().set_global(Tide(1.5));
    /// runtime.run_frames(2)?;
    /// assert_eq!(runtime.world().global::<Lifted>()?.0, 2);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn only_if<C: Claim + 'static>(
        mut self,
        holds: impl for<'w> FnMut(C::Granted<'w>) -> bool + Send + 'static,
    ) -> Self {
        self.rules
            .conditions
            .push(Box::new(Check::<C, _>::new(holds)));
        self
    }

    /// Runs the system only if an event of a type was posted since this was asked last. The system's own [`Inbox`], if
    /// it takes one, still sees every event.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Horn;
    /// struct Answers(u32);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Answers(0));
    /// runtime.add_system(
    ///     System::named("answer")
    ///         .only_if_posted::<Horn>()
    ///         .takes::<GlobalMut<Answers>>()
    ///         .runs(|mut answers| answers.0 += 1),
    /// )?;
    /// runtime.run_frames(1)?;
    /// runtime.world_mut().post(Horn);
    /// runtime.run_frames(2)?;
    /// assert_eq!(runtime.world().global::<Answers>()?.0, 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn only_if_posted<E: Component>(self) -> Self {
        self.only_if::<Inbox<E>>(|mut inbox| inbox.take_unread().next().is_some())
    }

    /// Runs the system on the thread that called [`Runtime::run_frames`](crate::Runtime::run_frames), with any
    /// number of threads: for what a platform allows on one thread only.
    pub fn on_caller_thread(mut self) -> Self {
        self.rules.on_caller_thread = true;
        self
    }

    /// Declares what the system takes: one claim, or a tuple of them. `()` takes nothing.
    ///
    /// A system can reach only declared data:
    ///
    /// ```compile_fail
    /// use gerust::prelude::*;
    ///
    /// struct Fuel(f32);
    ///
    /// System::named("cheat").takes::<Rows<&Fuel>>().runs(|mut tanks| {
    ///     for fuel in tanks.iter_mut() {
    ///         fuel.0 += 1.0;
    ///     }
    /// });
    /// ```
    ///
    /// ```compile_fail
    /// use gerust::prelude::*;
    ///
    /// struct Fuel(f32);
    ///
    /// System::named("reach further").takes::<(Rows<&Fuel>,)>().runs(|(tanks, clock)| {
    ///     let _ = clock.step_seconds();
    /// });
    /// ```
    pub fn takes<C: Claim + 'static>(self) -> SystemWithClaims<C> {
        SystemWithClaims {
            draft: self,
            claim: PhantomData,
        }
    }
}

impl fmt::Debug for SystemDraft {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("SystemDraft")
            .field("name", &self.name)
            .field("phase", &self.phase)
            .finish_non_exhaustive()
    }
}

/// A system that lacks only its closure; see [`System::named`].
#[must_use = "a system does nothing until it is added to a runtime"]
#[derive(Debug)]
pub struct SystemWithClaims<C> {
    draft: SystemDraft,
    claim: PhantomData<fn() -> C>,
}

impl<C: Claim + 'static> SystemWithClaims<C> {
    /// Completes the system with what it does.
    ///
    /// Granted data cannot leave the run:
    ///
    /// ```compile_fail
    /// use gerust::prelude::*;
    ///
    /// struct Fuel(f32);
    ///
    /// let mut kept = None;
    /// System::named("hoard").takes::<Rows<&Fuel>>().runs(move |tanks| {
    ///     kept = tanks.iter().next();
    /// });
    /// ```
    #[must_use]
    pub fn runs<F>(self, f: F) -> System
    where
        F: for<'w> FnMut(C::Granted<'w>) + Send + 'static,
    {
        self.completed(f)
    }

    /// Completes the system with what it does, which may fail: the closure returns a `Result`, and `?` takes any error.
    ///
    /// An error ends the frame as a panic does: the edits and events of the phase are discarded, what was written into components
    /// stays, and the next frame runs as usual. The error of [`Runtime::run_frames`](crate::Runtime::run_frames) names the system, the
    /// phase and the frame, has the kind [`SystemFailed`](crate::ErrorKind::SystemFailed), and returns the closure's error by
    /// [`Error::inner`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::ErrorKind;
    ///
    /// struct Berth(String);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().spawn((Berth(String::from("twelve")),));
    /// runtime.add_system(System::named("number the berths").takes::<Rows<&Berth>>().tries(|berths| {
    ///     for berth in &berths {
    ///         let _number: u32 = berth.0.parse()?;
    ///     }
    ///     Ok(())
    /// }))?;
    /// let error = runtime.run_frames(1).unwrap_err();
    /// assert_eq!(
    ///     error.to_string(),
    ///     "system `number the berths` failed in phase Simulate of frame 1: invalid digit found in string; \
    ///      the edits of that phase were discarded"
    /// );
    /// assert_eq!((error.kind(), error.system()), (ErrorKind::SystemFailed, Some("number the berths")));
    /// assert!(error.inner().is_some_and(|inner| inner.is::<std::num::ParseIntError>()));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn tries<F>(self, f: F) -> System
    where
        F: for<'w> FnMut(C::Granted<'w>) -> Result<(), Failure> + Send + 'static,
    {
        self.completed(f)
    }

    fn completed<F, O: Outcome + 'static>(self, f: F) -> System
    where
        F: for<'w> FnMut(C::Granted<'w>) -> O + Send + 'static,
    {
        let mut access = Access::default();
        C::declare(&mut access);
        let SystemDraft { name, phase, rules } = self.draft;
        System {
            name,
            phase,
            access,
            rules,
            lanes: C::LANES,
            built_in: false,
            is_shipped: false,
            body: Box::new(Closure::<C, F, O> {
                state: None,
                f,
                outcome: PhantomData,
            }),
        }
    }
}

/// The error of a closure that fails.
type Failure = Box<dyn std::error::Error + Send + Sync>;

/// Why a system did not complete its run.
pub(super) enum Incomplete {
    /// It could not be granted what it claims.
    Claim(Error),
    /// Its closure returned an error.
    Failed(Failure),
}

impl From<Error> for Incomplete {
    fn from(error: Error) -> Self {
        Self::Claim(error)
    }
}

/// What closures return: nothing, or a `Result`.
pub(super) trait Outcome {
    fn completed(self) -> Result<(), Incomplete>;
}

impl Outcome for () {
    fn completed(self) -> Result<(), Incomplete> {
        Ok(())
    }
}

impl Outcome for Result<(), Failure> {
    fn completed(self) -> Result<(), Incomplete> {
        self.map_err(Incomplete::Failed)
    }
}

/// A closure with what it remembers, its types forgotten.
pub(super) trait Body: Send {
    fn prepare(&mut self, world: &mut World, access: &Access, system: &str);
    fn run(&mut self, world: &World) -> Result<(), Incomplete>;
    fn enter_lane(&mut self, lanes: &mut ReservedIds);
    fn report_reserved(&self, lanes: &mut ReservedIds);
    fn apply(&mut self, world: &mut World);
    fn discard(&mut self);
    /// For each claim of rows, whether it has ever had a row.
    fn rows_met(&self) -> Vec<bool>;
    /// Visits, for each claim that asks what has changed, the tick of its last run; 0 if there was none.
    #[cfg(feature = "snapshot")]
    fn visit_runs(&mut self, visit: &mut dyn FnMut(&mut u64));
}

struct Closure<C: Claim, F, O> {
    /// `None` until the system is added to a world.
    state: Option<C::State>,
    f: F,
    outcome: PhantomData<fn() -> O>,
}

const PREPARED: &str = "a system is prepared when it is added";

impl<C, F, O> Body for Closure<C, F, O>
where
    C: Claim + 'static,
    O: Outcome,
    F: for<'w> FnMut(C::Granted<'w>) -> O + Send + 'static,
{
    fn prepare(&mut self, world: &mut World, access: &Access, system: &str) {
        self.state = Some(C::prepare(&mut Preparation::new(world, access, system)));
    }

    fn run(&mut self, world: &World) -> Result<(), Incomplete> {
        let state = self.state.as_mut().expect(PREPARED);
        let granted = C::grant(state, world)?;
        (self.f)(granted).completed()?;
        C::confirm(state);
        Ok(())
    }

    fn enter_lane(&mut self, lanes: &mut ReservedIds) {
        C::enter_lane(self.state.as_mut().expect(PREPARED), lanes);
    }

    fn report_reserved(&self, lanes: &mut ReservedIds) {
        C::report_reserved(self.state.as_ref().expect(PREPARED), lanes);
    }

    fn apply(&mut self, world: &mut World) {
        C::apply(self.state.as_mut().expect(PREPARED), world);
    }

    fn discard(&mut self) {
        C::discard(self.state.as_mut().expect(PREPARED));
    }

    fn rows_met(&self) -> Vec<bool> {
        let mut met = Vec::new();
        C::note_rows(self.state.as_ref().expect(PREPARED), &mut met);
        met
    }

    #[cfg(feature = "snapshot")]
    fn visit_runs(&mut self, visit: &mut dyn FnMut(&mut u64)) {
        C::visit_runs(self.state.as_mut().expect(PREPARED), visit);
    }
}

//! A system: a name, a declared access, and a closure.

use super::phase::Phase;
use crate::error::Error;
use crate::profile::SpanName;
use crate::store::{Access, Claim, Preparation, ReservedIds, World};
use std::fmt;
use std::marker::PhantomData;

/// A named piece of work that runs once a frame, with the access that it declares.
///
/// The closure receives what [`takes`](SystemBuilder::takes) lists and nothing else, so the schedule knows what a system
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
/// assert_eq!(system.access().reaches().next(), Some(("Fuel", true)));
/// ```
pub struct System {
    name: String,
    phase: Phase,
    pub(super) access: Access,
    lanes: u32,
    pub(super) enabled: bool,
    pub(super) built_in: bool,
    pub(super) span_name: SpanName,
    pub(super) body: Box<dyn Body>,
}

impl System {
    /// Begins a system of this name, in phase [`Phase::Simulate`] unless another is named.
    pub fn named(name: &str) -> SystemBuilder {
        SystemBuilder {
            name: name.to_owned(),
            phase: Phase::Simulate,
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

    /// What the system reads and writes.
    #[must_use]
    pub fn access(&self) -> &Access {
        &self.access
    }

    /// The same system as one that every runtime has.
    pub(crate) fn built_in(self) -> Self {
        Self {
            built_in: true,
            ..self
        }
    }

    /// How many series of ids it reserves.
    pub(super) fn lanes(&self) -> u32 {
        self.lanes
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
#[derive(Debug)]
#[must_use = "a system does nothing until it is added to a runtime"]
pub struct SystemBuilder {
    name: String,
    phase: Phase,
}

impl SystemBuilder {
    /// Puts the system into a phase.
    pub fn phase(self, phase: Phase) -> Self {
        Self { phase, ..self }
    }

    /// Declares what the system takes: one claim, or a tuple of them. `()` takes nothing.
    ///
    /// What was not declared cannot be reached:
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
    pub fn takes<C: Claim + 'static>(self) -> SystemClaiming<C> {
        SystemClaiming {
            name: self.name,
            phase: self.phase,
            claim: PhantomData,
        }
    }
}

/// A system that lacks only its closure; see [`System::named`].
#[must_use = "a system does nothing until it is added to a runtime"]
pub struct SystemClaiming<C> {
    name: String,
    phase: Phase,
    claim: PhantomData<fn() -> C>,
}

impl<C: Claim + 'static> SystemClaiming<C> {
    /// Completes the system with what it does.
    ///
    /// What it is granted ends with the run:
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
        let mut access = Access::default();
        C::declare(&mut access);
        System {
            name: self.name,
            phase: self.phase,
            access,
            lanes: C::LANES,
            enabled: true,
            built_in: false,
            span_name: SpanName::Text(""),
            body: Box::new(Closure::<C, F> { state: None, f }),
        }
    }
}

impl<C> fmt::Debug for SystemClaiming<C> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("SystemClaiming")
            .field("name", &self.name)
            .field("phase", &self.phase)
            .finish_non_exhaustive()
    }
}

/// A closure with what it remembers, its types forgotten.
pub(super) trait Body: Send {
    fn prepare(&mut self, world: &mut World, access: &Access);
    fn run(&mut self, world: &World) -> Result<(), Error>;
    fn enter_lane(&mut self, lanes: &mut ReservedIds);
    fn report_reserved(&self, lanes: &mut ReservedIds);
    fn apply(&mut self, world: &mut World);
    fn discard(&mut self);
}

struct Closure<C: Claim, F> {
    /// `None` until the system is added to a world.
    state: Option<C::State>,
    f: F,
}

const PREPARED: &str = "a system is prepared when it is added";

impl<C, F> Body for Closure<C, F>
where
    C: Claim + 'static,
    F: for<'w> FnMut(C::Granted<'w>) + Send + 'static,
{
    fn prepare(&mut self, world: &mut World, access: &Access) {
        self.state = Some(C::prepare(&mut Preparation::new(world, access)));
    }

    fn run(&mut self, world: &World) -> Result<(), Error> {
        let state = self.state.as_mut().expect(PREPARED);
        let granted = C::grant(state, world)?;
        (self.f)(granted);
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
}

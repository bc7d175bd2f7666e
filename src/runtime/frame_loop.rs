//! The runtime.

use super::kit::Kit;
use crate::collide;
use crate::error::{Error, Kind};
use crate::profile::Profiler;
use crate::schedule::{Clock, FrameContext, Phase, Schedule, System, WhichSystems};
use crate::space;
use crate::store::World;
use std::fmt;

/// The frame loop: it owns the [`World`], the schedule, the [`Clock`] and the [`Profiler`].
///
/// A frame runs the phases in order; each `run_frames(1)` is one frame of a fixed step. See the
/// [crate documentation](crate) for a first program.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let rail = runtime.world_mut().spawn((Transform::at(10.0, 0.0, 0.0),));
/// let trolley = runtime.world_mut().spawn((Transform::at(0.0, 8.0, 0.0),));
/// runtime.world_mut().link(trolley, rail)?;
/// runtime.run_frames(1)?;
/// let placed = runtime.world().get::<WorldTransform>(trolley)?.translation();
/// assert_eq!(placed, Vec3::new(10.0, 8.0, 0.0));
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Runtime {
    world: World,
    schedule: Schedule,
    profiler: Profiler,
    is_set_up: bool,
}

impl Default for Runtime {
    fn default() -> Self {
        Self::new()
    }
}

impl Runtime {
    /// A runtime with the built-in systems: bodies move, hierarchies are placed, contacts are found.
    #[must_use]
    pub fn new() -> Self {
        let mut runtime = Self::bare();
        space::install(&mut runtime.world);
        collide::install(&mut runtime.world);
        for system in collide::systems().into_iter().chain(space::systems()) {
            runtime
                .add_system(system.built_in())
                .expect("the built-in systems have names of their own");
        }
        runtime
    }

    /// A runtime with a clock and nothing else.
    ///
    /// # Example
    ///
    /// ```
    /// assert_eq!(gerust::Runtime::bare().schedule().systems().count(), 0);
    /// ```
    #[must_use]
    pub fn bare() -> Self {
        let mut world = World::new();
        world.set_global(Clock::default());
        Self {
            world,
            schedule: Schedule::default(),
            profiler: Profiler::default(),
            is_set_up: false,
        }
    }

    /// The world, to look at.
    #[must_use]
    pub fn world(&self) -> &World {
        &self.world
    }

    /// The world, to change between frames.
    pub fn world_mut(&mut self) -> &mut World {
        &mut self.world
    }

    /// The systems, in the order in which they run.
    #[must_use]
    pub fn schedule(&self) -> &Schedule {
        &self.schedule
    }

    /// The profiler with the last frames.
    #[must_use]
    pub fn profiler(&self) -> &Profiler {
        &self.profiler
    }

    /// The profiler, to set budget and length.
    pub fn profiler_mut(&mut self) -> &mut Profiler {
        &mut self.profiler
    }

    /// Adds a system at the end of its phase.
    ///
    /// # Errors
    ///
    /// If the name is taken, or if the system claims something twice, once to write it.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let nothing = || System::named("nothing").takes::<()>().runs(|()| ());
    /// runtime.add_system(nothing())?;
    /// let error = runtime.add_system(nothing()).unwrap_err();
    /// assert_eq!(error.system(), Some("nothing"));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn add_system(&mut self, system: System) -> Result<(), Error> {
        self.schedule
            .add(system, &mut self.world, &mut self.profiler)
    }

    /// Adds everything of a kit.
    ///
    /// # Errors
    ///
    /// Whatever the kit returns.
    pub fn add_kit(&mut self, kit: impl Kit) -> Result<(), Error> {
        kit.add_to(self)
    }

    /// Switches a system on or off.
    ///
    /// # Errors
    ///
    /// If there is no system of this name; the message lists all names.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Runs(u32);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Runs(0));
    /// runtime.add_system(
    ///     System::named("count").takes::<GlobalMut<Runs>>().runs(|mut runs| runs.0 += 1),
    /// )?;
    /// runtime.set_enabled("count", false)?;
    /// runtime.run_frames(5)?;
    /// runtime.set_enabled("count", true)?;
    /// runtime.run_frames(2)?;
    /// assert_eq!(runtime.world().global::<Runs>()?.0, 2);
    /// assert!(runtime.set_enabled("cuont", true).is_err());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_enabled(&mut self, system: &str, enabled: bool) -> Result<(), Error> {
        self.schedule.set_enabled(system, enabled)
    }

    /// Sets how much scene time a frame takes, in seconds; 1/60 unless set.
    ///
    /// # Errors
    ///
    /// If it is not a positive, finite number.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// assert!(runtime.set_step_seconds(0.01).is_ok());
    /// assert!(runtime.set_step_seconds(0.0).is_err());
    /// assert!(runtime.set_step_seconds(f64::NAN).is_err());
    /// ```
    pub fn set_step_seconds(&mut self, seconds: f64) -> Result<(), Error> {
        if !seconds.is_finite() || seconds <= 0.0 {
            return Err(Error::from(Kind::BadNumber {
                what: "the step",
                want: "above 0 seconds",
                found: seconds,
            }));
        }
        self.clock_mut().set_step(seconds);
        Ok(())
    }

    fn clock_mut(&mut self) -> &mut Clock {
        self.world.ensure_global::<Clock>()
    }

    /// Runs so many frames; the first call runs the phase [`Phase::Setup`] before.
    ///
    /// # Errors
    ///
    /// If a system panics or asks for a global that is not there; the message names system, phase and frame. The frame
    /// ends there, the edits of that phase are thrown away, and the runtime can go on with the next frame.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_system(System::named("faulty").takes::<Global<Clock>>().runs(|clock| {
    ///     assert_ne!(clock.frame(), 2, "no work on frame 2");
    /// }))?;
    /// let error = runtime.run_frames(3).unwrap_err();
    /// assert_eq!((error.is_panic(), error.system()), (true, Some("faulty")));
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().global::<Clock>()?.frame(), 3);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn run_frames(&mut self, frames: u64) -> Result<(), Error> {
        (0..frames).try_for_each(|_| self.run_frame())
    }

    fn run_frame(&mut self) -> Result<(), Error> {
        self.set_up_once()?;
        let clock = self.clock_mut();
        clock.advance();
        let context = FrameContext {
            frame: clock.frame(),
            which: WhichSystems::All,
        };
        self.profiler.begin_frame(context.frame);
        self.world.start_event_frame();
        let outcome = Phase::ALL
            .into_iter()
            .filter(|&phase| phase != Phase::Setup)
            .try_for_each(|phase| self.schedule.run_phase(phase, &mut self.world, context));
        self.profiler.end_frame();
        outcome
    }

    fn set_up_once(&mut self) -> Result<(), Error> {
        if std::mem::replace(&mut self.is_set_up, true) {
            return Ok(());
        }
        let context = FrameContext {
            frame: 0,
            which: WhichSystems::All,
        };
        self.schedule
            .run_phase(Phase::Setup, &mut self.world, context)
    }

    /// Brings world placements, world boxes and contacts up to date with what was changed between frames. No time passes
    /// and no system of yours runs; a contact that is found begins now.
    ///
    /// # Errors
    ///
    /// If a global that the built-in systems need has been taken away.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let crane = runtime.world_mut().spawn((Transform::at(40.0, 0.0, 0.0),));
    /// let hook = runtime.world_mut().spawn((Transform::at(0.0, 5.0, 0.0),));
    /// runtime.world_mut().link(hook, crane)?;
    /// runtime.settle()?;
    /// let placed = runtime.world().get::<WorldTransform>(hook)?.translation();
    /// assert_eq!(placed, Vec3::new(40.0, 5.0, 0.0));
    /// assert_eq!(runtime.world().global::<Clock>()?.frame(), 0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn settle(&mut self) -> Result<(), Error> {
        let context = FrameContext {
            frame: self.clock_mut().frame(),
            which: WhichSystems::BuiltIn,
        };
        [Phase::Place, Phase::Touch]
            .into_iter()
            .try_for_each(|phase| self.schedule.run_phase(phase, &mut self.world, context))
    }
}

impl fmt::Debug for Runtime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Runtime")
            .field("world", &self.world)
            .finish_non_exhaustive()
    }
}

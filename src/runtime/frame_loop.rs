//! The runtime.

use super::kit::AddedKit;
use super::pacing::Pacing;
use crate::collide::{self};
use crate::error::{Error, Kind};
use crate::panics::note_places;
use crate::profile::Profiler;
use crate::schedule::{Clock, Crew, Phase, Schedule, System};
use crate::space;
use crate::store::World;
use std::any::TypeId;
use std::fmt;
#[cfg(feature = "parallel")]
use std::sync::Arc;
use std::time::Duration;

/// Threads that can be asked for at most: a slip of the pen must not bring the machine down.
const MOST_THREADS: usize = 1024;

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
    pub(super) world: World,
    pub(super) schedule: Schedule,
    pub(super) profiler: Profiler,
    pub(super) crew: Crew,
    pub(super) pacing: Pacing,
    /// Whether the built-in systems are there, and so what they need in the world.
    pub(super) has_built_in_systems: bool,
    pub(super) kits: Vec<AddedKit>,
    pub(super) kit_being_added: Option<TypeId>,
    pub(super) watchers: super::watch::Watchers,
    /// The moment that was kept last: the next one shares unchanged values with it.
    #[cfg(feature = "snapshot")]
    pub(super) last_kept: Option<super::moment::Moment>,
}

impl Default for Runtime {
    fn default() -> Self {
        Self::new()
    }
}

impl Runtime {
    /// A runtime with the built-in systems: bodies move, hierarchies are placed, contacts are found.
    ///
    /// # Example
    ///
    /// The names by which systems of your own are ordered against them:
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let runtime = Runtime::new();
    /// let names: Vec<_> = runtime.schedule().systems().map(|system| (system.phase(), system.name())).collect();
    /// assert_eq!(
    ///     names,
    ///     [
    ///         (Phase::Move, "move: place without links"),
    ///         (Phase::Move, "move: place linked"),
    ///         (Phase::Move, "move: boxes"),
    ///         (Phase::Move, "move: bodies"),
    ///         (Phase::Place, "place: without links"),
    ///         (Phase::Place, "place: linked"),
    ///         (Phase::Touch, "touch: boxes"),
    ///         (Phase::Touch, "touch: contacts"),
    ///     ]
    /// );
    /// ```
    #[must_use]
    pub fn new() -> Self {
        let mut runtime = Self::bare();
        runtime.has_built_in_systems = true;
        runtime
            .meet_world()
            .expect("a new world has no types that are in the way");
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
        note_places();
        let mut world = World::new();
        world.set_global(Clock::default());
        Self {
            world,
            schedule: Schedule::default(),
            profiler: Profiler::default(),
            crew: Crew::default(),
            pacing: Pacing::default(),
            has_built_in_systems: false,
            kits: Vec::new(),
            kit_being_added: None,
            watchers: Default::default(),
            #[cfg(feature = "snapshot")]
            last_kept: None,
        }
    }

    /// The world, to look at.
    #[must_use]
    pub fn world(&self) -> &World {
        &self.world
    }

    /// Puts in the world what the built-in systems need; what it has already stays.
    fn install(&mut self) -> Result<(), Error> {
        #[cfg(feature = "parallel")]
        {
            self.world.workers = self.crew.workers();
        }
        #[cfg(all(feature = "snapshot", feature = "chance"))]
        self.world
            .register_global_unless_known::<crate::schedule::Seed>("seed")?;
        if self.has_built_in_systems {
            space::install(&mut self.world)?;
            collide::install(&mut self.world)?;
        }
        Ok(())
    }

    /// The world, to change between frames. It may be replaced by another one: systems begin anew with that, as if they had
    /// just been added, and the runtime adds the globals that its own systems need.
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
        self.meet_world()?;
        let kit = self.kit_being_added;
        self.schedule
            .add(system, kit, &mut self.world, &mut self.profiler)
    }

    /// Prepares a world that the systems do not know yet: the first one, or one that has taken its place.
    pub(super) fn meet_world(&mut self) -> Result<(), Error> {
        if !self.schedule.knows(&self.world) {
            self.install()?;
            self.schedule.meet(&mut self.world);
        }
        Ok(())
    }

    /// Puts a phase of your own right after another one; it can hold systems from then on.
    ///
    /// # Errors
    ///
    /// If there is a phase of the same name, or if the other phase is not there.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// const WEATHER: Phase = Phase::Own("Weather");
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_phase_after(WEATHER, Phase::Intake)?;
    /// runtime.add_system(System::named("blow").phase(WEATHER).takes::<()>().runs(|()| ()))?;
    /// let phases: Vec<Phase> = runtime.schedule().phases().collect();
    /// assert_eq!(phases[1..4], [Phase::Intake, WEATHER, Phase::Simulate]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn add_phase_after(&mut self, phase: Phase, other: Phase) -> Result<(), Error> {
        self.schedule.add_phase(phase, other, true)
    }

    /// Puts a phase of your own right before another one; see [`Runtime::add_phase_after`].
    ///
    /// # Errors
    ///
    /// As [`Runtime::add_phase_after`], and if the other phase is [`Phase::Setup`].
    pub fn add_phase_before(&mut self, phase: Phase, other: Phase) -> Result<(), Error> {
        self.schedule.add_phase(phase, other, false)
    }

    /// Sets how many threads run systems and parallel loops over rows; 1 is the thread of the caller alone. Unless set,
    /// those of the process-wide `rayon` pool do, as many as there are cores, if the feature `parallel` is on.
    ///
    /// The number of threads never changes what comes out. Threads are used where they pay: phases with less work than
    /// [`Runtime::set_serial_below`] says run on one.
    ///
    /// # Errors
    ///
    /// If it is 0 or more than 1024, if the operating system cannot start them, or if it is more than 1 without the feature `parallel`.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_threads(1)?;
    /// assert_eq!(runtime.threads(), 1);
    /// assert!(runtime.set_threads(0).is_err());
    /// assert!(runtime.set_threads(1_000_000).is_err());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_threads(&mut self, threads: usize) -> Result<(), Error> {
        let refuse = |reason: String| Err(Error::from(Kind::BadThreads { threads, reason }));
        if threads == 0 {
            return refuse(String::from(
                "a runtime needs at least one thread; ask for 1 or more",
            ));
        }
        if threads > MOST_THREADS {
            return refuse(format!(
                "that is more than any phase has systems for; ask for {MOST_THREADS} or fewer"
            ));
        }
        #[cfg(feature = "parallel")]
        match Crew::with_threads(threads, self.crew.serial_below) {
            Ok(crew) => {
                self.world.workers = crew.workers();
                self.crew = crew;
                Ok(())
            }
            Err(error) => refuse(format!("{error}; ask for fewer")),
        }
        #[cfg(not(feature = "parallel"))]
        match threads {
            1 => Ok(()),
            _ => refuse(String::from(
                "this build has no threads; switch the feature `parallel` on",
            )),
        }
    }

    /// Lets the threads of a pool of the program run systems and parallel loops over rows; the program can still use the pool itself.
    /// [`Runtime::threads`] is then the size of the pool.
    ///
    /// # Example
    ///
    /// ```
    /// use std::sync::Arc;
    ///
    /// let pool = gerust::rayon::ThreadPoolBuilder::new().num_threads(3).build()?;
    /// let pool = Arc::new(pool);
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_pool(Arc::clone(&pool));
    /// assert_eq!(runtime.threads(), 3);
    /// runtime.run_frames(2)?;
    /// assert_eq!(pool.install(|| 1 + 1), 2);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[cfg(feature = "parallel")]
    pub fn set_pool(&mut self, pool: Arc<rayon::ThreadPool>) {
        self.crew = Crew::with_pool(pool, self.crew.serial_below);
        self.world.workers = self.crew.workers();
    }

    /// How many threads may run systems.
    #[must_use]
    pub fn threads(&self) -> usize {
        self.crew.threads()
    }

    /// Sets below how much measured work a phase runs on one thread; 100 µs unless set, since waking a second one costs
    /// about 40 µs. With zero every phase in which two systems may run at the same time does so, from its second run on.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_serial_below(std::time::Duration::from_millis(1));
    /// runtime.run_frames(3)?;
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_serial_below(&mut self, work: Duration) {
        self.crew.serial_below = work;
    }

    /// Sets the seed of all [`Chance`](crate::Chance); 0 unless set.
    #[cfg(feature = "chance")]
    pub fn set_seed(&mut self, seed: u64) {
        self.world.set_global(crate::schedule::Seed(seed));
    }

    /// Switches the systems of a name or label on or off, from the next frame on. A system that is off costs nothing.
    ///
    /// When it returns it has missed nothing that it can still ask for: its [`Inbox`](crate::Inbox) holds the events of the
    /// meantime (up to 65,536 of a type), and [`Written`](crate::Written) and [`Attached`](crate::Attached) see all changes
    /// since its last run. Intervals of [`every`](crate::schedule::SystemDraft::every) that have ended meanwhile are not
    /// made good. A system switches others by [`Edits::set_enabled`](crate::Edits::set_enabled).
    ///
    /// # Errors
    ///
    /// If there is no system of this name or label; the message lists all names.
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
    pub fn set_enabled(&mut self, name_or_label: &str, enabled: bool) -> Result<(), Error> {
        self.schedule.set_enabled(name_or_label, enabled)
    }

    /// Seconds of scene time that a frame takes at most.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::Runtime;
    ///
    /// assert!(Runtime::new().set_step_seconds(Runtime::LONGEST_STEP).is_ok());
    /// assert!(Runtime::new().set_step_seconds(2.0 * Runtime::LONGEST_STEP).is_err());
    /// ```
    pub const LONGEST_STEP: f64 = 1e6;

    /// Sets how much scene time a frame takes, in seconds. Default: 1/60.
    ///
    /// # Errors
    ///
    /// If it is not a number above 0 and at most 1,000,000: beyond that, what falls for one frame has no place any more.
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
        if !(seconds > 0.0 && seconds <= Self::LONGEST_STEP) {
            return Err(Error::from(Kind::BadNumber {
                what: "the step",
                want: "above 0 and at most 1,000,000 seconds",
                found: seconds,
            }));
        }
        self.clock_mut().set_step(seconds);
        Ok(())
    }

    /// Sets the number of the latest frame, for a world that was restored. Scene time becomes that number times the step.
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.set_frame(600);
    /// runtime.run_frames(60)?;
    /// let clock = *runtime.world().global::<gerust::Clock>()?;
    /// assert_eq!(clock.frame(), 660);
    /// assert!((clock.seconds() - 11.0).abs() < 1e-9);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_frame(&mut self, frame: u64) {
        self.clock_mut().set_frame(frame);
    }

    pub(crate) fn clock_mut(&mut self) -> &mut Clock {
        self.world.ensure_global::<Clock>()
    }
}

impl fmt::Debug for Runtime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Runtime")
            .field("world", &self.world)
            .finish_non_exhaustive()
    }
}

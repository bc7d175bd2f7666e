//! Frames: the phases in order, with clock, events and profiler around them.

use super::controls::Controls;
use super::frame_loop::Runtime;
use crate::collide::{self, Contacts};
use crate::error::{Error, ErrorKind, Kind};
use crate::panics::Panics;
use crate::profile;
use crate::schedule::{
    Cause, Clock, FrameContext, Leader, Phase, Seams, Way, WhichSystems, step_panicked,
};
use crate::space::{Transform, find_adrift};
use crate::store::{Entity, World};

/// Who leads frames that the thread of the caller cannot leave.
#[cfg(feature = "parallel")]
const LED_BY_CALLER: Leader = Leader::Caller;
#[cfg(not(feature = "parallel"))]
const LED_BY_CALLER: Leader = Leader::Alone;

/// Frames between two checks whether most tables are empty, if no table was added meanwhile.
const FRAMES_BETWEEN_LOOKS: u64 = 256;

impl Runtime {
    /// Runs the given number of frames. Before a frame the systems of [`Phase::Setup`] run that have not run yet.
    ///
    /// # Errors
    ///
    /// - If the order of the systems cannot hold ([`Schedule::plan`](crate::Schedule::plan)); then no frame runs.
    /// - If a system panics or takes a global that is missing. The frame ends there. The edits and the events of that phase are
    ///   discarded; what systems wrote into components stays, and so do the edits of earlier phases. On several threads, the
    ///   systems that were not ordered against the failed one may have run or not.
    /// - If an edit panics, because a drop or a clone does. All other edits of the phase are carried out; the frame ends there.
    /// - If the drop of an event panics, or a function that the [profiler](crate::profile::Profiler) calls.
    ///
    /// The message names the system, phase, frame, file and line. The next frame runs as usual,
    /// also if another thread panicked.
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
        self.get_ready()?;
        #[cfg_attr(not(feature = "parallel"), expect(unused_mut, reason = "all run here"))]
        let mut frames = frames;
        #[cfg(feature = "parallel")]
        {
            while frames > 0 && !self.schedule.is_worth_threads(&self.crew) {
                self.run_frame(Leader::Alone)?;
                frames -= 1;
            }
            if frames > 0 && (!self.schedule.needs_caller_thread() || self.crew.is_inside()) {
                let crew = self.crew.clone();
                return crew
                    .inside(|| (0..frames).try_for_each(|_| self.run_frame(Leader::InPool)));
            }
        }
        (0..frames).try_for_each(|_| self.run_frame(LED_BY_CALLER))
    }

    /// Runs the given number of frames, and in each of them the closures of `seams` between the phases, on the caller's thread.
    /// Systems may run on other threads as in [`Runtime::run_frames`]; the caller's thread then leads them, which costs a few
    /// microseconds per phase. See [`Seams`] for an example.
    ///
    /// # Errors
    ///
    /// As [`Runtime::run_frames`]; also if `seams` name a phase that the runtime does not have (then no frame runs), if one of the
    /// closures panics, or if it replaces the world. The frame then ends.
    pub fn run_frames_with(&mut self, frames: u64, seams: &mut Seams<'_>) -> Result<(), Error> {
        self.get_ready()?;
        let known = || {
            let phases = self.schedule.phases();
            phases.filter(|&phase| phase != Phase::Setup)
        };
        if let Some(phase) = seams.unknown_phase(|phase| known().any(|known| known == phase)) {
            let known: Vec<&str> = known().map(Phase::name).collect();
            let known = known.join("`, `");
            return Err(Error::new(
                ErrorKind::UnknownName,
                format!(
                    "the seams name phase `{phase}`, which no frame has; name one of `{known}`"
                ),
            ));
        }
        for _ in 0..frames {
            self.run_frame_by(Way {
                leader: LED_BY_CALLER,
                watch: None,
                seams: Some(seams),
            })?;
        }
        Ok(())
    }

    /// Runs a frame on one thread, and calls `watch` after each step with its cause and the world: to find out what changed a
    /// value. The result is that of any other frame.
    ///
    /// # Errors
    ///
    /// As [`Runtime::run_frames`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::schedule::Cause;
    ///
    /// let mut runtime = Runtime::new();
    /// let gull = runtime.world_mut().spawn((Transform::default(),));
    /// for (name, metres) in [("rest", 0.0), ("rise", 2.0), ("rest again", 0.0)] {
    ///     runtime.add_system(System::named(name).takes::<Rows<&mut Transform>>().runs(move |mut rows| {
    ///         rows.each(|transform| transform.translation.y += metres);
    ///     }))?;
    /// }
    /// let mut height = 0.0;
    /// let mut changed = Vec::new();
    /// runtime.run_frame_watched(|cause, world| {
    ///     let now = world.get::<Transform>(gull).unwrap().translation.y;
    ///     if std::mem::replace(&mut height, now) != now {
    ///         changed.push(cause.to_string());
    ///     }
    /// })?;
    /// assert_eq!(changed, ["the system `rise`"]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn run_frame_watched(
        &mut self,
        mut watch: impl FnMut(Cause<'_>, &World),
    ) -> Result<(), Error> {
        self.run_frame_by(Way {
            leader: Leader::Alone,
            watch: Some(&mut watch),
            seams: None,
        })
    }

    fn run_frame(&mut self, leader: Leader) -> Result<(), Error> {
        self.run_frame_by(Way {
            leader,
            watch: None,
            seams: None,
        })
    }

    fn run_frame_by(&mut self, way: Way<'_>) -> Result<(), Error> {
        self.call_watchers(|watcher, runtime| watcher.before(runtime))?;
        self.get_ready()?;
        let outcome = self.run_unwatched_frame(way);
        let failure = outcome.as_ref().err();
        let watched = self.call_watchers(|watcher, runtime| watcher.after(runtime, failure));
        outcome.and(watched)
    }

    fn run_unwatched_frame(&mut self, mut way: Way<'_>) -> Result<(), Error> {
        self.set_up()?;
        let clock = self.clock_mut();
        clock.advance();
        let context = FrameContext {
            clock: *clock,
            which: WhichSystems::All,
        };
        let frame = context.clock.frame();
        let is_time = frame.is_multiple_of(FRAMES_BETWEEN_LOOKS);
        self.world.drop_many_empty_tables(is_time);
        let mut of_profiler = Panics::default();
        self.profiler.begin_frame(frame, &mut of_profiler);
        let outcome = {
            let _open = profile::enter_frame(frame);
            self.follow_focus(&mut way)
                .and_then(|()| self.run_steps(context, way))
        };
        if let Some(controls) = self.world.find_global_mut::<Controls>() {
            controls.end_frame();
        }
        let world = &self.world;
        let count = |count: &mut dyn FnMut(&'static str, u64)| {
            count("entities", world.len() as u64);
            count("events", world.events_of_frame());
            if let Some(contacts) = world.find_global::<Contacts>() {
                count("contacts", contacts.iter().len() as u64);
                count("leftovers", contacts.leftover_count() as u64);
            }
        };
        self.profiler.end_frame(count, &mut of_profiler);
        outcome
            .and_then(|()| self.world.check_room(0))
            .and_then(|()| self.refuse_adrift())
            .and_then(|()| collide::tell_refused(&self.world))
            .and(step_panicked(
                of_profiler,
                "a counter or a function of the profiler",
                context,
            ))
    }

    /// Everything of a frame that can fail.
    fn run_steps(&mut self, context: FrameContext, way: Way<'_>) -> Result<(), Error> {
        let mut panics = Panics::default();
        self.world.start_event_frame(&mut panics);
        step_panicked(panics, "the drop of an event", context)?;
        // Systems and edits are caught one by one. What gets here is a fault of the runtime, which must not take the frame
        // and its profile along either.
        let mut panics = Panics::default();
        let Self {
            schedule,
            world,
            crew,
            ..
        } = self;
        let outcome = panics.catch(|| schedule.run_frame_phases(world, context, crew, way));
        step_panicked(panics, "the runtime", context)?;
        outcome.unwrap_or(Ok(()))
    }

    /// Makes what is missing before systems can run.
    pub(super) fn get_ready(&mut self) -> Result<(), Error> {
        self.meet_world()?;
        self.schedule.get_ready()
    }

    /// Runs the systems of Setup that have not run yet.
    fn set_up(&mut self) -> Result<(), Error> {
        if !self.schedule.wants_set_up() {
            return Ok(());
        }
        let _unrecorded = profile::pause();
        let context = FrameContext {
            clock: *self.clock_mut(),
            which: WhichSystems::Untried,
        };
        self.schedule
            .run_phase(Phase::Setup, &mut self.world, context, &self.crew)?;
        // It may have switched others.
        self.schedule.get_ready()
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
        self.get_ready()?;
        let _unrecorded = profile::pause();
        let context = FrameContext {
            clock: *self.clock_mut(),
            which: WhichSystems::BuiltIn,
        };
        [Phase::Place, Phase::Touch]
            .into_iter()
            .try_for_each(|phase| {
                self.schedule
                    .run_phase(phase, &mut self.world, context, &self.crew)
            })
            .and_then(|()| self.refuse_adrift())
            .and_then(|()| collide::tell_refused(&self.world))
    }

    /// Fails if the placement of an entity is not finite. The error names the systems that write its transform.
    fn refuse_adrift(&self) -> Result<(), Error> {
        match find_adrift(&self.world) {
            None => Ok(()),
            Some(entity) => Err(self.not_finite(entity)),
        }
    }

    fn not_finite(&self, entity: Entity) -> Error {
        let world = &self.world;
        let problem = match world.get::<Transform>(entity) {
            Ok(own) if !own.affine().is_finite() => format!(
                "its `Transform` has the translation {}, the rotation {} and the scale {}",
                own.translation, own.rotation, own.scale
            ),
            _ => String::from(
                "its `Transform` is finite, but its product with those of its ancestors is not",
            ),
        };
        let writers: Vec<String> = self
            .schedule
            .systems()
            .filter(|system| {
                system.is_enabled() && system.access().writes_rows_of::<Transform>(world, entity)
            })
            .map(|system| system.name().to_owned())
            .collect();
        let advice = match writers.as_slice() {
            [] => String::from(
                "no system writes its `Transform`, so the program did; write finite numbers",
            ),
            [one] => {
                format!("the system `{one}` writes its `Transform`; let it write finite numbers")
            }
            several => format!(
                "the systems `{}` write its `Transform`; let them write finite numbers",
                several.join("`, `")
            ),
        };
        Error::from(Kind::NotFinite {
            entity,
            label: world.label(entity),
            frame: world.global::<Clock>().map_or(0, |clock| clock.frame()),
            problem,
            system: <[String; 1]>::try_from(writers).ok().map(|[one]| one),
            writers: advice,
        })
    }
}

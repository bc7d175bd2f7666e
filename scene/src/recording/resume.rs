//! Resumes a run from a recording.

use super::item::Happened;
use super::{Playback, Recording, RecordingError};
use crate::debug_as_message;
use crate::error_kinds::ResumeErrorKind;
use crate::event_log::EventLog;
use crate::registry::Registry;
use crate::run::SceneRun;
use gerust::Error;
use gerust::runtime::{Controls, Origin, Runtime};
use gerust::store::{Entity, World};

/// The names of the systems that are switched off.
pub(super) fn off_of(runtime: &Runtime) -> Vec<String> {
    let systems = runtime.schedule().systems();
    let off = systems.filter(|system| !system.is_enabled());
    off.map(|system| system.name().to_owned()).collect()
}

impl Happened {
    /// The part of the last frame that needs no scene.
    pub(super) fn of_world(world: &World, off: Vec<String>) -> Self {
        let mut happened = Self {
            off,
            ..Self::default()
        };
        let origin = world.find_global::<Origin>();
        let origin = origin.filter(|origin| origin.moves() > 0);
        happened.origin = origin.map(|origin| Origin::clone(&origin));
        if let Some(controls) = world.find_global::<Controls>() {
            let moved = controls.iter().filter(|(_, value)| *value != 0.0);
            happened.controls = moved
                .map(|(name, value)| (name.to_owned(), value))
                .collect();
        }
        happened
    }

    /// The events of the last frame.
    pub(super) fn of(run: &SceneRun) -> Self {
        let runtime = run.runtime();
        let world = runtime.world();
        let registry = &run.scene().parts.registry;
        let mut happened = Self {
            rules: run.rule_states().collect(),
            ..Self::of_world(world, off_of(runtime))
        };
        if let Ok(happenings) = world.global::<EventLog>() {
            let pairs = happenings.begun.iter();
            happened.begun = pairs.map(|pair| pair.map(Into::into)).collect();
            for name in registry.event_names() {
                let so_far = happenings.so_far(name);
                if so_far > 0 {
                    happened.counts.insert(name.to_owned(), so_far);
                }
                let events = happenings.events(registry, world, name);
                if !events.is_empty() {
                    happened.events.insert(name.to_owned(), events);
                }
            }
        }
        happened
    }
}

impl Recording {
    /// Puts the world of a frame into a runtime, with the settings that its scene had: placements, boxes and contacts as well. The
    /// clock shows the frame. What takes part is what the registry names, and what the kits of the runtime have registered.
    ///
    /// # Errors
    ///
    /// If there is no such frame, or if the recording holds components that are not registered.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Recording, RecordingWriter, Registry, Scene};
    ///
    /// let text = "title = 'a mast'\nframes = 2\n[[entities]]\nname = 'mast'\ntransform = { translation = [0, 9, 0] }\n";
    /// let registry = Registry::standard();
    /// let scene = Scene::parse(text, "mast.toml", &registry)?;
    /// let run = scene.start(Runtime::new())?;
    /// let bytes = RecordingWriter::begin(Vec::new(), &run)?.finish(&run)?;
    ///
    /// let recording = Recording::from_bytes(bytes, "mast.rec")?;
    /// let mut runtime = Runtime::new();
    /// recording.restore_into(&mut runtime, &registry, 0)?;
    /// let mast = runtime.world().find("mast").expect("it was recorded");
    /// assert_eq!(runtime.world().get::<WorldTransform>(mast)?.translation().y, 9.0);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn restore_into(
        &self,
        runtime: &mut Runtime,
        registry: &Registry,
        frame: u64,
    ) -> Result<(), ResumeError> {
        self.playback().restore_into(runtime, registry, frame)
    }
}

impl Recording {
    /// Whether it has the exact state in which it began; see [`Recording::load_into`].
    #[must_use]
    pub fn has_state(&self) -> bool {
        self.header.state.is_some()
    }

    /// Puts a runtime into the state in which the recording began, so that the same program continues as the recorded one did: with registered
    /// globals, events in flight, the order of rows, and what systems had not seen of [`Written`](gerust::Written),
    /// [`Attached`](gerust::Attached) and [`Lost`](gerust::Lost), as [`Runtime::load`] does. Set the [control inputs](Recording::controls) of
    /// each frame before it runs. [`missing`](Recording::missing) names the types that a difference may come from.
    ///
    /// The recording of a [`Recorder`](super::Recorder) or a [`BlackBox`](crate::BlackBox) has that state. Of another one, frame 0 is
    /// [restored](Recording::restore_into).
    ///
    /// # Errors
    ///
    /// If the recording holds types that are not registered, or if the state is damaged. The runtime is unchanged then.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Controls;
    /// use gerust_scene::{Recorder, Recording, Registry};
    ///
    /// #[derive(Clone, Default, serde::Serialize, serde::Deserialize)]
    /// struct Lifted(f64);
    ///
    /// fn program() -> Result<Runtime, Error> {
    ///     let mut runtime = Runtime::new();
    ///     runtime.world_mut().register_global::<Lifted>("lifted")?;
    ///     runtime.world_mut().set_global(Lifted::default());
    ///     let lift = System::named("lift").takes::<(Rows<&mut Transform>, Global<Controls>, GlobalMut<Lifted>)>();
    ///     runtime.add_system(lift.runs(|(mut hooks, controls, mut lifted)| {
    ///         lifted.0 += f64::from(controls.value("hoist"));
    ///         hooks.each(|hook| hook.translation.y = lifted.0 as f32);
    ///     }))?;
    ///     Ok(runtime)
    /// }
    ///
    /// let mut runtime = program()?;
    /// runtime.world_mut().spawn((Name::new("hook"), Transform::default()));
    /// runtime.world_mut().ensure_global::<Controls>().set("hoist", 0.25);
    /// runtime.run_frames(40)?;
    /// let registry = Registry::standard();
    /// let mut recorder = Recorder::of(Vec::new(), "a hook", &mut runtime, &registry)?;
    /// for frame in 0..20 {
    ///     runtime.world_mut().ensure_global::<Controls>().set("hoist", if frame < 9 { 1.0 } else { 0.0 });
    ///     runtime.run_frames(1)?;
    ///     recorder.note(&runtime)?;
    /// }
    ///
    /// let recording = Recording::from_bytes(recorder.finish()?, "hook.rec")?;
    /// let mut again = program()?;
    /// recording.load_into(&mut again, &registry)?;
    /// for frame in 1..=recording.last_frame() {
    ///     recording.set_controls(&mut again, frame)?;
    ///     again.run_frames(1)?;
    ///     assert_eq!(Some(again.world().digest()?), recording.digest(frame));
    /// }
    /// assert_eq!(again.world().global::<Lifted>()?.0, 19.0);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn load_into(&self, runtime: &mut Runtime, registry: &Registry) -> Result<(), ResumeError> {
        let Some(ciborium::Value::Bytes(state)) = &self.header.state else {
            return self.restore_into(runtime, registry, 0);
        };
        registry.enroll(runtime.world_mut())?;
        registry.enroll_events(runtime.world_mut());
        runtime.load(&state[..])?;
        Ok(())
    }

    /// Sets the control inputs of a runtime as they were in a frame, before that frame runs again.
    ///
    /// # Errors
    ///
    /// If there is no such frame.
    pub fn set_controls(&self, runtime: &mut Runtime, frame: u64) -> Result<(), RecordingError> {
        let values = self.happened(frame)?.controls;
        let controls = runtime.world_mut().ensure_global::<Controls>();
        let known: Vec<String> = controls.iter().map(|(name, _)| name.to_owned()).collect();
        for name in known.iter().filter(|&name| !values.contains_key(name)) {
            controls.set(name, 0.0);
        }
        for (name, value) in &values {
            controls.set(name, *value);
        }
        Ok(())
    }
}

impl Playback<'_> {
    /// [`Recording::restore_into`] for many frames one after the other: each costs what has changed since the last.
    ///
    /// # Errors
    ///
    /// As [`Recording::restore_into`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Recording, RecordingWriter, Registry, Scene};
    ///
    /// let text = "title = 'a mast'\nframes = 2\n[[entities]]\nname = 'mast'\n";
    /// let registry = Registry::standard();
    /// let scene = Scene::parse(text, "mast.toml", &registry)?;
    /// let mut run = scene.start(Runtime::new())?;
    /// let mut writer = RecordingWriter::begin(Vec::new(), &run)?;
    /// while run.run_frame()? {
    ///     writer.note(&run)?;
    /// }
    /// let recording = Recording::from_bytes(writer.finish(&run)?, "mast.rec")?;
    ///
    /// let (mut runtime, mut playback) = (Runtime::new(), recording.playback());
    /// for frame in 0..=recording.last_frame() {
    ///     playback.restore_into(&mut runtime, &registry, frame)?;
    ///     assert_eq!(Some(runtime.world().digest()?), recording.digest(frame));
    /// }
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn restore_into(
        &mut self,
        runtime: &mut Runtime,
        registry: &Registry,
        frame: u64,
    ) -> Result<(), ResumeError> {
        self.recording().header.settings.restore(runtime)?;
        registry.enroll(runtime.world_mut())?;
        let snapshot = self.go_to(frame)?;
        runtime.world_mut().restore(snapshot)?;
        let origin = self.origin.clone();
        if origin.is_some() || runtime.world().find_global::<Origin>().is_some() {
            runtime.world_mut().set_global(origin.unwrap_or_default());
        }
        runtime.set_frame(self.recording().first_frame() + frame);
        runtime.settle()?;
        Ok(())
    }
}

impl SceneRun {
    /// Goes to a frame of a recording of the same scene, and on from there: entities, registered components, clock, control inputs,
    /// rules, switched systems and the events that rules hear are as they were then.
    ///
    /// Not recorded are components that are not registered, globals of your own, and what systems remember
    /// ([`Written`](gerust::Written) and [`Attached`](gerust::Attached) take in everything in the next frame; inboxes are empty). If a scene
    /// depends on none of these, it continues with the same digests as the recorded run. Expectations whose time has begun
    /// before are left out.
    ///
    /// # Errors
    ///
    /// If the recording has no such frame, or if it holds components that are not registered here.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Recording, RecordingWriter, Registry, Scene};
    ///
    /// let text = "title = 'a gull'\nframes = 60\n[[entities]]\nname = 'gull'\ncomponents.velocity = [6, 0, 0]\n";
    /// let scene = Scene::parse(text, "gull.toml", &Registry::standard())?;
    /// let start = || -> Result<_, gerust::Error> {
    ///     let mut runtime = Runtime::new();
    ///     runtime.add_kit(StandardKit)?;
    ///     scene.start(runtime)
    /// };
    /// let mut run = start()?;
    /// let mut writer = RecordingWriter::begin(Vec::new(), &run)?;
    /// while run.run_frame()? {
    ///     writer.note(&run)?;
    /// }
    /// let recording = Recording::from_bytes(writer.finish(&run)?, "gull.rec")?;
    ///
    /// let mut again = start()?;
    /// again.resume(&recording, 40)?;
    /// assert_eq!(again.frame(), 40);
    /// while again.run_frame()? {}
    /// assert_eq!(again.runtime().world().digest()?, run.runtime().world().digest()?);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn resume(&mut self, recording: &Recording, frame: u64) -> Result<(), ResumeError> {
        let happened = recording.happened(frame)?;
        let scene = self.scene().clone();
        let runtime = self.runtime_mut();
        recording.restore_into(runtime, &scene.parts.registry, frame)?;
        let names = runtime.schedule().systems();
        let names: Vec<String> = names.map(|system| system.name().to_owned()).collect();
        for name in names {
            runtime.set_enabled(&name, !happened.off.contains(&name))?;
        }
        let world = runtime.world_mut();
        // These contacts are held, so their begin must not be posted.
        world.forget_events();
        let controls = world.ensure_global::<Controls>();
        *controls = Controls::default();
        for (name, value) in &happened.controls {
            controls.set(name, *value);
        }
        controls.end_frame();
        let begun = happened.begun.iter();
        let begun = begun.map(|pair| pair.map(Entity::from)).collect();
        self.take_up(frame, &happened.rules, |registry, world| {
            EventLog::taken_up(registry, world, begun, &happened.counts, happened.events)
        });
        Ok(())
    }
}

/// Why a run could not resume from a recording.
#[derive(thiserror::Error)]
#[error(transparent)]
pub struct ResumeError(#[from] Kind);

debug_as_message!(ResumeError);

impl ResumeError {
    /// The kind of the error.
    #[must_use]
    pub fn kind(&self) -> ResumeErrorKind {
        match &self.0 {
            Kind::Recording(_) => ResumeErrorKind::Recording,
            Kind::Runtime(_) => ResumeErrorKind::Runtime,
        }
    }
}

#[derive(thiserror::Error, Debug)]
enum Kind {
    #[error(transparent)]
    Recording(RecordingError),
    #[error(transparent)]
    Runtime(Error),
}

impl From<RecordingError> for ResumeError {
    fn from(error: RecordingError) -> Self {
        Self(Kind::Recording(error))
    }
}

impl From<Error> for ResumeError {
    fn from(error: Error) -> Self {
        Self(Kind::Runtime(error))
    }
}

//! What each frame was like, as what has changed since the one before.

use super::change::{Change, Corners};
use super::kept::Kept;
use super::watcher::{EntityView, Watcher};
use crate::failure::Failure;
use crate::output;
use gerust::prelude::*;
use gerust_scene::{Recording, Registry, SceneRun};
use serde::Serialize;
use std::num::NonZeroU64;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct PlaybackView {
    /// Every N-th frame is stored, and the last.
    pub(super) every: u64,
    is_flat: bool,
    step_seconds: f32,
    /// What all frames take up, in metres.
    bounds: Corners,
    entities: Vec<EntityView>,
    /// The names of components.
    components: Vec<String>,
    changes: Vec<Change>,
}

impl PlaybackView {
    /// Runs to the end of the scene and stores every N-th frame. Default: as many as there is room for.
    pub(super) fn record(run: &mut SceneRun, every: Option<NonZeroU64>) -> Result<Self, Failure> {
        let (mut watcher, mut kept) = (Watcher::default(), Kept::chosen(every));
        let last = run.scene().frames();
        let title = format!("{}, looked at", run.scene().title());
        let look = |watcher: &mut Watcher, run: &SceneRun| {
            watcher.look(run.runtime().world(), run.frame())
        };
        kept.add(look(&mut watcher, run)?)?;
        output::with_progress(&title, last, |_| {
            // A scene can stop before its last frame.
            if run.run_frame()? {
                watcher.note_events(run.events());
                if run.frame().is_multiple_of(kept.every) {
                    kept.add(look(&mut watcher, run)?)?;
                }
            }
            Ok(())
        })?;
        if !kept.ends_with(run.frame()) {
            kept.add(look(&mut watcher, run)?)?;
        }
        Self::new(watcher, kept, run.runtime().world())
    }

    /// Goes through a recording and stores every N-th frame. The runtime has the state of the last one then.
    pub(super) fn of_recording(
        recording: &Recording,
        runtime: &mut Runtime,
        registry: &Registry,
        every: Option<NonZeroU64>,
    ) -> Result<Self, Failure> {
        let (mut watcher, mut kept) = (Watcher::default(), Kept::chosen(every));
        let mut playback = recording.playback();
        let last = recording.last_frame();
        let title = format!("{}, looked at", recording.title());
        output::with_progress(&title, last + 1, |frame| {
            watcher.note_events(recording.events(frame)?);
            if frame.is_multiple_of(kept.every) || frame == last {
                playback.restore_into(runtime, registry, frame)?;
                kept.add(watcher.look(runtime.world(), frame)?)?;
            }
            Ok(())
        })?;
        Self::new(watcher, kept, runtime.world())
    }

    fn new(watcher: Watcher, kept: Kept, world: &World) -> Result<Self, Failure> {
        let is_flat = matches!(world.global::<Dimensions>().as_deref(), Ok(Dimensions::Two));
        let step_seconds = world.global::<Clock>()?.step_seconds();
        Ok(Self {
            every: kept.every,
            is_flat,
            step_seconds,
            bounds: watcher.bounds(),
            entities: watcher.entities,
            components: watcher.components,
            changes: kept.changes,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::super::change::Drawn;
    use super::*;
    use crate::engine::Engine;
    use gerust_scene::Scene;

    /// Takes off one component of all entities in each of some frames.
    fn undress(engine: &mut Engine) {
        engine.add_set_up(|runtime| {
            runtime.add_system(
                System::named("undress")
                    .takes::<(Rows<Entity>, Edits, Global<Clock>)>()
                    .runs(|(entities, mut edits, clock)| {
                        for entity in entities.iter() {
                            match clock.frame() {
                                3 => edits.detach::<Collider>(entity),
                                5 => edits.detach::<WorldTransform>(entity),
                                _ => {}
                            }
                        }
                    }),
            )
        });
    }

    #[test]
    fn what_an_entity_loses_is_no_longer_drawn() {
        let mut engine = Engine::standard();
        undress(&mut engine);
        let text = "title = \"a crate\"\nframes = 6\n[[entities]]\nname = \"crate\"\ntransform = {}\ncollider = { size = [2, 2, 2] }\n";
        let scene =
            Scene::parse(text, "crate.toml", &Registry::standard()).expect("it has no fault");
        let mut run = scene
            .start(engine.runtime().expect("it is made"))
            .expect("it fits");
        let playback = PlaybackView::record(&mut run, None).expect("it runs");
        let drawn: Vec<_> = playback
            .changes
            .iter()
            .map(|change| change.drawn.get(&0))
            .collect();
        let corners = vec![[-1.0, -1.0, -1.0, 1.0, 1.0, 1.0]];
        assert_eq!(drawn[0], Some(&Some(Drawn::Boxes("static", corners))));
        assert_eq!(drawn[3], Some(&Some(Drawn::Point([0.0; 3]))));
        assert_eq!(drawn[5], Some(&None));
        assert_eq!([drawn[1], drawn[2], drawn[4], drawn[6]], [None; 4]);
    }
}

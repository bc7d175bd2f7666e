//! A scene as it runs.

use super::cue::Missed;
use super::expect::touching_first;
use super::report::{Leftovers, Outcome, Report};
use super::scene_file::Scene;
use crate::collide::{Contact, ContactState, Contacts, Gravity, Layers, Solver};
use crate::error::Error;
use crate::runtime::Runtime;
use crate::schedule::Clock;
use std::collections::VecDeque;

/// Frames whose times are kept: ten minutes at 60 a second, about 30 MB.
const MOST_FRAMES_PROFILED: usize = 36_000;
/// Frames of warm-up at most, unless the scene says more.
const MOST_WARM_UP: u64 = 60;

/// What was found of an expectation before it was decided.
#[derive(Default, Debug)]
struct Progress {
    /// In so many frames in a row, the last among them, its condition held.
    in_a_row: u64,
    /// What was measured in the last frames.
    before: VecDeque<(u64, String)>,
}

/// Frames before a decision of which is told what was measured.
const FRAMES_TOLD: usize = 4;

impl Progress {
    fn note(&mut self, frame: u64, measured: String) {
        if self.before.len() == FRAMES_TOLD {
            self.before.pop_front();
        }
        self.before.push_back((frame, measured));
    }
}

/// A scene in a runtime, frame by frame.
///
/// Frame 0 is the state as loaded. The cues of a frame are carried out before its systems run, its expectations are
/// checked when they have run.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::scene::{Registry, Scene};
///
/// let text = r#"
/// title = "a gull comes and goes"
/// frames = 3
/// [[cues]]
/// frame = 2
/// spawn = { name = "gull" }
/// [[expect]]
/// frame = 1
/// count = { is = 0 }
/// [[expect]]
/// frame = 2
/// count = { is = 1 }
/// "#;
/// let scene = Scene::parse(text, "gull.toml", &Registry::standard())?;
/// let mut run = scene.start(Runtime::new())?;
/// while run.advance()? {}
/// assert!(run.report().all_held());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct SceneRun<'s> {
    scene: &'s Scene,
    runtime: Runtime,
    /// By expectation: decided or still open.
    outcomes: Vec<Option<Outcome>>,
    /// By expectation: what was found so far.
    progress: Vec<Progress>,
    missed_cues: Vec<String>,
    contacts_begun: u64,
    leftovers: Leftovers,
}

impl<'s> SceneRun<'s> {
    pub(super) fn start(scene: &'s Scene, mut runtime: Runtime) -> Result<Self, Error> {
        runtime.set_step_seconds(scene.step)?;
        if let Some(budget) = scene.budget {
            runtime.profiler_mut().set_budget(budget);
        }
        for name in scene.budgeted() {
            if runtime.schedule().system(name).is_none() {
                return Err(runtime.schedule().unknown(name));
            }
        }
        for (system, budget) in &scene.budgets {
            runtime.profiler_mut().set_budget_of(system, *budget);
        }
        let usual_warm_up = (scene.frames / 10).min(MOST_WARM_UP);
        runtime
            .profiler_mut()
            .set_warm_up(scene.warm_up.unwrap_or(usual_warm_up));
        runtime.profiler_mut().keep_frames(
            usize::try_from(scene.frames).map_or(MOST_FRAMES_PROFILED, |frames| {
                frames.min(MOST_FRAMES_PROFILED)
            }),
        );
        let world = runtime.world_mut();
        if let Some(gravity) = scene.gravity {
            world.set_global(Gravity(gravity));
        }
        world.set_global(scene.dimensions);
        if let Some(iterations) = scene.iterations {
            world.set_global(Solver { iterations });
        }
        let mut layers = Layers::default();
        for (a, b) in &scene.layers {
            let (a, b) = (layers.add(a)?, layers.add(b)?);
            layers.meet(a, b);
        }
        world.set_global(layers);
        let mut children = Vec::new();
        for plan in &scene.entities {
            let entity = plan.spawn(world)?;
            children.extend(plan.parent.as_ref().map(|parent| (entity, parent)));
        }
        for (child, parent) in children {
            let parent = world
                .find(parent)
                .expect("a scene was checked: its parents are among its entities");
            world.link(child, parent)?;
        }
        runtime.settle()?;
        let mut run = Self {
            scene,
            runtime,
            outcomes: scene.expectations.iter().map(|_| None).collect(),
            progress: scene
                .expectations
                .iter()
                .map(|_| Progress::default())
                .collect(),
            missed_cues: Vec::new(),
            contacts_begun: 0,
            leftovers: Leftovers::default(),
        };
        run.count_contacts();
        run.check_expectations()?;
        Ok(run)
    }

    /// The scene.
    #[must_use]
    pub fn scene(&self) -> &'s Scene {
        self.scene
    }

    /// The runtime, to look at.
    #[must_use]
    pub fn runtime(&self) -> &Runtime {
        &self.runtime
    }

    /// The runtime, to add systems or to change the world between frames.
    pub fn runtime_mut(&mut self) -> &mut Runtime {
        &mut self.runtime
    }

    /// The frame that ran last; 0 before the first.
    #[must_use]
    pub fn frame(&self) -> u64 {
        self.runtime
            .world()
            .global::<Clock>()
            .map_or(0, |clock| clock.frame())
    }

    /// Runs the next frame, unless the scene is at its end; says whether one ran.
    ///
    /// # Errors
    ///
    /// If a system fails; the message names it.
    pub fn advance(&mut self) -> Result<bool, Error> {
        let frame = self.frame() + 1;
        if frame > self.scene.frames {
            return Ok(false);
        }
        self.carry_out_cues(frame);
        self.runtime.run_frames(1)?;
        self.count_contacts();
        self.check_expectations()?;
        Ok(true)
    }

    fn count_contacts(&mut self) {
        let contacts = self.runtime.world().posted::<Contact>();
        let begun = contacts
            .iter()
            .filter(|contact| contact.state == ContactState::Began);
        self.contacts_begun += begun.count() as u64;
        if let Ok(contacts) = self.runtime.world().global::<Contacts>() {
            self.leftovers.note(self.frame(), &contacts);
        }
    }

    fn carry_out_cues(&mut self, frame: u64) {
        for cue in self.scene.cues.iter().filter(|cue| cue.frame == frame) {
            let reason = match cue.carry_out(self.runtime.world_mut()) {
                Ok(()) => continue,
                Err(Missed::Gone(name)) => format!("there is no `{name}` any more"),
                Err(Missed::NoCollider(name)) => {
                    format!("`{name}` has no collider to change; give it a `size`")
                }
                Err(Missed::Refused(error)) => error.to_string(),
            };
            self.missed_cues
                .push(format!("frame {frame}: {}: {reason}", cue.describe()));
        }
    }

    fn check_expectations(&mut self) -> Result<(), Error> {
        let frame = self.frame();
        let scene = self.scene;
        let states = self.outcomes.iter_mut().zip(&mut self.progress);
        for (expectation, (outcome, progress)) in scene.expectations.iter().zip(states) {
            if outcome.is_some() || !expectation.when.is_due(frame) {
                continue;
            }
            let finding =
                expectation
                    .condition
                    .check(&self.runtime, &scene.registry, &scene.values)?;
            progress.in_a_row = if finding.holds {
                progress.in_a_row + 1
            } else {
                0
            };
            let decision = expectation
                .when
                .decide(frame, finding.holds, progress.in_a_row);
            let Some(held) = decision else {
                progress.note(frame, finding.measured);
                continue;
            };
            let before = std::mem::take(&mut progress.before);
            *outcome = Some(
                Outcome::new(expectation, frame, held, finding.measured).with_context(
                    before.into(),
                    touching_first(&expectation.condition, self.runtime.world()),
                ),
            );
        }
        Ok(())
    }

    /// What has come of the scene so far. Expectations whose frame has not come yet count as failed.
    #[must_use]
    pub fn report(&self) -> Report {
        let outcomes = self.outcomes.iter().zip(&self.scene.expectations);
        Report::new(
            self,
            outcomes
                .map(|(outcome, expectation)| match outcome {
                    Some(outcome) => outcome.clone(),
                    None => Outcome::open(expectation, self.frame()),
                })
                .collect(),
            self.missed_cues.clone(),
            self.contacts_begun,
            self.leftovers,
        )
    }
}

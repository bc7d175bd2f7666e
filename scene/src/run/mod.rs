//! A scene as it runs.

mod acting;
mod reloading;
mod taking_up;

pub(super) use acting::MissedCues;

use crate::action::About;
use crate::event_log::EventLog;
use crate::expect::{Expectation, remedy, touching_first};
use crate::names::NamesNow;
use crate::report::{Leftovers, Outcome, Report};
use crate::scene_file::Scene;
use crate::values::datum_of;
use gerust::Error;
use gerust::collide::Contacts;
use gerust::profile::FrameProfile;
use gerust::runtime::{Advance, Controls, Runtime};
use gerust::schedule::{Cause, Clock};
use gerust::store::{Datum, Entity, World};
use rustc_hash::FxHashMap;
use serde_json::Value as Json;
use std::collections::VecDeque;
use std::time::Duration;

/// Looks at the world after each step of a frame; see [`Runtime::run_frame_watched`].
type Watch<'a> = &'a mut dyn FnMut(Cause<'_>, &World);

/// Frames whose times are kept: ten minutes at 60 a second, about 30 MB.
const MOST_FRAMES_PROFILED: usize = 36_000;
/// Frames of warm-up at most, unless the scene says more.
const MOST_WARM_UP: u64 = 60;

/// The state of an expectation.
#[derive(Default, Debug)]
struct Check {
    /// The verdict, once it is clear.
    outcome: Option<Outcome>,
    progress: Progress,
    /// Whether the report leaves it out, because nothing is known about the frames in which its time began.
    is_left_out: bool,
}

/// The findings so far of an undecided expectation.
#[derive(Default, Debug)]
struct Progress {
    /// The number of frames in a row, up to the last, in which its condition held.
    in_a_row: u64,
    /// The measured values of the last frames.
    before: VecDeque<(u64, String)>,
}

/// What became of a rule so far.
#[derive(Default, Debug)]
struct RuleState {
    /// Whether its condition held after the last frame.
    held: bool,
    has_fired: bool,
}

/// Frames before the failure that are listed with their measured values.
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
/// use gerust_scene::{Registry, Scene};
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
/// while run.run_frame()? {}
/// assert!(run.report().all_held());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct SceneRun {
    scene: Scene,
    runtime: Runtime,
    /// By entity of the scene, in its order: what it became.
    made: Vec<Entity>,
    /// By expectation.
    checks: Vec<Check>,
    rules: Vec<RuleState>,
    /// The verdict with which the scene was stopped.
    stopped: Option<Outcome>,
    missed_cues: MissedCues,
    contacts_begun: u64,
    leftovers: Leftovers,
}

impl SceneRun {
    pub(crate) fn start(scene: Scene, mut runtime: Runtime) -> Result<Self, Error> {
        scene.parts.settings.apply(&mut runtime)?;
        if let Some(budget) = scene.parts.budget {
            runtime.profiler_mut().set_budget(budget);
        }
        for name in scene.budgeted() {
            runtime.schedule().require(name)?;
        }
        for (system, budget) in &scene.parts.budgets {
            runtime.profiler_mut().set_budget_of(system, *budget);
        }
        let usual_warm_up = (scene.parts.frames / 10).min(MOST_WARM_UP);
        runtime
            .profiler_mut()
            .set_warm_up(scene.parts.warm_up.unwrap_or(usual_warm_up));
        runtime.profiler_mut().keep_frames(
            usize::try_from(scene.parts.frames).map_or(MOST_FRAMES_PROFILED, |frames| {
                frames.min(MOST_FRAMES_PROFILED)
            }),
        );
        let world = runtime.world_mut();
        scene.parts.registry.enroll(world)?;
        scene.put_templates(world);
        world.set_global(EventLog::default());
        world.set_global(Controls::default());
        let mut made = Vec::new();
        let mut named = FxHashMap::default();
        let mut children = Vec::new();
        for plan in &scene.parts.entities {
            let entity = plan.spawn(world, |entity, name| {
                made.push(entity);
                named.extend(name.map(|name| (name.clone(), entity)));
            })?;
            children.extend(plan.parent.as_ref().map(|parent| (entity, parent)));
        }
        for (child, parent) in children {
            let parent = named
                .get(parent.as_str())
                .expect("a scene was checked: its parents are among its entities");
            world.link(child, *parent)?;
        }
        runtime.settle()?;
        let expectations = scene.parts.expectations.iter();
        let rules = scene.parts.rules.iter();
        let mut run = Self {
            runtime,
            made,
            checks: expectations.map(|_| Check::default()).collect(),
            rules: rules.map(|_| RuleState::default()).collect(),
            scene,
            stopped: None,
            missed_cues: MissedCues::default(),
            contacts_begun: 0,
            leftovers: Leftovers::default(),
        };
        run.look_around();
        run.check_expectations()?;
        Ok(run)
    }

    /// The scene.
    #[must_use]
    pub fn scene(&self) -> &Scene {
        &self.scene
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

    /// Runs the next frame, unless the scene is at its end or was stopped; says whether one ran.
    ///
    /// # Errors
    ///
    /// If a system fails; the message names it.
    pub fn run_frame(&mut self) -> Result<bool, Error> {
        self.run_frame_by(&mut |_, _| (), |runtime, _| runtime.run_frames(1))
    }

    /// Advances the scene by an amount of real time: as many frames as fit into it, as [`Runtime::advance`] would. For a program that
    /// draws a scene while it runs. Fewer frames run than were due if the scene [is over](Self::is_over) before.
    ///
    /// # Errors
    ///
    /// As [`SceneRun::run_frame`]; the frames that were due after it do not run.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    /// use std::time::Duration;
    ///
    /// let text = "title = 't'\nframes = 4\nstep = 0.02\n";
    /// let scene = Scene::parse(text, "t.toml", &Registry::standard())?;
    /// let mut run = scene.start(Runtime::new())?;
    /// let advance = run.advance(Duration::from_millis(50))?;
    /// assert_eq!((advance.frames(), run.frame(), run.is_over()), (2, 2, false));
    /// assert!((advance.remainder() - 0.5).abs() < 1e-9);
    /// run.advance(Duration::from_millis(50))?;
    /// assert!(run.is_over());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn advance(&mut self, elapsed: Duration) -> Result<Advance, Error> {
        let advance = self.runtime.frames_due(elapsed);
        for _ in 0..advance.frames() {
            if !self.run_frame()? {
                break;
            }
        }
        Ok(advance)
    }

    /// Whether the last frame of the scene has run, or an action has stopped it.
    #[must_use]
    pub fn is_over(&self) -> bool {
        self.frame() >= self.scene.frames() || self.stopped.is_some()
    }

    /// Ends the scene and returns its runtime, for a program that goes its own way from here: with all entities and systems, and with the
    /// templates of the scene. Cues, rules and expectations end.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 1\n[[entities]]\nname = 'mast'\n";
    /// let mut run = Scene::parse(text, "t.toml", &Registry::standard())?.start(Runtime::new())?;
    /// run.run_frame()?;
    /// let mut runtime = run.into_runtime();
    /// runtime.run_frames(9)?;
    /// assert_eq!(runtime.world().global::<Clock>()?.frame(), 10);
    /// assert!(runtime.world().find("mast").is_some());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn into_runtime(mut self) -> Runtime {
        *self.happenings_mut() = EventLog::default();
        self.runtime
    }

    /// [`SceneRun::run_frame`] on one thread, which tells after each action and each step of the frame what it was and what the world
    /// is like then; see [`Runtime::run_frame_watched`].
    ///
    /// # Errors
    ///
    /// As [`SceneRun::run_frame`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 1\n[[cues]]\nframe = 1\nspawn = { name = 'gull' }\n";
    /// let scene = Scene::parse(text, "t.toml", &Registry::standard())?;
    /// let mut run = scene.start(Runtime::new())?;
    /// let mut steps = Vec::new();
    /// run.run_frame_watched(|cause, world| steps.push((cause.to_string(), world.len())))?;
    /// assert_eq!(steps[0], (String::from("the action: spawn `gull`"), 1));
    /// assert!(steps.iter().any(|(cause, _)| cause == "the system `place: linked`"));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn run_frame_watched(
        &mut self,
        mut watch: impl FnMut(Cause<'_>, &World),
    ) -> Result<bool, Error> {
        self.run_frame_by(&mut watch, |runtime, watch| {
            runtime.run_frame_watched(watch)
        })
    }

    fn run_frame_by(
        &mut self,
        watch: Watch<'_>,
        run_frame: impl FnOnce(&mut Runtime, Watch<'_>) -> Result<(), Error>,
    ) -> Result<bool, Error> {
        let frame = self.frame() + 1;
        if frame > self.scene.parts.frames || self.stopped.is_some() {
            return Ok(false);
        }
        self.carry_out_actions(frame, watch);
        if self.stopped.is_some() {
            return Ok(false);
        }
        run_frame(&mut self.runtime, watch)?;
        self.look_around();
        self.check_expectations()?;
        Ok(true)
    }

    /// Notes what has happened in the frame.
    fn look_around(&mut self) {
        let mut happenings = std::mem::take(self.happenings_mut());
        let world = self.runtime.world();
        happenings.note(&self.scene.parts.registry, world);
        self.contacts_begun += happenings.begun.len() as u64;
        if let Some(contacts) = world.find_global::<Contacts>() {
            self.leftovers.note(self.frame(), &contacts);
        }
        if self.scene.parts.asks_counters {
            let frame = self.runtime.profiler().frames().last();
            happenings.note_counters(frame.map_or(&[], FrameProfile::counters));
        }
        *self.happenings_mut() = happenings;
    }

    fn happenings_mut(&mut self) -> &mut EventLog {
        self.runtime.world_mut().ensure_global::<EventLog>()
    }

    /// The events of the frame that ran last, with those that actions posted before it: each with its registered name and its
    /// value, by name and then in order.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 9\n[[entities]]\nname = 'rope'\ncomponents.wear = { left = 0.1, per-second = 1 }\n";
    /// let scene = Scene::parse(text, "t.toml", &Registry::standard())?;
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(StandardKit)?;
    /// let mut run = scene.start(runtime)?;
    /// while run.run_frame()? && run.events().is_empty() {}
    /// assert_eq!(run.frame(), 6);
    /// assert_eq!(run.events()[0].0, "worn");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn events(&self) -> Vec<(String, Datum)> {
        let names = self.scene.parts.registry.event_names();
        names
            .flat_map(|name| {
                let events = self.events_of(name).into_iter();
                events.map(move |event| (name.to_owned(), datum_of(&event)))
            })
            .collect()
    }

    /// The events of a name that were posted in the last frame.
    fn events_of(&self, name: &str) -> Vec<Json> {
        let world = self.runtime.world();
        let happenings = world.global::<EventLog>();
        happenings.map_or_else(
            |_| Vec::new(),
            |happenings| happenings.events(&self.scene.parts.registry, world, name),
        )
    }

    fn check_expectations(&mut self) -> Result<(), Error> {
        let frame = self.frame();
        let scene = self.scene.clone();
        let is_due = |check: &Check, expectation: &Expectation| {
            check.outcome.is_none() && expectation.when.is_due(frame)
        };
        let expectations = &scene.parts.expectations;
        let states = self.checks.iter().zip(expectations);
        let due = states.filter(|(check, expectation)| is_due(check, expectation));
        NamesNow::list(self.runtime.world_mut(), due.count());
        for (expectation, check) in expectations.iter().zip(&mut self.checks) {
            if !is_due(check, expectation) {
                continue;
            }
            let Check {
                outcome, progress, ..
            } = check;
            let finding = expectation.condition.check(&self.runtime, &scene)?;
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
            let remedy = match held {
                true => None,
                false => {
                    let asked = scene.asked(self.runtime.world(), About::default());
                    remedy(expectation, &asked)
                }
            };
            *outcome = Some(
                Outcome::new(expectation, frame, held, finding)
                    .with_remedy(remedy)
                    .with_context(
                        before.into(),
                        touching_first(&expectation.condition, self.runtime.world()),
                    ),
            );
        }
        NamesNow::clear(self.runtime.world_mut());
        Ok(())
    }

    /// The results so far. Expectations whose frame has not come yet count as failed, unless an action has stopped
    /// the scene: then its verdict stands for them.
    #[must_use]
    pub fn report(&self) -> Report {
        let checks = self.checks.iter().zip(&self.scene.parts.expectations);
        let known = checks.filter(|(check, _)| !check.is_left_out);
        Report::new(
            self,
            known
                .filter_map(
                    |(check, expectation)| match (&check.outcome, &self.stopped) {
                        (Some(outcome), _) => Some(outcome.clone()),
                        (None, None) => Some(Outcome::open(expectation, self.frame())),
                        (None, Some(_)) => None,
                    },
                )
                .chain(self.stopped.clone())
                .collect(),
            &self.missed_cues,
            self.contacts_begun,
            self.leftovers,
        )
    }
}

//! A scene that has been read and checked, and can be run any number of times.

use super::action::{About, ActionKind};
use super::ask::Asked;
use super::check;
use super::cue::{Cue, Rule, Track};
use super::expect::{Condition, Expectation};
use super::fault::SceneError;
use super::place::EntityPlan;
use super::read::{FilesRead, ParameterValues, Parameters, read, read_file};
use super::registry::Registry;
use super::report::Report;
use super::run::SceneRun;
use super::settings::Settings;
use gerust::Error;
use gerust::runtime::Runtime;
use gerust::space::{Template, Templates};
use gerust::store::World;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

/// A scene file that has been read and found to make sense.
///
/// Copies share what was read, so each costs O(1). See the [module documentation](crate) for an example.
#[derive(Clone, Debug)]
pub struct Scene {
    pub(super) parts: Arc<SceneParts>,
}

/// The contents of a scene.
#[derive(Debug)]
pub(super) struct SceneParts {
    pub(super) path: PathBuf,
    pub(super) files: Vec<PathBuf>,
    pub(super) files_loaded: Vec<PathBuf>,
    pub(super) parameters: Parameters,
    /// What expectations may ask for.
    pub(super) registry: Registry,
    pub(super) values: ParameterValues,
    pub(super) title: String,
    pub(super) frames: u64,
    pub(super) settings: Settings,
    pub(super) budget: Option<Duration>,
    /// By system.
    pub(super) budgets: Vec<(String, Duration)>,
    pub(super) warm_up: Option<u64>,
    pub(super) entities: Vec<EntityPlan>,
    pub(super) templates: Vec<EntityPlan>,
    pub(super) controls: Vec<Track>,
    pub(super) cues: Vec<Cue>,
    pub(super) rules: Vec<Rule>,
    pub(super) expectations: Vec<Expectation>,
    /// Whether anything asks for a counter of a frame.
    pub(super) asks_counters: bool,
}

impl Scene {
    /// Reads a scene file.
    ///
    /// # Errors
    ///
    /// If the file cannot be read, or with all the faults that it has.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::{Registry, Scene};
    ///
    /// assert!(Scene::load("no/such/scene.toml", &Registry::standard()).is_err());
    /// ```
    pub fn load(path: impl AsRef<Path>, registry: &Registry) -> Result<Self, SceneError> {
        Self::load_with(path, registry, &Parameters::new())
    }

    /// Reads a scene file, with values for some of its parameters.
    ///
    /// # Errors
    ///
    /// As [`Scene::load`], and if the file has no such parameter, or one of another kind.
    pub fn load_with(
        path: impl AsRef<Path>,
        registry: &Registry,
        parameters: &Parameters,
    ) -> Result<Self, SceneError> {
        let path = path.as_ref();
        let text = read_file(path).map_err(|source| SceneError::unreadable(path, source))?;
        Self::parse_with(&text, path, registry, parameters)
    }

    /// Reads a scene from a text; the path stands for it in messages.
    ///
    /// # Errors
    ///
    /// With all the faults that the text has.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let error = Scene::parse("title = 3\nframes = 1", "number.toml", &Registry::standard()).unwrap_err();
    /// assert_eq!(
    ///     error.faults()[0].message(),
    ///     "3 was found where a text in quotes is wanted"
    /// );
    /// ```
    pub fn parse(
        text: &str,
        path: impl AsRef<Path>,
        registry: &Registry,
    ) -> Result<Self, SceneError> {
        Self::parse_with(text, path, registry, &Parameters::new())
    }

    /// Reads a scene from a text, with values for some of its parameters; see [`Parameters`] for an example.
    ///
    /// # Errors
    ///
    /// As [`Scene::parse`], and if the text has no such parameter, or one of another kind.
    pub fn parse_with(
        text: &str,
        path: impl AsRef<Path>,
        registry: &Registry,
        parameters: &Parameters,
    ) -> Result<Self, SceneError> {
        let files = &mut FilesRead::default();
        Self::parse_within(text, path.as_ref(), registry, parameters, files)
    }

    /// Reads a file that an action of another scene loads.
    pub(super) fn load_within(
        path: &Path,
        registry: &Registry,
        files: &mut FilesRead,
    ) -> Result<Self, SceneError> {
        let text = read_file(path).map_err(|source| SceneError::unreadable(path, source))?;
        Self::parse_within(&text, path, registry, &Parameters::new(), files)
    }

    fn parse_within(
        text: &str,
        path: &Path,
        registry: &Registry,
        parameters: &Parameters,
        files: &mut FilesRead,
    ) -> Result<Self, SceneError> {
        let read = read(text, path, registry, parameters, files);
        let (sources, mut faults) = (read.sources, read.faults);
        let scene = read
            .scene
            .map(|read| check::check(path, &read, registry, &sources, files, &mut faults));
        match scene {
            Some(scene) if faults.is_empty() => Ok(Self {
                parts: Arc::new(SceneParts {
                    files: sources.iter().map(|source| source.path.clone()).collect(),
                    parameters: parameters.clone(),
                    registry: registry.clone(),
                    ..scene
                }),
            }),
            _ => Err(SceneError::faulty(sources, faults)),
        }
    }

    /// The title.
    #[must_use]
    pub fn title(&self) -> &str {
        &self.parts.title
    }

    /// The file, as it was named when the scene was read.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.parts.path
    }

    /// All files that it was read from: the one that was named, and those that it includes.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::{Parameters, Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 1\nparameters.crates = 3\n";
    /// let given = Parameters::new().with("crates", "5");
    /// let scene = Scene::parse_with(text, "t.toml", &Registry::standard(), &given)?;
    /// assert_eq!(scene.files(), [std::path::Path::new("t.toml")]);
    /// assert_eq!(scene.parameters().iter().next(), Some(("crates", "5")));
    /// # Ok::<(), gerust_scene::SceneError>(())
    /// ```
    #[must_use]
    pub fn files(&self) -> &[PathBuf] {
        &self.parts.files
    }

    /// All files that were read for the scene: those of [`Scene::files`], and those that its actions load.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let scene = Scene::load("../scenes/visitors.toml", &Registry::standard())?;
    /// assert!(scene.files_read().any(|file| file.ends_with("visitors/barge.toml")));
    /// # Ok::<(), gerust_scene::SceneError>(())
    /// ```
    pub fn files_read(&self) -> impl Iterator<Item = &Path> + Clone {
        let files = self.parts.files.iter().chain(&self.parts.files_loaded);
        files.map(PathBuf::as_path)
    }

    /// The values that were given to its parameters.
    #[must_use]
    pub fn parameters(&self) -> &Parameters {
        &self.parts.parameters
    }

    /// How many frames the scene runs.
    #[must_use]
    pub fn frames(&self) -> u64 {
        self.parts.frames
    }

    /// Seconds of scene time per frame.
    #[must_use]
    pub fn step_seconds(&self) -> f64 {
        self.parts.settings.step
    }

    /// A world, for expressions of this scene to ask; `pair` is what a contact rule is about.
    pub(super) fn asked<'w>(&'w self, world: &'w World, about: About<'w>) -> Asked<'w> {
        Asked {
            world,
            registry: &self.parts.registry,
            parameters: &self.parts.values,
            about,
            log: None,
        }
    }

    /// The systems that budgets name.
    pub(super) fn budgeted(&self) -> impl Iterator<Item = &str> {
        let expected = self.parts.expectations.iter();
        let expected = expected.filter_map(|expectation| match &expectation.condition {
            Condition::Budget { of, .. } => of.as_deref(),
            _ => None,
        });
        let given = self.parts.budgets.iter().map(|(system, _)| system.as_str());
        given.chain(expected)
    }

    /// Whether it names other files, by `include` or `load`, whose paths begin in its folder.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let scene = Scene::parse("title = 't'\nframes = 1\n", "t.toml", &Registry::standard())?;
    /// assert!(!scene.names_files());
    /// # Ok::<(), gerust_scene::SceneError>(())
    /// ```
    #[must_use]
    pub fn names_files(&self) -> bool {
        let of_cues = self.parts.cues.iter().flat_map(|cue| &cue.actions);
        let mut actions = of_cues.chain(self.parts.rules.iter().flat_map(|rule| &rule.actions));
        self.parts.files.len() > 1
            || actions.any(|action| matches!(action.kind, ActionKind::Load { .. }))
    }

    /// Lets systems make copies of the templates.
    pub(super) fn put_templates(&self, world: &mut World) {
        let templates = world.ensure_global::<Templates>();
        for plan in &self.parts.templates {
            let Some(name) = plan.root().template.as_ref() else {
                continue;
            };
            let plan = Arc::new(plan.clone());
            templates.add(Template::made_by(name.as_str(), move |world, entity| {
                plan.furnish(world, entity, None)
            }));
        }
    }

    /// Puts the scene's entities and settings into a runtime, ready to run frame by frame.
    ///
    /// # Errors
    ///
    /// If the runtime refuses a setting or an entity, which a scene that was read without fault does not provoke in a
    /// runtime of [`Runtime::new`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 'still'\nframes = 2\n[[entities]]\nname = 'mast'\n";
    /// let scene = Scene::parse(text, "still.toml", &Registry::standard())?;
    /// let mut run = scene.start(Runtime::new())?;
    /// assert_eq!((run.frame(), run.runtime().world().len()), (0, 1));
    /// while run.run_frame()? {}
    /// assert_eq!(run.frame(), 2);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn start(&self, runtime: Runtime) -> Result<SceneRun, Error> {
        SceneRun::start(self.clone(), runtime)
    }

    /// Runs the scene to its end.
    ///
    /// # Errors
    ///
    /// As [`Scene::start`], and if a system fails on the way. An expectation that fails is no error: the report tells.
    pub fn run(&self, runtime: Runtime) -> Result<Report, Error> {
        let mut run = self.start(runtime)?;
        while run.run_frame()? {}
        Ok(run.report())
    }
}

//! Runs random scenes, and keeps the smallest that fails.

use crate::debug_as_message;
use crate::draft::SceneDraft;
use crate::registry::Registry;
use gerust::Error;
use gerust::runtime::Runtime;
use proptest::strategy::Strategy;
use proptest::test_runner::{Config, TestCaseError, TestError, TestRunner};
use std::fmt;
use std::path::{Path, PathBuf};

/// Runs scenes of a strategy in runtimes as a function makes them: all of their expectations must hold.
///
/// The scenes are the same in each run, so a failing test fails until its cause is fixed.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::Registry;
/// use gerust_scene::properties::{Extent, ForEvery, scenes};
/// use proptest::prelude::*;
///
/// let folder = std::env::temp_dir().join(format!("gerust-for-every-{}", std::process::id()));
/// std::fs::create_dir_all(&folder)?;
/// let file = folder.join("falls.toml");
///
/// let registry = Registry::standard();
/// let small = Extent { nodes: 0, boxes: 3, cues: 2, frames: 20 };
/// let nothing_falls = scenes(small)
///     .prop_map(|scene| scene.expect("never contacts > 0"));
/// let failing = ForEvery::new(&registry, || Ok(Runtime::new()))
///     .tries(400)
///     .write_to(&file)
///     .check(&nothing_falls)
///     .expect_err("some box falls on the floor, or stands in another");
/// assert!(failing.draft().text().matches("[[entities]]").count() <= 4);
/// assert!(std::fs::read_to_string(&file)?.contains("never contacts > 0"));
/// # std::fs::remove_dir_all(&folder)?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct ForEvery<'r> {
    registry: &'r Registry,
    runtime: Box<dyn Fn() -> Result<Runtime, Error> + 'r>,
    cases: u32,
    tries: u32,
    path: Option<PathBuf>,
}

impl<'r> ForEvery<'r> {
    /// Runs 64 scenes.
    pub fn new(registry: &'r Registry, runtime: impl Fn() -> Result<Runtime, Error> + 'r) -> Self {
        Self {
            registry,
            runtime: Box::new(runtime),
            cases: 64,
            tries: MOST_TRIES,
            path: None,
        }
    }

    /// Runs a number of scenes.
    #[must_use]
    pub fn cases(self, cases: u32) -> Self {
        Self { cases, ..self }
    }

    /// Tries at most this many smaller scenes once one fails. Default: 4,096. Fewer take less time, and may leave a larger scene.
    #[must_use]
    pub fn tries(self, tries: u32) -> Self {
        Self { tries, ..self }
    }

    /// Writes the smallest scene that fails into a file.
    #[must_use]
    pub fn write_to(self, path: impl AsRef<Path>) -> Self {
        Self {
            path: Some(path.as_ref().to_owned()),
            ..self
        }
    }

    /// Runs them.
    ///
    /// # Errors
    ///
    /// With the smallest scene that was found to fail: an expectation does not hold, a system fails, or the scene has faults.
    pub fn check(
        &self,
        scenes: &impl Strategy<Value = SceneDraft>,
    ) -> Result<(), Box<FailingScene>> {
        let config = Config {
            cases: self.cases,
            failure_persistence: None,
            max_shrink_iters: self.tries,
            ..Config::default()
        };
        let mut runner = TestRunner::new_with_rng(config, deterministic());
        let outcome = runner.run(scenes, |draft| {
            self.run(&draft).map_err(TestCaseError::fail)
        });
        match outcome {
            Ok(()) => Ok(()),
            Err(TestError::Fail(reason, draft)) => Err(self.failing(draft, reason.to_string())),
            Err(TestError::Abort(reason)) => {
                let draft = SceneDraft::new("no scene could be made", 1);
                Err(self.failing(draft, reason.to_string()))
            }
        }
    }

    fn run(&self, draft: &SceneDraft) -> Result<(), String> {
        let scene = draft
            .build(self.registry)
            .map_err(|error| error.to_string())?;
        let run = (self.runtime)().and_then(|runtime| scene.run(runtime));
        let report = run.map_err(|error| error.to_string())?;
        match report.all_held() {
            true => Ok(()),
            false => Err(report.to_string()),
        }
    }

    fn failing(&self, draft: SceneDraft, reason: String) -> Box<FailingScene> {
        let written = self.path.as_ref().map(|path| {
            let outcome = draft.write(path).map_err(|error| error.to_string());
            (path.clone(), outcome)
        });
        Box::new(FailingScene {
            draft,
            reason,
            written,
        })
    }
}

/// Smaller scenes that are tried by default.
const MOST_TRIES: u32 = 4_096;

/// The same random numbers in each run.
fn deterministic() -> proptest::test_runner::TestRng {
    let algorithm = proptest::test_runner::RngAlgorithm::ChaCha;
    proptest::test_runner::TestRng::deterministic_rng(algorithm)
}

impl fmt::Debug for ForEvery<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("ForEvery")
            .field("cases", &self.cases)
            .field("tries", &self.tries)
            .field("path", &self.path)
            .finish_non_exhaustive()
    }
}

/// The smallest scene that was found to fail.
pub struct FailingScene {
    draft: SceneDraft,
    reason: String,
    /// The path to which it should be written, and the result.
    written: Option<(PathBuf, Result<(), String>)>,
}

impl FailingScene {
    /// The scene.
    #[must_use]
    pub fn draft(&self) -> &SceneDraft {
        &self.draft
    }

    /// How it fails.
    #[must_use]
    pub fn reason(&self) -> &str {
        &self.reason
    }
}

impl fmt::Display for FailingScene {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(f, "a scene fails: {}", self.reason.trim_end())?;
        match &self.written {
            None => {}
            Some((path, Ok(()))) => {
                writeln!(f, "run it again: gerust run {}", path.display())?;
            }
            Some((path, Err(error))) => {
                writeln!(
                    f,
                    "it could not be written into {}: {error}",
                    path.display()
                )?;
            }
        }
        write!(f, "\n{}", self.draft)
    }
}

// So `unwrap` shows the scene.
debug_as_message!(FailingScene);

impl std::error::Error for FailingScene {}

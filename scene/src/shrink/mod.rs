//! The smallest scene that still fails in the same way.

mod nodes;

use super::fault::SceneError;
use super::read::Parameters;
use super::registry::Registry;
use super::report::Outcome;
use super::scene_file::Scene;
use crate::debug_as_message;
use crate::error_kinds::ShrinkErrorKind;
use gerust::Error;
use gerust::runtime::Runtime;
use nodes::{Node, nodes_of, numbers_of, remove, replace_number};
use std::fmt;
use std::path::{Path, PathBuf};
use toml_edit::DocumentMut;

/// Makes a scene smaller for as long as it fails in the same way: what is not needed for the failure is taken out of its file, and
/// counts and the number of frames are made smaller.
///
/// Parts are taken out in halves, quarters and so on, and at last one by one (delta debugging, Zeller and Hildebrandt, "Simplifying
/// and isolating failure-inducing input", 2002). What does not load any more, or does not fail in the same way, is put back. Comments
/// and form of the file stay.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Registry, Shrinker};
///
/// let text = r#"
/// title = "a crate that should not fall"
/// frames = 600
/// [[entities]]
/// name = "lamp"
/// [[entities]]
/// name = "crate"
/// collider = { size = [1, 1, 1] }
/// body = { mass = 4 }
/// [[cues]]
/// frame = 10
/// despawn = "lamp"
/// [[expect]]
/// that = "always crate.position.y > -1"
/// [[expect]]
/// that = "not lamp exists"
/// "#;
/// let registry = Registry::standard();
/// let shrunk = Shrinker::new(&registry, || Ok(Runtime::new())).shrink(text, "fall.toml")?;
/// assert_eq!(
///     shrunk.text(),
///     r#"
/// title = "a crate that should not fall"
/// frames = 28
/// [[entities]]
/// name = "crate"
/// body = {}
/// [[expect]]
/// that = "always crate.position.y > -1"
/// "#
/// );
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Shrinker<'r> {
    registry: &'r Registry,
    runtime: Box<dyn FnMut() -> Result<Runtime, Error> + 'r>,
    parameters: Parameters,
    most_runs: u64,
    is_strict: bool,
    tell: Box<dyn FnMut(&Progress) + 'r>,
}

/// How far a [`Shrinker`] has come.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Progress {
    /// How often the scene was run.
    pub runs: u64,
    /// How many bytes its file has.
    pub bytes: usize,
}

/// A scene that was made smaller.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Shrunk {
    text: String,
    failure: String,
    runs: u64,
    is_smallest: bool,
}

impl Shrunk {
    /// The text of the scene file.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// How it fails, in words.
    #[must_use]
    pub fn failure(&self) -> &str {
        &self.failure
    }

    /// How often a scene was run.
    #[must_use]
    pub fn runs(&self) -> u64 {
        self.runs
    }

    /// Whether no single part can be taken out any more; if not, the most runs were reached before that was known.
    #[must_use]
    pub fn is_smallest(&self) -> bool {
        self.is_smallest
    }
}

/// Why a scene was not made smaller.
#[derive(thiserror::Error)]
#[error(transparent)]
pub struct ShrinkError(#[from] Kind);

debug_as_message!(ShrinkError);

#[derive(thiserror::Error, Debug)]
enum Kind {
    #[error(transparent)]
    Scene(#[from] SceneError),
    #[error("{} does not fail: all of its expectations hold; there is nothing to look for", path.display())]
    HasNoFailure { path: PathBuf },
    #[error("{} cannot be read as TOML: {reason}", path.display())]
    NoToml { path: PathBuf, reason: String },
}

impl ShrinkError {
    /// The kind of the error.
    #[must_use]
    pub fn kind(&self) -> ShrinkErrorKind {
        match &self.0 {
            Kind::Scene(_) => ShrinkErrorKind::Scene,
            Kind::HasNoFailure { .. } => ShrinkErrorKind::HasNoFailure,
            Kind::NoToml { .. } => ShrinkErrorKind::NoToml,
        }
    }

    /// The faults of the scene file, if it has some.
    #[must_use]
    pub fn scene_error(&self) -> Option<&SceneError> {
        match &self.0 {
            Kind::Scene(error) => Some(error),
            _ => None,
        }
    }
}

/// How a scene fails.
#[derive(Clone, Debug)]
enum Failure {
    Expectation(Box<FailedExpectation>),
    /// It could not be run to its end, by the fault of a system or of none.
    Broke {
        system: Option<String>,
        reason: String,
    },
}

#[derive(Clone, Debug)]
struct FailedExpectation {
    what: Option<String>,
    wanted: String,
    when: String,
    measured: String,
    is_answered: bool,
    frame: u64,
}

impl From<Error> for Failure {
    fn from(error: Error) -> Self {
        Self::Broke {
            system: error.system().map(str::to_owned),
            reason: error.to_string(),
        }
    }
}

impl Failure {
    fn of(outcome: &Outcome) -> Self {
        Self::Expectation(Box::new(FailedExpectation {
            what: outcome.what().map(str::to_owned),
            wanted: outcome.wanted().to_owned(),
            when: outcome.when().to_owned(),
            measured: outcome.measured().to_owned(),
            is_answered: outcome.is_answered(),
            frame: outcome.frame(),
        }))
    }

    /// Whether another failure is the same; if not strictly, it may have another value in another frame.
    fn is_same(&self, other: &Self, is_strict: bool) -> bool {
        match (self, other) {
            (
                Self::Broke { system, reason },
                Self::Broke {
                    system: other_system,
                    reason: other_reason,
                },
            ) => match is_strict {
                true => reason == other_reason,
                false => system == other_system,
            },
            (Self::Expectation(one), Self::Expectation(other)) => {
                let is_that = (&one.what, &one.wanted) == (&other.what, &other.wanted);
                // A last frame that comes sooner changes when it is wanted, but not what is found.
                is_that
                    && match is_strict {
                        true => (one.frame, &one.measured) == (other.frame, &other.measured),
                        // A missing entity fails for another reason.
                        false => one.is_answered == other.is_answered,
                    }
            }
            _ => false,
        }
    }

    fn last_frame(&self) -> Option<u64> {
        match self {
            Self::Expectation(failed) => Some(failed.frame),
            Self::Broke { .. } => None,
        }
    }
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Expectation(failed) => write!(
                f,
                "wanted {} {}, found at frame {}: {}",
                failed.wanted, failed.when, failed.frame, failed.measured
            ),
            Self::Broke { reason, .. } => f.write_str(reason),
        }
    }
}

impl<'r> Shrinker<'r> {
    /// A shrinker that runs scenes in runtimes as a function makes them.
    pub fn new(
        registry: &'r Registry,
        runtime: impl FnMut() -> Result<Runtime, Error> + 'r,
    ) -> Self {
        Self {
            registry,
            runtime: Box::new(runtime),
            parameters: Parameters::new(),
            most_runs: 2_000,
            is_strict: true,
            tell: Box::new(|_| ()),
        }
    }

    /// Gives parameters of the scene values, which become its defaults.
    #[must_use]
    pub fn parameters(self, parameters: Parameters) -> Self {
        Self { parameters, ..self }
    }

    /// Runs scenes so often at most; 2,000 unless set.
    #[must_use]
    pub fn most_runs(self, runs: u64) -> Self {
        Self {
            most_runs: runs,
            ..self
        }
    }

    /// Takes it for the same failure if the same expectation fails with another value or in another frame.
    #[must_use]
    pub fn loosely(self) -> Self {
        Self {
            is_strict: false,
            ..self
        }
    }

    /// Tells a function how far it has come, after each run.
    #[must_use]
    pub fn on_progress(self, tell: impl FnMut(&Progress) + 'r) -> Self {
        Self {
            tell: Box::new(tell),
            ..self
        }
    }

    /// Makes a scene smaller; the path stands for it, and says where files that it names are.
    ///
    /// # Errors
    ///
    /// If the scene has faults, or if it does not fail.
    pub fn shrink(&mut self, text: &str, path: impl AsRef<Path>) -> Result<Shrunk, ShrinkError> {
        let path = path.as_ref();
        let scene =
            Scene::parse_with(text, path, self.registry, &self.parameters).map_err(Kind::Scene)?;
        let mut document: DocumentMut = text.parse().map_err(|error: toml_edit::TomlError| {
            let reason = error.message().to_owned();
            Kind::NoToml {
                path: path.to_owned(),
                reason,
            }
        })?;
        nodes::set_parameters(&mut document, &self.parameters);
        let failure = self
            .first_failure(&scene)
            .ok_or_else(|| Kind::HasNoFailure {
                path: path.to_owned(),
            })?;
        let mut search = Search {
            shrinker: self,
            path,
            failure: &failure,
            document,
            runs: 1,
        };
        let is_smallest = search.run();
        Ok(Shrunk {
            text: search.document.to_string(),
            runs: search.runs,
            failure: failure.to_string(),
            is_smallest,
        })
    }

    /// The failure that is decided first.
    fn first_failure(&mut self, scene: &Scene) -> Option<Failure> {
        self.failure_of(scene, |_| true)
    }

    /// The first failure to preserve.
    fn failure_of(&mut self, scene: &Scene, is_it: impl Fn(&Failure) -> bool) -> Option<Failure> {
        let run = (self.runtime)().and_then(|runtime| scene.start(runtime));
        let mut run = match run {
            Ok(run) => run,
            Err(error) => return Some(Failure::from(error)).filter(|it| is_it(it)),
        };
        loop {
            let mut failed = run.failed_so_far().map(|outcome| Failure::of(&outcome));
            if let Some(found) = failed.find(|failure| is_it(failure)) {
                return Some(found);
            }
            drop(failed);
            match run.run_frame() {
                Ok(true) => {}
                Ok(false) => break,
                Err(error) => return Some(Failure::from(error)).filter(|it| is_it(it)),
            }
        }
        let report = run.report();
        let failed = report.failures();
        failed.map(Failure::of).find(|failure| is_it(failure))
    }
}

impl fmt::Debug for Shrinker<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Shrinker")
            .field("most_runs", &self.most_runs)
            .field("is_strict", &self.is_strict)
            .finish_non_exhaustive()
    }
}

/// A scene on its way to the smallest one.
struct Search<'s, 'r> {
    shrinker: &'s mut Shrinker<'r>,
    path: &'s Path,
    failure: &'s Failure,
    document: DocumentMut,
    runs: u64,
}

impl Search<'_, '_> {
    /// Returns whether nothing more can be taken out.
    fn run(&mut self) -> bool {
        loop {
            let before = self.document.to_string();
            // Whole entries are removed before parts of the others.
            self.take_out(true);
            self.take_out(false);
            self.lower_numbers();
            if self.is_out_of_runs() {
                return false;
            }
            if self.document.to_string() == before {
                return true;
            }
        }
    }

    fn is_out_of_runs(&self) -> bool {
        self.runs >= self.shrinker.most_runs
    }

    /// Takes parts out, in ever smaller groups.
    fn take_out(&mut self, only_listed: bool) {
        let all = |search: &Self| -> Vec<Node> {
            let nodes = nodes_of(&search.document).into_iter();
            nodes
                .filter(|node| !only_listed || node.is_listed())
                .collect()
        };
        let mut size = all(self).len().max(1);
        while size > 0 {
            let mut start = 0;
            loop {
                let nodes = all(self);
                if start >= nodes.len() || self.is_out_of_runs() {
                    break;
                }
                let end = (start + size).min(nodes.len());
                let mut smaller = self.document.clone();
                remove(&mut smaller, &nodes[start..end]);
                if !self.keep_if_same(smaller) {
                    start = end;
                }
            }
            size /= 2;
        }
    }

    fn lower_numbers(&mut self) {
        if let Some(frame) = self.failure.last_frame() {
            let mut shorter = self.document.clone();
            shorter.insert("frames", toml_edit::value(frame.max(1).cast_signed()));
            self.keep_if_same(shorter);
        }
        for at in 0..numbers_of(&self.document).len() {
            loop {
                let now = numbers_of(&self.document)[at];
                let lower = [1, now / 2, now - 1];
                let is_lower = lower.into_iter().filter(|&lower| 1 <= lower && lower < now);
                let tried = is_lower.map(|lower| {
                    let mut smaller = self.document.clone();
                    replace_number(&mut smaller, at, lower);
                    smaller
                });
                let tried: Vec<DocumentMut> = tried.collect();
                if self.is_out_of_runs() || !tried.into_iter().any(|one| self.keep_if_same(one)) {
                    break;
                }
            }
        }
    }

    /// Continues with a smaller document if its scene fails in the same way.
    fn keep_if_same(&mut self, smaller: DocumentMut) -> bool {
        let text = smaller.to_string();
        if text == self.document.to_string() {
            return false;
        }
        let Ok(scene) = Scene::parse(&text, self.path, self.shrinker.registry) else {
            return false;
        };
        self.runs += 1;
        let (failure, is_strict) = (self.failure, self.shrinker.is_strict);
        let is_it = |other: &Failure| failure.is_same(other, is_strict);
        let is_same = self.shrinker.failure_of(&scene, is_it).is_some();
        if is_same {
            self.document = smaller;
        }
        let progress = Progress {
            runs: self.runs,
            bytes: if is_same {
                text.len()
            } else {
                self.document.to_string().len()
            },
        };
        (self.shrinker.tell)(&progress);
        is_same
    }
}

#[cfg(test)]
mod tests;

//! The results of a scene.

use super::expect::{Expectation, Finding};
use super::run::{MissedCues, SceneRun};
use gerust::Runtime;
use gerust::collide::Contacts;
use gerust::profile::Statistic;
use gerust::schedule::WithoutEffect;
use std::fmt;
use std::ops::Range;
use std::path::PathBuf;

/// The result of one expectation.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Registry, Scene};
///
/// let text = "title = 't'\nframes = 1\n[[expect]]\nframe = 1\ncount = { is = 2 }\n";
/// let report = Scene::parse(text, "t.toml", &Registry::standard())?.run(Runtime::new())?;
/// let outcome = &report.outcomes()[0];
/// assert!(!outcome.held());
/// assert_eq!((outcome.wanted(), outcome.measured()), ("2 entities", "0"));
/// assert_eq!((outcome.when(), outcome.frame()), ("at frame 1", 1));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Outcome {
    what: Option<String>,
    held: bool,
    when: String,
    frame: u64,
    wanted: String,
    measured: String,
    before: Vec<(u64, String)>,
    touching: Option<String>,
    is_of_real_time: bool,
    /// Whether its condition could be asked.
    is_answered: bool,
    remedy: Option<Remedy>,
}

/// What would have to be written in a scene file for an expectation to hold: a stored value, such as a digest, that is out of date.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Remedy {
    /// The file.
    pub path: PathBuf,
    /// The bytes of the file in which the stored value stands.
    pub span: Range<usize>,
    /// The measured value, in its written form.
    pub text: String,
}

impl Outcome {
    pub(super) fn new(expectation: &Expectation, frame: u64, held: bool, finding: Finding) -> Self {
        Self {
            what: expectation.what.clone(),
            held,
            when: expectation.when.describe(),
            frame,
            wanted: expectation.condition.describe(),
            measured: finding.measured,
            before: Vec::new(),
            touching: None,
            is_of_real_time: expectation.condition.is_of_process(),
            is_answered: finding.is_answered,
            remedy: None,
        }
    }

    pub(super) fn with_remedy(mut self, remedy: Option<Remedy>) -> Self {
        self.remedy = remedy;
        self
    }

    /// Whether its condition could be asked: what is not there has no value.
    pub(super) fn is_answered(&self) -> bool {
        self.is_answered
    }

    /// Adds what was measured in frames before, and what touches the entity.
    pub(super) fn with_context(
        mut self,
        before: Vec<(u64, String)>,
        touching: Option<String>,
    ) -> Self {
        self.before = before;
        self.touching = touching;
        self
    }

    /// The verdict of an action that stopped the scene after a frame.
    pub(super) fn stopped(frame: u64, held: bool, why: String) -> Self {
        Self {
            what: Some(why),
            held,
            when: String::from("by then"),
            frame,
            wanted: String::from("no stop with the verdict `failed`"),
            measured: match held {
                true => String::from("stopped with the verdict `held`"),
                false => String::from("stopped with the verdict `failed`"),
            },
            before: Vec::new(),
            touching: None,
            is_of_real_time: false,
            is_answered: true,
            remedy: None,
        }
    }

    pub(super) fn open(expectation: &Expectation, frame: u64) -> Self {
        let reason = format!("not reached: the run stopped after frame {frame}");
        Self::new(expectation, frame, false, Finding::unanswered(reason))
    }

    /// What the scene's author wrote that it means, if anything.
    #[must_use]
    pub fn what(&self) -> Option<&str> {
        self.what.as_deref()
    }

    /// Whether it held.
    #[must_use]
    pub fn held(&self) -> bool {
        self.held
    }

    /// When it had to hold, in words.
    #[must_use]
    pub fn when(&self) -> &str {
        &self.when
    }

    /// The frame in which it was decided.
    #[must_use]
    pub fn frame(&self) -> u64 {
        self.frame
    }

    /// The expected condition, in words.
    #[must_use]
    pub fn wanted(&self) -> &str {
        &self.wanted
    }

    /// The measured values, in words.
    #[must_use]
    pub fn measured(&self) -> &str {
        &self.measured
    }

    /// What would make it hold, if it failed because it compares with a value that is written in the file.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 1\n[[expect]]\nthat = 'entities = 12'\n";
    /// let report = Scene::parse(text, "t.toml", &Registry::standard())?.run(Runtime::new())?;
    /// let remedy = report.outcomes()[0].remedy().expect("12 is written there");
    /// assert_eq!((&text[remedy.span.clone()], remedy.text.as_str()), ("12", "0"));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn remedy(&self) -> Option<&Remedy> {
        self.remedy.as_ref()
    }

    /// Whether it is about real time, or about what the whole process does, and may come out otherwise the next time.
    #[must_use]
    pub fn is_of_real_time(&self) -> bool {
        self.is_of_real_time
    }

    /// The measured values of up to four frames before, oldest first, if more than one was checked.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 9\n[[expect]]\nthat = 'always frame < 7'\n";
    /// let report = Scene::parse(text, "t.toml", &Registry::standard())?.run(Runtime::new())?;
    /// let outcome = &report.outcomes()[0];
    /// assert_eq!((outcome.frame(), outcome.measured()), (7, "frame is 7"));
    /// assert_eq!(outcome.before().last(), Some(&(6, String::from("frame is 6"))));
    /// assert_eq!(outcome.touching(), None);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn before(&self) -> &[(u64, String)] {
        &self.before
    }

    /// What the first entity that it names touched in that frame, in words, if it names one.
    #[must_use]
    pub fn touching(&self) -> Option<&str> {
        self.touching.as_deref()
    }
}

impl fmt::Display for Outcome {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let verdict = if self.held { "held" } else { "failed" };
        if let Some(what) = &self.what {
            write!(f, "{what}: ")?;
        }
        write!(
            f,
            "{verdict} at frame {}: wanted {} {}, found: {}",
            self.frame, self.wanted, self.when, self.measured
        )
    }
}

/// What motion could not part over a run: pairs of solids, one of them dynamic, that were deeper in each other than the margin
/// of contacts; see [`Contacts::leftovers`].
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct Leftovers {
    /// In how many frames there were any.
    pub frames: u64,
    /// How many pairs there were at most in one frame.
    pub most: usize,
    /// How deep the deepest of all was, in metres.
    pub deepest: f32,
    /// In which frame that was.
    pub deepest_frame: u64,
}

impl Leftovers {
    pub(super) fn note(&mut self, frame: u64, contacts: &Contacts) {
        let mut count = 0;
        for contact in contacts.leftovers() {
            count += 1;
            if contact.depth > self.deepest {
                self.deepest = contact.depth;
                self.deepest_frame = frame;
            }
        }
        self.frames += u64::from(count > 0);
        self.most = self.most.max(count);
    }
}

/// The results of a scene: the state at its end, the verdicts, and the times.
///
/// See the [module documentation](crate) for an example.
#[derive(Clone, Debug)]
pub struct Report {
    title: String,
    frames: u64,
    entities: usize,
    contacts: usize,
    contacts_begun: u64,
    leftovers: Leftovers,
    outcomes: Vec<Outcome>,
    missed: Vec<String>,
    without_effect: Vec<WithoutEffect>,
    budget: std::time::Duration,
    frames_profiled: usize,
    warm_up: u64,
    frames_over_budget: usize,
    statistics: Vec<Statistic>,
}

impl Report {
    pub(super) fn new(
        run: &SceneRun,
        outcomes: Vec<Outcome>,
        missed_cues: &MissedCues,
        contacts_begun: u64,
        leftovers: Leftovers,
    ) -> Self {
        let edits = run.runtime().world().missed_edits();
        let mut missed = missed_cues.lines();
        missed.extend(
            edits
                .first_reasons()
                .iter()
                .map(|reason| format!("edit: {reason}")),
        );
        let more = edits.count() - edits.first_reasons().len() as u64;
        if more > 0 {
            missed.push(format!("{more} more edits"));
        }
        Self {
            leftovers,
            outcomes,
            missed,
            ..Self::of_recorded(
                run.scene().title(),
                run.frame(),
                contacts_begun,
                run.runtime(),
            )
        }
    }

    /// The results that need no expectations.
    pub(super) fn of_recorded(
        title: &str,
        frames: u64,
        contacts_begun: u64,
        runtime: &Runtime,
    ) -> Self {
        let world = runtime.world();
        Self {
            title: title.to_owned(),
            frames,
            entities: world.len(),
            contacts: world
                .global::<Contacts>()
                .map_or(0, |contacts| contacts.iter().len()),
            contacts_begun,
            leftovers: Leftovers::default(),
            outcomes: Vec::new(),
            missed: Vec::new(),
            without_effect: runtime.without_effect(),
            budget: runtime.profiler().budget(),
            frames_profiled: runtime.profiler().measured_frames().count(),
            warm_up: runtime.profiler().warm_up().min(frames),
            frames_over_budget: runtime.profiler().frames_over_budget(),
            statistics: runtime.profiler().statistics(),
        }
    }

    /// The title of the scene.
    #[must_use]
    pub fn title(&self) -> &str {
        &self.title
    }

    /// How many frames ran.
    #[must_use]
    pub fn frames(&self) -> u64 {
        self.frames
    }

    /// How many entities there were at the end.
    #[must_use]
    pub fn entities(&self) -> usize {
        self.entities
    }

    /// How many pairs touched at the end.
    #[must_use]
    pub fn contacts(&self) -> usize {
        self.contacts
    }

    /// How many contacts began over the whole run.
    #[must_use]
    pub fn contacts_begun(&self) -> u64 {
        self.contacts_begun
    }

    /// What motion could not part.
    #[must_use]
    pub fn leftovers(&self) -> Leftovers {
        self.leftovers
    }

    /// The result of each expectation, in the order of the file.
    #[must_use]
    pub fn outcomes(&self) -> &[Outcome] {
        &self.outcomes
    }

    /// Whether all expectations held.
    #[must_use]
    pub fn all_held(&self) -> bool {
        self.outcomes.iter().all(Outcome::held)
    }

    /// The expectations that failed, in the order of the file.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 1\n[[expect]]\nthat = 'entities = 0'\n[[expect]]\nthat = 'entities = 1'\n";
    /// let report = Scene::parse(text, "t.toml", &Registry::standard())?.run(Runtime::new())?;
    /// let failed: Vec<&str> = report.failures().map(|outcome| outcome.wanted()).collect();
    /// assert_eq!(failed, ["entities = 1"]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn failures(&self) -> impl Iterator<Item = &Outcome> + Clone {
        self.outcomes.iter().filter(|outcome| !outcome.held())
    }

    /// The cues and edits that could not be carried out, with the reasons.
    #[must_use]
    pub fn missed(&self) -> &[String] {
        &self.missed
    }

    /// The components that have no effect at the end, because something that they need is missing; see
    /// [`Runtime::without_effect`](gerust::Runtime::without_effect).
    #[must_use]
    pub fn without_effect(&self) -> &[WithoutEffect] {
        &self.without_effect
    }

    /// The time that a frame should take at most.
    #[must_use]
    pub fn budget(&self) -> std::time::Duration {
        self.budget
    }

    /// How many of the last frames had their time kept, without warm-up: all of them in a run of up to 36,000.
    #[must_use]
    pub fn frames_profiled(&self) -> usize {
        self.frames_profiled
    }

    /// How many of the first frames were warm-up.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{Registry, Scene};
    ///
    /// let text = "title = 't'\nframes = 50\nwarm-up = 20\n";
    /// let report = Scene::parse(text, "t.toml", &Registry::standard())?.run(Runtime::new())?;
    /// assert_eq!((report.warm_up(), report.frames_profiled()), (20, 30));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn warm_up(&self) -> u64 {
        self.warm_up
    }

    /// How many of the [profiled](Self::frames_profiled) frames took longer than the budget.
    #[must_use]
    pub fn frames_over_budget(&self) -> usize {
        self.frames_over_budget
    }

    /// What each name cost; see [`Profiler::statistics`](gerust::Profiler::statistics).
    #[must_use]
    pub fn statistics(&self) -> &[Statistic] {
        &self.statistics
    }
}

impl fmt::Display for Report {
    /// One line of numbers, and one for each expectation that failed.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let failed = self.failures();
        write!(
            f,
            "{}: {} frames, {} of {} expectations held",
            self.title,
            self.frames,
            self.outcomes.len() - failed.clone().count(),
            self.outcomes.len()
        )?;
        for outcome in failed {
            write!(f, "\n{outcome}")?;
        }
        Ok(())
    }
}

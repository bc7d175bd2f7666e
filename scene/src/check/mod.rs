//! From a [`Document`] to a [`Scene`]: whether what is written makes sense.

mod actions;
mod controls;
mod cues;
mod entities;
mod expectations;
mod templates;
mod that;
mod times;

use super::document::{ActionEntry, Document, EntityEntry, Preset};
use super::fault::{Fault, MOST_FAULTS};
use super::limits::Limit;
use super::place::EntityPlan;
use super::read::{FilesRead, Parameters, ReadScene, Sources};
use super::registry::Registry;
use super::scene_file::{Scene, SceneParts};
use super::settings::Settings;
use gerust::runtime::Runtime;
use gerust::suggest;
use gerust::work;
use glam::Vec3;
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::time::Duration;
use toml::Spanned;

const DEFAULT_STEP: f64 = 1.0 / 60.0;
const DEFAULT_LAYER: &str = "default";
/// Layers of a file at most, besides `default`.
const MOST_LAYERS: usize = 31;

/// Checks a document and adds what is wrong to the faults. The scene is only fit to run if there are none.
pub(super) fn check(
    path: &Path,
    read: &ReadScene,
    registry: &Registry,
    sources: &Sources,
    files: &mut FilesRead,
    faults: &mut Vec<Fault>,
) -> SceneParts {
    let document = &read.document;
    if !files.is_loading() {
        files.limits = registry.limits.or(document.limits.limits());
    }
    let mut checker = Checker {
        read,
        registry,
        sources,
        files,
        planned: 0,
        spawned: VecDeque::new(),
        loaded: BTreeMap::new(),
        files_loaded: Vec::new(),
        actions: 0,
        document,
        step: DEFAULT_STEP,
        presets: presets_of(document),
        templates: BTreeMap::new(),
        names: BTreeSet::new(),
        placed: BTreeSet::new(),
        starts: starts_of_entries(document),
        is_about_event: false,
        asks_counters: false,
        region: 0..usize::MAX,
        faults,
    };
    checker.check_settings();
    let layers = checker.check_layers();
    checker.check_templates();
    let placed = checker.plan_entities(&document.entities);
    let spawned = checker.plan_spawned();
    checker.collect_names(&placed, true);
    checker.collect_names(&spawned, false);
    let cues = document.cues.iter();
    let of_cues = cues.flat_map(|cue| cue.get_ref().actions.iter().flatten());
    let of_rules = document
        .rules
        .iter()
        .flat_map(|rule| &rule.get_ref().actions);
    checker.read_loaded(&of_cues.chain(of_rules).collect::<Vec<_>>());
    checker.check_parents_known(&placed);
    checker.check_parents(&placed);
    let entities = placed.into_iter().flat_map(|(_, plans)| plans).collect();
    checker.spawned = spawned.into_iter().map(|(_, plans)| plans).collect();
    let controls = checker.check_controls();
    let cues = document.cues.iter();
    let cues = cues.filter_map(|cue| checker.check_cue(cue)).collect();
    let rules = document.rules.iter();
    let rules = rules.filter_map(|rule| checker.check_rule(rule)).collect();
    let expectations = document
        .expect
        .iter()
        .filter_map(|expectation| checker.check_expectation(expectation))
        .collect();
    SceneParts {
        path: path.to_owned(),
        files: Vec::new(),
        files_loaded: std::mem::take(&mut checker.files_loaded),
        parameters: Parameters::new(),
        registry: Registry::new(),
        values: read.parameters.clone(),
        title: document.title.clone().unwrap_or_default(),
        frames: document
            .frames
            .as_ref()
            .map_or(0, |frames| *frames.get_ref()),
        settings: Settings {
            parted: Vec::new(),
            step: checker.step,
            gravity: document.gravity.map(Vec3::from),
            is_flat: document
                .dimensions
                .as_ref()
                .is_some_and(|number| *number.get_ref() == 2),
            iterations: document.iterations.as_ref().map(|number| *number.get_ref()),
            limits: checker.files.limits,
            margin: document
                .margin
                .as_ref()
                .map(|margin| *margin.get_ref() as f32),
            seed: document.seed,
            layers,
        },
        budget: document
            .budget_ms
            .as_ref()
            .and_then(|budget| milliseconds(*budget.get_ref())),
        budgets: document
            .budgets_ms
            .iter()
            .filter_map(|(name, budget)| {
                Some((name.get_ref().clone(), milliseconds(*budget.get_ref())?))
            })
            .collect(),
        warm_up: document.warm_up.as_ref().map(|frames| *frames.get_ref()),
        entities,
        templates: checker.template_plans(),
        controls,
        cues,
        rules,
        expectations,
        asks_counters: checker.asks_counters,
    }
}

/// A time above 0; `None` if it is too long to represent.
fn milliseconds(number: f64) -> Option<Duration> {
    Duration::try_from_secs_f64(number / 1000.0).ok()
}

/// Where the entries of all lists begin, in the order of the file.
fn starts_of_entries(document: &Document) -> Vec<usize> {
    let entities = document.entities.iter().map(|entry| entry.span().start);
    let cues = document.cues.iter().map(|entry| entry.span().start);
    let rules = document.rules.iter().map(|entry| entry.span().start);
    let expectations = document.expect.iter().map(|entry| entry.span().start);
    let mut starts: Vec<usize> = entities
        .chain(cues)
        .chain(rules)
        .chain(expectations)
        .collect();
    starts.sort_unstable();
    starts
}

fn presets_of(document: &Document) -> BTreeMap<&str, &Preset> {
    let presets = document.templates.iter();
    presets
        .map(|(name, preset)| (name.get_ref().as_str(), preset))
        .collect()
}

/// The plans of an entry of the file.
type Planned<'d> = (&'d EntityEntry, Vec<EntityPlan>);

struct Checker<'d> {
    read: &'d ReadScene,
    registry: &'d Registry,
    sources: &'d Sources,
    files: &'d mut FilesRead,
    /// How many entities were planned so far.
    planned: u64,
    /// Entities spawned by cues and rules that have not been checked yet.
    spawned: VecDeque<Vec<EntityPlan>>,
    /// By path: the entities of files that actions load.
    loaded: BTreeMap<String, Scene>,
    /// The files of these, and those that they include and load.
    files_loaded: Vec<PathBuf>,
    /// How many actions there were so far.
    actions: u64,
    document: &'d Document,
    step: f64,
    presets: BTreeMap<&'d str, &'d Preset>,
    /// Those that have been planned.
    templates: BTreeMap<&'d str, EntityPlan>,
    /// All names that an entity bears at some time.
    names: BTreeSet<String>,
    /// Those of entities that are there from the start.
    placed: BTreeSet<String>,
    starts: Vec<usize>,
    /// Whether what is being checked may name an event.
    is_about_event: bool,
    asks_counters: bool,
    /// The bytes of the entry that is being checked.
    region: Range<usize>,
    faults: &'d mut Vec<Fault>,
}

impl<'d> Checker<'d> {
    fn fault<T>(&mut self, at: &Spanned<T>, message: impl Into<String>, fix: impl Into<String>) {
        self.faults.push(Fault::new(at.span(), message, fix));
    }

    /// Begins with the next entry of a list.
    fn enter<T>(&mut self, entry: &Spanned<T>) {
        let start = entry.span().start;
        let next = self.starts.partition_point(|&other| other <= start);
        self.region = start..self.starts.get(next).copied().unwrap_or(usize::MAX);
    }

    /// Counts entities that are about to be planned. Returns `false`, and reports it once, if they exceed the limit.
    fn admit(&mut self, entities: usize, at: &Range<usize>) -> bool {
        let limits = self.files.limits;
        let most = limits.get(Limit::Entities);
        let was_within = self.planned <= most;
        let all = self.planned.saturating_add(entities as u64);
        if all <= most {
            self.planned = all;
            return true;
        }
        self.planned = most.saturating_add(1);
        if was_within {
            let what = format!("the scene, with {all} entities up to here,");
            self.faults
                .push(limits.exceeded(Limit::Entities, at.clone(), &what));
        }
        false
    }

    /// Whether entities were left out because they exceed the limit.
    fn is_full(&self) -> bool {
        self.planned > self.files.limits.get(Limit::Entities)
    }

    fn plan_entities(&mut self, entities: &'d [Spanned<EntityEntry>]) -> Vec<Planned<'d>> {
        let entries = entities.iter();
        entries
            .map(|entry| {
                self.enter(entry);
                (entry.get_ref(), self.plan_entity(entry.get_ref()))
            })
            .collect()
    }

    /// What cues and rules spawn, in the order in which they are checked.
    fn plan_spawned(&mut self) -> Vec<Planned<'d>> {
        let document = self.document;
        let mut planned = Vec::new();
        let mut plan = |checker: &mut Self, entry: &'d EntityEntry| {
            planned.push((entry, checker.plan_entity(entry)));
        };
        let of_list = |list: &'d [Spanned<ActionEntry>]| {
            list.iter()
                .filter_map(|action| action.get_ref().spawn.as_ref())
        };
        for cue in &document.cues {
            self.enter(cue);
            let cue = cue.get_ref();
            let list = cue.actions.as_deref().unwrap_or_default();
            cue.spawn
                .iter()
                .chain(of_list(list))
                .for_each(|entry| plan(self, entry));
        }
        for rule in &document.rules {
            self.enter(rule);
            of_list(&rule.get_ref().actions).for_each(|entry| plan(self, entry));
        }
        planned
    }

    /// Parents of entities that are there from the start.
    fn check_parents_known(&mut self, placed: &[Planned<'d>]) {
        for (entry, _) in placed {
            if let Some(parent) = &entry.parent {
                self.check_name(parent);
                self.check_is_placed(parent);
            }
        }
    }

    /// Whether something is only missing from the entry because it was at fault, which has been told.
    fn was_at_fault(&self, keys: &[&str]) -> bool {
        self.read.was_at_fault(keys, &self.region)
    }

    fn check_settings(&mut self) {
        let document = self.document;
        let missing = [
            (
                "title",
                document.title.is_none(),
                "\"what the scene shows\"",
            ),
            ("frames", document.frames.is_none(), "600"),
        ];
        for (key, is_missing, example) in missing {
            if is_missing && !self.was_at_fault(&[key]) {
                let message = format!("the key `{key}` is missing");
                let fix = format!("begin the file with it: `{key} = {example}`");
                self.faults.push(Fault::new(0..0, message, fix));
            }
        }
        if let Some(frames) = &document.frames
            && *frames.get_ref() == 0
        {
            self.fault(
                frames,
                "a scene of 0 frames does nothing",
                "run 1 frame or more",
            );
        }
        let limits = self.files.limits;
        if let Some(frames) = &document.frames
            && *frames.get_ref() > limits.get(Limit::Frames)
        {
            let what = format!("a scene of {} frames", frames.get_ref());
            self.faults
                .push(limits.exceeded(Limit::Frames, frames.span(), &what));
        }
        if let Some(iterations) = &document.iterations
            && u64::from(*iterations.get_ref()) > limits.get(Limit::Iterations)
        {
            let what = format!("a solver with {} iterations", iterations.get_ref());
            self.faults
                .push(limits.exceeded(Limit::Iterations, iterations.span(), &what));
        }
        if let Some(margin) = &document.margin
            && !(0.0..=1e6).contains(margin.get_ref())
        {
            let message = format!("a margin of {} m is out of range", margin.get_ref());
            self.fault(margin, message, "write a number from 0 to 1e6");
        }
        if let Some(step) = &document.step {
            let seconds = *step.get_ref();
            if seconds <= 0.0 {
                let message = format!("a step of {seconds} s goes nowhere");
                self.fault(step, message, "write a number above 0");
            } else if seconds > Runtime::LONGEST_STEP {
                let message = format!("a step of {seconds} s is too long to compute motion with");
                self.fault(
                    step,
                    message,
                    format!("write a number up to {}", Runtime::LONGEST_STEP),
                );
            } else {
                self.step = seconds;
            }
        }
        if let Some(dimensions) = &document.dimensions
            && !(2..=3).contains(dimensions.get_ref())
        {
            let message = format!(
                "a scene has 2 or 3 dimensions, not {}",
                dimensions.get_ref()
            );
            self.fault(dimensions, message, "write 2 or 3");
        }
        if let Some(budget) = &document.budget_ms {
            self.check_budget(budget);
        }
        for budget in document.budgets_ms.values() {
            self.check_budget(budget);
        }
        if let (Some(warm_up), Some(frames)) = (&document.warm_up, &document.frames)
            && warm_up.get_ref() >= frames.get_ref()
        {
            let (warm, all) = (warm_up.get_ref(), frames.get_ref());
            let message = format!("after {warm} frames of warm-up none of {all} is left");
            self.fault(warm_up, message, "write a number below that of `frames`");
        }
    }

    fn check_budget(&mut self, budget: &Spanned<f64>) {
        if *budget.get_ref() <= 0.0 {
            let message = format!("nothing takes {} ms", budget.get_ref());
            self.fault(budget, message, "write a number above 0");
        }
    }

    fn check_layers(&mut self) -> Vec<(String, String)> {
        let document = self.document;
        if let Some((name, _)) = document.layers.iter().nth(MOST_LAYERS) {
            let message = format!(
                "{} layers are {} too many",
                document.layers.len(),
                document.layers.len() - MOST_LAYERS
            );
            self.fault(
                name,
                message,
                format!("{MOST_LAYERS} besides `default` are the most"),
            );
        }
        let mut meetings = Vec::new();
        for (layer, partners) in &document.layers {
            meetings.push((layer.get_ref().clone(), DEFAULT_LAYER.to_owned()));
            for partner in partners {
                self.check_layer(partner);
                meetings.push((layer.get_ref().clone(), partner.get_ref().clone()));
            }
        }
        meetings
    }

    fn check_layer(&mut self, layer: &Spanned<String>) {
        let names = self.document.layers.keys();
        let names = names.map(|name| name.get_ref().as_str());
        self.check_known(layer, "layer", "layers", names.chain([DEFAULT_LAYER]));
    }

    /// Reports a name that is not among a few known ones.
    fn check_known<'n>(
        &mut self,
        name: &Spanned<String>,
        kind: &str,
        kinds: &str,
        known: impl Iterator<Item = &'n str> + Clone,
    ) {
        let mut searched = known.clone().inspect(|_| work::step());
        if !searched.any(|known| known == name.get_ref()) {
            self.unknown(name, kind, kinds, known);
        }
    }

    /// Reports a name that is none of those that are known.
    fn unknown<'n>(
        &mut self,
        name: &Spanned<String>,
        kind: &str,
        kinds: &str,
        known: impl Iterator<Item = &'n str>,
    ) {
        let text = name.get_ref().as_str();
        let message = format!("unknown {kind} `{text}`");
        let fix = self.suggest(text, kinds, known);
        self.fault(name, message, fix);
    }

    /// Suggests the known name that is closest to a wrong one. Skips the search, O(known names), for faults that are not shown.
    fn suggest<'n>(
        &self,
        wrong: &str,
        kinds: &str,
        known: impl Iterator<Item = &'n str>,
    ) -> String {
        match self.faults.len() < MOST_FAULTS {
            true => suggest(wrong, kinds, known),
            false => String::new(),
        }
    }
}

/// Names that the message of a cycle lists at most.
const LINKS_SHOWN: usize = 8;

/// Names in a cycle, for a message: `a → b → a`. Shows only the beginning and the end of a long cycle.
fn circle(names: &[&str]) -> String {
    let all: Vec<&str> = names
        .iter()
        .copied()
        .chain(names.first().copied())
        .collect();
    match all.len().checked_sub(LINKS_SHOWN) {
        None | Some(0) => all.join(" → "),
        Some(more) => {
            let (first, last) = (&all[..LINKS_SHOWN / 2], &all[LINKS_SHOWN / 2 + more..]);
            format!(
                "{} → … {more} more … → {}",
                first.join(" → "),
                last.join(" → ")
            )
        }
    }
}

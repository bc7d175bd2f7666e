//! From a [`Document`] to a [`Scene`]: whether what is written makes sense.

use super::cue::{Action, Cue};
use super::document::{
    ColliderEntry, CountEntry, CueEntry, Document, EntityEntry, ExpectEntry, SetEntry,
    TransformEntry,
};
use super::expect::{Condition, Expectation, When};
use super::fault::{Fault, suggest};
use super::place::{EntityPlan, Parts};
use super::read::ReadScene;
use super::scene_file::Scene;
use crate::store::Name;
use glam::{Quat, Vec3};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::time::Duration;
use toml::Spanned;

const DEFAULT_STEP: f64 = 1.0 / 60.0;
const DEFAULT_LAYER: &str = "default";
/// Layers of a file at most, besides `default`.
const MOST_LAYERS: usize = 31;
/// How far from a place an entity may be unless the file says otherwise, in metres.
const DEFAULT_WITHIN: f32 = 0.001;

/// Checks a document and adds what is wrong to the faults. The scene is only fit to run if there are none.
pub(super) fn check(path: &Path, read: &ReadScene, faults: &mut Vec<Fault>) -> Scene {
    let document = &read.document;
    let mut checker = Checker {
        read,
        document,
        step: DEFAULT_STEP,
        templates: BTreeMap::new(),
        names: BTreeSet::new(),
        faults,
    };
    checker.check_settings();
    let layers = checker.check_layers();
    checker.check_templates();
    checker.collect_names();
    let entities = document
        .entities
        .iter()
        .map(|entity| checker.check_entity(entity))
        .collect();
    checker.check_parents();
    let cues = document
        .cues
        .iter()
        .filter_map(|cue| checker.check_cue(cue))
        .collect();
    let expectations = document
        .expect
        .iter()
        .filter_map(|expectation| checker.check_expectation(expectation))
        .collect();
    Scene {
        path: path.to_owned(),
        title: document.title.clone().unwrap_or_default(),
        frames: document
            .frames
            .as_ref()
            .map_or(0, |frames| *frames.get_ref()),
        step: checker.step,
        budget: document
            .budget_ms
            .as_ref()
            .and_then(|budget| Duration::try_from_secs_f64(budget.get_ref() / 1000.0).ok()),
        gravity: document.gravity.map(Vec3::from),
        layers,
        entities,
        cues,
        expectations,
    }
}

struct Checker<'d> {
    read: &'d ReadScene,
    document: &'d Document,
    step: f64,
    templates: BTreeMap<&'d str, Parts>,
    /// All names that an entity bears at some time.
    names: BTreeSet<&'d str>,
    faults: &'d mut Vec<Fault>,
}

impl<'d> Checker<'d> {
    fn fault<T>(&mut self, at: &Spanned<T>, message: impl Into<String>, mend: impl Into<String>) {
        self.faults.push(Fault::new(at.span(), message, mend));
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
            if is_missing && !self.read.was_at_fault(key) {
                let message = format!("the key `{key}` is missing");
                let mend = format!("begin the file with it: `{key} = {example}`");
                self.faults.push(Fault::new(0..0, message, mend));
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
        if let Some(step) = &document.step {
            if *step.get_ref() > 0.0 {
                self.step = *step.get_ref();
            } else {
                let message = format!("a step of {} s goes nowhere", step.get_ref());
                self.fault(step, message, "write a number above 0");
            }
        }
        if let Some(budget) = &document.budget_ms
            && *budget.get_ref() <= 0.0
        {
            let message = format!("no frame takes {} ms", budget.get_ref());
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
        let document = self.document;
        let known = document
            .layers
            .keys()
            .map(|name| name.get_ref().as_str())
            .chain([DEFAULT_LAYER]);
        self.check_known(layer, "layer", "layers", known.collect());
    }

    fn check_known(&mut self, name: &Spanned<String>, kind: &str, kinds: &str, known: Vec<&str>) {
        let text = name.get_ref().as_str();
        if !known.contains(&text) {
            let message = format!("there is no {kind} `{text}`");
            self.fault(name, message, suggest(text, kinds, known));
        }
    }

    fn check_templates(&mut self) {
        for (name, preset) in &self.document.templates {
            let parts = Parts::of_preset(preset, self.read.values(preset.components.as_ref()));
            self.check_parts(&parts);
            self.templates.insert(name.get_ref(), parts);
        }
    }

    /// Gathers every name that an entity bears, whether from the start or by a cue.
    fn collect_names(&mut self) {
        let document = self.document;
        let spawned = document
            .cues
            .iter()
            .filter_map(|cue| cue.get_ref().spawn.as_ref());
        for entity in document.entities.iter().chain(spawned) {
            let Some(name) = &entity.name else { continue };
            if name.get_ref().is_empty() {
                self.fault(name, "a name must not be empty", "leave `name` out instead");
            } else if !self.names.insert(name.get_ref()) {
                let message = format!("there are two entities named `{}`", name.get_ref());
                self.fault(name, message, "give this one another name");
            }
        }
    }

    fn check_name(&mut self, name: &Spanned<String>) {
        let known = self.names.iter().copied().collect();
        self.check_known(name, "entity", "names", known);
    }

    fn check_entity(&mut self, entity: &'d EntityEntry) -> EntityPlan {
        let values = self.read.values(entity.components.as_ref());
        let own = Parts::of_entity(entity, values);
        self.check_parts(&own);
        let mut parts = own;
        if let Some(template) = &entity.template {
            let known = self.templates.keys().copied().collect();
            self.check_known(template, "template", "templates", known);
            if let Some(base) = self.templates.get(template.get_ref().as_str()) {
                parts = parts.over(base);
            }
        }
        if let Some(parent) = &entity.parent {
            self.check_name(parent);
        }
        self.check_has_size(entity, &parts);
        let name_of = |name: &Spanned<String>| Name::new(name.get_ref());
        EntityPlan {
            name: entity.name.as_ref().map(name_of),
            template: entity.template.as_ref().map(name_of),
            parent: entity
                .parent
                .as_ref()
                .map(|parent| parent.get_ref().clone()),
            parts,
        }
    }

    /// A collider that neither the entity nor its template gives a size is a slip, not a point.
    fn check_has_size(&mut self, entity: &EntityEntry, parts: &Parts) {
        let Some(collider) = &parts.collider else {
            return;
        };
        if collider.size.is_some() {
            return;
        }
        let at = entity
            .name
            .as_ref()
            .or(entity.template.as_ref())
            .map_or(0..0, Spanned::span);
        self.faults.push(Fault::new(
            at,
            "the collider of this entity has no size",
            "add `size = [x, y, z]` to the collider, here or in the template",
        ));
    }

    fn check_parts(&mut self, parts: &Parts) {
        if let Some(transform) = &parts.transform {
            self.check_transform(transform);
        }
        if let Some(collider) = &parts.collider {
            self.check_collider(collider);
        }
    }

    fn check_transform(&mut self, transform: &TransformEntry) {
        if let (Some(_), Some(turn)) = (&transform.rotation, &transform.turn) {
            self.fault(
                turn,
                "`rotation` and `turn` are both given",
                "keep one of the two",
            );
        }
        if let Some(turn) = &transform.turn
            && Vec3::from(turn.get_ref().axis).try_normalize().is_none()
        {
            self.fault(
                turn,
                "the axis of this turn has no direction",
                "write [0, 1, 0] for the y axis",
            );
        }
        if let Some(rotation) = &transform.rotation {
            let length = Quat::from_array(*rotation.get_ref()).length();
            if (length - 1.0).abs() > 0.001 {
                self.fault(
                    rotation,
                    format!("a rotation is a quaternion of length 1, but this one has length {length}"),
                    "write [0, 0, 0, 1] for no rotation, or use `turn = { axis = [0, 1, 0], degrees = 90 }`",
                );
            }
        }
    }

    fn check_collider(&mut self, collider: &ColliderEntry) {
        if let Some(layer) = &collider.layer {
            self.check_layer(layer);
        }
        if let Some(size) = &collider.size
            && size.get_ref().iter().any(|side| *side < 0.0)
        {
            let message = format!("a box cannot have the size {:?}", size.get_ref());
            self.fault(size, message, "write sizes of 0 or more");
        }
    }

    /// Parents that lead back to the entity itself.
    fn check_parents(&mut self) {
        let parent_of: BTreeMap<&str, &Spanned<String>> = self
            .document
            .entities
            .iter()
            .filter_map(|entity| {
                Some((
                    entity.name.as_ref()?.get_ref().as_str(),
                    entity.parent.as_ref()?,
                ))
            })
            .collect();
        let mut done = BTreeSet::new();
        for &start in parent_of.keys() {
            let mut path = vec![start];
            while let Some(&parent) = path.last().and_then(|last| parent_of.get(last)) {
                let above = parent.get_ref().as_str();
                if done.contains(above) {
                    break;
                }
                if let Some(at) = path.iter().position(|&name| name == above) {
                    path.push(above);
                    let message = format!("the parents make a cycle {}", path[at..].join(" → "));
                    self.fault(parent, message, "leave one of these parents out");
                    break;
                }
                path.push(above);
            }
            done.extend(path);
        }
    }

    /// The first frame that ends at a time or later.
    fn frame_at(&self, seconds: f64) -> u64 {
        // Rounding must not turn a time that is a whole number of frames into the next frame.
        let frames = seconds / self.step;
        (frames - 1e-6).ceil().max(0.0) as u64
    }

    fn check_frame<T>(&mut self, at: &Spanned<T>, frame: u64, first: u64) -> u64 {
        let frames = self
            .document
            .frames
            .as_ref()
            .map_or(0, |frames| *frames.get_ref());
        if frame < first {
            self.fault(
                at,
                format!("this is frame {frame}, but frames are counted from {first}"),
                format!("write {first} or more"),
            );
        } else if frame > frames && frames > 0 {
            let message = format!("this is frame {frame}, but the scene ends at frame {frames}");
            self.fault(at, message, "move it, or raise `frames`");
        }
        frame
    }

    fn frame_of_time(&mut self, time: &Spanned<f64>, first: u64) -> u64 {
        if *time.get_ref() < 0.0 {
            let message = format!("{} s is before the scene begins", time.get_ref());
            self.fault(time, message, "write 0 or more");
            return first;
        }
        let frame = self.frame_at(*time.get_ref()).max(first);
        self.check_frame(time, frame, first)
    }

    fn check_cue(&mut self, entry: &'d Spanned<CueEntry>) -> Option<Cue> {
        let cue = entry.get_ref();
        let frame = match (&cue.frame, &cue.time) {
            (Some(frame), None) => Some(self.check_frame(frame, *frame.get_ref(), 1)),
            (None, Some(time)) => Some(self.frame_of_time(time, 1)),
            (None, None) => {
                self.fault(
                    entry,
                    "this cue has no time",
                    "add `frame = …` or `time = …`",
                );
                None
            }
            (Some(_), Some(time)) => {
                self.fault(
                    time,
                    "`frame` and `time` are both given",
                    "keep one of the two",
                );
                None
            }
        };
        let mut actions = Vec::new();
        if let Some(set) = &cue.set {
            actions.push(self.check_set(set));
        }
        if let Some(spawn) = &cue.spawn {
            actions.push(Action::Spawn(self.check_entity(spawn)));
        }
        if let Some(despawn) = &cue.despawn {
            self.check_name(despawn);
            actions.push(Action::Despawn(despawn.get_ref().clone()));
        }
        if actions.len() != 1 {
            self.fault(
                entry,
                format!("this cue does {} things", actions.len()),
                "give it exactly one of `set`, `spawn`, `despawn`; write another cue for another thing",
            );
        }
        Some(Cue {
            frame: frame?,
            action: actions.pop()?,
        })
    }

    fn check_set(&mut self, set: &'d SetEntry) -> Action {
        self.check_name(&set.entity);
        let parts = Parts::of_set(set, self.read.values(set.components.as_ref()));
        self.check_parts(&parts);
        Action::Set {
            entity: set.entity.get_ref().clone(),
            parts,
        }
    }

    fn check_expectation(&mut self, entry: &'d Spanned<ExpectEntry>) -> Option<Expectation> {
        let expectation = entry.get_ref();
        let when = self.check_when(entry);
        let condition = self.check_condition(entry);
        Some(Expectation {
            what: expectation.what.clone(),
            when: when?,
            condition: condition?,
        })
    }

    fn check_when(&mut self, entry: &'d Spanned<ExpectEntry>) -> Option<When> {
        let expectation = entry.get_ref();
        let mut times = Vec::new();
        if let Some(frame) = &expectation.frame {
            times.push(When::At(self.check_frame(frame, *frame.get_ref(), 0)));
        }
        if let Some(time) = &expectation.time {
            times.push(When::At(self.frame_of_time(time, 0)));
        }
        if let Some(frame) = &expectation.by_frame {
            times.push(When::By(self.check_frame(frame, *frame.get_ref(), 0)));
        }
        if let Some(time) = &expectation.by_time {
            times.push(When::By(self.frame_of_time(time, 0)));
        }
        if times.len() != 1 {
            self.fault(
                entry,
                format!("this expectation has {} times", times.len()),
                "give it exactly one of `frame`, `time`, `by-frame`, `by-time`",
            );
        }
        times.pop()
    }

    fn check_condition(&mut self, entry: &'d Spanned<ExpectEntry>) -> Option<Condition> {
        let expectation = entry.get_ref();
        let mut conditions = Vec::new();
        if let Some([a, b]) = &expectation.touching {
            let (a, b) = self.check_pair(a, b);
            conditions.push(Condition::Touching(a, b));
        }
        if let Some([a, b]) = &expectation.apart {
            let (a, b) = self.check_pair(a, b);
            conditions.push(Condition::Apart(a, b));
        }
        if let Some(position) = &expectation.position {
            self.check_name(&position.entity);
            if let Some(within) = &position.within
                && *within.get_ref() < 0.0
            {
                let message = format!("nothing is within {} m", within.get_ref());
                self.fault(within, message, "write 0 or more");
            }
            conditions.push(Condition::Position {
                entity: position.entity.get_ref().clone(),
                is: position.is.into(),
                within: position
                    .within
                    .as_ref()
                    .map_or(DEFAULT_WITHIN, |within| *within.get_ref()),
            });
        }
        if let Some(count) = &expectation.count {
            conditions.push(self.check_count(count));
        }
        if conditions.len() != 1 {
            self.fault(
                entry,
                format!("this expectation has {} conditions", conditions.len()),
                "give it exactly one of `touching`, `apart`, `position`, `count`",
            );
        }
        conditions.pop()
    }

    fn check_pair(&mut self, a: &Spanned<String>, b: &Spanned<String>) -> (String, String) {
        self.check_name(a);
        self.check_name(b);
        if a.get_ref() == b.get_ref() {
            let message = format!("`{}` is named twice", a.get_ref());
            self.fault(b, message, "nothing touches itself: name two entities");
        }
        (a.get_ref().clone(), b.get_ref().clone())
    }

    fn check_count(&mut self, entry: &Spanned<CountEntry>) -> Condition {
        let count = entry.get_ref();
        if let Some(template) = &count.template {
            let known = self.templates.keys().copied().collect();
            self.check_known(template, "template", "templates", known);
        }
        let has_bounds = count.at_least.is_some() || count.at_most.is_some();
        if count.is.is_some() == has_bounds {
            self.fault(
                entry,
                "this count has no bound, or too many",
                "give it `is`, or `at-least` and `at-most`",
            );
        }
        let at_least = count.is.or(count.at_least).unwrap_or(0);
        let at_most = count.is.or(count.at_most).unwrap_or(u64::MAX);
        if at_least > at_most {
            self.fault(
                entry,
                format!("no count is at least {at_least} and at most {at_most}"),
                "swap the two",
            );
        }
        Condition::Count {
            template: count
                .template
                .as_ref()
                .map(|template| template.get_ref().clone()),
            at_least,
            at_most,
        }
    }
}

//! Checks what single actions name.

use super::Checker;
use crate::action::{ActionKind, PAIR_FIELDS};
use crate::built_in;
use crate::document::{
    ActionEntry, ChangeEntry, ControlEntry, DetachEntry, EmitEntry, EntityEntry, LinkEntry,
    OwnEntry, PushEntry, SetEntry,
};
use crate::language::{self, ExpressionKind, Problem};
use crate::place::{EntityPlan, Parts};
use crate::read::{refuse_elsewhere, root_of};
use crate::scene_file::Scene;
use crate::values::datum_of;
use glam::Vec3;
use serde_json::Value as Json;
use std::path::Path as FilePath;
use toml::Spanned;

impl<'d> Checker<'d> {
    pub(super) fn check_set(&mut self, set: &'d SetEntry) -> ActionKind {
        self.check_name(&set.entity);
        let parts = Parts::of_set(set, self.read.values(set.components.as_ref()));
        self.check_parts(&parts);
        ActionKind::Set {
            entity: set.entity.get_ref().clone(),
            parts: Box::new(parts),
        }
    }

    /// Spawned entities were planned before, because their names had to be known.
    pub(super) fn check_spawn(&mut self, spawn: Option<&'d EntityEntry>) -> ActionKind {
        if let Some(parent) = spawn.and_then(|spawn| spawn.parent.as_ref()) {
            self.check_name(parent);
        }
        ActionKind::Spawn(self.spawned.pop_front().unwrap_or_default())
    }

    pub(super) fn check_link(&mut self, link: &'d LinkEntry) -> ActionKind {
        self.check_name(&link.entity);
        self.check_name(&link.under);
        if link.entity.get_ref() == link.under.get_ref() {
            let message = format!("`{}` cannot be under itself", link.entity.get_ref());
            self.fault(&link.under, message, "name two entities");
        }
        ActionKind::Link {
            entity: link.entity.get_ref().clone(),
            under: link.under.get_ref().clone(),
            in_place: link.in_place.unwrap_or(true),
        }
    }

    pub(super) fn check_detach(&mut self, detach: &'d DetachEntry) -> ActionKind {
        self.check_name(&detach.entity);
        let known: Vec<&str> = self.registry.names().collect();
        let known = known.into_iter();
        self.check_known(
            &detach.component,
            "component",
            "registered components",
            known,
        );
        ActionKind::Detach {
            entity: detach.entity.get_ref().clone(),
            component: detach.component.get_ref().clone(),
        }
    }

    pub(super) fn check_push(
        &mut self,
        push: &'d PushEntry,
        entry: &Spanned<ActionEntry>,
    ) -> Option<ActionKind> {
        match (
            &push.entity,
            push.impulse,
            &push.away_from,
            &push.radius,
            push.strength,
        ) {
            (Some(entity), Some(impulse), None, None, None) => {
                self.check_name(entity);
                Some(ActionKind::Push {
                    entity: entity.get_ref().clone(),
                    impulse: impulse.into(),
                })
            }
            (None, None, Some(from), Some(radius), Some(strength)) => {
                if *radius.get_ref() <= 0.0 {
                    let message = format!("nothing is nearer than {} m", radius.get_ref());
                    self.fault(radius, message, "write a number above 0");
                }
                Some(ActionKind::PushAway {
                    from: Vec3::from(*from.get_ref()),
                    radius: *radius.get_ref(),
                    strength,
                })
            }
            _ => {
                self.fault(
                    entry,
                    "this push does not say whom and how",
                    "give it `entity` and `impulse`, or `away-from`, `radius` and `strength`",
                );
                None
            }
        }
    }

    pub(super) fn check_change(&mut self, change: &'d ChangeEntry) -> Option<ActionKind> {
        let to = match language::parse(change.to.get_ref()) {
            Ok(to) => {
                for source in to.sources() {
                    self.check_source(source, &change.to);
                }
                Some(to)
            }
            Err(problem) => {
                self.problem(problem, &change.to);
                None
            }
        };
        let field = match language::parse(change.field.get_ref()) {
            Ok(parsed) => parsed,
            Err(problem) => {
                self.problem(problem, &change.field);
                return None;
            }
        };
        let span = field.span.clone();
        match field.kind {
            ExpressionKind::Path(path) if !path.fields.is_empty() => {
                let problem = self.check_path(&path).or_else(|| {
                    let component = path.fields[0].as_str();
                    if let Some(built_in) = built_in::find(component) {
                        let changeable = (built_in.changeable)();
                        let name = path.fields.get(1).map(|name| name.replace('_', "-"));
                        let is_changeable =
                            name.is_some_and(|name| changeable.contains(&name.as_str()));
                        return (!is_changeable).then(|| {
                            let known = changeable.join(", ");
                            let message = format!("`{path}` cannot be changed like that");
                            (message, format!("name one of {known}, or use `set`"))
                        });
                    }
                    let is_derived = ["position", "parent", "template"].contains(&component);
                    is_derived.then(|| {
                        (
                            format!("`{component}` cannot be changed like that"),
                            String::from("use `set`, or `link` for parents"),
                        )
                    })
                });
                if let Some((message, fix)) = problem {
                    self.problem(Problem { span, message, fix }, &change.field);
                    return None;
                }
                Some(ActionKind::Change {
                    field: path,
                    to: to?,
                })
            }
            _ => {
                let problem = Problem {
                    span,
                    message: String::from("this is no field of an entity"),
                    fix: String::from(
                        "write an entity, a component and a field, such as `crate-1.load.tonnes`",
                    ),
                };
                self.problem(problem, &change.field);
                None
            }
        }
    }

    pub(super) fn check_emit(&mut self, emit: &'d EmitEntry) -> Option<ActionKind> {
        let registry = self.registry;
        let known: Vec<&str> = registry.event_names().collect();
        let name = emit.event.get_ref();
        if !known.contains(&name.as_str()) {
            self.unknown(&emit.event, "event", "registered events", known.into_iter());
            return None;
        }
        let with = emit.with.as_ref();
        let with_value = with.map_or(Json::Null, |with| with.get_ref().clone());
        let mut tried = with_value.clone();
        for field in PAIR_FIELDS {
            let Some(value) = tried.get_mut(field) else {
                continue;
            };
            if let (Some(entity), Some(with)) = (value.as_str(), with) {
                if !self.names.contains(entity) {
                    let (message, fix) = self.unknown_entity(entity);
                    self.fault(with, message, fix);
                    return None;
                }
                // Which entity it will be is known when it is posted.
                *value = serde_json::json!({ "index": 0, "generation": 1 });
            }
        }
        if let Some(Err(reason)) = registry.read_event(name, tried) {
            let message = format!("this is no `{name}`: {reason}");
            let fix = "give under `with` what the event consists of";
            match with {
                Some(with) => self.fault(with, message, fix),
                None => self.fault(&emit.event, message, fix),
            }
            return None;
        }
        Some(ActionKind::Emit {
            event: name.clone(),
            with: with_value,
        })
    }

    pub(super) fn check_control(&mut self, control: &'d ControlEntry) -> Option<ActionKind> {
        self.check_control_name(&control.name);
        let value = match (control.held, control.value) {
            (Some(held), None) => f32::from(u8::from(held)),
            (None, Some(value)) => value,
            _ => {
                let message = "this does not say where the control is moved";
                self.fault(
                    &control.name,
                    message,
                    "give it exactly one of `held` and `value`",
                );
                return None;
            }
        };
        Some(ActionKind::Control {
            name: control.name.get_ref().clone(),
            value,
        })
    }

    pub(super) fn check_own(&mut self, own: &'d OwnEntry) -> ActionKind {
        let known: Vec<&str> = self.registry.action_names().collect();
        self.check_known(&own.name, "action", "registered actions", known.into_iter());
        ActionKind::Own {
            name: own.name.get_ref().clone(),
            with: datum_of(&own.with),
        }
    }

    /// Reads all files that actions load, and adds the names of their entities to those that are known.
    pub(super) fn read_loaded(&mut self, actions: &[&'d Spanned<ActionEntry>]) {
        for load in actions
            .iter()
            .filter_map(|action| action.get_ref().load.as_ref())
        {
            let file = load.get_ref();
            if self.loaded.contains_key(file) {
                continue;
            }
            let directory = self.sources.at(load.span().start).path.parent();
            let path = directory.unwrap_or(FilePath::new("")).join(file);
            let root = root_of(self.sources.main(), self.registry);
            if let Err((message, fix)) = refuse_elsewhere(&path, &root) {
                self.fault(load, message, fix);
                continue;
            }
            // Files that it names in turn may be below the same folder.
            let mut registry = self.registry.clone();
            registry.set_root(root);
            if let Err((message, fix)) = self.files.enter(&path) {
                self.fault(load, message, fix);
                continue;
            }
            let scene = Scene::load_within(&path, &registry, self.files);
            self.files.leave();
            let scene = match scene {
                Ok(scene) => scene,
                Err(error) => {
                    let text = error.to_string();
                    let first = text.lines().next().unwrap_or_default();
                    let message = match error.faults().len() {
                        0 => format!("{file} cannot be loaded: {first}"),
                        1 => format!("{file} cannot be loaded: it has a fault: {first}"),
                        faults => format!(
                            "{file} cannot be loaded: it has {faults} faults, the first: {first}"
                        ),
                    };
                    self.fault(
                        load,
                        message,
                        "fix that file; `gerust check` lists all of its faults",
                    );
                    continue;
                }
            };
            self.files_loaded
                .extend(scene.files_read().map(FilePath::to_owned));
            let entities: usize = scene.parts.entities.iter().map(EntityPlan::len).sum();
            if !self.admit(entities, &load.span()) {
                return;
            }
            for name in scene.parts.entities.iter().flat_map(EntityPlan::names) {
                if !self.names.insert(name.to_string()) {
                    let message = format!("{file} has an entity `{name}`, and so has this scene");
                    self.fault(load, message, "give one of the two another name");
                }
            }
            self.loaded.insert(file.clone(), scene);
        }
    }

    pub(super) fn check_load(&mut self, load: &Spanned<String>) -> Option<ActionKind> {
        // What could not be read has been told.
        let scene = self.loaded.get(load.get_ref())?.clone();
        Some(ActionKind::Load {
            file: load.get_ref().clone(),
            scene,
        })
    }

    pub(super) fn check_unload(&mut self, unload: &Spanned<String>) -> Option<ActionKind> {
        let file = unload.get_ref();
        if !self.loaded.contains_key(file) {
            let fix = self.suggest(file, "loaded files", self.loaded.keys().map(String::as_str));
            self.fault(unload, format!("no action loads {file}"), fix);
            return None;
        }
        Some(ActionKind::Unload(file.clone()))
    }
}

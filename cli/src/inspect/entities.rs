//! `gerust inspect SCENE entities` and `entity`.

use super::boxes::find_layer;
use crate::arguments::EntitiesTopic;
use crate::components;
use crate::failure::Failure;
use crate::output::{self, Seen, wrapped};
use gerust::suggest;
use gerust::{Collider, Contacts, Entity, Layers, MadeFrom, World};
use serde::Serialize;
use serde_json::{Map, Value as Json};
use std::fmt::Write;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct EntitiesView {
    scene: String,
    frame: u64,
    /// How many there are, shown or not.
    of: usize,
    entities: Vec<EntityLine>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct EntityLine {
    /// Index and generation.
    entity: String,
    name: Option<String>,
    template: Option<String>,
    /// The names of its registered components.
    components: Vec<String>,
}

/// Components that nearly everything has, which say nothing in a list.
const USUAL: [&str; 4] = ["links", "made-from", "name", "transform"];

impl EntitiesView {
    /// All entities that are asked for, in the order of their ids.
    pub(super) fn new(seen: &Seen<'_>, topic: &EntitiesTopic) -> Result<Self, Failure> {
        let world = seen.world();
        let having = &topic.having;
        refuse_unknown(world, having)?;
        let layers = world.global::<Layers>()?;
        let layer = topic.layer.as_ref();
        let layer = layer.map(|name| find_layer(&layers, name)).transpose()?;
        let mut all: Vec<Entity> = world.rows::<Entity>().iter().collect();
        all.sort();
        let mut entities = Vec::new();
        for &entity in &all {
            let line = EntityLine::new(world, entity)?;
            let is_named = topic.name.as_ref().is_none_or(|part| {
                let own = line.name.as_ref();
                own.is_some_and(|own| own.contains(part))
            });
            let is_in_layer = layer.is_none_or(|layer| {
                let collider = world.get::<Collider>(entity);
                collider.is_ok_and(|collider| collider.layer() == layer)
            });
            if is_named
                && is_in_layer
                && having.iter().all(|wanted| line.components.contains(wanted))
            {
                entities.push(line);
            }
        }
        Ok(Self {
            scene: seen.file.clone(),
            frame: seen.frame,
            of: all.len(),
            entities,
        })
    }

    pub(super) fn text(&self) -> String {
        let mut text = format!(
            "after frame {}: {} of {} entities\n\n{:<ID$} {:<NAME$} {:<TEMPLATE$} {}\n",
            self.frame,
            self.entities.len(),
            self.of,
            "id",
            "name",
            "made from",
            "components",
        );
        for line in &self.entities {
            line.push(&mut text);
        }
        text
    }
}

const ID: usize = 8;
const NAME: usize = 22;
const TEMPLATE: usize = 12;

impl EntityLine {
    fn new(world: &World, entity: Entity) -> Result<Self, Failure> {
        let components = world.written_components(entity)?.into_iter();
        Ok(Self {
            entity: entity.to_string(),
            name: world
                .get::<gerust::Name>(entity)
                .ok()
                .map(|name| name.to_string()),
            template: template_of(world, entity),
            components: components.map(|(name, _)| name).collect(),
        })
    }

    fn push(&self, text: &mut String) {
        let told = self.components.iter().map(String::as_str);
        let told: Vec<&str> = told.filter(|name| !USUAL.contains(name)).collect();
        let prefix = format!(
            "{:<ID$} {:<NAME$} {:<TEMPLATE$} ",
            self.entity,
            output::shortened(self.name.as_deref().unwrap_or(""), NAME),
            output::shortened(self.template.as_deref().unwrap_or(""), TEMPLATE),
        );
        let line = match told.is_empty() {
            true => format!("{}\n", prefix.trim_end()),
            false => wrapped(&told.join(", "), &prefix, ID + NAME + TEMPLATE + 3),
        };
        text.push_str(&line);
    }
}

fn template_of(world: &World, entity: Entity) -> Option<String> {
    let made = world.get::<MadeFrom>(entity).ok()?;
    Some(made.template().to_owned())
}

/// A component that is not registered is a slip, and no reason for an empty list.
fn refuse_unknown(world: &World, having: &[String]) -> Result<(), Failure> {
    let mut known: Vec<&str> = world.registered_components().collect();
    known.sort_unstable();
    match having.iter().find(|name| !known.contains(&name.as_str())) {
        None => Ok(()),
        Some(unknown) => Err(Failure::other(format!(
            "unknown component `{unknown}`; {}",
            suggest(unknown, "registered components", known)
        ))),
    }
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct EntityView {
    scene: String,
    frame: u64,
    #[serde(skip)]
    label: String,
    entity: String,
    parent: Option<String>,
    children: Vec<String>,
    touches: Vec<String>,
    /// In the world.
    placement: Option<Json>,
    components: Map<String, Json>,
}

impl EntityView {
    pub(super) fn new(seen: &Seen<'_>, entity: Entity) -> Result<Self, Failure> {
        let world = seen.world();
        let contacts = world.global::<Contacts>()?;
        Ok(Self {
            scene: seen.file.clone(),
            frame: seen.frame,
            label: world.label(entity),
            entity: entity.to_string(),
            parent: world.parent(entity).map(|parent| world.label(parent)),
            children: world
                .children(entity)
                .map(|child| world.label(child))
                .collect(),
            touches: contacts
                .of(entity)
                .map(|touching| world.label(touching.other))
                .collect(),
            placement: components::placement_of(world, entity),
            components: components::of(world, entity)?.into_iter().collect(),
        })
    }

    pub(super) fn text(&self) -> String {
        let mut text = format!(
            "{} ({}) after frame {}\n",
            self.label, self.entity, self.frame
        );
        if let Some(parent) = &self.parent {
            text += &wrapped(parent, "  under      ", 13);
        }
        if !self.children.is_empty() {
            text += &wrapped(&listed(&self.children), "  above      ", 13);
        }
        if !self.touches.is_empty() {
            text += &wrapped(&listed(&self.touches), "  touches    ", 13);
        }
        if let Some(placement) = &self.placement {
            push_value(&mut text, "placement in the world", placement, 2);
        }
        for (name, value) in &self.components {
            // Links are shown by name above.
            if name != "links" {
                push_value(&mut text, name, value, 2);
            }
        }
        text
    }
}

/// How many names are listed.
const LISTED: usize = 12;

fn listed(names: &[String]) -> String {
    let more = names.len().saturating_sub(LISTED);
    let mut text = names[..names.len() - more].join(", ");
    if more > 0 {
        let _ = write!(text, " and {more} more");
    }
    text
}

/// Columns for the names of fields.
const FIELD: usize = 20;

/// A value with its name, each field of a table on a line of its own.
fn push_value(text: &mut String, name: &str, value: &Json, indent: usize) {
    let margin = " ".repeat(indent);
    match value {
        Json::Object(fields) if !fields.is_empty() => {
            // Writing to a string does not fail.
            let _ = writeln!(text, "{margin}{name}");
            for (name, value) in fields {
                push_value(text, name, value, indent + 2);
            }
        }
        value => {
            let prefix = format!("{margin}{name:<width$} ", width = FIELD - indent.min(FIELD));
            *text += &wrapped(&plain(value), &prefix, indent + 4);
        }
    }
}

/// A value on one line.
fn plain(value: &Json) -> String {
    match value {
        Json::String(text) => text.clone(),
        Json::Array(items) if items.iter().all(Json::is_number) => {
            let items: Vec<String> = items.iter().map(Json::to_string).collect();
            items.join(", ")
        }
        other => components::inline(other),
    }
}

//! `gerust inspect SCENE events`.

use crate::output::{Seen, wrapped};
use gerust::Datum;
use gerust::Entity;
use serde::Serialize;
use std::collections::BTreeMap;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct EventsView {
    scene: String,
    frame: u64,
    events: Vec<EventView>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct EventView {
    event: String,
    /// The names of the entities that it is about.
    about: Vec<String>,
    value: Datum,
}

/// The fields of an event in which entities stand.
const ENTITIES: [&str; 2] = ["entity", "other"];

impl EventsView {
    pub(super) fn new(seen: &Seen<'_>) -> Self {
        let world = seen.world();
        let events = seen.events.iter().map(|(event, value)| EventView {
            event: event.clone(),
            about: ENTITIES
                .iter()
                .filter_map(|field| {
                    let entity: Entity = value.at(field)?.read().ok()?;
                    Some(world.label(entity))
                })
                .collect(),
            value: value.clone(),
        });
        Self {
            scene: seen.file.clone(),
            frame: seen.frame,
            events: events.collect(),
        }
    }

    pub(super) fn text(&self) -> String {
        if self.events.is_empty() {
            return format!("no registered event was posted in frame {}\n", self.frame);
        }
        let mut text = format!("events of frame {}: {}\n\n", self.frame, self.events.len());
        for event in &self.events {
            text += &event.line();
        }
        text
    }
}

impl EventView {
    fn line(&self) -> String {
        let mut parts = Vec::new();
        if !self.about.is_empty() {
            parts.push(self.about.join(" and "));
        }
        let fields: Result<BTreeMap<String, Datum>, _> = self.value.read();
        let others = fields.unwrap_or_default().into_iter();
        let others = others.filter(|(name, _)| !ENTITIES.contains(&name.as_str()));
        parts.extend(others.map(|(name, value)| format!("{name} {value}")));
        wrapped(&parts.join(", "), &format!("{:<16} ", self.event), 19)
    }
}

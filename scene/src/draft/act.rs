//! Actions that are written in code.

use super::entity::EntityDraft;
use crate::values::short_json;
use glam::Vec3;
use serde::Serialize;
use serde_json::{Map, Value as Json, json};

/// An action of a cue or a rule of a [`SceneDraft`](super::SceneDraft); see there for an example, and `docs/scene-format.md` for
/// what each does.
#[derive(Clone, Debug)]
pub struct Act {
    keys: Map<String, Json>,
}

impl Act {
    fn of(key: &str, value: Json) -> Self {
        let mut keys = Map::new();
        keys.insert(key.to_owned(), value);
        Self { keys }
    }

    /// Does it only now and then: how likely it is, from 0 to 1.
    #[must_use]
    pub fn with_chance(mut self, chance: f64) -> Self {
        self.keys.insert(String::from("chance"), Json::from(chance));
        self
    }

    /// Makes an entity.
    #[must_use]
    pub fn spawn(entity: EntityDraft) -> Self {
        Self::of("spawn", entity.into_json())
    }

    /// Takes an entity away, with all that is under it.
    #[must_use]
    pub fn despawn(entity: &str) -> Self {
        Self::of("despawn", Json::from(entity))
    }

    /// Changes what is given of an entity and leaves the rest.
    #[must_use]
    pub fn set(entity: &str, to: EntityDraft) -> Self {
        Self::of("set", to.key("entity", entity).into_json())
    }

    /// Sets a field, such as `crate.body.velocity.x`, to an expression.
    #[must_use]
    pub fn change(field: &str, to: &str) -> Self {
        Self::of("change", json!({ "field": field, "to": to }))
    }

    /// Puts an entity under another one; it stays where it is in the world.
    #[must_use]
    pub fn link(entity: &str, under: &str) -> Self {
        Self::of("link", json!({ "entity": entity, "under": under }))
    }

    /// Takes an entity from under its parent; it stays where it is in the world.
    #[must_use]
    pub fn unlink(entity: &str) -> Self {
        Self::of("unlink", Json::from(entity))
    }

    /// Takes a registered component off an entity.
    #[must_use]
    pub fn detach(entity: &str, component: &str) -> Self {
        let detach = json!({ "entity": entity, "component": component });
        Self::of("detach", detach)
    }

    /// Gives a dynamic body an impulse, in kg·m/s.
    #[must_use]
    pub fn push(entity: &str, impulse: Vec3) -> Self {
        let push = json!({ "entity": entity, "impulse": short_json(&impulse) });
        Self::of("push", push)
    }

    /// Pushes all dynamic bodies away from a place: with `strength` in kg·m/s there, and 0 at the radius, in metres.
    #[must_use]
    pub fn push_away(from: Vec3, radius: f32, strength: f32) -> Self {
        let push = json!({
            "away-from": short_json(&from),
            "radius": short_json(&radius),
            "strength": short_json(&strength),
        });
        Self::of("push", push)
    }

    /// Posts an event under its registered name. Its fields `entity` and `other` are to be names of entities.
    ///
    /// # Panics
    ///
    /// If `serde` cannot write the event as JSON, such as a map whose keys are not texts.
    #[must_use]
    pub fn emit(event: &str, with: &impl Serialize) -> Self {
        Self::of("emit", json!({ "event": event, "with": short_json(with) }))
    }

    /// Moves a control input, which [`SceneDraft::control`](super::SceneDraft::control) has added.
    #[must_use]
    pub fn control(name: &str, value: f32) -> Self {
        let control = json!({ "name": name, "value": short_json(&value) });
        Self::of("control", control)
    }

    /// Does what is registered under a name.
    ///
    /// # Panics
    ///
    /// If `serde` cannot write the values as JSON, such as a map whose keys are not texts.
    #[must_use]
    pub fn own(name: &str, with: &impl Serialize) -> Self {
        Self::of("own", json!({ "name": name, "with": short_json(with) }))
    }

    /// Switches a system, or all of a label, on or off.
    #[must_use]
    pub fn switch(system: &str, on: bool) -> Self {
        Self::of("switch", json!({ "system": system, "on": on }))
    }

    /// Ends the scene, and says whether that is how it should end.
    #[must_use]
    pub fn stop(held: bool, why: &str) -> Self {
        let verdict = if held { "held" } else { "failed" };
        Self::of("stop", json!({ "verdict": verdict, "why": why }))
    }

    pub(super) fn into_json(self) -> Json {
        Json::Object(self.keys)
    }
}

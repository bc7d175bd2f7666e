//! Entities that are written in code.

use super::written::item;
use crate::values::short_json;
use gerust::collide::Body;
use gerust::store::Described;
use glam::Vec3;
use serde::Serialize;
use serde_json::{Map, Value as Json, json};
use toml_edit::Table;

/// An entity or a template of a [`SceneDraft`](super::SceneDraft); see there for an example.
#[derive(Clone, Default, Debug)]
pub struct EntityDraft {
    keys: Map<String, Json>,
}

impl EntityDraft {
    /// An entity without a name.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// An entity with a name.
    #[must_use]
    pub fn named(name: &str) -> Self {
        Self::new().key("name", name)
    }

    /// Its name, if it has one.
    #[must_use]
    pub fn name(&self) -> Option<&str> {
        self.keys.get("name")?.as_str()
    }

    /// Sets a key of the entity, such as `arrange`.
    ///
    /// # Panics
    ///
    /// If `serde` cannot write the value as JSON, such as a map whose keys are not texts.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{EntityDraft, Registry, SceneDraft};
    /// use serde_json::json;
    ///
    /// let row = json!({ "row": 3, "step": [2, 0, 0] });
    /// let buoys = EntityDraft::named("buoy").key("arrange", row);
    /// let scene = SceneDraft::new("three buoys", 1).entity(buoys).expect("entities = 3");
    /// scene.build(&Registry::standard())?.run(Runtime::new())?.assert_all_held();
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn key(mut self, key: &str, value: impl Serialize) -> Self {
        self.keys.insert(key.to_owned(), short_json(&value));
        self
    }

    /// Sets a key in a table of the entity.
    fn inner(mut self, table: &str, key: &str, value: impl Into<Json>) -> Self {
        let table = self.keys.entry(table).or_insert_with(|| json!({}));
        if let Json::Object(fields) = table {
            fields.insert(key.to_owned(), value.into());
        }
        self
    }

    /// Makes it from a template.
    #[must_use]
    pub fn template(self, name: &str) -> Self {
        self.key("template", name)
    }

    /// Puts it under another entity.
    #[must_use]
    pub fn under(self, parent: &str) -> Self {
        self.key("parent", parent)
    }

    /// Puts it at a place, in metres in its parent's space.
    #[must_use]
    pub fn at(self, place: Vec3) -> Self {
        self.inner("transform", "translation", short_json(&place))
    }

    /// Gives it a size, as factors along its axes.
    #[must_use]
    pub fn scaled(self, scale: Vec3) -> Self {
        self.inner("transform", "scale", short_json(&scale))
    }

    /// Gives it a solid box around its origin, in metres.
    #[must_use]
    pub fn solid(self, size: Vec3) -> Self {
        self.inner("collider", "size", short_json(&size))
    }

    /// Gives it a box around its origin that notices what is in it, in metres.
    #[must_use]
    pub fn sensor(self, size: Vec3) -> Self {
        self.inner("collider", "size", short_json(&size))
            .inner("collider", "kind", "sensor")
    }

    /// Puts its collider into a layer.
    #[must_use]
    pub fn in_layer(self, layer: &str) -> Self {
        self.inner("collider", "layer", layer)
    }

    /// Lets it move as a body.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{EntityDraft, Registry, SceneDraft};
    ///
    /// let body = Body::dynamic().with_velocity(Vec3::X * 6.0);
    /// let cart = EntityDraft::named("cart").solid(Vec3::ONE).body(&body);
    /// let draft = SceneDraft::new("a cart", 60).entity(cart).expect("cart.position.x = 6 within 0.01");
    /// draft.build(&Registry::standard())?.run(Runtime::new())?.assert_all_held();
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn body(self, body: &Body) -> Self {
        let settable = Body::FIELDS.iter().filter(|field| !field.is_derived());
        settable.fold(self, |draft, field| {
            draft.inner("body", field.name(), short_json(&field.read(body)))
        })
    }

    /// Gives it a component under its registered name.
    ///
    /// # Panics
    ///
    /// If `serde` cannot write it as JSON, such as a map whose keys are not texts.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust_scene::{EntityDraft, Registry, SceneDraft};
    ///
    /// let gull = EntityDraft::named("gull").with("velocity", &Velocity(Vec3::X * 0.1));
    /// let draft = SceneDraft::new("a gull", 60).entity(gull);
    /// assert!(draft.text().contains("components = { velocity = [0.1, 0.0, 0.0] }"));
    /// ```
    #[must_use]
    pub fn with(self, component: &str, value: &impl Serialize) -> Self {
        self.inner("components", component, short_json(value))
    }

    /// Links another entity under it.
    #[must_use]
    pub fn child(mut self, child: Self) -> Self {
        let children = self.keys.entry("children").or_insert_with(|| json!([]));
        if let Json::Array(children) = children {
            children.push(child.into_json());
        }
        self
    }

    pub(super) fn into_json(self) -> Json {
        Json::Object(self.keys)
    }

    pub(super) fn into_table(self) -> Table {
        let mut table = Table::new();
        // The parts of the entity come first.
        const FIRST: [&str; 3] = ["name", "template", "parent"];
        let (first, rest): (Vec<_>, Vec<_>) = self
            .keys
            .iter()
            .partition(|(key, _)| FIRST.contains(&key.as_str()));
        for (key, value) in first.into_iter().chain(rest) {
            if let Some(item) = item(value) {
                table.insert(key, item);
            }
        }
        table
    }
}

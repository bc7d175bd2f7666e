//! Scenes that are written in code.

mod act;
mod entity;
mod written;

pub use act::Act;
pub use entity::EntityDraft;

use super::fault::SceneError;
use super::read::Parameters;
use super::registry::Registry;
use super::scene_file::Scene;
use crate::values::short_json;
use serde::Serialize;
use serde_json::Value as Json;
use std::fmt;
use std::io;
use std::path::Path;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table};
use written::{inline, item};

/// A scene that is written in code, as the text of a scene file.
///
/// It can run immediately, or be written into a file for `gerust run`. Keys without a method of their own can be set with
/// [`SceneDraft::setting`] and [`EntityDraft::key`], under the names of `docs/scene-format.md`. Nothing is checked before
/// [`SceneDraft::build`], which tells all faults with lines of [`SceneDraft::text`].
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Act, EntityDraft, Registry, SceneDraft};
///
/// let quay = EntityDraft::named("quay").at(Vec3::new(0.0, -0.5, 0.0)).solid(Vec3::new(20.0, 1.0, 20.0));
/// let pallet = EntityDraft::new().solid(Vec3::ONE).body(&Body::dynamic());
/// let draft = SceneDraft::new("pallets fall on the quay", 120)
///     .template("pallet", pallet)
///     .entity(quay)
///     .cue_at(1, [Act::spawn(EntityDraft::named("first").template("pallet").at(Vec3::Y * 3.0))])
///     .rule_contact(["pallet", "quay"], [Act::despawn("it").with_chance(1.0)])
///     .expect("first touches quay by 1 s")
///     .expect("not first exists");
/// let scene = draft.build(&Registry::standard())?;
/// scene.run(Runtime::new())?.assert_all_held();
/// assert!(draft.text().starts_with("title = \"pallets fall on the quay\"\nframes = 120\n"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone)]
pub struct SceneDraft {
    document: DocumentMut,
}

impl SceneDraft {
    /// A scene with a number of frames and without entities.
    #[must_use]
    pub fn new(title: &str, frames: u64) -> Self {
        let document = DocumentMut::new();
        Self { document }
            .setting("title", title)
            .setting("frames", frames)
    }

    /// Sets a key at the top of the file, such as `step`.
    ///
    /// # Panics
    ///
    /// If `serde` cannot write the value as JSON, such as a map whose keys are not texts.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust_scene::SceneDraft;
    ///
    /// let draft = SceneDraft::new("t", 1).setting("step", 0.5).setting("gravity", [0, 0, 0]);
    /// assert_eq!(draft.text(), "title = \"t\"\nframes = 1\nstep = 0.5\ngravity = [0, 0, 0]\n");
    /// ```
    #[must_use]
    pub fn setting(mut self, key: &str, value: impl Serialize) -> Self {
        if let Some(item) = item(&short_json(&value)) {
            self.document.insert(key, item);
        }
        self
    }

    /// Adds a parameter with its default.
    ///
    /// # Panics
    ///
    /// As [`SceneDraft::setting`].
    #[must_use]
    pub fn parameter(mut self, name: &str, default: impl Serialize) -> Self {
        if let Some(item) = item(&short_json(&default)) {
            self.table("parameters").insert(name, item);
        }
        self
    }

    /// Adds a layer that meets others.
    #[must_use]
    pub fn layer(mut self, name: &str, meets: &[&str]) -> Self {
        let meets = Json::from(meets.to_vec());
        if let Some(item) = item(&meets) {
            self.table("layers").insert(name, item);
        }
        self
    }

    /// Adds a control input that actions move.
    #[must_use]
    pub fn control(mut self, name: &str) -> Self {
        let nothing = Json::Object(serde_json::Map::new());
        if let Some(item) = item(&nothing) {
            self.table("controls").insert(name, item);
        }
        self
    }

    /// Adds a template.
    #[must_use]
    pub fn template(mut self, name: &str, template: EntityDraft) -> Self {
        let table = template.into_table();
        self.table("templates").insert(name, Item::Table(table));
        self
    }

    /// Adds an entity that is there from the start.
    #[must_use]
    pub fn entity(mut self, entity: EntityDraft) -> Self {
        self.push("entities", entity.into_table());
        self
    }

    /// Does something at the beginning of a frame, counted from 1.
    #[must_use]
    pub fn cue_at(self, frame: u64, acts: impl IntoIterator<Item = Act>) -> Self {
        self.acting("cues", [("frame", Json::from(frame))], acts)
    }

    /// Runs actions at an interval in frames, from the first frame on.
    #[must_use]
    pub fn cue_every(self, frames: u64, acts: impl IntoIterator<Item = Act>) -> Self {
        self.acting("cues", [("every-frames", Json::from(frames))], acts)
    }

    /// Does something whenever a condition in the language of scene files has come to hold.
    #[must_use]
    pub fn rule_when(self, condition: &str, acts: impl IntoIterator<Item = Act>) -> Self {
        self.acting("rules", [("when", Json::from(condition))], acts)
    }

    /// Does something whenever two begin to touch: entities, templates or layers.
    #[must_use]
    pub fn rule_contact(self, of: [&str; 2], acts: impl IntoIterator<Item = Act>) -> Self {
        self.acting("rules", [("contact", Json::from(of.to_vec()))], acts)
    }

    /// Does something whenever an event of a name is posted.
    #[must_use]
    pub fn rule_event(self, event: &str, acts: impl IntoIterator<Item = Act>) -> Self {
        self.acting("rules", [("event", Json::from(event))], acts)
    }

    /// Adds an expectation in the language of scene files.
    #[must_use]
    pub fn expect(mut self, that: &str) -> Self {
        let mut table = Table::new();
        table.insert("that", toml_edit::value(that));
        self.push("expect", table);
        self
    }

    /// The text of the scene file.
    #[must_use]
    pub fn text(&self) -> String {
        self.document.to_string()
    }

    /// Makes a scene of it.
    ///
    /// # Errors
    ///
    /// As [`Scene::parse`].
    pub fn build(&self, registry: &Registry) -> Result<Scene, SceneError> {
        self.build_with(registry, &Parameters::new())
    }

    /// Makes a scene of it, with values for some of its parameters.
    ///
    /// # Errors
    ///
    /// As [`Scene::parse_with`].
    pub fn build_with(
        &self,
        registry: &Registry,
        parameters: &Parameters,
    ) -> Result<Scene, SceneError> {
        Scene::parse_with(&self.text(), "draft.toml", registry, parameters)
    }

    /// Writes it into a file.
    ///
    /// # Errors
    ///
    /// If the file cannot be written.
    pub fn write(&self, path: impl AsRef<Path>) -> io::Result<()> {
        std::fs::write(path, self.text())
    }

    /// A table at the top of the file, made if need be.
    fn table(&mut self, key: &str) -> &mut Table {
        let table = self.document.entry(key).or_insert_with(|| {
            let mut table = Table::new();
            table.set_implicit(true);
            Item::Table(table)
        });
        table.as_table_mut().expect("it was made as one")
    }

    fn push(&mut self, list: &str, table: Table) {
        let list = self.document.entry(list);
        let list = list.or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
        let list = list.as_array_of_tables_mut();
        list.expect("it was made as one").push(table);
    }

    fn acting<const N: usize>(
        mut self,
        list: &str,
        keys: [(&str, Json); N],
        acts: impl IntoIterator<Item = Act>,
    ) -> Self {
        let mut table = Table::new();
        for (key, value) in keys {
            table.insert(key, item(&value).expect("it is no null"));
        }
        let mut all = toml_edit::Array::new();
        for act in acts {
            let mut act = inline(&act.into_json());
            act.decor_mut().set_prefix("\n  ");
            all.push_formatted(act);
        }
        all.set_trailing("\n");
        all.set_trailing_comma(true);
        table.insert("do", toml_edit::value(all));
        self.push(list, table);
        self
    }
}

/// Its text.
impl fmt::Display for SceneDraft {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text())
    }
}

/// Its text, so that a test that fails shows a scene that can be run.
impl fmt::Debug for SceneDraft {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(f, "\n{}", self.text())
    }
}

#[cfg(test)]
mod tests;

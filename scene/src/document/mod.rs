//! The scene file as it is written: plain data, checked for shape but not yet for sense.
//!
//! The JSON Schema is derived from the same types, so it cannot drift from what is read. Their comments are its
//! descriptions.

mod actions;
mod described;

pub(crate) use actions::{
    ActionEntry, ChangeEntry, ControlEntry, ControlTrack, CueEntry, DetachEntry, EmitEntry,
    LinkEntry, OwnEntry, PushEntry, RuleEntry, VerdictEntry,
};

pub(crate) use described::{Entry, Part};

use super::arrange::ArrangeEntry;
use super::limits::LimitsEntry;
use gerust::collide::{Body, Collider};
use gerust::space::Transform as Placement;
use schemars::JsonSchema;
use schemars::transform::{RecursiveTransform, Transform};
use serde::Deserialize;
use std::collections::BTreeMap;
use toml::Spanned;

/// Three numbers along x, y, z.
pub(crate) type Triple = [f32; 3];

/// Values of registered components by name: for the schema only. What is read in their place is a key to the values that
/// were taken out before (see `read`), because they are read by the registered types.
fn any_components(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
    schemars::json_schema!({
        "type": "object",
        "description": "Registered components by name. A tag is `true`."
    })
}

/// Parameters with their defaults: for the schema only. They are taken out before the rest is read (see `read::parameters`).
fn any_parameters(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
    schemars::json_schema!({
        "type": "object",
        "additionalProperties": { "type": ["number", "string", "boolean"] },
        "description": "Parameters with their defaults, which can be set when the scene is loaded. A text that begins with `=` is an expression over them, here and in place of any value."
    })
}

/// Lets every number and truth be an expression as well.
fn or_expression(schema: &mut schemars::Schema) {
    let Some(kind) = schema.get_mut("type") else {
        return;
    };
    let kinds: Vec<serde_json::Value> = match *kind {
        serde_json::Value::Array(ref kinds) => kinds.clone(),
        ref one => vec![one.clone()],
    };
    let is_worked_out = |kind: &serde_json::Value| {
        ["number", "integer", "boolean"].contains(&kind.as_str().unwrap_or_default())
    };
    if kinds.iter().any(is_worked_out) && !kinds.iter().any(|kind| kind == "string") {
        let with_text = kinds.into_iter().chain([serde_json::Value::from("string")]);
        *kind = with_text.collect();
        schema.insert(String::from("pattern"), serde_json::Value::from("^="));
    }
}

/// A scene: entities, timed cues and expectations. Metres, seconds, right-handed axes with y up.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
#[schemars(title = "Gerust scene")]
pub(crate) struct Document {
    // Required, but `check` reports that it is missing, so that the rest of the file is checked as well.
    /// What the scene shows.
    #[schemars(required)]
    pub(crate) title: Option<String>,
    /// How many frames it runs, at least 1.
    #[schemars(required, with = "u64", range(min = 1))]
    pub(crate) frames: Option<Spanned<u64>>,
    /// Seconds of scene time per frame. Default: 1/60.
    #[schemars(with = "Option<f64>")]
    pub(crate) step: Option<Spanned<f64>>,
    /// The budget of a frame, in milliseconds of real time. Default: 1000/60.
    #[schemars(with = "Option<f64>")]
    pub(crate) budget_ms: Option<Spanned<f64>>,
    /// Milliseconds of real time that systems should take at most in a frame, by name.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, f64>")]
    pub(crate) budgets_ms: BTreeMap<Spanned<String>, Spanned<f64>>,
    /// The number of first frames whose times do not count. Default: a tenth of all, at most 60.
    #[schemars(with = "Option<u64>")]
    pub(crate) warm_up: Option<Spanned<u64>>,
    /// Further scene files, by paths from the directory of this one: their entities, templates, layers, parameters, cues and
    /// expectations are added, and settings that this file lacks are taken from them.
    #[serde(rename = "include", default)]
    pub(crate) _include: Vec<String>,
    #[schemars(schema_with = "any_parameters")]
    #[serde(rename = "parameters", default)]
    pub(crate) _parameters: Option<String>,
    /// Upper bounds that keep a faulty scene from taking all memory; the loading program can override each.
    #[serde(default)]
    pub(crate) limits: LimitsEntry,
    /// The acceleration of dynamic bodies, in m/s². Default: [0, -9.81, 0].
    pub(crate) gravity: Option<Triple>,
    /// 2 if z takes no part in collision. Default: 3.
    #[schemars(with = "Option<u8>", range(min = 2, max = 3))]
    pub(crate) dimensions: Option<Spanned<u8>>,
    /// The most passes in a frame that separate overlapping dynamic bodies. Default: 4.
    #[schemars(with = "Option<u32>")]
    pub(crate) iterations: Option<Spanned<u32>>,
    /// The largest distance of boxes that touch, in metres. Default: 0.001.
    #[schemars(with = "Option<f64>", range(min = 0.0))]
    pub(crate) margin: Option<Spanned<f64>>,
    /// The seed of all random numbers of systems, such as the places of a spawner's copies. Default: that of the program.
    pub(crate) seed: Option<u64>,
    /// Layers by name, each with the names of the layers that it meets. Meeting is mutual, so one side is enough. The
    /// layer `default` is always there and meets every other.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, Vec<String>>")]
    pub(crate) layers: BTreeMap<Spanned<String>, Vec<Spanned<String>>>,
    /// Presets for entities, by name.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, Preset>")]
    pub(crate) templates: BTreeMap<Spanned<String>, Preset>,
    /// The entities that are there from the start.
    #[serde(default)]
    #[schemars(with = "Vec<EntityEntry>")]
    pub(crate) entities: Vec<Spanned<EntityEntry>>,
    /// Control inputs by name, which systems read, and how they are moved.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, ControlTrack>")]
    pub(crate) controls: BTreeMap<Spanned<String>, ControlTrack>,
    /// What happens at a frame or a time.
    #[serde(default)]
    #[schemars(with = "Vec<CueEntry>")]
    pub(crate) cues: Vec<Spanned<CueEntry>>,
    /// What happens whenever something has become so.
    #[serde(default)]
    #[schemars(with = "Vec<RuleEntry>")]
    pub(crate) rules: Vec<Spanned<RuleEntry>>,
    /// A condition that must hold at a frame or a time, or by then.
    #[serde(default)]
    #[schemars(with = "Vec<ExpectEntry>")]
    pub(crate) expect: Vec<Spanned<ExpectEntry>>,
}

// The four parts of an entity stand in three tables, field by field: `serde` can share fields between tables, but then
// loses where in the file they are.

/// The parts of an entity.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(crate) struct Preset {
    /// Where it is, relative to its parent.
    pub(crate) transform: Option<TransformEntry>,
    /// Its box.
    pub(crate) collider: Option<ColliderEntry>,
    /// How it moves by itself.
    pub(crate) body: Option<BodyEntry>,
    /// Registered components by name. A tag is `true`.
    #[schemars(schema_with = "any_components")]
    pub(crate) components: Option<String>,
    /// Entities that come along, linked under it; named `name/child` after the name of the entity.
    #[schemars(with = "Vec<EntityEntry>")]
    pub(crate) children: Vec<Spanned<EntityEntry>>,
}

/// An entity. What it says itself goes before what its template says, field by field.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(crate) struct EntityEntry {
    /// The name, unique within the scene.
    #[schemars(with = "Option<String>")]
    pub(crate) name: Option<Spanned<String>>,
    /// The preset that it is made from.
    #[schemars(with = "Option<String>")]
    pub(crate) template: Option<Spanned<String>>,
    /// The name of the entity under which it is linked.
    #[schemars(with = "Option<String>")]
    pub(crate) parent: Option<Spanned<String>>,
    /// Where it is, relative to its parent.
    pub(crate) transform: Option<TransformEntry>,
    /// Its box.
    pub(crate) collider: Option<ColliderEntry>,
    /// How it moves by itself.
    pub(crate) body: Option<BodyEntry>,
    /// Registered components by name. A tag is `true`.
    #[schemars(schema_with = "any_components")]
    pub(crate) components: Option<String>,
    /// Entities that are linked under it; named `name/child` after its name.
    #[schemars(with = "Vec<EntityEntry>")]
    pub(crate) children: Vec<Spanned<EntityEntry>>,
    /// Changes to the children of its template, by their names: `hook`, or `trolley/hook` for a child's child.
    #[schemars(with = "BTreeMap<String, Preset>")]
    pub(crate) overrides: BTreeMap<Spanned<String>, Preset>,
    /// Several in the place of one.
    #[schemars(with = "Option<ArrangeEntry>")]
    pub(crate) arrange: Option<Spanned<ArrangeEntry>>,
}

/// The placement of an entity in its parent's space.
pub(crate) type TransformEntry = Entry<Placement, TransformKeys>;

/// A local placement. What is left out stays as it is: at the origin, unturned, unscaled, unless a template or an
/// earlier cue says otherwise.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(crate) struct TransformKeys {
    /// A turn about an axis. Instead of `rotation`.
    #[schemars(with = "Option<Turn>")]
    pub(crate) turn: Option<Spanned<Turn>>,
}

/// A turn about an axis, counter-clockwise as seen from the tip of the axis.
#[derive(Deserialize, JsonSchema, Debug, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct Turn {
    /// The direction of the axis, of any length but 0.
    pub(crate) axis: Triple,
    /// The angle.
    pub(crate) degrees: f32,
}

/// The collider of an entity.
pub(crate) type ColliderEntry = Entry<Collider, ColliderKeys>;

/// The boxes of an entity, in its own space: one (`size` and `center`), several (`boxes`), or a grid of `tiles`.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(crate) struct ColliderKeys {
    /// The size along each axis, in metres, not negative.
    #[schemars(with = "Option<Triple>")]
    pub(crate) size: Option<Spanned<Triple>>,
    /// The center of the box, from the entity's origin. Default: [0, 0, 0].
    pub(crate) center: Option<Triple>,
    /// Several boxes instead of `size` and `center`.
    #[schemars(with = "Option<Vec<BoxEntry>>")]
    pub(crate) boxes: Option<Spanned<Vec<BoxEntry>>>,
    /// Further sets of boxes by name, such as `folded` and `reaching`. The boxes above are the set `default`.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, Vec<BoxEntry>>")]
    pub(crate) sets: BTreeMap<Spanned<String>, Vec<BoxEntry>>,
    /// The name of the active set. Default: `default`.
    #[schemars(with = "Option<String>")]
    pub(crate) set: Option<Spanned<String>>,
    /// A grid of solid tiles instead of boxes.
    #[schemars(with = "Option<TilesEntry>")]
    pub(crate) tiles: Option<Spanned<TilesEntry>>,
    /// The name of its layer. Default: `default`.
    #[schemars(with = "Option<String>")]
    pub(crate) layer: Option<Spanned<String>>,
}

/// One of several boxes.
#[derive(Deserialize, JsonSchema, Debug, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct BoxEntry {
    /// The size along each axis, in metres, not negative.
    #[schemars(with = "Triple")]
    pub(crate) size: Spanned<Triple>,
    /// Where the middle of the box is, from the entity's origin.
    #[serde(default)]
    pub(crate) center: Triple,
}

/// A grid of tiles, drawn in text.
#[derive(Deserialize, JsonSchema, Debug, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct TilesEntry {
    /// Equally long rows: `#` is a solid tile, `.` or a space a free one.
    pub(crate) rows: Vec<String>,
    /// The size of a tile, in metres.
    pub(crate) tile: Triple,
    /// How the rows lie: on the `ground`, seen from above, from the entity's origin along x and z, or as a `wall`,
    /// seen from the front, with the last row at the entity's origin. Default: `ground`.
    #[serde(default)]
    pub(crate) plane: PlaneEntry,
}

#[derive(Deserialize, JsonSchema, Debug, Clone, Copy, PartialEq, Eq, Default)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum PlaneEntry {
    #[default]
    Ground,
    Wall,
}

/// The body of an entity.
pub(crate) type BodyEntry = Entry<Body, BodyKeys>;

/// How an entity with a collider moves.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields)]
pub(crate) struct BodyKeys {}

/// What changes of an entity.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct SetEntry {
    /// The name of the entity.
    #[schemars(with = "String")]
    pub(crate) entity: Spanned<String>,
    /// Where it is, relative to its parent: this teleports.
    pub(crate) transform: Option<TransformEntry>,
    /// Its box.
    pub(crate) collider: Option<ColliderEntry>,
    /// How it moves by itself.
    pub(crate) body: Option<BodyEntry>,
    /// Registered components by name; each replaces the whole value.
    #[serde(default)]
    #[schemars(schema_with = "any_components")]
    pub(crate) components: Option<String>,
}

/// An expectation: either `that`, or exactly one of `frame`, `time`, `by-frame` and `by-time`, and exactly one of `touching`, `apart`, `position`, `count` and `budget`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct ExpectEntry {
    /// A description in words, for reports.
    pub(crate) what: Option<String>,
    /// A condition with a time, in the language of `docs/scene-language.md`: `truck-1 touches barrier by 3 s`.
    #[schemars(with = "Option<String>")]
    pub(crate) that: Option<Spanned<String>>,
    /// The frame; 0 is the state as loaded.
    #[schemars(with = "Option<u64>")]
    pub(crate) frame: Option<Spanned<u64>>,
    /// Scene time in seconds: the first frame that ends at this time or later.
    #[schemars(with = "Option<f64>")]
    pub(crate) time: Option<Spanned<f64>>,
    /// It must hold in at least one frame up to this one.
    #[schemars(with = "Option<u64>")]
    pub(crate) by_frame: Option<Spanned<u64>>,
    /// It must hold in at least one frame up to this time.
    #[schemars(with = "Option<f64>")]
    pub(crate) by_time: Option<Spanned<f64>>,
    /// The names of two entities that touch.
    #[schemars(with = "Option<[String; 2]>")]
    pub(crate) touching: Option<[Spanned<String>; 2]>,
    /// The names of two entities that do not touch.
    #[schemars(with = "Option<[String; 2]>")]
    pub(crate) apart: Option<[Spanned<String>; 2]>,
    /// Where an entity is in the world.
    pub(crate) position: Option<PositionEntry>,
    /// How many entities there are.
    #[schemars(with = "Option<CountEntry>")]
    pub(crate) count: Option<Spanned<CountEntry>>,
    /// How long frames or a system may take; only with `frame` or `time`.
    #[schemars(with = "Option<BudgetEntry>")]
    pub(crate) budget: Option<Spanned<BudgetEntry>>,
}

/// How much real time the frame or a system may take, over all frames so far without warm-up.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct BudgetEntry {
    /// The name of a system. Default: the whole frame.
    pub(crate) of: Option<String>,
    /// The percentage of frames within the budget, from 1 to 100. Default: 95.
    #[schemars(with = "Option<u32>", range(min = 1, max = 100))]
    pub(crate) percentile: Option<Spanned<u32>>,
    /// Milliseconds. Default: the value of `budget-ms` or `budgets-ms`.
    #[schemars(with = "Option<f64>")]
    pub(crate) at_most_ms: Option<Spanned<f64>>,
}

/// Where an entity is in the world.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct PositionEntry {
    /// The name of the entity.
    #[schemars(with = "String")]
    pub(crate) entity: Spanned<String>,
    /// The wanted place of its origin, in metres.
    pub(crate) is: Triple,
    /// The largest distance from there, in metres. Default: 0.001.
    #[schemars(with = "Option<f32>")]
    pub(crate) within: Option<Spanned<f32>>,
}

/// How many entities there are: `is`, or `at-least` and `at-most`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct CountEntry {
    /// Only entities made from this template count. Default: all entities.
    #[schemars(with = "Option<String>")]
    pub(crate) template: Option<Spanned<String>>,
    /// Exactly this number.
    pub(crate) is: Option<u64>,
    /// At least this number.
    pub(crate) at_least: Option<u64>,
    /// At most this number.
    pub(crate) at_most: Option<u64>,
}

/// The JSON Schema of scene files, as a JSON text.
///
/// # Example
///
/// ```
/// let schema = gerust_scene::schema();
/// assert!(schema.contains("\"Gerust scene\""));
/// ```
#[must_use]
pub fn schema() -> String {
    let mut schema = schemars::schema_for!(Document);
    RecursiveTransform(or_expression).transform(&mut schema);
    format!("{:#}", schema.as_value())
}

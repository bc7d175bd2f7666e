//! The scene file as it is written: plain data, checked for shape but not yet for sense.
//!
//! The JSON Schema is derived from the same types, so it cannot drift from what is read. Their comments are its
//! descriptions.

mod actions;

pub(in crate::scene) use actions::{
    ActionEntry, ChangeEntry, ControlEntry, ControlTrack, CueEntry, DetachEntry, EmitEntry,
    LinkEntry, OwnEntry, PushEntry, RuleEntry, VerdictEntry,
};

use super::arrange::ArrangeEntry;
use super::limits::LimitsEntry;
use schemars::JsonSchema;
use schemars::transform::{RecursiveTransform, Transform};
use serde::Deserialize;
use std::collections::BTreeMap;
use toml::Spanned;

/// Three numbers along x, y, z.
pub(in crate::scene) type Triple = [f32; 3];

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
pub(in crate::scene) struct Document {
    // Required, but `check` reports that it is missing, so that the rest of the file is checked as well.
    /// What the scene shows.
    #[schemars(required)]
    pub(in crate::scene) title: Option<String>,
    /// How many frames it runs, at least 1.
    #[schemars(required, with = "u64", range(min = 1))]
    pub(in crate::scene) frames: Option<Spanned<u64>>,
    /// Seconds of scene time per frame. Default: 1/60.
    #[schemars(with = "Option<f64>")]
    pub(in crate::scene) step: Option<Spanned<f64>>,
    /// The budget of a frame, in milliseconds of real time. Default: 1000/60.
    #[schemars(with = "Option<f64>")]
    pub(in crate::scene) budget_ms: Option<Spanned<f64>>,
    /// Milliseconds of real time that systems should take at most in a frame, by name.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, f64>")]
    pub(in crate::scene) budgets_ms: BTreeMap<Spanned<String>, Spanned<f64>>,
    /// The number of first frames whose times do not count. Default: a tenth of all, at most 60.
    #[schemars(with = "Option<u64>")]
    pub(in crate::scene) warm_up: Option<Spanned<u64>>,
    /// Further scene files, by paths from the directory of this one: their entities, templates, layers, parameters, cues and
    /// expectations are added, and settings that this file lacks are taken from them.
    #[serde(rename = "include", default)]
    pub(in crate::scene) _include: Vec<String>,
    #[schemars(schema_with = "any_parameters")]
    #[serde(rename = "parameters", default)]
    pub(in crate::scene) _parameters: Option<String>,
    /// Upper bounds that keep a faulty scene from taking all memory; the loading program can override each.
    #[serde(default)]
    pub(in crate::scene) limits: LimitsEntry,
    /// The acceleration of dynamic bodies, in m/s². Default: [0, -9.81, 0].
    pub(in crate::scene) gravity: Option<Triple>,
    /// 2 if z takes no part in collision. Default: 3.
    #[schemars(with = "Option<u8>", range(min = 2, max = 3))]
    pub(in crate::scene) dimensions: Option<Spanned<u8>>,
    /// The most passes in a frame that separate overlapping dynamic bodies. Default: 4.
    #[schemars(with = "Option<u32>")]
    pub(in crate::scene) iterations: Option<Spanned<u32>>,
    /// The largest distance of boxes that touch, in metres. Default: 0.001.
    #[schemars(with = "Option<f64>", range(min = 0.0))]
    pub(in crate::scene) margin: Option<Spanned<f64>>,
    /// The seed of all random numbers of systems, such as the places of a spawner's copies. Default: that of the program.
    pub(in crate::scene) seed: Option<u64>,
    /// Layers by name, each with the names of the layers that it meets. Meeting is mutual, so one side is enough. The
    /// layer `default` is always there and meets every other.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, Vec<String>>")]
    pub(in crate::scene) layers: BTreeMap<Spanned<String>, Vec<Spanned<String>>>,
    /// Presets for entities, by name.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, Preset>")]
    pub(in crate::scene) templates: BTreeMap<Spanned<String>, Preset>,
    /// The entities that are there from the start.
    #[serde(default)]
    #[schemars(with = "Vec<EntityEntry>")]
    pub(in crate::scene) entities: Vec<Spanned<EntityEntry>>,
    /// Control inputs by name, which systems read, and how they are moved.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, ControlTrack>")]
    pub(in crate::scene) controls: BTreeMap<Spanned<String>, ControlTrack>,
    /// What happens at a frame or a time.
    #[serde(default)]
    #[schemars(with = "Vec<CueEntry>")]
    pub(in crate::scene) cues: Vec<Spanned<CueEntry>>,
    /// What happens whenever something has become so.
    #[serde(default)]
    #[schemars(with = "Vec<RuleEntry>")]
    pub(in crate::scene) rules: Vec<Spanned<RuleEntry>>,
    /// A condition that must hold at a frame or a time, or by then.
    #[serde(default)]
    #[schemars(with = "Vec<ExpectEntry>")]
    pub(in crate::scene) expect: Vec<Spanned<ExpectEntry>>,
}

// The four parts of an entity stand in three tables, field by field: `serde` can share fields between tables, but then
// loses where in the file they are.

/// The parts of an entity.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(in crate::scene) struct Preset {
    /// Where it is, relative to its parent.
    pub(in crate::scene) transform: Option<TransformEntry>,
    /// Its box.
    pub(in crate::scene) collider: Option<ColliderEntry>,
    /// How it moves by itself.
    pub(in crate::scene) body: Option<BodyEntry>,
    /// Registered components by name. A tag is `true`.
    #[schemars(schema_with = "any_components")]
    pub(in crate::scene) components: Option<String>,
    /// Entities that come along, linked under it; named `name/child` after the name of the entity.
    #[schemars(with = "Vec<EntityEntry>")]
    pub(in crate::scene) children: Vec<Spanned<EntityEntry>>,
}

/// An entity. What it says itself goes before what its template says, field by field.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(in crate::scene) struct EntityEntry {
    /// The name, unique within the scene.
    #[schemars(with = "Option<String>")]
    pub(in crate::scene) name: Option<Spanned<String>>,
    /// The preset that it is made from.
    #[schemars(with = "Option<String>")]
    pub(in crate::scene) template: Option<Spanned<String>>,
    /// The name of the entity under which it is linked.
    #[schemars(with = "Option<String>")]
    pub(in crate::scene) parent: Option<Spanned<String>>,
    /// Where it is, relative to its parent.
    pub(in crate::scene) transform: Option<TransformEntry>,
    /// Its box.
    pub(in crate::scene) collider: Option<ColliderEntry>,
    /// How it moves by itself.
    pub(in crate::scene) body: Option<BodyEntry>,
    /// Registered components by name. A tag is `true`.
    #[schemars(schema_with = "any_components")]
    pub(in crate::scene) components: Option<String>,
    /// Entities that are linked under it; named `name/child` after its name.
    #[schemars(with = "Vec<EntityEntry>")]
    pub(in crate::scene) children: Vec<Spanned<EntityEntry>>,
    /// Changes to the children of its template, by their names: `hook`, or `trolley/hook` for a child's child.
    #[schemars(with = "BTreeMap<String, Preset>")]
    pub(in crate::scene) overrides: BTreeMap<Spanned<String>, Preset>,
    /// Several in the place of one.
    #[schemars(with = "Option<ArrangeEntry>")]
    pub(in crate::scene) arrange: Option<Spanned<ArrangeEntry>>,
}

/// A local placement. What is left out stays as it is: at the origin, unturned, unscaled, unless a template or an
/// earlier cue says otherwise.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(in crate::scene) struct TransformEntry {
    /// Metres along the parent's axes.
    pub(in crate::scene) translation: Option<Triple>,
    /// A unit quaternion: x, y, z, w. Instead of `turn`.
    #[schemars(with = "Option<[f32; 4]>")]
    pub(in crate::scene) rotation: Option<Spanned<[f32; 4]>>,
    /// A turn about an axis. Instead of `rotation`.
    #[schemars(with = "Option<Turn>")]
    pub(in crate::scene) turn: Option<Spanned<Turn>>,
    /// Factors along the entity's own axes.
    pub(in crate::scene) scale: Option<Triple>,
}

/// A turn about an axis, counter-clockwise as seen from the tip of the axis.
#[derive(Deserialize, JsonSchema, Debug, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(in crate::scene) struct Turn {
    /// The direction of the axis, of any length but 0.
    pub(in crate::scene) axis: Triple,
    /// The angle.
    pub(in crate::scene) degrees: f32,
}

/// The boxes of an entity, in its own space: one (`size` and `center`), several (`boxes`), or a grid of `tiles`.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(in crate::scene) struct ColliderEntry {
    /// The size along each axis, in metres, not negative.
    #[schemars(with = "Option<Triple>")]
    pub(in crate::scene) size: Option<Spanned<Triple>>,
    /// The center of the box, from the entity's origin. Default: [0, 0, 0].
    pub(in crate::scene) center: Option<Triple>,
    /// Several boxes instead of `size` and `center`.
    #[schemars(with = "Option<Vec<BoxEntry>>")]
    pub(in crate::scene) boxes: Option<Spanned<Vec<BoxEntry>>>,
    /// Further sets of boxes by name, such as `folded` and `reaching`. The boxes above are the set `default`.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, Vec<BoxEntry>>")]
    pub(in crate::scene) sets: BTreeMap<Spanned<String>, Vec<BoxEntry>>,
    /// The name of the active set. Default: `default`.
    #[schemars(with = "Option<String>")]
    pub(in crate::scene) set: Option<Spanned<String>>,
    /// A grid of solid tiles instead of boxes.
    #[schemars(with = "Option<TilesEntry>")]
    pub(in crate::scene) tiles: Option<Spanned<TilesEntry>>,
    /// Whether its boxes stay along the axes when the entity rotates, instead of growing to enclose it. Default: false.
    pub(in crate::scene) upright: Option<bool>,
    /// Whether it stops dynamic bodies (`solid`) or only reports contacts (`sensor`). Default: `solid`.
    pub(in crate::scene) kind: Option<ColliderKind>,
    /// The name of its layer. Default: `default`.
    #[schemars(with = "Option<String>")]
    pub(in crate::scene) layer: Option<Spanned<String>>,
    /// Whether it takes part. Default: true.
    pub(in crate::scene) on: Option<bool>,
}

/// One of several boxes.
#[derive(Deserialize, JsonSchema, Debug, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(in crate::scene) struct BoxEntry {
    /// The size along each axis, in metres, not negative.
    #[schemars(with = "Triple")]
    pub(in crate::scene) size: Spanned<Triple>,
    /// Where the middle of the box is, from the entity's origin.
    #[serde(default)]
    pub(in crate::scene) center: Triple,
}

/// A grid of tiles, drawn in text.
#[derive(Deserialize, JsonSchema, Debug, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(in crate::scene) struct TilesEntry {
    /// Equally long rows: `#` is a solid tile, `.` or a space a free one.
    pub(in crate::scene) rows: Vec<String>,
    /// The size of a tile, in metres.
    pub(in crate::scene) tile: Triple,
    /// How the rows lie: on the `ground`, seen from above, from the entity's origin along x and z, or as a `wall`,
    /// seen from the front, with the last row at the entity's origin. Default: `ground`.
    #[serde(default)]
    pub(in crate::scene) plane: PlaneEntry,
}

#[derive(Deserialize, JsonSchema, Debug, Clone, Copy, PartialEq, Eq, Default)]
#[serde(rename_all = "kebab-case")]
pub(in crate::scene) enum PlaneEntry {
    #[default]
    Ground,
    Wall,
}

#[derive(Deserialize, JsonSchema, Debug, Clone, Copy, PartialEq, Eq)]
#[serde(rename_all = "kebab-case")]
pub(in crate::scene) enum ColliderKind {
    Solid,
    Sensor,
}

/// How an entity with a collider moves.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, rename_all = "kebab-case", default)]
pub(in crate::scene) struct BodyEntry {
    /// `static`, `kinematic` (ignores obstacles, carries and pushes) or `dynamic` (falls and stops). Default: `dynamic`.
    pub(in crate::scene) motion: Option<MotionEntry>,
    /// Metres per second, in world space.
    #[schemars(with = "Option<Triple>")]
    pub(in crate::scene) velocity: Option<Spanned<Triple>>,
    /// The share of gravity that acts on it. Default: 1.
    pub(in crate::scene) gravity_scale: Option<f32>,
    /// The mass in kilograms, above 0. Default: 1.
    #[schemars(with = "Option<f32>")]
    pub(in crate::scene) mass: Option<Spanned<f32>>,
    /// The share of its speed that it keeps when it bounces, from 0 to 1. Default: 0.
    #[schemars(with = "Option<f32>", range(min = 0, max = 1))]
    pub(in crate::scene) restitution: Option<Spanned<f32>>,
    /// The coefficient of friction, 0 or more. Default: 0.
    #[schemars(with = "Option<f32>", range(min = 0))]
    pub(in crate::scene) friction: Option<Spanned<f32>>,
}

#[derive(Deserialize, JsonSchema, Debug, Clone, Copy, PartialEq, Eq)]
#[serde(rename_all = "kebab-case")]
pub(in crate::scene) enum MotionEntry {
    Static,
    Kinematic,
    Dynamic,
}

/// What changes of an entity.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(in crate::scene) struct SetEntry {
    /// The name of the entity.
    #[schemars(with = "String")]
    pub(in crate::scene) entity: Spanned<String>,
    /// Where it is, relative to its parent: this teleports.
    pub(in crate::scene) transform: Option<TransformEntry>,
    /// Its box.
    pub(in crate::scene) collider: Option<ColliderEntry>,
    /// How it moves by itself.
    pub(in crate::scene) body: Option<BodyEntry>,
    /// Registered components by name; each replaces the whole value.
    #[serde(default)]
    #[schemars(schema_with = "any_components")]
    pub(in crate::scene) components: Option<String>,
}

/// An expectation: either `that`, or exactly one of `frame`, `time`, `by-frame` and `by-time`, and exactly one of `touching`, `apart`, `position`, `count` and `budget`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(in crate::scene) struct ExpectEntry {
    /// A description in words, for reports.
    pub(in crate::scene) what: Option<String>,
    /// A condition with a time, in the language of `docs/scene-language.md`: `truck-1 touches barrier by 3 s`.
    #[schemars(with = "Option<String>")]
    pub(in crate::scene) that: Option<Spanned<String>>,
    /// The frame; 0 is the state as loaded.
    #[schemars(with = "Option<u64>")]
    pub(in crate::scene) frame: Option<Spanned<u64>>,
    /// Scene time in seconds: the first frame that ends at this time or later.
    #[schemars(with = "Option<f64>")]
    pub(in crate::scene) time: Option<Spanned<f64>>,
    /// It must hold in at least one frame up to this one.
    #[schemars(with = "Option<u64>")]
    pub(in crate::scene) by_frame: Option<Spanned<u64>>,
    /// It must hold in at least one frame up to this time.
    #[schemars(with = "Option<f64>")]
    pub(in crate::scene) by_time: Option<Spanned<f64>>,
    /// The names of two entities that touch.
    #[schemars(with = "Option<[String; 2]>")]
    pub(in crate::scene) touching: Option<[Spanned<String>; 2]>,
    /// The names of two entities that do not touch.
    #[schemars(with = "Option<[String; 2]>")]
    pub(in crate::scene) apart: Option<[Spanned<String>; 2]>,
    /// Where an entity is in the world.
    pub(in crate::scene) position: Option<PositionEntry>,
    /// How many entities there are.
    #[schemars(with = "Option<CountEntry>")]
    pub(in crate::scene) count: Option<Spanned<CountEntry>>,
    /// How long frames or a system may take; only with `frame` or `time`.
    #[schemars(with = "Option<BudgetEntry>")]
    pub(in crate::scene) budget: Option<Spanned<BudgetEntry>>,
}

/// How much real time the frame or a system may take, over all frames so far without warm-up.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(in crate::scene) struct BudgetEntry {
    /// The name of a system. Default: the whole frame.
    pub(in crate::scene) of: Option<String>,
    /// The percentage of frames within the budget, from 1 to 100. Default: 95.
    #[schemars(with = "Option<u32>", range(min = 1, max = 100))]
    pub(in crate::scene) percentile: Option<Spanned<u32>>,
    /// Milliseconds. Default: the value of `budget-ms` or `budgets-ms`.
    #[schemars(with = "Option<f64>")]
    pub(in crate::scene) at_most_ms: Option<Spanned<f64>>,
}

/// Where an entity is in the world.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(in crate::scene) struct PositionEntry {
    /// The name of the entity.
    #[schemars(with = "String")]
    pub(in crate::scene) entity: Spanned<String>,
    /// The wanted place of its origin, in metres.
    pub(in crate::scene) is: Triple,
    /// The largest distance from there, in metres. Default: 0.001.
    #[schemars(with = "Option<f32>")]
    pub(in crate::scene) within: Option<Spanned<f32>>,
}

/// How many entities there are: `is`, or `at-least` and `at-most`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(in crate::scene) struct CountEntry {
    /// Only entities made from this template count. Default: all entities.
    #[schemars(with = "Option<String>")]
    pub(in crate::scene) template: Option<Spanned<String>>,
    /// Exactly this number.
    pub(in crate::scene) is: Option<u64>,
    /// At least this number.
    pub(in crate::scene) at_least: Option<u64>,
    /// At most this number.
    pub(in crate::scene) at_most: Option<u64>,
}

/// The JSON Schema of scene files, as a JSON text.
///
/// # Example
///
/// ```
/// let schema = gerust::scene::schema();
/// assert!(schema.contains("\"Gerust scene\""));
/// ```
#[must_use]
pub fn schema() -> String {
    let mut schema = schemars::schema_for!(Document);
    RecursiveTransform(or_expression).transform(&mut schema);
    format!("{:#}", schema.as_value())
}

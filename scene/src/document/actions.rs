//! Cues, rules, and what they do, as they are written.

use super::{EntityEntry, SetEntry, Triple};
use schemars::JsonSchema;
use serde::Deserialize;
use toml::Spanned;

/// Something that happens at the beginning of a frame: exactly one of `frame`, `time`, `every` and `every-frames`, and exactly
/// one of `set`, `spawn`, `despawn` and `do`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct CueEntry {
    /// The frame, counted from 1.
    #[schemars(with = "Option<u64>", range(min = 1))]
    pub(crate) frame: Option<Spanned<u64>>,
    /// Scene time in seconds: the first frame that ends at this time or later.
    #[schemars(with = "Option<f64>")]
    pub(crate) time: Option<Spanned<f64>>,
    /// Repeatedly, at this interval in seconds.
    #[schemars(with = "Option<f64>")]
    pub(crate) every: Option<Spanned<f64>>,
    /// Repeatedly, at this interval in frames.
    #[schemars(with = "Option<u64>", range(min = 1))]
    pub(crate) every_frames: Option<Spanned<u64>>,
    /// The start in seconds; only with `every` and `every-frames`. Default: the first frame.
    #[schemars(with = "Option<f64>")]
    pub(crate) from: Option<Spanned<f64>>,
    /// The end in seconds; only with `every` and `every-frames`. Default: the last frame.
    #[schemars(with = "Option<f64>")]
    pub(crate) to: Option<Spanned<f64>>,
    /// Changes fields and components of an entity; what is left out stays.
    pub(crate) set: Option<SetEntry>,
    /// Makes an entity.
    pub(crate) spawn: Option<EntityEntry>,
    /// The name of an entity that goes, with everything below it.
    #[schemars(with = "Option<String>")]
    pub(crate) despawn: Option<Spanned<String>>,
    /// Several things, one after the other.
    #[serde(rename = "do")]
    #[schemars(with = "Option<Vec<ActionEntry>>")]
    pub(crate) actions: Option<Vec<Spanned<ActionEntry>>>,
}

/// Something that happens whenever something else has become so: exactly one of `when`, `contact` and `event`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct RuleEntry {
    /// A condition in the language of `docs/scene-language.md`. It is checked after each frame; the actions run
    /// before the next one, when it has come to hold.
    #[schemars(with = "Option<String>")]
    pub(crate) when: Option<Spanned<String>>,
    /// Two names of entities, templates or layers. It happens for each pair of them that begins to touch; actions name the two `it`
    /// and `other`, in this order.
    #[schemars(with = "Option<[String; 2]>")]
    pub(crate) contact: Option<[Spanned<String>; 2]>,
    /// The name of an event. It happens for each that is posted; actions name the entity that it is about `it`, and a second one
    /// `other`.
    #[schemars(with = "Option<String>")]
    pub(crate) event: Option<Spanned<String>>,
    /// With `contact` and `event`: a condition that must hold as well. It may ask for `it`, `other`, and fields of the event, such as
    /// `event.tonnes`.
    #[serde(rename = "where")]
    #[schemars(with = "Option<String>")]
    pub(crate) condition: Option<Spanned<String>>,
    /// Whether the rule fires only the first time. Default: false.
    #[serde(default)]
    pub(crate) once: bool,
    /// Whether the rule fires after each frame in which the condition holds, not only when it begins to hold. Default: false.
    #[serde(default)]
    pub(crate) each_frame: bool,
    /// What happens, one after the other.
    #[serde(rename = "do")]
    #[schemars(with = "Vec<ActionEntry>")]
    pub(crate) actions: Vec<Spanned<ActionEntry>>,
}

impl RuleEntry {
    /// On what it acts, for reports.
    pub(crate) fn describe(&self) -> String {
        match (&self.when, &self.contact, &self.event) {
            (Some(when), _, _) => when.get_ref().clone(),
            (_, Some([one, other]), _) => {
                format!("contact of `{}` and `{}`", one.get_ref(), other.get_ref())
            }
            (_, _, Some(event)) => format!("event `{}`", event.get_ref()),
            (None, None, None) => String::new(),
        }
    }
}

/// One thing that happens: exactly one key besides `chance`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct ActionEntry {
    /// The probability of the action, from 0 to 1; the outcome is the same in each run. Default: 1.
    #[schemars(with = "Option<f64>", range(min = 0, max = 1))]
    pub(crate) chance: Option<Spanned<f64>>,
    /// Changes fields and components of an entity; what is left out stays.
    pub(crate) set: Option<SetEntry>,
    /// Makes an entity.
    pub(crate) spawn: Option<EntityEntry>,
    /// The name of an entity that goes, with everything below it.
    #[schemars(with = "Option<String>")]
    pub(crate) despawn: Option<Spanned<String>>,
    /// Puts an entity under another one.
    pub(crate) link: Option<LinkEntry>,
    /// Takes an entity from under its parent; it stays where it is in the world.
    #[schemars(with = "Option<String>")]
    pub(crate) unlink: Option<Spanned<String>>,
    /// Takes a registered component off an entity.
    pub(crate) detach: Option<DetachEntry>,
    /// Gives a body an impulse.
    pub(crate) push: Option<PushEntry>,
    /// Sets one field to the value of an expression.
    pub(crate) change: Option<ChangeEntry>,
    /// Posts an event.
    pub(crate) emit: Option<EmitEntry>,
    /// Moves a control input.
    pub(crate) control: Option<ControlEntry>,
    /// Does something that the program has registered.
    pub(crate) own: Option<OwnEntry>,
    /// Switches a system, or all of a label, on or off.
    pub(crate) switch: Option<SwitchEntry>,
    /// Puts the entities of another scene file into the world, by its path from the directory of this one. Only its entities
    /// count.
    #[schemars(with = "Option<String>")]
    pub(crate) load: Option<Spanned<String>>,
    /// Takes all entities away that were loaded from a file, by the same path. What others have linked under them stays.
    #[schemars(with = "Option<String>")]
    pub(crate) unload: Option<Spanned<String>>,
    /// Ends the scene with a verdict.
    pub(crate) stop: Option<StopEntry>,
}

/// Puts an entity under another one.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct LinkEntry {
    /// The name of the entity.
    #[schemars(with = "String")]
    pub(crate) entity: Spanned<String>,
    /// The name of its parent from then on.
    #[schemars(with = "String")]
    pub(crate) under: Spanned<String>,
    /// Whether it keeps its world placement instead of its local one. Default: true.
    pub(crate) in_place: Option<bool>,
}

/// Takes a registered component off an entity.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct DetachEntry {
    /// The name of the entity.
    #[schemars(with = "String")]
    pub(crate) entity: Spanned<String>,
    /// The name of the component.
    #[schemars(with = "String")]
    pub(crate) component: Spanned<String>,
}

/// Gives a body an impulse: exactly one of `entity` and `away-from`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct PushEntry {
    /// The name of an entity with a dynamic body.
    #[schemars(with = "Option<String>")]
    pub(crate) entity: Option<Spanned<String>>,
    /// The impulse in kg·m/s; with `entity`.
    pub(crate) impulse: Option<Triple>,
    /// A place in the world from which all dynamic bodies are pushed away that are nearer than `radius`.
    #[schemars(with = "Option<Triple>")]
    pub(crate) away_from: Option<Spanned<Triple>>,
    /// How far it reaches, in metres; with `away-from`.
    #[schemars(with = "Option<f32>")]
    pub(crate) radius: Option<Spanned<f32>>,
    /// The impulse at the place itself in kg·m/s, which falls to 0 at the radius; with `away-from`.
    pub(crate) strength: Option<f32>,
}

/// Sets one field to the value of an expression.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct ChangeEntry {
    /// The entity and the field: `crate-1.load.tonnes`.
    #[schemars(with = "String")]
    pub(crate) field: Spanned<String>,
    /// An expression, of values of entities as well: `crate-1.load.tonnes * 0.9`.
    #[schemars(with = "String")]
    pub(crate) to: Spanned<String>,
}

/// Posts an event.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct EmitEntry {
    /// The registered name of the event.
    #[schemars(with = "String")]
    pub(crate) event: Spanned<String>,
    /// The fields of the event. `entity` and `other` are names of entities.
    #[schemars(with = "Option<serde_json::Value>")]
    pub(crate) with: Option<Spanned<serde_json::Value>>,
}

/// Moves a control input: exactly one of `held` and `value`.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct ControlEntry {
    /// The name of the control, which must stand under `controls`.
    #[schemars(with = "String")]
    pub(crate) name: Spanned<String>,
    /// Whether it is held from then on: at 1 or at 0.
    pub(crate) held: Option<bool>,
    /// Where it is from then on.
    pub(crate) value: Option<f32>,
}

/// How a control input is moved while the scene runs, besides by actions. It is at 0 at the start.
#[derive(Deserialize, JsonSchema, Debug, Default)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct ControlTrack {
    /// From when to when it is held, in seconds: pairs of times.
    #[serde(default)]
    #[schemars(with = "Vec<[f64; 2]>")]
    pub(crate) held: Vec<Spanned<[Spanned<f64>; 2]>>,
    /// Where it is from when on: pairs of a time in seconds and a number.
    #[serde(default)]
    #[schemars(with = "Vec<[f64; 2]>")]
    pub(crate) values: Vec<(Spanned<f64>, f32)>,
}

/// Does something that the program has registered.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct OwnEntry {
    /// The name under which it is registered.
    #[schemars(with = "String")]
    pub(crate) name: Spanned<String>,
    /// Any parameters.
    #[serde(default)]
    pub(crate) with: serde_json::Value,
}

/// Switches a system on or off.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct SwitchEntry {
    /// The name of a system, or a label.
    pub(crate) system: String,
    /// Whether it runs from then on.
    pub(crate) on: bool,
}

/// Ends the scene with a verdict.
#[derive(Deserialize, JsonSchema, Debug)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub(crate) struct StopEntry {
    /// Whether that is how it should end. Expectations that are not decided yet do not count then.
    pub(crate) verdict: VerdictEntry,
    /// Why, for reports.
    pub(crate) why: Option<String>,
}

#[derive(Deserialize, JsonSchema, Debug, Clone, Copy, PartialEq, Eq)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum VerdictEntry {
    Held,
    Failed,
}

//! What names stand for in expectations, and answers to their questions.

use super::action::About;
use super::built_in::{self, BuiltIn};
use super::event_log::EventLog;
use super::first_origin::absolute;
use super::language::{Names, Path, Question, Value};
use super::names::find_name;
use super::read::ParameterValues;
use super::registry::Registry;
use gerust::collide::{Collider, Contacts, Layers, WorldBox};
use gerust::runtime::Controls;
use gerust::schedule::Clock;
use gerust::space::{MadeFrom, WorldTransform};
use gerust::store::{Entity, Name, World};
use gerust::suggest;
use serde_json::{Value as Json, json};

/// A value of the whole world with a word of its own.
pub(super) const OF_THE_WORLD: [&str; 6] = [
    "contacts",
    "digest",
    "entities",
    "frame",
    "leftovers",
    "time",
];
/// A value of an entity besides registered components.
pub(super) const OF_AN_ENTITY: [&str; 6] = [
    "body",
    "collider",
    "parent",
    "position",
    "template",
    "transform",
];

/// The name of an event inside the rule that it triggers.
pub(super) const EVENT: &str = "event";

/// The problem, and how to fix it.
type Told = (String, String);

/// A world, and what else names may stand for.
pub(super) struct Asked<'w> {
    pub(super) world: &'w World,
    pub(super) registry: &'w Registry,
    pub(super) parameters: &'w ParameterValues,
    /// The entities and the event of a rule, if it concerns more than the world.
    pub(super) about: About<'w>,
    /// What happened, if the world does not say so itself.
    pub(super) log: Option<&'w EventLog>,
}

impl Names for Asked<'_> {
    fn value(&self, path: &Path) -> Result<Option<Value>, Told> {
        let [component, fields @ ..] = path.fields.as_slice() else {
            return match self.parameters.value(path)? {
                Some(value) => Ok(Some(value)),
                None => Ok(self.of_world(&path.base)),
            };
        };
        if let Some(event) = self.about.event
            && path.base == EVENT
        {
            return self.field_of_event(event, path).map(Some);
        }
        let entity = self.find(&path.base)?;
        let whole = self.component(entity, component).ok_or_else(|| {
            (
                format!("`{}` has no {component}", path.base),
                String::from("attach one, or ask about another"),
            )
        })?;
        let found = fields
            .iter()
            .try_fold(&whole, |value, field| field_of(value, field));
        let found = found.ok_or_else(|| {
            let known = format!("`{component}` of `{}` is {whole}", path.base);
            (
                format!("there is no `{path}`: {known}"),
                String::from("name one of its fields"),
            )
        })?;
        match value_of(found) {
            Some(value) => Ok(Some(value)),
            None => Err((
                format!("`{path}` is no single value but {found}"),
                String::from("name one of its fields"),
            )),
        }
    }

    fn all(&self) -> Vec<&str> {
        OF_THE_WORLD
            .into_iter()
            .chain(self.parameters.all())
            .collect()
    }

    fn answer(&self, question: &Question) -> Result<Option<Value>, Told> {
        if let Question::Count(template) = question {
            let rows = self.world.rows::<&MadeFrom>();
            let count = rows
                .iter()
                .filter(|made| made.template() == template)
                .count();
            return Ok(Some(Value::Number(count as f64)));
        }
        if let Some(answer) = self.answer_of_world(question)? {
            return Ok(Some(answer));
        }
        if let Question::Exists(name) = question {
            return Ok(Some(Value::Truth(find_name(self.world, name).is_some())));
        }
        let entities: Result<Vec<Entity>, Told> = question
            .entities()
            .into_iter()
            .map(|name| self.find(name))
            .collect();
        let entities = entities?;
        let contacts = self.world.global::<Contacts>().ok();
        let truth = match (question, entities.as_slice()) {
            (Question::Touches(..), &[one, other]) => {
                contacts.is_some_and(|contacts| contacts.met(one, other))
            }
            (Question::StandsOn(..), &[one, other]) => contacts.is_some_and(|contacts| {
                contacts
                    .stands_on(one)
                    .is_some_and(|standing| standing.carrier == other)
            }),
            (Question::IsInside(..), &[one, other]) => self.is_inside(one, other),
            (Question::IsUnder(..), &[one, other]) => {
                self.world.ancestors(one).any(|above| above == other)
            }
            (Question::Contacts(_), &[one]) => {
                let count = contacts.map_or(0, |contacts| contacts.of(one).count());
                return Ok(Some(Value::Number(count as f64)));
            }
            _ => false,
        };
        Ok(Some(Value::Truth(truth)))
    }
}

impl Asked<'_> {
    /// The answer to a question that is about no entity.
    fn answer_of_world(&self, question: &Question) -> Result<Option<Value>, Told> {
        let own = self.world.find_global::<EventLog>();
        let happenings = self.log.or(own.as_deref());
        let number = match question {
            Question::Happens(event) => {
                let count = happenings.map_or(0, |happenings| happenings.of_frame(event));
                return Ok(Some(Value::Truth(count > 0)));
            }
            Question::Events(event) => {
                happenings.map_or(0, |happenings| happenings.so_far(event)) as f64
            }
            Question::Control(name) => {
                let controls = self.world.find_global::<Controls>();
                f64::from(controls.map_or(0.0, |controls| controls.value(name)))
            }
            Question::Counter(name) => {
                let count =
                    happenings.and_then(|happenings| happenings.counters.get(name.as_str()));
                *count.ok_or_else(|| {
                    let counters = happenings.iter().flat_map(|known| known.counters.keys());
                    (
                        format!("the frame has no counter `{name}`"),
                        suggest(name, "counters", counters.copied()),
                    )
                })? as f64
            }
            _ => return Ok(None),
        };
        Ok(Some(Value::Number(number)))
    }

    fn field_of_event(&self, event: &Json, path: &Path) -> Result<Value, Told> {
        let mut fields = path.fields.iter();
        let found = fields.try_fold(event, |value, field| field_of(value, field));
        found.and_then(value_of).ok_or_else(|| {
            (
                format!("unknown value `{path}`: the event is {event}"),
                String::from("name one of its fields"),
            )
        })
    }

    fn find(&self, name: &str) -> Result<Entity, Told> {
        self.about.find(self.world, name).ok_or_else(|| {
            (
                format!("there is no `{name}`"),
                String::from("ask whether it exists before"),
            )
        })
    }

    fn of_world(&self, name: &str) -> Option<Value> {
        let contacts = || self.world.global::<Contacts>().ok();
        let clock = || self.world.global::<Clock>().ok();
        let number = match name {
            "digest" => {
                let digest = self.world.digest();
                let text = digest
                    .map_or_else(|error| error.to_string(), |digest| format!("{digest:016x}"));
                return Some(Value::Text(text));
            }
            "entities" => self.world.len() as f64,
            "contacts" => contacts()?.iter().len() as f64,
            "leftovers" => contacts()?.leftover_count() as f64,
            "frame" => clock()?.frame() as f64,
            "time" => clock()?.seconds(),
            _ => return None,
        };
        Some(Value::Number(number))
    }

    /// Whether the box around one lies in the box around another.
    fn is_inside(&self, one: Entity, other: Entity) -> bool {
        let boxes = (
            self.world.get::<WorldBox>(one),
            self.world.get::<WorldBox>(other),
        );
        let (Ok(one), Ok(other)) = boxes else {
            return false;
        };
        let (one, other) = (one.aabb(), other.aabb());
        other.min.cmple(one.min).all() && one.max.cmple(other.max).all()
    }

    /// The described fields of a component; of a collider its layer and box set as well.
    fn described(&self, built_in: &BuiltIn, entity: Entity) -> Option<Json> {
        let mut fields = (built_in.show)(self.world, entity)?;
        if built_in.name == "collider" {
            let collider = self.world.get::<Collider>(entity).ok()?;
            let layers = self.world.global::<Layers>().ok()?;
            let layer = Json::from(layers.name(collider.layer()));
            fields.insert(String::from("layer"), layer);
            let set = Json::from(collider.current_set());
            fields.insert(String::from("set"), set);
        }
        Some(Json::Object(fields))
    }

    /// All of a component; `None` if the entity has none.
    pub(super) fn component(&self, entity: Entity, name: &str) -> Option<Json> {
        let world = self.world;
        match name {
            "position" => {
                let placed = world.get::<WorldTransform>(entity).ok()?;
                Some(json!(absolute(world, placed.translation())))
            }
            "parent" => {
                let name = world.get::<Name>(world.parent(entity)?).ok()?;
                Some(Json::from(name.as_str()))
            }
            "template" => {
                let made = world.get::<MadeFrom>(entity).ok()?;
                Some(Json::from(made.template()))
            }
            _ => match built_in::find(name) {
                Some(built_in) => self.described(built_in, entity),
                None => self.registry.show(name, world, entity),
            },
        }
    }
}

/// A field of a table, with `_` for `-` if need be, or an item of a list by its number from 0 or by its axis.
fn field_of<'j>(value: &'j Json, field: &str) -> Option<&'j Json> {
    match value {
        Json::Object(fields) => fields
            .get(field)
            .or_else(|| fields.get(&field.replace('-', "_"))),
        Json::Array(items) => items.get(place_in(items.len(), field)?),
        _ => None,
    }
}

/// As [`field_of`], to change it.
fn field_mut<'j>(value: &'j mut Json, field: &str) -> Option<&'j mut Json> {
    match value {
        Json::Object(fields) => match fields.contains_key(field) {
            true => fields.get_mut(field),
            false => fields.get_mut(&field.replace('-', "_")),
        },
        Json::Array(items) => {
            let place = place_in(items.len(), field)?;
            items.get_mut(place)
        }
        _ => None,
    }
}

/// The index of an item in a list of `count` items: its number, or its axis if there are not more items than axes.
pub(super) fn place_in(items: usize, field: &str) -> Option<usize> {
    const AXES: [&str; 4] = ["x", "y", "z", "w"];
    let axis = AXES.iter().position(|axis| *axis == field);
    axis.filter(|_| items <= AXES.len())
        .or_else(|| field.parse().ok())
}

/// The place that a path of fields leads to, to change it.
pub(super) fn fields_mut<'j>(whole: &'j mut Json, fields: &[String]) -> Option<&'j mut Json> {
    let mut fields = fields.iter();
    fields.try_fold(whole, |value, field| field_mut(value, field))
}

fn value_of(value: &Json) -> Option<Value> {
    match value {
        Json::Number(number) => Some(Value::Number(number.as_f64()?)),
        Json::String(text) => Some(Value::Text(text.clone())),
        Json::Bool(truth) => Some(Value::Truth(*truth)),
        Json::Array(items) => match items.as_slice() {
            [x, y, z] => Some(Value::Vector([x.as_f64()?, y.as_f64()?, z.as_f64()?])),
            _ => None,
        },
        Json::Null | Json::Object(_) => None,
    }
}

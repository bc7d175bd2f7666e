//! Differences between a frame and an earlier one.

use serde::{Serialize, Serializer};
use serde_json::{Map, Value as Json};
use std::collections::BTreeMap;

/// A box as the page draws it: its lower corner, then its upper one, in metres.
pub(super) type Corners = [f64; 6];

/// All that has changed between two frames; entities and components are places in the lists of the page.
#[derive(Serialize, Default)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Change {
    pub(super) frame: u64,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) born: Vec<usize>,
    /// Entities that were despawned, spawned before or in between; their ids never return.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) gone: Vec<usize>,
    /// How entities are drawn; `None` where they are not drawn any more.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) drawn: BTreeMap<usize, Option<Drawn>>,
    /// Under whom an entity is.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) parents: BTreeMap<usize, Option<usize>>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) values: BTreeMap<usize, BTreeMap<usize, Value>>,
    /// Pairs that touch, by their places with a blank between; nothing where they have parted.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) contacts: BTreeMap<Pair, Option<Json>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) events: Vec<(String, gerust::Datum)>,
}

/// How an entity is drawn: `[look, [corners]]` or `[x, y, z]`.
#[derive(Serialize, Clone, PartialEq, Debug)]
#[serde(untagged)]
pub(super) enum Drawn {
    /// As boxes of a look.
    Boxes(&'static str, Vec<Corners>),
    /// As a point, where it has no boxes.
    Point([f64; 3]),
}

/// Two colliders, as a key of a JSON object.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) struct Pair(pub(super) usize, pub(super) usize);

impl Serialize for Pair {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&format_args!("{} {}", self.0, self.1))
    }
}

/// The change of a value.
#[derive(PartialEq, Debug)]
pub(super) enum Value {
    /// It is this now.
    Whole(Json),
    /// Some of its fields are these now.
    Fields(Map<String, Json>),
    /// It is there no more.
    Gone,
}

/// `[value]`, `{field: value}`, or `0`.
impl Serialize for Value {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Whole(value) => [value].serialize(serializer),
            Self::Fields(fields) => fields.serialize(serializer),
            Self::Gone => serializer.serialize_u8(0),
        }
    }
}

impl Value {
    /// From one value to another, in as little as that can be said.
    pub(super) fn between(before: Option<&Json>, after: &Json) -> Self {
        let (Some(Json::Object(before)), Json::Object(after)) = (before, after) else {
            return Self::Whole(after.clone());
        };
        if !before.keys().eq(after.keys()) {
            return Self::Whole(Json::Object(after.clone()));
        }
        let fields = after
            .iter()
            .filter(|(name, value)| before[*name] != **value);
        Self::Fields(
            fields
                .map(|(name, value)| (name.clone(), value.clone()))
                .collect(),
        )
    }

    /// Both changes, one after the other.
    fn then(self, later: Self) -> Self {
        match (self, later) {
            (Self::Fields(mut fields), Self::Fields(later)) => {
                fields.extend(later);
                Self::Fields(fields)
            }
            (Self::Whole(Json::Object(mut fields)), Self::Fields(later)) => {
                fields.extend(later);
                Self::Whole(Json::Object(fields))
            }
            (_, later) => later,
        }
    }
}

impl Change {
    /// Both changes, one after the other.
    pub(super) fn then(mut self, later: Self) -> Self {
        self.frame = later.frame;
        self.born.extend(later.born);
        self.gone.extend(later.gone);
        self.drawn.extend(later.drawn);
        self.parents.extend(later.parents);
        self.contacts.extend(later.contacts);
        self.events.extend(later.events);
        for (entity, values) in later.values {
            let known = self.values.entry(entity).or_default();
            for (component, value) in values {
                let value = match known.remove(&component) {
                    Some(earlier) => earlier.then(value),
                    None => value,
                };
                known.insert(component, value);
            }
        }
        // A despawned entity keeps no values, including those set in between.
        for gone in &self.gone {
            self.drawn.remove(gone);
            self.parents.remove(gone);
            self.values.remove(gone);
        }
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_value_is_reported_by_the_fields_that_changed() {
        let before = json!({"mass": 2.0, "velocity": [0.0, 1.0, 0.0]});
        let after = json!({"mass": 2.0, "velocity": [0.0, 2.0, 0.0]});
        let change = Value::between(Some(&before), &after);
        let text = serde_json::to_string(&change).expect("it is written");
        assert_eq!(text, r#"{"velocity":[0.0,2.0,0.0]}"#);
        // Another set of fields, or nothing before: all of it.
        let other = json!({"mass": 2.0});
        assert_eq!(
            Value::between(Some(&after), &other),
            Value::Whole(other.clone())
        );
        assert_eq!(Value::between(None, &other), Value::Whole(other));
        assert_eq!(
            serde_json::to_string(&Value::Gone).expect("it is written"),
            "0"
        );
    }

    #[test]
    fn two_changes_become_one() {
        let one = |frame, component, value| Change {
            frame,
            values: BTreeMap::from([(7, BTreeMap::from([(component, value)]))]),
            ..Change::default()
        };
        let fields = |value: Json| match value {
            Json::Object(fields) => Value::Fields(fields),
            other => Value::Whole(other),
        };
        let change = one(1, 0, Value::Whole(json!({"a": 1, "b": 1})))
            .then(one(2, 0, fields(json!({"b": 2}))))
            .then(one(3, 1, Value::Gone));
        assert_eq!(change.frame, 3);
        let values = &change.values[&7];
        assert_eq!(values[&0], Value::Whole(json!({"a": 1, "b": 2})));
        assert_eq!(values[&1], Value::Gone);

        let gone = Change {
            frame: 4,
            gone: vec![7],
            ..Change::default()
        };
        assert!(change.then(gone).values.is_empty());
    }
}

//! Tables of a scene file whose keys are the fields of a described component.

use crate::fault::Fault;
use crate::values::short_json;
use gerust::collide::{Body, Collider};
use gerust::space::Transform;
use gerust::store::{Described, Field, FieldKind, FieldValue};
use gerust::suggest;
use glam::{Quat, Vec3};
use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::de::value::MapAccessDeserializer;
use serde::de::{self, Deserializer, IntoDeserializer, MapAccess, Visitor};
use serde::{Deserialize, forward_to_deserialize_any};
use serde_json::{Value as Json, json};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::fmt;
use std::marker::PhantomData;
use toml::Spanned;

/// A described component that scene files give field by field.
pub(crate) trait Part: Described {
    /// The component whose values count where no file gives any.
    fn fresh() -> Self;
}

impl Part for Body {
    fn fresh() -> Self {
        Self::default()
    }
}

impl Part for Transform {
    fn fresh() -> Self {
        Self::default()
    }
}

impl Part for Collider {
    fn fresh() -> Self {
        Self::solid(gerust::Aabb::default())
    }
}

/// The fields of a component that a table gives, and the keys `X` that stand for no field of it.
#[derive(Debug)]
pub(crate) struct Entry<T, X> {
    pub(crate) given: Given<T>,
    pub(crate) rest: X,
}

impl<T, X: Clone> Clone for Entry<T, X> {
    fn clone(&self) -> Self {
        Self {
            given: self.given.clone(),
            rest: self.rest.clone(),
        }
    }
}

impl<T, X: Default> Default for Entry<T, X> {
    fn default() -> Self {
        Self {
            given: Given::default(),
            rest: X::default(),
        }
    }
}

/// Values of fields by place in [`Described::FIELDS`], and where the file gives them.
pub(crate) struct Given<T> {
    values: BTreeMap<usize, Spanned<FieldValue>>,
    of: PhantomData<fn(T)>,
}

impl<T> Clone for Given<T> {
    fn clone(&self) -> Self {
        Self {
            values: self.values.clone(),
            of: PhantomData,
        }
    }
}

impl<T> Default for Given<T> {
    fn default() -> Self {
        Self {
            values: BTreeMap::new(),
            of: PhantomData,
        }
    }
}

impl<T> fmt::Debug for Given<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.values.fmt(f)
    }
}

impl<T: Described> Given<T> {
    /// The value of a field, if the file gives one.
    pub(crate) fn get(&self, name: &str) -> Option<&Spanned<FieldValue>> {
        self.values.get(&place_of::<T>(name)?)
    }

    /// Sets a field, or takes its value away.
    pub(crate) fn set(&mut self, name: &str, value: Option<FieldValue>) {
        let Some(place) = place_of::<T>(name) else {
            return;
        };
        match value {
            Some(value) => self.values.insert(place, Spanned::new(0..0, value)),
            None => self.values.remove(&place),
        };
    }

    /// These values, and those of a template where there are none.
    pub(crate) fn over(mut self, template: &Self) -> Self {
        for (&place, value) in &template.values {
            self.values.entry(place).or_insert_with(|| value.clone());
        }
        self
    }

    /// Writes the values into a component. Values that do not fit are left out; [`faults`](Self::faults) lists them.
    pub(crate) fn apply(&self, component: &mut T) {
        for (&place, value) in &self.values {
            let _ = T::FIELDS[place].write(component, value.get_ref());
        }
    }

    /// The values that do not fit their fields. A file has no infinite numbers, so no fault names them.
    pub(crate) fn faults(&self) -> impl Iterator<Item = Fault> {
        self.values.iter().filter_map(|(&place, value)| {
            let field = &T::FIELDS[place];
            field.check(value.get_ref()).err()?;
            let (message, fix) = match (field.kind(), value.get_ref()) {
                (FieldKind::Choice(choices), FieldValue::Choice(wrong)) => (
                    format!("`{wrong}` is not one of the choices"),
                    suggest(wrong, "choices", choices.iter().copied()),
                ),
                (FieldKind::Rotation, FieldValue::Rotation(rotation)) => {
                    let length = rotation.length();
                    (
                        format!("a rotation is a quaternion of length 1, but this one has length {length}"),
                        String::from("write [0, 0, 0, 1] for no rotation, or use `turn = { axis = [0, 1, 0], degrees = 90 }`"),
                    )
                }
                (kind, value) => {
                    let wanted = match kind {
                        FieldKind::Number { least, most, .. } => FieldKind::Number {
                            least,
                            most,
                            or_infinite: false,
                        },
                        other => other,
                    };
                    (
                        format!("`{}` must be {wanted}, found {value}", field.name()),
                        format!("write {wanted}"),
                    )
                }
            };
            Some(Fault::new(value.span(), message, fix))
        })
    }
}

fn place_of<T: Described>(name: &str) -> Option<usize> {
    T::FIELDS.iter().position(|field| field.name() == name)
}

/// The fields that a file can give.
fn settable<T: Described>() -> impl Iterator<Item = &'static Field<T>> {
    T::FIELDS.iter().filter(|field| !field.is_derived())
}

impl<'de, T: Described, X: Deserialize<'de>> Deserialize<'de> for Entry<T, X> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let keys = keys_of::<X>();
        deserializer.deserialize_map(EntryVisitor {
            keys,
            of: PhantomData,
        })
    }
}

struct EntryVisitor<T, X> {
    /// The further keys.
    keys: &'static [&'static str],
    of: PhantomData<fn(T, X)>,
}

impl<'de, T: Described, X: Deserialize<'de>> Visitor<'de> for EntryVisitor<T, X> {
    type Value = Entry<T, X>;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a table in braces")
    }

    fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Entry<T, X>, A::Error> {
        let mut given = Given::default();
        let rest = X::deserialize(MapAccessDeserializer::new(OtherKeys {
            map,
            keys: self.keys,
            given: &mut given,
        }))?;
        Ok(Entry { given, rest })
    }
}

/// The entries of a table without the fields of a component, which are read on the way.
struct OtherKeys<'g, A, T> {
    map: A,
    keys: &'static [&'static str],
    given: &'g mut Given<T>,
}

impl<'de, A: MapAccess<'de>, T: Described> MapAccess<'de> for OtherKeys<'_, A, T> {
    type Error = A::Error;

    fn next_key_seed<K: de::DeserializeSeed<'de>>(
        &mut self,
        seed: K,
    ) -> Result<Option<K::Value>, A::Error> {
        let mut seed = seed;
        loop {
            let key = self.map.next_key_seed(KeySeed::<K, T> {
                seed,
                keys: self.keys,
                of: PhantomData,
            })?;
            match key {
                Some(Key::Other(key)) => return Ok(Some(key)),
                Some(Key::Field(place, unused)) => {
                    let value = read_value(&mut self.map, T::FIELDS[place].kind())?;
                    self.given.values.insert(place, value);
                    seed = unused;
                }
                None => return Ok(None),
            }
        }
    }

    fn next_value_seed<V: de::DeserializeSeed<'de>>(
        &mut self,
        seed: V,
    ) -> Result<V::Value, A::Error> {
        self.map.next_value_seed(seed)
    }
}

/// Reads the next value of a table as a kind of field needs it.
fn read_value<'de, A: MapAccess<'de>>(
    map: &mut A,
    kind: FieldKind,
) -> Result<Spanned<FieldValue>, A::Error> {
    fn spanned<V>(value: Spanned<V>, of: impl FnOnce(V) -> FieldValue) -> Spanned<FieldValue> {
        Spanned::new(value.span(), of(value.into_inner()))
    }
    Ok(match kind {
        FieldKind::Number { .. } => spanned(map.next_value()?, FieldValue::Number),
        FieldKind::Whole { .. } => spanned(map.next_value()?, FieldValue::Whole),
        FieldKind::Truth => spanned(map.next_value()?, FieldValue::Truth),
        FieldKind::Vector { .. } => spanned(map.next_value::<Spanned<[f32; 3]>>()?, |value| {
            FieldValue::Vector(Vec3::from(value))
        }),
        FieldKind::Rotation => spanned(map.next_value::<Spanned<[f32; 4]>>()?, |value| {
            FieldValue::Rotation(Quat::from_array(value))
        }),
        FieldKind::Choice(_) => spanned(map.next_value::<Spanned<String>>()?, |value| {
            FieldValue::Choice(Cow::Owned(value))
        }),
        _ => return Err(de::Error::custom("a scene file cannot give this field")),
    })
}

/// A key: that of a field by its place, with the unused seed, or another one.
enum Key<K, V> {
    Field(usize, K),
    Other(V),
}

/// Reads a key. An unknown one is refused here, so that the error has its place in the file.
struct KeySeed<K, T> {
    seed: K,
    keys: &'static [&'static str],
    of: PhantomData<fn(T)>,
}

impl<'de, K: de::DeserializeSeed<'de>, T: Described> de::DeserializeSeed<'de> for KeySeed<K, T> {
    type Value = Key<K, K::Value>;

    fn deserialize<D: Deserializer<'de>>(self, deserializer: D) -> Result<Self::Value, D::Error> {
        let key = Cow::<str>::deserialize(deserializer)?;
        let place = place_of::<T>(&key).filter(|&place| !T::FIELDS[place].is_derived());
        if let Some(place) = place {
            return Ok(Key::Field(place, self.seed));
        }
        if !self.keys.contains(&key.as_ref()) {
            let known = settable::<T>()
                .map(Field::name)
                .chain(self.keys.iter().copied());
            let known: Vec<String> = known.map(|known| format!("`{known}`")).collect();
            let known = known.join(", ");
            return Err(de::Error::custom(format!(
                "unknown field `{key}`, expected one of {known}"
            )));
        }
        let key = key.as_ref().into_deserializer();
        self.seed.deserialize(key).map(Key::Other)
    }
}

/// The keys that a struct reads.
fn keys_of<'de, X: Deserialize<'de>>() -> &'static [&'static str] {
    let mut keys: &'static [&'static str] = &[];
    // The struct passes its keys to the deserializer, which then fails.
    let _ = X::deserialize(KeyLister(&mut keys));
    keys
}

/// Records the keys of a struct instead of reading it.
struct KeyLister<'k>(&'k mut &'static [&'static str]);

impl<'de> Deserializer<'de> for KeyLister<'_> {
    type Error = de::value::Error;

    fn deserialize_any<V: Visitor<'de>>(self, _: V) -> Result<V::Value, Self::Error> {
        Err(de::Error::custom("only structs have keys"))
    }

    fn deserialize_struct<V: Visitor<'de>>(
        self,
        _: &'static str,
        fields: &'static [&'static str],
        _: V,
    ) -> Result<V::Value, Self::Error> {
        *self.0 = fields;
        Err(de::Error::custom("the keys are known now"))
    }

    forward_to_deserialize_any! {
        bool i8 i16 i32 i64 i128 u8 u16 u32 u64 u128 f32 f64 char str string bytes byte_buf option unit unit_struct
        newtype_struct seq tuple tuple_struct map enum identifier ignored_any
    }
}

impl<T: Part, X: JsonSchema> JsonSchema for Entry<T, X> {
    fn schema_name() -> Cow<'static, str> {
        let full = std::any::type_name::<T>();
        let short = full.rsplit("::").next().unwrap_or(full);
        Cow::Owned(format!("{short}Entry"))
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let mut schema = X::json_schema(generator);
        let fresh = T::fresh();
        let properties = schema.ensure_object().entry("properties");
        if let Json::Object(properties) = properties.or_insert_with(|| json!({})) {
            for field in settable::<T>() {
                let key = field.name().to_owned();
                properties.insert(key, schema_of(field, &field.read(&fresh), generator));
            }
        }
        schema
    }
}

/// The schema of the value of a field.
fn schema_of<T>(field: &Field<T>, default: &FieldValue, generator: &mut SchemaGenerator) -> Json {
    let mut schema = match field.kind() {
        FieldKind::Number { .. } => generator.subschema_for::<Option<f32>>(),
        FieldKind::Whole { .. } => generator.subschema_for::<Option<i64>>(),
        FieldKind::Truth => generator.subschema_for::<Option<bool>>(),
        FieldKind::Vector { .. } => generator.subschema_for::<Option<[f32; 3]>>(),
        FieldKind::Rotation => generator.subschema_for::<Option<[f32; 4]>>(),
        _ => generator.subschema_for::<Option<String>>(),
    };
    match field.kind() {
        FieldKind::Number { least, most, .. } => {
            if least > f32::MIN {
                schema.insert(String::from("minimum"), short_json(&least));
            }
            if most < f32::MAX {
                schema.insert(String::from("maximum"), short_json(&most));
            }
        }
        FieldKind::Whole { least, most } => {
            schema.insert(String::from("minimum"), Json::from(least));
            schema.insert(String::from("maximum"), Json::from(most));
        }
        FieldKind::Choice(choices) => {
            let choices = choices.iter().map(|&choice| Json::from(choice));
            let choices: Vec<Json> = choices.chain([Json::Null]).collect();
            schema.insert(String::from("enum"), Json::from(choices));
        }
        _ => {}
    }
    let default = match default {
        FieldValue::Choice(choice) => format!("`{choice}`"),
        other => other.to_string(),
    };
    let about = format!("{} Default: {default}.", field.about());
    schema.insert(String::from("description"), Json::from(about));
    schema.to_value()
}

#[cfg(test)]
mod tests;

//! The described components that every scene has, by name.

use super::language::Value;
use gerust::collide::{Body, Collider};
use gerust::space::Transform;
use gerust::store::{Component, Described, Entity, FieldKind, FieldValue, World};
use serde_json::{Map, Value as Json};
use std::borrow::Cow;

/// A described component without its static type.
pub(super) struct BuiltIn {
    pub(super) name: &'static str,
    /// The names of the fields that an action can change.
    pub(super) changeable: fn() -> Vec<&'static str>,
    /// All fields with their values; `None` if the entity has no such component.
    pub(super) show: fn(&World, Entity) -> Option<Map<String, Json>>,
    /// Changes a field, or one axis of it; says why it cannot.
    pub(super) change: fn(&mut World, Entity, &[String], &Value) -> Result<(), String>,
}

const BUILT_IN: [BuiltIn; 3] = [
    built_in::<Body>("body"),
    built_in::<Collider>("collider"),
    built_in::<Transform>("transform"),
];

/// The described component of a name.
pub(super) fn find(name: &str) -> Option<&'static BuiltIn> {
    BUILT_IN.iter().find(|built_in| built_in.name == name)
}

const fn built_in<T: Component + Described>(name: &'static str) -> BuiltIn {
    BuiltIn {
        name,
        changeable: || {
            let fields = T::FIELDS.iter();
            // An expression has no quaternions.
            let fields =
                fields.filter(|field| !field.is_derived() && field.kind() != FieldKind::Rotation);
            fields.map(|field| field.name()).collect()
        },
        show: |world, entity| {
            let component = world.get::<T>(entity).ok()?;
            let fields = T::FIELDS.iter().map(|field| {
                let value = serde_json::to_value(field.read(&component));
                (field.name().to_owned(), value.unwrap_or_default())
            });
            Some(fields.collect())
        },
        change: |world, entity, path, to| {
            let [name, axis @ ..] = path else {
                return Err(String::from("it is a whole component"));
            };
            let field = T::field(name).ok_or("there is no such field")?;
            let component = world.get_mut::<T>(entity);
            let component = component.map_err(|error| error.to_string())?;
            let value = changed(field.read(component), axis, to);
            let value = value.ok_or_else(|| format!("it must be {}", field.kind()))?;
            let written = field.write(component, &value);
            written.map_err(|error| error.to_string())
        },
    }
}

/// The value of a field after a change of it, or of one axis of it; `None` if the kinds differ.
fn changed(before: FieldValue, axis: &[String], to: &Value) -> Option<FieldValue> {
    Some(match (before, axis, to) {
        (FieldValue::Number(_), [], Value::Number(number)) => FieldValue::Number(*number as f32),
        (FieldValue::Whole(_), [], Value::Number(number)) if number.fract() == 0.0 => {
            FieldValue::Whole(*number as i64)
        }
        (FieldValue::Truth(_), [], Value::Truth(truth)) => FieldValue::Truth(*truth),
        (FieldValue::Vector(_), [], Value::Vector(parts)) => {
            FieldValue::Vector(parts.map(|part| part as f32).into())
        }
        (FieldValue::Vector(mut vector), [axis], Value::Number(number)) => {
            let axis = super::ask::place_in(3, axis).filter(|&axis| axis < 3)?;
            vector[axis] = *number as f32;
            FieldValue::Vector(vector)
        }
        (FieldValue::Choice(_), [], Value::Text(text)) => {
            FieldValue::Choice(Cow::Owned(text.clone()))
        }
        _ => return None,
    })
}

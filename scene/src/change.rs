//! The action that changes a single field of a component.

use super::action::{Missed, Stage};
use super::ask::fields_mut;
use super::built_in;
use super::language::{Expression, Path, Value};
use gerust::store::{Entity, World};

/// Evaluates an expression and writes the value into a field.
pub(super) fn change(
    world: &mut World,
    entity: Entity,
    field: &Path,
    to: &Expression,
    stage: &Stage<'_>,
) -> Result<(), Missed> {
    let value = {
        let asked = stage.scene.asked(world, stage.about);
        let value = to.value(&asked);
        value.map_err(|problem| Missed::Other(problem.message))?
    };
    let [component, fields @ ..] = field.fields.as_slice() else {
        return Err(Missed::Other(format!("`{field}` names no component")));
    };
    let refused = |reason| Missed::Other(format!("`{field}` cannot be changed: {reason}"));
    if let Some(built_in) = built_in::find(component) {
        return (built_in.change)(world, entity, fields, &value).map_err(refused);
    }
    let asked = stage.scene.asked(world, stage.about);
    let whole = asked.component(entity, component);
    let mut whole =
        whole.ok_or_else(|| Missed::Other(format!("`{}` has no {component}", field.base)))?;
    let place = fields_mut(&mut whole, fields)
        .ok_or_else(|| Missed::Other(format!("there is no `{field}` to change")))?;
    *place = json_of(&value, place);
    let replaced = stage
        .scene
        .parts
        .registry
        .replace(component, world, entity, whole);
    replaced.unwrap_or(Ok(())).map_err(refused)
}

/// A value as JSON; a whole number where one was before.
fn json_of(value: &Value, before: &serde_json::Value) -> serde_json::Value {
    match value {
        Value::Number(number) if (before.is_i64() || before.is_u64()) && number.fract() == 0.0 => {
            serde_json::Value::from(*number as i64)
        }
        Value::Number(number) => serde_json::Value::from(*number),
        Value::Text(text) => serde_json::Value::from(text.as_str()),
        Value::Truth(truth) => serde_json::Value::from(*truth),
        Value::Vector(parts) => serde_json::Value::from(parts.to_vec()),
    }
}

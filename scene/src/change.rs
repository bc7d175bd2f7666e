//! The action that changes a single field of a component.

use super::action::{Missed, Stage};
use super::ask::fields_mut;
use super::language::{Expression, Path, Value};
use gerust::collide::Body;
use gerust::space::Transform;
use gerust::store::{Entity, World};
use glam::Vec3;

/// Evaluates an expression and writes the value into a field.
pub(super) fn change(
    world: &mut World,
    entity: Entity,
    field: &Path,
    to: &Expression,
    stage: &Stage<'_>,
) -> Result<(), Missed> {
    let (value, component) = {
        let asked = stage.scene.asked(world, stage.about);
        let value = to
            .value(&asked)
            .map_err(|problem| Missed::Other(problem.message))?;
        let [component, fields @ ..] = field.fields.as_slice() else {
            return Err(Missed::Other(format!("`{field}` names no component")));
        };
        let whole = asked.component(entity, component);
        let mut whole =
            whole.ok_or_else(|| Missed::Other(format!("`{}` has no {component}", field.base)))?;
        let place = fields_mut(&mut whole, fields)
            .ok_or_else(|| Missed::Other(format!("there is no `{field}` to change")))?;
        *place = json_of(&value, place);
        (whole, component.as_str())
    };
    // Only the field that changes is written: JSON has no infinite numbers, and the mass may be one.
    let name = field.fields.get(1).map_or("", String::as_str);
    let written = value.get(name).cloned().unwrap_or_default();
    let unfit = || Missed::Other(format!("`{field}` cannot be {written}"));
    let vector = || -> Result<Vec3, Missed> {
        let parts: [f32; 3] = serde_json::from_value(written.clone()).map_err(|_| unfit())?;
        Some(Vec3::from(parts))
            .filter(|vector| vector.is_finite())
            .ok_or_else(unfit)
    };
    let number = || -> Result<f32, Missed> {
        let number = written.as_f64().map(|number| number as f32);
        number.filter(|number| number.is_finite()).ok_or_else(unfit)
    };
    match component {
        "transform" => {
            let new = vector()?;
            let transform = world.get_mut::<Transform>(entity)?;
            match name {
                "translation" => transform.translation = new,
                _ => transform.scale = new,
            }
        }
        "body" if name == "velocity" => {
            let new = vector()?;
            world.get_mut::<Body>(entity)?.velocity = new;
        }
        "body" => {
            let new = number()?;
            let body = world.get_mut::<Body>(entity)?;
            match name {
                "mass" => body.mass = new,
                "gravity-scale" => body.gravity_scale = new,
                "restitution" => body.restitution = new,
                _ => body.friction = new,
            }
        }
        _ => {
            let replaced = stage
                .scene
                .registry
                .replace(component, world, entity, value);
            let refused = |reason| Missed::Other(format!("`{field}` cannot be changed: {reason}"));
            replaced.unwrap_or(Ok(())).map_err(refused)?;
        }
    }
    Ok(())
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

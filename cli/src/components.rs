//! The components of an entity, under the keys of scene files.

use crate::failure::Failure;
use gerust::collide::{Aabb, Body, Collider, Layers};
use gerust::glam::{Quat, Vec3};
use gerust::runtime::Origin;
use gerust::store::{Described, FieldValue};
use gerust::{Entity, Transform, World, WorldTransform};
use serde_json::{Map, Value as Json, json};

/// The registered components of an entity by name: with the keys of scene files where these have them, else as they are
/// registered.
pub(crate) fn of(world: &World, entity: Entity) -> Result<Vec<(String, Json)>, Failure> {
    let written = world.written_components(entity)?.into_iter();
    Ok(written
        .map(|(name, text)| {
            let value = value_of(world, entity, &name, &text);
            (name, value)
        })
        .collect())
}

/// The value of one component, which is registered as `text`.
pub(crate) fn value_of(world: &World, entity: Entity, name: &str, text: &str) -> Json {
    let entry = match name {
        "body" => world.get::<Body>(entity).ok().map(|body| of_body(&body)),
        "collider" => world
            .get::<Collider>(entity)
            .ok()
            .map(|collider| of_collider(world, &collider)),
        "transform" => world
            .get::<Transform>(entity)
            .ok()
            .map(|transform| of_transform(&transform)),
        _ => None,
    };
    entry.unwrap_or_else(|| {
        serde_json::from_str(text).unwrap_or_else(|_| Json::String(text.to_owned()))
    })
}

/// The placement of an entity in the world; `None` if it has none.
pub(crate) fn placement_of(world: &World, entity: Entity) -> Option<Json> {
    let placed = world.get::<WorldTransform>(entity).ok()?;
    let (scale, rotation, position) = placed.affine().to_scale_rotation_translation();
    let mut placement = json!({
        "position": vector(position),
        "scale": vector(scale),
        "turn": turn(rotation),
    });
    let origin = world.find_global::<Origin>();
    if let Some(origin) = origin.filter(|origin| origin.moves() > 0) {
        let place = origin.absolute(position).to_array();
        let place = place.map(|number| number.to_string());
        placement["from-first-origin"] = place
            .iter()
            .filter_map(|text| serde_json::from_str::<Json>(text).ok())
            .collect();
    }
    Some(placement)
}

/// The described fields of a component. One that the runtime computes is left out where it is as in `fresh`.
fn fields_of<T: Described>(component: &T, fresh: &T) -> Map<String, Json> {
    let fields = T::FIELDS.iter().filter_map(|field| {
        let value = field.read(component);
        let is_shown = !field.is_derived() || value != field.read(fresh);
        is_shown.then(|| (field.name().to_owned(), field_value(&value)))
    });
    fields.collect()
}

/// With the digits of a number of 32 bits: by way of text, because as one of 64 it would have more.
fn field_value(value: &FieldValue) -> Json {
    let text = serde_json::to_string(value);
    text.ok()
        .and_then(|text| serde_json::from_str(&text).ok())
        .unwrap_or(Json::Null)
}

fn of_body(body: &Body) -> Json {
    Json::Object(fields_of(body, &Body::default()))
}

fn of_transform(transform: &Transform) -> Json {
    let mut entry = fields_of(transform, &Transform::default());
    entry.insert(String::from("turn"), turn(transform.rotation));
    Json::Object(entry)
}

fn of_collider(world: &World, collider: &Collider) -> Json {
    let layers = world.global::<Layers>();
    let layer = layers.ok().and_then(|layers| {
        let name = layers.name(collider.layer());
        name.map(str::to_owned)
    });
    let mut entry = fields_of(collider, &Collider::solid(Aabb::default()));
    entry.insert("layer".into(), layer.into());
    if let Some(grid) = collider.grid() {
        let tiles = json!({
            "counts": grid.counts(),
            "solid": grid.solid_count(),
            "tile": vector(grid.size()),
        });
        entry.insert("tiles".into(), tiles);
        return Json::Object(entry);
    }
    let names = collider.set_names();
    if names.len() < 2 {
        entry.extend(of_boxes(collider.boxes()));
        return Json::Object(entry);
    }
    // The set without a name is that of the collider itself; the others stand below `sets`.
    let mut sets = Map::new();
    let mut other = collider.clone();
    for name in &names {
        if other.switch_to(name).is_err() {
            continue;
        }
        match *name == names[0] {
            true => entry.extend(of_boxes(other.boxes())),
            false => {
                sets.insert((*name).to_owned(), list_of(other.boxes()));
            }
        }
    }
    entry.insert("set".into(), collider.current_set().into());
    entry.insert("sets".into(), Json::Object(sets));
    Json::Object(entry)
}

/// One box as `size` and `center`, several as `boxes`.
fn of_boxes(boxes: &[Aabb]) -> Map<String, Json> {
    match boxes {
        [own] => of_one(own),
        several => Map::from_iter([(String::from("boxes"), list_of(several))]),
    }
}

fn list_of(boxes: &[Aabb]) -> Json {
    let entries = boxes.iter().map(|own| Json::Object(of_one(own)));
    entries.collect()
}

fn of_one(own: &Aabb) -> Map<String, Json> {
    Map::from_iter([
        (String::from("center"), vector(own.center())),
        (String::from("size"), vector(own.size())),
    ])
}

/// A rotation as an axis and degrees. Where nothing turns, any axis is right; y is chosen.
fn turn(rotation: Quat) -> Json {
    let (axis, radians) = match rotation.xyz() == Vec3::ZERO {
        true => (Vec3::Y, 0.0),
        false => rotation.to_axis_angle(),
    };
    json!({ "axis": vector(axis), "degrees": number(radians.to_degrees()) })
}

/// A value on one line as scene files write it.
pub(crate) fn inline(value: &Json) -> String {
    match value {
        Json::Object(fields) if fields.is_empty() => String::from("{}"),
        Json::Object(fields) => {
            let fields = fields.iter();
            let entries = fields.map(|(key, value)| format!("{key} = {}", inline(value)));
            format!("{{ {} }}", entries.collect::<Vec<_>>().join(", "))
        }
        Json::Array(items) => {
            let items: Vec<String> = items.iter().map(inline).collect();
            format!("[{}]", items.join(", "))
        }
        other => other.to_string(),
    }
}

fn vector(vector: Vec3) -> Json {
    vector.to_array().map(number).to_vec().into()
}

/// With the digits of a number of 32 bits: as one of 64 it would have more.
fn number(number: f32) -> Json {
    serde_json::from_str(&number.to_string()).unwrap_or(Json::Null)
}

#[cfg(test)]
mod tests {
    use super::*;
    use gerust::Runtime;
    use gerust_scene::{Registry, Scene};

    #[test]
    fn components_have_the_keys_of_scene_files() {
        let text = r#"
            title = "t"
            frames = 1
            gravity = [0, 0, 0]
            [[entities]]
            name = "crane"
            transform = { translation = [1.5, 0, 0] }
            body = { motion = "dynamic", gravity-scale = 0.5 }
            collider = { kind = "sensor", size = [2, 2, 2], center = [0, 0.25, 0], sets = { wide = [{ size = [6, 2, 2] }] } }
        "#;
        let scene = Scene::parse(text, "t.toml", &Registry::standard()).expect("it is valid");
        let run = scene.start(Runtime::new()).expect("it starts");
        let world = run.runtime().world();
        let crane = world.find("crane").expect("it is there");
        let all = of(world, crane).expect("it is alive");
        let of = |wanted: &str| {
            &all.iter()
                .find(|(name, _)| name == wanted)
                .expect("has it")
                .1
        };
        assert_eq!(
            of("collider").to_string(),
            r#"{"center":[0,0.25,0],"kind":"sensor","layer":"default","on":true,"set":"default","sets":{"wide":[{"center":[0,0,0],"size":[6,2,2]}]},"size":[2,2,2],"upright":false}"#
        );
        assert_eq!(of("body")["gravity-scale"], 0.5);
        assert_eq!(of("body")["motion"], "dynamic");
        assert_eq!(of("transform")["translation"][0], 1.5);
    }

    #[test]
    fn values_on_one_line_have_the_form_of_scene_files() {
        let boxes = json!([{ "center": [0, 0.5, 0], "size": [1, 1, 1] }, {}, "a\n", null]);
        assert_eq!(
            inline(&boxes),
            r#"[{ center = [0, 0.5, 0], size = [1, 1, 1] }, {}, "a\n", null]"#
        );
    }

    #[test]
    fn rotations_are_axes_and_degrees() {
        let quarter = turn(Quat::from_rotation_z(std::f32::consts::FRAC_PI_2));
        assert_eq!(quarter["axis"], json!([0, 0, 1]));
        let degrees = quarter["degrees"].as_f64().expect("a number");
        assert!((degrees - 90.0).abs() < 1e-3, "{degrees}");
        assert_eq!(turn(Quat::IDENTITY)["degrees"], 0);
        assert_eq!(number(0.1).to_string(), "0.1");
        assert_eq!(number(f32::INFINITY), Json::Null);
    }
}

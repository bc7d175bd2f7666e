//! `gerust inspect SCENE boxes`.

use crate::failure::Failure;
use crate::output::{self, Seen};
use gerust::collide::Boxes;
use gerust::collide::Layer;
use gerust::suggest;
use gerust::{Body, Collider, Entity, Layers, Motion, WorldBox};
use glam::Vec3;
use serde::Serialize;
use std::fmt::Write;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct BoxesView {
    scene: String,
    frame: u64,
    colliders: Vec<ColliderView>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct ColliderView {
    name: String,
    /// Around all of its boxes.
    min: Vec3,
    max: Vec3,
    layer: String,
    kind: &'static str,
    on: bool,
    motion: &'static str,
    /// The box set that counts.
    set: String,
    /// How many boxes or solid tiles take part.
    parts: usize,
    tiles: bool,
}

impl BoxesView {
    /// All colliders, in the order of their ids.
    pub(super) fn new(
        seen: &Seen<'_>,
        layer: Option<&str>,
        name: Option<&str>,
    ) -> Result<Self, Failure> {
        let world = seen.world();
        let layers = world.global::<Layers>()?;
        let wanted = layer.map(|name| find_layer(&layers, name)).transpose()?;
        let boxes = world.global::<Boxes>()?;
        let rows = world.rows::<(Entity, &Collider, &WorldBox, Option<&Body>)>();
        let mut rows: Vec<_> = rows
            .iter()
            .filter(|(_, collider, ..)| wanted.is_none_or(|wanted| collider.layer() == wanted))
            .filter(|(entity, ..)| name.is_none_or(|part| world.label(*entity).contains(part)))
            .collect();
        rows.sort_by_key(|(entity, ..)| *entity);
        let colliders = rows.into_iter().map(|(entity, collider, world_box, body)| {
            let aabb = world_box.aabb();
            ColliderView {
                name: world.label(entity),
                min: aabb.min,
                max: aabb.max,
                layer: layers
                    .name(collider.layer())
                    .unwrap_or("unknown")
                    .to_owned(),
                kind: if collider.is_sensor() {
                    "sensor"
                } else {
                    "solid"
                },
                on: collider.is_on(),
                motion: motion(body),
                set: collider.current_set().to_owned(),
                parts: boxes.of(entity).len(),
                tiles: collider.grid().is_some(),
            }
        });
        Ok(Self {
            scene: seen.file.clone(),
            frame: seen.frame,
            colliders: colliders.collect(),
        })
    }

    pub(super) fn text(&self) -> String {
        let mut text = format!(
            "after frame {}: {} colliders; places in metres\n\n{:<NAME$} {:>23}  {:>23}  {}\n",
            self.frame,
            self.colliders.len(),
            "name",
            "min x       y       z",
            "max x       y       z",
            "layer",
        );
        for collider in &self.colliders {
            collider.push(&mut text);
        }
        text
    }
}

/// Columns for names.
const NAME: usize = 16;
/// Columns for layers, so that a line stays within 80.
const LAYER: usize = 11;

impl ColliderView {
    fn push(&self, text: &mut String) {
        // Writing to a string does not fail.
        let _ = writeln!(
            text,
            "{:<NAME$} {} {}  {}",
            output::shortened(&self.name, NAME),
            output::triple(self.min),
            output::triple(self.max),
            output::shortened(&self.layer, LAYER),
        );
        let kind = (self.kind == "sensor").then(|| String::from("sensor"));
        let motion = (self.motion != "static").then(|| self.motion.to_owned());
        let off = (!self.on).then(|| String::from("off"));
        let set = (self.set != "default").then(|| format!("box set `{}`", self.set));
        let parts = match (self.tiles, self.parts) {
            (true, tiles) => Some(format!("{tiles} solid tiles")),
            (false, several) if several > 1 => Some(format!("{several} boxes")),
            (false, _) => None,
        };
        let remarks: Vec<String> = [kind, motion, off, set, parts]
            .into_iter()
            .flatten()
            .collect();
        if !remarks.is_empty() {
            let _ = writeln!(text, "  {}", remarks.join(", "));
        }
    }
}

fn motion(body: Option<&Body>) -> &'static str {
    match body.map(|body| body.motion) {
        Some(Motion::Dynamic) => "dynamic",
        Some(Motion::Kinematic) => "kinematic",
        Some(Motion::Static) | None => "static",
    }
}

/// The layer of a name.
pub(super) fn find_layer(layers: &Layers, name: &str) -> Result<Layer, Failure> {
    layers.find(name).ok_or_else(|| no_layer(layers, name))
}

fn no_layer(layers: &Layers, name: &str) -> Failure {
    let fix = suggest(name, "layers", layers.names());
    Failure::other(format!("unknown layer `{name}`; {fix}"))
}

//! `gerust inspect SCENE tree`.

use crate::output::{self, Seen};
use gerust::{Entity, Name, Transform, World, WorldTransform};
use glam::{Quat, Vec3};
use serde::Serialize;
use std::fmt::Write;

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
pub(super) struct TreeView {
    scene: String,
    frame: u64,
    nodes: Vec<NodeView>,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct NodeView {
    name: Option<String>,
    /// Index and generation.
    entity: String,
    parent: Option<String>,
    #[serde(flatten)]
    placement: Option<PlacementView>,
    #[serde(skip)]
    depth: usize,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct PlacementView {
    translation: Vec3,
    /// x, y, z, w.
    rotation: Quat,
    scale: Vec3,
    /// Sixteen numbers, column by column.
    world: [f32; 16],
}

impl TreeView {
    /// All entities, or those with a text in their name and what is below them: roots in the order of their ids, each followed by what is below it.
    pub(super) fn new(seen: &Seen<'_>, name: Option<&str>) -> Self {
        let world = seen.world();
        let rows = world.rows::<Entity>();
        let mut roots: Vec<Entity> = rows
            .iter()
            .filter(|&entity| is_root(world, entity, name))
            .collect();
        roots.sort();
        let below = |root| std::iter::once(root).chain(world.descendants(root));
        Self {
            scene: seen.file.clone(),
            frame: seen.frame,
            nodes: roots
                .into_iter()
                .flat_map(below)
                .map(|entity| NodeView::new(world, entity))
                .collect(),
        }
    }

    pub(super) fn text(&self) -> String {
        let mut text = format!(
            "after frame {}: {} entities; places in metres\n\n{:<WIDTH$} {} {}\n",
            self.frame,
            self.nodes.len(),
            "name",
            columns("local x"),
            columns("world x"),
        );
        for node in &self.nodes {
            node.push(&mut text);
        }
        text
    }
}

/// Columns for names.
const WIDTH: usize = 30;
/// Levels that are still indented: below them all names stand in one column.
const MOST_LEVELS: usize = 9;

/// Whether a tree begins with an entity: nothing is above it, or nothing above it that has the text in its name as well.
fn is_root(world: &World, entity: Entity, name: Option<&str>) -> bool {
    let Some(part) = name else {
        return world.parent(entity).is_none();
    };
    let fits = |entity| {
        let own = world.get::<Name>(entity);
        own.is_ok_and(|own| own.as_str().contains(part))
    };
    fits(entity) && !world.ancestors(entity).any(fits)
}

impl NodeView {
    fn new(world: &World, entity: Entity) -> Self {
        let name = |entity| {
            let name = world.has::<Name>(entity);
            name.then(|| world.label(entity))
        };
        let local = world.has::<Transform>(entity);
        let placement = local.then(|| {
            let local = world.get::<Transform>(entity).ok()?;
            let placed = world.get::<WorldTransform>(entity).ok()?;
            Some(PlacementView {
                translation: local.translation,
                rotation: local.rotation,
                scale: local.scale,
                world: placed.to_columns(),
            })
        });
        Self {
            name: name(entity),
            entity: entity.to_string(),
            parent: world.parent(entity).map(|parent| world.label(parent)),
            placement: placement.flatten(),
            depth: world.ancestors(entity).count(),
        }
    }

    fn push(&self, text: &mut String) {
        let indent = "  ".repeat(self.depth.min(MOST_LEVELS));
        let name = self.name.as_deref().unwrap_or(&self.entity);
        let room = WIDTH - indent.chars().count();
        let name = output::shortened(name, room);
        // Writing to a string does not fail.
        let _ = match &self.placement {
            None => writeln!(text, "{indent}{name}"),
            Some(placed) => {
                let [.., x, y, z, _] = placed.world;
                writeln!(
                    text,
                    "{indent}{name:<room$} {:<23} {}",
                    output::triple(placed.translation),
                    output::triple(Vec3::new(x, y, z))
                )
            }
        };
        if let Some(placed) = &self.placement {
            let turned = turn(placed.rotation);
            let scaled = (placed.scale != Vec3::ONE)
                .then(|| format!("scale {}", output::triple(placed.scale)));
            let remarks: Vec<String> = turned.into_iter().chain(scaled).collect();
            if !remarks.is_empty() {
                let _ = writeln!(text, "{indent}  {}", remarks.join(", "));
            }
        }
    }
}

fn columns(first: &str) -> String {
    format!("{first:>7} {:>7} {:>7}", "y", "z")
}

/// A rotation as an angle about an axis, unless there is none.
fn turn(rotation: Quat) -> Option<String> {
    let (axis, angle) = rotation.to_axis_angle();
    let degrees = angle.to_degrees();
    (degrees.abs() > 0.005).then(|| {
        format!(
            "turned {degrees:.1}° about {:.2} {:.2} {:.2}",
            axis.x + 0.0,
            axis.y + 0.0,
            axis.z + 0.0
        )
    })
}

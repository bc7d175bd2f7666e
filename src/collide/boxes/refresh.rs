//! The system that brings all boxes up to date with the world.

use super::{Boxes, Dimensions};
use crate::collide::body::Body;
use crate::collide::collider::Collider;
use crate::collide::layers::Layers;
use crate::collide::world_box::WorldBox;
use crate::error::{Error, Kind};
use crate::schedule::{Phase, System};
use crate::space::{LinkNode, Transform, WorldTransform};
use crate::store::{Entity, Global, GlobalMut, Having, Lost, Rows, TableRows, Unseen, World};
use glam::{Mat3A, Vec3};

type Parts = (
    Entity,
    &'static Collider,
    &'static WorldTransform,
    &'static mut WorldBox,
    Option<&'static Body>,
);
/// A placement stays behind when the transform goes, and means nothing then.
type Placed = Having<Transform>;
/// What says how large an entity is without turning it.
type Scales<'w> = (Rows<'w, &'static Transform>, Rows<'w, &'static LinkNode>);
type Seen<'w> = (
    Unseen<'w, Collider>,
    Unseen<'w, WorldTransform>,
    Unseen<'w, Body>,
);

/// Makes the boxes known to a world.
pub(in crate::collide) fn install(world: &mut World) {
    world.add_companion::<Collider, WorldBox>();
    world.ensure_global::<Dimensions>();
    world.ensure_global::<Boxes>();
}

/// The system that brings all boxes up to date with what was written since it, or another one like it, last ran.
/// O(changed), and O(n) in frames in which colliders were lost in numbers.
pub(in crate::collide) fn system(phase: Phase, name: &str, after: Option<&str>) -> System {
    let system = System::named(name).phase(phase);
    let system = match after {
        Some(after) => system.after(after),
        None => system,
    };
    system
        .takes::<(
            Rows<Parts, Placed>,
            Scales,
            Seen,
            (Lost<Collider>, Lost<Transform>),
            GlobalMut<Boxes>,
            Global<Dimensions>,
        )>()
        .runs(|(mut rows, scales, seen, lost, mut boxes, dimensions)| {
            let boxes = &mut *boxes;
            let is_flat = *dimensions == Dimensions::Two;
            let is_other_world = boxes.is_flat != is_flat;
            boxes.is_flat = is_flat;
            let (mut colliders, mut placements) = lost;
            for entity in colliders.take_unread().chain(placements.take_unread()) {
                if rows.get(entity).is_none() {
                    boxes.leave(entity);
                }
            }
            for mut table in rows.by_table() {
                refresh_table(boxes, &mut table, &scales, &seen, is_other_world);
            }
            // More may have gone than an inbox holds, or a snapshot was restored.
            if boxes.count != rows.count() {
                boxes.keep(|entity| rows.get(entity).is_some());
            }
            boxes.update_trees();
        })
}

fn refresh_table(
    boxes: &mut Boxes,
    table: &mut TableRows<'_, '_, Parts, Placed>,
    scales: &Scales<'_>,
    (colliders, placements, bodies): &Seen<'_>,
    all: bool,
) {
    let number = table.table;
    // Each must run, because each marks its rows as seen.
    let all = [
        all,
        colliders.see_if_all(number),
        placements.see_if_all(number),
        bodies.see_if_all(number),
    ]
    .contains(&true);
    if all {
        (0..table.slices.0.len()).for_each(|row| refresh_row(boxes, table, scales, row));
        colliders.see(number, |_| ());
        placements.see(number, |_| ());
        bodies.see(number, |_| ());
        return;
    }
    let mut refresh = |row| refresh_row(boxes, table, scales, row);
    colliders.see(number, &mut refresh);
    placements.see(number, &mut refresh);
    bodies.see(number, &mut refresh);
}

fn refresh_row(
    boxes: &mut Boxes,
    table: &mut TableRows<'_, '_, Parts, Placed>,
    scales: &Scales<'_>,
    row: usize,
) {
    let (entities, colliders, placements, world_boxes, bodies) = &mut table.slices;
    let (entity, collider) = (entities[row], &colliders[row]);
    let mut placed = *placements[row].affine();
    if collider.is_upright() || collider.grid().is_some() {
        placed.matrix3 = Mat3A::from_diagonal(scale_of(entity, scales));
    }
    let world_box = boxes.enter(entity, collider, &placed, bodies.0.get(row));
    if world_boxes[row] != world_box {
        world_boxes[row] = world_box;
        table.mark_rows(row..row + 1);
    }
}

/// How large an entity is along its own axes, by its scale and those of all above it. The matrix of its placement does not
/// tell: there a turn has mixed them. O(depth).
fn scale_of(entity: Entity, (transforms, links): &Scales<'_>) -> Vec3 {
    let parent = |&entity: &Entity| links.get(entity)?.parent();
    std::iter::successors(Some(entity), parent)
        .filter_map(|entity| transforms.get(entity))
        .map(|transform| transform.scale)
        .product()
}

impl Boxes {
    fn leave(&mut self, entity: Entity) {
        if let Some(slot) = self.slot_of(entity) {
            self.free(slot);
        }
    }

    fn keep(&mut self, is_there: impl Fn(Entity) -> bool) {
        for slot in 0..self.items.len() {
            let entity = self.items[slot].entity;
            if self.slot_of(entity) == Some(slot as u32) && !is_there(entity) {
                self.leave(entity);
            }
        }
    }
}

/// Fails if a collider was refused in the last frame because of its layer or its boxes.
pub(in crate::collide) fn tell_refused(world: &World) -> Result<(), Error> {
    let Some(boxes) = world.find_global::<Boxes>() else {
        return Ok(());
    };
    if let Some(&entity) = boxes.stray.first() {
        let layers = world.find_global::<Layers>();
        let known = layers.map(|layers| layers.names().collect::<Vec<_>>().join("`, `"));
        return Err(Error::from(Kind::StrayLayer {
            entity,
            label: world.label(entity),
            known: known.unwrap_or_default(),
        }));
    }
    let Some(&entity) = boxes.refused.first() else {
        return Ok(());
    };
    let problem = match world.get::<Collider>(entity) {
        Ok(collider) => match collider.boxes().iter().find(|own| !own.is_valid()) {
            Some(own) => format!("one of its boxes reaches from {} to {}", own.min, own.max),
            None => String::from("its placement in the world is not finite"),
        },
        Err(_) => String::from("it is gone by now"),
    };
    Err(Error::from(Kind::BadCollider {
        entity,
        label: world.label(entity),
        problem,
    }))
}

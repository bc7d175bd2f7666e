//! From the world to the lists and back.

use super::mover::{Knowledge, Mover, Movers};
use super::sweep::around;
use super::{Above, Lists, MoverRows, above};
use crate::collide::aabb::Aabb;
use crate::collide::body::{Body, Motion};
use crate::collide::boxes::Boxes;
use crate::collide::collider::Collider;
use crate::collide::contacts::is_grid;
use crate::collide::placed::PlacedBox;
use crate::collide::refused::RefusedBodies;
use crate::space::{LinkNode, Transform, WorldTransform};
use crate::store::{Entity, Rows};
use glam::{Affine3A, Vec3};

/// What is wrong where a body's own numbers are right.
const NOWHERE: &str =
    "is at a place that is not finite; give its transform, and those above it, finite numbers";
const NO_FALL: &str = "falls by a gravity that is not finite; give the global `Gravity`, and its gravity scale, finite numbers";

impl Lists {
    /// Lists all bodies that move. What gravity adds to a velocity in this frame is added already.
    pub(super) fn gather(
        &mut self,
        rows: &mut MoverRows<'_>,
        links: &Rows<'_, &'static LinkNode>,
        boxes: &Boxes,
        refused: &mut RefusedBodies,
        fall: Vec3,
    ) {
        refused.clear();
        self.movers.clear();
        for table in rows.by_table() {
            let (entities, transforms, bodies, placements, colliders, own_links) = &table.slices;
            for (row, body) in bodies.iter().enumerate() {
                // A kinematic body at rest stays where it is, under its parent.
                let moves = match body.motion {
                    Motion::Static => false,
                    Motion::Kinematic => body.velocity != Vec3::ZERO,
                    Motion::Dynamic => true,
                };
                if moves {
                    let parts = (
                        entities[row],
                        &transforms[row],
                        body,
                        &placements[row],
                        colliders.0.get(row),
                        own_links.0.get(row),
                    );
                    self.gather_row(parts, links, boxes, refused, fall);
                }
            }
        }
        self.movers.sort();
    }

    fn gather_row(
        &mut self,
        (entity, transform, body, placement, collider, own_links): (
            Entity,
            &Transform,
            &Body,
            &WorldTransform,
            Option<&Collider>,
            Option<&LinkNode>,
        ),
        links: &Rows<'_, &'static LinkNode>,
        boxes: &Boxes,
        refused: &mut RefusedBodies,
        fall: Vec3,
    ) {
        let movers = &mut self.movers;
        let is_dynamic = body.motion == Motion::Dynamic;
        let slot = boxes
            .slot_of(entity)
            .filter(|&slot| boxes.item(slot).takes_part);
        let is_grid = slot.is_some_and(|slot| is_grid(boxes, slot));
        if !refused.admit(entity, body, is_grid) {
            return;
        }
        let parent = own_links.and_then(LinkNode::parent);
        let start = match parent {
            // The local translation is the place itself: no rounding on the way to and fro.
            None => transform.translation,
            Some(_) => placement.translation(),
        };
        if !start.is_finite() {
            refused.refuse(entity, NOWHERE);
            return;
        }
        let velocity = match is_dynamic {
            true => body.velocity + fall * body.gravity_scale,
            false => body.velocity,
        };
        if !velocity.is_finite() {
            refused.refuse(entity, NO_FALL);
            return;
        }
        let collides = is_dynamic && slot.is_some_and(|slot| !boxes.item(slot).is_sensor);
        let first_part = movers.parts.len();
        if let (Some(collider), Some(_), false) = (collider, slot, is_grid) {
            push_parts(movers, collider, placement.affine(), boxes.is_flat());
        }
        let parts = first_part..movers.parts.len();
        let start_box = match parts.is_empty() {
            true => Aabb::from_center(start, Vec3::ZERO),
            false => around(&movers.parts[parts.clone()], start),
        };
        let depth = match parent {
            None => 0,
            Some(_) => movers.depths.of(entity, |below| links.get(below)?.parent()),
        };
        let mover = Mover {
            entity,
            is_dynamic,
            slot,
            collides,
            depth,
            has_children: own_links.is_some_and(|links| links.first_child().is_some()),
            layer: collider.map(Collider::layer).unwrap_or_default(),
            parts,
            start,
            place: start,
            start_box,
            aabb: start_box,
            carried: Vec3::ZERO,
            pushed: Vec3::ZERO,
            velocity,
            inverse_mass: if is_dynamic { body.mass.recip() } else { 0.0 },
            restitution: body.restitution,
            friction: body.friction,
            blocked: Default::default(),
            obstacles: 0..0,
            region: start_box,
            knowledge: Knowledge::Nothing,
        };
        movers.push(mover, own_links.is_some());
    }

    /// Writes back what has changed.
    pub(super) fn write(&mut self, rows: &mut MoverRows<'_>, (links, placements): &Above<'_>) {
        let movers = &mut self.movers;
        movers.follow_parents(links);
        for mover in &movers.list {
            let Some((_, transform, body, ..)) = rows.get(mover.entity) else {
                continue;
            };
            let local = match mover.depth {
                0 => Some(mover.place),
                _ => movers.local(mover, links, placements),
            };
            // Under a parent that is flattened to nothing no local place leads to the world's: the body stays.
            let local = match (mover.place == mover.start && mover.depth == 0, local) {
                (false, Some(local)) => local,
                _ => transform.translation,
            };
            if (transform.translation, body.velocity) == (local, mover.velocity) {
                continue;
            }
            if let Some((_, transform, body, ..)) = rows.get_mut(mover.entity) {
                transform.translation = local;
                body.velocity = mover.velocity;
            }
        }
    }
}

/// Lists the boxes of a body under its placement, so that they can be put anywhere.
fn push_parts(movers: &mut Movers, collider: &Collider, map: &Affine3A, is_flat: bool) {
    let is_upright = collider.is_upright();
    movers.parts.extend(collider.boxes().iter().map(|own| {
        let placed = PlacedBox::new(own, map, is_upright);
        if is_flat { placed.flat() } else { placed }
    }));
}

impl Movers {
    /// The nearest body above one.
    pub(super) fn carrier_above(
        &self,
        mover: &Mover,
        links: &Rows<'_, &'static LinkNode>,
    ) -> Option<&Mover> {
        if mover.depth == 0 {
            return None;
        }
        above(links, mover.entity)
            .find_map(|above| self.linked.get(&above))
            .map(|&number| &self.list[number as usize])
    }

    /// Lets kinematic bodies that hang below dynamic ones come with them: they were moved first.
    fn follow_parents(&mut self, links: &Rows<'_, &'static LinkNode>) {
        for at in 0..self.order.len() {
            let number = self.order[at] as usize;
            let mover = &self.list[number];
            if mover.is_dynamic {
                return;
            }
            let carried = match self.carrier_above(mover, links) {
                Some(above) if above.is_dynamic => above.displacement(),
                _ => continue,
            };
            self.list[number].place += carried;
        }
    }

    /// The local translation that puts a body below others at its place in the world, once these have moved.
    fn local(
        &self,
        mover: &Mover,
        links: &Rows<'_, &'static LinkNode>,
        placements: &Rows<'_, &'static WorldTransform>,
    ) -> Option<Vec3> {
        let mut parents = above(links, mover.entity);
        let Some(parent) = parents.find_map(|above| placements.get(above)) else {
            return Some(mover.place);
        };
        // An ancestor that moved took the parent along as a whole.
        let carried = self
            .carrier_above(mover, links)
            .map_or(Vec3::ZERO, Mover::displacement);
        parent.local_point(mover.place - carried)
    }
}

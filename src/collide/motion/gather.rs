//! From the world to the lists and back.

use super::kinematic::taking_part;
use super::lone::Flyer;
use super::mover::{Mover, Movers, Part};
use super::sweep::around;
use super::{Above, Lists, MoverRows, above, children};
use crate::collide::aabb::Aabb;
use crate::collide::body::{Body, Motion};
use crate::collide::boxes::{Boxes, Slot};
use crate::collide::collider::Collider;
use crate::collide::contacts::is_grid;
use crate::collide::placed::PlacedBox;
use crate::collide::refused::RefusedBodies;
use crate::collide::threads::Threads;
use crate::space::{LinkNode, Transform, WorldTransform};
use crate::store::{Entity, Rows};
use glam::{Affine3A, Vec3};
use smallvec::SmallVec;

/// Errors of the place and the gravity of a body.
const NOWHERE: &str =
    "is at a place that is not finite; give its transform, and those above it, finite numbers";
const NO_FALL: &str = "falls by a gravity that is not finite; give the global `Gravity`, and its gravity scale, finite numbers";

/// What gathering asks of a frame.
#[derive(Clone, Copy)]
pub(super) struct Frame<'f> {
    pub(super) gravity: Vec3,
    pub(super) seconds: f32,
    /// How far apart two boxes may be that touch.
    pub(super) margin: f32,
    pub(super) threads: &'f Threads,
}

impl Lists {
    /// Lists all bodies that move, but for lone ones.
    pub(super) fn gather(
        &mut self,
        rows: &mut MoverRows<'_>,
        links: &Rows<'_, &'static LinkNode>,
        boxes: &Boxes,
        refused: &mut RefusedBodies,
        Frame {
            gravity,
            seconds,
            margin,
            threads,
        }: Frame<'_>,
    ) {
        refused.clear();
        let looks_for_lone = self.lone.begin();
        self.movers.clear();
        self.most_restitution = 0.0;
        for table in rows.by_table() {
            let (entities, transforms, bodies, placements, colliders, own_links) = &table.slices;
            for (row, body) in bodies.iter().enumerate() {
                self.most_restitution = self.most_restitution.max(body.restitution);
                // A kinematic body at rest stays where it is, under its parent.
                let moves = match body.motion {
                    Motion::Static => false,
                    Motion::Kinematic => body.velocity != Vec3::ZERO,
                    Motion::Dynamic => true,
                };
                let rests = body.motion == Motion::Dynamic
                    && self
                        .resting
                        .is_as_it_was(entities[row], &transforms[row], body);
                if !moves || rests {
                    continue;
                }
                let flyer = match (colliders.0.get(row), own_links.0.get(row)) {
                    (Some(collider), None) if looks_for_lone => Flyer::of(
                        (entities[row], &transforms[row], body),
                        &placements[row],
                        collider,
                        boxes,
                        (gravity, seconds),
                    ),
                    _ => None,
                };
                if let Some(flyer) = flyer {
                    self.lone.flyers.push(flyer);
                } else {
                    let parts = (
                        entities[row],
                        &transforms[row],
                        body,
                        &placements[row],
                        colliders.0.get(row),
                        own_links.0.get(row),
                    );
                    self.gather_row(parts, links, boxes, refused, gravity);
                }
            }
        }
        self.lone
            .separate(boxes, self.most_restitution, margin, threads);
        let mut flyers = std::mem::take(&mut self.lone.flyers);
        flyers.retain(|flyer| {
            let is_lone = self.lone.holds(flyer);
            let row = rows.get(flyer.entity).filter(|_| !is_lone);
            if let Some((entity, transform, body, placement, collider, own_links)) = row {
                let parts = (entity, transform, body, placement, collider, own_links);
                self.gather_row(parts, links, boxes, refused, gravity);
            }
            is_lone
        });
        self.lone.flyers = flyers;
        self.movers.gather_below(rows, links, boxes);
        self.movers.sort();
        self.resting.wake_changed(boxes);
    }

    /// Lists the bodies of the groups that wake. Says whether there were any.
    pub(super) fn gather_woken(
        &mut self,
        rows: &MoverRows<'_>,
        links: &Rows<'_, &'static LinkNode>,
        boxes: &Boxes,
        refused: &mut RefusedBodies,
        gravity: Vec3,
    ) -> bool {
        let mut woken = std::mem::take(&mut self.woken);
        woken.clear();
        self.resting.get_up(&mut woken);
        woken.append(&mut self.lone.called);
        let before = self.movers.list.len();
        for &entity in &woken {
            let slot = taking_part(boxes, entity);
            let is_listed = slot.is_some_and(|slot| self.movers.of_slot(slot).is_some());
            let row = rows.get(entity).filter(|_| !is_listed);
            if let Some((entity, transform, body, placement, collider, own_links)) = row
                && body.motion == Motion::Dynamic
            {
                let parts = (entity, transform, body, placement, collider, own_links);
                self.gather_row(parts, links, boxes, refused, gravity);
            }
        }
        self.woken = woken;
        self.movers.list.len() > before
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
        gravity: Vec3,
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
        let pull = match is_dynamic {
            true => gravity * body.gravity_scale,
            false => Vec3::ZERO,
        };
        if !pull.is_finite() {
            refused.refuse(entity, NO_FALL);
            return;
        }
        let depth = match parent {
            None => 0,
            Some(_) => movers.depths.of(entity, |below| links.get(below)?.parent()),
        };
        let has_children = own_links.is_some_and(|links| links.first_child().is_some());
        let first_part = movers.parts.len();
        let is_solid = slot.is_some_and(|slot| !boxes.item(slot).is_sensor);
        if let (Some(collider), Some(slot), false) = (collider, slot, is_grid) {
            push_parts(
                movers,
                (slot, collider),
                placement.affine(),
                boxes.is_flat(),
            );
        }
        if let Some(slot) = slot {
            movers.claim(slot);
        }
        let parts = first_part..movers.parts.len();
        let collides = is_dynamic && is_solid;
        let start_box = match parts.is_empty() {
            true => Aabb::from_center(start, Vec3::ZERO),
            false => around(&movers.parts[parts.clone()], start),
        };
        let mover = Mover {
            entity,
            is_dynamic,
            slot,
            collides,
            depth,
            has_children,
            parts,
            start,
            place: start,
            start_box,
            aabb: start_box,
            own_velocity: body.velocity,
            velocity: body.velocity,
            pull,
            inverse_mass: if is_dynamic { body.mass.recip() } else { 0.0 },
            restitution: body.restitution,
            friction: body.friction,
            pinned: 0,
            ride: None,
            carried: body.carried,
            obstacles: 0..0,
            region: start_box,
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
            let velocities = (mover.velocity, mover.carried);
            if (transform.translation, (body.velocity, body.carried)) == (local, velocities) {
                continue;
            }
            if let Some((_, transform, body, ..)) = rows.get_mut(mover.entity) {
                transform.translation = local;
                (body.velocity, body.carried) = velocities;
            }
        }
    }
}

/// Lists the boxes of a body under its placement, so that they can be put anywhere.
fn push_parts(
    movers: &mut Movers,
    (slot, collider): (Slot, &Collider),
    map: &Affine3A,
    is_flat: bool,
) {
    let layer = collider.layer();
    let own = collider.boxes().iter();
    let parts = own.map(|own| Part::new(own, map, (slot, layer), is_flat));
    movers.parts.extend(parts);
}

impl Movers {
    /// Lets the solid boxes below dynamic bodies that have no body of their own be parts of them.
    fn gather_below(
        &mut self,
        rows: &MoverRows<'_>,
        links: &Rows<'_, &'static LinkNode>,
        boxes: &Boxes,
    ) {
        for number in 0..self.list.len() {
            let mover = &self.list[number];
            if !mover.is_dynamic || !mover.has_children {
                continue;
            }
            let (start, own, collides) = (mover.start, mover.parts.clone(), mover.collides);
            let first = self.parts.len();
            if collides {
                self.parts.extend_from_within(own.clone());
            }
            let own_count = self.parts.len() - first;
            let mut open: SmallVec<[Entity; 16]> = children(links, mover.entity).collect();
            while let Some(below) = open.pop() {
                if rows.get(below).is_some() {
                    continue;
                }
                open.extend(children(links, below));
                let slot = taking_part(boxes, below);
                let Some(slot) = slot.filter(|&slot| !boxes.item(slot).is_sensor) else {
                    continue;
                };
                let item = boxes.item(slot);
                self.claim_for(slot, number);
                boxes.parts_touching(slot, &item.aabb, |aabb| {
                    self.parts.push(Part {
                        placed: PlacedBox::from_world(&aabb, start),
                        slot,
                        layer: item.layer,
                    });
                });
            }
            if self.parts.len() == first + own_count {
                self.parts.truncate(first);
                continue;
            }
            let parts = first..self.parts.len();
            let start_box = around(&self.parts[parts.clone()], start);
            let key = self.parts[first].slot;
            let mover = &mut self.list[number];
            (mover.parts, mover.collides) = (parts, true);
            if !collides {
                self.colliding.push(number as u32);
            }
            (mover.start_box, mover.aabb) = (start_box, start_box);
            mover.slot = mover.slot.or(Some(key));
        }
    }

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

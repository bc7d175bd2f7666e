//! Motion: bodies that stop at the nearest solid face.
//!
//! A body's way is swept axis by axis, in the order x, y, z, against all obstacles near it. Along an axis the body goes
//! to the nearest face in its way, whatever the order in which the obstacles are listed, so it can neither tunnel nor
//! snap to some other neighbour. The guard that ends a move is the very expression that tells whether boxes overlap
//! ([`Aabb::overlaps`] of [`PlacedBox::at`]), so a body that has stopped is not in the wall by a rounding error.
//!
//! The way of a sweep by axes is L-shaped, so long moves are cut into steps of at most the body's own size.

use super::aabb::{Aabb, Face, PlacedBox};
use super::body::{Body, Gravity, Motion};
use super::boxes::Boxes;
use super::collider::Collider;
use super::contacts::least_axis;
use super::layers::Layers;
use crate::schedule::{Clock, Phase, System};
use crate::space::{Links, Transform, WorldTransform};
use crate::store::{Entity, Global, Rows};
use glam::Vec3;

/// Steps that a move is cut into at most.
const MOST_STEPS: f32 = 256.0;
/// How many obstacles a body that has come to be inside of some is pushed out of, one after the other.
const MOST_PUSHES: usize = 8;

type Movers<'w> = Rows<'w, (Entity, &'static mut Transform, &'static mut Body)>;
type Colliders<'w> = Rows<'w, &'static Collider>;
type Placements<'w> = Rows<'w, &'static WorldTransform>;
type AllLinks<'w> = Rows<'w, &'static Links>;
type Rules<'w> = (Global<'w, Layers>, Global<'w, Gravity>, Global<'w, Clock>);

/// The system that moves all bodies.
pub(super) fn system() -> System {
    let mut obstacles = Vec::new();
    System::named("move: bodies")
        .phase(Phase::Move)
        .after("move: boxes")
        .takes::<(Movers, Colliders, Placements, AllLinks, Boxes, Rules)>()
        .runs(
            move |(mut movers, colliders, placements, links, boxes, rules)| {
                let (layers, gravity, clock) = rules;
                let surroundings = Surroundings {
                    colliders,
                    placements,
                    links,
                    boxes,
                    layers,
                };
                movers.each(|(entity, transform, body)| {
                    let fall = match body.motion {
                        Motion::Static => return,
                        Motion::Kinematic => Vec3::ZERO,
                        Motion::Dynamic => gravity.0 * body.gravity_scale,
                    };
                    body.velocity += fall * clock.step_seconds();
                    let way = body.velocity * clock.step_seconds();
                    surroundings.move_body(entity, transform, body, way, &mut obstacles);
                });
            },
        )
}

/// What a body meets on its way.
struct Surroundings<'w> {
    colliders: Colliders<'w>,
    placements: Placements<'w>,
    links: AllLinks<'w>,
    boxes: Boxes<'w>,
    layers: Global<'w, Layers>,
}

impl Surroundings<'_> {
    fn move_body(
        &self,
        entity: Entity,
        transform: &mut Transform,
        body: &mut Body,
        way: Vec3,
        obstacles: &mut Vec<Aabb>,
    ) {
        let Some(placement) = self.placements.get(entity) else {
            return;
        };
        let parent = self.placement_above(entity);
        let mut place = match parent {
            // The local translation is the place itself: no rounding on the way to and fro.
            None => transform.translation,
            Some(_) => placement.translation(),
        };
        if !(place + way).is_finite() {
            return;
        }
        match self.colliders.get(entity) {
            Some(collider) if body.motion == Motion::Dynamic && is_solid(collider) => {
                let placed = PlacedBox::new(&collider.own_box(), placement.affine());
                let here = placed.at(place);
                self.list_obstacles(entity, collider, here.merged(&here.moved(way)), obstacles);
                push_out(&placed, &mut place, &mut body.velocity, obstacles);
                advance(&placed, &mut place, &mut body.velocity, way, obstacles);
            }
            _ => place += way,
        }
        let local = match parent {
            None => Some(place),
            Some(parent) => parent.local_point(place),
        };
        // Under a parent that is flattened to nothing no local place leads to the world's: the body stays.
        if let Some(local) = local {
            transform.translation = local;
        }
    }

    /// The world placement that the entity's local one is relative to.
    fn placement_above(&self, entity: Entity) -> Option<&WorldTransform> {
        self.ancestors(entity)
            .find_map(|ancestor| self.placements.get(ancestor))
    }

    fn ancestors(&self, entity: Entity) -> impl Iterator<Item = Entity> {
        let above = |entity| self.links.get(entity)?.parent();
        std::iter::successors(above(entity), move |&entity| above(entity))
    }

    /// Everything solid near a way that the body could meet. What hangs below the body goes with it and is no obstacle.
    fn list_obstacles(
        &self,
        entity: Entity,
        collider: &Collider,
        way: Aabb,
        obstacles: &mut Vec<Aabb>,
    ) {
        obstacles.clear();
        let near = self.boxes.touching(way).filter(|other| {
            other.is_obstacle
                && other.entity != entity
                && self.layers.do_meet(collider.layer(), other.layer)
                && !self.ancestors(other.entity).any(|above| above == entity)
        });
        obstacles.extend(near.map(|other| other.aabb));
    }
}

fn is_solid(collider: &Collider) -> bool {
    collider.is_on() && !collider.is_sensor()
}

/// Brings a body that is inside of obstacles, because one was put there, out by the shortest way.
fn push_out(placed: &PlacedBox, place: &mut Vec3, velocity: &mut Vec3, obstacles: &[Aabb]) {
    for _ in 0..MOST_PUSHES {
        let here = placed.at(*place);
        let deepest = obstacles
            .iter()
            .filter(|obstacle| here.overlaps(obstacle))
            .max_by(|a, b| {
                let depth = |obstacle: &Aabb| here.depth(obstacle).min_element();
                depth(a).total_cmp(&depth(b))
            });
        let Some(obstacle) = deepest else {
            return;
        };
        let axis = least_axis(here.depth(obstacle));
        let back = here.max[axis] - obstacle.min[axis] <= obstacle.max[axis] - here.min[axis];
        if back {
            stop_at(placed, place, axis, Face::Max, obstacle.min[axis]);
            velocity[axis] = velocity[axis].min(0.0);
        } else {
            stop_at(placed, place, axis, Face::Min, obstacle.max[axis]);
            velocity[axis] = velocity[axis].max(0.0);
        }
    }
}

/// Moves a body along a way, stopping along each axis at the nearest face.
fn advance(
    placed: &PlacedBox,
    place: &mut Vec3,
    velocity: &mut Vec3,
    way: Vec3,
    obstacles: &[Aabb],
) {
    let size = placed.at(*place).size().max(Vec3::splat(f32::MIN_POSITIVE));
    let steps = (way.abs() / size)
        .max_element()
        .ceil()
        .clamp(1.0, MOST_STEPS);
    let mut step = way / steps;
    for _ in 0..steps as usize {
        for axis in 0..3 {
            if sweep(placed, place, axis, step[axis], obstacles) {
                step[axis] = 0.0;
                velocity[axis] = 0.0;
            }
        }
    }
}

/// Moves a body along one axis, and says whether a face stopped it.
fn sweep(
    placed: &PlacedBox,
    place: &mut Vec3,
    axis: usize,
    distance: f32,
    obstacles: &[Aabb],
) -> bool {
    if distance == 0.0 {
        return false;
    }
    let here = placed.at(*place);
    let mut target = *place;
    target[axis] += distance;
    let swept = here.merged(&placed.at(target));
    // What is overlapped now could not be left by pushing: it must not hold the body for ever.
    let in_the_way = obstacles
        .iter()
        .filter(|obstacle| swept.overlaps(obstacle) && !here.overlaps(obstacle));
    let (face, nearest) = if distance > 0.0 {
        let faces = in_the_way.map(|obstacle| obstacle.min[axis]);
        (Face::Max, faces.min_by(f32::total_cmp))
    } else {
        let faces = in_the_way.map(|obstacle| obstacle.max[axis]);
        (Face::Min, faces.max_by(f32::total_cmp))
    };
    match nearest {
        Some(coordinate) => stop_at(placed, place, axis, face, coordinate),
        None => *place = target,
    }
    nearest.is_some()
}

/// Puts a body where one of its faces lies at a coordinate, or, where rounding does not allow that, just before it.
fn stop_at(placed: &PlacedBox, place: &mut Vec3, axis: usize, face: Face, coordinate: f32) {
    place[axis] = placed.place_for(axis, face, coordinate);
    let aside = match face {
        Face::Max => -1.0,
        Face::Min => 1.0,
    };
    let largest = coordinate
        .abs()
        .max(place[axis].abs())
        .max(placed.at(*place).size()[axis]);
    // One unit in the last place of the largest number involved: neighbours of a place near zero are too close together
    // to change where the box is.
    let mut nudge = largest.next_up() - largest;
    loop {
        let here = placed.at(*place);
        let is_past = match face {
            Face::Max => here.max[axis] > coordinate,
            Face::Min => here.min[axis] < coordinate,
        };
        if !is_past {
            return;
        }
        place[axis] += aside * nudge;
        nudge *= 2.0;
    }
}

#[cfg(test)]
mod tests;

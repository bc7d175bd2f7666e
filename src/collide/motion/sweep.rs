//! The geometry of moving boxes up to faces, without a word of why they move.
//!
//! Along an axis a body goes to the nearest face in its way, whatever the order in which the obstacles are listed, so it can
//! neither tunnel nor snap to some other neighbor. The guard that ends a move is the very expression that tells whether boxes
//! overlap ([`Aabb::overlaps`] of [`PlacedBox::at`]), so a body that has stopped is not in the wall by a rounding error.
//! A slide to the time of impact has no such guard on its last free move, which is why motion goes axis by axis.

use crate::collide::aabb::Aabb;
use crate::collide::boxes::Slot;
use crate::collide::placed::{Face, PlacedBox};
use glam::Vec3;

/// A box in the way.
#[derive(Clone, Copy, Debug)]
pub(super) struct Obstacle {
    pub(super) aabb: Aabb,
    pub(super) slot: Slot,
}

/// The face of a box that ends a move along an axis.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct Stop {
    pub(super) axis: usize,
    /// The face of the moving part that comes first.
    pub(super) face: Face,
    /// Which part of the body.
    pub(super) part: usize,
    /// Where the face in the way lies.
    pub(super) coordinate: f32,
}

impl Stop {
    /// The direction of the move that it ended, 1 or -1.
    pub(super) fn direction(&self) -> f32 {
        match self.face {
            Face::Max => 1.0,
            Face::Min => -1.0,
        }
    }
}

/// Whether no part of a body at a place overlaps an obstacle.
pub(super) fn is_free(parts: &[PlacedBox], place: Vec3, obstacles: &[Obstacle]) -> bool {
    parts.iter().all(|part| {
        let here = part.at(place);
        obstacles
            .iter()
            .all(|obstacle| !here.overlaps(&obstacle.aabb))
    })
}

/// The box around all parts of a body at a place.
#[inline]
pub(super) fn around(parts: &[PlacedBox], place: Vec3) -> Aabb {
    let (first, more) = parts.split_first().expect("a body that collides has boxes");
    more.iter()
        .fold(first.at(place), |all, part| all.merged(&part.at(place)))
}

/// Moves a body along one axis up to the nearest face in its way, and says which stopped it.
pub(super) fn sweep(
    parts: &[PlacedBox],
    place: &mut Vec3,
    axis: usize,
    distance: f32,
    obstacles: &[Obstacle],
) -> Option<Stop> {
    if distance == 0.0 {
        return None;
    }
    let mut target = *place;
    target[axis] += distance;
    let mut nearest: Option<(f32, Stop)> = None;
    for (number, part) in parts.iter().enumerate() {
        let here = part.at(*place);
        let swept = here.merged(&part.at(target));
        for obstacle in obstacles {
            // Pushing did not free the body from this overlap, which must not hold it for ever.
            if !swept.overlaps(&obstacle.aabb) || here.overlaps(&obstacle.aabb) {
                continue;
            }
            let (face, coordinate, gap) = match distance > 0.0 {
                true => {
                    let coordinate = obstacle.aabb.min[axis];
                    (Face::Max, coordinate, coordinate - here.max[axis])
                }
                false => {
                    let coordinate = obstacle.aabb.max[axis];
                    (Face::Min, coordinate, here.min[axis] - coordinate)
                }
            };
            if nearest.is_none_or(|(least, _)| gap < least) {
                let stop = Stop {
                    axis,
                    face,
                    part: number,
                    coordinate,
                };
                nearest = Some((gap, stop));
            }
        }
    }
    match nearest {
        Some((_, stop)) => stop_at(parts, place, &stop, obstacles),
        None => *place = target,
    }
    nearest.map(|(_, stop)| stop)
}

/// Puts a body where the face of one of its parts lies at a coordinate, or, where rounding does not allow that, just before
/// it, so that no part has come to overlap what it did not overlap.
fn stop_at(parts: &[PlacedBox], place: &mut Vec3, stop: &Stop, obstacles: &[Obstacle]) {
    let start = *place;
    put_face(parts, place, stop);
    if let [_] = parts {
        return;
    }
    // Other parts may be as near to other faces, and round otherwise.
    let mut nudge = step_of(parts, *place, stop);
    let has_entered = |place: Vec3| {
        parts.iter().any(|part| {
            let (before, now) = (part.at(start), part.at(place));
            obstacles
                .iter()
                .any(|obstacle| now.overlaps(&obstacle.aabb) && !before.overlaps(&obstacle.aabb))
        })
    };
    while has_entered(*place) {
        place[stop.axis] -= stop.direction() * nudge;
        nudge *= 2.0;
    }
}

/// Puts a body where the face of one of its parts lies at a coordinate, or just before it.
pub(super) fn put_face(parts: &[PlacedBox], place: &mut Vec3, stop: &Stop) {
    let (axis, part) = (stop.axis, &parts[stop.part]);
    place[axis] = part.place_for(axis, stop.face, stop.coordinate);
    let mut nudge = step_of(parts, *place, stop);
    loop {
        let here = part.at(*place);
        let is_past = match stop.face {
            Face::Max => here.max[axis] > stop.coordinate,
            Face::Min => here.min[axis] < stop.coordinate,
        };
        if !is_past {
            return;
        }
        place[axis] -= stop.direction() * nudge;
        nudge *= 2.0;
    }
}

/// One unit in the last place of the largest number involved: neighbors of a place near zero are too close together to change
/// where the box is.
fn step_of(parts: &[PlacedBox], place: Vec3, stop: &Stop) -> f32 {
    let axis = stop.axis;
    let size = parts[stop.part].at(place).size()[axis];
    let largest = stop.coordinate.abs().max(place[axis].abs()).max(size);
    largest.next_up() - largest
}

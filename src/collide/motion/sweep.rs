//! The geometry of moving boxes up to faces, without a word of why they move.
//!
//! A body goes along its true way to the earliest face in it, in any order of the obstacles, so it can
//! neither tunnel nor snap to some other neighbor. The guard that ends each move is the very expression of
//! overlap ([`Aabb::overlaps`] of [`PlacedBox::at`]), so a body that has stopped is not in the wall by a rounding error.
//! Where rounding allows no such place the body stays where it was, which is always free.

use super::mover::Part;
use crate::collide::aabb::Aabb;
use crate::collide::boxes::Slot;
use crate::collide::contacts::{LEAST_SHARE_DOWN, least_axis};
use crate::collide::impact::Passage;
use crate::collide::placed::{ENDLESS, Face, PlacedBox, ROUNDING};
use glam::Vec3;
use smallvec::SmallVec;

/// The share of a body's size by which an obstacle must reach into its way from the side to count: what reaches less far is
/// stepped over.
const SKIN_SHARE: f32 = 1e-4;
/// How far beside its way the guard checks, as a share of the body's size: more than a step aside.
const GUARDED_SHARE: f32 = 1e-3;
/// How many faces a body is taken back out of at the end of a move.
const MOST_TAKEN_BACK: usize = 6;

/// Whose box is in the way.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Whose {
    /// It does not move in this frame.
    Still,
    /// A box that has moved through everything, by its number among those.
    Moved(u32),
    /// A dynamic body, by its number.
    Body(u32),
}

/// A box in the way.
#[derive(Clone, Copy, Debug)]
pub(super) struct Obstacle {
    pub(super) aabb: Aabb,
    pub(super) slot: Slot,
    pub(super) whose: Whose,
    /// On which side of it a body lies that overlapped it when the frame began: the axis, and the direction into it; 0 if it is
    /// too deep in it to move along the axis.
    pub(super) side: Option<(usize, f32)>,
    pub(super) restitution: f32,
    pub(super) friction: f32,
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

/// What ended a move.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct Hit {
    /// Its number among the obstacles.
    pub(super) obstacle: usize,
    pub(super) axis: usize,
}

/// How a box meets others.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct Manner {
    /// The direction of gravity, or zero.
    pub(super) down: Vec3,
    /// Whether it steps over ledges.
    pub(super) steps_over: bool,
}

/// Whether no part of a body at a place overlaps an obstacle.
pub(super) fn is_free(parts: &[Part], place: Vec3, obstacles: &[Obstacle]) -> bool {
    parts.iter().all(|part| {
        let here = part.at(place);
        obstacles
            .iter()
            .all(|obstacle| !here.overlaps(&obstacle.aabb))
    })
}

/// The box around all parts of a body at a place.
#[inline]
pub(super) fn around(parts: &[Part], place: Vec3) -> Aabb {
    let (first, more) = parts.split_first().expect("a body that collides has boxes");
    more.iter()
        .fold(first.at(place), |all, part| all.merged(&part.at(place)))
}

/// When a box that moves along a way meets another, in shares of the way, and along which axis. `None` if it does not
/// within the way, or if the two only graze. Two that overlap meet if the way leads deeper along the axis on which they are
/// least deep, or on the side that is known.
pub(super) fn meeting(
    moving: &Aabb,
    way: Vec3,
    other: &Aabb,
    side: Option<(usize, f32)>,
    manner: Manner,
) -> Option<(f64, usize)> {
    let depth = moving.depth(other);
    if depth.cmpgt(Vec3::ZERO).all() {
        let (axis, into) = side.unwrap_or_else(|| {
            let axis = least_axis(depth);
            (axis, (other.center() - moving.center())[axis])
        });
        let is_pinned = side.is_some_and(|(_, into)| into == 0.0) && way[axis] != 0.0;
        return (is_pinned || way[axis] * into > 0.0).then_some((0.0, axis));
    }
    let passage = Passage::of(moving, way, other)?;
    let meets =
        passage.is_straight() && passage.goes_through() && (0.0..=1.0).contains(&passage.enter);
    if !meets {
        return None;
    }
    let axis = Passage::normal(passage.entered, way).abs().max_position();
    let is_sheet = moving.min[axis] == moving.max[axis] && other.min[axis] == other.max[axis];
    if is_sheet && passage.enter == 0.0 && way[axis] * manner.down[axis] <= 0.0 {
        // Two sheets in one plane have no sides: what does not fall leaves.
        return None;
    }
    if !manner.steps_over {
        return Some((passage.enter, axis));
    }
    match ledge(moving, way, passage.enter, axis, other) {
        None => Some((passage.enter, axis)),
        Some((across, into)) => {
            let leads_into = way[across] * into > 0.0;
            // At a corner it rather lands on the upper face.
            let lands = manner.down[across].abs() > LEAST_SHARE_DOWN;
            leads_into.then_some((passage.enter, if lands { across } else { axis }))
        }
    }
}

/// The axis along which a box reaches so little into a way from the side that it is stepped over, and the direction from the moving
/// box to it at the moment of the meeting: a long way may have led past it.
fn ledge(moving: &Aabb, way: Vec3, share: f64, axis: usize, other: &Aabb) -> Option<(usize, f32)> {
    let met = moving.moved(way * share as f32);
    let depth = met.depth(other);
    let across =
        (0..3).find(|&across| across != axis && depth[across] <= skin(moving, other, across))?;
    Some((across, (other.center() - met.center())[across]))
}

/// How far a box may reach into the way of another from the side and still be stepped over, or be flush but for rounding.
fn skin(moving: &Aabb, other: &Aabb, axis: usize) -> f32 {
    let size = moving.max[axis] - moving.min[axis];
    if size == 0.0 || size >= ENDLESS || other.max[axis] == other.min[axis] {
        return f32::NEG_INFINITY;
    }
    let largest = other.min[axis].abs().min(other.max[axis].abs());
    let largest = largest
        .max(moving.min[axis].abs())
        .max(moving.max[axis].abs());
    (size * SKIN_SHARE).max(largest * ROUNDING)
}

/// Moves a body towards a place up to the earliest face in its way, and says what it was. What overlaps nothing before
/// overlaps nothing afterwards.
pub(super) fn advance(
    parts: &[Part],
    place: &mut Vec3,
    target: Vec3,
    obstacles: &[Obstacle],
    manner: Manner,
) -> Option<Hit> {
    let start = *place;
    let way = target - start;
    if way == Vec3::ZERO {
        return None;
    }
    // Obstacles on the way, and those beside it that `take_back` may enter.
    let mut near: SmallVec<[usize; 16]> = SmallVec::new();
    let mut first: Option<(f64, usize, Hit)> = None;
    for (part, placed) in parts.iter().enumerate() {
        let here = placed.at(start);
        let swept = here.merged(&placed.at(target));
        let beside = here.size().min_element() * GUARDED_SHARE;
        let guarded = swept.grown(beside.max(start.abs().max_element() * (2.0 * ROUNDING)));
        for (number, obstacle) in obstacles.iter().enumerate() {
            if !guarded.touches(&obstacle.aabb) {
                continue;
            }
            near.push(number);
            if !swept.touches(&obstacle.aabb) {
                continue;
            }
            let met = meeting(&here, way, &obstacle.aabb, obstacle.side, manner);
            let Some((share, axis)) = met else { continue };
            // Of several at one moment the one that is met most steeply, in any order.
            let is_first = first.is_none_or(|(earliest, _, known): (f64, usize, Hit)| {
                let steeper = way[axis].abs() > way[known.axis].abs();
                share < earliest || (share == earliest && steeper)
            });
            if is_first {
                let hit = Hit {
                    obstacle: number,
                    axis,
                };
                first = Some((share, part, hit));
            }
        }
    }
    let Some((share, part, hit)) = first else {
        *place = target;
        take_back(parts, start, place, obstacles, &near);
        return None;
    };
    *place = start + way * share as f32;
    let other = &obstacles[hit.obstacle].aabb;
    if !parts[part].at(start).overlaps(other) {
        let stop = stop_at(other, hit.axis, way[hit.axis], part);
        put_face(parts, place, &stop);
    }
    take_back(parts, start, place, obstacles, &near);
    Some(hit)
}

/// Takes a body back out of the faces into which rounding, or a step over a ledge, has put it; at the worst, to the start.
fn take_back(
    parts: &[Part],
    start: Vec3,
    place: &mut Vec3,
    obstacles: &[Obstacle],
    near: &[usize],
) {
    for _ in 0..MOST_TAKEN_BACK {
        let Some((number, part)) = entered(parts, start, *place, obstacles, near) else {
            return;
        };
        let other = &obstacles[number].aabb;
        let here = parts[part].at(*place);
        let axis = least_axis(here.depth(other));
        let into = (other.center() - here.center())[axis];
        put_face(parts, place, &stop_at(other, axis, into, part));
    }
    if entered(parts, start, *place, obstacles, near).is_some() {
        *place = start;
    }
}

/// The first obstacle that a part of a body has come to overlap, and that part.
fn entered(
    parts: &[Part],
    start: Vec3,
    place: Vec3,
    obstacles: &[Obstacle],
    near: &[usize],
) -> Option<(usize, usize)> {
    parts.iter().enumerate().find_map(|(number, part)| {
        let (before, now) = (part.at(start), part.at(place));
        near.iter()
            .find(|&&other| {
                let other = &obstacles[other].aabb;
                now.overlaps(other) && !before.overlaps(other)
            })
            .map(|&other| (other, number))
    })
}

/// The face of a box that a part meets along an axis in a direction.
pub(super) fn stop_at(other: &Aabb, axis: usize, direction: f32, part: usize) -> Stop {
    let (face, coordinate) = match direction > 0.0 {
        true => (Face::Max, other.min[axis]),
        false => (Face::Min, other.max[axis]),
    };
    Stop {
        axis,
        face,
        part,
        coordinate,
    }
}

/// Puts a body where the face of one of its parts lies at a coordinate, or just before it.
pub(super) fn put_face(parts: &[Part], place: &mut Vec3, stop: &Stop) {
    let (axis, part) = (stop.axis, &parts[stop.part].placed);
    place[axis] = part.place_for(axis, stop.face, stop.coordinate);
    let mut nudge = step_of(part, *place, stop);
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
fn step_of(part: &PlacedBox, place: Vec3, stop: &Stop) -> f32 {
    let axis = stop.axis;
    let size = part.at(place).size()[axis];
    let largest = stop.coordinate.abs().max(place[axis].abs()).max(size);
    largest.next_up() - largest
}

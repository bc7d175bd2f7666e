//! The shortest free way out of what a body has come to be inside of.

use super::mover::Part;
use super::sweep::{Obstacle, Stop, around, is_free, put_face};
use crate::collide::aabb::Aabb;
use crate::collide::placed::{ENDLESS, Face};
use glam::Vec3;
use smallvec::SmallVec;

/// Faces that are tried along each axis, the nearest ones.
const MOST_FACES: usize = 8;

/// A step along one axis that brings a face of a part to a face of an obstacle; `None` is to stay.
type Step = Option<(f32, Stop)>;

/// The nearest place at which a body overlaps no obstacle, as far as a region reaches: what lies beyond it is not known.
///
/// The free space is everything except a number of boxes, so the nearest free place has each coordinate either as it is or where two faces
/// meet. The places that are made of the nearest faces are tried in the order of their distance; of equally near ones those
/// that move along fewer axes come first, y before x before z. A place counts only if the center of each part
/// that is in no obstacle can reach it along the axes, in some order, without entering an obstacle. So no body leaves through a wall.
/// O(faces³ · obstacles), for bodies that were put into something: a rare event.
pub(super) fn nearest_free(
    parts: &[Part],
    place: Vec3,
    obstacles: &[Obstacle],
    region: &Aabb,
) -> Option<Vec3> {
    let steps: [Vec<Step>; 3] =
        std::array::from_fn(|axis| steps_along(parts, place, axis, obstacles));
    let length = |step: &Step| step.map_or(0.0, |(length, _)| length);
    let mut tried: Vec<(f32, [usize; 3])> = Vec::new();
    for (z, along_z) in steps[2].iter().enumerate() {
        for (x, along_x) in steps[0].iter().enumerate() {
            for (y, along_y) in steps[1].iter().enumerate() {
                let way = Vec3::new(length(along_x), length(along_y), length(along_z));
                tried.push((way.length_squared(), [x, y, z]));
            }
        }
    }
    tried.sort_by(|(a, _), (b, _)| a.total_cmp(b));
    let enters = |swept: &Aabb| {
        obstacles
            .iter()
            .any(|obstacle| swept.overlaps(&obstacle.aabb))
    };
    let centers: SmallVec<[Vec3; 4]> = parts
        .iter()
        .map(|part| part.at(place).center())
        .filter(|&center| !enters(&point(center)))
        .collect();
    tried.into_iter().find_map(|(_, picked)| {
        let mut there = place;
        for (axis, &number) in picked.iter().enumerate() {
            if let Some((_, stop)) = &steps[axis][number] {
                put_face(parts, &mut there, stop);
            }
        }
        let box_there = around(parts, there);
        let is_known =
            region.min.cmple(box_there.min).all() && box_there.max.cmple(region.max).all();
        let is_way = |center: &Vec3| {
            ORDERS
                .iter()
                .any(|order| !legs(*center, there - place, *order).any(|leg| enters(&leg)))
        };
        (is_known && is_free(parts, there, obstacles) && centers.iter().all(is_way))
            .then_some(there)
    })
}

/// All orders in which a way can lead along the three axes.
const ORDERS: [[usize; 3]; 6] = [
    [0, 1, 2],
    [0, 2, 1],
    [1, 0, 2],
    [1, 2, 0],
    [2, 0, 1],
    [2, 1, 0],
];

/// The boxes that a point sweeps on its way along one axis after the other.
fn legs(from: Vec3, way: Vec3, order: [usize; 3]) -> impl Iterator<Item = Aabb> {
    let mut here = from;
    order.into_iter().map(move |axis| {
        let before = here;
        here[axis] += way[axis];
        point(before).merged(&point(here))
    })
}

fn point(at: Vec3) -> Aabb {
    Aabb { min: at, max: at }
}

/// To stay, and the shortest steps along an axis that bring faces together, the shortest first.
fn steps_along(parts: &[Part], place: Vec3, axis: usize, obstacles: &[Obstacle]) -> Vec<Step> {
    let mut steps: Vec<(f32, Stop)> = Vec::new();
    for (part, placed) in parts.iter().enumerate() {
        let here = placed.at(place);
        for obstacle in obstacles {
            let stop = |face, coordinate| Stop {
                axis,
                face,
                part,
                coordinate,
            };
            // Back behind the lower face, or on beyond the upper one.
            let (low, high) = (obstacle.aabb.min[axis], obstacle.aabb.max[axis]);
            steps.push((low - here.max[axis], stop(Face::Max, low)));
            steps.push((high - here.min[axis], stop(Face::Min, high)));
        }
    }
    steps.retain(|(length, _)| length.abs() < ENDLESS / 2.0);
    steps.sort_by(|(a, _), (b, _)| a.abs().total_cmp(&b.abs()).then(b.total_cmp(a)));
    steps.dedup_by(|(_, a), (_, b)| a == b);
    steps.truncate(MOST_FACES);
    std::iter::once(None)
        .chain(steps.into_iter().map(Some))
        .collect()
}

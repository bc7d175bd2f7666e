//! The shortest free way out of what a body has come to be inside of.

use super::mover::Part;
use super::sweep::{Obstacle, Stop, around, is_free, put_face};
use crate::collide::aabb::Aabb;
use crate::collide::placed::{ENDLESS, Face};
use glam::Vec3;

/// Faces that are tried along each axis, the nearest ones.
const MOST_FACES: usize = 8;

/// A step along one axis that brings a face of a part to a face of an obstacle; `None` is to stay.
type Step = Option<(f32, Stop)>;

/// The nearest place at which a body overlaps no obstacle, as far as a region reaches: what lies beyond it is not known.
///
/// What is free is all but a number of boxes, so the nearest free place has each coordinate either as it is or where two faces
/// meet. The places that are made of the nearest faces are tried in the order of their distance; of equally near ones those
/// that move along fewer axes come first, y before x before z. O(faces³ · obstacles), for bodies that were put into
/// something: a rare event.
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
        (is_known && is_free(parts, there, obstacles)).then_some(there)
    })
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

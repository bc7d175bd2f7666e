//! Boxes of an entity under its placement.

use super::aabb::Aabb;
use glam::{Affine3A, Vec3, Vec3A};

/// How far boxes of a scene of two dimensions reach along z. Any place along z is nothing against it, and it still adds up.
pub(super) const ENDLESS: f32 = 1e30;

/// Four units in the last place, as a share of the largest number: what counts as rounding.
pub(super) const ROUNDING: f32 = 4.0 * f32::EPSILON;

/// A box under a rotation and scale, which can be put at any place. Motion tries places and the contact search uses the
/// last one: both must come to the very same numbers, so both go through [`PlacedBox::at`].
#[derive(Clone, Copy, Debug)]
pub(super) struct PlacedBox {
    offset: Vec3,
    half_extents: Vec3,
}

impl PlacedBox {
    pub(super) fn new(own: &Aabb, map: &Affine3A) -> Self {
        let matrix = map.matrix3;
        let half = Vec3A::from(own.half_extents());
        Self {
            offset: (matrix * Vec3A::from(own.center())).into(),
            half_extents: (matrix.x_axis.abs() * half.x
                + matrix.y_axis.abs() * half.y
                + matrix.z_axis.abs() * half.z)
                .into(),
        }
    }

    /// A box in the world that goes along with a place, a little larger, so that it holds what rounding makes of it elsewhere.
    pub(super) fn from_world(aabb: &Aabb, place: Vec3) -> Self {
        let center = aabb.center();
        let largest = center.abs() + aabb.half_extents() + place.abs();
        Self {
            offset: center - place,
            half_extents: aabb.half_extents() + largest * (2.0 * ROUNDING),
        }
    }

    /// The same box of a scene of two dimensions.
    pub(super) fn flat(self) -> Self {
        Self {
            offset: self.offset.with_z(0.0),
            half_extents: self.half_extents.with_z(ENDLESS),
        }
    }

    pub(super) fn at(&self, place: Vec3) -> Aabb {
        let center = place + self.offset;
        Aabb {
            min: center - self.half_extents,
            max: center + self.half_extents,
        }
    }

    /// About where the origin must be for the box to begin or end at a coordinate of an axis.
    pub(super) fn place_for(&self, axis: usize, face: Face, coordinate: f32) -> f32 {
        match face {
            Face::Min => coordinate + self.half_extents[axis] - self.offset[axis],
            Face::Max => coordinate - self.half_extents[axis] - self.offset[axis],
        }
    }
}

/// One of the two faces of a box along an axis.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Face {
    Min,
    Max,
}

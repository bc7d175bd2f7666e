//! Axis-aligned boxes.

use super::placed::PlacedBox;
use crate::space::WorldTransform;
use glam::{Affine3A, Vec3};

/// A box along the axes, from `min` to `max`, in metres.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let floor = Aabb::from_center(Vec3::new(0.0, -0.5, 0.0), Vec3::new(10.0, 0.5, 10.0));
/// let pallet = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
/// assert!(pallet.touches(&floor), "it stands on it");
/// assert!(!pallet.overlaps(&floor), "it does not stick in it");
/// ```
#[derive(Clone, Copy, PartialEq, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Aabb {
    /// The corner with the least coordinates.
    pub min: Vec3,
    /// The corner with the greatest coordinates.
    pub max: Vec3,
}

impl Aabb {
    /// The box between two opposite corners, in either order.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let made = Aabb::from_corners(Vec3::new(1.0, 0.0, 4.0), Vec3::new(0.0, 2.0, 3.0));
    /// assert_eq!((made.min, made.max), (Vec3::new(0.0, 0.0, 3.0), Vec3::new(1.0, 2.0, 4.0)));
    /// ```
    #[must_use]
    pub fn from_corners(a: Vec3, b: Vec3) -> Self {
        Self {
            min: a.min(b),
            max: a.max(b),
        }
    }

    /// The box from a corner along a size. A negative size reaches to the other side of the corner.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let made = Aabb::from_corner(Vec3::ONE, Vec3::new(-1.0, 2.0, 0.0));
    /// assert_eq!((made.min, made.max), (Vec3::new(0.0, 1.0, 1.0), Vec3::new(1.0, 3.0, 1.0)));
    /// ```
    #[must_use]
    pub fn from_corner(corner: Vec3, size: Vec3) -> Self {
        Self::from_corners(corner, corner + size)
    }

    /// The box around a center. Negative half extents count as positive.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let made = Aabb::from_center(Vec3::ZERO, Vec3::new(-1.0, 2.0, 3.0));
    /// assert_eq!(made.max, Vec3::new(1.0, 2.0, 3.0));
    /// ```
    #[must_use]
    pub fn from_center(center: Vec3, half_extents: Vec3) -> Self {
        let half_extents = half_extents.abs();
        Self {
            min: center - half_extents,
            max: center + half_extents,
        }
    }

    /// The smallest box that holds all points, or `None` if there are none.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let hull = [Vec3::ZERO, Vec3::new(2.0, -1.0, 0.0), Vec3::Z];
    /// let fit = Aabb::from_points(hull).expect("there are points");
    /// assert_eq!((fit.min, fit.max), (Vec3::new(0.0, -1.0, 0.0), Vec3::new(2.0, 0.0, 1.0)));
    /// assert_eq!(Aabb::from_points([]), None);
    /// ```
    #[must_use]
    pub fn from_points(points: impl IntoIterator<Item = Vec3>) -> Option<Self> {
        let at = |point| Self {
            min: point,
            max: point,
        };
        points
            .into_iter()
            .map(at)
            .reduce(|all, one| all.merged(&one))
    }

    /// The middle.
    #[must_use]
    pub fn center(&self) -> Vec3 {
        (self.min + self.max) * 0.5
    }

    /// Half the size along each axis.
    #[must_use]
    pub fn half_extents(&self) -> Vec3 {
        (self.max - self.min) * 0.5
    }

    /// The size along each axis.
    #[must_use]
    pub fn size(&self) -> Vec3 {
        self.max - self.min
    }

    /// Whether all six numbers are finite and no side is negative.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// assert!(Aabb::default().is_valid());
    /// assert!(!Aabb { min: Vec3::ONE, max: Vec3::ZERO }.is_valid());
    /// assert!(!Aabb { min: Vec3::NAN, max: Vec3::ZERO }.is_valid());
    /// ```
    #[must_use]
    pub fn is_valid(&self) -> bool {
        self.min.is_finite() && self.max.is_finite() && self.min.cmple(self.max).all()
    }

    /// Whether the insides of two boxes share a point. Faces that only touch do not count.
    ///
    /// True exactly if along every axis each box begins before the other ends, so it does not matter whether a corner of
    /// one lies in the other.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// // A cross: no corner of either beam lies in the other.
    /// let long = Aabb::from_center(Vec3::ZERO, Vec3::new(9.0, 1.0, 1.0));
    /// let tall = Aabb::from_center(Vec3::ZERO, Vec3::new(1.0, 9.0, 1.0));
    /// assert!(long.overlaps(&tall));
    /// ```
    #[inline]
    #[must_use]
    pub fn overlaps(&self, other: &Self) -> bool {
        self.min.cmplt(other.max).all() && other.min.cmplt(self.max).all()
    }

    /// Whether two boxes share a point. Faces, edges and corners that only touch do count.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let left = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
    /// let right = Aabb::from_corner(Vec3::X, Vec3::ONE);
    /// assert!(left.touches(&right) && !left.overlaps(&right));
    /// ```
    #[inline]
    #[must_use]
    pub fn touches(&self, other: &Self) -> bool {
        self.min.cmple(other.max).all() && other.min.cmple(self.max).all()
    }

    /// How far two boxes reach into each other along each axis; negative is a gap.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let left = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
    /// let right = Aabb::from_corner(Vec3::new(0.75, 2.0, 0.0), Vec3::ONE);
    /// assert_eq!(left.depth(&right), Vec3::new(0.25, -1.0, 1.0));
    /// ```
    #[must_use]
    pub fn depth(&self, other: &Self) -> Vec3 {
        (self.max - other.min).min(other.max - self.min)
    }

    /// The box moved as a whole.
    #[must_use]
    pub fn moved(&self, by: Vec3) -> Self {
        Self {
            min: self.min + by,
            max: self.max + by,
        }
    }

    /// The box with every face moved outwards.
    #[must_use]
    pub fn grown(&self, by: f32) -> Self {
        Self {
            min: self.min - by,
            max: self.max + by,
        }
    }

    /// The smallest box that holds both.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let unit = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
    /// let swept = unit.merged(&unit.moved(Vec3::X * 3.0));
    /// assert_eq!(swept.max, Vec3::new(4.0, 1.0, 1.0));
    /// assert_eq!(unit.grown(1.0).min, Vec3::NEG_ONE);
    /// ```
    #[must_use]
    pub fn merged(&self, other: &Self) -> Self {
        Self {
            min: self.min.min(other.min),
            max: self.max.max(other.max),
        }
    }

    /// The box that both share, or `None` if they do not touch.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let unit = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
    /// let half = unit.clipped(&unit.moved(Vec3::X * 0.5)).expect("they overlap");
    /// assert_eq!(half, Aabb::from_corner(Vec3::X * 0.5, Vec3::new(0.5, 1.0, 1.0)));
    /// assert_eq!(unit.clipped(&unit.moved(Vec3::X * 2.0)), None);
    /// ```
    #[must_use]
    pub fn clipped(&self, to: &Self) -> Option<Self> {
        self.touches(to).then(|| Self {
            min: self.min.max(to.min),
            max: self.max.min(to.max),
        })
    }

    /// The point of the box that is nearest to a point; the point itself if it is inside.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let unit = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
    /// assert_eq!(unit.nearest_point(Vec3::new(3.0, 0.5, -1.0)), Vec3::new(1.0, 0.5, 0.0));
    /// ```
    #[must_use]
    pub fn nearest_point(&self, point: Vec3) -> Vec3 {
        point.clamp(self.min, self.max)
    }

    /// The smallest box along the world's axes that encloses this box under an affine map.
    ///
    /// By the method of J. Arvo, "Transforming axis-aligned bounding boxes", Graphics Gems, 1990: the half extents go
    /// through the matrix of absolute values.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use std::f32::consts::FRAC_PI_2;
    ///
    /// let beam = Aabb::from_center(Vec3::ZERO, Vec3::new(3.0, 1.0, 1.0));
    /// let turned = Transform::at(5.0, 0.0, 0.0).rotated(Quat::from_rotation_z(FRAC_PI_2));
    /// let enclosing = beam.enclosed(&turned.affine());
    /// assert!(enclosing.max.abs_diff_eq(Vec3::new(6.0, 3.0, 1.0), 1e-5));
    /// ```
    #[must_use]
    pub fn enclosed(&self, map: &Affine3A) -> Self {
        PlacedBox::new(self, map).at(map.translation.into())
    }

    /// The box of the world around this box of an entity's own space; it grows where the entity is turned.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let placed = WorldTransform::from(&Transform::at(5.0, 0.0, 0.0).scaled(Vec3::splat(2.0)));
    /// let own = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
    /// let world = own.to_world(&placed);
    /// assert_eq!(world, Aabb::from_center(Vec3::X * 5.0, Vec3::splat(2.0)));
    /// assert_eq!(world.to_local(&placed), Some(own));
    /// ```
    #[must_use]
    pub fn to_world(&self, placed: &WorldTransform) -> Self {
        self.enclosed(placed.affine())
    }

    /// The box of an entity's own space around this box of the world, or `None` if the entity is flattened, so that there is
    /// no way back.
    #[must_use]
    pub fn to_local(&self, placed: &WorldTransform) -> Option<Self> {
        let local = self.enclosed(&placed.inverse()?);
        local.is_valid().then_some(local)
    }
}

#[cfg(test)]
mod tests;

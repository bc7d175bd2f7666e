//! When and where a moving box touches another.

use super::aabb::Aabb;
use glam::Vec3;

/// Where a box that moves first touches another; see [`Aabb::time_of_impact`].
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Impact {
    /// The share of the way that was gone by then, from 0 to 1.
    pub share: f32,
    /// The direction in which the face that was hit looks, as a unit vector.
    pub normal: Vec3,
}

/// How a moving box passes another one: when they touch, in shares of the way, and on which axes.
///
/// The two are one ray and one box that is larger by the size of the other; the ray is clipped axis by axis (T. Kay and
/// J. Kajiya, "Ray tracing complex scenes", SIGGRAPH 1986). Differences of `f32` are exact in `f64`, so faces that are flush to
/// the bit give the same shares.
#[derive(Clone, Copy, PartialEq, Debug)]
pub(super) struct Passage {
    /// When it begins to touch; below 0 before the start, negative infinity if it always does.
    pub(super) enter: f64,
    /// When it ceases to touch.
    pub(super) leave: f64,
    /// A bit for each axis along which it enters last, and leaves first.
    pub(super) entered: u8,
    pub(super) left: u8,
    /// By axis: on which side of the way the other one lies, where it only touches the way.
    pub(super) beside: [Beside; 3],
}

/// Where a box lies along an axis across a way.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Beside {
    /// On both sides, or the way leads along this axis.
    Both,
    /// It touches the way from below or from above: at a face, and nothing else of it is in the way.
    Below,
    Above,
    /// From both sides: neither the box nor the moving one has any thickness.
    Neither,
}

impl Passage {
    /// That of a box in which another one begins.
    pub(super) const INSIDE: Self = Self {
        enter: 0.0,
        leave: f64::INFINITY,
        entered: 0,
        left: 0,
        beside: [Beside::Both; 3],
    };

    /// `None` if the two never touch.
    pub(super) fn of(moving: &Aabb, way: Vec3, other: &Aabb) -> Option<Self> {
        let mut passage = Self {
            enter: f64::NEG_INFINITY,
            ..Self::INSIDE
        };
        for axis in 0..3 {
            let near = f64::from(other.min[axis]) - f64::from(moving.max[axis]);
            let far = f64::from(other.max[axis]) - f64::from(moving.min[axis]);
            let along = f64::from(way[axis]);
            if along == 0.0 {
                passage.beside[axis] = match (near < 0.0, far > 0.0) {
                    (true, true) => Beside::Both,
                    (true, false) if far == 0.0 => Beside::Below,
                    (false, true) if near == 0.0 => Beside::Above,
                    (false, false) if near == 0.0 && far == 0.0 => Beside::Neither,
                    _ => return None,
                };
                continue;
            }
            let (first, last) = match along > 0.0 {
                true => (near / along, far / along),
                false => (far / along, near / along),
            };
            // Adding zero makes a negative zero a positive one.
            passage.enter_by(axis, first + 0.0);
            passage.leave_by(axis, last + 0.0);
        }
        (passage.enter <= passage.leave).then_some(passage)
    }

    fn enter_by(&mut self, axis: usize, share: f64) {
        if share > self.enter {
            (self.enter, self.entered) = (share, 1 << axis);
        } else if share == self.enter {
            self.entered |= 1 << axis;
        }
    }

    fn leave_by(&mut self, axis: usize, share: f64) {
        if share < self.leave {
            (self.leave, self.left) = (share, 1 << axis);
        } else if share == self.leave {
            self.left |= 1 << axis;
        }
    }

    /// Whether it goes through the other one, and does not only touch an edge: a wall without thickness is entered and left
    /// at the same moment along the same axis.
    pub(super) fn goes_through(&self) -> bool {
        self.enter < self.leave || self.entered & self.left != 0
    }

    /// Whether the other one lies in the way on both sides along each axis.
    pub(super) fn is_straight(&self) -> bool {
        self.beside == [Beside::Both; 3]
    }

    /// Whether the other one is touched at a moment, more than in passing.
    pub(super) fn is_there_at(&self, moment: f64) -> bool {
        self.enter <= moment
            && (moment < self.leave || (moment == self.enter && self.goes_through()))
    }

    /// The normal of the face that is met: of several that are met at the same moment, the one that is met most steeply.
    pub(super) fn normal(axes: u8, way: Vec3) -> Vec3 {
        let met = (0..3).filter(|axis| axes & 1 << axis != 0);
        let steepest = met.reduce(|best, axis| match way[axis].abs() > way[best].abs() {
            true => axis,
            false => best,
        });
        steepest.map_or(Vec3::ZERO, |axis| Vec3::AXES[axis] * -way[axis].signum())
    }
}

impl Aabb {
    /// When this box, moved along a way, first touches another one that stays, and on which face. `None` if it does not
    /// within the way, if the two overlap already, or if it only slides along a face. Where two faces are met at the same
    /// moment, at an edge, the one that is met more steeply counts.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let pallet = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
    /// let wall = Aabb::from_corner(Vec3::new(5.0, -9.0, -9.0), Vec3::new(0.1, 20.0, 20.0));
    /// let impact = pallet.time_of_impact(Vec3::X * 100.0, &wall).expect("the wall is in its way");
    /// assert_eq!((impact.share, impact.normal), (0.04, Vec3::NEG_X));
    /// assert_eq!(pallet.time_of_impact(Vec3::X * 3.9, &wall), None);
    /// assert_eq!(pallet.time_of_impact(Vec3::Y * 100.0, &wall), None);
    /// ```
    #[must_use]
    pub fn time_of_impact(&self, way: Vec3, other: &Self) -> Option<Impact> {
        let passage = Passage::of(self, way, other)?;
        let is_met = passage.is_straight() && passage.goes_through();
        (is_met && (0.0..=1.0).contains(&passage.enter)).then(|| Impact {
            share: passage.enter as f32,
            normal: Passage::normal(passage.entered, way),
        })
    }
}

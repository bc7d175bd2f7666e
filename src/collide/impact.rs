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

impl Aabb {
    /// When this box, moved along a way, first touches another one that stays, and on which face. `None` if it does not
    /// within the way, if the two overlap already, or if it only slides along a face.
    ///
    /// The two are one ray and one box that is larger by the size of the other; the ray is clipped axis by axis (T. Kay and
    /// J. Kajiya, "Ray tracing complex scenes", SIGGRAPH 1986).
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
        let (mut enter, mut leave) = (f32::NEG_INFINITY, f32::INFINITY);
        let (mut entered, mut left) = (0, 0);
        for axis in 0..3 {
            let near = other.min[axis] - self.max[axis];
            let far = other.max[axis] - self.min[axis];
            if way[axis] == 0.0 {
                // No way along this axis: the two must overlap along it all the time.
                if near >= 0.0 || far <= 0.0 {
                    return None;
                }
                continue;
            }
            let (first, last) = match way[axis] > 0.0 {
                true => (near / way[axis], far / way[axis]),
                false => (far / way[axis], near / way[axis]),
            };
            if first > enter {
                enter = first;
                entered = axis;
            }
            if last < leave {
                leave = last;
                left = axis;
            }
        }
        // A point meets a wall without thickness when it leaves it; what enters along one axis when it leaves along another
        // grazes an edge.
        let meets = enter < leave || (enter == leave && entered == left);
        (meets && (0.0..=1.0).contains(&enter)).then(|| Impact {
            share: enter,
            normal: Vec3::AXES[entered] * -way[entered].signum(),
        })
    }
}

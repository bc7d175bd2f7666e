//! Which way one looks at a scene, and where things come to lie on paper.

use gerust::{Aabb, prelude::Vec3};

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum View {
    /// Along -z: x to the right, y up.
    Side,
    /// Along -y: x to the right, z down.
    Top,
    /// From the front, the right and above at once: what is higher, nearer and further right is seen before the rest.
    Slanted,
}

/// How far the slanted view is turned to the right, and how far it looks down: both 30 degrees.
const TURN: (f32, f32) = (0.5, 0.866_025_4);
const TILT: (f32, f32) = (0.5, 0.866_025_4);

impl View {
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Side => "from the side (x right, y up)",
            Self::Top => "from above (x right, z down)",
            Self::Slanted => "slanted (from +x, +y and +z)",
        }
    }

    /// Which way the vertical axis grows on paper.
    pub(super) fn vertical_sign(self) -> f32 {
        match self {
            Self::Side | Self::Slanted => 1.0,
            Self::Top => -1.0,
        }
    }

    /// Whether numbers along the edges are metres along an axis.
    pub(super) fn has_axes(self) -> bool {
        self != Self::Slanted
    }

    pub(super) fn project(self, point: Vec3) -> (f32, f32) {
        match self {
            Self::Side => (point.x, point.y),
            Self::Top => (point.x, -point.z),
            Self::Slanted => {
                let right = point.x * TURN.1 - point.z * TURN.0;
                let near = point.x * TURN.0 + point.z * TURN.1;
                (right, point.y * TILT.1 - near * TILT.0)
            }
        }
    }

    /// How near to the viewer a point is: what is nearer is painted over what is farther.
    pub(super) fn nearness(self, point: Vec3) -> f32 {
        match self {
            Self::Side => point.z,
            Self::Top => point.y,
            Self::Slanted => {
                let near = point.x * TURN.0 + point.z * TURN.1;
                near * TILT.1 + point.y * TILT.0
            }
        }
    }

    /// The least and the greatest place on paper that a box takes up.
    pub(super) fn extent(self, aabb: &Aabb) -> ((f32, f32), (f32, f32)) {
        let corners = corners(aabb).map(|corner| self.project(corner));
        corners.into_iter().fold(
            ((f32::MAX, f32::MAX), (f32::MIN, f32::MIN)),
            |(least, most), (across, up)| {
                (
                    (least.0.min(across), least.1.min(up)),
                    (most.0.max(across), most.1.max(up)),
                )
            },
        )
    }

    /// The faces of a box that are seen, each as its corners in a row.
    pub(super) fn faces(self, aabb: &Aabb) -> Vec<[(f32, f32); 4]> {
        let (min, max) = (aabb.min, aabb.max);
        let corner = |x: bool, y: bool, z: bool| {
            let of = |is_max: bool, axis: usize| if is_max { max[axis] } else { min[axis] };
            self.project(Vec3::new(of(x, 0), of(y, 1), of(z, 2)))
        };
        let front = [
            corner(false, false, true),
            corner(true, false, true),
            corner(true, true, true),
            corner(false, true, true),
        ];
        let top = [
            corner(false, true, false),
            corner(true, true, false),
            corner(true, true, true),
            corner(false, true, true),
        ];
        let right = [
            corner(true, false, false),
            corner(true, true, false),
            corner(true, true, true),
            corner(true, false, true),
        ];
        match self {
            Self::Side => vec![front],
            Self::Top => vec![top],
            Self::Slanted => vec![front, top, right],
        }
    }
}

fn corners(aabb: &Aabb) -> [Vec3; 8] {
    std::array::from_fn(|number| {
        let of = |axis: usize| match number >> axis & 1 {
            0 => aabb.min[axis],
            _ => aabb.max[axis],
        };
        Vec3::new(of(0), of(1), of(2))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_up_right_or_near_is_so_on_paper() {
        let at = |point| View::Slanted.project(point);
        assert!(at(Vec3::X).0 > 0.0 && at(Vec3::X).1 < 0.0);
        assert!(at(Vec3::Y).0 == 0.0 && at(Vec3::Y).1 > 0.0);
        assert!(at(Vec3::Z).0 < 0.0 && at(Vec3::Z).1 < 0.0);
        for axis in [Vec3::X, Vec3::Y, Vec3::Z] {
            assert!(View::Slanted.nearness(axis) > 0.0);
            // No axis is drawn longer than it is.
            let (across, up) = at(axis);
            assert!(across.hypot(up) <= 1.0 + 1e-6);
        }
    }

    #[test]
    fn all_faces_lie_within_the_extent() {
        let aabb = Aabb::from_corners(Vec3::new(-1.0, 2.0, -3.0), Vec3::new(4.0, 5.0, 6.0));
        for view in [View::Side, View::Top, View::Slanted] {
            let (least, most) = view.extent(&aabb);
            for (across, up) in view.faces(&aabb).into_iter().flatten() {
                assert!((least.0..=most.0).contains(&across) && (least.1..=most.1).contains(&up));
            }
        }
        assert_eq!(View::Top.extent(&aabb), ((-1.0, -6.0), (4.0, 3.0)));
    }
}

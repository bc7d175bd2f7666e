//! Where boxes lie.

use gerust::prelude::*;
use rand::RngExt;
use rand::rngs::StdRng;

#[derive(Clone, Copy)]
pub(super) enum Layout {
    /// Evenly in a cube, each box touching about one other.
    Uniform,
    /// In heaps far from each other.
    Clustered,
    /// Sizes from 1 to 100, most of them small.
    Mixed,
    /// One behind the other along x.
    Line,
    /// Along two lines that cross.
    Cross,
    /// As uniform, but nine of ten stay where they are.
    StaticHeavy,
}

impl Layout {
    pub(super) const ALL: [Self; 6] = [
        Self::Uniform,
        Self::Clustered,
        Self::Mixed,
        Self::Line,
        Self::Cross,
        Self::StaticHeavy,
    ];

    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Uniform => "uniform",
            Self::Clustered => "clustered",
            Self::Mixed => "mixed 1:100",
            Self::Line => "line",
            Self::Cross => "cross",
            Self::StaticHeavy => "static-heavy",
        }
    }

    /// A number of boxes, the first of which do not move.
    pub(super) fn boxes(self, count: usize, random: &mut StdRng) -> (Vec<Aabb>, usize) {
        let side = (count as f32).cbrt() * 2.0;
        let mut within = |side: f32| {
            Vec3::new(
                random.random_range(0.0..side),
                random.random_range(0.0..side),
                random.random_range(0.0..side),
            )
        };
        let half = Vec3::splat(0.5);
        let boxes = (0..count)
            .map(|number| match self {
                Self::Uniform | Self::StaticHeavy => Aabb::from_center(within(side), half),
                Self::Clustered => {
                    let heap = (number % 20) as f32;
                    let at = Vec3::new(heap * 731.0, (heap * 57.0) % 300.0, (heap * 91.0) % 400.0);
                    Aabb::from_center(at + within(side / 3.5), half)
                }
                Self::Mixed => {
                    let spread = within(1.0);
                    // Sizes by a power law: one in a hundred is longer than 10, one in ten thousand near 100.
                    let size = (1.0 / (spread.x * 0.9999 + 0.0001)).sqrt().min(100.0);
                    Aabb::from_center(within(side * 2.0), half * size)
                }
                Self::Line => Aabb::from_center(Vec3::X * within(count as f32).x, half),
                Self::Cross => {
                    let along = within(count as f32).x - count as f32 / 2.0;
                    let at = if number % 2 == 0 { Vec3::X } else { Vec3::Y };
                    Aabb::from_center(at * along, half)
                }
            })
            .collect();
        let still = match self {
            Self::StaticHeavy => count / 10 * 9,
            _ => 0,
        };
        (boxes, still)
    }
}

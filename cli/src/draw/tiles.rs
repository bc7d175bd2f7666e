//! Grids of tiles: drawn as grids, so that free tiles are seen as well.

use super::snapshot::DrawnBox;
use super::view::View;
use gerust::Aabb;
use gerust::prelude::Vec3;
use std::collections::HashSet;

/// A grid where it lies in the world.
pub(crate) struct DrawnGrid {
    pub(crate) area: Aabb,
    /// How many tiles there are along each axis.
    pub(crate) counts: [u32; 3],
}

impl DrawnGrid {
    /// The lines between tiles on the side of the grid that is seen; of a slanted view on its ground, which free tiles show.
    pub(super) fn lines(&self, view: View) -> Vec<[Vec3; 2]> {
        let (axes, depth) = match view {
            View::Side => ([0, 1], (2, self.area.max.z)),
            View::Top => ([0, 2], (1, self.area.max.y)),
            View::Slanted => ([0, 2], (1, self.area.min.y)),
        };
        let crossing = |along: usize, across: usize| {
            (0..=self.counts[across]).map(move |step| {
                let share = step as f32 / self.counts[across] as f32;
                let end = |place: f32| {
                    let mut end = Vec3::ZERO;
                    end[depth.0] = depth.1;
                    end[along] = place;
                    end[across] = self.area.min[across] + self.area.size()[across] * share;
                    end
                };
                [end(self.area.min[along]), end(self.area.max[along])]
            })
        };
        let lines = crossing(axes[0], axes[1]).chain(crossing(axes[1], axes[0]));
        lines.collect()
    }

    /// The length of the shorter side of a tile on paper.
    pub(super) fn pitch(&self, view: View) -> f32 {
        let of = |axis: usize| self.area.size()[axis] / self.counts[axis] as f32;
        match view {
            View::Side => of(0).min(of(1)),
            View::Top | View::Slanted => of(0).min(of(2)),
        }
    }
}

/// The boxes that are seen: of tiles that lie behind each other along a flat view only one, or they would grow darker with each.
pub(super) fn seen<'b>(boxes: impl Iterator<Item = &'b DrawnBox>, view: View) -> Vec<&'b DrawnBox> {
    let mut covered = HashSet::new();
    let is_first = |drawn: &&DrawnBox| {
        let (least, most) = view.extent(&drawn.aabb);
        let place = [least.0, least.1, most.0, most.1].map(f32::to_bits);
        !drawn.is_tile || covered.insert((drawn.entity, place))
    };
    boxes.filter(is_first).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::draw::snapshot::Look;
    use gerust::World;

    #[test]
    fn lines_part_all_tiles() {
        let grid = DrawnGrid {
            area: Aabb::from_corners(Vec3::new(-4.0, 0.0, 2.0), Vec3::new(8.0, 2.0, 8.0)),
            counts: [6, 1, 3],
        };
        let lines = grid.lines(View::Top);
        assert_eq!(lines.len(), 7 + 4);
        assert!(lines.contains(&[Vec3::new(-4.0, 2.0, 4.0), Vec3::new(8.0, 2.0, 4.0)]));
        assert!(lines.contains(&[Vec3::new(8.0, 2.0, 2.0), Vec3::new(8.0, 2.0, 8.0)]));
        assert_eq!(grid.lines(View::Side).len(), 7 + 2);
        assert!(
            grid.lines(View::Slanted)
                .iter()
                .flatten()
                .all(|end| end.y == 0.0)
        );
        assert_eq!(grid.pitch(View::Top), 2.0);
    }

    #[test]
    fn tiles_behind_each_other_are_seen_once_and_boxes_always() {
        let entity = World::new().spawn((0_u8,));
        let drawn = |x: f32, z: f32, is_tile| DrawnBox {
            entity,
            name: None,
            aabb: Aabb::from_center(Vec3::new(x, 0.0, z), Vec3::splat(0.5)),
            look: Look::Static,
            is_tile,
        };
        let tiles = [
            drawn(0.0, 0.0, true),
            drawn(0.0, 1.0, true),
            drawn(1.0, 1.0, true),
        ];
        assert_eq!(seen(tiles.iter(), View::Side).len(), 2);
        assert_eq!(seen(tiles.iter(), View::Top).len(), 3);
        let boxes = [drawn(0.0, 0.0, false), drawn(0.0, 1.0, false)];
        assert_eq!(seen(boxes.iter(), View::Side).len(), 2);
    }
}

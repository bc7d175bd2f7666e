//! The order of boxes along a space-filling curve, in which neighbours in the list are neighbours in space.

use crate::collide::aabb::Aabb;
use glam::Vec3;

/// Bits of a key that are left for the place of a box in its list.
const PLACE_BITS: u32 = 24;
/// Bits along each axis where all three count, and where two do. 2¹³ cells of an axis keep a crowd apart that fills a
/// thousandth of a scene.
const BITS_OF_THREE: u32 = 13;
const BITS_OF_TWO: u32 = 20;

/// The places of boxes in their list, in the order of their centers along a Morton curve (G. M. Morton, "A Computer
/// Oriented Geodetic Data Base and a New Technique in File Sequencing", 1966).
///
/// Cells are as long along each axis: a landscape whose heights hardly differ must not be divided by height first. An axis
/// along which all lie in one cell takes no part, so flat scenes have finer cells.
pub(super) fn along_curve(boxes: &[Aabb], keys: &mut Vec<u64>) {
    let mut low = Vec3::INFINITY;
    let mut high = Vec3::NEG_INFINITY;
    for aabb in boxes {
        // Twice the center orders as the center does.
        let center = aabb.min + aabb.max;
        low = low.min(center);
        high = high.max(center);
    }
    let extent = high - low;
    let mut axes = [0, 1, 2];
    axes.sort_by(|&a, &b| extent[b].total_cmp(&extent[a]));
    let longest = extent[axes[0]];
    let cells = |bits: u32| (1_u32 << bits) as f32 - 1.0;
    // Whether a third axis is worth bits is seen with the finer cells, which it would take part in.
    let uses_three = extent[axes[2]] * cells(BITS_OF_THREE) >= longest;
    let bits = if uses_three {
        BITS_OF_THREE
    } else {
        BITS_OF_TWO
    };
    let scale = match longest > 0.0 && longest.is_finite() {
        true => cells(bits) / longest,
        false => 0.0,
    };
    keys.clear();
    keys.extend(boxes.iter().enumerate().map(|(place, aabb)| {
        let cell = (aabb.min + aabb.max - low) * scale;
        let along = |number: usize| cell[axes[number]] as u64;
        let key = match uses_three {
            true => {
                spread_by_three(along(0)) << 2
                    | spread_by_three(along(1)) << 1
                    | spread_by_three(along(2))
            }
            false => spread_by_two(along(0)) << 1 | spread_by_two(along(1)),
        };
        key << PLACE_BITS | place as u64
    }));
    keys.sort_unstable();
}

/// The place in the list that a key was made for.
pub(super) fn place_of(key: u64) -> usize {
    (key & ((1 << PLACE_BITS) - 1)) as usize
}

/// The most boxes that can be ordered.
pub(super) const MOST_BOXES: usize = 1 << PLACE_BITS;

/// Puts two zeros behind each of the lower 21 bits.
fn spread_by_three(bits: u64) -> u64 {
    let bits = (bits | bits << 32) & 0x001f_0000_0000_ffff;
    let bits = (bits | bits << 16) & 0x001f_0000_ff00_00ff;
    let bits = (bits | bits << 8) & 0x100f_00f0_0f00_f00f;
    let bits = (bits | bits << 4) & 0x10c3_0c30_c30c_30c3;
    (bits | bits << 2) & 0x1249_2492_4924_9249
}

/// Puts a zero behind each of the lower 32 bits.
fn spread_by_two(bits: u64) -> u64 {
    let bits = (bits | bits << 16) & 0x0000_ffff_0000_ffff;
    let bits = (bits | bits << 8) & 0x00ff_00ff_00ff_00ff;
    let bits = (bits | bits << 4) & 0x0f0f_0f0f_0f0f_0f0f;
    let bits = (bits | bits << 2) & 0x3333_3333_3333_3333;
    (bits | bits << 1) & 0x5555_5555_5555_5555
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn bits_are_spread_without_loss(bits in 0_u64..1 << 20) {
            let gathered = |spread: u64, step: u32| (0..20).fold(0, |all, bit| {
                all | (spread >> (bit * step) & 1) << bit
            });
            prop_assert_eq!(gathered(spread_by_three(bits), 3), bits);
            prop_assert_eq!(spread_by_three(bits).count_ones(), bits.count_ones());
            prop_assert_eq!(gathered(spread_by_two(bits), 2), bits);
            prop_assert_eq!(spread_by_two(bits).count_ones(), bits.count_ones());
        }
    }

    #[test]
    fn neighbors_along_the_curve_are_neighbors_in_space() {
        let at = |x: f32, y: f32| Aabb::from_center(Vec3::new(x, y, 7.0), Vec3::ONE);
        let boxes = [at(0.0, 0.0), at(90.0, 91.0), at(1.0, 0.5), at(91.0, 90.0)];
        let mut keys = Vec::new();
        along_curve(&boxes, &mut keys);
        let order: Vec<usize> = keys.into_iter().map(place_of).collect();
        assert_eq!(order[..2].iter().sum::<usize>(), 2, "{order:?}");
    }

    fn order_of(boxes: &[Aabb]) -> Vec<usize> {
        let mut keys = Vec::new();
        along_curve(boxes, &mut keys);
        keys.into_iter().map(place_of).collect()
    }

    /// A grid of 4 cells along each used axis. A Morton curve visits each half before the other: along x, then y, then z,
    /// where x is the longest axis.
    #[test]
    fn boxes_are_in_the_order_of_a_morton_curve() {
        let axes = |size: Vec3| {
            let cells = [0, 1, 2].map(|axis| if size[axis] > 0.0 { 4 } else { 1 });
            let mut boxes = Vec::new();
            let mut wanted = Vec::new();
            for x in 0..cells[0] {
                for y in 0..cells[1] {
                    for z in 0..cells[2] {
                        let at = Vec3::new(x as f32, y as f32, z as f32) * size;
                        boxes.push(Aabb::from_center(at, Vec3::splat(0.1)));
                        wanted.push([x, y, z]);
                    }
                }
            }
            (boxes, wanted)
        };
        // The bits of a cell from high to low, those of the longer axes first.
        let bits = |cell: [i32; 3], longest_first: &[usize]| {
            [1, 0].map(|bit| {
                longest_first
                    .iter()
                    .map(|&axis| cell[axis] >> bit & 1)
                    .collect::<Vec<_>>()
            })
        };
        for (size, longest_first) in [
            (Vec3::new(9.0, 8.0, 7.0), &[0, 1, 2][..]),
            (Vec3::new(7.0, 8.0, 9.0), &[2, 1, 0]),
            (Vec3::new(8.0, 7.0, 9.0), &[2, 0, 1]),
            (Vec3::new(8.0, 9.0, 0.0), &[1, 0]),
            (Vec3::new(0.0, 8.0, 9.0), &[2, 1]),
        ] {
            let (boxes, cells) = axes(size);
            let order: Vec<_> = order_of(&boxes)
                .into_iter()
                .map(|place| bits(cells[place], longest_first))
                .collect();
            // 8 of 9 times 4 cells fall into the same quarters as all of them.
            let mut sorted = order.clone();
            sorted.sort();
            assert_eq!(order, sorted, "{size}");
        }
    }

    /// A third axis takes part from the size of one cell of the finer grid on, and far smaller ones do not.
    #[test]
    fn a_flat_landscape_is_not_divided_by_height() {
        let at =
            |x: f32, y: f32, height: f32| Aabb::from_center(Vec3::new(x, height, y), Vec3::ONE);
        // Two far groups, whose members differ in height by less than a cell.
        let boxes = [
            at(0.0, 0.0, 0.0),
            at(9_000.0, 9_000.0, 0.0),
            at(1.0, 1.0, 1.0),
            at(9_000.0, 8_999.0, 1.0),
        ];
        let order = order_of(&boxes);
        assert!(order[..2] == [0, 2] || order[..2] == [2, 0], "{order:?}");
        // Where heights differ as much as places, they count.
        let boxes = [
            at(0.0, 0.0, 0.0),
            at(0.0, 1.0, 8_000.0),
            at(0.0, 2.0, 0.0),
            at(9_000.0, 9_000.0, 9_000.0),
        ];
        let order = order_of(&boxes);
        assert_eq!(order[..2], [0, 2]);
    }

    #[test]
    fn boxes_at_one_point_keep_their_order() {
        let mut keys = Vec::new();
        along_curve(&[Aabb::default(); 9], &mut keys);
        let order: Vec<usize> = keys.into_iter().map(place_of).collect();
        assert_eq!(order, [0, 1, 2, 3, 4, 5, 6, 7, 8]);
    }
}

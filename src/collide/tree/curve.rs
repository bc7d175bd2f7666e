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
mod tests;

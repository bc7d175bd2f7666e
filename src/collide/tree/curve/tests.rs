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

/// A Morton curve visits one half of a grid before the other, first along the longest axis, then along the next.
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
        let mut sorted = order.clone();
        sorted.sort();
        assert_eq!(order, sorted, "{size}");
    }
}

/// The third axis takes part only if the scene is at least a cell high.
#[test]
fn a_flat_landscape_is_not_divided_by_height() {
    let at = |x: f32, y: f32, height: f32| Aabb::from_center(Vec3::new(x, height, y), Vec3::ONE);
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

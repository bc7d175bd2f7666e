use super::*;
use glam::Quat;
use proptest::prelude::*;

fn aabb() -> impl Strategy<Value = Aabb> {
    // Whole numbers, so that faces that only touch come up often; sizes of 0 as well.
    let corner = [-4_i8..4, -4_i8..4, -4_i8..4];
    let size = [-3_i8..=3, -3_i8..=3, -3_i8..=3];
    (corner, size).prop_map(|(corner, size)| {
        let vector = |numbers: [i8; 3]| Vec3::from(numbers.map(f32::from));
        Aabb::from_corner(vector(corner), vector(size))
    })
}

/// Whether two intervals share more than an end, told apart from the code under test by its own cases.
fn intervals_share(a: (f32, f32), b: (f32, f32), ends_count: bool) -> bool {
    let (lower, upper) = if a.0 <= b.0 { (a, b) } else { (b, a) };
    if upper.0 == upper.1 || lower.0 == lower.1 {
        // A flat side: inside means strictly between the faces.
        let (flat, other) = if upper.0 == upper.1 {
            (upper, lower)
        } else {
            (lower, upper)
        };
        return if ends_count {
            other.0 <= flat.0 && flat.0 <= other.1
        } else {
            other.0 < flat.0 && flat.0 < other.1
        };
    }
    if ends_count {
        upper.0 <= lower.1
    } else {
        upper.0 < lower.1
    }
}

fn share(a: &Aabb, b: &Aabb, ends_count: bool) -> bool {
    (0..3).all(|axis| {
        intervals_share(
            (a.min[axis], a.max[axis]),
            (b.min[axis], b.max[axis]),
            ends_count,
        )
    })
}

proptest! {
    #[test]
    fn overlap_is_reported_axis_by_axis(a in aabb(), b in aabb()) {
        prop_assert_eq!(a.overlaps(&b), share(&a, &b, false));
        prop_assert_eq!(a.touches(&b), share(&a, &b, true));
    }

    #[test]
    fn overlap_does_not_depend_on_the_order_nor_on_the_place(a in aabb(), b in aabb(), by in -50_i8..50) {
        prop_assert_eq!(a.overlaps(&b), b.overlaps(&a));
        prop_assert_eq!(a.touches(&b), b.touches(&a));
        let by = Vec3::splat(f32::from(by));
        prop_assert_eq!(a.overlaps(&b), a.moved(by).overlaps(&b.moved(by)));
    }

    #[test]
    fn what_overlaps_touches_and_depth_agrees(a in aabb(), b in aabb()) {
        prop_assert!(!a.overlaps(&b) || a.touches(&b));
        let depth = a.depth(&b);
        prop_assert_eq!(depth, b.depth(&a));
        prop_assert_eq!(a.touches(&b), depth.min_element() >= 0.0);
        let are_thick = a.size().min_element() > 0.0 && b.size().min_element() > 0.0;
        prop_assert!(!are_thick || a.overlaps(&b) == (depth.min_element() > 0.0));
    }

    #[test]
    fn negative_sizes_are_made_proper(corner in [-4.0_f32..4.0, -4.0..4.0, -4.0..4.0], size in [-3.0_f32..3.0, -3.0..3.0, -3.0..3.0]) {
        let (corner, size) = (Vec3::from(corner), Vec3::from(size));
        let made = Aabb::from_corner(corner, size);
        prop_assert!(made.is_valid());
        prop_assert!(made.size().abs_diff_eq(size.abs(), 1e-5));
        prop_assert_eq!(made, Aabb::from_corners(corner + size, corner));
    }

    /// Every corner of the box lies in the enclosing box, and each face of that is reached by some corner.
    #[test]
    fn the_enclosing_box_is_tight(
        own in aabb(),
        turn in [-3.0_f32..3.0, -3.0..3.0, -3.0..3.0],
        scale in [-2.0_f32..2.0, -2.0..2.0, -2.0..2.0],
        place in [-9.0_f32..9.0, -9.0..9.0, -9.0..9.0],
    ) {
        let map = Affine3A::from_scale_rotation_translation(
            scale.into(),
            Quat::from_scaled_axis(turn.into()),
            place.into(),
        );
        let corners: Vec<Vec3> = (0..8)
            .map(|bits| {
                let side = |axis: usize| if bits & (1 << axis) == 0 { own.min } else { own.max }[axis];
                map.transform_point3(Vec3::new(side(0), side(1), side(2)))
            })
            .collect();
        let min = corners.iter().copied().fold(Vec3::INFINITY, Vec3::min);
        let max = corners.iter().copied().fold(Vec3::NEG_INFINITY, Vec3::max);
        let enclosing = own.enclosed(&map);
        prop_assert!(enclosing.min.abs_diff_eq(min, 1e-4), "{} {}", enclosing.min, min);
        prop_assert!(enclosing.max.abs_diff_eq(max, 1e-4), "{} {}", enclosing.max, max);
    }
}

#[test]
fn a_cross_overlaps_although_no_corner_lies_in_the_other_box() {
    let beams = [
        Vec3::new(9.0, 1.0, 1.0),
        Vec3::new(1.0, 9.0, 1.0),
        Vec3::new(1.0, 1.0, 9.0),
    ];
    for (at, one) in beams.iter().enumerate() {
        for other in &beams[at + 1..] {
            let (one, other) = (
                Aabb::from_center(Vec3::ZERO, *one),
                Aabb::from_center(Vec3::ZERO, *other),
            );
            assert!(one.overlaps(&other) && other.overlaps(&one));
        }
    }
}

#[test]
fn faces_edges_and_corners_that_only_touch_do_not_overlap() {
    let unit = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
    for x in -1..=1_i8 {
        for y in -1..=1_i8 {
            for z in -1..=1_i8 {
                let by = Vec3::new(f32::from(x), f32::from(y), f32::from(z));
                let other = unit.moved(by);
                assert!(unit.touches(&other), "{by}");
                assert_eq!(unit.overlaps(&other), by == Vec3::ZERO, "{by}");
            }
        }
    }
}

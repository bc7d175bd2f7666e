use super::*;
use proptest::prelude::*;

fn number() -> impl Strategy<Value = f32> {
    -20.0_f32..20.0
}

fn vector() -> impl Strategy<Value = Vec3> {
    [number(), number(), number()].prop_map(Vec3::from)
}

fn factor() -> impl Strategy<Value = f32> {
    prop_oneof![Just(0.0_f32), 0.05_f32..5.0, -5.0_f32..-0.05]
}

fn transform() -> impl Strategy<Value = Transform> {
    (vector(), vector(), [factor(), factor(), factor()]).prop_map(|(translation, turn, scale)| {
        Transform {
            translation,
            rotation: Quat::from_scaled_axis(turn),
            scale: scale.into(),
        }
    })
}

/// The map by the formula for rotating a vector by a quaternion, v + 2 u × (u × v + w v), without a matrix.
fn mapped(transform: &Transform, point: Vec3) -> Vec3 {
    let (u, w) = (transform.rotation.xyz(), transform.rotation.w);
    let scaled = transform.scale * point;
    let turned = scaled + 2.0 * u.cross(u.cross(scaled) + w * scaled);
    turned + transform.translation
}

proptest! {
    #[test]
    fn the_matrix_does_what_the_formula_says(transform in transform(), point in vector()) {
        let expected = mapped(&transform, point);
        prop_assert!(transform.affine().transform_point3(point).abs_diff_eq(expected, 1e-3));
        prop_assert!(transform.point(point).abs_diff_eq(expected, 1e-3));
        if let Some(back) = transform.local_point(expected) {
            prop_assert!(back.abs_diff_eq(point, 1e-2));
        } else {
            prop_assert!(transform.scale.min_element() <= 0.0);
        }
    }

    #[test]
    fn a_map_without_shear_is_found_again(transform in transform()) {
        let affine = transform.affine();
        let (found, is_same) = Transform::closest_to(&affine);
        prop_assert!(is_same, "{found:?}");
        prop_assert!(found.affine().abs_diff_eq(affine, 1e-4));
        prop_assert!(found.rotation.is_normalized() && found.rotation.is_finite());
    }

    #[test]
    fn shear_is_detected_and_never_makes_a_nan(transform in transform(), second in transform()) {
        let affine = transform.affine() * second.affine();
        let (found, is_same) = Transform::closest_to(&affine);
        prop_assert!(found.rotation.is_normalized() && found.scale.is_finite());
        let largest = affine.matrix3.to_cols_array().into_iter().map(f32::abs).fold(0.0, f32::max);
        let is_close = found.affine().matrix3.abs_diff_eq(affine.matrix3, largest * 1e-3);
        prop_assert!(!is_same || is_close);
    }

    #[test]
    fn snapping_is_the_same_everywhere_on_the_grid(
        place in vector(),
        pitch in 0.25_f32..4.0,
        cells in [-5_i32..5, -5_i32..5, -5_i32..5],
    ) {
        let pitch = (pitch * 4.0).round() / 4.0;
        // Multiples of 1/64 are exact, so that moving by whole cells is exact as well.
        let place = (place * 64.0).round() / 64.0;
        let away = Vec3::from(cells.map(|cell| cell as f32)) * pitch;
        let here = Transform { translation: place, ..Transform::default() };
        let there = Transform { translation: place + away, ..Transform::default() };
        let grid = Vec3::splat(pitch);
        prop_assert_eq!(here.snapped(grid).translation + away, there.snapped(grid).translation);
        prop_assert_eq!(here.cell(pitch).to_array().map(|cell| cell as f32), (place / pitch).floor().to_array());
        let distance = (here.snapped(grid).translation - place).abs();
        prop_assert!(distance.max_element() <= pitch / 2.0);
    }

    #[test]
    fn facing_a_point_looks_at_it(from in vector(), to in vector(), up in vector()) {
        prop_assume!(from.distance(to) > 1e-3);
        let looking = Transform { translation: from, ..Transform::default() }.facing(to, up);
        prop_assert!(looking.rotation.is_normalized());
        prop_assert!(looking.forward().abs_diff_eq((to - from).normalize(), 1e-4));
        let own_up = looking.rotation * Vec3::Y;
        prop_assert!(own_up.dot(up) >= -1e-3);
    }
}

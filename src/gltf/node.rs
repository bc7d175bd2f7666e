//! The placement of one node, checked.

use super::read::{Repairs, bad};
use crate::error::Error;
use crate::space::Transform;
use glam::{Affine3A, DMat3, DVec3, Mat3, Mat4, Quat, Vec3};
use gltf::json::Node;

/// The local placement of a node: one transform, or two of which the second stands within the first, where one cannot
/// express it.
pub(super) enum Placement {
    Plain(Transform),
    Sheared { outer: Transform, inner: Transform },
}

pub(super) fn placement(
    node: &Node,
    place: &str,
    repairs: &mut Repairs,
) -> Result<Placement, Error> {
    let parts = node.translation.is_some() || node.rotation.is_some() || node.scale.is_some();
    match &node.matrix {
        Some(matrix) => {
            if parts {
                repairs.add(
                    place,
                    "has a matrix and parts of a placement; the matrix was kept",
                );
            }
            from_matrix(matrix, place, repairs)
        }
        None => from_parts(node, place, repairs).map(Placement::Plain),
    }
}

fn from_parts(node: &Node, place: &str, repairs: &mut Repairs) -> Result<Transform, Error> {
    let default = Transform::default();
    let translation = node.translation.map_or(default.translation, Vec3::from);
    let scale = node.scale.map_or(default.scale, Vec3::from);
    let rotation = node
        .rotation
        .map_or(default.rotation, |rotation| Quat::from_array(rotation.0));
    for (part, is_finite) in [
        ("translation", translation.is_finite()),
        ("rotation", rotation.is_finite()),
        ("scale", scale.is_finite()),
    ] {
        if !is_finite {
            return Err(not_finite(&format!("{place}.{part}")));
        }
    }
    Ok(Transform {
        translation,
        rotation: unit(rotation, place, repairs),
        scale,
    })
}

fn not_finite(place: &str) -> Error {
    bad(
        place,
        "a number is too large to be one",
        "export the file again with finite placements",
    )
}

/// A length of a quaternion that is off by no more than this is rounding.
const ROUNDING: f32 = 1e-3;

fn unit(rotation: Quat, place: &str, repairs: &mut Repairs) -> Quat {
    let length = rotation.length();
    // The length of huge and tiny numbers may come out as infinite or zero where a direction is left.
    let largest = rotation
        .to_array()
        .into_iter()
        .fold(0.0_f32, |largest, part| largest.max(part.abs()));
    if largest == 0.0 {
        repairs.add(
            place,
            "has a rotation of length 0; it was taken as unturned",
        );
        return Quat::IDENTITY;
    }
    if (length - 1.0).abs() > ROUNDING {
        repairs.add(
            place,
            &format!("has a rotation of length {length}; it was scaled to 1"),
        );
    }
    // One that is of unit length as well as can be stays bit for bit what it is.
    match (length - 1.0).abs() <= 1e-6 {
        true => rotation,
        false => Quat::from_array((rotation.to_array()).map(|part| part / largest)).normalize(),
    }
}

fn from_matrix(matrix: &[f32; 16], place: &str, repairs: &mut Repairs) -> Result<Placement, Error> {
    let place = format!("{place}.matrix");
    let columns = Mat4::from_cols_array(matrix);
    if !columns.is_finite() {
        return Err(not_finite(&place));
    }
    let bottom = columns.row(3).to_array();
    if bottom != [0.0, 0.0, 0.0, 1.0] {
        return Err(bad(
            &place,
            &format!("the bottom row is {bottom:?}, not 0, 0, 0, 1, so it is no placement"),
            "export the file again without a projection",
        ));
    }
    let affine = Affine3A::from_mat4(columns);
    let (transform, is_same) = Transform::closest_to(&affine);
    if is_same {
        return Ok(Placement::Plain(transform));
    }
    repairs.add(
        &place,
        "is sheared, which one transform cannot be; it was kept as a node within a node",
    );
    let (outer, inner) = split(&affine);
    Ok(Placement::Sheared { outer, inner })
}

/// Sweeps after which the columns of any 3 × 3 matrix are at right angles: each squares the error.
const SWEEPS: usize = 16;

/// Two transforms that multiply to an affine map: any map is a rotation, a scale along the axes, and another rotation
/// (singular value decomposition by one-sided Jacobi rotations; Golub and Van Loan, "Matrix Computations", 8.6.3).
fn split(affine: &Affine3A) -> (Transform, Transform) {
    let matrix = Mat3::from(affine.matrix3).as_dmat3();
    let mut pairs = [
        (matrix.x_axis, DVec3::X),
        (matrix.y_axis, DVec3::Y),
        (matrix.z_axis, DVec3::Z),
    ];
    for _ in 0..SWEEPS {
        for (p, q) in [(0, 1), (0, 2), (1, 2)] {
            let (first, second) = (pairs[p], pairs[q]);
            let product = first.0.dot(second.0);
            if product == 0.0 {
                continue;
            }
            let zeta = (second.0.length_squared() - first.0.length_squared()) / (2.0 * product);
            let tangent = zeta.signum() / (zeta.abs() + zeta.hypot(1.0));
            let cosine = tangent.hypot(1.0).recip();
            let sine = cosine * tangent;
            let turned = |one: DVec3, other: DVec3| {
                (one * cosine - other * sine, one * sine + other * cosine)
            };
            let (columns, rights) = (turned(first.0, second.0), turned(first.1, second.1));
            (pairs[p], pairs[q]) = ((columns.0, rights.0), (columns.1, rights.1));
        }
    }
    pairs.sort_by(|a, b| b.0.length_squared().total_cmp(&a.0.length_squared()));
    let [(first, _), (second, _), (third, _)] = pairs;
    let x = first.try_normalize().unwrap_or(DVec3::X);
    let y = second.reject_from_normalized(x).try_normalize();
    let y = y.unwrap_or_else(|| x.any_orthonormal_vector());
    let z = x.cross(y);
    let mut right = DMat3::from_cols(pairs[0].1, pairs[1].1, pairs[2].1);
    let mut scale = DVec3::new(first.length(), second.length(), third.dot(z));
    // A reflection is a rotation with one axis turned round, and the factor of that axis with it.
    if right.determinant() < 0.0 {
        (right.z_axis, scale.z) = (-right.z_axis, -scale.z);
    }
    let rotation = |matrix: DMat3| Quat::from_mat3(&matrix.as_mat3()).normalize();
    let outer = Transform {
        translation: affine.translation.into(),
        rotation: rotation(DMat3::from_cols(x, y, z)),
        scale: scale.as_vec3(),
    };
    let inner = Transform::default().rotated(rotation(right.transpose()));
    (outer, inner)
}

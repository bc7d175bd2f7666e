//! The placement of one node, checked.

use super::read::{Repairs, bad};
use crate::error::Error;
use crate::space::Transform;
use glam::{Affine3A, Mat3, Mat4, Quat, Vec3};
use gltf::json::Node;
use nalgebra::Matrix3;

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

/// Two transforms that multiply to an affine map: any map is a rotation, a scale along the axes, and another rotation
/// (singular value decomposition; Golub and Van Loan, "Matrix Computations", 2.4).
fn split(affine: &Affine3A) -> (Transform, Transform) {
    let matrix = Mat3::from(affine.matrix3);
    let decomposed =
        Matrix3::from_column_slice(&matrix.to_cols_array().map(f64::from)).svd(true, true);
    let (Some(mut left), Some(mut right)) = (decomposed.u, decomposed.v_t) else {
        // Both were asked for.
        return (Transform::default(), Transform::closest_to(affine).0);
    };
    let mut scale = decomposed.singular_values;
    // A reflection is a rotation with one axis turned round, and the factor of that axis with it.
    if left.determinant() < 0.0 {
        left.column_mut(2).neg_mut();
        scale[2] = -scale[2];
    }
    if right.determinant() < 0.0 {
        right.row_mut(2).neg_mut();
        scale[2] = -scale[2];
    }
    let rotation = |matrix: Matrix3<f64>| {
        let columns: Vec<f32> = matrix.iter().map(|&entry| entry as f32).collect();
        Quat::from_mat3(&Mat3::from_cols_slice(&columns)).normalize()
    };
    let outer = Transform {
        translation: affine.translation.into(),
        rotation: rotation(left),
        scale: Vec3::new(scale[0] as f32, scale[1] as f32, scale[2] as f32),
    };
    (outer, Transform::default().rotated(rotation(right)))
}

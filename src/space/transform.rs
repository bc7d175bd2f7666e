//! The local placement of an entity.

use glam::{Affine3A, IVec3, Mat3, Quat, Vec3};

/// Where an entity is, relative to its parent, or to the world if it has none.
///
/// Right-handed, y up, metres and radians; column vectors, so `parent * child` maps the child's space to the world. An
/// entity looks along its own negative z axis, with x to its right.
///
/// Scale is applied first, then rotation, then translation. Every entity with a `Transform` also has a
/// [`WorldTransform`](crate::WorldTransform) without being asked. Writing a `Transform` teleports: only a
/// [`Body`](crate::Body) stops at what is solid.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let spreader = Transform::at(0.0, 12.0, 0.0).rotated(Quat::from_rotation_y(0.5));
/// assert_eq!(spreader.translation, Vec3::new(0.0, 12.0, 0.0));
/// assert_eq!(spreader.scale, Vec3::ONE);
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Transform {
    /// Metres along the parent's axes.
    pub translation: Vec3,
    /// A unit quaternion.
    pub rotation: Quat,
    /// Factors along the entity's own axes. Negative factors mirror, zero flattens.
    pub scale: Vec3,
}

crate::describe_fields! {
    Transform {
        translation: "Metres along the parent's axes.";
        rotation: "A unit quaternion: x, y, z, w.";
        scale: "Factors along the entity's own axes.";
    }
}

#[cfg(feature = "snapshot")]
impl crate::store::SameBits for Transform {
    fn has_same_bits(&self, other: &Self) -> bool {
        let Self {
            translation,
            rotation,
            scale,
        } = self;
        let (own, others) = (rotation.to_array(), other.rotation.to_array());
        translation.has_same_bits(&other.translation)
            && own.has_same_bits(&others)
            && scale.has_same_bits(&other.scale)
    }
}

impl Default for Transform {
    fn default() -> Self {
        Self {
            translation: Vec3::ZERO,
            rotation: Quat::IDENTITY,
            scale: Vec3::ONE,
        }
    }
}

impl Transform {
    /// A place, unrotated and unscaled; coordinates in metres.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// assert_eq!(Transform::at(1.0, 2.0, 3.0).translation, Vec3::new(1.0, 2.0, 3.0));
    /// ```
    #[must_use]
    pub fn at(x: f32, y: f32, z: f32) -> Self {
        Self {
            translation: Vec3::new(x, y, z),
            ..Self::default()
        }
    }

    /// The same place under another rotation.
    #[must_use]
    pub fn rotated(self, rotation: Quat) -> Self {
        Self { rotation, ..self }
    }

    /// The same place under another scale.
    #[must_use]
    pub fn scaled(self, scale: Vec3) -> Self {
        Self { scale, ..self }
    }

    /// The map from the entity's own space to its parent's.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let placed = Transform::at(10.0, 0.0, 0.0).scaled(Vec3::splat(2.0));
    /// assert_eq!(placed.affine().transform_point3(Vec3::X), Vec3::new(12.0, 0.0, 0.0));
    /// ```
    #[inline]
    #[must_use]
    pub fn affine(&self) -> Affine3A {
        Affine3A::from_scale_rotation_translation(self.scale, self.rotation, self.translation)
    }

    /// Where a point of the entity's own space is in its parent's, in metres.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let spreader = Transform::at(0.0, 12.0, 0.0).scaled(Vec3::splat(2.0));
    /// assert_eq!(spreader.point(Vec3::X), Vec3::new(2.0, 12.0, 0.0));
    /// ```
    #[must_use]
    pub fn point(&self, own: Vec3) -> Vec3 {
        self.translation + self.direction(own)
    }

    /// A direction of the entity's own space, in its parent's: rotated and scaled, not translated.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let spreader = Transform::at(0.0, 12.0, 0.0).scaled(Vec3::splat(2.0));
    /// assert_eq!(spreader.direction(Vec3::X), Vec3::X * 2.0);
    /// ```
    #[must_use]
    pub fn direction(&self, own: Vec3) -> Vec3 {
        self.rotation * (self.scale * own)
    }

    /// Where a point of the parent's space is in the entity's own, or `None` if a factor of the scale is zero.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let spreader = Transform::at(0.0, 12.0, 0.0).scaled(Vec3::splat(2.0));
    /// assert_eq!(spreader.local_point(Vec3::new(2.0, 12.0, 0.0)), Some(Vec3::X));
    /// assert_eq!(spreader.scaled(Vec3::X).local_point(Vec3::ONE), None);
    /// ```
    #[must_use]
    pub fn local_point(&self, parents: Vec3) -> Option<Vec3> {
        self.local_direction(parents - self.translation)
    }

    /// A direction of the parent's space, in the entity's own, or `None` if a factor of the scale is zero.
    #[must_use]
    pub fn local_direction(&self, parents: Vec3) -> Option<Vec3> {
        let own = (self.rotation.inverse() * parents) / self.scale;
        own.is_finite().then_some(own)
    }

    /// The direction in which the entity looks, in its parent's space: its own negative z axis, one metre long.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// assert_eq!(Transform::default().forward(), -Vec3::Z);
    /// ```
    #[must_use]
    pub fn forward(&self) -> Vec3 {
        self.rotation * -Vec3::Z
    }

    /// The same, `distance` metres further along [`Transform::forward`]; backward if negative.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let truck = Transform::at(1.0, 0.0, 0.0).moved_forward(2.5);
    /// assert_eq!(truck.translation, Vec3::new(1.0, 0.0, -2.5));
    /// ```
    #[must_use]
    pub fn moved_forward(self, metres: f32) -> Self {
        Self {
            translation: self.translation + self.forward() * metres,
            ..self
        }
    }

    /// The same place, turned so that it looks at a point of the parent's space, with its own y axis as close to `up` as
    /// that allows. If the point lies along `up`, some axis across takes its place; if it is the place itself, the
    /// rotation stays as it is.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let lamp = Transform::at(0.0, 10.0, 0.0).facing(Vec3::new(5.0, 10.0, 0.0), Vec3::Y);
    /// assert!(lamp.forward().abs_diff_eq(Vec3::X, 1e-6));
    /// let down = lamp.facing(Vec3::ZERO, Vec3::Y);
    /// assert!(down.forward().abs_diff_eq(-Vec3::Y, 1e-6));
    /// assert_eq!(down.facing(down.translation, Vec3::Y), down);
    /// ```
    #[must_use]
    pub fn facing(self, point: Vec3, up: Vec3) -> Self {
        let Some(back) = (self.translation - point).try_normalize() else {
            return self;
        };
        let across = up.cross(back).try_normalize();
        let right = across.unwrap_or_else(|| back.any_orthonormal_vector());
        self.rotated(Quat::from_mat3(&Mat3::from_cols(
            right,
            back.cross(right),
            back,
        )))
    }

    /// The same, turned about a point of the parent's space: the place goes round the point, and the rotation with it.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use std::f32::consts::FRAC_PI_2;
    ///
    /// let gate = Transform::at(2.0, 0.0, 0.0);
    /// let open = gate.turned_about(Vec3::ZERO, Quat::from_rotation_y(FRAC_PI_2));
    /// assert!(open.translation.abs_diff_eq(Vec3::new(0.0, 0.0, -2.0), 1e-6));
    /// ```
    #[must_use]
    pub fn turned_about(self, point: Vec3, turn: Quat) -> Self {
        Self {
            translation: point + turn * (self.translation - point),
            rotation: (turn * self.rotation).normalize(),
            ..self
        }
    }

    /// The same, moved to the nearest point of a grid through the parent's origin, `pitch` metres from point to point
    /// along each axis. Halfway goes to the greater side, below zero as above, so the grid looks the same everywhere. An axis
    /// whose pitch is not above zero stays as it is.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let snapped = Transform::at(2.6, -0.4, -1.5).snapped(Vec3::ONE);
    /// assert_eq!(snapped.translation, Vec3::new(3.0, 0.0, -1.0));
    /// let along_x = Transform::at(-2.6, -0.4, 0.0).snapped(Vec3::new(2.0, 0.0, 0.0));
    /// assert_eq!(along_x.translation, Vec3::new(-2.0, -0.4, 0.0));
    /// ```
    #[must_use]
    pub fn snapped(self, pitch: Vec3) -> Self {
        let snap = |value: f32, pitch: f32| match pitch > 0.0 {
            // Plus nothing, so that no negative zero comes out.
            true => (value / pitch + 0.5).floor() * pitch + 0.0,
            false => value,
        };
        let Vec3 { x, y, z } = self.translation;
        Self {
            translation: Vec3::new(snap(x, pitch.x), snap(y, pitch.y), snap(z, pitch.z)),
            ..self
        }
    }

    /// The cell that contains the place, in a grid of cubes of `pitch` metres; cell 0 reaches from 0 up to, but not including,
    /// the pitch, cell -1 from there down.
    ///
    /// # Panics
    ///
    /// If the pitch is not above zero.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let cell = Transform::at(2.5, -0.1, -2.0).cell(2.0);
    /// assert_eq!(cell.to_array(), [1, -1, -1]);
    /// ```
    #[must_use]
    pub fn cell(&self, pitch: f32) -> IVec3 {
        assert!(
            pitch > 0.0,
            "the pitch of a grid is above zero, not {pitch}"
        );
        (self.translation / pitch).floor().as_ivec3()
    }

    /// The placement between this one (`share` 0) and a later one (1): places and scales in a straight line, rotations the
    /// short way round at an even speed.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let halfway = Transform::at(0.0, 2.0, 0.0).between(&Transform::at(4.0, 2.0, 0.0), 0.5);
    /// assert_eq!(halfway.translation, Vec3::new(2.0, 2.0, 0.0));
    /// ```
    #[must_use]
    pub fn between(&self, later: &Self, share: f32) -> Self {
        Self {
            translation: self.translation.lerp(later.translation, share),
            rotation: self.rotation.slerp(later.rotation, share),
            scale: self.scale.lerp(later.scale, share),
        }
    }

    /// The transform whose map comes closest to an affine one, and whether it is the same: shear, which a transform cannot
    /// express, is left out. Zero and negative scales are found; of a mirrored map the x axis is the mirrored one.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let flat = Transform::at(1.0, 2.0, 3.0).scaled(Vec3::new(2.0, 0.0, -1.0));
    /// let (found, is_same) = Transform::closest_to(&flat.affine());
    /// assert!(is_same);
    /// assert!(found.affine().abs_diff_eq(flat.affine(), 1e-6));
    /// ```
    #[must_use]
    pub fn closest_to(affine: &Affine3A) -> (Self, bool) {
        let columns = Mat3::from(affine.matrix3);
        let lengths = [columns.x_axis, columns.y_axis, columns.z_axis].map(Vec3::length);
        let axes = orthonormal(&columns, lengths);
        let mirrored = columns.determinant() < 0.0;
        let axes = match mirrored {
            true => Mat3::from_cols(-axes.x_axis, axes.y_axis, axes.z_axis),
            false => axes,
        };
        let sign = if mirrored { -1.0 } else { 1.0 };
        let found = Self {
            translation: affine.translation.into(),
            rotation: Quat::from_mat3(&axes).normalize(),
            scale: Vec3::from(lengths) * Vec3::new(sign, 1.0, 1.0),
        };
        let largest = lengths.into_iter().fold(f32::MIN_POSITIVE, f32::max);
        let is_same = found
            .affine()
            .matrix3
            .abs_diff_eq(affine.matrix3, largest * SAME);
        (found, is_same)
    }
}

/// Entries of two maps that differ by no more than this share of the longest axis count as the same.
const SAME: f32 = 1e-5;

/// Three axes at right angles, right-handed or left-handed as the columns are, that follow the columns in the order of their
/// length, so that short and shortened ones give way.
fn orthonormal(columns: &Mat3, lengths: [f32; 3]) -> Mat3 {
    let mut order = [0, 1, 2];
    order.sort_by(|&a, &b| lengths[b].total_cmp(&lengths[a]));
    let [longest, middle, shortest] = order;
    let first = columns.col(longest).try_normalize().unwrap_or_else(|| {
        // Nothing is left of any axis: they are taken as unturned.
        Mat3::IDENTITY.col(longest)
    });
    let across = columns.col(middle).reject_from_normalized(first);
    // A hair beside the first axis is rounding, not a direction.
    let is_hair = across.length() <= lengths[middle] * 1e-6;
    let second = match across.try_normalize().filter(|_| !is_hair) {
        Some(second) => second,
        None if lengths[longest] == 0.0 => Mat3::IDENTITY.col(middle),
        None => first.any_orthonormal_vector(),
    };
    // x × y = z, y × z = x, z × x = y.
    let is_cyclic = (longest + 1) % 3 == middle;
    let third = match is_cyclic {
        true => first.cross(second),
        false => second.cross(first),
    };
    let is_opposite = columns.determinant() < 0.0;
    let third = if is_opposite { -third } else { third };
    let mut axes = Mat3::ZERO;
    *axes.col_mut(longest) = first;
    *axes.col_mut(middle) = second;
    *axes.col_mut(shortest) = third;
    axes
}

#[cfg(test)]
mod tests;

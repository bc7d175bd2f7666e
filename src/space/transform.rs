//! The local placement of an entity.

use glam::{Affine3A, Quat, Vec3};

/// Where an entity is, relative to its parent, or to the world if it has none.
///
/// Scale is applied first, then rotation, then translation. Whatever has a `Transform` also gets a
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
}

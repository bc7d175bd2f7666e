//! The world placement of an entity.

use super::transform::Transform;
use glam::{Affine3A, Vec3, Vec3A};

/// Where an entity is in the world: the placements of all its ancestors and its own, multiplied.
///
/// It is an affine map, so the shear that a rotated child gets from an unevenly scaled parent is kept. It is resolved
/// in phase [`Place`](crate::Phase::Place); until then it is what the last frame left, or, for an entity that is new,
/// its own [`Transform`]. Read it, do not write it: the next frame would overwrite what you put there.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let crane = runtime.world_mut().spawn((Transform::at(40.0, 0.0, 0.0).scaled(Vec3::splat(2.0)),));
/// let hook = runtime.world_mut().spawn((Transform::at(0.0, 5.0, 0.0),));
/// runtime.world_mut().link(hook, crane)?;
/// runtime.run_frames(1)?;
/// let hook = runtime.world().get::<WorldTransform>(hook)?;
/// assert_eq!(hook.translation(), Vec3::new(40.0, 10.0, 0.0));
/// assert_eq!(hook.point(Vec3::X), Vec3::new(42.0, 10.0, 0.0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct WorldTransform(pub(crate) Affine3A);

impl WorldTransform {
    /// The map from the entity's own space to the world's.
    #[inline]
    #[must_use]
    pub fn affine(&self) -> &Affine3A {
        &self.0
    }

    /// Moves it in the world.
    pub(crate) fn shift(&mut self, by: Vec3) {
        self.0.translation += Vec3A::from(by);
    }

    /// Where the entity's origin is, in metres.
    #[inline]
    #[must_use]
    pub fn translation(&self) -> Vec3 {
        self.0.translation.into()
    }

    /// Where a point of the world is in the entity's own space, or `None` if the placement is flattened to nothing, so that
    /// it has no inverse.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let doubled = WorldTransform::from(&Transform::default().scaled(Vec3::splat(2.0)));
    /// assert_eq!(doubled.local_point(Vec3::X), Some(Vec3::X * 0.5));
    /// let flat = WorldTransform::from(&Transform::default().scaled(Vec3::ZERO));
    /// assert_eq!(flat.local_point(Vec3::X), None);
    /// ```
    #[must_use]
    pub fn local_point(&self, world: Vec3) -> Option<Vec3> {
        let local = self.inverse()?.transform_point3(world);
        local.is_finite().then_some(local)
    }

    /// A direction of the world, in the entity's own space, or `None` as for [`WorldTransform::local_point`].
    #[must_use]
    pub fn local_direction(&self, world: Vec3) -> Option<Vec3> {
        let local = self.inverse()?.transform_vector3(world);
        local.is_finite().then_some(local)
    }

    /// The map from the world's space to the entity's own, or `None` if the placement has no inverse.
    pub(crate) fn inverse(&self) -> Option<Affine3A> {
        (self.0.matrix3.determinant() != 0.0).then(|| self.0.inverse())
    }

    /// A direction of the entity's own space, in the world: rotated, scaled and sheared, not translated.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let doubled = WorldTransform::from(&Transform::at(5.0, 0.0, 0.0).scaled(Vec3::splat(2.0)));
    /// assert_eq!(doubled.direction(Vec3::X), Vec3::X * 2.0);
    /// assert_eq!(doubled.local_direction(Vec3::X * 2.0), Some(Vec3::X));
    /// ```
    #[must_use]
    pub fn direction(&self, own: Vec3) -> Vec3 {
        self.0.transform_vector3(own)
    }

    /// The placement between this one (`share` 0) and a later one (1), to draw between two frames. Where both are free of
    /// shear, rotations go the short way round; else all axes move in straight lines.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use std::f32::consts::PI;
    ///
    /// let before = WorldTransform::from(&Transform::default());
    /// let after = WorldTransform::from(&Transform::at(4.0, 0.0, 0.0).rotated(Quat::from_rotation_y(0.5 * PI)));
    /// let halfway = before.between(&after, 0.5);
    /// assert_eq!(halfway.translation(), Vec3::X * 2.0);
    /// assert!((halfway.direction(Vec3::X).length() - 1.0).abs() < 1e-6, "no shrinking on the way");
    /// ```
    #[must_use]
    pub fn between(&self, later: &Self, share: f32) -> Self {
        let (one, is_exact) = Transform::closest_to(&self.0);
        let (other, other_is_exact) = Transform::closest_to(&later.0);
        if is_exact && other_is_exact {
            return Self::from(&one.between(&other, share));
        }
        Self(Affine3A {
            matrix3: self.0.matrix3 * (1.0 - share) + later.0.matrix3 * share,
            translation: self.0.translation.lerp(later.0.translation, share),
        })
    }

    /// The sixteen numbers of the map as a matrix, column by column.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let columns = WorldTransform::from(&Transform::at(1.0, 2.0, 3.0)).to_columns();
    /// assert_eq!(columns[12..], [1.0, 2.0, 3.0, 1.0]);
    /// ```
    #[must_use]
    pub fn to_columns(&self) -> [f32; 16] {
        glam::Mat4::from(self.0).to_cols_array()
    }

    /// Where a point of the entity's own space is in the world.
    #[inline]
    #[must_use]
    pub fn point(&self, own: Vec3) -> Vec3 {
        self.0.transform_point3(own)
    }
}

impl From<Affine3A> for WorldTransform {
    fn from(affine: Affine3A) -> Self {
        Self(affine)
    }
}

impl From<&Transform> for WorldTransform {
    fn from(transform: &Transform) -> Self {
        Self(transform.affine())
    }
}

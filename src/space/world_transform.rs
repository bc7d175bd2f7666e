//! The world placement of an entity.

use super::transform::Transform;
use glam::{Affine3A, Vec3};

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

    /// Where the entity's origin is, in metres.
    #[inline]
    #[must_use]
    pub fn translation(&self) -> Vec3 {
        self.0.translation.into()
    }

    /// Where a point of the world is in the entity's own space, or `None` if the placement is flattened to nothing, so that
    /// there is no way back.
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
        let determinant = self.0.matrix3.determinant();
        (determinant != 0.0)
            .then(|| self.0.inverse().transform_point3(world))
            .filter(|local| local.is_finite())
    }

    /// Where a point of the entity's own space is in the world.
    #[inline]
    #[must_use]
    pub fn point(&self, own: Vec3) -> Vec3 {
        self.0.transform_point3(own)
    }
}

impl From<&Transform> for WorldTransform {
    fn from(transform: &Transform) -> Self {
        Self(transform.affine())
    }
}

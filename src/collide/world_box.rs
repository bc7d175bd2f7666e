//! Where the boxes of an entity are in the world.

use super::aabb::Aabb;
use super::collider::Collider;

/// The smallest box in the world around all boxes of an entity, as the last [`Touch`](crate::Phase::Touch) phase found it.
///
/// It comes with the [`Collider`]. Read it, do not write it: the next frame would overwrite what you put there.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let own = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
/// let pallet = runtime
///     .world_mut()
///     .spawn((Transform::at(5.0, 0.0, 0.0), Collider::solid(own)));
/// runtime.run_frames(1)?;
/// assert_eq!(runtime.world().get::<WorldBox>(pallet)?.aabb().min, Vec3::new(4.0, -1.0, -1.0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct WorldBox(pub(super) Aabb);

impl WorldBox {
    /// The box, in world coordinates.
    #[must_use]
    pub fn aabb(&self) -> Aabb {
        self.0
    }
}

impl From<&Collider> for WorldBox {
    /// The box of an entity that has not been placed yet: as if it stood at the origin.
    fn from(collider: &Collider) -> Self {
        Self(collider.own_box())
    }
}

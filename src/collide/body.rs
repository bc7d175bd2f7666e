//! Bodies: what moves by itself.

use glam::Vec3;

/// How an entity with a [`Collider`](crate::Collider) moves. Without a `Body` it is static.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub enum Motion {
    /// Stays where it is put.
    Static,
    /// Moves by its velocity through everything; dynamic bodies stop at it.
    Kinematic,
    /// Falls, moves by its velocity, and stops at what is solid and not itself dynamic.
    #[default]
    Dynamic,
}

/// An entity that moves by a velocity.
///
/// Bodies move in phase [`Move`](crate::Phase::Move). A dynamic body stops at the nearest solid face in its way, however
/// fast it is, and loses its velocity along that axis. Dynamic bodies do not stop each other: their contacts are
/// reported, and they pass through.
///
/// Velocity is in world space, also for a body that has a parent.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let floor = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(50.0, 1.0, 50.0)));
/// runtime.world_mut().spawn((Transform::default(), floor));
/// let pallet = runtime.world_mut().spawn((
///     Transform::at(0.0, 10.0, 0.0),
///     Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5))),
///     Body::dynamic(),
/// ));
/// runtime.run_frames(120)?;
/// assert_eq!(runtime.world().get::<Transform>(pallet)?.translation, Vec3::new(0.0, 0.5, 0.0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Body {
    /// How it moves.
    pub motion: Motion,
    /// Metres per second, in world space.
    pub velocity: Vec3,
    /// How much of the world's [`Gravity`] it feels; 1 is all of it. Only dynamic bodies fall.
    pub gravity_scale: f32,
}

impl Default for Body {
    fn default() -> Self {
        Self {
            motion: Motion::default(),
            velocity: Vec3::ZERO,
            gravity_scale: 1.0,
        }
    }
}

impl Body {
    /// A body at rest that falls and stops at what is solid.
    #[must_use]
    pub fn dynamic() -> Self {
        Self::default()
    }

    /// A body that moves by its velocity through everything.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let barge = Body::kinematic(Vec3::X);
    /// assert_eq!((barge.motion, barge.velocity), (Motion::Kinematic, Vec3::X));
    /// ```
    #[must_use]
    pub fn kinematic(velocity: Vec3) -> Self {
        Self {
            motion: Motion::Kinematic,
            velocity,
            ..Self::default()
        }
    }

    /// The same body with another velocity.
    #[must_use]
    pub fn with_velocity(self, velocity: Vec3) -> Self {
        Self { velocity, ..self }
    }
}

/// The acceleration that dynamic bodies feel, in m/s²; (0, -9.81, 0) unless set. A global of every runtime.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// assert_eq!(runtime.world().global::<Gravity>()?.0, Vec3::new(0.0, -9.81, 0.0));
/// runtime.world_mut().set_global(Gravity(Vec3::ZERO));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Gravity(pub Vec3);

impl Default for Gravity {
    fn default() -> Self {
        Self(Vec3::new(0.0, -9.81, 0.0))
    }
}

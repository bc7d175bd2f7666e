//! The box of an entity.

use super::aabb::Aabb;
use super::layers::Layer;

/// The box of an entity, in the entity's own space.
///
/// The entity's world placement moves, turns and scales it; what takes part in collision is the smallest box along the
/// world's axes that encloses it then ([`WorldBox`]). An entity without a [`Transform`](crate::Transform) takes no part.
///
/// A *solid* collider stops dynamic bodies; a *sensor* only reports contacts.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let pad = Collider::sensor(Aabb::from_center(Vec3::ZERO, Vec3::new(4.0, 0.1, 1.5)));
/// assert!(pad.is_sensor() && pad.is_on());
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Collider {
    own_box: Aabb,
    layer: Layer,
    is_sensor: bool,
    is_on: bool,
}

impl Collider {
    /// A collider that stops bodies, in the default layer.
    #[must_use]
    pub fn solid(own_box: Aabb) -> Self {
        Self {
            own_box,
            layer: Layer::default(),
            is_sensor: false,
            is_on: true,
        }
    }

    /// A collider that only reports contacts, in the default layer.
    #[must_use]
    pub fn sensor(own_box: Aabb) -> Self {
        Self {
            is_sensor: true,
            ..Self::solid(own_box)
        }
    }

    /// The same collider in another layer.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut layers = Layers::default();
    /// let truck = layers.add("truck")?;
    /// assert_eq!(Collider::solid(Aabb::default()).in_layer(truck).layer(), truck);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn in_layer(self, layer: Layer) -> Self {
        Self { layer, ..self }
    }

    /// The box, in the entity's own space.
    #[must_use]
    pub fn own_box(&self) -> Aabb {
        self.own_box
    }

    /// Gives the collider another box.
    pub fn set_own_box(&mut self, own_box: Aabb) {
        self.own_box = own_box;
    }

    /// The layer.
    #[must_use]
    pub fn layer(&self) -> Layer {
        self.layer
    }

    /// Whether it only reports contacts.
    #[must_use]
    pub fn is_sensor(&self) -> bool {
        self.is_sensor
    }

    /// Whether it takes part at all.
    #[must_use]
    pub fn is_on(&self) -> bool {
        self.is_on
    }

    /// Lets it take part, or not, without losing its settings.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut barrier = Collider::solid(Aabb::default());
    /// barrier.set_on(false);
    /// assert!(!barrier.is_on() && !barrier.is_sensor());
    /// ```
    pub fn set_on(&mut self, on: bool) {
        self.is_on = on;
    }
}

/// The box of an entity in the world, as the last [`Touch`](crate::Phase::Touch) phase found it.
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
        Self(collider.own_box)
    }
}

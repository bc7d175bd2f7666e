//! Bodies: what moves by itself.

use glam::Vec3;

/// How an entity with a [`Collider`](crate::Collider) moves. Without a `Body` it is static.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub enum Motion {
    /// Stays where it is put.
    Static,
    /// Moves by its velocity through everything; dynamic bodies stop at it, are pushed by it, and are carried by it when they
    /// stand on it.
    Kinematic,
    /// Falls, moves by its velocity, and stops at what is solid.
    #[default]
    Dynamic,
}

crate::describe_choices! { Motion { Static: "static", Kinematic: "kinematic", Dynamic: "dynamic" } }

/// An entity that moves by a velocity.
///
/// Bodies move in phase [`Move`](crate::Phase::Move). A dynamic body stops at the nearest solid face in its way, however
/// fast it is; along that axis it loses its velocity, or bounces and keeps the rest of its way. Dynamic bodies that meet exchange
/// momentum by their masses. The energy of a group never rises, and a body at rest has a velocity of exactly zero.
///
/// Writing the [`Transform`](crate::Transform) of a body *teleports* it: it passes through everything on the way, and if it
/// comes to be inside of something solid it is pushed out by the shortest free way. Setting its *velocity* lets it collide.
///
/// Of two that meet, the greater restitution and the greater friction count. What has no body has neither.
///
/// A mass below 10⁻²⁰ kg, or a velocity that is not finite or beyond 10⁷ m/s, ends the frame with an error that names the
/// entity; the body stays where it is. An infinite mass is allowed: such a body is never moved by others.
///
/// Velocity is in world space, also for a body that has a parent. What stands on a kinematic body, or hangs below any body, is
/// taken along by it, up to what is in the way. The velocity of such a rider counts from that of its carrier, which the step
/// writes into [`carried`](Self::carried). A rider that leaves its carrier, or whose carrier is despawned or switched off, keeps
/// the velocity that it has in the world. Boxes below a dynamic body that have no body of their own are parts of it; a
/// dynamic body below another dynamic one moves by itself.
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
#[non_exhaustive]
pub struct Body {
    /// How it moves.
    pub motion: Motion,
    /// Metres per second, in world space.
    pub velocity: Vec3,
    /// How much of the world's [`Gravity`] it feels; 1 is all of it. Only dynamic bodies fall.
    pub gravity_scale: f32,
    /// Kilograms; 1 unless set. Only compared with those of other bodies.
    pub mass: f32,
    /// Which share of its speed it keeps when it bounces off a face; 0, unless set, is none, and 1 all.
    pub restitution: f32,
    /// How much a face holds it back along the face, as a share of the force across (Coulomb's coefficient); 0 unless set.
    pub friction: f32,
    /// The velocity of what carries it, in metres per second in world space; zero if nothing does. The step writes it in each
    /// frame, and reads it only to give it to a body that is no longer carried.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub carried: Vec3,
}

crate::describe_fields! {
    Body {
        motion: "`static`, `kinematic` (ignores obstacles, carries and pushes) or `dynamic` (falls and stops).";
        velocity: "Metres per second, in world space." [at_most(Self::MOST_SPEED)];
        gravity_scale: "The share of gravity that acts on it.";
        mass: "The mass in kilograms, above 0." [at_least(Self::LEAST_MASS), at_most(Self::MOST_MASS), or_infinite()];
        restitution: "The share of its speed that it keeps when it bounces, from 0 to 1." [at_least(0.0), at_most(1.0)];
        friction: "The coefficient of friction, 0 or more." [at_least(0.0)];
        carried: "The velocity of what carries it, in metres per second, in world space." [derived()];
    }
}

#[cfg(feature = "snapshot")]
impl crate::store::SameBits for Body {
    fn has_same_bits(&self, other: &Self) -> bool {
        let &Self {
            motion,
            velocity,
            gravity_scale,
            mass,
            restitution,
            friction,
            carried,
        } = self;
        let numbers = [gravity_scale, mass, restitution, friction];
        motion == other.motion
            && velocity.has_same_bits(&other.velocity)
            && carried.has_same_bits(&other.carried)
            && numbers.has_same_bits(&[
                other.gravity_scale,
                other.mass,
                other.restitution,
                other.friction,
            ])
    }
}

impl Default for Body {
    fn default() -> Self {
        Self {
            motion: Motion::default(),
            velocity: Vec3::ZERO,
            gravity_scale: 1.0,
            mass: 1.0,
            restitution: 0.0,
            friction: 0.0,
            carried: Vec3::ZERO,
        }
    }
}

impl Body {
    /// The greatest speed of a body, in metres per second. A faster body is not moved, and the frame ends with an error.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// let body = Body::dynamic().with_velocity(Vec3::X * 2.0 * Body::MOST_SPEED);
    /// let shot = runtime.world_mut().spawn((Transform::default(), cube, body));
    /// let error = runtime.run_frames(1).unwrap_err();
    /// assert_eq!(error.entity(), Some(shot));
    /// ```
    pub const MOST_SPEED: f32 = 1e7;

    /// The least mass of a body, in kilograms. A lighter body is not moved, and the frame ends with an error.
    ///
    /// # Example
    ///
    /// ```
    /// assert!(gerust::Body::LEAST_MASS < 1e-9);
    /// ```
    pub const LEAST_MASS: f32 = 1e-20;

    /// The greatest mass of a body, in kilograms. Only an infinite mass may be greater: nothing moves such a body. With any other
    /// mass above it, the body is not moved, and the frame ends with an error.
    ///
    /// # Example
    ///
    /// ```
    /// assert!(gerust::Body::MOST_MASS > 1e9);
    /// ```
    pub const MOST_MASS: f32 = 1e12;

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

    /// How fast it moves in the world, in metres per second: its own velocity and that of what carries it.
    ///
    /// # Example
    ///
    /// A pallet that lies still on a barge moves as fast as the barge.
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let deck = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(5.0, 1.0, 5.0)));
    /// runtime.world_mut().spawn((Transform::default(), deck, Body::kinematic(Vec3::X)));
    /// let cube = Collider::solid(Aabb::from_center(Vec3::Y * 0.5, Vec3::splat(0.5)));
    /// let pallet = runtime.world_mut().spawn((Transform::default(), cube, Body::dynamic()));
    /// runtime.run_frames(3)?;
    /// let body = runtime.world().get::<Body>(pallet)?;
    /// assert_eq!(body.velocity, Vec3::ZERO);
    /// assert!(body.world_velocity().abs_diff_eq(Vec3::X, 1e-4));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn world_velocity(&self) -> Vec3 {
        self.velocity + self.carried
    }

    /// The same body with another velocity.
    #[must_use]
    pub fn with_velocity(self, velocity: Vec3) -> Self {
        Self { velocity, ..self }
    }

    /// The same body with another mass, in kilograms.
    ///
    /// # Example
    ///
    /// A heavy truck hits a light one: both continue at the speed of their common momentum.
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Gravity(Vec3::ZERO));
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// let heavy = Body::dynamic().with_mass(3.0).with_velocity(Vec3::X);
    /// runtime.world_mut().spawn((Transform::default(), cube.clone(), heavy));
    /// let light = runtime.world_mut().spawn((Transform::at(2.1, 0.0, 0.0), cube, Body::dynamic()));
    /// runtime.run_frames(60)?;
    /// assert_eq!(runtime.world().get::<Body>(light)?.velocity, Vec3::X * 0.75);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn with_mass(self, mass: f32) -> Self {
        Self { mass, ..self }
    }

    /// The same body with another restitution, from 0 to 1.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Gravity(Vec3::ZERO));
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// runtime.world_mut().spawn((Transform::at(5.0, 0.0, 0.0), cube.clone()));
    /// let ball = Body::dynamic().with_restitution(0.5).with_velocity(Vec3::X * 8.0);
    /// let ball = runtime.world_mut().spawn((Transform::default(), cube, ball));
    /// runtime.run_frames(60)?;
    /// assert_eq!(runtime.world().get::<Body>(ball)?.velocity, Vec3::X * -4.0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn with_restitution(self, restitution: f32) -> Self {
        Self {
            restitution,
            ..self
        }
    }

    /// The same body with another friction.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let slab = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(50.0, 1.0, 50.0)));
    /// runtime.world_mut().spawn((Transform::default(), slab));
    /// let sled = Body::dynamic().with_friction(0.5).with_velocity(Vec3::X * 4.0);
    /// let cube = Collider::solid(Aabb::from_corner(Vec3::ZERO, Vec3::ONE));
    /// let sled = runtime.world_mut().spawn((Transform::default(), cube, sled));
    /// runtime.run_frames(120)?;
    /// // v² / (2 μ g) = 1.63 m, but for half a frame.
    /// let stopped = runtime.world().get::<Transform>(sled)?.translation.x;
    /// assert!((stopped - 1.63).abs() < 0.05, "after {stopped} m");
    /// assert_eq!(runtime.world().get::<Body>(sled)?.velocity, Vec3::ZERO);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn with_friction(self, friction: f32) -> Self {
        Self { friction, ..self }
    }

    /// A body that stays where it is, for a wall or a floor whose restitution or friction counts.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::Motion;
    /// use gerust::prelude::*;
    ///
    /// let ice = Body::immovable().with_friction(0.05);
    /// assert_eq!((ice.motion, ice.friction), (Motion::Static, 0.05));
    /// ```
    #[must_use]
    pub fn immovable() -> Self {
        Self {
            motion: Motion::Static,
            ..Self::default()
        }
    }

    /// The same, feeling another share of the world's [`Gravity`]; 0 is none.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// let floats = Body::dynamic().with_gravity_scale(0.0);
    /// let balloon = runtime.world_mut().spawn((Transform::at(0.0, 9.0, 0.0), cube, floats));
    /// runtime.run_frames(60)?;
    /// assert_eq!(runtime.world().get::<Transform>(balloon)?.translation.y, 9.0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn with_gravity_scale(self, gravity_scale: f32) -> Self {
        Self {
            gravity_scale,
            ..self
        }
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
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Gravity(pub Vec3);

impl Default for Gravity {
    fn default() -> Self {
        Self(Vec3::new(0.0, -9.81, 0.0))
    }
}

//! Entities that track another one.

use crate::collide::Collider;
use crate::schedule::{Clock, Phase, System};
use crate::space::{LinkNode, Transform, WorldTransform, climbed};
use crate::store::{Edits, Entity, Global, Lacking, Name, Rows};
use glam::Vec3;

/// Keeps the entity at a place beside another one, as a camera or a marker does. Its rotation and scale stay its own.
///
/// The entity is placed just before world placements are resolved, after all bodies have moved, so there is no lag,
/// even below a parent. An entity with a solid collider is placed before bodies move: it carries bodies that stand on it, pushes
/// those in its way, and follows a target that moves as a body a frame later. Of entities that follow each other in a row, one that
/// was spawned before its target is a frame late. If the target goes, the entity stays where it is.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::Follow;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// let truck = runtime.world_mut().spawn((Transform::at(3.0, 0.0, 0.0), Velocity(Vec3::X * 6.0)));
/// let camera = runtime
///     .world_mut()
///     .spawn((Transform::default(), Follow::new(truck).at(Vec3::new(0.0, 2.0, 5.0))));
/// runtime.run_frames(60)?;
/// let camera = runtime.world().get::<Transform>(camera)?.translation;
/// assert!(camera.abs_diff_eq(Vec3::new(9.0, 2.0, 5.0), 1e-3));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Follow {
    /// The entity to follow.
    pub target: Entity,
    /// The place to keep, in the target's own space, in metres.
    pub offset: Vec3,
    /// The seconds in which the distance to the place shrinks to 37 %, at any step; 0 is at once.
    pub smoothing: f32,
}

impl Follow {
    /// Follows an entity exactly.
    #[must_use]
    pub fn new(target: Entity) -> Self {
        Self {
            target,
            offset: Vec3::ZERO,
            smoothing: 0.0,
        }
    }

    /// Keeps a place in the target's own space, in metres.
    #[must_use]
    pub fn at(self, offset: Vec3) -> Self {
        Self { offset, ..self }
    }

    /// Comes along smoothly; see [`Follow::smoothing`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Follow;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(StandardKit)?;
    /// let buoy = runtime.world_mut().spawn((Transform::at(10.0, 0.0, 0.0),));
    /// let marker = runtime.world_mut().spawn((Transform::default(), Follow::new(buoy).smoothly(0.5)));
    /// runtime.run_frames(30)?;
    /// let left = 10.0 - runtime.world().get::<Transform>(marker)?.translation.x;
    /// assert!((left - 10.0 * (-1.0_f32).exp()).abs() < 1e-3);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn smoothly(self, seconds: f32) -> Self {
        Self {
            smoothing: seconds,
            ..self
        }
    }

    /// How much of the way is made in a frame.
    fn share(&self, step: f32) -> f32 {
        match self.smoothing > 0.0 {
            true => 1.0 - (-step / self.smoothing).exp(),
            false => 1.0,
        }
    }
}

/// Follows an entity that is known by its [`Name`] only, as in scene files. As soon as an entity has that name, this one gets the
/// [`Follow`] for it.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::FollowNamed;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// let follow = FollowNamed { offset: Vec3::Y, ..FollowNamed::new("truck") };
/// let lamp = runtime.world_mut().spawn((Transform::default(), follow));
/// runtime.world_mut().spawn((Transform::at(4.0, 0.0, 0.0), Name::new("truck")));
/// runtime.run_frames(1)?;
/// assert_eq!(runtime.world().get::<Transform>(lamp)?.translation, Vec3::new(4.0, 1.0, 0.0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(deny_unknown_fields)
)]
pub struct FollowNamed {
    /// The name of the entity to follow.
    pub target: String,
    /// See [`Follow::offset`].
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub offset: Vec3,
    /// See [`Follow::smoothing`].
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub smoothing: f32,
}

impl FollowNamed {
    /// Follows an entity of a name exactly.
    #[must_use]
    pub fn new(target: &str) -> Self {
        Self {
            target: target.to_owned(),
            offset: Vec3::ZERO,
            smoothing: 0.0,
        }
    }
}

type Seekers<'w> = Rows<'w, (Entity, &'static FollowNamed), Lacking<Follow>>;
type Named<'w> = Rows<'w, (Entity, &'static Name)>;

pub(super) fn find_system() -> System {
    System::named("standard: find who to follow")
        .phase(Phase::Intake)
        .takes::<(Seekers, Named, Edits)>()
        .runs(find)
}

fn find((seekers, named, mut edits): (Seekers, Named, Edits)) {
    for (entity, follow) in seekers.iter() {
        let mut all = named.iter();
        let found = all.find(|(_, name)| name.as_str() == follow.target);
        if let Some((target, _)) = found {
            let follow = Follow {
                target,
                offset: follow.offset,
                smoothing: follow.smoothing,
            };
            edits.attach(entity, follow);
        }
    }
}

type Followers<'w> = Rows<'w, (Entity, &'static Follow, Option<&'static Collider>)>;
type Transforms<'w> = Rows<'w, &'static mut Transform>;
type AllLinks<'w> = Rows<'w, &'static LinkNode>;
type Claims<'w> = (
    Followers<'w>,
    Transforms<'w>,
    AllLinks<'w>,
    Global<'w, Clock>,
);

/// Places what is solid before bodies move, and all else after.
pub(super) fn systems() -> [System; 2] {
    [
        System::named("standard: follow with solid boxes")
            .phase(Phase::Move)
            .before("move: place without links")
            .takes::<Claims>()
            .runs(|claims| follow(claims, true)),
        System::named("standard: follow")
            .phase(Phase::Place)
            .before("place: without links")
            .takes::<Claims>()
            .runs(|claims| follow(claims, false)),
    ]
}

fn follow((followers, mut transforms, links, clock): Claims<'_>, are_solid: bool) {
    let above = |entity| links.get(entity)?.parent();
    for (entity, follow, collider) in followers.iter() {
        let is_solid = collider.is_some_and(|collider| !collider.is_sensor());
        if is_solid != are_solid {
            continue;
        }
        let placed = |entity| climbed(entity, above, |entity| transforms.get(entity));
        let Some(target) = placed(follow.target) else {
            continue;
        };
        let mut ancestors = std::iter::successors(above(entity), |&entity| above(entity));
        let space = ancestors.find_map(placed);
        let place = target.transform_point3(follow.offset);
        let wanted = match space {
            Some(space) => WorldTransform::from(space).local_point(place),
            None => Some(place),
        };
        let Some(wanted) = wanted else {
            continue;
        };
        let here = transforms
            .get(entity)
            .map(|transform| transform.translation);
        // One that stands where it should is not written, so that nothing below it is placed again.
        if here.is_some_and(|here| here != wanted)
            && let Some(transform) = transforms.get_mut(entity)
        {
            let share = follow.share(clock.step_seconds());
            transform.translation = transform.translation.lerp(wanted, share);
        }
    }
}

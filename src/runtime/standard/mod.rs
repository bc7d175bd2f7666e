//! The standard kit: motion that most scenes want and that needs no code.

mod follow;
mod machine;
mod rangefinder;
mod route;
#[cfg(feature = "chance")]
mod spawner;
mod steered;
mod wear;

pub use follow::{Follow, FollowNamed};
pub use machine::{LogEntry, Machine, Switched, Transition, TransitionCondition};
pub use rangefinder::Rangefinder;
pub use route::{Arrived, Route};
#[cfg(feature = "chance")]
pub use spawner::Spawner;
pub use steered::Steered;
pub use wear::{Wear, Worn};

use super::controls::Controls;
use super::frame_loop::Runtime;
use super::kit::Kit;
use crate::collide::{Boxes, Contacts};
use crate::error::Error;
use crate::schedule::{Clock, Phase, System};
use crate::space::{Templates, Transform, WorldTransform};
use crate::store::{Edits, Entity, Global, MostEntities, Rows};
use glam::{Quat, Vec3};

/// Moves the entity's [`Transform`] by a velocity in metres per second, in its parent's space, without collisions. For
/// motion that stops at what is solid, give the entity a [`Body`](crate::Body) instead.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.set_step_seconds(0.5)?;
/// let gull = runtime
///     .world_mut()
///     .spawn((Transform::at(0.0, 9.0, 0.0), Velocity(Vec3::new(4.0, 0.0, 0.0))));
/// runtime.run_frames(2)?;
/// assert_eq!(runtime.world().get::<Transform>(gull)?.translation, Vec3::new(4.0, 9.0, 0.0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Velocity(pub Vec3);

/// Turns the entity's [`Transform`] about an axis of its parent's space: radians per second times the axis.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use std::f32::consts::FRAC_PI_2;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.set_step_seconds(0.25)?;
/// let lamp = runtime
///     .world_mut()
///     .spawn((Transform::default(), Spin(Vec3::Y * FRAC_PI_2)));
/// runtime.run_frames(4)?;
/// let turned = runtime.world().get::<Transform>(lamp)?.rotation * Vec3::X;
/// assert!(turned.abs_diff_eq(-Vec3::Z, 1e-6));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Spin(pub Vec3);

/// Despawns the entity and its subtree after a number of seconds of scene time.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.set_step_seconds(0.5)?;
/// let spark = runtime.world_mut().spawn((Lifetime(1.0),));
/// runtime.run_frames(1)?;
/// assert!(runtime.world().contains(spark));
/// runtime.run_frames(1)?;
/// assert!(!runtime.world().contains(spark));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Lifetime(pub f32);

/// Where the entity was in the world at the end of the frame before, to draw between two frames.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::Earlier;
/// use std::time::Duration;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.set_step_seconds(1.0)?;
/// let gull = runtime
///     .world_mut()
///     .spawn((Transform::default(), Velocity(Vec3::X * 4.0), Earlier::default()));
/// let advance = runtime.advance(Duration::from_millis(2_500))?;
/// let world = runtime.world();
/// let earlier = world.get::<Earlier>(gull)?;
/// let drawn = earlier.0.between(&*world.get::<WorldTransform>(gull)?, advance.remainder() as f32);
/// assert_eq!(drawn.translation(), Vec3::X * 6.0);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct Earlier(pub WorldTransform);

/// The systems behind [`Velocity`], [`Spin`], [`Lifetime`], [`Route`], [`Follow`], [`FollowNamed`], [`Steered`], [`Machine`], [`Rangefinder`],
/// [`Wear`] and [`Earlier`], and, with the feature `chance`, `Spawner`. Globals that these need are there from then on.
///
/// # Example
///
/// The names by which systems of your own are ordered against them:
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::bare();
/// runtime.add_kit(StandardKit)?;
/// let mut names: Vec<&str> = runtime.schedule().systems().map(|system| system.name()).collect();
/// names.retain(|name| *name != "standard: spawn"); // It comes with the feature `chance`.
/// names.sort_unstable();
/// assert_eq!(
///     names,
///     [
///         "standard: age",
///         "standard: drift",
///         "standard: find who to follow",
///         "standard: follow",
///         "standard: follow with solid boxes",
///         "standard: measure ranges",
///         "standard: remember",
///         "standard: spin",
///         "standard: steer",
///         "standard: switch states",
///         "standard: travel",
///         "standard: wear",
///     ]
/// );
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, Debug, Default)]
pub struct StandardKit;

impl Kit for StandardKit {
    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error> {
        #[cfg(feature = "snapshot")]
        {
            let world = runtime.world_mut();
            world.register_global_unless_known::<Controls>("controls")?;
            world.register_event_unless_known::<Arrived>("arrived")?;
            world.register_event_unless_known::<Switched>("switched")?;
            world.register_event_unless_known::<Worn>("worn")?;
            world.register_component::<Velocity>("velocity")?;
            world.register_component::<Spin>("spin")?;
            world.register_component::<Lifetime>("lifetime")?;
            world.register_component::<Route>("route")?;
            world.register_component::<FollowNamed>("follow")?;
            world.register_component::<Follow>("follow-entity")?;
            world.register_component::<Steered>("steered")?;
            world.register_component::<Machine>("machine")?;
            world.register_component::<Rangefinder>("rangefinder")?;
            world.register_component::<Wear>("wear")?;
            #[cfg(feature = "chance")]
            world.register_component::<Spawner>("spawner")?;
        }
        let world = runtime.world_mut();
        world.ensure_global::<Controls>();
        world.ensure_global::<Boxes>();
        world.ensure_global::<Contacts>();
        world.ensure_global::<Templates>();
        world.ensure_global::<MostEntities>();
        for system in systems() {
            runtime.add_system(system.shipped())?;
        }
        Ok(())
    }
}

fn systems() -> Vec<System> {
    let [follow_solid, follow] = follow::systems();
    vec![
        System::named("standard: remember")
            .phase(Phase::Intake)
            .takes::<Rows<(&WorldTransform, &mut Earlier)>>()
            .runs(|mut rows| rows.each(|(now, earlier)| earlier.0 = *now)),
        System::named("standard: drift")
            .takes::<(Rows<(&mut Transform, &Velocity)>, Global<Clock>)>()
            .runs(drift),
        System::named("standard: spin")
            .after("standard: drift")
            .takes::<(Rows<(&mut Transform, &Spin)>, Global<Clock>)>()
            .runs(spin),
        route::system(),
        System::named("standard: age")
            .takes::<(Rows<(Entity, &mut Lifetime)>, Global<Clock>, Edits)>()
            .runs(age),
        steered::system(),
        #[cfg(feature = "chance")]
        spawner::system(),
        follow::find_system(),
        follow_solid,
        follow,
        rangefinder::system(),
        wear::system(),
        machine::system(),
    ]
}

fn drift((mut rows, clock): (Rows<(&mut Transform, &Velocity)>, Global<Clock>)) {
    let step = clock.step_seconds();
    rows.each(|(transform, velocity)| transform.translation += velocity.0 * step);
}

fn spin((mut rows, clock): (Rows<(&mut Transform, &Spin)>, Global<Clock>)) {
    let step = clock.step_seconds();
    rows.each(|(transform, spin)| {
        let turn = Quat::from_scaled_axis(spin.0 * step);
        transform.rotation = (turn * transform.rotation).normalize();
    });
}

fn age((mut rows, clock, mut edits): (Rows<(Entity, &mut Lifetime)>, Global<Clock>, Edits)) {
    let step = clock.step_seconds();
    rows.each(|(entity, lifetime)| {
        lifetime.0 -= step;
        if lifetime.0 <= 0.0 {
            edits.despawn(entity);
        }
    });
}

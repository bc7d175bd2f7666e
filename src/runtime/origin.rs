//! Moves the origin of the coordinates, for worlds that are larger than 32-bit numbers can resolve.

use super::frame_loop::Runtime;
use super::kit::Kit;
use super::standard::{Earlier, Route};
use crate::collide::Contacts;
use crate::error::{Error, ErrorKind};
use crate::panics::Panics;
use crate::profile;
use crate::schedule::{Cause, FrameContext, Way, WhichSystems, step_panicked};
use crate::space::{LinkNode, Transform, WorldTransform};
use crate::store::{Component, Entity, Having, Lacking, World};
use glam::{DVec3, Vec3};
use std::any::TypeId;

/// Where the origin of the coordinates lies: a global of runtimes that move it.
///
/// A 32-bit number tells millimetres apart up to 16 km from zero, and at 1,000 km only every 6 cm. A runtime that moves its origin keeps
/// the numbers near an [`OriginFocus`] small. `Origin` holds the way from the first origin in 64 bits, which tell 0.1 µm apart at 1,000 km.
///
/// See [`OriginKit`] for an example.
#[derive(Clone, PartialEq, Debug, Default)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(rename_all = "kebab-case")
)]
pub struct Origin {
    offset: DVec3,
    moves: u64,
}

impl Origin {
    /// The place of the present origin, from the first one, in metres.
    #[must_use]
    pub fn offset(&self) -> DVec3 {
        self.offset
    }

    /// A place of the world, from the first origin, in metres. See [`OriginKit`] for an example.
    #[must_use]
    pub fn absolute(&self, place: Vec3) -> DVec3 {
        self.offset + place.as_dvec3()
    }

    /// A place that is given from the first origin, in the coordinates of the world now.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::glam::DVec3;
    /// use gerust::prelude::*;
    /// use gerust::runtime::Origin;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.move_origin(Vec3::X * 1_048_576.0)?;
    /// let origin = runtime.world().global::<Origin>()?;
    /// assert_eq!(origin.local(DVec3::new(1_048_577.25, 3.0, 0.0)), Vec3::new(1.25, 3.0, 0.0));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn local(&self, place: DVec3) -> Vec3 {
        (place - self.offset).as_vec3()
    }

    /// How many times it has moved: for a program that keeps places of the world outside of components.
    #[must_use]
    pub fn moves(&self) -> u64 {
        self.moves
    }
}

/// The entity near which the origin stays, such as a ship or a camera; see [`OriginKit`]. If several are too far away, the one with the
/// lowest id counts.
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(deny_unknown_fields, default)
)]
pub struct OriginFocus {
    /// The distance from the origin, along any axis, beyond which the origin moves, in metres; 250 unless set, and at least 1. Up to
    /// there a step of motion is rounded by 0.008 mm at most.
    pub beyond: f32,
}

impl Default for OriginFocus {
    fn default() -> Self {
        Self { beyond: 250.0 }
    }
}

impl OriginFocus {
    /// By how much the origin moves for a place; `None` if that is near enough. A multiple of a power of two on each axis, so that numbers
    /// that become smaller stay exact.
    fn due(&self, place: Vec3) -> Option<Vec3> {
        let beyond = self.beyond.max(1.0);
        if place.abs().max_element() <= beyond || !place.is_finite() {
            return None;
        }
        let cell = f64::from(beyond).log2().floor().exp2() as f32;
        Some((place / cell).round() * cell).filter(|by| by.is_finite())
    }
}

type Shift = Box<dyn Fn(&mut World, Vec3) + Send + Sync>;

/// A global: what moves with the origin besides transforms.
#[derive(Default)]
struct Places(Vec<Shift>);

/// Moves the origin of the coordinates to an entity with an [`OriginFocus`] when this is far from it, so that the numbers near the
/// entity stay exact to less than a millimetre.
///
/// The origin moves before a frame. All entities without a parent are moved against it, with everything below them, and so are the
/// waypoints of a [`Route`] of such an entity, and [`Earlier`]. Ids, links, velocities, contacts and events stay as they are, and no event is
/// posted. Name your own components and globals that hold places of the world with [`Runtime::moves_with_origin`] and
/// [`Runtime::global_moves_with_origin`]. The frame costs as much as one in which everything moves; bodies at rest wake for that frame.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::{Origin, OriginFocus, OriginKit};
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.add_kit(OriginKit)?;
/// runtime.set_step_seconds(1.0)?;
/// let ship = (Transform::default(), Velocity(Vec3::X * 640.0), OriginFocus::default());
/// let ship = runtime.world_mut().spawn(ship);
/// runtime.run_frames(100)?;
/// let world = runtime.world();
/// let place = world.get::<WorldTransform>(ship)?.translation();
/// assert!(place.x.abs() <= 890.0);
/// assert_eq!(world.global::<Origin>()?.absolute(place).x, 64_000.0);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, Debug, Default)]
pub struct OriginKit;

impl Kit for OriginKit {
    fn add_to(self, runtime: &mut Runtime) -> Result<(), Error> {
        let world = runtime.world_mut();
        #[cfg(feature = "snapshot")]
        {
            world.register_global_unless_known::<Origin>("origin")?;
            world.register_component::<OriginFocus>("origin-focus")?;
        }
        world.ensure_global::<Origin>();
        Ok(())
    }
}

impl Runtime {
    /// Moves the origin of the coordinates by a vector in metres, now: everything in the world keeps its place to everything else, and gets
    /// coordinates that are smaller by the vector. [`OriginKit`] does it by itself, and says what moves.
    ///
    /// If each number of the vector is a multiple of a power of two, such as 256, coordinates that become smaller stay exact. Others are
    /// rounded, by 0.03 mm up to 1 km from the origin. O(entities).
    ///
    /// # Errors
    ///
    /// If the vector is not finite (nothing is changed then), or if a placement is not finite afterwards.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Origin;
    ///
    /// let mut runtime = Runtime::new();
    /// let mast = runtime.world_mut().spawn((Transform::at(4_100.5, 8.0, 0.0),));
    /// runtime.settle()?;
    /// runtime.move_origin(Vec3::X * 4_096.0)?;
    /// let place = runtime.world().get::<WorldTransform>(mast)?.translation();
    /// assert_eq!(place, Vec3::new(4.5, 8.0, 0.0));
    /// assert_eq!(runtime.world().global::<Origin>()?.absolute(place).x, 4_100.5);
    /// assert!(runtime.move_origin(Vec3::NAN).is_err());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn move_origin(&mut self, by: Vec3) -> Result<(), Error> {
        if !by.is_finite() {
            return Err(Error::new(
                ErrorKind::InvalidArgument,
                format!("the origin cannot move by {by}; give it finite numbers"),
            ));
        }
        self.get_ready()?;
        self.carry_over(by)
    }

    /// Moves places in a component of your own with the origin: the closure subtracts the second argument from each place of the
    /// world in the first.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Home(Vec3);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.moves_with_origin::<Home>(|home, by| home.0 -= by);
    /// let gull = runtime.world_mut().spawn((Transform::default(), Home(Vec3::Y * 4.0)));
    /// runtime.move_origin(Vec3::X * 1_024.0)?;
    /// assert_eq!(runtime.world().get::<Home>(gull)?.0, Vec3::new(-1_024.0, 4.0, 0.0));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn moves_with_origin<T: Component>(
        &mut self,
        shift: impl Fn(&mut T, Vec3) + Send + Sync + 'static,
    ) {
        self.shifts(move |world, by| world.rows_mut::<&mut T>().each(|value| shift(value, by)));
    }

    /// Moves places in a global of your own with the origin, as [`moves_with_origin`](Self::moves_with_origin) does in a component.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Harbor(Vec3);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.global_moves_with_origin::<Harbor>(|harbor, by| harbor.0 -= by);
    /// runtime.world_mut().set_global(Harbor(Vec3::ZERO));
    /// runtime.move_origin(Vec3::X * 1_024.0)?;
    /// assert_eq!(runtime.world().global::<Harbor>()?.0, Vec3::X * -1_024.0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn global_moves_with_origin<T: Component>(
        &mut self,
        shift: impl Fn(&mut T, Vec3) + Send + Sync + 'static,
    ) {
        self.shifts(move |world, by| {
            if let Some(value) = world.find_global_mut::<T>() {
                shift(value, by);
            }
        });
    }

    fn shifts(&mut self, shift: impl Fn(&mut World, Vec3) + Send + Sync + 'static) {
        let places = self.world.ensure_global::<Places>();
        places.0.push(Box::new(shift));
    }

    /// Moves the origin if a focus was too far away at the end of the frame before.
    pub(super) fn follow_focus(&mut self, way: &mut Way<'_>) -> Result<(), Error> {
        if !self.follows_focus() {
            return Ok(());
        }
        let world = &self.world;
        let due = |entity: Entity| {
            let focus = world.get::<OriginFocus>(entity).ok()?;
            let placed = world.get::<WorldTransform>(entity).ok()?;
            world
                .has::<Transform>(entity)
                .then(|| focus.due(placed.translation()))?
        };
        let focuses = world.entities_having::<OriginFocus>();
        let far = focuses.filter_map(|entity| Some((entity, due(entity)?)));
        let Some((_, by)) = far.min_by_key(|(entity, _)| *entity) else {
            return Ok(());
        };
        let moved = self.carry_over(by);
        let context = self.context();
        let told = way.tell(Cause::Action("move the origin"), &self.world, context);
        moved.and(told)
    }

    /// Whether the [`OriginKit`] was added.
    pub(super) fn follows_focus(&self) -> bool {
        self.has_kit(TypeId::of::<OriginKit>())
    }

    fn carry_over(&mut self, by: Vec3) -> Result<(), Error> {
        let _span = profile::part("move the origin");
        let world = &mut self.world;
        let origin = world.ensure_global::<Origin>();
        origin.offset += by.as_dvec3();
        origin.moves += 1;
        shift_roots(world, by);
        world
            .rows_mut::<&mut Earlier>()
            .each(|earlier| earlier.0.shift(-by));
        let mut panics = Panics::default();
        if let Some(places) = world.find_global_mut::<Places>() {
            // Out of the world meanwhile, because they change it.
            let places = std::mem::take(places);
            panics.catch(|| places.0.iter().for_each(|shift| shift(world, by)));
            world.set_global(places);
        }
        Contacts::freeze(world, true);
        let settled = self.settle();
        Contacts::freeze(&mut self.world, false);
        step_panicked(
            panics,
            "a closure that moves places with the origin",
            self.context(),
        )?;
        settled
    }

    fn context(&mut self) -> FrameContext {
        FrameContext {
            clock: *self.clock_mut(),
            which: WhichSystems::BuiltIn,
        }
    }
}

/// Moves the entities above which there is no transform: those below go along.
fn shift_roots(world: &mut World, by: Vec3) {
    let shift = |transform: &mut Transform| transform.translation -= by;
    world
        .rows_mut_where::<&mut Transform, Lacking<LinkNode>>()
        .each(shift);
    world
        .rows_mut_where::<&mut Route, Lacking<LinkNode>>()
        .each(|route| shift_route(route, by));
    let linked = world.rows_where::<(Entity, &LinkNode), Having<Transform>>();
    let has_transform = |&entity: &Entity| world.has::<Transform>(entity);
    let roots = linked.iter().filter(|(_, links)| {
        let mut above = std::iter::successors(links.parent(), |&above| world.parent(above));
        !above.any(|above| has_transform(&above))
    });
    let roots: Vec<Entity> = roots.map(|(entity, _)| entity).collect();
    drop(linked);
    for root in roots {
        if let Ok(transform) = world.get_mut::<Transform>(root) {
            shift(transform);
        }
        if let Ok(route) = world.get_mut::<Route>(root) {
            shift_route(route, by);
        }
    }
}

fn shift_route(route: &mut Route, by: Vec3) {
    route
        .waypoints
        .iter_mut()
        .for_each(|waypoint| *waypoint -= by);
}

#[cfg(test)]
mod tests;

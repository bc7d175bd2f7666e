//! Places that a file gives count from the first origin, wherever the origin is by now.

use gerust::Error;
use gerust::runtime::{Origin, Route};
use gerust::space::Transform;
use gerust::store::{Entity, World};
use glam::Vec3;

/// A place from the first origin, in the coordinates of the world now.
pub(super) fn local(world: &World, place: Vec3) -> Vec3 {
    world
        .find_global::<Origin>()
        .map_or(place, |origin| origin.local(place.as_dvec3()))
}

/// A place in the coordinates of the world now, from the first origin.
pub(super) fn absolute(world: &World, place: Vec3) -> [f64; 3] {
    let origin = world.find_global::<Origin>();
    let absolute = origin.map_or(place.as_dvec3(), |origin| origin.absolute(place));
    absolute.to_array()
}

/// The values of an entity that a file gives and that hold places of the world.
#[derive(Clone, Copy, Debug)]
pub(super) struct Given {
    pub(super) translation: bool,
    pub(super) route: bool,
}

impl Given {
    pub(super) const ALL: Self = Self {
        translation: true,
        route: true,
    };
}

/// Turns the given values of an entity into coordinates of the world now. Below a parent they are in its space, and stay.
pub(super) fn bring(world: &mut World, entity: Entity, given: Given) -> Result<(), Error> {
    let moves = world
        .find_global::<Origin>()
        .map_or(0, |origin| origin.moves());
    if moves == 0 || world.parent(entity).is_some() {
        return Ok(());
    }
    if given.translation {
        let place = world.get::<Transform>(entity)?.translation;
        let place = local(world, place);
        world.get_mut::<Transform>(entity)?.translation = place;
    }
    if given.route && world.has::<Route>(entity) {
        let mut route = Route::clone(&*world.get::<Route>(entity)?);
        for waypoint in &mut route.waypoints {
            *waypoint = local(world, *waypoint);
        }
        world.attach(entity, route)?;
    }
    Ok(())
}

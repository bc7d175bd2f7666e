//! Boxes, what touches what, and bodies that stop at what is solid.
//!
//! Faces that only touch do not *overlap*, but they do *touch*: see [`Aabb::overlaps`] and [`Aabb::touches`]. A body that
//! rests on the ground touches it without overlapping it.

mod aabb;
mod body;
mod boxes;
mod collider;
mod contacts;
mod explain;
mod fit;
mod impact;
mod layers;
mod motion;
mod placed;
mod refused;
mod tiles;
mod tree;
mod world_box;

pub use aabb::Aabb;
pub use body::{Body, Gravity, Motion};
pub use boxes::{Among, Boxes, Dimensions, Found, Struck};
pub use collider::Collider;
pub use contacts::{Contact, ContactState, Contacts, Standing, Touching};
pub use explain::{AxisReport, PairExplanation, PairSide, PairVerdict};
pub use impact::Impact;
pub use layers::{Layer, Layers};
pub use motion::Solver;
pub use tiles::{MapPlane, TileGrid};
pub use tree::BoxTree;
pub use world_box::WorldBox;

#[cfg(feature = "scene")]
pub(crate) use refused::MOST_SPEED;

use crate::error::Error;
use crate::schedule::{Phase, System};
use crate::space::placement_systems;
use crate::store::World;

/// Makes colliders known to a world.
pub(crate) fn install(world: &mut World) {
    boxes::install(world);
    #[cfg(feature = "snapshot")]
    {
        const FREE: &str = "nobody else registers these types";
        world.register_component::<crate::Name>("name").expect(FREE);
        world
            .register_component::<Collider>("collider")
            .expect(FREE);
        world.register_component::<Body>("body").expect(FREE);
    }
    world.set_global(Gravity::default());
    world.set_global(Layers::default());
    world.set_global(Contacts::default());
    world.set_global(Solver::default());
    world.set_global(refused::RefusedBodies::default());
}

/// Whether what was written into colliders and bodies could be made sense of in the last frame.
pub(crate) fn tell_refused(world: &World) -> Result<(), Error> {
    boxes::tell_refused(world)?;
    refused::tell(world)
}

/// The systems that move bodies and find contacts, in the order in which they run.
///
/// Placement is resolved before bodies move as well as after: what was spawned, linked or teleported since the last
/// frame is solid where it is now, not where it was.
pub(crate) fn systems() -> Vec<System> {
    let mut systems = placement_systems(
        Phase::Move,
        ["move: place without links", "move: place linked"],
    );
    systems.push(boxes::system(
        Phase::Move,
        "move: boxes",
        Some("move: place linked"),
    ));
    systems.push(motion::system());
    systems.push(boxes::system(Phase::Touch, "touch: boxes", None));
    systems.push(contacts::system());
    systems
}

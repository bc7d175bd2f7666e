//! Boxes, what touches what, and bodies that move among them.
//!
//! An entity with a [`Transform`](crate::Transform) and a [`Collider`] has boxes in the world ([`WorldBox`], [`Boxes`]). Each
//! frame finds which of them touch ([`Contacts`]); with a [`Body`] an entity moves, stops at what is solid, is carried and pushed.
//!
//! - *Faces that only touch* do not *overlap*, but they do *touch*: see [`Aabb::overlaps`] and [`Aabb::touches`]. A body that
//!   rests on the ground touches it without overlapping it.
//! - *Who meets whom* is a matter of [`Layers`]: two colliders touch if their layers meet, in either order.
//!   Tiles of a level touch their neighbors all the time; put them into a layer that does not meet itself.
//! - *Writing a transform teleports*; setting the velocity of a body lets it collide.
//! - *What motion cannot part* is among the contacts, as a [leftover](Contacts::leftovers). Nothing is given up silently.
//! - *Rotation* turns what is drawn, not the boxes: they grow around it, or stay [upright](Collider::upright).
//!
//! # Example
//!
//! Reactions are systems that read the events of contacts. This one reacts to one kind of thing, first or second:
//!
//! ```
//! use gerust::prelude::*;
//!
//! struct Pallet;
//! struct Broken(u32);
//!
//! let mut runtime = Runtime::new();
//! runtime.world_mut().set_global(Broken(0));
//! runtime.add_system(
//!     System::named("break pallets")
//!         .phase(Phase::React)
//!         .takes::<(Inbox<Contact>, Rows<&Pallet>, Edits, GlobalMut<Broken>)>()
//!         .runs(|(mut contacts, pallets, mut edits, mut broken)| {
//!             for contact in contacts.take_unread() {
//!                 for entity in [contact.first, contact.second] {
//!                     if contact.state == ContactState::Began && pallets.get(entity).is_some() {
//!                         edits.despawn(entity);
//!                         broken.0 += 1;
//!                     }
//!                 }
//!             }
//!         }),
//! )?;
//! let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
//! let world = runtime.world_mut();
//! world.spawn((Transform::at(0.0, -0.5, 0.0), cube.clone()));
//! world.spawn((Transform::at(0.0, 3.0, 0.0), cube, Body::dynamic(), Pallet));
//! runtime.run_frames(60)?;
//! assert_eq!(runtime.world().global::<Broken>()?.0, 1);
//! # Ok::<(), gerust::Error>(())
//! ```

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
mod threads;
mod tiles;
mod tree;
mod world_box;

pub use aabb::Aabb;
pub use body::{Body, Gravity, Motion};
pub use boxes::{Among, Boxes, Dimensions, Found, Struck};
pub use collider::Collider;
pub use contacts::{Contact, ContactState, Contacts, Standing, Touching};
#[cfg(feature = "snapshot")]
pub(crate) use contacts::{KeptContacts, SavedContacts};
pub use explain::{AxisReport, PairExplanation, PairSide, PairVerdict};
pub use impact::Impact;
pub use layers::{Layer, Layers};
pub use motion::Solver;
pub use tiles::{MapPlane, TileGrid};
pub use tree::BoxTree;
pub use world_box::WorldBox;

/// The number if it is above zero, and +0 otherwise. `f32::max` may return a zero of either sign, by the level of optimization, and
/// numbers that users see must be the same in debug and release builds.
fn positive(number: f32) -> f32 {
    if number > 0.0 { number } else { 0.0 }
}

use crate::error::Error;
use crate::schedule::{Phase, System};
use crate::space::placement_systems;
#[cfg(feature = "snapshot")]
use crate::store::MostEntities;
use crate::store::World;

/// Makes colliders known to a world; what it has already stays.
///
/// # Errors
///
/// If another type was registered under the name of one of the types of this floor.
pub(crate) fn install(world: &mut World) -> Result<(), Error> {
    #[cfg(feature = "snapshot")]
    {
        world.register_unless_known::<crate::Name>("name")?;
        world.register_unless_known::<Collider>("collider")?;
        world.register_unless_known::<Body>("body")?;
        world.compare_in_moments::<Body>();
        world.register_global_unless_known::<Gravity>("gravity")?;
        world.register_global_unless_known::<Layers>("layers")?;
        world.register_global_unless_known::<Solver>("solver")?;
        world.register_global_unless_known::<Dimensions>("dimensions")?;
        world.register_global_unless_known::<MostEntities>("most-entities")?;
        world.register_event_unless_known::<Contact>("contact")?;
        if world.find_global::<Contacts>().is_none() {
            world.after_restore.push(|world| {
                if let Some(contacts) = world.find_global_mut::<Contacts>() {
                    contacts.mark_stale();
                }
            });
        }
    }
    boxes::install(world);
    world.ensure_global::<Gravity>();
    world.ensure_global::<Layers>();
    world.ensure_global::<Contacts>();
    world.ensure_global::<Solver>();
    world.ensure_global::<refused::RefusedBodies>();
    world.ensure_global::<motion::Meetings>();
    Ok(())
}

/// Whether what was written into colliders and bodies could be made sense of in the last frame.
pub(crate) fn tell_refused(world: &World) -> Result<(), Error> {
    boxes::tell_refused(world)?;
    contacts::refuse_crowd(world)?;
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

//! Placement: transforms, hierarchies, and the world placement that follows from them.
//!
//! Right-handed, y up; metres and radians; column vectors, so a parent's matrix stands to the left of its child's.

mod adrift;
mod hand_down;
mod in_place;
mod link;
mod link_edits;
mod linked;
mod links;
mod placement_now;
mod propagate;
mod template;
mod template_edits;
mod transform;
mod world_transform;

pub use hand_down::DrawOrder;
pub use in_place::InPlaceOutcome;
pub use link::SiblingPlace;
pub use linked::{Linked, Unlinked};
pub use links::Links;
pub use placement_now::PlacementNow;
pub use template::{CopyOf, MadeFrom, Shared, Template, Templates};
pub use transform::Transform;
pub use world_transform::WorldTransform;

pub(crate) use adrift::find_adrift;
pub(crate) use links::LinkNode;
pub(crate) use placement_now::climbed;
pub(crate) use propagate::{install, placement_systems};

use crate::schedule::{Phase, System};

/// The systems that resolve world placement in phase [`Phase::Place`].
pub(crate) fn systems() -> Vec<System> {
    placement_systems(Phase::Place, ["place: without links", "place: linked"])
}

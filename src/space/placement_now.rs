//! World placements in the middle of a frame, for systems.

use super::links::LinkNode;
use super::transform::Transform;
use super::world_transform::WorldTransform;
use crate::error::Error;
use crate::store::{Access, Claim, Entity, Grant, Preparation, Rows, World};
use glam::Affine3A;
use smallvec::SmallVec;
use std::fmt;

type Parts<'w> = (Rows<'w, &'static Transform>, Rows<'w, &'static LinkNode>);

/// As a claim of a system: where entities are in the world right now, with what earlier systems of this frame have changed.
///
/// [`WorldTransform`] has the same for nothing, as of the last [`Place`](crate::Phase::Place). Each question here looks at
/// every entity above: O(depth), two look-ups each. It reads all transforms, so a system that takes it cannot write them
/// besides.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::space::PlacementNow;
///
/// struct Hook;
/// struct Seen(Vec<f32>);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Seen(Vec::new()));
/// let crane = runtime.world_mut().spawn((Transform::default(), Velocity(Vec3::X * 60.0)));
/// runtime.world_mut().spawn_under(crane, (Transform::at(0.0, 5.0, 0.0), Hook))?;
/// runtime.add_kit(StandardKit)?;
/// runtime.add_system(
///     System::named("watch the hook")
///         .takes::<(Rows<(Entity, &WorldTransform), Having<Hook>>, PlacementNow, GlobalMut<Seen>)>()
///         .runs(|(hooks, now, mut seen)| {
///             for (hook, last_frame) in hooks.iter() {
///                 let now = now.of(hook).map_or(0.0, |placed| placed.translation().x);
///                 seen.0.extend([last_frame.translation().x, now]);
///             }
///         }),
/// )?;
/// runtime.run_frames(2)?;
/// assert_eq!(runtime.world().global::<Seen>()?.0[2..], [1.0, 2.0]);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct PlacementNow<'w>(Parts<'w>);

impl fmt::Debug for PlacementNow<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("PlacementNow").finish_non_exhaustive()
    }
}

impl PlacementNow<'_> {
    /// Where an entity is right now; `None` if it has no transform or is no longer alive.
    #[must_use]
    pub fn of(&self, entity: Entity) -> Option<WorldTransform> {
        let (transforms, links) = &self.0;
        let above = |entity| links.get(entity)?.parent();
        climbed(entity, above, |entity| transforms.get(entity)).map(WorldTransform)
    }
}

/// The world placement that the transforms from an entity up to its root lead to; `None` if it has none itself.
pub(crate) fn climbed<'t>(
    entity: Entity,
    above: impl Fn(Entity) -> Option<Entity>,
    transform: impl Fn(Entity) -> Option<&'t Transform>,
) -> Option<Affine3A> {
    transform(entity)?;
    let path = std::iter::successors(Some(entity), |&entity| above(entity));
    multiplied(path.filter_map(|entity| transform(entity).map(Transform::affine)))
}

/// The product of local placements that are listed from below upwards; `None` of none. They are multiplied from the root
/// down, as a frame does it, so rounding is the same. Hierarchies of up to 16 levels need no allocation.
pub(super) fn multiplied(from_below: impl Iterator<Item = Affine3A>) -> Option<Affine3A> {
    let mut locals: SmallVec<[Affine3A; 16]> = from_below.collect();
    let root = locals.pop()?;
    Some(
        locals
            .into_iter()
            .rev()
            .fold(root, |above, own| above * own),
    )
}

impl Claim for PlacementNow<'_> {}

impl Grant for PlacementNow<'_> {
    type State = <Parts<'static> as Grant>::State;
    type Granted<'w> = PlacementNow<'w>;

    fn declare(access: &mut Access) {
        Parts::declare(access);
    }

    fn prepare(preparation: &mut Preparation<'_>) -> Self::State {
        Parts::prepare(preparation)
    }

    fn grant<'w>(state: &'w mut Self::State, world: &'w World) -> Result<PlacementNow<'w>, Error> {
        Parts::grant(state, world).map(PlacementNow)
    }

    fn note_rows(state: &Self::State, rows: &mut Vec<bool>) {
        Parts::note_rows(state, rows);
    }
}

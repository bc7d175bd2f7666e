//! Placement in the middle of a frame, and links that keep it.

use super::placement_now::multiplied;
use super::transform::Transform;
use super::world_transform::WorldTransform;
use crate::error::{Error, Kind};
use crate::store::{Entity, World};
use glam::Affine3A;

/// By what share of its largest number a placement may be off after going into a parent's space and back.
const LEADS_BACK: f32 = 1e-3;

/// How well an entity stayed where it was; see [`World::link_in_place`].
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum InPlaceOutcome {
    /// It is where it was, but for rounding.
    Exact,
    /// Its place is kept, but its axes cannot be expressed under the new parent without shear, which a [`Transform`] does not
    /// have: they came as close as they can.
    Sheared,
}

impl World {
    /// Where an entity is in the world right now: its own [`Transform`] and those above it, multiplied. `None` if it has no
    /// transform or is no longer alive.
    ///
    /// [`WorldTransform`] has the same for nothing, as of the last [`Place`](crate::Phase::Place). This looks at every entity
    /// above: O(depth), a few look-ups each. A system takes [`PlacementNow`](super::PlacementNow) for it.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// let crane = world.spawn((Transform::at(40.0, 0.0, 0.0),));
    /// let hook = world.spawn_under(crane, (Transform::at(0.0, 5.0, 0.0),))?;
    /// let placed = world.placement_now(hook).expect("it has a transform");
    /// assert_eq!(placed.translation(), Vec3::new(40.0, 5.0, 0.0));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn placement_now(&self, entity: Entity) -> Option<WorldTransform> {
        let own = self.local(entity)?;
        Some(WorldTransform(match self.placement_above(entity) {
            Some(above) => above * own,
            None => own,
        }))
    }

    fn local(&self, entity: Entity) -> Option<Affine3A> {
        let has = self.has::<Transform>(entity);
        has.then(|| self.get::<Transform>(entity).ok().map(|own| own.affine()))
            .flatten()
    }

    /// The product of all transforms above an entity, in the order in which a frame multiplies them; `None` if there are
    /// none.
    fn placement_above(&self, entity: Entity) -> Option<Affine3A> {
        multiplied(self.ancestors(entity).filter_map(|above| self.local(above)))
    }

    /// Puts an entity under a parent, as its last child, so that it stays where it is in the world: its [`Transform`] is
    /// changed to fit. It looks at where both are now, not where the last frame placed them. O(depth).
    ///
    /// If the new parent is scaled unevenly and turned against the entity, the entity would have to be sheared; that comes
    /// back as [`InPlaceOutcome::Sheared`]. An entity without a transform is only linked.
    ///
    /// # Errors
    ///
    /// As [`World::link`], and if the parent is flattened, or as good as, by a scale of zero on it or above it: nothing under
    /// it can be elsewhere.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::space::InPlaceOutcome;
    ///
    /// let mut world = World::new();
    /// let spreader = world.spawn((Transform::at(40.0, 12.0, 0.0),));
    /// let container = world.spawn((Transform::at(41.0, 10.0, 0.0),));
    /// assert_eq!(world.link_in_place(container, spreader)?, InPlaceOutcome::Exact);
    /// assert_eq!(world.get::<Transform>(container)?.translation, Vec3::new(1.0, -2.0, 0.0));
    /// world.unlink_in_place(container)?;
    /// assert_eq!(world.get::<Transform>(container)?.translation, Vec3::new(41.0, 10.0, 0.0));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn link_in_place(
        &mut self,
        child: Entity,
        parent: Entity,
    ) -> Result<InPlaceOutcome, Error> {
        let placed = self.placement_now(child);
        let above = self.placement_now(parent).map(|above| above.0);
        let above = above.or_else(|| self.placement_above(parent));
        let fitted = match placed {
            Some(placed) => Some(self.fitted(child, parent, above, placed.0)?),
            None => None,
        };
        self.link(child, parent)?;
        self.fit(child, fitted)
    }

    /// Takes an entity out from under its parent so that it stays where it is in the world; see [`World::link_in_place`].
    /// Nothing happens if it has no parent.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    pub fn unlink_in_place(&mut self, child: Entity) -> Result<InPlaceOutcome, Error> {
        let placed = self.placement_now(child);
        if self.unlink(child)?.is_none() {
            return Ok(InPlaceOutcome::Exact);
        }
        let fitted = placed.map(|placed| Transform::closest_to(&placed.0));
        self.fit(child, fitted)
    }

    /// The transform that leads to a world placement under a parent.
    fn fitted(
        &self,
        child: Entity,
        parent: Entity,
        above: Option<Affine3A>,
        placed: Affine3A,
    ) -> Result<(Transform, bool), Error> {
        let Some(above) = above else {
            return Ok(Transform::closest_to(&placed));
        };
        let inverse = WorldTransform(above).inverse();
        let local = inverse.map(|inverse| inverse * placed);
        // Almost flat is as good as flat: the way there and back does not lead back.
        let leads_back = |local: &Affine3A| {
            let largest = placed.to_cols_array().into_iter().map(f32::abs);
            let most = largest.fold(f32::MIN_POSITIVE, f32::max) * LEADS_BACK;
            (above * *local).abs_diff_eq(placed, most)
        };
        match local.filter(leads_back) {
            Some(local) => Ok(Transform::closest_to(&local)),
            None => Err(Error::from(Kind::FlatParent {
                entity: child,
                child: self.label(child),
                parent: self.label(parent),
            })),
        }
    }

    fn fit(
        &mut self,
        child: Entity,
        fitted: Option<(Transform, bool)>,
    ) -> Result<InPlaceOutcome, Error> {
        let Some((transform, is_same)) = fitted else {
            return Ok(InPlaceOutcome::Exact);
        };
        *self.get_mut::<Transform>(child)? = transform;
        Ok(match is_same {
            true => InPlaceOutcome::Exact,
            false => InPlaceOutcome::Sheared,
        })
    }
}

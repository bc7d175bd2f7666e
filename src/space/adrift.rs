//! Placements that are not finite.

use super::transform::Transform;
use super::world_transform::WorldTransform;
use crate::store::{Entity, Having, World};
use glam::{Affine3A, Vec3A};

/// A global: whether a placement that was written may not be finite.
#[derive(Default, Debug)]
pub(crate) struct Adrift(pub(super) bool);

/// Checks placements while they are written, without a branch: the sum of the columns times 0 is 0 if all numbers are finite, and NaN
/// if one is not or if the sum overflows.
#[derive(Clone, Copy, Default)]
pub(super) struct FiniteCheck(Vec3A);

impl FiniteCheck {
    #[inline(always)]
    pub(super) fn look(&mut self, placed: &Affine3A) {
        let matrix = &placed.matrix3;
        let sum = matrix.x_axis + matrix.y_axis + matrix.z_axis + placed.translation;
        self.0 += sum * 0.0;
    }

    pub(super) fn may_fail(self) -> bool {
        self.0.is_nan()
    }
}

/// Returns an entity whose placement is not finite: the one with the lowest id whose own transform is not finite, or else the one with the
/// lowest id. O(1), or O(entities) if there may be one.
pub(crate) fn find_adrift(world: &World) -> Option<Entity> {
    if !world.find_global::<Adrift>().is_some_and(|adrift| adrift.0) {
        return None;
    }
    let rows = world.rows_where::<(Entity, &WorldTransform), Having<Transform>>();
    let placed = rows
        .iter()
        .filter(|(_, placed)| !placed.affine().is_finite());
    placed.map(|(entity, _)| entity).min_by_key(|&entity| {
        let own = world.get::<Transform>(entity);
        (own.is_ok_and(|own| own.affine().is_finite()), entity)
    })
}

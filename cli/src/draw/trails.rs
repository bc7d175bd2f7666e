//! The ways that entities have come.

use gerust::runtime::Origin;
use gerust::{Entity, World, WorldTransform};
use glam::{DVec3, Vec3};
use std::collections::BTreeMap;

/// Metres below which nothing has moved.
const STILL: f64 = 0.01;

/// Where entities were, frame by frame, from the first origin.
#[derive(Default)]
pub(super) struct Trails {
    places: BTreeMap<Entity, Vec<DVec3>>,
    /// The origin that was noted last.
    origin: Origin,
}

impl Trails {
    /// Notes where all entities are; those that have not moved are not noted again.
    pub(super) fn note(&mut self, world: &World) {
        if let Some(origin) = world.find_global::<Origin>() {
            self.origin.clone_from(&origin);
        }
        let rows = world.rows::<(Entity, &WorldTransform)>();
        for (entity, placed) in rows.iter() {
            let place = self.origin.absolute(placed.translation());
            let trail = self.places.entry(entity).or_default();
            let has_moved = trail.last().is_none_or(|last| last.distance(place) > STILL);
            if has_moved {
                trail.push(place);
            }
        }
    }

    /// The ways of those that have moved, in the coordinates of the last frame.
    pub(super) fn ways(&self) -> Vec<Vec<Vec3>> {
        let moved = self.places.values().filter(|way| way.len() > 1);
        let local = |way: &Vec<DVec3>| way.iter().map(|place| self.origin.local(*place)).collect();
        moved.map(local).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gerust::Runtime;
    use gerust::prelude::*;

    #[test]
    fn only_what_moves_leaves_a_trail() {
        let mut runtime = Runtime::new();
        runtime.add_kit(StandardKit).expect("its names are free");
        runtime.world_mut().spawn((Transform::default(),));
        let moving = (Transform::default(), Velocity(Vec3::X * 60.0));
        runtime.world_mut().spawn(moving);
        let mut trails = Trails::default();
        for _ in 0..3 {
            runtime.run_frames(1).expect("nothing fails");
            trails.note(runtime.world());
        }
        let ways = trails.ways();
        assert_eq!(ways.len(), 1);
        assert_eq!(ways[0].len(), 3);
        assert!((ways[0][2].x - 3.0).abs() < 1e-3);
    }
}

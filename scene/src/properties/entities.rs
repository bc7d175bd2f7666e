//! Random entities.

use super::{hundredths, places};
use crate::draft::EntityDraft;
use gerust::collide::Body;
use glam::Vec3;
use proptest::collection::vec;
use proptest::prelude::*;

/// Entities `node-1`, `node-2` and so on, at most a number of them, each under one of those before it or a root.
///
/// # Example
///
/// ```
/// use gerust_scene::properties::hierarchies;
/// use proptest::prelude::*;
///
/// proptest!(|(nodes in hierarchies(6))| {
///     prop_assert!(nodes.len() <= 6);
///     prop_assert!(nodes.iter().all(|node| node.name().is_some()));
/// });
/// ```
pub fn hierarchies(most: usize) -> impl Strategy<Value = Vec<EntityDraft>> {
    let node = (
        places([10, 5, 10]),
        hundredths(0, 1),
        any::<prop::sample::Index>(),
    );
    vec(node, 0..=most).prop_map(|nodes| {
        let numbered = nodes.into_iter().enumerate();
        numbered
            .map(|(at, (place, scale, parent))| {
                let node = EntityDraft::named(&format!("node-{}", at + 1))
                    .at(place)
                    .scaled(Vec3::splat(0.5 + scale));
                // One more than there are: under none.
                match parent.index(at + 1) {
                    0 => node,
                    parent => node.under(&format!("node-{parent}")),
                }
            })
            .collect()
    })
}

/// Entities `box-1`, `box-2` and so on, at most a number of them: solid or sensor; static, kinematic or dynamic.
///
/// # Example
///
/// ```
/// use gerust_scene::properties::boxes;
/// use proptest::prelude::*;
///
/// proptest!(|(boxes in boxes(6))| prop_assert!(boxes.len() <= 6));
/// ```
pub fn boxes(most: usize) -> impl Strategy<Value = Vec<EntityDraft>> {
    let one = (
        places([12, 8, 12]),
        (hundredths(0, 3), hundredths(0, 3), hundredths(0, 3)),
        bodies(),
        any::<bool>(),
    );
    vec(one, 0..=most).prop_map(|boxes| {
        let numbered = boxes.into_iter().zip(1..);
        numbered
            .map(|((place, (x, y, z), body, is_sensor), number)| {
                let size = Vec3::new(x, y, z) + 0.25;
                // Above the floor, which ends at 0.
                let place = place + Vec3::Y * (8.0 + size.y);
                let entity = EntityDraft::named(&format!("box-{number}")).at(place);
                let entity = match is_sensor && body.is_none() {
                    true => entity.sensor(size),
                    false => entity.solid(size),
                };
                match body {
                    None => entity,
                    Some(body) => entity.body(&body),
                }
            })
            .collect()
    })
}

/// Nothing, a body that is moved, or one that moves.
fn bodies() -> impl Strategy<Value = Option<Body>> {
    let dynamic = (places([6, 6, 6]), hundredths(1, 20), 0_u8..=9).prop_map(|parts| {
        let (velocity, mass, bounce) = parts;
        let body = Body::dynamic().with_velocity(velocity).with_mass(mass);
        Some(body.with_restitution(f32::from(bounce) / 10.0))
    });
    prop_oneof![
        2 => Just(None),
        1 => places([3, 1, 3]).prop_map(|velocity| Some(Body::kinematic(velocity))),
        4 => dynamic,
    ]
}

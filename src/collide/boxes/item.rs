//! The boxes of one entity.

use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::collider::{Collider, OwnBoxes};
use crate::collide::layers::Layer;
use crate::collide::placed::{ENDLESS, PlacedBox};
use crate::collide::tiles::{PlacedTiles, TileGrid};
use crate::store::Entity;
use glam::Affine3A;
use std::sync::Arc;

/// The place of an entity in the list of [`Boxes`](super::Boxes).
pub(in crate::collide) type Slot = u32;

#[derive(Clone, Copy, PartialEq, Debug)]
pub(in crate::collide) struct Item {
    /// Around all boxes; without end along z in a scene of two dimensions.
    pub(in crate::collide) aabb: Aabb,
    pub(in crate::collide) entity: Entity,
    pub(in crate::collide) layer: Layer,
    pub(in crate::collide) motion: Motion,
    /// Whether it has a body, which says how elastic and rough it is, even if it is static.
    pub(in crate::collide) has_body: bool,
    pub(in crate::collide) is_sensor: bool,
    /// Whether it has other boxes than this one: see [`Compound`].
    pub(in crate::collide) is_compound: bool,
    /// Whether it takes part: it is on, has boxes, and they are valid.
    pub(in crate::collide) takes_part: bool,
}

impl Item {
    /// The tree that holds it: static, kinematic and dynamic boxes are searched separately.
    pub(in crate::collide) fn tree(&self) -> usize {
        match self.motion {
            Motion::Static => 0,
            Motion::Kinematic => 1,
            Motion::Dynamic => 2,
        }
    }
}

/// The boxes of a collider that is more than one box.
#[derive(Clone, Debug)]
pub(in crate::collide) enum Compound {
    Several(Vec<Aabb>),
    Tiles(PlacedTiles, Arc<TileGrid>),
}

impl Compound {
    pub(in crate::collide) fn touching(&self, region: &Aabb, mut visit: impl FnMut(Aabb)) {
        match self {
            Self::Several(boxes) => boxes
                .iter()
                .filter(|part| part.touches(region))
                .for_each(|part| visit(*part)),
            Self::Tiles(placed, grid) => placed.touching(grid, region, visit),
        }
    }

    /// Moves all boxes.
    pub(super) fn shift(&mut self, by: glam::Vec3) {
        match self {
            Self::Several(boxes) => boxes.iter_mut().for_each(|part| *part = part.moved(by)),
            Self::Tiles(placed, _) => placed.corner += by,
        }
    }
}

/// The boxes of a collider under a placement.
pub(super) struct PlacedCollider {
    /// Around all boxes.
    pub(super) aabb: Aabb,
    pub(super) compound: Option<Compound>,
}

impl PlacedCollider {
    /// `None` if the collider has no boxes now.
    pub(super) fn new(collider: &Collider, map: &Affine3A, is_flat: bool) -> Option<Self> {
        let place = map.translation.into();
        let placed = |own| PlacedBox::new(own, map).at(place);
        let (aabb, compound) = match &collider.boxes {
            OwnBoxes::One(own) => (placed(own), None),
            OwnBoxes::Tiles(grid) => {
                let tiles = PlacedTiles::new(grid, map);
                let compound = Compound::Tiles(tiles, Arc::clone(grid));
                (tiles.bounds(grid), Some(compound))
            }
            several => match several.current() {
                [] => return None,
                [own] => (placed(own), None),
                own => {
                    let flattened = |aabb: Aabb| if is_flat { flat(&aabb) } else { aabb };
                    let world: Vec<Aabb> = own.iter().map(placed).collect();
                    let all = world.iter().copied().reduce(|all, one| all.merged(&one))?;
                    let parts = world.into_iter().map(flattened).collect();
                    (all, Some(Compound::Several(parts)))
                }
            },
        };
        Some(Self { aabb, compound })
    }
}

/// A box of a scene of two dimensions: without end along z, so that z decides nothing.
pub(in crate::collide) fn flat(aabb: &Aabb) -> Aabb {
    Aabb {
        min: aabb.min.with_z(-ENDLESS),
        max: aabb.max.with_z(ENDLESS),
    }
}

//! The state of a frame that is drawn.

use super::tiles::DrawnGrid;
use crate::failure::Failure;
use crate::output::printable;
use gerust::collide::Boxes;
use gerust::prelude::*;
use gerust::runtime::Origin;

/// The boxes, places and contacts at the end of a frame.
pub(crate) struct Snapshot {
    pub(crate) frame: u64,
    pub(crate) seconds: f64,
    /// Where the origin is, from the first one; `None` if it has not moved.
    pub(crate) origin: Option<[f64; 3]>,
    pub(crate) boxes: Vec<DrawnBox>,
    /// Entities without a box.
    pub(crate) points: Vec<Vec3>,
    pub(crate) grids: Vec<DrawnGrid>,
    pub(crate) contacts: Vec<DrawnContact>,
    /// From each parent to its child.
    pub(crate) links: Vec<[Vec3; 2]>,
    /// The ways that entities have come.
    pub(crate) trails: Vec<Vec<Vec3>>,
}

/// A pair that touches.
pub(crate) struct DrawnContact {
    /// The region that the two share, flat where only faces touch.
    pub(crate) region: Aabb,
    /// From the first towards the second.
    pub(crate) normal: Vec3,
}

pub(crate) struct DrawnBox {
    pub(crate) entity: Entity,
    pub(crate) name: Option<String>,
    pub(crate) aabb: Aabb,
    pub(crate) look: Look,
    /// Whether it is a tile of a grid.
    pub(crate) is_tile: bool,
}

/// How a box is drawn, in the order of the legend.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum Look {
    Static,
    Kinematic,
    Dynamic,
    Sensor,
    Off,
}

impl Look {
    pub(crate) const ALL: [Self; 5] = [
        Self::Static,
        Self::Kinematic,
        Self::Dynamic,
        Self::Sensor,
        Self::Off,
    ];

    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::Static => "static",
            Self::Kinematic => "kinematic",
            Self::Dynamic => "dynamic",
            Self::Sensor => "sensor",
            Self::Off => "switched off",
        }
    }

    pub(crate) fn of(collider: &Collider, body: Option<&Body>) -> Self {
        if !collider.is_on() {
            return Self::Off;
        }
        if collider.is_sensor() {
            return Self::Sensor;
        }
        match body.map(|body| body.motion) {
            Some(Motion::Dynamic) => Self::Dynamic,
            Some(Motion::Kinematic) => Self::Kinematic,
            Some(Motion::Static) | None => Self::Static,
        }
    }
}

/// The place of the origin from the first one, if it has moved.
fn moved_origin(world: &World) -> Option<[f64; 3]> {
    let origin = world.find_global::<Origin>();
    let moved = origin.filter(|origin| origin.moves() > 0);
    moved.map(|origin| origin.offset().to_array())
}

impl Snapshot {
    pub(crate) fn take(world: &World) -> Result<Self, Failure> {
        let bodies = world.rows::<&Body>();
        let names = world.rows::<&Name>();
        let colliders = world.rows::<(Entity, &Collider, &WorldBox)>();
        let parts = world.global::<Boxes>()?;
        let mut boxes = Vec::new();
        let mut grids = Vec::new();
        for (entity, collider, world_box) in colliders.iter() {
            let look = Look::of(collider, bodies.get(entity));
            let name = names.get(entity);
            let name = name.map(|name| printable(name.as_str()).into_owned());
            let all = match parts.of(entity) {
                // A disabled collider has no active boxes, but is drawn.
                none if none.is_empty() => vec![world_box.aabb()],
                several => several,
            };
            if let Some(grid) = collider.grid() {
                grids.push(DrawnGrid {
                    area: world_box.aabb(),
                    counts: grid.counts(),
                });
            }
            // One label for all boxes of an entity.
            let labels = std::iter::once(name).chain(std::iter::repeat(None));
            boxes.extend(all.into_iter().zip(labels).map(|(aabb, name)| DrawnBox {
                entity,
                name,
                aabb,
                look,
                is_tile: collider.grid().is_some(),
            }));
        }
        let points = world
            .rows_where::<&WorldTransform, Lacking<Collider>>()
            .iter()
            .map(WorldTransform::translation)
            .collect();
        let world_box = |entity| world.get::<WorldBox>(entity).map(|found| found.aabb());
        let mut contacts = Vec::new();
        for contact in world.global::<Contacts>()?.iter() {
            let (first, second) = (world_box(contact.first)?, world_box(contact.second)?);
            // Within the margin of touching, min and max may have changed sides.
            contacts.push(DrawnContact {
                region: Aabb::from_corners(first.min.max(second.min), first.max.min(second.max)),
                normal: contact.normal,
            });
        }
        let placed = world.rows::<(Entity, &WorldTransform)>();
        let links = placed.iter().filter_map(|(child, place)| {
            let above = world.get::<WorldTransform>(world.parent(child)?).ok()?;
            Some([above.translation(), place.translation()])
        });
        let clock = world.global::<Clock>()?;
        Ok(Self {
            frame: clock.frame(),
            seconds: clock.seconds(),
            origin: moved_origin(world),
            boxes,
            points,
            grids,
            contacts,
            links: links.collect(),
            trails: Vec::new(),
        })
    }
}

//! Entities that measure how far something is away.

use crate::collide::{Among, Boxes};
use crate::schedule::{Phase, System};
use crate::space::WorldTransform;
use crate::store::{Entity, Global, Name, Rows};
use glam::Vec3;

/// Measures, after contacts are found, how far the first solid collider is along a way from the entity's place in the world; its
/// own is left out.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::Rangefinder;
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
/// runtime.world_mut().spawn((Transform::at(9.0, 0.0, 0.0), cube, Name::new("crate")));
/// let finder = runtime.world_mut().spawn((Transform::default(), Rangefinder::new(Vec3::X * 50.0)));
/// runtime.run_frames(1)?;
/// let found = runtime.world().get::<Rangefinder>(finder)?;
/// assert_eq!((found.distance, found.found.as_str()), (8.5, "crate"));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(deny_unknown_fields)
)]
pub struct Rangefinder {
    /// The way that is looked along, as long as it is, in metres, in the entity's own space.
    pub along: Vec3,
    /// How far away the first collider is, in metres; as long as the way if there is none.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub distance: f32,
    /// The name of the first collider's entity; empty if there is none, or if it has no name.
    #[cfg_attr(feature = "snapshot", serde(default))]
    pub found: String,
}

impl Rangefinder {
    /// A rangefinder that looks along a way, in metres.
    #[must_use]
    pub fn new(along: Vec3) -> Self {
        Self {
            along,
            distance: 0.0,
            found: String::new(),
        }
    }
}

type Finders<'w> = Rows<'w, (Entity, &'static WorldTransform, &'static mut Rangefinder)>;
type Claims<'w> = (Finders<'w>, Rows<'w, &'static Name>, Global<'w, Boxes>);

pub(super) fn system() -> System {
    System::named("standard: measure ranges")
        .phase(Phase::React)
        .takes::<Claims>()
        .runs(measure)
}

fn measure((mut finders, names, boxes): Claims<'_>) {
    finders.each(|(entity, placed, finder)| {
        let from = placed.translation();
        let way = placed.affine().transform_vector3(finder.along);
        let struck = boxes.cast(from, way, &Among::solids().excluding(entity));
        finder.distance = struck.map_or_else(|| way.length(), |struck| struck.distance);
        let name = struck.and_then(|struck| names.get(struck.entity));
        let name = name.map_or("", Name::as_str);
        if finder.found != name {
            finder.found.clear();
            finder.found.push_str(name);
        }
    });
}

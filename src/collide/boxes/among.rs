//! Whom a question is about.

use super::item::Item;
use crate::collide::layers::{Layer, Layers};
use crate::store::Entity;
use std::fmt;

/// Which colliders a question is about.
///
/// # Example
///
/// ```
/// use gerust::collide::{Among, Boxes};
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let cube = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
/// let me = runtime.world_mut().spawn((Transform::default(), Collider::solid(cube)));
/// let pad = runtime.world_mut().spawn((Transform::default(), Collider::sensor(cube)));
/// runtime.settle()?;
/// let boxes = runtime.world().global::<Boxes>()?;
/// let mut found = Vec::new();
/// boxes.overlaps(&cube, &Among::all(), &mut found);
/// assert_eq!(found, [me, pad]);
/// boxes.overlaps(&cube, &Among::solids(), &mut found);
/// assert_eq!(found, [me]);
/// boxes.overlaps(&cube, &Among::all().excluding(me), &mut found);
/// assert_eq!(found, [pad]);
/// boxes.overlaps(&cube, &Among::all().matching(&|entity| entity == me), &mut found);
/// assert_eq!(found, [me]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy)]
pub struct Among<'p> {
    /// A bit for each layer.
    layers: u32,
    solids_only: bool,
    excluded: Option<Entity>,
    matching: Option<&'p dyn Fn(Entity) -> bool>,
}

impl fmt::Debug for Among<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Among")
            .field("layers", &format_args!("{:#b}", self.layers))
            .field("solids_only", &self.solids_only)
            .field("excluded", &self.excluded)
            .finish_non_exhaustive()
    }
}

impl<'p> Among<'p> {
    /// All colliders that take part.
    #[must_use]
    pub fn all() -> Self {
        Self {
            layers: u32::MAX,
            solids_only: false,
            excluded: None,
            matching: None,
        }
    }

    /// All solid colliders that take part.
    #[must_use]
    pub fn solids() -> Self {
        Self {
            solids_only: true,
            ..Self::all()
        }
    }

    /// Only those in some layers.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{Among, Boxes};
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let truck = runtime.world_mut().global_mut::<Layers>()?.add("truck")?;
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// runtime.world_mut().spawn((Transform::default(), cube.clone()));
    /// let one = runtime.world_mut().spawn((Transform::default(), cube.in_layer(truck)));
    /// runtime.settle()?;
    /// let boxes = runtime.world().global::<Boxes>()?;
    /// let nearest = boxes.nearest(Vec3::ZERO, 10.0, &Among::all().in_layers(&[truck]));
    /// assert_eq!(nearest.map(|found| found.entity), Some(one));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn in_layers(self, layers: &[Layer]) -> Self {
        Self {
            layers: layers.iter().fold(0, |all, layer| all | layer.bit()),
            ..self
        }
    }

    /// Only those whose layer meets a layer: what a collider in that layer would touch.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{Among, Boxes};
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let ghost = runtime.world_mut().global_mut::<Layers>()?.add("ghost")?;
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// runtime.world_mut().spawn((Transform::default(), cube.in_layer(ghost)));
    /// runtime.settle()?;
    /// let boxes = runtime.world().global::<Boxes>()?;
    /// let layers = runtime.world().global::<Layers>()?;
    /// // Ghosts do not meet ghosts.
    /// assert!(boxes.nearest(Vec3::ZERO, 9.0, &Among::all().meeting(&layers, ghost)).is_none());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn meeting(self, layers: &Layers, layer: Layer) -> Self {
        Self {
            layers: layers.met_by(layer),
            ..self
        }
    }

    /// Excludes one entity: usually the one that asks.
    #[must_use]
    pub fn excluding(self, entity: Entity) -> Self {
        Self {
            excluded: Some(entity),
            ..self
        }
    }

    /// Only those for which `matching` returns true.
    #[must_use]
    pub fn matching(self, matching: &'p dyn Fn(Entity) -> bool) -> Self {
        Self {
            matching: Some(matching),
            ..self
        }
    }

    pub(super) fn has(&self, item: &Item) -> bool {
        self.layers & item.layer.bit() != 0
            && !(self.solids_only && item.is_sensor)
            && self.excluded != Some(item.entity)
            && self.matching.is_none_or(|matches| matches(item.entity))
    }
}

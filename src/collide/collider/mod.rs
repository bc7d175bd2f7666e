//! The boxes of an entity.

mod fields;
mod sets;

use super::aabb::Aabb;
use super::layers::Layer;
use super::tiles::TileGrid;
use crate::error::{Error, Kind};
use crate::suggest::suggest;
use sets::{DEFAULT_SET, NamedSet};
use std::ops::Range;
use std::sync::Arc;

pub(super) use sets::OwnBoxes;

/// The boxes of an entity, in the entity's own space.
///
/// The entity's world placement moves, turns and scales them; what takes part in collision are the smallest boxes along the
/// world's axes that enclose them then ([`WorldBox`](crate::WorldBox)), or, if the collider is [upright](Collider::upright), boxes that are moved
/// and scaled but not turned. An entity without a [`Transform`](crate::Transform) takes no part.
///
/// A *solid* collider stops dynamic bodies; a *sensor* only reports contacts.
///
/// A box that is not finite, or whose `min` lies beyond its `max`, ends the frame with an error that names the entity.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let pad = Collider::sensor(Aabb::from_center(Vec3::ZERO, Vec3::new(4.0, 0.1, 1.5)));
/// assert!(pad.is_sensor() && pad.is_on());
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Collider {
    pub(super) boxes: OwnBoxes,
    layer: Layer,
    is_sensor: bool,
    is_on: bool,
    is_upright: bool,
}

impl Collider {
    fn made(boxes: OwnBoxes) -> Self {
        Self {
            boxes,
            layer: Layer::default(),
            is_sensor: false,
            is_on: true,
            is_upright: false,
        }
    }

    /// A collider that stops bodies, in the default layer.
    #[must_use]
    pub fn solid(own_box: Aabb) -> Self {
        Self::made(OwnBoxes::One(own_box))
    }

    /// A collider that only reports contacts, in the default layer.
    #[must_use]
    pub fn sensor(own_box: Aabb) -> Self {
        Self {
            is_sensor: true,
            ..Self::solid(own_box)
        }
    }

    /// A grid of solid tiles, in the default layer. It cannot be dynamic.
    #[must_use]
    pub fn tiles(grid: TileGrid) -> Self {
        Self::made(OwnBoxes::Tiles(Arc::new(grid)))
    }

    /// The same collider with one more box besides those of its default set.
    ///
    /// # Panics
    ///
    /// If it is a grid of tiles.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let bed = Aabb::from_center(Vec3::ZERO, Vec3::new(4.0, 0.5, 1.2));
    /// let cabin = Aabb::from_center(Vec3::new(3.0, 1.2, 0.0), Vec3::new(1.0, 0.8, 1.2));
    /// let truck = Collider::solid(bed).with_box(cabin);
    /// assert_eq!(truck.boxes(), [bed, cabin]);
    /// assert_eq!(truck.own_box().max.y, 2.0);
    /// ```
    #[must_use]
    pub fn with_box(mut self, more: Aabb) -> Self {
        assert!(
            self.grid().is_none(),
            "a grid of tiles has no boxes to add to"
        );
        match &mut self.boxes {
            OwnBoxes::Sets { .. } => self.boxes.sets_mut().default.push(more),
            other => {
                let boxes = other.current().iter().copied().chain([more]);
                *other = OwnBoxes::of(boxes.collect());
            }
        }
        self
    }

    /// The same collider with a named set of boxes to [switch to](Collider::switch_to). A set of the same name is replaced.
    ///
    /// # Panics
    ///
    /// If it is a grid of tiles, or if the name is `default`: that is the name of the boxes it was made with.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let folded = Aabb::from_center(Vec3::Y, Vec3::ONE);
    /// let arm = Aabb::from_corner(Vec3::new(1.0, 1.5, -0.2), Vec3::new(6.0, 0.4, 0.4));
    /// let mut crane = Collider::solid(folded).with_set("reaching", [folded, arm]);
    /// assert_eq!(crane.current_set(), "default");
    /// crane.switch_to("reaching")?;
    /// assert_eq!(crane.boxes().len(), 2);
    /// crane.switch_to("default")?;
    /// assert_eq!(crane.boxes(), [folded]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn with_set(self, name: &str, boxes: impl IntoIterator<Item = Aabb>) -> Self {
        self.with_set_for(name, 0..0, boxes)
    }

    /// The same collider with a set of boxes that is the current one while a range of the pictures of an animation is shown;
    /// see [`Collider::show_picture`]. Where ranges overlap, the set that was added first counts.
    ///
    /// # Panics
    ///
    /// As [`Collider::with_set`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let body = Aabb::from_center(Vec3::ZERO, Vec3::splat(0.2));
    /// let wings = Aabb::from_center(Vec3::ZERO, Vec3::new(0.2, 0.1, 0.7));
    /// let mut gull = Collider::sensor(body).with_set_for("spread", 4..8, [wings]);
    /// for picture in 0..12 {
    ///     gull.show_picture(picture);
    ///     // Other pictures do not change the box.
    ///     assert_eq!(gull.boxes(), if (4..8).contains(&picture) { [wings] } else { [body] });
    /// }
    /// ```
    #[must_use]
    pub fn with_set_for(
        mut self,
        name: &str,
        pictures: Range<u32>,
        boxes: impl IntoIterator<Item = Aabb>,
    ) -> Self {
        assert!(self.grid().is_none(), "a grid of tiles has no sets");
        assert!(
            name != DEFAULT_SET,
            "`{name}` are the boxes it was made with"
        );
        let set = NamedSet {
            name: name.to_owned(),
            boxes: boxes.into_iter().collect(),
            pictures,
        };
        let sets = self.boxes.sets_mut();
        match sets.named.iter_mut().find(|known| known.name == name) {
            Some(known) => *known = set,
            None => sets.named.push(set),
        }
        self
    }

    /// Makes the set of a name the current one; `default` are the boxes it was made with.
    ///
    /// A set that reaches into something solid is noticed in the next [`Move`](crate::Phase::Move): a dynamic body is pushed
    /// out by the shortest free way.
    ///
    /// # Errors
    ///
    /// If there is no set of this name; the message lists the names.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut crane = Collider::solid(Aabb::default()).with_set("folded", []);
    /// let error = crane.switch_to("foldde").unwrap_err();
    /// assert!(error.to_string().contains("`default`, `folded`"));
    /// ```
    pub fn switch_to(&mut self, name: &str) -> Result<(), Error> {
        let known = self.set_names();
        let Some(number) = known.iter().position(|&known| known == name) else {
            return Err(Error::from(Kind::UnknownBoxSet {
                name: name.to_owned(),
                fix: suggest(name, "box sets", known),
            }));
        };
        self.switch_to_number(number);
        Ok(())
    }

    /// Makes the set that belongs to a picture of an animation the current one, or the default if none does.
    pub fn show_picture(&mut self, picture: u32) {
        if let OwnBoxes::Sets { sets, .. } = &self.boxes {
            let shown = |set: &NamedSet| set.pictures.contains(&picture);
            let number = sets.named.iter().position(shown).map_or(0, |at| at + 1);
            self.switch_to_number(number);
        }
    }

    fn switch_to_number(&mut self, number: usize) {
        if let OwnBoxes::Sets { current, .. } = &mut self.boxes {
            *current = number as u32;
        }
    }

    /// The names of all sets, `default` first.
    #[must_use]
    pub fn set_names(&self) -> Vec<&str> {
        let named = match &self.boxes {
            OwnBoxes::Sets { sets, .. } => sets.named.as_slice(),
            _ => &[],
        };
        let named = named.iter().map(|set| set.name.as_str());
        std::iter::once(DEFAULT_SET).chain(named).collect()
    }

    /// The name of the set that counts now.
    #[must_use]
    pub fn current_set(&self) -> &str {
        match &self.boxes {
            OwnBoxes::Sets { sets, current } => match current.checked_sub(1) {
                None => DEFAULT_SET,
                Some(number) => &sets.named[number as usize].name,
            },
            _ => DEFAULT_SET,
        }
    }

    /// The same collider in another layer.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut layers = Layers::default();
    /// let truck = layers.add("truck")?;
    /// assert_eq!(Collider::solid(Aabb::default()).in_layer(truck).layer(), truck);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn in_layer(self, layer: Layer) -> Self {
        Self { layer, ..self }
    }

    /// The same collider with boxes that are not turned with the entity: moved and scaled only.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let beam = Aabb::from_center(Vec3::ZERO, Vec3::new(3.0, 1.0, 1.0));
    /// let turned = Transform::default().rotated(Quat::from_rotation_z(1.0));
    /// let buoy = runtime.world_mut().spawn((turned, Collider::solid(beam).upright()));
    /// runtime.settle()?;
    /// assert_eq!(runtime.world().get::<WorldBox>(buoy)?.aabb(), beam);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn upright(self) -> Self {
        Self {
            is_upright: true,
            ..self
        }
    }

    /// The current boxes, in the entity's own space. None for a grid of tiles.
    #[must_use]
    pub fn boxes(&self) -> &[Aabb] {
        self.boxes.current()
    }

    /// The grid of tiles, if it is one.
    #[must_use]
    pub fn grid(&self) -> Option<&TileGrid> {
        match &self.boxes {
            OwnBoxes::Tiles(grid) => Some(grid),
            _ => None,
        }
    }

    /// The smallest box that holds all current boxes, in the entity's own space; without any, a point at the origin.
    #[must_use]
    pub fn own_box(&self) -> Aabb {
        if let Some(grid) = self.grid() {
            return Aabb::from_corner(glam::Vec3::ZERO, grid.size());
        }
        let boxes = self.boxes().iter().copied();
        boxes
            .reduce(|all, one| all.merged(&one))
            .unwrap_or_default()
    }

    /// Gives the collider one box in place of all that it has, named sets included.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut pallet = Collider::solid(Aabb::default()).with_set("folded", []);
    /// pallet.set_own_box(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// assert_eq!((pallet.own_box().max, pallet.set_names()), (Vec3::ONE, vec!["default"]));
    /// ```
    pub fn set_own_box(&mut self, own_box: Aabb) {
        self.boxes = OwnBoxes::One(own_box);
    }

    /// Gives the default set other boxes; named sets stay, and so does which one counts. A grid of tiles becomes boxes.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let (small, large) = (Aabb::default(), Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// let mut crane = Collider::solid(small).with_set("reaching", [large, large]);
    /// crane.set_boxes([large]);
    /// assert_eq!((crane.boxes(), crane.set_names()), (&[large][..], vec!["default", "reaching"]));
    /// ```
    pub fn set_boxes(&mut self, boxes: impl IntoIterator<Item = Aabb>) {
        let boxes = boxes.into_iter().collect();
        match &mut self.boxes {
            OwnBoxes::Sets { .. } => self.boxes.sets_mut().default = boxes,
            other => *other = OwnBoxes::of(boxes),
        }
    }

    /// Gives the collider a grid of tiles in place of all boxes that it has, named sets included.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::TileGrid;
    /// use gerust::prelude::*;
    ///
    /// let mut yard = Collider::solid(Aabb::default());
    /// yard.set_tiles(TileGrid::new([3, 1, 2], Vec3::ONE)?);
    /// assert_eq!(yard.own_box().max, Vec3::new(3.0, 1.0, 2.0));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_tiles(&mut self, grid: TileGrid) {
        self.boxes = OwnBoxes::Tiles(Arc::new(grid));
    }

    /// The smallest box around the boxes of the default set; around all tiles if it is a grid.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let folded = Aabb::from_center(Vec3::Y, Vec3::ONE);
    /// let arm = Aabb::from_center(Vec3::Y, Vec3::new(5.0, 1.0, 1.0));
    /// let mut crane = Collider::solid(folded).with_set("reaching", [folded, arm]);
    /// crane.switch_to("reaching")?;
    /// assert_eq!((crane.default_box(), crane.own_box()), (folded, arm));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn default_box(&self) -> Aabb {
        let boxes = self.boxes.default_boxes().iter().copied();
        boxes
            .reduce(|all, one| all.merged(&one))
            .unwrap_or_else(|| self.own_box())
    }

    /// The layer.
    #[must_use]
    pub fn layer(&self) -> Layer {
        self.layer
    }

    /// Puts it in another layer.
    pub fn set_layer(&mut self, layer: Layer) {
        self.layer = layer;
    }

    /// Whether it only reports contacts.
    #[must_use]
    pub fn is_sensor(&self) -> bool {
        self.is_sensor
    }

    /// Lets it stop bodies, or only report contacts.
    pub fn set_sensor(&mut self, sensor: bool) {
        self.is_sensor = sensor;
    }

    /// Whether its boxes are not turned with the entity.
    #[must_use]
    pub fn is_upright(&self) -> bool {
        self.is_upright
    }

    /// Lets its boxes stay along the axes when the entity is turned, or grow around them.
    pub fn set_upright(&mut self, upright: bool) {
        self.is_upright = upright;
    }

    /// Whether it takes part at all.
    #[must_use]
    pub fn is_on(&self) -> bool {
        self.is_on
    }

    /// Lets it take part, or not, without losing its settings.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut barrier = Collider::solid(Aabb::default());
    /// barrier.set_on(false);
    /// assert!(!barrier.is_on() && !barrier.is_sensor());
    /// ```
    pub fn set_on(&mut self, on: bool) {
        self.is_on = on;
    }
}

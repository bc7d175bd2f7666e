//! Questions: what is in a box or within a radius, what is nearest, what a ray or a moving box strikes.

use super::item::{Item, Slot};
use super::{Boxes, TREES};
use crate::collide::aabb::Aabb;
use crate::collide::layers::{Layer, Layers};
use crate::store::Entity;
use glam::Vec3;
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
/// boxes.overlaps(&cube, &Among::all().but(me), &mut found);
/// assert_eq!(found, [pad]);
/// boxes.overlaps(&cube, &Among::all().that(&|entity| entity == me), &mut found);
/// assert_eq!(found, [me]);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy)]
pub struct Among<'p> {
    /// A bit for each layer.
    layers: u32,
    solids_only: bool,
    but: Option<Entity>,
    that: Option<&'p dyn Fn(Entity) -> bool>,
}

impl fmt::Debug for Among<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Among")
            .field("layers", &format_args!("{:#b}", self.layers))
            .field("solids_only", &self.solids_only)
            .field("but", &self.but)
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
            but: None,
            that: None,
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

    /// Not this one: the asker itself, as a rule.
    #[must_use]
    pub fn but(self, entity: Entity) -> Self {
        Self {
            but: Some(entity),
            ..self
        }
    }

    /// Only those for which `that` is true.
    #[must_use]
    pub fn that(self, that: &'p dyn Fn(Entity) -> bool) -> Self {
        Self {
            that: Some(that),
            ..self
        }
    }

    fn has(&self, item: &Item) -> bool {
        self.layers & item.layer.bit() != 0
            && !(self.solids_only && item.is_sensor)
            && self.but != Some(item.entity)
            && self.that.is_none_or(|that| that(item.entity))
    }
}

/// A collider and how far it is from what was asked about.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Found {
    /// The collider.
    pub entity: Entity,
    /// How far the nearest point of its boxes is, in metres; 0 inside.
    pub distance: f32,
}

/// A collider that a ray or a moving box strikes.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Struck {
    /// The collider.
    pub entity: Entity,
    /// How far the ray or box has come by then, in metres; 0 if it begins inside.
    pub distance: f32,
    /// Where the ray, or the center of the moving box, is then.
    pub point: Vec3,
    /// The direction in which the struck face looks, as a unit vector; zero if it begins inside.
    pub normal: Vec3,
}

fn nearer(a: &Found, b: &Found) -> std::cmp::Ordering {
    let by_distance = a.distance.total_cmp(&b.distance);
    by_distance.then(a.entity.cmp(&b.entity))
}

fn earlier(a: &Struck, b: &Struck) -> std::cmp::Ordering {
    let by_distance = a.distance.total_cmp(&b.distance);
    by_distance.then(a.entity.cmp(&b.entity))
}

/// How much farther the search for the nearest looks each time that it has found too few.
const WIDENING: f32 = 3.0;

impl Boxes {
    /// Lists the colliders of which a box overlaps a region, by their ids. Faces that only touch do not count.
    /// O(log n + found · log found). What was in the list is cleared.
    ///
    /// See [`Among`] for an example.
    pub fn overlaps(&self, region: &Aabb, among: &Among<'_>, found: &mut Vec<Entity>) {
        found.clear();
        self.each_near(region, among, |slot, item| {
            let mut overlaps = false;
            self.parts_touching(slot, region, |part| overlaps |= part.overlaps(region));
            if overlaps {
                found.push(item.entity);
            }
        });
        found.sort_unstable();
    }

    /// Lists the colliders within a radius of a point, the nearest first, then by id. A box that is exactly as far away as
    /// the radius counts. O(log n + found · log found). What was in the list is cleared.
    ///
    /// See [`Boxes`] for an example.
    pub fn within(&self, center: Vec3, radius: f32, among: &Among<'_>, found: &mut Vec<Found>) {
        found.clear();
        // A box that is as far as the radius along an axis must not be lost to rounding.
        let region = Aabb::from_center(center, Vec3::splat(radius * 1.000_001));
        self.each_near(&region, among, |slot, item| {
            let mut distance = f32::INFINITY;
            self.parts_touching(slot, &region, |part| {
                distance = distance.min(part.nearest_point(center).distance(center));
            });
            if distance <= radius {
                found.push(Found {
                    entity: item.entity,
                    distance,
                });
            }
        });
        found.sort_unstable_by(nearer);
    }

    /// The collider nearest to a point, if there is one no farther than `most` metres; of two that are equally far, the one
    /// with the lesser id. About O(log n) where boxes do not crowd.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{Among, Boxes};
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// let west = runtime.world_mut().spawn((Transform::at(-9.0, 0.0, 0.0), cube.clone()));
    /// let east = runtime.world_mut().spawn((Transform::at(9.0, 0.0, 0.0), cube));
    /// runtime.settle()?;
    /// let boxes = runtime.world().global::<Boxes>()?;
    /// let nearest = boxes.nearest(Vec3::X, 100.0, &Among::all()).expect("there are two");
    /// assert_eq!((nearest.entity, nearest.distance), (east, 7.0));
    /// assert_eq!(boxes.nearest(Vec3::ZERO, 100.0, &Among::all()).map(|found| found.entity), Some(west));
    /// assert_eq!(boxes.nearest(Vec3::ZERO, 7.0, &Among::all()), None);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn nearest(&self, point: Vec3, most: f32, among: &Among<'_>) -> Option<Found> {
        let mut best: Option<Found> = None;
        self.widen(point, most, |radius| {
            let region = Aabb::from_center(point, Vec3::splat(radius * 1.000_001));
            best = None;
            self.each_near(&region, among, |slot, item| {
                self.parts_touching(slot, &region, |part| {
                    let found = Found {
                        entity: item.entity,
                        distance: part.nearest_point(point).distance(point),
                    };
                    let is_better = best.is_none_or(|best| nearer(&found, &best).is_lt());
                    if found.distance <= radius && is_better {
                        best = Some(found);
                    }
                });
            });
            usize::from(best.is_some()) >= 1
        });
        best
    }

    /// Lists the nearest colliders, as many as `count`, none farther than `most` metres, in the order of
    /// [`Boxes::within`]. What was in the list is cleared.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{Among, Boxes};
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// for x in 0..100_u8 {
    ///     let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    ///     runtime.world_mut().spawn((Transform::at(2.0 * f32::from(x), 0.0, 0.0), cube));
    /// }
    /// runtime.settle()?;
    /// let mut found = Vec::new();
    /// let boxes = runtime.world().global::<Boxes>()?;
    /// boxes.nearest_several(Vec3::ZERO, 3, 1000.0, &Among::all(), &mut found);
    /// let distances: Vec<f32> = found.iter().map(|found| found.distance).collect();
    /// assert_eq!(distances, [0.0, 1.5, 3.5]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn nearest_several(
        &self,
        point: Vec3,
        count: usize,
        most: f32,
        among: &Among<'_>,
        found: &mut Vec<Found>,
    ) {
        self.widen(point, most, |radius| {
            self.within(point, radius, among, found);
            found.len() >= count
        });
        found.truncate(count);
    }

    /// Tries larger and larger radii until one suffices or there is no more to find.
    fn widen(&self, point: Vec3, most: f32, mut suffices: impl FnMut(f32) -> bool) {
        let all = (0..TREES).filter_map(|number| self.trees[number].bounds());
        let farthest = all
            .map(|all| {
                let reach = (point - all.min).abs().max((point - all.max).abs());
                if self.is_flat {
                    reach.with_z(0.0)
                } else {
                    reach
                }
                .length()
                    * 1.000_01
            })
            .fold(0.0, f32::max);
        let most = most.min(farthest);
        // About one box is within this radius if they are spread evenly.
        let count = self.len().max(1) as f32;
        let mut radius = (farthest / count.cbrt()).min(most);
        while !suffices(radius) && radius < most {
            radius = (radius * WIDENING).max(f32::MIN_POSITIVE).min(most);
        }
    }

    /// What a ray from a point along a way strikes first; nothing beyond the way's end. Of two that are struck at the same
    /// distance, the one with the lesser id. See [`Boxes`] for an example.
    #[must_use]
    pub fn cast(&self, from: Vec3, way: Vec3, among: &Among<'_>) -> Option<Struck> {
        self.cast_box(
            &Aabb {
                min: from,
                max: from,
            },
            way,
            among,
        )
    }

    /// Lists all that a ray strikes, in the order in which it does. What was in the list is cleared.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{Among, Boxes};
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// for x in [40.0, 20.0, 30.0] {
    ///     let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    ///     runtime.world_mut().spawn((Transform::at(x, 0.0, 0.0), cube));
    /// }
    /// runtime.settle()?;
    /// let mut struck = Vec::new();
    /// runtime.world().global::<Boxes>()?.cast_all(Vec3::ZERO, Vec3::X * 35.0, &Among::all(), &mut struck);
    /// let places: Vec<f32> = struck.iter().map(|struck| struck.point.x).collect();
    /// assert_eq!(places, [19.0, 29.0]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn cast_all(&self, from: Vec3, way: Vec3, among: &Among<'_>, struck: &mut Vec<Struck>) {
        self.cast_box_all(
            &Aabb {
                min: from,
                max: from,
            },
            way,
            among,
            struck,
        );
    }

    /// What a box that moves along a way strikes first: [`Boxes::cast`] for a box.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{Among, Boxes};
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
    /// runtime.world_mut().spawn((Transform::at(10.0, 1.5, 0.0), Collider::solid(cube)));
    /// runtime.settle()?;
    /// let boxes = runtime.world().global::<Boxes>()?;
    /// assert!(boxes.cast(Vec3::ZERO, Vec3::X * 20.0, &Among::all()).is_none(), "a ray passes below");
    /// let struck = boxes.cast_box(&cube, Vec3::X * 20.0, &Among::all()).expect("the box does not");
    /// assert_eq!((struck.distance, struck.point), (8.0, Vec3::X * 8.0));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn cast_box(&self, start: &Aabb, way: Vec3, among: &Among<'_>) -> Option<Struck> {
        let mut first: Option<Struck> = None;
        // A long way is gone in legs: what is struck on one makes all later ones needless.
        for leg in self.legs(start, way) {
            self.each_struck(start, way, &leg, among, |struck| {
                if first.is_none_or(|first| earlier(&struck, &first).is_lt()) {
                    first = Some(struck);
                }
            });
            if first.is_some_and(|first| first.distance <= leg.end) {
                break;
            }
        }
        first
    }

    /// Lists all that a moving box strikes, in the order in which it does. What was in the list is cleared.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{Among, Boxes};
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
    /// runtime.world_mut().spawn((Transform::at(10.0, 1.5, 0.0), Collider::solid(cube)));
    /// runtime.settle()?;
    /// let mut struck = Vec::new();
    /// let boxes = runtime.world().global::<Boxes>()?;
    /// boxes.cast_box_all(&cube, Vec3::X * 20.0, &Among::all(), &mut struck);
    /// assert_eq!(struck[0].normal, Vec3::NEG_X);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn cast_box_all(
        &self,
        start: &Aabb,
        way: Vec3,
        among: &Among<'_>,
        struck: &mut Vec<Struck>,
    ) {
        struck.clear();
        for leg in self.legs(start, way) {
            self.each_struck(start, way, &leg, among, |found| struck.push(found));
        }
        // Somebody may lie along several legs: the first time counts.
        struck.sort_unstable_by(|a, b| a.entity.cmp(&b.entity).then_with(|| earlier(a, b)));
        struck.dedup_by_key(|struck| struck.entity);
        struck.sort_unstable_by(earlier);
    }

    fn each_struck(
        &self,
        start: &Aabb,
        way: Vec3,
        leg: &Leg,
        among: &Among<'_>,
        mut visit: impl FnMut(Struck),
    ) {
        self.each_near(&leg.region, among, |slot, item| {
            let mut first: Option<Struck> = None;
            self.parts_touching(slot, &leg.region, |part| {
                let (share, normal) = match start.overlaps(&part) {
                    true => (0.0, Vec3::ZERO),
                    false => match start.time_of_impact(way, &part) {
                        Some(impact) => (impact.share, impact.normal),
                        None => return,
                    },
                };
                let struck = Struck {
                    entity: item.entity,
                    distance: share * way.length(),
                    point: start.center() + way * share,
                    normal,
                };
                if first.is_none_or(|first| struck.distance < first.distance) {
                    first = Some(struck);
                }
            });
            first.into_iter().for_each(&mut visit);
        });
    }

    /// Cuts the way of a box into legs whose regions are not much larger than what the box sweeps.
    fn legs(&self, start: &Aabb, way: Vec3) -> impl Iterator<Item = Leg> + use<> {
        // Along one axis the region is what is swept; the more a way slants, the more legs.
        let slant = way
            .abs()
            .to_array()
            .into_iter()
            .filter(|&along| along > 0.0);
        let count = match slant.count() {
            0 | 1 => 1.0,
            _ => {
                let size = start.size().max_element().max(way.length() / MOST_LEGS);
                (way.abs().max_element() / size)
                    .ceil()
                    .clamp(1.0, MOST_LEGS)
            }
        };
        let is_flat = self.is_flat;
        let start = *start;
        (0..count as u32).map(move |number| {
            let at = |number: f32| start.moved(way * (number / count));
            // Rounding must not lose what lies between two legs.
            let swept = at(number as f32).merged(&at(number as f32 + 1.0));
            let slack = swept.min.abs().max(swept.max.abs()).max_element() * 1e-6;
            let swept = swept.grown(slack);
            Leg {
                region: if is_flat { super::flat(&swept) } else { swept },
                end: way.length() * ((number as f32 + 1.0) / count),
            }
        })
    }

    /// Calls `visit` with everybody among those that are asked about whose box touches a region.
    fn each_near(&self, region: &Aabb, among: &Among<'_>, mut visit: impl FnMut(Slot, &Item)) {
        for tree in &self.trees {
            tree.touching(region, |slot| {
                let item = &self.items[slot as usize];
                if among.has(item) {
                    visit(slot, item);
                }
            });
        }
    }
}

/// Legs that a slanting way is cut into at most.
const MOST_LEGS: f32 = 32.0;

/// A part of the way of a moving box.
struct Leg {
    /// What the box sweeps on it.
    region: Aabb,
    /// How far the box has come at its end.
    end: f32,
}

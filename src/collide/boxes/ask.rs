//! Questions: what is in a box or within a radius, and what is nearest.

use super::among::Among;
use super::item::{Item, Slot};
use super::{Boxes, TREES};
use crate::collide::aabb::Aabb;
use crate::store::Entity;
use glam::Vec3;

/// A collider and how far it is from what was asked about.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Found {
    /// The collider.
    pub entity: Entity,
    /// How far the nearest point of its boxes is, in metres; 0 inside.
    pub distance: f32,
}

fn nearer(a: &Found, b: &Found) -> std::cmp::Ordering {
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

    /// Calls `visit` with everybody among those that are asked about whose box touches a region.
    pub(super) fn each_near(
        &self,
        region: &Aabb,
        among: &Among<'_>,
        mut visit: impl FnMut(Slot, &Item),
    ) {
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

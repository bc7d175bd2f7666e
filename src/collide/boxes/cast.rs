//! Questions: what a ray or a moving box strikes.

use super::Boxes;
use super::among::Among;
use crate::collide::aabb::Aabb;
use crate::store::Entity;
use glam::Vec3;

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

fn earlier(a: &Struck, b: &Struck) -> std::cmp::Ordering {
    let by_distance = a.distance.total_cmp(&b.distance);
    by_distance.then(a.entity.cmp(&b.entity))
}

impl Boxes {
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

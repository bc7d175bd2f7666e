//! Questions: what a ray or a moving box strikes.

use super::Boxes;
use super::among::Among;
use crate::collide::aabb::Aabb;
use crate::collide::impact::{Beside, Passage};
use crate::store::Entity;
use glam::Vec3;
use smallvec::SmallVec;

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
    /// Returns what a ray from a point along a way strikes first, and `None` if it strikes nothing before the way ends. Of two
    /// that are struck at the same distance, the one with the lesser id. See [`Boxes`] for an example.
    ///
    /// A ray that only grazes a box does not strike it: one that runs in the plane of a face, or touches an edge or a corner in
    /// passing. But a ray that runs between boxes whose faces are flush is struck where they are on all sides of it, so no ray
    /// gets through the seam of two slabs or the corner of four tiles.
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

    /// The first collider that a moving box hits: [`Boxes::cast`] for a box.
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
        let mut passages = Passages::new(start, way);
        // A long way is covered in legs: after a hit on one leg the later legs need no search.
        for leg in self.legs(start, way) {
            self.collect(&leg, among, &mut passages);
            let first = passages.struck().min_by(earlier);
            if first.is_some_and(|first| first.distance <= leg.end) {
                return first;
            }
        }
        passages.struck().min_by(earlier)
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
        let mut passages = Passages::new(start, way);
        for leg in self.legs(start, way) {
            self.collect(&leg, among, &mut passages);
        }
        struck.extend(passages.struck());
        // An entity has several boxes, or lies along several legs: the first time counts.
        struck.sort_unstable_by(|a, b| a.entity.cmp(&b.entity).then_with(|| earlier(a, b)));
        struck.dedup_by_key(|struck| struck.entity);
        struck.sort_unstable_by(earlier);
    }

    /// Adds the boxes that a moving box touches on a leg of its way.
    fn collect(&self, leg: &Leg, among: &Among<'_>, passages: &mut Passages) {
        self.each_near(&leg.region, among, |slot, item| {
            self.parts_touching(slot, &leg.region, |part| passages.add(item.entity, &part));
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

/// The boxes that a moving box touches.
struct Passages {
    start: Aabb,
    way: Vec3,
    /// By axis: the quarters around a ray that lie below it, if the ray does not lead along the axis.
    below: [u8; 3],
    /// The boxes that it goes through.
    through: SmallVec<[(Entity, Passage); 8]>,
    /// Those of which it touches a face, an edge or a corner.
    grazed: SmallVec<[(Entity, Passage); 8]>,
}

/// The quarters around a ray: two sides along each of two axes.
const ALL_QUARTERS: u8 = 0b1111;

impl Passages {
    fn new(start: &Aabb, way: Vec3) -> Self {
        let mut halves = [0b0011, 0b0101].into_iter();
        let below = way.to_array().map(|along| match along == 0.0 {
            true => halves.next().unwrap_or(ALL_QUARTERS),
            false => ALL_QUARTERS,
        });
        Self {
            start: *start,
            way,
            below,
            through: SmallVec::new(),
            grazed: SmallVec::new(),
        }
    }

    fn add(&mut self, entity: Entity, part: &Aabb) {
        if self.start.overlaps(part) {
            return self.through.push((entity, Passage::INSIDE));
        }
        let Some(passage) = Passage::of(&self.start, self.way, part) else {
            return;
        };
        if passage.leave < 0.0 || passage.enter > 1.0 || self.way == Vec3::ZERO {
            return;
        }
        if passage.is_straight() && passage.goes_through() {
            // A box that the ray only leaves is not struck.
            if passage.enter >= 0.0 {
                self.through.push((entity, passage));
            }
            return;
        }
        // A box with a width slides between walls that are exactly as far apart; a ray has no width.
        let size = self.start.size();
        let slides = |axis: usize| passage.beside[axis] != Beside::Both && size[axis] > 0.0;
        if !(0..3).any(slides) && !self.grazed.contains(&(entity, passage)) {
            self.grazed.push((entity, passage));
        }
    }

    /// Everything struck, in no particular order. O(boxes that are touched), and for a ray between flush boxes O(boxes²).
    fn struck(&self) -> impl Iterator<Item = Struck> {
        let through = self.through.iter().map(|&(entity, passage)| {
            self.struck_at(entity, passage.enter, self.normal_of(&passage))
        });
        let between = self.grazed.iter().filter_map(|&(entity, passage)| {
            let moment = self.closed_from(&passage)?;
            let entered = |(_, other): &&(Entity, Passage)| other.enter == moment;
            // Of the boxes around, the one that was entered then has closed the gap.
            let normal = match passage.enter == moment {
                true => self.normal_of(&passage),
                false => match self.grazed.iter().find(entered) {
                    Some((_, other)) => self.normal_of(other),
                    None => Vec3::ZERO,
                },
            };
            Some(self.struck_at(entity, moment, normal))
        });
        through.chain(between)
    }

    fn struck_at(&self, entity: Entity, share: f64, normal: Vec3) -> Struck {
        let way = self.way.as_dvec3();
        Struck {
            entity,
            distance: (share * way.length()) as f32,
            point: (self.start.center().as_dvec3() + way * share).as_vec3(),
            normal,
        }
    }

    /// The normal of the face by which a box is entered.
    fn normal_of(&self, passage: &Passage) -> Vec3 {
        let mut axes = passage.entered;
        if passage.enter == passage.leave {
            // Without thickness it has one face, and its edges are none.
            axes &= passage.left;
        } else if axes.count_ones() > 1 {
            axes = self.bare(passage);
        }
        Passage::normal(axes, self.way)
    }

    /// The axes along which an edge is met whose faces no flush neighbor covers. At a seam that is met at a slant, the inner
    /// face of the box behind it is none: the box in front is left by it at that moment, or is met by the other face alone.
    fn bare(&self, passage: &Passage) -> u8 {
        let moment = passage.enter;
        let met = self.through.iter().map(|(_, other)| other);
        let common = met
            .filter(|other| other.enter == moment && moment < other.leave)
            .fold(passage.entered, |common, other| common & other.entered);
        let left = self.grazed.iter().map(|(_, other)| other);
        let covered = left
            .filter(|other| other.leave == moment)
            .fold(0, |covered, other| covered | other.left);
        let bare = [common & !covered, common, passage.entered & !covered];
        let bare = bare.into_iter().find(|&axes| axes != 0);
        bare.unwrap_or(passage.entered)
    }

    /// When a ray that touches a box begins to have boxes on all sides, while it touches this one.
    fn closed_from(&self, passage: &Passage) -> Option<f64> {
        if self.grazed.len() < 2 || !passage.goes_through() {
            return None;
        }
        let moments = self.grazed.iter().map(|(_, other)| other.enter);
        moments
            .chain([0.0])
            .filter(|moment| (0.0..=1.0).contains(moment))
            .filter(|&moment| passage.is_there_at(moment) && self.is_closed_at(moment))
            .min_by(f64::total_cmp)
    }

    fn is_closed_at(&self, moment: f64) -> bool {
        let there = self.grazed.iter().map(|(_, passage)| passage);
        let there = there.filter(|passage| passage.is_there_at(moment));
        there.fold(0, |closed, passage| closed | self.quarters(passage)) == ALL_QUARTERS
    }

    /// The quarters around a ray that a box takes up: along each axis that it touches from one side only, half of them.
    fn quarters(&self, passage: &Passage) -> u8 {
        let along = passage.beside.iter().zip(self.below);
        along.fold(ALL_QUARTERS, |all, (beside, below)| match beside {
            Beside::Both => all,
            Beside::Below => all & below,
            Beside::Above => all & !below,
            Beside::Neither => 0,
        })
    }
}

//! Why two entities touch, or do not.

use super::aabb::Aabb;
use super::boxes::{Boxes, Dimensions};
use super::collider::Collider;
use super::contacts::{Contact, Contacts};
use super::layers::{Layer, Layers};
use super::world_box::WorldBox;
use crate::error::{Error, Kind};
use crate::space::Transform;
use crate::store::{Entity, World};
use glam::Vec3;
use std::fmt;

/// The names of the axes, as they stand in messages.
const AXES: [&str; 3] = ["x", "y", "z"];

/// Why two entities touch or do not, as of the last [`Touch`](crate::Phase::Touch); see [`World::explain_pair`].
#[derive(Clone, PartialEq, Debug)]
pub struct PairExplanation {
    sides: [PairSide; 2],
    /// Of each, the box that is deepest in, or nearest to, one of the other.
    boxes: Option<[Aabb; 2]>,
    dimensions: Dimensions,
    verdict: PairVerdict,
}

/// One of the two colliders.
#[derive(Clone, PartialEq, Debug)]
pub struct PairSide {
    /// The entity.
    pub entity: Entity,
    /// Its name, or its id.
    pub label: String,
    /// The name of its layer; `None` without a collider.
    pub layer: Option<String>,
    /// Whether it is a sensor.
    pub is_sensor: bool,
    /// Whether it is on.
    pub is_on: bool,
    /// The name of the box set that counts.
    pub set: String,
    /// How many boxes or solid tiles take part.
    pub boxes: usize,
}

/// Whether two entities touch, or the first reason for which they do not.
#[derive(Clone, PartialEq, Debug)]
#[non_exhaustive]
pub enum PairVerdict {
    /// They touch.
    Touches(Contact),
    /// One has no collider.
    NoCollider(Entity),
    /// One has no transform, so it is nowhere.
    NoTransform(Entity),
    /// The collider of one is off.
    Off(Entity),
    /// The current box set of one is empty.
    NoBoxes(Entity),
    /// The boxes of one are not finite, or turned inside out.
    Refused(Entity),
    /// Their layers do not meet.
    LayersApart,
    /// There is a gap between them, widest along an axis (0 for x, 1 for y, 2 for z), in metres.
    Gap {
        /// The axis.
        axis: usize,
        /// How wide it is.
        gap: f32,
    },
    /// Something was changed since contacts were last found.
    Changed,
}

/// The numbers of two boxes along one axis, in metres.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct AxisReport {
    /// `x`, `y` or `z`.
    pub axis: &'static str,
    /// The centers of the two boxes.
    pub centers: [f32; 2],
    /// Half their sizes.
    pub half_extents: [f32; 2],
    /// How far apart the centers are.
    pub distance: f32,
    /// What the half extents add up to.
    pub combined: f32,
    /// How deep the two are in each other; negative is a gap.
    pub depth: f32,
    /// Whether the axis takes part: z does not in a scene of two dimensions.
    pub takes_part: bool,
}

impl PairExplanation {
    /// The two, in the order in which they were asked about.
    #[must_use]
    pub fn sides(&self) -> &[PairSide; 2] {
        &self.sides
    }

    /// Whether they touch, or why not.
    #[must_use]
    pub fn verdict(&self) -> &PairVerdict {
        &self.verdict
    }

    /// The numbers along each axis, of the two boxes that are deepest in each other or nearest to each other; none if one
    /// has no box.
    pub fn axes(&self) -> impl Iterator<Item = AxisReport> {
        let boxes = self.boxes;
        let is_flat = self.dimensions == Dimensions::Two;
        boxes.into_iter().flat_map(move |[a, b]| {
            (0..3).map(move |axis| AxisReport {
                axis: AXES[axis],
                centers: [a.center()[axis], b.center()[axis]],
                half_extents: [a.half_extents()[axis], b.half_extents()[axis]],
                distance: (b.center()[axis] - a.center()[axis]).abs(),
                combined: a.half_extents()[axis] + b.half_extents()[axis],
                depth: a.depth(&b)[axis],
                takes_part: !(is_flat && axis == 2),
            })
        })
    }

    fn label(&self, entity: Entity) -> &str {
        let side = self.sides.iter().find(|side| side.entity == entity);
        side.map_or("", |side| &side.label)
    }
}

impl fmt::Display for PairExplanation {
    /// One sentence: the verdict and the one reason.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let label = |entity: &Entity| self.label(*entity);
        let [one, other] = &self.sides;
        match &self.verdict {
            PairVerdict::Touches(contact) => write!(
                f,
                "they touch, {:.4} m deep along {}",
                contact.depth,
                AXES[contact.normal.abs().max_position()]
            ),
            PairVerdict::NoCollider(entity) => write!(f, "`{}` has no collider", label(entity)),
            PairVerdict::NoTransform(entity) => {
                write!(f, "`{}` has no transform, so it is nowhere", label(entity))
            }
            PairVerdict::Off(entity) => write!(f, "the collider of `{}` is off", label(entity)),
            PairVerdict::NoBoxes(entity) => {
                let side = self.sides.iter().find(|side| side.entity == *entity);
                let set = side.map_or("", |side| &side.set);
                write!(f, "the box set `{set}` of `{}` is empty", label(entity))
            }
            PairVerdict::Refused(entity) => {
                write!(
                    f,
                    "the boxes of `{}` are not finite or turned inside out",
                    label(entity)
                )
            }
            PairVerdict::LayersApart => write!(
                f,
                "layer `{}` does not meet layer `{}`",
                one.layer.as_deref().unwrap_or_default(),
                other.layer.as_deref().unwrap_or_default()
            ),
            PairVerdict::Gap { axis, gap } => {
                write!(f, "there are {gap:.4} m between them along {}", AXES[*axis])
            }
            PairVerdict::Changed => {
                f.write_str("something was changed since contacts were last found")
            }
        }
    }
}

impl World {
    /// Explains why two entities touch or do not, as of the last [`Touch`](crate::Phase::Touch): the numbers along each axis,
    /// layers, kinds, and the one reason. O(boxes of the two).
    ///
    /// # Errors
    ///
    /// If one of the two is no longer alive, if they are the same, or if a global that collision needs is gone.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// let truck = runtime.world_mut().spawn((Name::new("truck"), Transform::default(), cube.clone()));
    /// let gate = runtime.world_mut().spawn((Name::new("gate"), Transform::at(2.5, 0.5, 0.0), cube));
    /// runtime.settle()?;
    /// let explained = runtime.world().explain_pair(truck, gate)?;
    /// assert_eq!(explained.to_string(), "there are 0.5000 m between them along x");
    /// let x = explained.axes().next().expect("both have boxes");
    /// assert_eq!((x.distance, x.combined, x.depth), (2.5, 2.0, -0.5));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn explain_pair(&self, a: Entity, b: Entity) -> Result<PairExplanation, Error> {
        if a == b {
            return Err(Error::from(Kind::SamePair {
                entity: a,
                label: self.label(a),
            }));
        }
        let boxes = self.global::<Boxes>()?;
        let layers = self.global::<Layers>()?;
        let dimensions = *self.global::<Dimensions>()?;
        let counts = [a, b].map(|entity| boxes.part_count(entity));
        let sides = [a, b].map(|entity| {
            if !self.contains(entity) {
                return Err(Error::from(Kind::StaleEntity {
                    entity,
                    verb: "explained",
                }));
            }
            let collider = self.collider(entity);
            Ok(PairSide {
                entity,
                label: self.label(entity),
                layer: collider
                    .as_ref()
                    .and_then(|own| layers.name(own.layer()).map(str::to_owned)),
                is_sensor: collider.as_ref().is_some_and(Collider::is_sensor),
                is_on: collider.as_ref().is_some_and(Collider::is_on),
                set: collider
                    .as_ref()
                    .map_or_else(String::new, |own| own.current_set().to_owned()),
                boxes: counts[usize::from(entity == b)],
            })
        });
        let [one, other] = sides;
        let nearest = self.nearest_parts([a, b], counts, dimensions)?;
        let verdict = match self.global::<Contacts>()?.between(a, b) {
            Some(contact) => PairVerdict::Touches(*contact),
            None => self.why_apart([a, b], counts, nearest, &layers, dimensions),
        };
        Ok(PairExplanation {
            sides: [one?, other?],
            boxes: nearest,
            dimensions,
            verdict,
        })
    }

    /// The box around all boxes of an entity, if it makes sense.
    fn last_box(&self, entity: Entity) -> Vec<Aabb> {
        let known = self.has::<Collider>(entity) && self.has::<Transform>(entity);
        let aabb = known.then(|| self.get::<WorldBox>(entity).ok().map(|held| held.aabb()));
        aabb.flatten().filter(Aabb::is_valid).into_iter().collect()
    }

    /// Of two entities the two boxes that are deepest in each other, or nearest to each other. Of the one with fewer boxes all are
    /// gone through; of the other only those that are near.
    fn nearest_parts(
        &self,
        entities: [Entity; 2],
        counts: [usize; 2],
        dimensions: Dimensions,
    ) -> Result<Option<[Aabb; 2]>, Error> {
        let boxes = self.global::<Boxes>()?;
        let fewer = usize::from(counts[1] < counts[0]);
        let more = 1 - fewer;
        // A disabled collider has no active boxes, but its boxes can still be computed.
        let all = match counts[fewer] {
            0 => self.last_box(entities[fewer]),
            _ => boxes.of(entities[fewer]),
        };
        let pairs = all.into_iter().flat_map(|own| {
            let near = match counts[more] {
                0 => self.last_box(entities[more]),
                _ => boxes.parts_near(entities[more], &own),
            };
            near.into_iter().map(move |other| match fewer {
                0 => [own, other],
                _ => [other, own],
            })
        });
        let apart = |pair: &[Aabb; 2]| gaps(pair, dimensions).max_element();
        Ok(pairs.min_by(|a, b| apart(a).total_cmp(&apart(b))))
    }

    fn collider(&self, entity: Entity) -> Option<Collider> {
        let has = self.has::<Collider>(entity);
        has.then(|| self.get::<Collider>(entity).ok().map(|held| held.clone()))
            .flatten()
    }

    fn why_apart(
        &self,
        entities: [Entity; 2],
        counts: [usize; 2],
        nearest: Option<[Aabb; 2]>,
        layers: &Layers,
        dimensions: Dimensions,
    ) -> PairVerdict {
        let mut met: [Layer; 2] = Default::default();
        for (number, entity) in entities.into_iter().enumerate() {
            let Some(collider) = self.collider(entity) else {
                return PairVerdict::NoCollider(entity);
            };
            met[number] = collider.layer();
            if !self.has::<Transform>(entity) {
                return PairVerdict::NoTransform(entity);
            }
            if !collider.is_on() {
                return PairVerdict::Off(entity);
            }
            if collider.grid().is_none() && collider.boxes().is_empty() {
                return PairVerdict::NoBoxes(entity);
            }
            if counts[number] == 0 {
                return PairVerdict::Refused(entity);
            }
        }
        if !layers.do_meet(met[0], met[1]) {
            return PairVerdict::LayersApart;
        }
        let gaps = nearest.map(|boxes| gaps(&boxes, dimensions));
        match gaps.map(|gaps| (gaps.max_position(), gaps.max_element())) {
            Some((axis, gap)) if gap > 0.0 => PairVerdict::Gap { axis, gap },
            _ => PairVerdict::Changed,
        }
    }
}

/// How far apart two boxes are along each axis; negative where they are in each other.
fn gaps([a, b]: &[Aabb; 2], dimensions: Dimensions) -> Vec3 {
    let gaps = -a.depth(b);
    match dimensions {
        Dimensions::Two => gaps.with_z(f32::NEG_INFINITY),
        Dimensions::Three => gaps,
    }
}

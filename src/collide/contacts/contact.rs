//! A contact, and how two boxes come to one.

use crate::collide::aabb::Aabb;
use crate::collide::body::Motion;
use crate::collide::boxes::{Boxes, Compound, Slot};
use crate::collide::placed::{ENDLESS, ROUNDING};
use crate::collide::positive;
use crate::store::Entity;
use glam::Vec3;

/// Two colliders that touch, or have just ceased to.
///
/// Posted as an event in phase [`Touch`](crate::Phase::Touch) when it begins and when it ends, and, if
/// [`Contacts::set_held_events`](crate::Contacts::set_held_events) says so, in each frame in between. While it lasts it is listed in
/// [`Contacts`](crate::Contacts).
///
/// Two that met and parted within one frame, because one bounced off or passed, are posted as begun and as ended in that
/// frame. They are not listed.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Alarm(u32);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Alarm(0));
/// runtime.add_system(
///     System::named("sound alarm")
///         .phase(Phase::React)
///         .takes::<(Inbox<Contact>, GlobalMut<Alarm>)>()
///         .runs(|(mut contacts, mut alarm)| {
///             for contact in contacts.take_unread() {
///                 if contact.state == ContactState::Began {
///                     alarm.0 += 1;
///                 }
///             }
///         }),
/// )?;
/// let cube = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
/// runtime.world_mut().spawn((Transform::default(), Collider::sensor(cube)));
/// runtime.world_mut().spawn((Transform::at(1.5, 0.0, 0.0), Collider::solid(cube)));
/// runtime.run_frames(3)?;
/// assert_eq!(runtime.world().global::<Alarm>()?.0, 1);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Contact {
    /// The collider with the lesser id.
    pub first: Entity,
    /// The collider with the greater id.
    pub second: Entity,
    /// Whether the contact began in this frame, is held, or has ended.
    pub state: ContactState,
    /// The axis along which the two are least deep in each other, as a unit vector from the first towards the second. Of
    /// colliders with several boxes, those two count that are deepest in each other.
    pub normal: Vec3,
    /// How deep they are in each other along the normal, in metres; 0 where the faces only touch.
    pub depth: f32,
    /// Whether at least one of the two is a sensor.
    pub is_sensor: bool,
    /// Whether motion should have parted the two and could not: both are solid, at least one is dynamic, and they are deeper
    /// in each other than the margin of [`Contacts`](crate::Contacts).
    pub is_leftover: bool,
    /// The frame in which the contact began.
    pub since: u64,
    /// The impulse along the normal that the two exchanged in the last frame, in newton seconds: what a hit, or the weight of
    /// what rests, comes to. 0 where they only lie beside each other; infinite for a body of infinite mass.
    pub impulse: f32,
    /// The speed in m/s along the normal with which they came together in the last frame; 0 for what rests.
    pub approach: f32,
}

#[cfg(feature = "snapshot")]
impl crate::store::SameBits for Contact {
    #[inline]
    fn has_same_bits(&self, other: &Self) -> bool {
        let &Self {
            first,
            second,
            state,
            normal,
            depth,
            is_sensor,
            is_leftover,
            since,
            impulse,
            approach,
        } = self;
        let numbers = [normal.x, normal.y, normal.z, depth, impulse, approach];
        let others = [
            other.normal.x,
            other.normal.y,
            other.normal.z,
            other.depth,
            other.impulse,
            other.approach,
        ];
        numbers.has_same_bits(&others)
            && first.has_same_bits(&other.first)
            && second.has_same_bits(&other.second)
            && (state, is_sensor, is_leftover, since)
                == (other.state, other.is_sensor, other.is_leftover, other.since)
    }
}

/// How far a contact has come.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub enum ContactState {
    /// It was not there in the frame before.
    Began,
    /// It was there in the frame before, too.
    Held,
    /// It was there in the frame before and is no more, because the two have parted, or one has gone or is switched off.
    Ended,
}

impl Contact {
    /// Its colliders, by which contacts are ordered.
    #[inline]
    pub(super) fn pair(&self) -> (Entity, Entity) {
        (self.first, self.second)
    }

    pub(super) fn ended(self) -> Self {
        Self {
            state: ContactState::Ended,
            ..self
        }
    }

    /// The contact of two items whose boxes touch; `None` if that goes for the boxes around them only.
    #[inline]
    pub(super) fn between(
        boxes: &Boxes,
        (first, second): (Slot, Slot),
        margin: f32,
        frame: u64,
    ) -> Option<Self> {
        let (a, b) = (boxes.item(first), boxes.item(second));
        let (own, other) = match a.is_compound || b.is_compound {
            false => (a.aabb, b.aabb),
            true => deepest_parts(boxes, (first, second), margin)?,
        };
        let depth = own.depth(&other);
        let axis = least_axis(depth);
        let towards = other.center()[axis] - own.center()[axis];
        let is_sensor = a.is_sensor || b.is_sensor;
        let is_dynamic = a.motion == Motion::Dynamic || b.motion == Motion::Dynamic;
        Some(Self {
            first: a.entity,
            second: b.entity,
            state: ContactState::Began,
            normal: Vec3::AXES[axis] * 1.0_f32.copysign(towards),
            depth: positive(depth[axis]),
            is_sensor,
            is_leftover: !is_sensor && is_dynamic && depth[axis] > margin,
            since: frame,
            impulse: 0.0,
            approach: 0.0,
        })
    }
}

/// How far apart two boxes may be and still touch.
#[inline]
pub(super) fn margin_of(a: &Aabb, b: &Aabb, margin: f32) -> f32 {
    margin_for(a, margin).max(margin_for(b, margin))
}

/// The margin of the world, or, far from the origin, a few steps of the coarsest number of a box: a box that was moved up to
/// another one is no further from it than rounding goes.
#[inline]
pub(super) fn margin_for(aabb: &Aabb, margin: f32) -> f32 {
    let far = aabb.min.abs().max(aabb.max.abs());
    // Along z, boxes of two dimensions reach without end.
    let along_z = if far.z < ENDLESS { far.z } else { 0.0 };
    margin.max(far.x.max(far.y).max(along_z) * ROUNDING)
}

/// The two boxes of two colliders that touch and are deepest in each other.
fn deepest_parts(
    boxes: &Boxes,
    (first, second): (Slot, Slot),
    margin: f32,
) -> Option<(Aabb, Aabb)> {
    let shared = {
        let around = boxes.item(second).aabb.grown(margin);
        boxes.item(first).aabb.clipped(&around)?
    };
    let mut best: Option<(f32, Aabb, Aabb)> = None;
    boxes.parts_touching(first, &shared, |own| {
        boxes.parts_touching(second, &own.grown(margin), |other| {
            let depth = own.depth(&other).min_element();
            if best.is_none_or(|(deepest, ..)| depth > deepest) {
                best = Some((depth, own, other));
            }
        });
    });
    best.map(|(_, own, other)| (own, other))
}

/// The axis of the least component; y before x before z where two are equal, so that a box that stands exactly on the
/// edge of another counts as standing on it.
pub(in crate::collide) fn least_axis(depth: Vec3) -> usize {
    let (x, y, z) = (0, 1, 2);
    [y, x, z]
        .into_iter()
        .min_by(|&a, &b| depth[a].total_cmp(&depth[b]))
        .expect("there are three axes")
}

/// Whether a collider consists of a grid of tiles.
pub(in crate::collide) fn is_grid(boxes: &Boxes, slot: Slot) -> bool {
    matches!(boxes.compound(slot), Some(Compound::Tiles(..)))
}

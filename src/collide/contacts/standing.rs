//! Contacts as seen from one of the two: what touches it, and what it stands on.

use super::{Contact, ContactState, Contacts};
use crate::store::Entity;
use glam::Vec3;

/// A contact as seen from one of the two; see [`Contacts::of`].
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Touching {
    /// What touches.
    pub other: Entity,
    /// On which side: the unit vector along an axis that points at the other.
    pub side: Vec3,
    /// How deep the two are in each other along that axis, in metres.
    pub depth: f32,
    /// Whether it began in this frame or is held.
    pub state: ContactState,
    /// The frame in which it began.
    pub since: u64,
    /// Whether at least one of the two is a sensor.
    pub is_sensor: bool,
}

/// The carrier of an entity; see [`Contacts::stands_on`].
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Standing {
    /// The entity that carries it.
    pub carrier: Entity,
    /// The direction in which the face looks that carries it, against gravity along an axis, as a unit vector.
    pub face: Vec3,
    /// The frame since which the two touch.
    pub since: u64,
}

/// The least share of gravity along an axis for faces across it to carry.
pub(in crate::collide) const LEAST_SHARE_DOWN: f32 = 0.5;

impl Contacts {
    /// What touches an entity: on which side, how deep and since when, in the order of the ids. O(log contacts + found).
    /// The first question costs O(contacts · log contacts), and from then on each frame in which contacts begin or end does.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// let west = runtime.world_mut().spawn((Transform::at(-2.0, 0.0, 0.0), cube.clone()));
    /// let middle = runtime.world_mut().spawn((Transform::default(), cube.clone()));
    /// let above = runtime.world_mut().spawn((Transform::at(0.5, 1.75, 0.0), cube));
    /// runtime.settle()?;
    /// let contacts = runtime.world().global::<Contacts>()?;
    /// let seen: Vec<_> = contacts.of(middle).map(|touching| (touching.other, touching.side, touching.depth)).collect();
    /// assert_eq!(seen, [(west, Vec3::NEG_X, 0.0), (above, Vec3::Y, 0.25)]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn of(&self, entity: Entity) -> impl Iterator<Item = Touching> {
        let contacts = &self.current.contacts;
        // Partners with lesser ids come first: they are the first of their contacts.
        let by_second = self.by_second();
        let start = by_second.partition_point(|&at| contacts[at as usize].second < entity);
        let before = by_second[start..]
            .iter()
            .map(|&at| &contacts[at as usize])
            .take_while(move |contact| contact.second == entity);
        let start = contacts.partition_point(|contact| contact.first < entity);
        let behind = contacts[start..]
            .iter()
            .take_while(move |contact| contact.first == entity);
        before
            .chain(behind)
            .map(move |contact| touching(contact, entity))
    }

    fn by_second(&self) -> &[u32] {
        self.by_second.get_or_init(|| {
            let mut places = Vec::new();
            self.current.list_by_second(&mut places);
            places
        })
    }

    /// What carries an entity: a solid that touches it on the side to which gravity points most; of several, the one with the
    /// least id. `None` without gravity.
    ///
    /// # Example
    ///
    /// A pallet on the weigh pad weighs it down:
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let slab = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::new(5.0, 0.1, 5.0)));
    /// let pad = runtime.world_mut().spawn((Transform::default(), slab));
    /// let pallet = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
    /// let pallet = runtime.world_mut().spawn((Transform::at(0.0, 0.6, 0.0), pallet, Body::dynamic()));
    /// runtime.run_frames(60)?;
    /// let contacts = runtime.world().global::<Contacts>()?;
    /// let standing = contacts.stands_on(pallet).expect("it has fallen");
    /// assert_eq!((standing.carrier, standing.face), (pad, Vec3::Y));
    /// assert_eq!(contacts.standing_on(pad).collect::<Vec<_>>(), [pallet]);
    /// assert_eq!(contacts.stands_on(pad), None);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn stands_on(&self, entity: Entity) -> Option<Standing> {
        self.of(entity)
            .find(|touching| self.is_below(touching))
            .map(|touching| Standing {
                carrier: touching.other,
                face: -touching.side,
                since: touching.since,
            })
    }

    /// Who stands on an entity, in the order of the ids.
    ///
    /// See [`Contacts::stands_on`] for an example.
    pub fn standing_on(&self, carrier: Entity) -> impl Iterator<Item = Entity> {
        self.of(carrier)
            .filter(|touching| {
                self.is_below(&Touching {
                    side: -touching.side,
                    ..*touching
                })
            })
            .map(|touching| touching.other)
    }

    fn is_below(&self, touching: &Touching) -> bool {
        !touching.is_sensor && touching.side.dot(self.down) > LEAST_SHARE_DOWN
    }
}

fn touching(contact: &Contact, entity: Entity) -> Touching {
    let is_first = contact.first == entity;
    Touching {
        other: if is_first {
            contact.second
        } else {
            contact.first
        },
        side: if is_first {
            contact.normal
        } else {
            -contact.normal
        },
        depth: contact.depth,
        state: contact.state,
        since: contact.since,
        is_sensor: contact.is_sensor,
    }
}

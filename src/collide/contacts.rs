//! Contacts: what touches what, and since when.

use super::boxes::{BoxEntry, Boxes};
use super::layers::Layers;
use crate::schedule::{Clock, Phase, System};
use crate::store::{Entity, Global, GlobalMut, Outbox};
use glam::Vec3;

/// Two colliders that touch, or have just ceased to.
///
/// Posted as an event in phase [`Touch`](crate::Phase::Touch), one for each pair and frame, and listed in [`Contacts`].
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
///             for contact in contacts.unread() {
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
pub struct Contact {
    /// The collider with the lesser id.
    pub first: Entity,
    /// The collider with the greater id.
    pub second: Entity,
    /// Whether the contact began in this frame, goes on, or has ended.
    pub state: ContactState,
    /// The axis along which the two are least deep in each other, as a unit vector from the first towards the second.
    pub normal: Vec3,
    /// How deep they are in each other along the normal, in metres; 0 where the faces only touch.
    pub depth: f32,
    /// Whether at least one of the two is a sensor.
    pub is_sensor: bool,
    /// The frame in which the contact began.
    pub since: u64,
}

/// How far a contact has come.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum ContactState {
    /// It was not there in the frame before.
    Began,
    /// It was there in the frame before, too.
    Held,
    /// It was there in the frame before and is no more, because the two have parted, or one has gone or is switched off.
    Ended,
}

/// All contacts of the last frame, in the order of their ids: a global of every runtime.
///
/// Boxes count as touching when they are no further apart than the *margin*, 1 mm unless set: so a body at rest on the
/// ground keeps its contact although it does not overlap the ground.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
/// let a = runtime.world_mut().spawn((Transform::default(), cube));
/// let b = runtime.world_mut().spawn((Transform::at(0.0, 2.0, 0.0), cube));
/// runtime.run_frames(1)?;
/// let contacts = runtime.world().global::<Contacts>()?;
/// let contact = contacts.between(b, a).expect("their faces touch");
/// assert_eq!((contact.normal, contact.depth), (Vec3::Y, 0.0));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Debug)]
pub struct Contacts {
    /// By (first, second); ended contacts are not kept.
    current: Vec<Contact>,
    previous: Vec<Contact>,
    margin: f32,
}

impl Default for Contacts {
    fn default() -> Self {
        Self {
            current: Vec::new(),
            previous: Vec::new(),
            margin: 0.001,
        }
    }
}

impl Contacts {
    /// All contacts, ordered by the ids of their colliders.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = &Contact> {
        self.current.iter()
    }

    /// The contact between two colliders, in whichever order. O(log contacts).
    #[must_use]
    pub fn between(&self, a: Entity, b: Entity) -> Option<&Contact> {
        let wanted = (a.min(b), a.max(b));
        self.current
            .binary_search_by(|contact| (contact.first, contact.second).cmp(&wanted))
            .ok()
            .map(|position| &self.current[position])
    }

    /// Sets how far apart boxes may be and still touch, in metres.
    pub fn set_margin(&mut self, metres: f32) {
        self.margin = metres.max(0.0);
    }

    /// Takes in the pairs of a frame and hands every change on.
    fn update(
        &mut self,
        frame: u64,
        boxes: &Boxes,
        layers: &Layers,
        mut tell: impl FnMut(Contact),
    ) {
        std::mem::swap(&mut self.current, &mut self.previous);
        self.current.clear();
        let current = &mut self.current;
        boxes.pairs(layers, self.margin, |a, b| {
            current.push(contact(a, b, frame))
        });
        current.sort_unstable_by_key(|contact| (contact.first, contact.second));
        let mut before = self.previous.iter().peekable();
        for contact in current {
            let pair = (contact.first, contact.second);
            while let Some(old) = before.next_if(|old| (old.first, old.second) < pair) {
                tell(ended(old));
            }
            if let Some(old) = before.next_if(|old| (old.first, old.second) == pair) {
                contact.state = ContactState::Held;
                contact.since = old.since;
            }
            tell(*contact);
        }
        before.map(ended).for_each(tell);
    }
}

fn ended(contact: &Contact) -> Contact {
    Contact {
        state: ContactState::Ended,
        ..*contact
    }
}

fn contact(a: &BoxEntry, b: &BoxEntry, frame: u64) -> Contact {
    let (first, second) = if a.entity < b.entity { (a, b) } else { (b, a) };
    let depth = first.aabb.depth(&second.aabb);
    let axis = least_axis(depth);
    let towards = second.aabb.center()[axis] - first.aabb.center()[axis];
    Contact {
        first: first.entity,
        second: second.entity,
        state: ContactState::Began,
        normal: Vec3::AXES[axis] * 1.0_f32.copysign(towards),
        depth: depth[axis].max(0.0),
        is_sensor: first.is_sensor || second.is_sensor,
        since: frame,
    }
}

/// The axis of the least component; y before x before z where two are equal, so that a box that stands exactly on the
/// edge of another counts as standing on it.
pub(super) fn least_axis(depth: Vec3) -> usize {
    let (x, y, z) = (0, 1, 2);
    [y, x, z]
        .into_iter()
        .min_by(|&a, &b| depth[a].total_cmp(&depth[b]))
        .expect("there are three axes")
}

/// The system that finds all contacts and posts them.
pub(super) fn system() -> System {
    System::named("touch: contacts")
        .phase(Phase::Touch)
        .after("touch: boxes")
        .takes::<(
            Boxes,
            Global<Layers>,
            GlobalMut<Contacts>,
            Global<Clock>,
            Outbox<Contact>,
        )>()
        .runs(|(boxes, layers, mut contacts, clock, mut outbox)| {
            contacts.update(clock.frame(), &boxes, &layers, |contact| {
                outbox.post(contact)
            });
        })
}

//! Contacts: what touches what, and since when.

mod contact;
mod find;
mod standing;

use super::boxes::{Boxes, Slot};
use super::layers::Layers;
use super::{Gravity, boxes};
use crate::schedule::{Clock, Phase, System};
use crate::store::{Entity, Global, GlobalMut, Outbox};
use find::Pair;
use glam::Vec3;
use std::sync::OnceLock;

pub use contact::{Contact, ContactState};
pub use standing::{Standing, Touching};

pub(super) use contact::{is_grid, least_axis};

/// All contacts of the last frame, in the order of their ids: a global of every runtime.
///
/// Boxes count as touching when they are no further apart than the *margin*, 1 mm unless set: so a body at rest on the
/// ground keeps its contact although it does not overlap the ground. Beyond 2 km from the origin, where 1 mm is less than
/// four steps of the numbers, the margin is four steps.
///
/// What has not changed is not looked for again: a frame in which little moves costs little.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
/// let a = runtime.world_mut().spawn((Transform::default(), cube.clone()));
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
    /// Beside `current`: where the two are in the list of boxes.
    slots: Vec<(Slot, Slot)>,
    previous: Vec<Contact>,
    previous_slots: Vec<(Slot, Slot)>,
    /// Pairs that were found in this frame.
    pairs: Vec<Pair>,
    margin: f32,
    posts_held: bool,
    /// The layers and the margin with which contacts were last found.
    found_with: Option<(Layers, f32)>,
    /// The direction of gravity, or zero.
    down: Vec3,
    /// Places in `current` by (second, first), made when it is first asked for.
    by_second: OnceLock<Vec<u32>>,
}

impl Default for Contacts {
    fn default() -> Self {
        Self {
            current: Vec::new(),
            slots: Vec::new(),
            previous: Vec::new(),
            previous_slots: Vec::new(),
            pairs: Vec::new(),
            margin: 0.001,
            posts_held: true,
            found_with: None,
            down: Vec3::ZERO,
            by_second: OnceLock::new(),
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

    /// What motion should have parted and could not, in the order of the ids: pairs of solids, one of them dynamic, that are
    /// deeper in each other than the margin. Crowds leave some behind, and so does a body between two walls that close.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let world = runtime.world_mut();
    /// let walls = [-0.8, 0.8].map(|x| {
    ///     let wall = Aabb::from_center(Vec3::ZERO, Vec3::new(0.5, 9.0, 9.0));
    ///     world.spawn((Transform::at(x, 0.0, 0.0), Collider::solid(wall)))
    /// });
    /// let (lid, floor) = (9.0, -9.0);
    /// for y in [lid, floor] {
    ///     let slab = Aabb::from_center(Vec3::Y * y, Vec3::new(9.0, 8.5, 9.0));
    ///     world.spawn((Transform::default(), Collider::solid(slab)));
    /// }
    /// for z in [-9.0, 9.0] {
    ///     let slab = Aabb::from_center(Vec3::Z * z, Vec3::new(9.0, 9.0, 8.5));
    ///     world.spawn((Transform::default(), Collider::solid(slab)));
    /// }
    /// // A crate of 1 m in a gap of 0.6 m, with no way out.
    /// let crate_ = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    /// let squeezed = world.spawn((Transform::default(), crate_, Body::dynamic()));
    /// runtime.run_frames(1)?;
    /// let contacts = runtime.world().global::<Contacts>()?;
    /// let left: Vec<Entity> = contacts.leftovers().map(|contact| contact.first).collect();
    /// assert_eq!(left, walls);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn leftovers(&self) -> impl Iterator<Item = &Contact> {
        self.iter().filter(|contact| contact.is_leftover)
    }

    /// Sets how far apart boxes may be and still touch, in metres.
    pub fn set_margin(&mut self, metres: f32) {
        self.margin = metres.max(0.0);
    }

    /// Sets whether contacts that go on are posted as events in each frame; they are unless set. They are in this list in any
    /// case, and where a hundred thousand boxes lie around, posting them costs more than finding them.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().global_mut::<Contacts>()?.post_held(false);
    /// for _ in 0..2 {
    ///     runtime.world_mut().spawn((Transform::default(), Collider::sensor(Aabb::default())));
    /// }
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().posted::<Contact>().len(), 1);
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().posted::<Contact>().len(), 0);
    /// assert_eq!(runtime.world().global::<Contacts>()?.iter().len(), 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn post_held(&mut self, post: bool) {
        self.posts_held = post;
    }
}

/// The system that finds all contacts and posts them.
pub(super) fn system() -> System {
    System::named("touch: contacts")
        .phase(Phase::Touch)
        .after("touch: boxes")
        .takes::<(
            GlobalMut<boxes::Boxes>,
            Global<Layers>,
            Global<Gravity>,
            GlobalMut<Contacts>,
            Global<Clock>,
            Outbox<Contact>,
        )>()
        .runs(
            |(mut boxes, layers, gravity, mut contacts, clock, mut outbox)| {
                let contacts = &mut *contacts;
                contacts.down = gravity.0.normalize_or_zero();
                contacts.by_second.take();
                let posts_held = contacts.posts_held;
                contacts.update(&mut boxes, &layers, clock.frame(), |contact| {
                    if posts_held || contact.state != ContactState::Held {
                        outbox.post(contact);
                    }
                });
            },
        )
}

/// What is found stays in the list of boxes by slots, so whoever finds has to have both.
impl Contacts {
    fn update(
        &mut self,
        boxes: &mut Boxes,
        layers: &Layers,
        frame: u64,
        tell: impl FnMut(Contact),
    ) {
        let knows = |(known, margin): &(Layers, f32)| known == layers && *margin == self.margin;
        if !self.found_with.as_ref().is_some_and(knows) {
            find::mark_all(boxes, |_| true);
            self.found_with = Some((layers.clone(), self.margin));
        }
        find::pairs(boxes, layers, self.margin, &mut self.pairs);
        self.take_in(boxes, frame, tell);
        boxes.forget_changed();
    }

    /// Merges the pairs that were found with the contacts of the frame before.
    fn take_in(&mut self, boxes: &mut Boxes, frame: u64, mut tell: impl FnMut(Contact)) {
        std::mem::swap(&mut self.current, &mut self.previous);
        std::mem::swap(&mut self.slots, &mut self.previous_slots);
        self.current.clear();
        self.slots.clear();
        let mut keep = |contact: Contact, slots: (Slot, Slot)| {
            self.current.push(contact);
            self.slots.push(slots);
        };
        let mut found = self
            .pairs
            .iter()
            .filter_map(|pair| {
                let contact = Contact::between(boxes, pair.slots, pair.margin, frame)?;
                Some((contact, pair.slots))
            })
            .peekable();
        let key = |contact: &Contact| (contact.first, contact.second);
        for (old, &slots) in self.previous.iter().zip(&self.previous_slots) {
            while let Some((new, slots)) = found.next_if(|(new, _)| key(new) < key(old)) {
                tell(new);
                keep(new, slots);
            }
            let held = match boxes.has_changed(slots.0) || boxes.has_changed(slots.1) {
                false => Some((*old, slots)),
                true => found.next_if(|(new, _)| key(new) == key(old)),
            };
            match held {
                Some((new, slots)) => {
                    let held = Contact {
                        state: ContactState::Held,
                        since: old.since,
                        ..new
                    };
                    tell(held);
                    keep(held, slots);
                }
                None => tell(old.ended()),
            }
        }
        for (new, slots) in found {
            tell(new);
            keep(new, slots);
        }
    }
}

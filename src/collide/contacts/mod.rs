//! Contacts: what touches what, and since when.

mod contact;
mod find;
#[cfg(feature = "snapshot")]
mod saved;
mod settings;
mod sorted;
mod standing;

use super::boxes::{Boxes, TREES};
use super::layers::Layers;
use super::motion::Meetings;
use super::{Gravity, boxes};
use crate::error::{Error, Kind};
use crate::profile;
use crate::schedule::{Clock, Phase, System};
use crate::store::{Entity, Global, GlobalMut, Outbox, World};
use glam::Vec3;
use settings::ContactSettings;
use sorted::{Changes, SortedContacts, place_from};
use std::sync::OnceLock;

pub use contact::{Contact, ContactState};
#[cfg(feature = "snapshot")]
pub(crate) use saved::{KeptContacts, SavedContacts};
pub use standing::{Standing, Touching};

pub(super) use contact::{is_grid, least_axis};
pub(super) use find::slack;
pub(super) use standing::LEAST_SHARE_DOWN;

/// All contacts of the last frame, in the order of their ids: a global of every runtime.
///
/// Boxes count as touching when they are no further apart than the *margin*, 1 mm unless set: so a body at rest on the
/// ground keeps its contact although it does not overlap the ground. Beyond 2 km from the origin, where 1 mm is less than
/// four steps of the numbers, the margin is four steps.
///
/// Pairs that have not changed are kept: a frame in which little moves costs little.
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
    current: SortedContacts,
    /// Pairs that were found in this frame.
    pairs: find::Pairs,
    changes: Changes,
    /// The contacts to post, if held ones are posted too.
    told: Vec<Contact>,
    settings: ContactSettings,
    /// Whether more pairs touched in the last frame.
    is_crowded: bool,
    /// The layers and the margin with which contacts were last found.
    found_with: Option<(Layers, f32)>,
    /// The direction of gravity, or zero.
    down: Vec3,
    /// Those of colliders that met and parted within this frame.
    brief: Vec<Contact>,
    /// The pairs whose contacts have an impulse.
    struck: Vec<(Entity, Entity)>,
    /// Whether the world was put back to an earlier time since contacts were last found.
    is_stale: bool,
    /// Whether contacts stay as they are while everything moves together.
    is_frozen: bool,
    /// Places in `current` by (second, first), made when it is first asked for and kept up from then on.
    by_second: OnceLock<Vec<u32>>,
}

/// As [`Contacts::iter`].
impl<'c> IntoIterator for &'c Contacts {
    type Item = &'c Contact;
    type IntoIter = std::slice::Iter<'c, Contact>;

    fn into_iter(self) -> Self::IntoIter {
        self.current.contacts.iter()
    }
}

impl Default for Contacts {
    fn default() -> Self {
        Self {
            current: SortedContacts::default(),
            pairs: find::Pairs::default(),
            changes: Changes::default(),
            told: Vec::new(),
            settings: ContactSettings::default(),
            is_crowded: false,
            found_with: None,
            down: Vec3::ZERO,
            brief: Vec::new(),
            struck: Vec::new(),
            is_stale: false,
            is_frozen: false,
            by_second: OnceLock::new(),
        }
    }
}

impl Contacts {
    /// What stood on what before the world was put back means nothing until contacts are found again.
    pub(super) fn is_stale(&self) -> bool {
        self.is_stale
    }

    #[cfg(feature = "snapshot")]
    pub(super) fn mark_stale(&mut self) {
        self.is_stale = true;
    }

    /// Keeps contacts as they are while boxes move, or finds them again from the next frame on.
    pub(crate) fn freeze(world: &mut World, is_frozen: bool) {
        if let Some(contacts) = world.find_global_mut::<Self>() {
            contacts.is_frozen = is_frozen;
        }
    }

    /// All contacts, ordered by the ids of their colliders.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = &Contact> {
        self.into_iter()
    }

    /// The contact between two colliders, in either order. O(log contacts).
    #[must_use]
    pub fn between(&self, a: Entity, b: Entity) -> Option<&Contact> {
        let wanted = (a.min(b), a.max(b));
        let contacts = &self.current.contacts;
        contacts
            .binary_search_by(|contact| contact.pair().cmp(&wanted))
            .ok()
            .map(|position| &contacts[position])
    }

    /// The contacts that began and ended within the last frame, because the two bounced off each other or one passed a
    /// sensor, in the order of the ids. They are not among those of [`iter`](Self::iter).
    ///
    /// # Example
    ///
    /// A ball flies against a wall and back within one frame:
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Gravity(Vec3::ZERO));
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    /// runtime.world_mut().spawn((Transform::at(1.5, 0.0, 0.0), cube.clone()));
    /// let ball = Body::dynamic().with_restitution(1.0).with_velocity(Vec3::X * 60.0);
    /// runtime.world_mut().spawn((Transform::default(), cube, ball));
    /// runtime.run_frames(1)?;
    /// let contacts = runtime.world().global::<Contacts>()?;
    /// assert_eq!(contacts.iter().len(), 0);
    /// let brief: Vec<f32> = contacts.brief().map(|contact| contact.approach).collect();
    /// assert_eq!(brief, [60.0]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn brief(&self) -> impl Iterator<Item = &Contact> {
        self.brief.iter()
    }

    /// Whether two colliders touched in the last frame, at its end or in between. O(log contacts + brief ones).
    ///
    /// See [`Contacts::brief`] for an example of what happens in between.
    #[must_use]
    pub fn met(&self, a: Entity, b: Entity) -> bool {
        let pair = (a.min(b), a.max(b));
        self.between(a, b).is_some() || self.brief().any(|contact| contact.pair() == pair)
    }

    /// What motion should have parted and could not, in the order of the ids: pairs of solids, one of them dynamic, that are
    /// deeper in each other than the margin. They were put into each other, or a kinematic body left no room.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let world = runtime.world_mut();
    /// // A chamber 0.6 m wide, 1 m high and 1 m long, in thick walls.
    /// let mut wall = |center: Vec3| {
    ///     let wall = Collider::solid(Aabb::from_center(center, Vec3::splat(50.0)));
    ///     world.spawn((Transform::default(), wall))
    /// };
    /// let walls = [wall(Vec3::X * -50.3), wall(Vec3::X * 50.3)];
    /// for axis in [Vec3::Y, Vec3::Z] {
    ///     wall(axis * -50.5);
    ///     wall(axis * 50.5);
    /// }
    /// // A crate of 1 m has no way out.
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

    /// How many [leftovers](Self::leftovers) there are. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// let mut runtime = gerust::Runtime::new();
    /// runtime.run_frames(1)?;
    /// assert_eq!(runtime.world().global::<gerust::Contacts>()?.leftover_count(), 0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn leftover_count(&self) -> usize {
        self.current.leftovers
    }
}

/// Fails if more pairs touched in the last frame than the limit allows.
pub(super) fn refuse_crowd(world: &World) -> Result<(), Error> {
    match world.find_global::<Contacts>() {
        Some(contacts) if contacts.is_crowded => Err(Error::from(Kind::TooManyPairs {
            most: contacts.most_pairs(),
        })),
        _ => Ok(()),
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
            GlobalMut<Meetings>,
            Outbox<Contact>,
        )>()
        .runs(
            |(mut boxes, layers, gravity, mut contacts, clock, mut meetings, mut outbox)| {
                let contacts = &mut *contacts;
                if contacts.is_frozen {
                    boxes.forget_relocated();
                    return;
                }
                contacts.down = gravity.0.normalize_or_zero();
                contacts.is_stale = false;
                let frame = clock.frame();
                meetings.order();
                contacts.list_brief(&meetings, frame);
                // Systems that run after motion place boxes without carrying anything.
                boxes.forget_relocated();
                contacts.update(&mut boxes, &layers, &meetings, frame, |contact| {
                    outbox.post(contact);
                });
                boxes.forget_lone();
                contacts.note_impulses(&meetings);
                // Each is posted once: `settle` finds contacts anew without any motion.
                meetings.clear();
                for contact in &contacts.brief {
                    outbox.post(*contact);
                    outbox.post(contact.ended());
                }
            },
        )
}

/// Pairs are found by slots, so finding needs the list of boxes too.
impl Contacts {
    /// Lists the contacts of colliders that met and did not touch before: if they do not touch now either, they began and
    /// ended within the frame. Each pair once, in the order of the ids.
    fn list_brief(&mut self, meetings: &Meetings, frame: u64) {
        let mut brief = std::mem::take(&mut self.brief);
        brief.clear();
        let hits = meetings.list.iter().filter(|meeting| meeting.is_hit);
        brief.extend(
            hits.filter(|meeting| self.between(meeting.pair.0, meeting.pair.1).is_none())
                .map(|meeting| Contact {
                    first: meeting.pair.0,
                    second: meeting.pair.1,
                    state: ContactState::Began,
                    normal: meeting.normal,
                    depth: 0.0,
                    is_sensor: meeting.is_sensor,
                    is_leftover: false,
                    since: frame,
                    impulse: meeting.impulse,
                    approach: meeting.approach,
                }),
        );
        self.brief = brief;
    }

    /// Notes the impulses of those that touch. Bodies at rest that motion skipped keep theirs.
    fn note_impulses(&mut self, meetings: &Meetings) {
        let mut brief = std::mem::take(&mut self.brief);
        brief.retain(|contact| self.between(contact.first, contact.second).is_none());
        self.brief = brief;
        if meetings.is_empty() {
            return;
        }
        let mut struck = std::mem::take(&mut self.struck);
        let contacts = &mut self.current.contacts;
        let mut at = 0;
        struck.retain(|&pair| {
            if !meetings.is_awake(pair) {
                return true;
            }
            at = place_from(contacts, at, pair);
            let known = contacts.get_mut(at);
            if let Some(contact) = known.filter(|contact| contact.pair() == pair) {
                (contact.impulse, contact.approach) = (0.0, 0.0);
            }
            false
        });
        at = 0;
        for meeting in &meetings.list {
            at = place_from(contacts, at, meeting.pair);
            let known = contacts.get_mut(at);
            if let Some(contact) = known.filter(|contact| contact.pair() == meeting.pair) {
                (contact.impulse, contact.approach) = (meeting.impulse, meeting.approach);
                struck.push(meeting.pair);
            }
        }
        struck.sort_unstable();
        self.struck = struck;
    }

    fn update(
        &mut self,
        boxes: &mut Boxes,
        layers: &Layers,
        meetings: &Meetings,
        frame: u64,
        tell: impl FnMut(Contact),
    ) {
        let knows = |(known, margin): &(Layers, f32)| known == layers && *margin == self.margin();
        if !self.found_with.as_ref().is_some_and(knows) {
            boxes.change_all([true; TREES]);
            self.found_with = Some((layers.clone(), self.margin()));
        }
        boxes.note_stray(layers);
        let span = profile::part("find pairs");
        let fits = find::pairs(
            boxes,
            layers,
            self.margin(),
            self.most_pairs(),
            &meetings.threads,
            &mut self.pairs,
        );
        drop(span);
        // If there are too many, all boxes still count as changed, so the next frame finds what this one did not.
        self.is_crowded = !fits;
        if self.is_crowded {
            return;
        }
        let _span = profile::part("compare contacts");
        self.list_changes(boxes, frame);
        if self.is_crowded {
            return;
        }
        self.take_in(meetings, tell);
        boxes.forget_changed();
    }

    /// Compares the pairs that were found with the contacts so far. If there would be too many contacts, they stay as they are.
    fn list_changes(&mut self, boxes: &Boxes, frame: u64) {
        let found = self.pairs.list.iter().filter_map(|pair| {
            let contact = Contact::between(boxes, pair.slots, pair.margin, frame)?;
            Some((contact, pair.slots))
        });
        let has_changed = |slot| boxes.has_changed(slot);
        self.current.hold();
        if !boxes.are_unchanged() {
            self.current
                .list_changes(found, has_changed, &mut self.changes);
        }
        let all = self.current.contacts.len() + self.changes.added.len();
        self.is_crowded = all - self.changes.removed.len() > self.most_pairs();
        if self.is_crowded {
            self.changes.clear();
        }
    }

    /// Takes in the changes, and reports contacts that began, are held and ended, in the order of the ids.
    fn take_in(&mut self, meetings: &Meetings, mut tell: impl FnMut(Contact)) {
        let ended = self
            .changes
            .removed
            .iter()
            .map(|&at| self.current.contacts[at as usize].ended());
        let begun = self.changes.added.iter().map(|(contact, _)| {
            let meeting = meetings.of(contact.pair());
            Contact {
                impulse: meeting.map_or(0.0, |meeting| meeting.impulse),
                approach: meeting.map_or(0.0, |meeting| meeting.approach),
                ..*contact
            }
        });
        if self.settings.posts_held {
            let goes_on = self.current.without(&self.changes.removed);
            self.told.extend(ended.chain(begun).chain(goes_on));
            self.told.sort_unstable_by_key(Contact::pair);
            self.told.drain(..).for_each(&mut tell);
        } else {
            let mut begun = begun.peekable();
            for ended in ended {
                while let Some(begun) = begun.next_if(|begun| begun.pair() < ended.pair()) {
                    tell(begun);
                }
                tell(ended);
            }
            begun.for_each(&mut tell);
        }
        let is_other = !self.changes.is_empty();
        self.current.apply(&mut self.changes);
        // Places have changed, and only then. The next question needs them.
        if is_other && let Some(mut places) = self.by_second.take() {
            self.current.list_by_second(&mut places);
            self.by_second = OnceLock::from(places);
        }
    }
}

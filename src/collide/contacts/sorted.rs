//! The list of contacts, in which only what has changed is touched.

use super::{Contact, ContactState};
use crate::collide::boxes::Slot;
use crate::store::Entity;

/// Contacts by (first, second).
#[derive(Default, Debug)]
pub(super) struct SortedContacts {
    pub(super) contacts: Vec<Contact>,
    /// Beside the contacts: where the two are in the list of boxes.
    pub(super) slots: Vec<(Slot, Slot)>,
    /// Places of those that began in the last frame.
    pub(super) begun: Vec<u32>,
    /// How many of the contacts are leftovers.
    pub(super) leftovers: usize,
}

/// Changes to the list.
#[derive(Default, Debug)]
pub(super) struct Changes {
    /// Places of those that have ended, in order.
    pub(super) removed: Vec<u32>,
    /// Those that begin, in order.
    pub(super) added: Vec<(Contact, (Slot, Slot))>,
}

impl Changes {
    pub(super) fn clear(&mut self) {
        self.removed.clear();
        self.added.clear();
    }

    pub(super) fn is_empty(&self) -> bool {
        self.removed.is_empty() && self.added.is_empty()
    }
}

impl SortedContacts {
    /// Lets the contacts that began in the frame before be held ones. O(begun).
    pub(super) fn hold(&mut self) {
        for at in self.begun.drain(..) {
            self.contacts[at as usize].state = ContactState::Held;
        }
    }

    /// Compares the contacts of the frame before with those that were found in this one: all between colliders of which one
    /// has changed, in order. Held ones are updated; what ends and begins goes to the changes.
    pub(super) fn list_changes(
        &mut self,
        found: impl Iterator<Item = (Contact, (Slot, Slot))>,
        has_changed: impl Fn(Slot) -> bool,
        changes: &mut Changes,
    ) {
        let mut found = found.peekable();
        let entries = self.contacts.iter_mut().zip(&mut self.slots).enumerate();
        for (at, (old, slots)) in entries {
            if !has_changed(slots.0) && !has_changed(slots.1) {
                continue;
            }
            let begins = |new: &(Contact, _)| new.0.pair() < old.pair();
            while let Some(new) = found.next_if(begins) {
                changes.added.push(new);
            }
            match found.next_if(|(new, _)| new.pair() == old.pair()) {
                Some((new, new_slots)) => {
                    self.leftovers += usize::from(new.is_leftover);
                    self.leftovers -= usize::from(old.is_leftover);
                    *old = Contact {
                        state: ContactState::Held,
                        since: old.since,
                        impulse: old.impulse,
                        approach: old.approach,
                        ..new
                    };
                    *slots = new_slots;
                }
                None => changes.removed.push(at as u32),
            }
        }
        changes.added.extend(found);
    }

    /// Lists the places of all contacts by (second, first).
    pub(super) fn list_by_second(&self, places: &mut Vec<u32>) {
        places.clear();
        places.extend(0..self.contacts.len() as u32);
        places.sort_unstable_by_key(|&at| (self.contacts[at as usize].second, at));
    }

    /// All but those at some places.
    pub(super) fn without(&self, removed: &[u32]) -> impl Iterator<Item = Contact> {
        let mut removed = removed.iter().peekable();
        let contacts = self.contacts.iter().enumerate();
        contacts
            .filter(move |(at, _)| removed.next_if(|&&gone| gone as usize == *at).is_none())
            .map(|(_, contact)| *contact)
    }

    /// Carries the changes out: whole stretches between two changes move at once. O(changes · log n + n).
    pub(super) fn apply(&mut self, changes: &mut Changes) {
        let gone = changes.removed.iter();
        self.leftovers -= gone
            .filter(|&&at| self.contacts[at as usize].is_leftover)
            .count();
        let added = changes.added.iter();
        self.leftovers += added.filter(|(contact, _)| contact.is_leftover).count();
        remove(&mut self.contacts, &changes.removed);
        remove(&mut self.slots, &changes.removed);
        changes.removed.clear();
        let old = self.contacts.len();
        self.contacts
            .extend(changes.added.iter().map(|(contact, _)| *contact));
        self.slots
            .extend(changes.added.iter().map(|(_, slots)| *slots));
        // From behind: what lies beyond the place of the last one to add moves up by their number, and so on.
        let mut end = old;
        for (number, (contact, slots)) in changes.added.iter().enumerate().rev() {
            let place = self.contacts[..end].partition_point(|old| old.pair() < contact.pair());
            self.contacts.copy_within(place..end, place + number + 1);
            self.slots.copy_within(place..end, place + number + 1);
            self.contacts[place + number] = *contact;
            self.slots[place + number] = *slots;
            self.begun.push((place + number) as u32);
            end = place;
        }
        changes.added.clear();
    }
}

/// Takes the entries at some places, which are in order, out of a list.
fn remove<T: Copy>(list: &mut Vec<T>, places: &[u32]) {
    let Some(&first) = places.first() else {
        return;
    };
    let mut end = first as usize;
    for (number, &place) in places.iter().enumerate() {
        let start = place as usize + 1;
        let next = places
            .get(number + 1)
            .map_or(list.len(), |&next| next as usize);
        list.copy_within(start..next, end);
        end += next - start;
    }
    list.truncate(end);
}

/// The place of a pair in the list, or the one where it would be, not before another place. Pairs that follow each other are
/// close together.
pub(super) fn place_from(contacts: &[Contact], from: usize, pair: (Entity, Entity)) -> usize {
    const NEAR: usize = 8;
    let rest = contacts.get(from..).unwrap_or_default();
    let near = rest
        .iter()
        .take(NEAR)
        .position(|contact| contact.pair() >= pair);
    from + near.unwrap_or_else(|| rest.partition_point(|contact| contact.pair() < pair))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::store::Entity;
    use glam::Vec3;
    use proptest::prelude::*;
    use std::collections::BTreeMap;
    use std::num::NonZeroU32;

    fn contact(first: u32, second: u32, frame: u64) -> Contact {
        let entity = |index| Entity::from_parts(index, NonZeroU32::MIN);
        Contact {
            first: entity(first),
            second: entity(second),
            state: ContactState::Began,
            normal: Vec3::X,
            depth: 0.0,
            is_sensor: false,
            is_leftover: (u64::from(first) + frame).is_multiple_of(3),
            since: frame,
            impulse: 0.0,
            approach: 0.0,
        }
    }

    proptest! {
        /// In each frame some colliders have changed, and some of all pairs of which one has changed touch.
        #[test]
        fn the_list_equals_a_map(
            frames in proptest::collection::vec((any::<u16>(), any::<u64>()), 1..30),
        ) {
            const COLLIDERS: u32 = 12;
            let mut list = SortedContacts::default();
            let mut changes = Changes::default();
            let mut map: BTreeMap<(u32, u32), u64> = BTreeMap::new();
            for (frame, (changed, touches)) in frames.into_iter().enumerate() {
                let frame = frame as u64;
                let has_changed = |slot: u32| changed >> slot & 1 == 1;
                let pairs = (0..COLLIDERS).flat_map(|a| (a + 1..COLLIDERS).map(move |b| (a, b)));
                let looked_at: Vec<(u32, u32)> = pairs.filter(|&(a, b)| has_changed(a) || has_changed(b)).collect();
                let found: Vec<(u32, u32)> = looked_at
                    .iter()
                    .copied()
                    .filter(|&(a, b)| touches.rotate_left(a * 7 + b) & 1 == 1)
                    .collect();
                let contacts = found.iter().map(|&(a, b)| (contact(a, b, frame), (a, b)));
                list.hold();
                list.list_changes(contacts, has_changed, &mut changes);
                let ended = looked_at.iter().filter(|pair| !found.contains(pair) && map.contains_key(pair)).count();
                let begun = found.iter().filter(|pair| !map.contains_key(pair)).count();
                prop_assert_eq!((changes.removed.len(), changes.added.len()), (ended, begun));
                list.apply(&mut changes);
                map.retain(|pair, _| !looked_at.contains(pair) || found.contains(pair));
                for pair in found {
                    map.entry(pair).or_insert(frame);
                }
                let listed: Vec<_> = list.contacts.iter().zip(&list.slots).collect();
                prop_assert_eq!(listed.len(), map.len());
                let leftovers = list.contacts.iter().filter(|contact| contact.is_leftover);
                prop_assert_eq!(list.leftovers, leftovers.count());
                for ((contact, &slots), (&pair, &since)) in listed.into_iter().zip(&map) {
                    prop_assert_eq!(slots, pair);
                    prop_assert_eq!((contact.first.index(), contact.second.index(), contact.since), (pair.0, pair.1, since));
                    prop_assert_eq!(contact.state == ContactState::Began, since == frame);
                }
            }
        }
    }
}

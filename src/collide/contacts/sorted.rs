//! The list of contacts, in which only what has changed is touched.

use super::{Contact, ContactState};
use crate::collide::boxes::Slot;

/// Contacts by (first, second).
#[derive(Default, Debug)]
pub(super) struct SortedContacts {
    pub(super) contacts: Vec<Contact>,
    /// Beside the contacts: where the two are in the list of boxes.
    slots: Vec<(Slot, Slot)>,
    /// Places of those that began in the last frame.
    begun: Vec<u32>,
}

/// What is to be changed in the list.
#[derive(Default, Debug)]
pub(super) struct Changes {
    /// Places of those that have ended, in order.
    pub(super) removed: Vec<u32>,
    /// Those that begin, in order.
    pub(super) added: Vec<(Contact, (Slot, Slot))>,
}

impl SortedContacts {
    /// Compares the contacts of the frame before with those that were found in this one: all between colliders of which one
    /// has changed, in order. Those that go on are brought up to date; what ends and begins goes to the changes.
    pub(super) fn list_changes(
        &mut self,
        found: impl Iterator<Item = (Contact, (Slot, Slot))>,
        has_changed: impl Fn(Slot) -> bool,
        changes: &mut Changes,
    ) {
        let mut found = found.peekable();
        for at in self.begun.drain(..) {
            self.contacts[at as usize].state = ContactState::Held;
        }
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
                    *old = Contact {
                        state: ContactState::Held,
                        since: old.since,
                        ..new
                    };
                    *slots = new_slots;
                }
                None => changes.removed.push(at as u32),
            }
        }
        changes.added.extend(found);
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

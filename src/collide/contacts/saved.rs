//! Contacts in a file, and copies of them in memory.

use super::settings::ContactSettings;
use super::sorted::SortedContacts;
use super::{Contact, ContactState, Contacts};
use crate::store::{Entity, copied_slices};
use serde::{Deserialize, Serialize};
use std::sync::{Arc, OnceLock};

/// The contacts of a frame, and how they are found.
#[derive(Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct SavedContacts {
    pub(crate) current: Vec<Contact>,
    brief: Vec<Contact>,
    pub(crate) settings: ContactSettings,
}

impl SavedContacts {
    /// Whether the values can have been saved: a file may be forged.
    pub(crate) fn is_valid(&self) -> bool {
        let mut pairs = self.current.windows(2);
        let is_sorted = pairs.all(|two| two[0].pair() < two[1].pair());
        let mut all = self.current.iter().chain(&self.brief);
        is_sorted
            && all.all(|contact| contact.first < contact.second)
            && self.settings.margin >= 0.0
    }
}

impl Contacts {
    pub(crate) fn saved(&self) -> SavedContacts {
        SavedContacts {
            current: self.current.contacts.clone(),
            brief: self.brief.clone(),
            settings: self.settings,
        }
    }

    /// Takes the settings of saved contacts, before contacts are found.
    pub(crate) fn take_settings(&mut self, saved: &SavedContacts) {
        self.settings = saved.settings;
    }

    /// Replaces the contacts by saved ones, after those of the same world were found. The next frame compares all pairs with them, so
    /// it finds what began and ended since they were saved.
    pub(crate) fn put_back(&mut self, saved: SavedContacts) {
        let found = self.current.contacts.iter().zip(&self.current.slots);
        let found: rustc_hash::FxHashMap<(Entity, Entity), _> = found
            .map(|(contact, slots)| (contact.pair(), *slots))
            .collect();
        let contacts = saved.current;
        let with_impulse = contacts
            .iter()
            .filter(|contact| contact.impulse != 0.0 || contact.approach != 0.0);
        self.struck = with_impulse.map(Contact::pair).collect();
        let begun = contacts.iter().zip(0..);
        self.current = SortedContacts {
            // A pair whose collider is gone ends in the next frame; until then no slot of it is asked for.
            slots: contacts
                .iter()
                .map(|contact| found.get(&contact.pair()).copied().unwrap_or_default())
                .collect(),
            begun: begun
                .filter(|(contact, _)| contact.state == ContactState::Began)
                .map(|(_, at)| at)
                .collect(),
            leftovers: contacts
                .iter()
                .filter(|contact| contact.is_leftover)
                .count(),
            contacts,
        };
        self.brief = saved.brief;
        self.found_with = None;
        self.by_second = OnceLock::new();
    }
}

/// The contacts of a frame in memory. Chunks that have not changed are shared with the copy before.
#[derive(Debug)]
pub(crate) struct KeptContacts {
    chunks: Vec<Arc<Vec<Contact>>>,
    brief: Vec<Contact>,
    settings: ContactSettings,
    /// Bytes of the chunks that it does not share with the copy before.
    fresh: usize,
}

impl KeptContacts {
    pub(crate) fn saved(&self) -> SavedContacts {
        SavedContacts {
            current: self
                .chunks
                .iter()
                .flat_map(|chunk| chunk.iter())
                .copied()
                .collect(),
            brief: self.brief.clone(),
            settings: self.settings,
        }
    }

    /// Bytes of the parts that it does not share with the copy before.
    pub(crate) fn fresh_bytes(&self) -> usize {
        self.fresh + size_of_val(&self.brief[..])
    }

    /// Bytes of all parts, also of shared ones.
    pub(crate) fn all_bytes(&self) -> usize {
        let chunks = self.chunks.iter().map(|chunk| size_of_val(&chunk[..]));
        chunks.sum::<usize>() + size_of_val(&self.brief[..])
    }
}

impl Contacts {
    /// A copy in memory, in the place of an old one if there is one. O(contacts).
    pub(crate) fn kept(
        &self,
        previous: Option<&KeptContacts>,
        old: Option<KeptContacts>,
        scratch: &mut Vec<Arc<Vec<Contact>>>,
    ) -> KeptContacts {
        let (old_chunks, mut brief) = match old {
            Some(old) => (old.chunks, old.brief),
            None => (Vec::new(), Vec::new()),
        };
        brief.clone_from(&self.brief);
        let mut fresh = 0;
        let chunks = copied_slices(
            &self.current.contacts,
            previous.map_or(&[], |previous| &previous.chunks),
            old_chunks,
            scratch,
            |contacts, is_same| fresh += usize::from(!is_same) * size_of_val(contacts),
        );
        KeptContacts {
            chunks,
            brief,
            settings: self.settings,
            fresh,
        }
    }
}

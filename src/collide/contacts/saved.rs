//! Contacts in a file, and copies of them in memory.

use super::settings::ContactSettings;
use super::sorted::SortedContacts;
use super::{Contact, ContactState, Contacts};
use crate::store::Entity;
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

/// Contacts of a chunk.
const CHUNK: usize = 64;

/// The contacts of a frame in memory. Chunks that have not changed are shared with the copy before.
#[derive(Debug)]
pub(crate) struct KeptContacts {
    chunks: Vec<Arc<[Contact]>>,
    brief: Vec<Contact>,
    settings: ContactSettings,
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

    /// The address and the bytes of each chunk.
    pub(crate) fn shared_parts(&self, note: &mut dyn FnMut(*const (), usize)) {
        for chunk in &self.chunks {
            note(chunk.as_ptr().cast(), size_of_val(&chunk[..]));
        }
    }
}

impl Contacts {
    /// A copy in memory. O(contacts).
    pub(crate) fn kept(&self, previous: Option<&KeptContacts>) -> KeptContacts {
        let chunks = self.current.contacts.chunks(CHUNK).enumerate();
        KeptContacts {
            chunks: chunks
                .map(|(at, contacts)| {
                    let known = previous.and_then(|previous| previous.chunks.get(at));
                    let known = known.filter(|known| known[..] == *contacts);
                    known.map_or_else(|| Arc::from(contacts), Arc::clone)
                })
                .collect(),
            brief: self.brief.clone(),
            settings: self.settings,
        }
    }
}

//! What happened in a frame: what rules act on and expectations ask for besides values of components.

use super::action::Pair;
use super::registry::Registry;
use crate::collide::{Contact, ContactState};
use crate::store::World;
use serde_json::Value as Json;
use std::collections::BTreeMap;

/// What happened in the latest frame, and how often such things have happened. A global of worlds in which scenes run.
#[derive(Clone, Default, Debug)]
pub(super) struct Happenings {
    /// The pairs that have begun to touch.
    pub(super) begun: Vec<Pair>,
    /// By name of the event: how often it was posted before the frame, and until its end.
    counts: BTreeMap<String, [u64; 2]>,
    /// By name: the counters of the frame.
    pub(super) counters: BTreeMap<String, u64>,
}

impl Happenings {
    /// How many events of a name were posted since the scene began.
    pub(super) fn so_far(&self, event: &str) -> u64 {
        self.counts.get(event).map_or(0, |[_, until]| *until)
    }

    /// How many events of a name were posted in the frame, and by what came before it.
    pub(super) fn of_frame(&self, event: &str) -> u64 {
        self.counts
            .get(event)
            .map_or(0, |[before, until]| until - before)
    }

    /// Goes on to what has happened since it was last asked.
    pub(super) fn note(&mut self, registry: &Registry, world: &World) {
        self.begun.clear();
        let contacts = world.posted::<Contact>().into_iter();
        let begun = contacts.filter(|contact| contact.state == ContactState::Began);
        self.begun
            .extend(begun.map(|contact| [contact.first, contact.second]));
        for (name, until) in registry.posted_so_far(world) {
            match self.counts.get_mut(name) {
                Some(count) => *count = [count[1], until],
                None => {
                    self.counts.insert(name.to_owned(), [0, until]);
                }
            }
        }
    }

    /// The events of a name that were posted in the frame.
    pub(super) fn events(&self, registry: &Registry, world: &World, name: &str) -> Vec<Json> {
        match self.counts.get(name) {
            Some([before, until]) if before < until => registry.posted_after(name, world, *before),
            _ => Vec::new(),
        }
    }
}

//! What happened in a frame: what rules act on and expectations ask for besides values of components.

use super::action::Pair;
use super::registry::Registry;
use gerust::collide::{Contact, ContactState};
use gerust::profile;
use gerust::store::World;
use serde_json::Value as Json;
use std::collections::BTreeMap;

/// What happened in the latest frame, and how often such things have happened. A global of worlds in which scenes run.
#[derive(Clone, Default, Debug)]
pub(super) struct EventLog {
    /// The pairs that have begun to touch.
    pub(super) begun: Vec<Pair>,
    /// By name of the event.
    counts: BTreeMap<String, Count>,
    /// Events of the frame that this world has not posted itself, by name.
    taken_up: BTreeMap<String, Vec<Json>>,
    /// By name: the counters of the frame.
    pub(super) counters: BTreeMap<&'static str, u64>,
}

/// How often an event was posted.
#[derive(Clone, Copy, Default, Debug)]
struct Count {
    /// By this world before the frame, and until its end.
    before: u64,
    until: u64,
    /// By the run that this one resumes.
    earlier: u64,
}

impl EventLog {
    /// Events and counts of a run that resumes another one.
    pub(super) fn taken_up(
        registry: &Registry,
        world: &World,
        begun: Vec<Pair>,
        counts: &BTreeMap<String, u64>,
        events: BTreeMap<String, Vec<Json>>,
    ) -> Self {
        let posted = registry.posted_so_far(world);
        let counts = posted.map(|(name, so_far)| {
            let count = Count {
                before: so_far,
                until: so_far,
                earlier: counts.get(name).copied().unwrap_or(0).wrapping_sub(so_far),
            };
            (name.to_owned(), count)
        });
        Self {
            begun,
            counts: counts.collect(),
            taken_up: events,
            counters: BTreeMap::new(),
        }
    }

    /// How many events of a name were posted since the scene began.
    pub(super) fn so_far(&self, event: &str) -> u64 {
        let count = self.counts.get(event);
        count.map_or(0, |count| count.until.wrapping_add(count.earlier))
    }

    /// How many events of a name were posted in the frame, and by what came before it.
    pub(super) fn of_frame(&self, event: &str) -> u64 {
        self.counts
            .get(event)
            .map_or(0, |count| count.until - count.before)
    }

    /// Advances to the events since the last call.
    pub(super) fn note(&mut self, registry: &Registry, world: &World) {
        self.begun.clear();
        let contacts = world.posted::<Contact>().into_iter();
        let begun = contacts.filter(|contact| contact.state == ContactState::Began);
        self.begun
            .extend(begun.map(|contact| [contact.first, contact.second]));
        self.note_counts(registry, world);
        self.taken_up.clear();
    }

    /// Counts the events since the last call.
    pub(super) fn note_counts(&mut self, registry: &Registry, world: &World) {
        for (name, until) in registry.posted_so_far(world) {
            match self.counts.get_mut(name) {
                Some(count) => (count.before, count.until) = (count.until, until),
                None => {
                    let count = Count {
                        until,
                        ..Count::default()
                    };
                    self.counts.insert(name.to_owned(), count);
                }
            }
        }
    }

    /// Takes the counters of the frame.
    pub(super) fn note_counters(&mut self, counts: &[profile::Count]) {
        let is_there = |name: &str| counts.iter().any(|count| count.name == name);
        self.counters.retain(|name, _| is_there(name));
        let counts = counts.iter().map(|count| (count.name, count.value));
        self.counters.extend(counts);
    }

    /// The events of a name that were posted in the frame.
    pub(super) fn events(&self, registry: &Registry, world: &World, name: &str) -> Vec<Json> {
        if let Some(events) = self.taken_up.get(name) {
            return events.clone();
        }
        match self.counts.get(name) {
            Some(count) if count.before < count.until => {
                registry.posted_after(name, world, count.before)
            }
            _ => Vec::new(),
        }
    }
}

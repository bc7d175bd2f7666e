//! Events in flight that are saved.

use super::registration::{Registration, is_own};
use super::{exact, write_value};
use crate::error::Error;
use crate::store::access::short_type;
use crate::store::component::Component;
use crate::store::events::{Channel, channel};
use crate::store::moment::{Chunk, copied_by};
use crate::store::world::World;
use ciborium::Value;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::any::{Any, TypeId};
use std::sync::Arc;

/// The events of a type that an inbox may still ask for.
#[derive(Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct SavedEvents {
    pub(crate) name: String,
    /// The number of the first of them.
    pub(crate) first: u64,
    /// The number of the first event of the current frame.
    pub(crate) frame_start: u64,
    pub(crate) events: Vec<Value>,
    /// For each inbox: its system, its place among the inboxes of that system, and the number of the next event that it has not seen.
    pub(crate) inboxes: Vec<(String, u32, u64)>,
}

/// The name under which losses of a registered component are saved.
pub(super) fn name_of_lost(component: &str) -> String {
    format!("{component}{LOST}")
}

const LOST: &str = " (lost)";

impl SavedEvents {
    /// Whether it says no more than that nothing was posted yet.
    pub(crate) fn is_empty(&self) -> bool {
        self.first == 0 && self.events.is_empty()
    }

    /// Whether it lists losses of a component.
    pub(crate) fn is_of_lost(name: &str) -> bool {
        name.ends_with(LOST)
    }

    /// The events of a type before the first was posted.
    pub(crate) fn none(name: &str) -> Self {
        Self {
            name: name.to_owned(),
            first: 0,
            frame_start: 0,
            events: Vec::new(),
            inboxes: Vec::new(),
        }
    }
}

/// Puts events that were read into a world.
pub(crate) type PutEvents = Box<dyn FnOnce(&mut World)>;

/// How events of a registered type are written and read.
#[derive(Clone)]
pub(crate) struct RegisteredEvent {
    pub(crate) of: Registration,
    pub(crate) write: fn(&World, &str) -> Result<SavedEvents, String>,
    /// The same of a copy.
    pub(crate) write_copy: fn(&(dyn Any + Send + Sync), &str) -> Result<SavedEvents, String>,
    pub(crate) read: fn(SavedEvents) -> Result<PutEvents, String>,
    /// A copy, in the place of an old one if there is one.
    pub(crate) copy: fn(&World, Option<Chunk>) -> Chunk,
    pub(crate) put_copy: fn(&mut World, &(dyn Any + Send + Sync)),
}

impl World {
    /// Gives an event type a name and lets [`Runtime::save`](crate::Runtime::save) take in the events that an inbox has not seen yet.
    /// Registering it again under the same name changes nothing. The runtime has registered `contact`.
    ///
    /// # Errors
    ///
    /// If another type has the name, or the type another name.
    ///
    /// # Example
    ///
    /// ```
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Docked;
    ///
    /// let mut world = gerust::World::new();
    /// world.register_event::<Docked>("docked")?;
    /// world.register_event::<Docked>("docked")?;
    /// assert!(world.register_event::<u8>("docked").is_err());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn register_event<E: Component + Clone + Serialize + DeserializeOwned>(
        &mut self,
        name: &str,
    ) -> Result<(), Error> {
        let known = self.registered_events.iter().map(|known| &known.of);
        if let Some(of) = Registration::new::<E>(name, known)? {
            self.registered_events.push(RegisteredEvent {
                of,
                write: write::<E>,
                write_copy: |copy, name| {
                    let copy: Option<&Option<CopiedEvents<E>>> = copy.downcast_ref();
                    let copy = copy.expect("a copy is written as the type that it is of");
                    copy.as_ref()
                        .map_or_else(|| Ok(SavedEvents::none(name)), |copy| copy.written(name))
                },
                read: read::<E>,
                copy: |world, old| {
                    let channel = world.find_global::<Channel<E>>();
                    let channel = channel.as_deref();
                    copied_by(
                        old,
                        || channel.map(Channel::copied),
                        |place: &mut Option<CopiedEvents<E>>| match (channel, &mut *place) {
                            (Some(channel), Some(place)) => channel.copy_into(place),
                            (channel, place) => *place = channel.map(Channel::copied),
                        },
                    )
                },
                put_copy: |world, copy| {
                    if let Some(copy) = copy.downcast_ref::<Option<CopiedEvents<E>>>() {
                        put_copy(world, copy.as_ref());
                    }
                },
            });
        }
        Ok(())
    }

    /// Registers an event of the runtime's own, unless the user has registered it under another name.
    ///
    /// # Errors
    ///
    /// If another type has the name.
    pub(crate) fn register_event_unless_known<
        E: Component + Clone + Serialize + DeserializeOwned,
    >(
        &mut self,
        name: &str,
    ) -> Result<(), Error> {
        let mut known = self.registered_events.iter();
        match known.any(|known| known.of.is_of(TypeId::of::<E>())) {
            true => Ok(()),
            false => self.register_event::<E>(name),
        }
    }

    /// The types of events that are not registered and have some that an inbox may still ask for, in alphabetical order.
    pub(crate) fn unregistered_events(&self) -> Vec<String> {
        let channels = self.channels.iter();
        let unsaved = channels.filter(|channel| {
            let mut known = self.registered_events.iter();
            (channel.waiting)(self) > 0
                && !is_own(channel.event_name)
                && known.all(|known| !known.of.is_of(channel.event))
        });
        let mut names: Vec<String> = unsaved
            .map(|channel| short_type(channel.event_name))
            .collect();
        names.sort_unstable();
        names
    }
}

fn write<E: Component + Serialize>(world: &World, name: &str) -> Result<SavedEvents, String> {
    let mut saved = SavedEvents::none(name);
    if let Some(channel) = world.find_global::<Channel<E>>() {
        saved.first = channel.first();
        saved.frame_start = channel.frame_start();
        saved.inboxes = channel.positions();
        for event in channel.since(0) {
            saved.events.push(Value::Bytes(write_value(event)?));
        }
    }
    Ok(saved)
}

fn read<E: Component + DeserializeOwned>(saved: SavedEvents) -> Result<PutEvents, String> {
    let events: Result<Vec<E>, String> = saved
        .events
        .iter()
        .map(|event| match event {
            Value::Bytes(bytes) => exact::read(bytes),
            _ => Err(String::from("an event is not a byte string")),
        })
        .collect();
    let events = events?;
    let end = saved.first.checked_add(events.len() as u64);
    if end.is_none_or(|end| !(saved.first..=end).contains(&saved.frame_start)) {
        return Err(String::from(
            "the numbers of its events contradict each other",
        ));
    }
    Ok(Box::new(move |world| {
        if saved.first == 0 && events.is_empty() && world.find_global::<Channel<E>>().is_none() {
            return;
        }
        channel::<E>(world).put_back(events, saved.first, saved.frame_start, &saved.inboxes);
    }))
}

/// The events of a type in memory.
pub(crate) struct CopiedEvents<E> {
    pub(crate) first: u64,
    pub(crate) frame_start: u64,
    pub(crate) events: Vec<E>,
    /// How far inboxes have read.
    pub(crate) inboxes: Vec<(Arc<str>, u32, u64)>,
}

impl<E: Serialize> CopiedEvents<E> {
    fn written(&self, name: &str) -> Result<SavedEvents, String> {
        let events = self.events.iter();
        let inboxes = self.inboxes.iter();
        Ok(SavedEvents {
            name: name.to_owned(),
            first: self.first,
            frame_start: self.frame_start,
            events: events
                .map(|event| write_value(event).map(Value::Bytes))
                .collect::<Result<_, _>>()?,
            inboxes: inboxes
                .map(|(system, place, next)| (system.to_string(), *place, *next))
                .collect(),
        })
    }
}

fn put_copy<E: Component + Clone>(world: &mut World, copy: Option<&CopiedEvents<E>>) {
    if copy.is_none() && world.find_global::<Channel<E>>().is_none() {
        return;
    }
    match copy {
        Some(copy) => {
            let events = copy.events.clone();
            channel::<E>(world).put_back(events, copy.first, copy.frame_start, &copy.inboxes);
        }
        None => channel::<E>(world).put_back::<&str>(Vec::new(), 0, 0, &[]),
    }
}

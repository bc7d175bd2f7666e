//! The format of saved runtimes.
//!
//! A file is one CBOR array (RFC 8949) of four items: the text `gerust save`, the version of the format, the state as a byte string of
//! CBOR, and the XXH3 checksum of that byte string.

use super::Parts;
use crate::collide::{Contacts, SavedContacts};
use crate::error::{Error, Kind};
use crate::runtime::Runtime;
use crate::schedule::{Clock, Schedule};
use crate::store::{Entity, IdSequence, Layout, SavedChanges, SavedEvents, Snapshot, World};
use ciborium::Value;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::num::NonZeroU32;
use std::sync::Arc;
use xxhash_rust::xxh3::xxh3_64;

const FORMAT: &str = "gerust save";
const VERSION: u32 = 1;

/// Index, generation, and the values of components by their places in the list of [`State`].
type SavedEntity = (u32, NonZeroU32, Vec<(u32, Value)>);

/// The state of a runtime as it is saved.
#[derive(Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case")]
pub(super) struct State {
    clock: Clock,
    /// The registered component types with the versions of their shapes.
    components: Vec<(String, u32)>,
    ids: IdSequence,
    /// By table, also of those without rows: the places of its components in the list.
    #[serde(default)]
    tables: Vec<Vec<u32>>,
    /// In the order of their rows, table by table.
    entities: Vec<SavedEntity>,
    /// Null where there was none.
    globals: Vec<(String, Value)>,
    #[serde(default)]
    changes: SavedChanges,
    events: Vec<SavedEvents>,
    contacts: Option<SavedContacts>,
    /// The systems that are switched off.
    off: Vec<String>,
    /// The systems of Setup that have had their run.
    set_up: Vec<String>,
}

/// The parts of a state, from a runtime or from a moment.
pub(super) struct Pieces {
    pub(super) snapshot: Snapshot,
    pub(super) components: Vec<(String, u32)>,
    pub(super) layout: Layout,
    pub(super) clock: Clock,
    pub(super) globals: Vec<(String, Value)>,
    pub(super) changes: SavedChanges,
    pub(super) events: Vec<SavedEvents>,
    pub(super) contacts: Option<SavedContacts>,
    pub(super) off: Vec<String>,
    pub(super) set_up: Vec<String>,
}

fn refuse(reason: impl Into<String>) -> Error {
    Error::from(Kind::BadSave {
        reason: reason.into(),
    })
}

impl State {
    pub(super) fn of(world: &World, schedule: &mut Schedule) -> Result<Self, Error> {
        let mut globals = Vec::new();
        for known in &world.registered_globals {
            let value = match (known.write)(world) {
                None => Value::Null,
                Some(Ok(bytes)) => Value::Bytes(bytes),
                Some(Err(reason)) => return Err(not_saved("global", &known.of.name, reason)),
            };
            globals.push((known.of.name.clone(), value));
        }
        let mut events = Vec::new();
        for known in &world.registered_events {
            let saved = (known.write)(world, &known.of.name);
            events.push(saved.map_err(|reason| not_saved("event", &known.of.name, reason))?);
        }
        let clock = world.find_global::<Clock>().map(|clock| *clock);
        let layout = world.layout();
        let changes = SavedChanges::of(world, &layout.order, &schedule.last_runs());
        Ok(Self::new(Pieces {
            snapshot: world.snapshot()?,
            components: world.component_versions(),
            layout,
            clock: clock.unwrap_or_default(),
            globals,
            changes,
            events,
            contacts: world
                .find_global::<Contacts>()
                .map(|contacts| contacts.saved()),
            off: schedule.off_names().map(str::to_owned).collect(),
            set_up: schedule.set_up_names().map(str::to_owned).collect(),
        }))
    }

    pub(super) fn new(pieces: Pieces) -> Self {
        let Pieces {
            snapshot,
            components,
            layout,
            mut events,
            ..
        } = pieces;
        let places: BTreeMap<&str, u32> = components
            .iter()
            .zip(0..)
            .map(|((name, _), place)| (name.as_str(), place))
            .collect();
        let entities = layout.order.iter().map(|&entity| {
            let values = snapshot.all_bytes(entity);
            let values = values.map(|(name, bytes)| (places[name], Value::Bytes(bytes.to_vec())));
            let generation = NonZeroU32::new(entity.generation());
            let generation = generation.unwrap_or(NonZeroU32::MIN);
            (entity.index(), generation, values.collect())
        });
        // Most components are never asked for their losses.
        events.retain(|saved| !(saved.is_empty() && SavedEvents::is_of_lost(&saved.name)));
        Self {
            clock: pieces.clock,
            ids: snapshot.ids(),
            entities: entities.collect(),
            tables: {
                let place = |name: &Arc<str>| places[&**name];
                let tables = layout.tables.iter();
                tables.map(|set| set.iter().map(place).collect()).collect()
            },
            globals: pieces.globals,
            changes: pieces.changes,
            events,
            contacts: pieces.contacts,
            off: pieces.off,
            set_up: pieces.set_up,
            components,
        }
    }

    pub(super) fn to_bytes(&self) -> Result<Vec<u8>, Error> {
        let failed = |reason: String| not_saved("state of the", "Runtime", reason);
        let mut state = Vec::new();
        ciborium::into_writer(self, &mut state).map_err(|error| failed(error.to_string()))?;
        let checksum = xxh3_64(&state);
        let file = (FORMAT, VERSION, Value::Bytes(state), checksum);
        let mut bytes = Vec::new();
        ciborium::into_writer(&file, &mut bytes).map_err(|error| failed(error.to_string()))?;
        Ok(bytes)
    }

    pub(super) fn from_bytes(bytes: &[u8]) -> Result<Self, Error> {
        let mut rest = bytes;
        let no_save =
            || refuse("`Runtime::save` has not written this file; name one that it has written");
        let file: Value = ciborium::from_reader(&mut rest).map_err(|_| match bytes {
            // The array of four items and the text are whole, so the end is missing.
            [0x84, 0x6b, text @ ..] if text.starts_with(FORMAT.as_bytes()) => {
                refuse("the file is cut off; save it again")
            }
            _ => no_save(),
        })?;
        let Value::Array(items) = file else {
            return Err(no_save());
        };
        let [format, version, state, checksum] =
            <[Value; 4]>::try_from(items).map_err(|_| no_save())?;
        if format.as_text() != Some(FORMAT) {
            return Err(no_save());
        }
        let version = version
            .as_integer()
            .and_then(|version| u32::try_from(version).ok());
        match version {
            Some(VERSION) => {}
            Some(newer) => {
                return Err(refuse(format!(
                    "its format has version {newer}, and this build reads version {VERSION}; use the build that wrote it"
                )));
            }
            None => return Err(no_save()),
        }
        let checksum = checksum
            .as_integer()
            .and_then(|sum| u64::try_from(sum).ok());
        let state = state.into_bytes().map_err(|_| no_save())?;
        // A fuzzer does not guess checksums, but it must reach the code behind them.
        let is_right = checksum == Some(xxh3_64(&state)) || cfg!(fuzzing);
        if !rest.is_empty() || !is_right {
            return Err(refuse("the file is damaged; save it again"));
        }
        ciborium::from_reader(&state[..])
            .map_err(|error| refuse(format!("its state cannot be read: {error}; save it again")))
    }

    /// Reads all values by the types that are registered in a world.
    pub(super) fn into_parts(self, world: &World) -> Result<Parts, Error> {
        let snapshot = self.snapshot(world)?;
        let layout = self.layout(&snapshot)?;
        let mut globals = Vec::new();
        for (name, value) in self.globals {
            let mut known = world.registered_globals.iter();
            let known = known.find(|known| known.of.name == name);
            let known = known.ok_or_else(|| {
                refuse(format!(
                    "it has the global `{name}`, which is not registered here; register it by `World::register_global`"
                ))
            })?;
            globals.push(match value {
                Value::Null => Box::new(known.remove),
                value => {
                    let put = (known.read)(&bytes_of(value)?);
                    put.map_err(|reason| unreadable("global", &name, &reason))?
                }
            });
        }
        let mut events = Vec::new();
        let mut saved: BTreeMap<String, SavedEvents> = self
            .events
            .into_iter()
            .map(|saved| (saved.name.clone(), saved))
            .collect();
        for known in &world.registered_events {
            let name = &known.of.name;
            let saved = saved.remove(name);
            let put = (known.read)(saved.unwrap_or_else(|| SavedEvents::none(name)));
            events.push(put.map_err(|reason| unreadable("events", name, &reason))?);
        }
        saved.retain(|name, _| !SavedEvents::is_of_lost(name));
        if let Some(name) = saved.into_keys().next() {
            return Err(refuse(format!(
                "it has events `{name}`, which are not registered here; register them by `World::register_event`"
            )));
        }
        if !self.clock.is_valid(Runtime::LONGEST_STEP) {
            return Err(refuse("its clock shows no time; save it again"));
        }
        if self
            .contacts
            .as_ref()
            .is_some_and(|saved| !saved.is_valid())
        {
            return Err(refuse("its contacts contradict each other; save it again"));
        }
        if !self.changes.is_valid() {
            return Err(refuse(
                "its times of changes are too far back; save it again",
            ));
        }
        Ok(Parts {
            changes: self.changes,
            clock: self.clock,
            snapshot,
            layout,
            globals,
            events,
            contacts: self.contacts,
            off: self.off,
            set_up: self.set_up,
        })
    }

    fn layout(&self, snapshot: &Snapshot) -> Result<Layout, Error> {
        let order = self.entities.iter();
        let order: Vec<Entity> = order
            .map(|(index, generation, _)| Entity::from_parts(*index, *generation))
            .collect();
        if order.len() != snapshot.entities().count() {
            return Err(refuse("it lists an entity twice; save it again"));
        }
        let name_at = |place: &u32| {
            let listed = self.components.get(*place as usize);
            listed
                .map(|(name, _)| Arc::from(name.as_str()))
                .ok_or_else(|| {
                    refuse("a table has a component that it does not list; save it again")
                })
        };
        let tables = self.tables.iter();
        let tables: Result<Vec<Vec<Arc<str>>>, Error> = tables
            .map(|set| set.iter().map(name_at).collect())
            .collect();
        Ok(Layout {
            order,
            tables: tables?,
        })
    }

    fn snapshot(&self, world: &World) -> Result<Snapshot, Error> {
        let names: Vec<(Arc<str>, u32)> = self
            .components
            .iter()
            .map(|(name, version)| (Arc::from(name.as_str()), *version))
            .collect();
        let mut snapshot = Snapshot::default();
        for (index, generation, values) in &self.entities {
            let entity = Entity::from_parts(*index, *generation);
            snapshot.add_entity(entity);
            for (place, value) in values {
                let (name, version) = names.get(*place as usize).ok_or_else(|| {
                    refuse("it names a component that it does not list; save it again")
                })?;
                let Value::Bytes(bytes) = value else {
                    return Err(refuse("a component is not a byte string; save it again"));
                };
                let upgraded = world
                    .upgraded(name, *version, bytes)
                    .map_err(|reason| unreadable("component", name, &reason))?;
                snapshot.set_bytes(entity, name, upgraded.unwrap_or_else(|| bytes.clone()));
            }
        }
        snapshot
            .set_ids(&self.ids)
            .map_err(|_| refuse("its ids do not belong to its entities; save it again"))?;
        Ok(snapshot)
    }
}

pub(super) fn not_saved(what: &'static str, name: &str, reason: String) -> Error {
    Error::from(Kind::NotSaved {
        what,
        name: name.to_owned(),
        reason,
    })
}

fn unreadable(what: &str, name: &str, reason: &str) -> Error {
    refuse(format!(
        "the {what} `{name}` cannot be read: {reason}; load it with the types that it was saved with"
    ))
}

fn bytes_of(value: Value) -> Result<Vec<u8>, Error> {
    value
        .into_bytes()
        .map_err(|_| refuse("a value is not a byte string; save it again"))
}

#[cfg(test)]
mod tests;

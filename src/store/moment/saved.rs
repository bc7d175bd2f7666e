//! The parts of a copy, as a saved file has them.

use super::KeptWorld;
use crate::store::component::ComponentId;
use crate::store::snapshot::{LastRuns, Layout, SavedChanges, SavedEvents};
use ciborium::Value;
use std::sync::Arc;

/// Why a value cannot be written: the name under which it is registered, and the reason.
pub(crate) type NotWritten = (String, String);

impl KeptWorld {
    /// The names of all registered components with the versions of their shapes, by name.
    pub(crate) fn component_versions(&self) -> Vec<(String, u32)> {
        let types = self.types.iter();
        let mut versions: Vec<(String, u32)> =
            types.map(|(_, known)| known.name_and_version()).collect();
        versions.sort_unstable();
        versions
    }

    /// The order of rows and tables.
    pub(crate) fn layout(&self) -> Layout {
        let name = |id: &ComponentId| {
            let mut types = self.types.iter();
            let known = types.find(|(known, _)| known == id);
            known.map(|(_, registered)| Arc::clone(&registered.name))
        };
        let sets = self.sets.iter();
        let chunks = self.tables.iter().flat_map(|table| &table.entities);
        Layout {
            order: chunks.flat_map(|chunk| chunk.iter()).copied().collect(),
            tables: sets
                .map(|set| set.iter().filter_map(name).collect())
                .collect(),
        }
    }

    /// The registered globals; null where there was none.
    pub(crate) fn written_globals(&self) -> Result<Vec<(String, Value)>, NotWritten> {
        let globals = self.globals.iter().zip(self.registered.globals.iter());
        let written = globals.map(|(copy, known)| {
            let name = known.of.name.clone();
            match copy {
                None => Ok((name, Value::Null)),
                Some(copy) => match (known.write_copy)(&**copy) {
                    Ok(bytes) => Ok((name, Value::Bytes(bytes))),
                    Err(reason) => Err((name, reason)),
                },
            }
        });
        written.collect()
    }

    /// The registered events that an inbox had not seen.
    pub(crate) fn written_events(&self) -> Result<Vec<SavedEvents>, NotWritten> {
        let events = self.events.iter().zip(self.registered.events.iter());
        let written = events.filter_map(|(copy, known)| {
            let name = &known.of.name;
            let written = (known.write_copy)(&**copy.as_ref()?, name);
            Some(written.map_err(|reason| (name.clone(), reason)))
        });
        written.collect()
    }

    /// The changes that systems had not seen.
    pub(crate) fn written_changes(&self, runs: &LastRuns) -> SavedChanges {
        let watched = self.registered.watched.iter().map(|(id, name)| {
            let tables = self.tables.iter();
            let changes = tables.flat_map(move |table| {
                let mut changes = table.changes.iter();
                let of_type = changes.find(|(known, _)| known == id).into_iter();
                of_type.flat_map(|(_, chunks)| chunks.iter().flat_map(|chunk| chunk.iter()))
            });
            (name.clone(), changes.copied())
        });
        SavedChanges::new(self.tick, runs, watched)
    }
}

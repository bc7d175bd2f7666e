//! When rows were written and attached, in saved states and moments.

use crate::store::component::ComponentId;
use crate::store::entity::Entity;
use crate::store::ticks::RowTicks;
use crate::store::world::World;
use serde::{Deserialize, Serialize};
use std::sync::atomic::Ordering;

/// The changes that systems have not seen yet. Times are counted in ticks before now.
#[derive(Serialize, Deserialize, Default, Debug)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct SavedChanges {
    /// By system: for each claim that asks what has changed, how long ago it ran last; null if never.
    systems: Vec<(String, Vec<Option<u64>>)>,
    types: Vec<SavedTypeChanges>,
}

/// The rows of a type, in the order of the entities that have it.
#[derive(Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case")]
struct SavedTypeChanges {
    /// The registered name, or that of the type if it comes along with a registered one.
    name: String,
    written: Vec<u64>,
    attached: Vec<u64>,
}

/// By system: the tick of the last run, for each claim that asks what has changed; 0 if there was none.
pub(crate) type LastRuns = Vec<(String, Vec<u64>)>;

/// In a file: every system that has run has seen it.
const SEEN: u64 = 0;
/// More ticks than any program lives through.
const MOST: u64 = 1 << 48;

impl SavedChanges {
    pub(crate) fn of(world: &World, order: &[Entity], runs: &LastRuns) -> Self {
        let watched = world.watched_types().into_iter().map(|(id, name)| {
            let entities = order.iter();
            let changes = entities.filter_map(move |&entity| world.ticks_of(entity, id));
            (name, changes)
        });
        Self::new(world.tick_outside(), runs, watched)
    }

    /// From the ticks of all rows by type, in the order in which entities are saved.
    pub(crate) fn new<T: Iterator<Item = RowTicks>>(
        now: u64,
        runs: &LastRuns,
        watched: impl Iterator<Item = (String, T)>,
    ) -> Self {
        let all_runs = runs.iter().flat_map(|(_, runs)| runs);
        let seen = all_runs.copied().filter(|&run| run > 0).min();
        let seen = seen.unwrap_or(0);
        // A row of now has the time 0, so all are one more.
        let time = |tick: u64| match tick <= seen {
            true => SEEN,
            false => now - tick + 1,
        };
        let watched = watched.map(|(name, rows)| {
            let mut changes = SavedTypeChanges {
                name,
                written: Vec::new(),
                attached: Vec::new(),
            };
            for ticks in rows {
                changes.written.push(time(ticks.written));
                changes.attached.push(time(ticks.attached));
            }
            changes
        });
        let runs = runs.iter().map(|(system, runs)| {
            let ago = runs.iter().map(|&run| (run > 0).then(|| now - run));
            (system.clone(), ago.collect())
        });
        Self {
            systems: runs.collect(),
            types: watched.collect(),
        }
    }

    fn longest(&self) -> u64 {
        let runs = self.systems.iter().flat_map(|(_, runs)| runs);
        let rows = self.types.iter();
        let rows = rows.flat_map(|known| known.written.iter().chain(&known.attached));
        runs.flatten().chain(rows).copied().max().unwrap_or(0)
    }

    /// Whether the values can have been saved: a file may be forged.
    pub(crate) fn is_valid(&self) -> bool {
        self.longest() < MOST
    }

    /// Puts the changes of rows back, and returns the ticks of the last runs. The entities are in the order in which they were saved.
    pub(crate) fn put_back(&self, world: &mut World, order: &[Entity]) -> LastRuns {
        // The earliest time must lie after the beginning, where 1 counts as seen.
        world.tick.fetch_max(self.longest() + 2, Ordering::Relaxed);
        let now = world.tick_outside();
        let tick = |time: u64| match time {
            SEEN => 1,
            time => now - (time - 1),
        };
        for (id, name) in world.watched_types() {
            let Some(changes) = self.types.iter().find(|known| known.name == name) else {
                continue;
            };
            let mut times = changes.written.iter().zip(&changes.attached);
            for &entity in order {
                if world.ticks_of(entity, id).is_none() {
                    continue;
                }
                let Some((&written, &attached)) = times.next() else {
                    break;
                };
                let ticks = RowTicks {
                    written: tick(written),
                    attached: tick(attached),
                };
                world.set_ticks_of(entity, id, ticks);
            }
        }
        let runs = self.systems.iter().map(|(system, runs)| {
            let ticks = runs.iter().map(|ago| ago.map_or(0, |ago| now - ago));
            (system.clone(), ticks.collect())
        });
        runs.collect()
    }
}

impl World {
    /// The types of which a system asks what has changed, each with the name by which a file knows it.
    pub(crate) fn watched_types(&self) -> Vec<(ComponentId, String)> {
        let ids = self.types.ids();
        let watched = ids.filter(|&id| self.types.get(id).is_watched());
        watched
            .map(|id| {
                let known = self.types.get(id);
                let registered = known.registered.as_ref();
                let name = registered.map_or(known.name, |registered| &registered.name);
                (id, name.to_owned())
            })
            .collect()
    }

    pub(crate) fn ticks_of(&self, entity: Entity, id: ComponentId) -> Option<RowTicks> {
        let location = self.entities.locate(entity)?;
        self.types.get(id).row_ticks(location.table, location.row)
    }

    pub(crate) fn set_ticks_of(&mut self, entity: Entity, id: ComponentId, ticks: RowTicks) {
        if let Some(location) = self.entities.locate(entity) {
            let known = self.types.get_mut(id);
            known.set_row_ticks(location.table, location.row, ticks);
        }
    }
}

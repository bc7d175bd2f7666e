//! Copies of a world in memory, which share unchanged values.

mod chunk;

use super::component::{Component, ComponentId};
use super::entity::{Entity, IdSequence, Location, TableId};
use super::table::{Table, complete_with_companions};
use super::world::World;
use crate::panics::after_all;
use crate::store::changes::Kept;
use chunk::Chunk;
use std::any::Any;
use std::sync::Arc;

pub(crate) use chunk::{ChunkFunctions, SameBits};

/// Rows of a chunk: the rows that share a tick.
const CHUNK: usize = super::ticks::CHUNK;

/// A copy of the registered parts of a world. Values that have not changed are shared with the copy before.
#[derive(Debug)]
pub(crate) struct KeptWorld {
    /// Of which world.
    identity: u64,
    /// Rows that were written later have a greater tick.
    tick: u64,
    ids: Arc<IdSequence>,
    entities: usize,
    tables: Vec<KeptTable>,
    /// Globals and events of registered types, in the order of registration.
    globals: Vec<Option<Shared>>,
    events: Vec<Shared>,
}

/// A value of some registered type.
type Shared = Arc<dyn Any + Send + Sync>;

/// One table.
#[derive(Debug)]
struct KeptTable {
    id: TableId,
    /// It tells tables apart that had the same id one after the other.
    birth: u64,
    entities: Vec<Arc<[Entity]>>,
    columns: Vec<KeptColumn>,
}

/// The values of one type in one table, chunk by chunk.
#[derive(Debug)]
struct KeptColumn {
    component: ComponentId,
    /// Bytes of one value.
    size: usize,
    chunks: Vec<Chunk>,
}

impl World {
    /// Copies the registered parts. O(chunks + what was written since `previous`).
    pub(crate) fn keep(&mut self, previous: Option<&KeptWorld>) -> KeptWorld {
        self.keep_ticks_of_registered();
        let previous = previous.filter(|previous| previous.identity == self.identity());
        let tick = self.next_tick();
        let registered = self.registered_ids();
        let tables = self.tables.iter();
        let tables = tables
            .filter(|(_, table)| !table.entities.is_empty())
            .map(|(id, table)| {
                let before = previous.and_then(|previous| previous.table(id, table.birth()));
                let since = previous.map_or(0, |previous| previous.tick);
                self.keep_table(id, table, &registered, before, since)
            });
        let ids = self.entities.sequence();
        KeptWorld {
            identity: self.identity(),
            tick,
            ids: match previous {
                Some(previous) if *previous.ids == ids => Arc::clone(&previous.ids),
                _ => Arc::new(ids),
            },
            entities: self.len(),
            tables: tables.collect(),
            globals: {
                let known = self.registered_globals.iter();
                known.map(|known| (known.copy)(self)).collect()
            },
            events: {
                let known = self.registered_events.iter();
                known.map(|known| (known.copy)(self)).collect()
            },
        }
    }

    fn keep_table(
        &self,
        id: TableId,
        table: &Table,
        registered: &[ComponentId],
        before: Option<&KeptTable>,
        since: u64,
    ) -> KeptTable {
        // Rows may have moved without being written, so a chunk is the same only if its entities are.
        let entities = table.entities.chunks(CHUNK).enumerate();
        let mut same = Vec::with_capacity(table.entities.len().div_ceil(CHUNK));
        let entities = entities
            .map(|(at, entities)| {
                let known = before.and_then(|before| before.entities.get(at));
                let known = known.filter(|known| known[..] == *entities);
                same.push(known.is_some());
                known.map_or_else(|| Arc::from(entities), Arc::clone)
            })
            .collect();
        let components = table.components().iter().copied();
        let columns = components
            .filter(|component| registered.contains(component))
            .map(|component| {
                let known = before.and_then(|before| before.column(component));
                let chunks = same.iter().enumerate().map(|(at, &is_same)| {
                    let known = known.and_then(|known| known.chunks.get(at));
                    let known = known.filter(|known| {
                        is_same
                            && (!self.types.get(component).is_written(id, at, since)
                                || self.is_same(component, id, at, known))
                    });
                    known.map_or_else(|| self.copy_chunk(component, id, at), Chunk::clone)
                });
                KeptColumn {
                    component,
                    size: self.types.get(component).size,
                    chunks: chunks.collect(),
                }
            })
            .collect();
        KeptTable {
            id,
            birth: table.birth(),
            entities,
            columns,
        }
    }

    fn copy_chunk(&self, component: ComponentId, table: TableId, at: usize) -> Chunk {
        let known = self.types.get(component).registered.as_ref();
        let functions = &known.expect("only registered types are kept").chunks;
        (functions.copy)(&self.types, table, at)
    }

    fn is_same(&self, component: ComponentId, table: TableId, at: usize, chunk: &Chunk) -> bool {
        let known = self.types.get(component).registered.as_ref();
        let is_same = known.and_then(|known| known.chunks.is_same);
        is_same.is_some_and(|is_same| is_same(&self.types, table, at, &**chunk))
    }

    /// Types whose rows say when they were written cost about 5 % of a walk that writes them, so it begins with the first copy.
    fn keep_ticks_of_registered(&mut self) {
        let tick = self.tick_outside();
        for id in self.registered_ids() {
            let ticks = Kept {
                ticks: true,
                ..Kept::default()
            };
            self.types.keep(id, ticks, tick);
        }
    }

    fn registered_ids(&self) -> Vec<ComponentId> {
        let types = self.types.ids();
        types
            .filter(|&id| self.types.get(id).registered.is_some())
            .collect()
    }

    /// Lets moments compare the values of a registered type with those before.
    pub(crate) fn compare_in_moments<T: Component + Clone + SameBits>(&mut self) {
        let id = self.types.id_or_register::<T>();
        if let Some(registered) = &mut self.types.get_mut(id).registered {
            registered.chunks = ChunkFunctions::of_comparable::<T>();
        }
    }

    /// Puts a copy of this world in place of what is there. Returns whether it is a copy of this world; if not, nothing is changed.
    ///
    /// # Panics
    ///
    /// If the clone of a value panics: the entities that are there then are whole. If the drop of a component panics: then everything is in
    /// place, and the panic continues.
    pub(crate) fn put_back(&mut self, kept: &KeptWorld) -> bool {
        let entities = super::entity::Entities::with_sequence(&kept.ids, kept.entities);
        let Some(entities) = entities.filter(|_| kept.identity == self.identity()) else {
            return false;
        };
        let present: Vec<Entity> = self.rows::<Entity>().iter().collect();
        for entity in present {
            self.remove_entity(entity);
        }
        self.entities = entities;
        for table in &kept.tables {
            self.put_table_back(table);
        }
        for at in 0..self.after_restore.len() {
            (self.after_restore[at])(self);
        }
        after_all(|panics| self.types.drop_set_aside(panics));
        true
    }

    /// Globals and events of a copy, after the rest is in place.
    pub(crate) fn put_globals_back(&mut self, kept: &KeptWorld) {
        for (at, value) in kept.globals.iter().enumerate() {
            let registered = &self.registered_globals[at];
            match value {
                Some(value) => (registered.put_copy)(self, &**value),
                None => (registered.remove)(self),
            }
        }
    }

    pub(crate) fn put_events_back(&mut self, kept: &KeptWorld) {
        for (at, value) in kept.events.iter().enumerate() {
            (self.registered_events[at].put_copy)(self, &**value);
        }
    }

    fn put_table_back(&mut self, kept: &KeptTable) {
        let mut components: Vec<ComponentId> =
            kept.columns.iter().map(|column| column.component).collect();
        let companions = complete_with_companions(&self.types, &mut components);
        let table = self.tables.find_or_create(&mut self.types, components);
        let tick = self.tick_outside();
        for column in &kept.columns {
            let known = self.types.get(column.component).registered.as_ref();
            let put = known.expect("a type stays registered").chunks.put;
            for chunk in &column.chunks {
                put(&mut self.types, table, &**chunk, tick);
            }
        }
        for companion in companions {
            (companion.push)(&mut self.types, table, tick);
        }
        for &entity in kept.entities.iter().flat_map(|chunk| chunk.iter()) {
            let rows = &mut self.tables.get_mut(table).entities;
            let row = super::world::row_number(rows.len());
            rows.push(entity);
            self.entities.settle(entity, Location { table, row });
        }
    }
}

impl KeptWorld {
    fn table(&self, id: TableId, birth: u64) -> Option<&KeptTable> {
        let at = self.tables.binary_search_by_key(&id, |table| table.id);
        let table = &self.tables[at.ok()?];
        (table.birth == birth).then_some(table)
    }

    /// The address and the bytes of each part that copies share.
    pub(crate) fn shared_parts(&self, note: &mut dyn FnMut(*const (), usize)) {
        for table in &self.tables {
            for entities in &table.entities {
                note(entities.as_ptr().cast(), size_of_val(&entities[..]));
            }
            for column in &table.columns {
                for (chunk, entities) in column.chunks.iter().zip(&table.entities) {
                    note(Arc::as_ptr(chunk).cast(), column.size * entities.len());
                }
            }
        }
        note(Arc::as_ptr(&self.ids).cast(), self.ids.bytes());
    }

    /// The bytes of lists that no other copy shares.
    pub(crate) fn own_bytes(&self) -> usize {
        let tables = self.tables.iter();
        let lists = tables.map(|table| {
            let columns = table.columns.iter();
            let chunks: usize = columns.map(|column| column.chunks.len()).sum();
            (chunks + table.entities.len()) * size_of::<Chunk>()
                + table.columns.len() * size_of::<KeptColumn>()
        });
        lists.sum::<usize>() + self.tables.len() * size_of::<KeptTable>()
    }
}

impl KeptTable {
    fn column(&self, component: ComponentId) -> Option<&KeptColumn> {
        self.columns
            .iter()
            .find(|column| column.component == component)
    }
}

//! Copies of a world in memory, which share unchanged values.

mod chunk;
mod saved;

use super::component::{Component, ComponentId};
use super::entity::{Entities, Entity, IdSequence, TableId};
use super::snapshot::{
    CopiedEvents, EntityValues, LastRuns, Registered, RegisteredEvent, RegisteredGlobal, Snapshot,
};
use super::table::{Table, complete_with_companions};
use super::ticks::RowTicks;
use super::world::World;
use crate::error::{Error, Kind};
use crate::panics::after_all;
use crate::store::changes::Kept;
use chunk::copied_slice;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Arc;

pub(crate) use chunk::{Chunk, ChunkFunctions, SameBits, copied, copied_by};

/// Rows of a chunk: the rows that share a tick.
const CHUNK: usize = super::ticks::CHUNK;

/// A copy of the registered parts of a world. Values that have not changed are shared with the copy before.
pub(crate) struct KeptWorld {
    /// Of which world.
    identity: u64,
    /// How often rows of that world were put back before. Ticks from before and after that cannot be compared.
    put_backs: u64,
    /// Rows that were written later have a greater tick.
    tick: u64,
    ids: Arc<IdSequence>,
    entities: usize,
    /// The components of all tables, also of those without rows, in the order of the tables.
    sets: Arc<[Box<[ComponentId]>]>,
    tables: Vec<KeptTable>,
    /// Globals and events of registered types, in the order of registration.
    globals: Vec<Option<Chunk>>,
    events: Vec<Option<Chunk>>,
    /// The registered types.
    types: Arc<[(ComponentId, Registered)]>,
    registered: Arc<Others>,
    /// Bytes of the parts that it does not share with the copy before.
    fresh: usize,
}

/// The registered types besides components, in the order of registration, and the types of which a system asks what has changed.
#[derive(Default)]
struct Others {
    globals: Vec<RegisteredGlobal>,
    events: Vec<RegisteredEvent>,
    watched: Vec<(ComponentId, String)>,
}

/// One table.
#[derive(Debug)]
struct KeptTable {
    id: TableId,
    /// It tells tables apart that had the same id one after the other.
    birth: u64,
    entities: Vec<Arc<Vec<Entity>>>,
    columns: Vec<KeptColumn>,
    /// By type of which a system asks what has changed: when rows were written and attached, chunk by chunk.
    changes: Vec<(ComponentId, Vec<Arc<Vec<RowTicks>>>)>,
    /// Bytes of the parts that it does not share with the copy before.
    fresh: usize,
}

/// The values of one type in one table, chunk by chunk.
#[derive(Debug)]
struct KeptColumn {
    component: ComponentId,
    /// Bytes of one value.
    size: usize,
    chunks: Vec<Chunk>,
}

/// Lists without values, whose memory the next copy uses.
#[derive(Default, Debug)]
pub(crate) struct Scratch {
    tables: Vec<KeptTable>,
    chunks: Vec<Chunk>,
    entities: Vec<Arc<Vec<Entity>>>,
    ticks: Vec<Arc<Vec<RowTicks>>>,
    /// By chunk of a table: whether the copy before has the same entities in it.
    same: Vec<bool>,
}

/// Copies the chunks of a list: shared with an earlier copy where one is known, otherwise by `copy`, into an old chunk if there is one.
/// `scratch` is an empty list; it exchanges its memory with that of `old`.
fn copied_chunks<'c, T: ?Sized + 'c>(
    known: impl Iterator<Item = Option<&'c Arc<T>>>,
    mut old: Vec<Arc<T>>,
    scratch: &mut Vec<Arc<T>>,
    mut copy: impl FnMut(usize, Option<Arc<T>>) -> Arc<T>,
) -> Vec<Arc<T>> {
    // The clone of a value may have panicked when it was in use.
    scratch.clear();
    let mut olds = old.drain(..);
    for (at, known) in known.enumerate() {
        let old = olds.next();
        scratch.push(match known {
            Some(known) => Arc::clone(known),
            None => copy(at, old),
        });
    }
    drop(olds);
    std::mem::replace(scratch, old)
}

/// [`copied_chunks`] of values that stand in a list: chunks with the values of before are shared. `note` is called for each chunk with its
/// values and whether it is shared.
pub(crate) fn copied_slices<T: Clone + SameBits>(
    values: &[T],
    before: &[Arc<Vec<T>>],
    mut old: Vec<Arc<Vec<T>>>,
    scratch: &mut Vec<Arc<Vec<T>>>,
    mut note: impl FnMut(&[T], bool),
) -> Vec<Arc<Vec<T>>> {
    // The clone of a value may have panicked when it was in use.
    scratch.clear();
    let mut olds = old.drain(..);
    for (at, values) in values.chunks(CHUNK).enumerate() {
        let old = olds.next();
        let known = before.get(at).filter(|known| {
            let mut pairs = known.iter().zip(values);
            known.len() == values.len() && pairs.all(|(one, other)| one.has_same_bits(other))
        });
        note(values, known.is_some());
        scratch.push(match known {
            Some(known) => Arc::clone(known),
            None => copied_slice(values, old),
        });
    }
    drop(olds);
    std::mem::replace(scratch, old)
}

impl World {
    /// Copies the registered parts into an old copy that is no longer needed. O(chunks + what was written since `previous`).
    pub(crate) fn keep_in(
        &mut self,
        kept: &mut KeptWorld,
        previous: Option<&KeptWorld>,
        scratch: &mut Scratch,
    ) {
        self.keep_ticks_of_registered();
        let previous = previous.filter(|previous| {
            previous.identity == self.identity() && previous.put_backs == self.put_backs
        });
        kept.identity = self.identity();
        kept.put_backs = self.put_backs;
        kept.tick = self.next_tick();
        kept.entities = self.len();
        kept.sets = self.kept_sets(previous);
        kept.types = self.kept_types(previous);
        kept.registered = self.kept_others(previous);
        kept.fresh = 0;
        kept.ids = match previous {
            Some(previous) if self.entities.has_sequence(&previous.ids) => {
                Arc::clone(&previous.ids)
            }
            _ => {
                let ids = self.entities.sequence();
                kept.fresh += ids.bytes();
                Arc::new(ids)
            }
        };
        let since = previous.map_or(0, |previous| previous.tick);
        scratch.tables.clear();
        let mut olds = std::mem::take(&mut kept.tables);
        let mut old = olds.drain(..).peekable();
        for (id, table) in self.tables.iter() {
            if table.entities.is_empty() {
                continue;
            }
            while old.next_if(|old| old.id < id).is_some() {}
            let old = old.next_if(|old| old.id == id);
            let before = previous.and_then(|previous| previous.table(id, table.birth()));
            let table = self.keep_table(id, table, old, before, since, scratch);
            scratch.tables.push(table);
        }
        drop(old);
        kept.tables = std::mem::replace(&mut scratch.tables, olds);
        kept.fresh += kept.own_bytes();
        kept.fresh += kept.tables.iter().map(|table| table.fresh).sum::<usize>();
        copy_each(&mut kept.globals, &self.registered_globals, |known, old| {
            (known.copy)(self, old)
        });
        copy_each(&mut kept.events, &self.registered_events, |known, old| {
            Some((known.copy)(self, old))
        });
    }

    fn kept_sets(&self, previous: Option<&KeptWorld>) -> Arc<[Box<[ComponentId]>]> {
        let sets = || self.tables.iter().map(|(_, table)| table.components());
        match previous {
            Some(previous) if previous.sets.iter().map(|set| &**set).eq(sets()) => {
                Arc::clone(&previous.sets)
            }
            _ => sets().map(Box::from).collect(),
        }
    }

    fn kept_types(&self, previous: Option<&KeptWorld>) -> Arc<[(ComponentId, Registered)]> {
        let types = || {
            let ids = self.types.ids();
            ids.filter_map(|id| Some((id, self.types.get(id).registered.as_ref()?)))
        };
        match previous {
            Some(previous) if previous.types.len() == types().count() => {
                Arc::clone(&previous.types)
            }
            _ => types()
                .map(|(id, registered)| (id, registered.clone()))
                .collect(),
        }
    }

    /// Types are registered and watched one after the other and stay so, so equal numbers mean equal types.
    fn kept_others(&self, previous: Option<&KeptWorld>) -> Arc<Others> {
        let watched = self.types.iter().filter(|known| known.is_watched());
        let numbers = [
            self.registered_globals.len(),
            self.registered_events.len(),
            watched.count(),
        ];
        match previous.map(|previous| &previous.registered) {
            Some(known)
                if numbers == [known.globals.len(), known.events.len(), known.watched.len()] =>
            {
                Arc::clone(known)
            }
            _ => Arc::new(Others {
                globals: self.registered_globals.clone(),
                events: self.registered_events.clone(),
                watched: self.watched_types(),
            }),
        }
    }

    fn keep_table(
        &self,
        id: TableId,
        table: &Table,
        old: Option<KeptTable>,
        before: Option<&KeptTable>,
        since: u64,
        scratch: &mut Scratch,
    ) -> KeptTable {
        let mut kept = old.unwrap_or_else(|| KeptTable::empty(id));
        kept.birth = table.birth();
        kept.fresh = 0;
        // Rows may have moved without being written, so a chunk is the same only if its entities are.
        scratch.same.clear();
        kept.entities = copied_slices(
            &table.entities,
            before.map_or(&[], |before| &before.entities),
            std::mem::take(&mut kept.entities),
            &mut scratch.entities,
            |entities, is_same| {
                scratch.same.push(is_same);
                kept.fresh += usize::from(!is_same) * size_of_val(entities);
            },
        );
        let same = &scratch.same;
        let rows = |at: usize| CHUNK.min(table.entities.len() - at * CHUNK);

        let registered = |component: &ComponentId| self.types.get(*component).registered.is_some();
        let mut listed = 0;
        for component in table.components().iter().copied().filter(registered) {
            let known_before = before.and_then(|before| before.column(component));
            let size = self.types.get(component).size;
            let column = place_for(&mut kept.columns, listed, |column| {
                column.component == component
            });
            let old = column.map_or_else(Vec::new, |column| std::mem::take(&mut column.chunks));
            let known = same.iter().enumerate().map(|(at, &is_same)| {
                let known = known_before.and_then(|known| known.chunks.get(at));
                known.filter(|known| {
                    is_same
                        && (!self.types.get(component).is_written(id, at, since)
                            || self.is_same(component, id, at, known))
                })
            });
            let mut fresh = 0;
            let chunks = copied_chunks(known, old, &mut scratch.chunks, |at, old| {
                fresh += rows(at) * size;
                self.copy_chunk(component, id, at, old)
            });
            kept.fresh += fresh;
            put_at(
                &mut kept.columns,
                listed,
                KeptColumn {
                    component,
                    size,
                    chunks,
                },
            );
            listed += 1;
        }
        kept.columns.truncate(listed);

        let watched = |component: &ComponentId| self.types.get(*component).is_watched();
        let mut listed = 0;
        for component in table.components().iter().copied().filter(watched) {
            let mut known_before = before.into_iter().flat_map(|before| &before.changes);
            let known_before = known_before.find(|(known, _)| *known == component);
            let place = place_for(&mut kept.changes, listed, |(known, _)| *known == component);
            let old = place.map_or_else(Vec::new, |(_, chunks)| std::mem::take(chunks));
            let known = same.iter().enumerate().map(|(at, &is_same)| {
                let known = known_before.and_then(|(_, chunks)| chunks.get(at));
                known.filter(|_| is_same && !self.types.get(component).is_written(id, at, since))
            });
            let mut fresh = 0;
            let chunks = copied_chunks(known, old, &mut scratch.ticks, |at, old| {
                fresh += rows(at) * size_of::<RowTicks>();
                self.copy_changes(component, id, at, old)
            });
            kept.fresh += fresh;
            put_at(&mut kept.changes, listed, (component, chunks));
            listed += 1;
        }
        kept.changes.truncate(listed);
        kept
    }

    fn copy_changes(
        &self,
        component: ComponentId,
        table: TableId,
        at: usize,
        old: Option<Arc<Vec<RowTicks>>>,
    ) -> Arc<Vec<RowTicks>> {
        let known = self.types.get(component);
        let rows = self.tables.get(table).entities.len();
        let rows = at * CHUNK..rows.min((at + 1) * CHUNK);
        let ticks = rows.filter_map(|row| known.row_ticks(table, row as u32));
        let mut chunk = old
            .filter(|old| Arc::strong_count(old) == 1)
            .unwrap_or_default();
        let place = Arc::get_mut(&mut chunk).expect("nothing else refers to it");
        place.clear();
        place.extend(ticks);
        chunk
    }

    fn copy_chunk(
        &self,
        component: ComponentId,
        table: TableId,
        at: usize,
        old: Option<Chunk>,
    ) -> Chunk {
        let known = self.types.get(component).registered.as_ref();
        let functions = &known.expect("only registered types are kept").chunks;
        (functions.copy)(&self.types, table, at, old)
    }

    fn is_same(&self, component: ComponentId, table: TableId, at: usize, chunk: &Chunk) -> bool {
        let known = self.types.get(component).registered.as_ref();
        let is_same = known.and_then(|known| known.chunks.is_same);
        is_same.is_some_and(|is_same| is_same(&self.types, table, at, &**chunk))
    }

    /// Types whose rows say when they were written cost about 5 % of a walk that writes them, so it begins with the first copy.
    fn keep_ticks_of_registered(&mut self) {
        let tick = self.tick_outside();
        for id in self.types.ids() {
            let known = self.types.get(id);
            if known.registered.is_some() && !known.keeps_ticks() {
                let ticks = Kept {
                    ticks: true,
                    ..Kept::default()
                };
                self.types.keep(id, ticks, tick);
            }
        }
    }

    /// Lets moments compare the values of a registered type with those before.
    pub(crate) fn compare_in_moments<T: Component + Clone + Serialize + SameBits>(&mut self) {
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
        self.put_backs += 1;
        self.remake_tables(kept.sets.iter().map(|set| set.to_vec()).collect());
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

    /// Puts back when rows were written and attached, and returns the ticks of last runs as they are now.
    pub(crate) fn put_changes_back(&mut self, kept: &KeptWorld, runs: &LastRuns) -> LastRuns {
        let later = self.tick_outside() - kept.tick;
        for table in &kept.tables {
            for (component, chunks) in &table.changes {
                let ticks = chunks.iter().flat_map(|chunk| chunk.iter());
                let entities = table.entities.iter().flat_map(|chunk| chunk.iter());
                for (&entity, ticks) in entities.zip(ticks) {
                    let ticks = RowTicks {
                        written: ticks.written + later,
                        attached: ticks.attached + later,
                    };
                    self.set_ticks_of(entity, *component, ticks);
                }
            }
        }
        let now = |&run: &u64| if run == 0 { 0 } else { run + later };
        let runs = runs.iter();
        runs.map(|(system, runs)| (system.clone(), runs.iter().map(now).collect()))
            .collect()
    }

    pub(crate) fn put_events_back(&mut self, kept: &KeptWorld) {
        for (at, value) in kept.events.iter().enumerate() {
            if let Some(value) = value {
                (self.registered_events[at].put_copy)(self, &**value);
            }
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
            self.settle_in(table, entity);
        }
    }
}

/// Copies a value for each of some registered types, into the copies that are there.
fn copy_each<R>(
    copies: &mut Vec<Option<Chunk>>,
    registered: &[R],
    copy: impl Fn(&R, Option<Chunk>) -> Option<Chunk>,
) {
    copies.resize(registered.len(), None);
    for (place, known) in copies.iter_mut().zip(registered) {
        *place = copy(known, place.take());
    }
}

/// The item at a place, if it is the wanted one.
fn place_for<T>(items: &mut [T], at: usize, is_it: impl Fn(&T) -> bool) -> Option<&mut T> {
    items.get_mut(at).filter(|item| is_it(item))
}

/// Puts an item at a place, which is there or comes next.
fn put_at<T>(items: &mut Vec<T>, at: usize, item: T) {
    match items.get_mut(at) {
        Some(place) => *place = item,
        None => items.push(item),
    }
}

impl KeptTable {
    fn empty(id: TableId) -> Self {
        Self {
            id,
            birth: 0,
            entities: Vec::new(),
            columns: Vec::new(),
            changes: Vec::new(),
            fresh: 0,
        }
    }

    fn column(&self, component: ComponentId) -> Option<&KeptColumn> {
        self.columns
            .iter()
            .find(|column| column.component == component)
    }
}

impl KeptWorld {
    /// A copy of nothing, to be filled.
    pub(crate) fn empty() -> Self {
        Self {
            identity: 0,
            put_backs: 0,
            tick: 0,
            ids: Arc::default(),
            entities: 0,
            sets: Arc::default(),
            tables: Vec::new(),
            globals: Vec::new(),
            events: Vec::new(),
            types: Arc::default(),
            registered: Arc::default(),
            fresh: 0,
        }
    }

    /// The registered components as a snapshot; the world may have changed since.
    ///
    /// # Errors
    ///
    /// If a component cannot be serialized.
    pub(crate) fn snapshot(&self) -> Result<Snapshot, Error> {
        let ids = Entities::with_sequence(&self.ids, self.entities);
        let mut snapshot = Snapshot {
            ids: ids.expect("it was valid when it was copied"),
            values: BTreeMap::new(),
        };
        for table in &self.tables {
            let columns = table.columns.iter().map(|column| {
                let known = self.types.iter().find(|(id, _)| *id == column.component);
                (column, &known.expect("only registered types are kept").1)
            });
            for (at, entities) in table.entities.iter().enumerate() {
                for (row, &entity) in entities.iter().enumerate() {
                    let values = columns.clone().map(|(column, registered)| {
                        let name = &registered.name;
                        let bytes = (registered.chunks.write)(&*column.chunks[at], row);
                        let bytes = bytes.map_err(|reason| Kind::NotWritten {
                            name: name.to_string(),
                            entity,
                            label: entity.to_string(),
                            reason,
                        })?;
                        Ok((Arc::clone(name), bytes))
                    });
                    let values: Result<EntityValues, Error> = values.collect();
                    snapshot.values.insert(entity, values?);
                }
            }
        }
        Ok(snapshot)
    }

    pub(crate) fn global<T: Component>(&self) -> Option<&T> {
        let mut globals = self.globals.iter().flatten();
        globals.find_map(|value| value.downcast_ref())
    }

    /// How many events of a type were posted so far, and those of the frame.
    pub(crate) fn posted<E: Component>(&self) -> Option<(u64, &[E])> {
        let mut events = self.events.iter().flatten();
        let copied = events.find_map(|copy| copy.downcast_ref::<Option<CopiedEvents<E>>>());
        let copied = copied?.as_ref()?;
        let older = copied.frame_start.saturating_sub(copied.first) as usize;
        let count = copied.first + copied.events.len() as u64;
        Some((count, copied.events.get(older..).unwrap_or(&[])))
    }

    /// Bytes of the parts that it does not share with the copy before.
    pub(crate) fn fresh_bytes(&self) -> usize {
        self.fresh
    }

    /// Bytes of all parts, also of shared ones.
    pub(crate) fn all_bytes(&self) -> usize {
        let tables = self.tables.iter().map(|table| {
            let sizes = table.columns.iter().map(|column| column.size);
            let of_row = size_of::<Entity>()
                + sizes.sum::<usize>()
                + table.changes.len() * size_of::<RowTicks>();
            let chunks = table.entities.iter();
            of_row * chunks.map(|chunk| chunk.len()).sum::<usize>()
        });
        tables.sum::<usize>() + self.ids.bytes() + self.own_bytes()
    }

    fn table(&self, id: TableId, birth: u64) -> Option<&KeptTable> {
        let at = self.tables.binary_search_by_key(&id, |table| table.id);
        let table = &self.tables[at.ok()?];
        (table.birth == birth).then_some(table)
    }

    /// The bytes of lists that no other copy shares.
    fn own_bytes(&self) -> usize {
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

//! Tables: which entities share one set of component types.

use super::component::{Companion, Component, ComponentId, ComponentTypes};
use super::entity::{Entity, TableId};
use rustc_hash::FxHashMap;
use std::fmt;

/// The entities that have exactly one set of component types, in row order. Their values sit in the columns of each
/// type, under the same row.
pub struct Table {
    components: Box<[ComponentId]>,
    pub(crate) entities: Vec<Entity>,
    /// Grows whenever rows may have come, gone or moved.
    version: u64,
    /// How many tables were made before this one.
    birth: u64,
    /// Where an entity goes when a component is attached or detached; filled as it is asked for.
    moves: FxHashMap<ComponentId, TableId>,
    /// Whether any of the types wants to know before an entity goes.
    pub(crate) says_farewell: bool,
}

impl fmt::Debug for Table {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Table").finish_non_exhaustive()
    }
}

impl Table {
    /// As long as this stays the same, rows stay where they are.
    pub(crate) fn version(&self) -> u64 {
        self.version
    }

    /// How many tables were made before this one: the order of tables in walks.
    pub(crate) fn birth(&self) -> u64 {
        self.birth
    }

    /// The component types, ascending.
    pub(crate) fn components(&self) -> &[ComponentId] {
        &self.components
    }

    #[inline]
    pub(crate) fn has(&self, id: ComponentId) -> bool {
        self.components.binary_search(&id).is_ok()
    }
}

/// All tables of a world. The id of a table that was dropped serves a later one.
#[derive(Default)]
pub struct Tables {
    /// By id; those that were dropped have no components and no rows.
    tables: Vec<Table>,
    /// In the order in which they were made: that of the columns of each type.
    in_order: Vec<TableId>,
    /// The ids of tables that were dropped.
    vacant: Vec<TableId>,
    by_components: FxHashMap<Box<[ComponentId]>, TableId>,
    births: u64,
    /// How often tables have been dropped.
    drops: u64,
    /// The number of tables from which a search for empty ones pays.
    look_from: usize,
}

impl fmt::Debug for Tables {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Tables").finish_non_exhaustive()
    }
}

/// With fewer tables than this no search for empty ones is made: they hardly slow a walk.
const EMPTY_TABLES_KEPT: usize = 64;

impl Tables {
    #[inline]
    pub(crate) fn get(&self, id: TableId) -> &Table {
        &self.tables[id.index()]
    }

    /// A table, to change its rows.
    #[inline]
    pub(crate) fn get_mut(&mut self, id: TableId) -> &mut Table {
        let table = &mut self.tables[id.index()];
        table.version += 1;
        table
    }

    pub(crate) fn len(&self) -> usize {
        self.in_order.len()
    }

    /// All tables, in the order in which they were made.
    pub(crate) fn iter(&self) -> impl Iterator<Item = (TableId, &Table)> {
        self.in_order.iter().map(|&id| (id, self.get(id)))
    }

    /// The ids of all tables, in the order in which they were made. As long as [`Tables::drops`] stays the same, new ones
    /// only come at the end.
    pub(crate) fn in_order(&self) -> &[TableId] {
        &self.in_order
    }

    /// How often tables have been dropped.
    pub(crate) fn drops(&self) -> u64 {
        self.drops
    }

    /// Whether it pays to look for empty tables: there are many more tables than at the last look, or it is time.
    pub(crate) fn may_have_many_empty(&self, is_time: bool) -> bool {
        self.len() > self.look_from.max(EMPTY_TABLES_KEPT)
            || (is_time && self.len() > EMPTY_TABLES_KEPT)
    }

    /// Drops the tables without rows if there are more of them than others, and returns how many were dropped.
    pub(crate) fn drop_many_empty(&mut self, types: &mut ComponentTypes) -> usize {
        let filled = self
            .iter()
            .filter(|(_, table)| !table.entities.is_empty())
            .count();
        self.look_from = 2 * filled + EMPTY_TABLES_KEPT;
        let empty = self.len() - filled;
        match empty > filled.max(EMPTY_TABLES_KEPT) {
            true => self.drop_empty(types),
            false => 0,
        }
    }

    /// Drops all tables without rows, and returns how many there were.
    pub(crate) fn drop_empty(&mut self, types: &mut ComponentTypes) -> usize {
        let mut columns = Vec::new();
        let before = self.len();
        let Self {
            tables,
            in_order,
            vacant,
            by_components,
            ..
        } = self;
        in_order.retain(|&id| {
            let table = &mut tables[id.index()];
            if !table.entities.is_empty() {
                return true;
            }
            let components = std::mem::take(&mut table.components);
            by_components.remove(&components);
            columns.extend(components.iter().map(|&component| (component, id)));
            table.entities = Vec::new();
            vacant.push(id);
            false
        });
        let dropped = before - self.len();
        if dropped > 0 {
            types.remove_columns(&columns);
            self.forget_moves();
            self.drops += 1;
        }
        dropped
    }

    pub(crate) fn iter_mut(&mut self) -> impl Iterator<Item = &mut Table> {
        self.tables.iter_mut()
    }

    /// The table of a set of types, which is made if it is new.
    pub(crate) fn find_or_create(
        &mut self,
        types: &mut ComponentTypes,
        mut components: Vec<ComponentId>,
    ) -> TableId {
        components.sort_unstable();
        components.dedup();
        if let Some(&table) = self.by_components.get(components.as_slice()) {
            return table;
        }
        let vacant = self.vacant.pop();
        let id = vacant.unwrap_or_else(|| TableId::new(self.tables.len()));
        for &component in &components {
            types.add_column(component, id);
        }
        let components = components.into_boxed_slice();
        let table = Table {
            entities: Vec::new(),
            // It differs from every version of an earlier table of this id.
            version: vacant.map_or(0, |id| self.get(id).version + 1),
            birth: self.births,
            moves: FxHashMap::default(),
            says_farewell: components
                .iter()
                .any(|&component| types.get(component).farewell.is_some()),
            components: components.clone(),
        };
        match vacant {
            Some(id) => self.tables[id.index()] = table,
            None => self.tables.push(table),
        }
        self.births += 1;
        self.in_order.push(id);
        self.by_components.insert(components, id);
        id
    }

    /// The table with one type, and what that type brings along, more than `from`.
    pub(crate) fn with(
        &mut self,
        types: &mut ComponentTypes,
        from: TableId,
        added: ComponentId,
    ) -> TableId {
        self.neighbour(types, from, added, |types, components| {
            components.push(added);
            complete_with_companions(types, components);
        })
    }

    /// The table with one type less than `from`.
    pub(crate) fn without(
        &mut self,
        types: &mut ComponentTypes,
        from: TableId,
        removed: ComponentId,
    ) -> TableId {
        self.neighbour(types, from, removed, |_, components| {
            components.retain(|&component| component != removed);
        })
    }

    fn neighbour(
        &mut self,
        types: &mut ComponentTypes,
        from: TableId,
        changed: ComponentId,
        change: impl FnOnce(&ComponentTypes, &mut Vec<ComponentId>),
    ) -> TableId {
        if let Some(&to) = self.get(from).moves.get(&changed) {
            return to;
        }
        let mut components = self.get(from).components.to_vec();
        change(types, &mut components);
        let to = self.find_or_create(types, components);
        self.get_mut(from).moves.insert(changed, to);
        to
    }

    /// Forgets remembered moves, because what a type brings along has changed.
    pub(crate) fn forget_moves(&mut self) {
        for table in &mut self.tables {
            table.moves.clear();
        }
    }
}

/// Adds the companions of all types in a set to the set, and returns them in an order in which each comes after the
/// component that brings it along.
pub(crate) fn complete_with_companions(
    types: &ComponentTypes,
    components: &mut Vec<ComponentId>,
) -> Vec<Companion> {
    let mut added = Vec::new();
    let mut next = 0;
    while next < components.len() {
        for &companion in &types.get(components[next]).companions {
            if !components.contains(&companion.id) {
                components.push(companion.id);
                added.push(companion);
            }
        }
        next += 1;
    }
    added
}

impl ComponentTypes {
    /// Whether a table has a column of `T`.
    #[inline]
    pub(crate) fn table_has<T: Component>(&self, table: &Table) -> bool {
        self.id::<T>().is_some_and(|id| table.has(id))
    }
}

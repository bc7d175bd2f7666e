//! Tables: which entities share one set of component types.

use super::component::{Companion, Component, ComponentId, ComponentTypes};
use super::entity::{Entity, TableId};
use rustc_hash::FxHashMap;

/// The entities that have exactly one set of component types, in row order. Their values sit in the columns of each
/// type, under the same row.
pub struct Table {
    components: Box<[ComponentId]>,
    pub(crate) entities: Vec<Entity>,
    /// Grows whenever rows may have come, gone or moved.
    version: u64,
    /// Where an entity goes when a component is attached or detached; filled as it is asked for.
    moves: FxHashMap<ComponentId, TableId>,
    /// Whether any of the types wants to know before an entity goes.
    pub(crate) says_farewell: bool,
}

impl Table {
    /// As long as this stays the same, rows stay where they are.
    pub(crate) fn version(&self) -> u64 {
        self.version
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

/// All tables of a world. Tables are never removed, so their ids stay valid and ascend with time.
#[derive(Default)]
pub struct Tables {
    tables: Vec<Table>,
    by_components: FxHashMap<Box<[ComponentId]>, TableId>,
}

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
        self.tables.len()
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = (TableId, &Table)> {
        self.tables
            .iter()
            .enumerate()
            .map(|(index, table)| (TableId::new(index), table))
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
        let id = TableId::new(self.tables.len());
        for &component in &components {
            types.add_column(component, id);
        }
        let components = components.into_boxed_slice();
        self.tables.push(Table {
            entities: Vec::new(),
            version: 0,
            moves: FxHashMap::default(),
            says_farewell: components
                .iter()
                .any(|&component| types.get(component).farewell.is_some()),
            components: components.clone(),
        });
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
            push_companions(types, components);
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
pub(crate) fn push_companions(
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

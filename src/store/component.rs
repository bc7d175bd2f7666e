//! Component types and how the world knows them.

use super::changes::{Changes, ColumnChanges, Kept};
use super::column::{AnyColumns, ColumnCell, Columns, Positions};
use super::entity::{Entity, TableId};
use super::ticks::RowTicks;
use super::world::World;
use crate::panics::Panics;
use atomic_refcell::{AtomicRefCell, AtomicRefMut};
use rustc_hash::FxHashMap;
use std::any::TypeId;
use std::fmt;

/// Plain data that can sit on an entity.
///
/// Nothing has to be written for a type to be one: every `Send + Sync + 'static` type is a component. A type without
/// data is a *tag*. Tuples are not components: a tuple means "several components" wherever one is passed.
///
/// # Example
///
/// ```
/// use gerust::World;
///
/// struct Load { tonnes: f32 }
/// struct Moored;
///
/// let mut world = World::new();
/// let barge = world.spawn((Load { tonnes: 12.5 }, Moored));
/// assert_eq!(world.get::<Load>(barge)?.tonnes, 12.5);
/// # Ok::<(), gerust::Error>(())
/// ```
pub trait Component: Send + Sync + 'static {}

impl<T: Send + Sync + 'static> Component for T {}

/// The id of a component type within one world, in order of first use.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct ComponentId(u32);

impl ComponentId {
    #[inline]
    pub(crate) fn index(self) -> usize {
        self.0 as usize
    }
}

/// Called just before an entity is despawned, while all its components are still in place.
pub(crate) type FarewellHook = fn(&mut World, Entity);

/// What the world knows about one component type.
pub(crate) struct ComponentType {
    pub(crate) name: &'static str,
    pub(crate) columns: Box<dyn AnyColumns>,
    /// Which column each table has. Beside the columns, because tables are matched while columns are borrowed.
    positions: Positions,
    /// Changes to rows, noted from the first system on that asks for them.
    pub(crate) changes: Option<AtomicRefCell<Changes>>,
    /// Posts that an entity has lost the component, from the first system on that asks for it.
    pub(crate) tell_lost: Option<fn(&mut World, Entity)>,
    #[cfg(feature = "snapshot")]
    pub(crate) registered: Option<super::snapshot::Registered>,
    /// Bytes of one value.
    pub(crate) size: usize,
    /// Components that come along whenever this one is attached.
    pub(crate) companions: Vec<Companion>,
    pub(crate) farewell: Option<FarewellHook>,
}

impl ComponentType {
    /// The position of a table's column among the columns of this type.
    #[inline]
    pub(crate) fn position(&self, table: TableId) -> Option<u32> {
        self.positions.of(table)
    }

    fn column_changes(&mut self, table: TableId) -> Option<&mut ColumnChanges> {
        let changes = self.changes.as_mut()?.get_mut();
        let position = self.positions.of(table)?;
        Some(changes.column_mut(position))
    }

    fn push_ticks(&mut self, table: TableId, row: RowTicks) {
        if let Some(changes) = self.column_changes(table) {
            changes.push(row);
        }
    }

    fn take_ticks(&mut self, table: TableId, row: u32) -> Option<RowTicks> {
        self.changes.as_ref()?;
        Some(self.column_changes(table)?.swap_remove(row))
    }

    /// Whether a system asks when rows were written or attached.
    #[cfg(feature = "snapshot")]
    pub(crate) fn is_watched(&self) -> bool {
        let changes = self.changes.as_ref().map(AtomicRefCell::borrow);
        changes.is_some_and(|changes| changes.is_watched())
    }

    /// Whether its rows say when they were written.
    #[cfg(feature = "snapshot")]
    pub(crate) fn keeps_ticks(&self) -> bool {
        let changes = self.changes.as_ref().map(AtomicRefCell::borrow);
        changes.is_some_and(|changes| changes.keeps_ticks())
    }

    /// When a row was written and attached, if that is noted.
    #[cfg(feature = "snapshot")]
    pub(crate) fn row_ticks(&self, table: TableId, row: u32) -> Option<RowTicks> {
        let changes = self.changes.as_ref()?.borrow();
        let ticks = changes.ticks(self.positions.of(table)?)?;
        Some(ticks.of_row(row as usize))
    }

    #[cfg(feature = "snapshot")]
    pub(crate) fn set_row_ticks(&mut self, table: TableId, row: u32, ticks: RowTicks) {
        let position = self.positions.of(table);
        if let Some((changes, position)) = self.changes.as_mut().zip(position)
            && let Some(column) = changes.get_mut().ticks_mut(position)
        {
            column.set(row as usize, ticks);
        }
    }

    /// Whether a row of a chunk was written after a tick.
    #[cfg(feature = "snapshot")]
    pub(crate) fn is_written(&self, table: TableId, chunk: usize, since: u64) -> bool {
        let changes = self.changes.as_ref().map(AtomicRefCell::borrow);
        let position = self.positions.of(table);
        changes.zip(position).is_none_or(|(changes, position)| {
            let ticks = changes.ticks(position);
            ticks.is_none_or(|ticks| ticks.is_chunk_written(chunk, since))
        })
    }

    /// Notes that a row is handed out for writing.
    #[inline]
    pub(crate) fn mark(&mut self, table: TableId, row: u32, tick: u64) {
        if self.changes.is_some()
            && let Some(changes) = self.column_changes(table)
        {
            changes.mark(row, tick);
        }
    }

    fn keep(&mut self, more: Kept, tick: u64) {
        let rows = self.columns.lengths();
        let changes = self.changes.get_or_insert_default();
        changes.get_mut().keep(more, &rows, tick);
    }
}

/// A component that another one brings along.
#[derive(Clone, Copy)]
pub(crate) struct Companion {
    pub(crate) id: ComponentId,
    /// Pushes the companion's first value for each of the newest rows of a table, which lack it.
    pub(crate) push: fn(&mut ComponentTypes, TableId, u64),
}

/// All component types of a world.
#[derive(Default)]
pub struct ComponentTypes {
    ids: FxHashMap<TypeId, ComponentId>,
    types: Vec<ComponentType>,
    /// The types of which values wait to be dropped.
    graves: Vec<ComponentId>,
    /// Whether any type keeps ticks.
    any_ticks: bool,
    /// Whether any type keeps anything of its changes, so that a push need not ask each.
    any_changes: bool,
}

impl fmt::Debug for ComponentTypes {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("ComponentTypes")
            .field("types", &self.types.len())
            .finish_non_exhaustive()
    }
}

impl ComponentTypes {
    #[inline]
    pub(crate) fn id<T: Component>(&self) -> Option<ComponentId> {
        self.ids.get(&TypeId::of::<T>()).copied()
    }

    /// [`ComponentTypes::id`] for a type of which only the type id is at hand.
    pub(crate) fn id_of(&self, id: TypeId) -> Option<ComponentId> {
        self.ids.get(&id).copied()
    }

    /// The id of a type, which is made known if it is new.
    ///
    /// # Panics
    ///
    /// If `T` is a tuple: see [`Component`].
    pub(crate) fn id_or_register<T: Component>(&mut self) -> ComponentId {
        if let Some(id) = self.id::<T>() {
            return id;
        }
        let name = std::any::type_name::<T>();
        assert!(
            !name.starts_with('('),
            "a tuple is not a component: attach the members of `{name}` one by one"
        );
        let id = ComponentId(u32::try_from(self.types.len()).expect("fewer than 2^32 types"));
        self.types.push(ComponentType {
            name,
            columns: Box::new(ColumnCell::<T>::default()),
            positions: Positions::default(),
            changes: None,
            tell_lost: None,
            #[cfg(feature = "snapshot")]
            registered: None,
            size: size_of::<T>(),
            companions: Vec::new(),
            farewell: None,
        });
        self.ids.insert(TypeId::of::<T>(), id);
        id
    }

    #[inline]
    pub(crate) fn get(&self, id: ComponentId) -> &ComponentType {
        &self.types[id.index()]
    }

    #[inline]
    pub(crate) fn get_mut(&mut self, id: ComponentId) -> &mut ComponentType {
        &mut self.types[id.index()]
    }

    /// The guarded columns of a type that is known.
    #[inline]
    pub(crate) fn cell<T: Component>(&self) -> Option<&AtomicRefCell<Columns<T>>> {
        let id = self.id::<T>()?;
        Some(&self.types[id.index()].columns.downcast_ref::<T>().0)
    }

    /// The guarded columns of a type, and the position of the column of a table that is known to have one.
    pub(crate) fn borrow_column<T: Component>(
        &self,
        table: TableId,
    ) -> (AtomicRefMut<'_, Columns<T>>, u32) {
        let id = self.id::<T>().expect("the table was made for the type");
        let known = self.get(id);
        let columns = known.columns.downcast_ref::<T>().0.borrow_mut();
        (columns, known.positions.known(table))
    }

    /// The ids of all types.
    #[cfg(feature = "snapshot")]
    pub(crate) fn ids(&self) -> impl Iterator<Item = ComponentId> + use<> {
        (0..self.types.len() as u32).map(ComponentId)
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = &ComponentType> {
        self.types.iter()
    }

    /// Makes a column for a new table.
    pub(crate) fn add_column(&mut self, id: ComponentId, table: TableId) {
        let known = self.get_mut(id);
        let position = known.columns.add();
        known.positions.set(table, position);
        if let Some(changes) = &mut known.changes {
            changes.get_mut().add_column();
        }
    }

    /// Pushes a value that is attached now.
    #[inline]
    pub(crate) fn push<T: Component>(
        &mut self,
        id: ComponentId,
        table: TableId,
        value: T,
        tick: u64,
    ) {
        let known = &mut self.types[id.index()];
        let columns = known.columns.downcast_mut::<T>().0.get_mut();
        columns.at_mut(known.positions.known(table)).push(value);
        if self.any_changes {
            known.push_ticks(table, RowTicks::attached(tick));
        }
    }

    /// [`ComponentTypes::push`] to a column whose position is at hand.
    #[inline]
    pub(crate) fn push_at<T: Component>(
        &mut self,
        (id, position): (ComponentId, u32),
        table: TableId,
        value: T,
        tick: u64,
    ) {
        let known = &mut self.types[id.index()];
        let columns = known.columns.downcast_mut::<T>().0.get_mut();
        columns.all_mut()[position as usize].push(value);
        if self.any_changes {
            known.push_ticks(table, RowTicks::attached(tick));
        }
    }

    pub(crate) fn any_ticks(&self) -> bool {
        self.any_ticks
    }

    /// Begins to keep something of the changes of a type; does nothing the second time. What is there counts as attached
    /// now.
    pub(crate) fn keep(&mut self, id: ComponentId, more: Kept, tick: u64) {
        self.any_ticks |= more.ticks;
        self.any_changes = true;
        self.get_mut(id).keep(more, tick);
    }

    /// [`ComponentTypes::push`] for many values; the column is found once.
    pub(crate) fn push_many<T: Component>(
        &mut self,
        id: ComponentId,
        table: TableId,
        values: impl ExactSizeIterator<Item = T>,
        tick: u64,
    ) {
        let count = values.len();
        let known = &mut self.types[id.index()];
        let columns = known.columns.downcast_mut::<T>().0.get_mut();
        columns.at_mut(known.positions.known(table)).extend(values);
        if known.changes.is_some() {
            for _ in 0..count {
                known.push_ticks(table, RowTicks::attached(tick));
            }
        }
    }

    /// Moves a row's value to where it waits to be dropped; see [`AnyColumns::set_row_aside`].
    pub(crate) fn set_row_aside(&mut self, id: ComponentId, table: TableId, row: u32) {
        let known = &mut self.types[id.index()];
        if known
            .columns
            .set_row_aside(known.positions.known(table), row)
        {
            self.graves.push(id);
        }
        known.take_ticks(table, row);
    }

    /// [`ComponentTypes::set_row_aside`] for many rows of a table, last row first.
    pub(crate) fn set_rows_aside(&mut self, id: ComponentId, table: TableId, rows: &[(u32, u32)]) {
        let known = &mut self.types[id.index()];
        if known
            .columns
            .set_rows_aside(known.positions.known(table), rows)
        {
            self.graves.push(id);
        }
        if known.changes.is_some() {
            for &(row, _) in rows {
                known.take_ticks(table, row);
            }
        }
    }

    /// Replaces the value in a row; the old one waits to be dropped.
    pub(crate) fn replace<T: Component>(
        &mut self,
        id: ComponentId,
        table: TableId,
        row: u32,
        value: T,
        tick: u64,
    ) {
        let known = &mut self.types[id.index()];
        let columns = known.columns.downcast_mut::<T>().0.get_mut();
        let present = &mut columns.at_mut(known.positions.known(table))[row as usize];
        let before = std::mem::replace(present, value);
        if std::mem::needs_drop::<T>() {
            columns.set_aside(before);
            self.graves.push(id);
        }
        known.mark(table, row, tick);
    }

    /// Drops all values that wait for it.
    #[inline]
    pub(crate) fn drop_set_aside(&mut self, panics: &mut Panics) {
        while let Some(id) = self.graves.pop() {
            self.get_mut(id).columns.drop_set_aside(panics);
        }
    }

    /// Removes the columns of some tables, which must be empty.
    pub(crate) fn remove_columns(&mut self, dropped: &[(ComponentId, TableId)]) {
        let mut removed_of = vec![Vec::new(); self.types.len()];
        for &(id, table) in dropped {
            removed_of[id.index()].push(self.get(id).positions.known(table));
        }
        for (known, mut removed) in self.types.iter_mut().zip(removed_of) {
            if removed.is_empty() {
                continue;
            }
            removed.sort_unstable();
            known.columns.remove(&removed);
            known.positions.remove(&removed);
            if let Some(changes) = &mut known.changes {
                changes.get_mut().remove_columns(&removed);
            }
        }
    }

    /// Takes a row's value out.
    pub(crate) fn take_row<T: Component>(
        &mut self,
        id: ComponentId,
        table: TableId,
        row: u32,
    ) -> T {
        let value = self.column_mut::<T>(id, table).swap_remove(row as usize);
        self.get_mut(id).take_ticks(table, row);
        value
    }

    pub(crate) fn move_row(&mut self, id: ComponentId, from: TableId, row: u32, to: TableId) {
        let known = self.get_mut(id);
        let [source, target] = [from, to].map(|table| known.positions.known(table));
        known.columns.move_row(source, row, target);
        if let Some(ticks) = known.take_ticks(from, row) {
            known.push_ticks(to, ticks);
        }
    }

    /// [`ComponentTypes::move_row`] for many rows of a table, last row first.
    pub(crate) fn move_rows(
        &mut self,
        id: ComponentId,
        from: TableId,
        rows: &[(u32, u32)],
        to: TableId,
    ) {
        let known = self.get_mut(id);
        let [source, target] = [from, to].map(|table| known.positions.known(table));
        known.columns.move_rows(source, rows, target);
        if known.changes.is_some() {
            for &(row, _) in rows {
                if let Some(ticks) = known.take_ticks(from, row) {
                    known.push_ticks(to, ticks);
                }
            }
        }
    }

    /// The column of a table that is known to have one.
    #[inline]
    pub(crate) fn column_mut<T: Component>(
        &mut self,
        id: ComponentId,
        table: TableId,
    ) -> &mut Vec<T> {
        let known = &mut self.types[id.index()];
        let position = known.positions.known(table);
        let columns = known.columns.downcast_mut::<T>().0.get_mut();
        columns.at_mut(position)
    }
}

/// The last part of a type's path, for messages: `Load` rather than `quay::goods::Load`.
pub(crate) fn short_name(full: &'static str) -> &'static str {
    let base = full.split('<').next().unwrap_or(full);
    match base.rfind("::") {
        Some(at) => &full[at + 2..],
        None => full,
    }
}

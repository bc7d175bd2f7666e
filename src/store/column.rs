//! Columns: all values of one component type, a `Vec` per table.

use super::entity::TableId;
use atomic_refcell::AtomicRefCell;
use std::any::Any;

/// Marks a table that has no column of a type.
const NO_COLUMN: u32 = u32::MAX;

/// All columns of one type, side by side in ascending order of their tables.
///
/// They share one guard ([`ColumnCell`]): a claim costs one borrow and one downcast, however many tables match. A lock
/// per column was 4.6 times slower on 100 tables of one row.
pub struct Columns<T> {
    data: Vec<Vec<T>>,
    /// By table; 4 bytes for each table up to the last that has a column.
    column_of: Vec<u32>,
}

impl<T> Default for Columns<T> {
    fn default() -> Self {
        Self {
            data: Vec::new(),
            column_of: Vec::new(),
        }
    }
}

impl<T> Columns<T> {
    /// The position of a table's column among the columns of this type.
    #[inline]
    pub(crate) fn position(&self, table: TableId) -> Option<u32> {
        self.column_of
            .get(table.index())
            .copied()
            .filter(|&column| column != NO_COLUMN)
    }

    #[inline]
    pub(crate) fn all(&self) -> &[Vec<T>] {
        &self.data
    }

    #[inline]
    pub(crate) fn all_mut(&mut self) -> &mut [Vec<T>] {
        &mut self.data
    }

    #[inline]
    pub(crate) fn get(&self, table: TableId, row: u32) -> Option<&T> {
        let column = self.position(table)?;
        self.data[column as usize].get(row as usize)
    }

    #[inline]
    pub(crate) fn get_mut(&mut self, table: TableId, row: u32) -> Option<&mut T> {
        let column = self.position(table)?;
        self.data[column as usize].get_mut(row as usize)
    }

    /// The column of a table that is known to have one.
    #[inline]
    pub(crate) fn column_mut(&mut self, table: TableId) -> &mut Vec<T> {
        &mut self.data[self.column_of[table.index()] as usize]
    }

    fn add(&mut self, table: TableId) {
        debug_assert!(table.index() >= self.column_of.len(), "tables ascend");
        self.column_of.resize(table.index(), NO_COLUMN);
        self.column_of
            .push(u32::try_from(self.data.len()).expect("fewer than 2^32 tables"));
        self.data.push(Vec::new());
    }
}

/// The columns of one type behind their guard.
pub(crate) struct ColumnCell<T>(pub(crate) AtomicRefCell<Columns<T>>);

impl<T> Default for ColumnCell<T> {
    fn default() -> Self {
        Self(AtomicRefCell::default())
    }
}

/// What can be done with columns without knowing their type.
pub(crate) trait AnyColumns: Any + Send + Sync {
    /// Makes an empty column for a table newer than all before it.
    fn add(&mut self, table: TableId);
    /// Drops a row; the last row of the column takes its place.
    fn remove_row(&mut self, table: TableId, row: u32);
    /// Moves a row to the end of another table's column; the last row of the old column takes its place.
    fn move_row(&mut self, from: TableId, row: u32, to: TableId);
}

impl<T: Send + Sync + 'static> AnyColumns for ColumnCell<T> {
    fn add(&mut self, table: TableId) {
        self.0.get_mut().add(table);
    }

    fn remove_row(&mut self, table: TableId, row: u32) {
        drop(self.0.get_mut().column_mut(table).swap_remove(row as usize));
    }

    fn move_row(&mut self, from: TableId, row: u32, to: TableId) {
        let columns = self.0.get_mut();
        let value = columns.column_mut(from).swap_remove(row as usize);
        columns.column_mut(to).push(value);
    }
}

impl dyn AnyColumns {
    #[inline]
    pub(crate) fn downcast_ref<T: Send + Sync + 'static>(&self) -> &ColumnCell<T> {
        let any: &dyn Any = self;
        any.downcast_ref().expect("columns are filed by their type")
    }

    #[inline]
    pub(crate) fn downcast_mut<T: Send + Sync + 'static>(&mut self) -> &mut ColumnCell<T> {
        let any: &mut dyn Any = self;
        any.downcast_mut().expect("columns are filed by their type")
    }
}

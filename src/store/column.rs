//! Columns: all values of one component type, a `Vec` per table.

use super::batch::tail_start;
use super::entity::TableId;
use atomic_refcell::AtomicRefCell;
use std::any::Any;

/// Marks a table that has no column of a type.
pub(crate) const NO_COLUMN: u32 = u32::MAX;

/// All columns of one type, side by side in ascending order of their tables.
///
/// They share one guard ([`ColumnCell`]): a claim costs one borrow and one downcast, however many tables match. A lock
/// per column was 4.6 times slower on 100 tables of one row.
pub(crate) struct Columns<T> {
    data: Vec<Vec<T>>,
    /// By table; 4 bytes for each table up to the last that has a column.
    column_of: Vec<u32>,
    /// Emptied lists for [`Columns::lend`], so that lending allocates only the first time.
    spare: Vec<Vec<Vec<T>>>,
    /// Values that have left their rows and are about to be dropped.
    buried: Vec<T>,
}

impl<T> Default for Columns<T> {
    fn default() -> Self {
        Self {
            data: Vec::new(),
            column_of: Vec::new(),
            spare: Vec::new(),
            buried: Vec::new(),
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

    /// Moves the columns of some tables out into a list in which they keep their positions. Two walks of one system over tables that
    /// differ can so both write: each has its own columns. [`Columns::take_back`] must follow.
    pub(crate) fn lend(&mut self, tables: &[TableId]) -> Vec<Vec<T>> {
        let mut lent = self.spare.pop().unwrap_or_default();
        lent.resize_with(self.data.len(), Vec::new);
        for &table in tables {
            if let Some(position) = self.position(table) {
                let position = position as usize;
                std::mem::swap(&mut lent[position], &mut self.data[position]);
            }
        }
        lent
    }

    /// Puts lent columns back.
    pub(crate) fn take_back(&mut self, mut lent: Vec<Vec<T>>) {
        for (column, lent) in self.data.iter_mut().zip(&mut lent) {
            // A column that was not lent is empty in the list; one that was is empty here. An empty column that was lent
            // may stay on either side.
            if column.is_empty() {
                std::mem::swap(column, lent);
            }
        }
        lent.clear();
        self.spare.push(lent);
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
    /// The position of a table's column, if it has one.
    fn position(&self, table: TableId) -> Option<u32>;
    /// How many columns there are, and how many rows each has.
    fn lengths(&self) -> Vec<usize>;
    /// How many values fit without a new allocation, over all columns.
    fn capacity(&self) -> usize;
    /// Moves a row to the graveyard; the last row of the column takes its place. Nothing is dropped yet, so nothing can
    /// panic half-way through a table's columns.
    fn bury_row(&mut self, table: TableId, row: u32);
    /// [`AnyColumns::bury_row`] for the rows of a batch.
    fn bury_rows(&mut self, table: TableId, rows: &[(u32, u32)]);
    /// Drops what was buried. A value whose drop panics is gone; the rest stay buried for the next call.
    fn drop_buried(&mut self);
    /// Moves a row to the end of another table's column; the last row of the old column takes its place.
    fn move_row(&mut self, from: TableId, row: u32, to: TableId);
    /// [`AnyColumns::move_row`] for the rows of a batch.
    fn move_rows(&mut self, from: TableId, rows: &[(u32, u32)], to: TableId);
}

impl<T: Send + Sync + 'static> AnyColumns for ColumnCell<T> {
    fn add(&mut self, table: TableId) {
        self.0.get_mut().add(table);
    }

    fn position(&self, table: TableId) -> Option<u32> {
        self.0.borrow().position(table)
    }

    fn lengths(&self) -> Vec<usize> {
        self.0.borrow().data.iter().map(Vec::len).collect()
    }

    fn capacity(&self) -> usize {
        let columns = self.0.borrow();
        // A `Vec` of values without size has room for any number of them.
        let room = |column: &Vec<T>| match size_of::<T>() {
            0 => column.len(),
            _ => column.capacity(),
        };
        columns.data.iter().map(room).sum()
    }

    fn bury_row(&mut self, table: TableId, row: u32) {
        let columns = self.0.get_mut();
        let value = columns.column_mut(table).swap_remove(row as usize);
        if std::mem::needs_drop::<T>() {
            columns.buried.push(value);
        }
    }

    fn bury_rows(&mut self, table: TableId, rows: &[(u32, u32)]) {
        let columns = self.0.get_mut();
        let mut buried = std::mem::take(&mut columns.buried);
        let column = columns.column_mut(table);
        match tail_start(rows, column.len()) {
            Some(start) if std::mem::needs_drop::<T>() => {
                buried.extend(column.drain(start..).rev())
            }
            Some(start) => column.truncate(start),
            None => {
                for &(row, _) in rows {
                    let value = column.swap_remove(row as usize);
                    if std::mem::needs_drop::<T>() {
                        buried.push(value);
                    }
                }
            }
        }
        columns.buried = buried;
    }

    fn drop_buried(&mut self) {
        let columns = self.0.get_mut();
        while let Some(value) = columns.buried.pop() {
            drop(value);
        }
    }

    fn move_row(&mut self, from: TableId, row: u32, to: TableId) {
        let columns = self.0.get_mut();
        let value = columns.column_mut(from).swap_remove(row as usize);
        columns.column_mut(to).push(value);
    }

    fn move_rows(&mut self, from: TableId, rows: &[(u32, u32)], to: TableId) {
        let columns = self.0.get_mut();
        // Taken out of its place for the while, so that both columns are at hand at once.
        let mut source = std::mem::take(columns.column_mut(from));
        let target = columns.column_mut(to);
        match tail_start(rows, source.len()) {
            Some(start) => target.extend(source.drain(start..).rev()),
            None => target.extend(
                rows.iter()
                    .map(|&(row, _)| source.swap_remove(row as usize)),
            ),
        }
        *columns.column_mut(from) = source;
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

//! Columns: all values of one component type, a `Vec` per table.

use super::batch::tail_start;
use super::entity::TableId;
use crate::panics::Panics;
use atomic_refcell::AtomicRefCell;
use std::any::Any;

/// Marks a table that has no column of a type.
pub(crate) const NO_COLUMN: u32 = u32::MAX;

/// All columns of one type, side by side in the order in which their tables were made.
///
/// They share one guard ([`ColumnCell`]): a claim costs one borrow and one downcast, however many tables match. A lock
/// per column was 4.6 times slower on 100 tables of one row.
///
/// Where the column of a table is stands outside of the guard ([`Positions`]): systems look it up while others write.
pub(crate) struct Columns<T> {
    data: Vec<Vec<T>>,
    /// Emptied lists for [`Columns::lend`], so that lending allocates only the first time.
    spare: Vec<Vec<Vec<T>>>,
    /// Values that have left their rows and are about to be dropped.
    set_aside: Vec<T>,
}

impl<T> Default for Columns<T> {
    fn default() -> Self {
        Self {
            data: Vec::new(),
            spare: Vec::new(),
            set_aside: Vec::new(),
        }
    }
}

impl<T> Columns<T> {
    #[inline]
    pub(crate) fn all(&self) -> &[Vec<T>] {
        &self.data
    }

    #[inline]
    pub(crate) fn all_mut(&mut self) -> &mut [Vec<T>] {
        &mut self.data
    }

    /// The column at a position.
    #[inline]
    pub(crate) fn at_mut(&mut self, position: u32) -> &mut Vec<T> {
        &mut self.data[position as usize]
    }

    /// Keeps a value that was replaced until it can be dropped; see [`AnyColumns::drop_set_aside`].
    pub(crate) fn set_aside(&mut self, value: T) {
        self.set_aside.push(value);
    }

    /// Moves the columns at some positions out into a list in which they keep their positions. Two walks of one system over
    /// tables that differ can so both write: each has its own columns. [`Columns::take_back`] must follow.
    pub(crate) fn lend(&mut self, positions: impl Iterator<Item = u32>) -> Vec<Vec<T>> {
        let mut lent = self.spare.pop().unwrap_or_default();
        lent.resize_with(self.data.len(), Vec::new);
        for position in positions {
            let position = position as usize;
            std::mem::swap(&mut lent[position], &mut self.data[position]);
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

/// Where the column of each table is among the columns of a type: 4 bytes for each table up to the last that has one.
#[derive(Default, Debug)]
pub(crate) struct Positions(Vec<u32>);

impl Positions {
    #[inline]
    pub(crate) fn of(&self, table: TableId) -> Option<u32> {
        let position = self.0.get(table.index()).copied();
        position.filter(|&position| position != NO_COLUMN)
    }

    /// The position of a table that is known to have a column.
    #[inline]
    pub(crate) fn known(&self, table: TableId) -> u32 {
        self.0[table.index()]
    }

    pub(crate) fn set(&mut self, table: TableId, position: u32) {
        if table.index() >= self.0.len() {
            self.0.resize(table.index() + 1, NO_COLUMN);
        }
        self.0[table.index()] = position;
    }

    /// Forgets the columns at some positions, which ascend; those behind them move up.
    pub(crate) fn remove(&mut self, removed: &[u32]) {
        for position in &mut self.0 {
            if *position == NO_COLUMN {
                continue;
            }
            let before = removed.partition_point(|removed| removed < position);
            *position = match removed.get(before) == Some(position) {
                true => NO_COLUMN,
                false => *position - before as u32,
            };
        }
    }
}

/// The columns of one type behind their guard.
pub(crate) struct ColumnCell<T>(pub(crate) AtomicRefCell<Columns<T>>);

impl<T> Default for ColumnCell<T> {
    fn default() -> Self {
        Self(AtomicRefCell::default())
    }
}

/// Operations on columns of any type. Columns are given by their positions.
pub(crate) trait AnyColumns: Any + Send + Sync {
    /// Adds an empty column behind all others, and returns its position.
    fn add(&mut self) -> u32;
    /// Removes the columns at some positions, which ascend; they must be empty.
    fn remove(&mut self, positions: &[u32]);
    /// How many columns there are, and how many rows each has.
    fn lengths(&self) -> Vec<usize>;
    /// How many values fit without a new allocation, over all columns.
    fn capacity(&self) -> usize;
    /// Moves a row to the graveyard; the last row of the column takes its place. Nothing is dropped yet, so nothing can
    /// panic half-way through a table's columns. Returns whether there is anything to drop.
    fn set_row_aside(&mut self, position: u32, row: u32) -> bool;
    /// [`AnyColumns::set_row_aside`] for the rows of a batch.
    fn set_rows_aside(&mut self, position: u32, rows: &[(u32, u32)]) -> bool;
    /// Drops the values that were set aside: all of them, even if some of the drops panic.
    fn drop_set_aside(&mut self, panics: &mut Panics);
    /// Moves a row to the end of another column; the last row of the old column takes its place.
    fn move_row(&mut self, from: u32, row: u32, to: u32);
    /// [`AnyColumns::move_row`] for the rows of a batch.
    fn move_rows(&mut self, from: u32, rows: &[(u32, u32)], to: u32);
}

impl<T: Send + Sync + 'static> AnyColumns for ColumnCell<T> {
    fn add(&mut self) -> u32 {
        let data = &mut self.0.get_mut().data;
        data.push(Vec::new());
        u32::try_from(data.len() - 1).expect("fewer than 2^32 tables")
    }

    fn remove(&mut self, positions: &[u32]) {
        let mut position = 0;
        self.0.get_mut().data.retain(|column| {
            let goes = positions.binary_search(&position).is_ok();
            debug_assert!(!goes || column.is_empty());
            position += 1;
            !goes
        });
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

    fn set_row_aside(&mut self, position: u32, row: u32) -> bool {
        let columns = self.0.get_mut();
        let value = columns.at_mut(position).swap_remove(row as usize);
        if std::mem::needs_drop::<T>() {
            columns.set_aside.push(value);
        }
        std::mem::needs_drop::<T>()
    }

    fn set_rows_aside(&mut self, position: u32, rows: &[(u32, u32)]) -> bool {
        let columns = self.0.get_mut();
        let (column, set_aside) = (&mut columns.data[position as usize], &mut columns.set_aside);
        match tail_start(rows, column.len()) {
            Some(start) if std::mem::needs_drop::<T>() => {
                set_aside.extend(column.drain(start..).rev())
            }
            Some(start) => column.truncate(start),
            None => {
                for &(row, _) in rows {
                    let value = column.swap_remove(row as usize);
                    if std::mem::needs_drop::<T>() {
                        set_aside.push(value);
                    }
                }
            }
        }
        std::mem::needs_drop::<T>()
    }

    fn drop_set_aside(&mut self, panics: &mut Panics) {
        panics.drop_all(self.0.get_mut().set_aside.drain(..));
    }

    fn move_row(&mut self, from: u32, row: u32, to: u32) {
        let columns = self.0.get_mut();
        let value = columns.at_mut(from).swap_remove(row as usize);
        columns.at_mut(to).push(value);
    }

    fn move_rows(&mut self, from: u32, rows: &[(u32, u32)], to: u32) {
        let columns = self.0.get_mut();
        // Taken out of its place meanwhile, so that both columns can be changed.
        let mut source = std::mem::take(columns.at_mut(from));
        let target = columns.at_mut(to);
        match tail_start(rows, source.len()) {
            Some(start) => target.extend(source.drain(start..).rev()),
            None => target.extend(
                rows.iter()
                    .map(|&(row, _)| source.swap_remove(row as usize)),
            ),
        }
        *columns.at_mut(from) = source;
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

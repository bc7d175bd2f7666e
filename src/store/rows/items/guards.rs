//! Guards on the columns and ticks of types, and walks over columns.

use crate::store::changes::Changes;
use crate::store::column::{Columns, NO_COLUMN};
use crate::store::component::{Component, ComponentTypes};
use crate::store::entity::TableId;
use crate::store::table::Tables;
use atomic_refcell::{AtomicRef, AtomicRefCell, AtomicRefMut};
use std::fmt;

/// Where guards come from.
pub struct Sources<'w, 'a> {
    pub(crate) types: &'w ComponentTypes,
    pub(crate) tables: &'w Tables,
    /// The tables that match, for types whose columns are shared out among several walks.
    pub(crate) matching: &'a [TableId],
    /// The types of which the same system claims other tables as well.
    pub(crate) shared_out: &'a [std::any::TypeId],
}

impl fmt::Debug for Sources<'_, '_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Sources").finish_non_exhaustive()
    }
}

impl<'w> Sources<'w, '_> {
    fn is_shared_out<T: Component>(&self) -> bool {
        self.shared_out.contains(&std::any::TypeId::of::<T>())
    }

    fn borrow_out<T: Component>(&self, cell: &'w AtomicRefCell<Columns<T>>) -> BorrowedOut<'w, T> {
        let positions = self
            .matching
            .iter()
            .map(|&table| position::<T>(self.types, table))
            .filter(|&position| position != NO_COLUMN);
        BorrowedOut {
            columns: cell.borrow_mut().lend(positions),
            cell,
        }
    }
}

/// The columns of one type, to read.
pub enum ReadGuard<'w, T> {
    /// A type that the world has never met, and which matches no table.
    Unknown,
    /// Mapped to the columns themselves: a look-up by entity so has one step less.
    All(AtomicRef<'w, [Vec<T>]>),
    Some(BorrowedOut<'w, T>),
}

impl<T> fmt::Debug for ReadGuard<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("ReadGuard").finish_non_exhaustive()
    }
}

/// The columns of one type, to write.
pub enum WriteGuard<'w, T> {
    Unknown,
    All(AtomicRefMut<'w, [Vec<T>]>),
    Some(BorrowedOut<'w, T>),
}

impl<T> fmt::Debug for WriteGuard<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("WriteGuard").finish_non_exhaustive()
    }
}

/// Some columns of a type, taken out while others of its columns are in use by the same system; see [`Columns::lend`].
pub struct BorrowedOut<'w, T> {
    columns: Vec<Vec<T>>,
    cell: &'w AtomicRefCell<Columns<T>>,
}

impl<T> fmt::Debug for BorrowedOut<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("BorrowedOut").finish_non_exhaustive()
    }
}

impl<T> Drop for BorrowedOut<'_, T> {
    fn drop(&mut self) {
        self.cell
            .borrow_mut()
            .take_back(std::mem::take(&mut self.columns));
    }
}

impl<'w, T: Component> ReadGuard<'w, T> {
    pub(super) fn new(sources: &Sources<'w, '_>) -> Self {
        match sources.types.cell::<T>() {
            None => Self::Unknown,
            Some(cell) if sources.is_shared_out::<T>() => Self::Some(sources.borrow_out(cell)),
            Some(cell) => Self::All(AtomicRef::map(cell.borrow(), Columns::all)),
        }
    }

    #[inline(always)]
    pub(super) fn columns(&self) -> &[Vec<T>] {
        match self {
            Self::Unknown => &[],
            Self::All(columns) => columns,
            Self::Some(lent) => &lent.columns,
        }
    }
}

impl<'w, T: Component> WriteGuard<'w, T> {
    pub(super) fn new(sources: &Sources<'w, '_>) -> Self {
        match sources.types.cell::<T>() {
            None => Self::Unknown,
            Some(cell) if sources.is_shared_out::<T>() => Self::Some(sources.borrow_out(cell)),
            Some(cell) => Self::All(AtomicRefMut::map(cell.borrow_mut(), Columns::all_mut)),
        }
    }

    #[inline(always)]
    pub(super) fn columns(&self) -> &[Vec<T>] {
        match self {
            Self::Unknown => &[],
            Self::All(columns) => columns,
            Self::Some(lent) => &lent.columns,
        }
    }

    #[inline(always)]
    pub(super) fn columns_mut(&mut self) -> &mut [Vec<T>] {
        match self {
            Self::Unknown => &mut [],
            Self::All(columns) => columns,
            Self::Some(lent) => &mut lent.columns,
        }
    }
}

/// The columns of one type ahead of a position, to write.
pub struct ColumnsAhead<'s, T> {
    columns: std::slice::IterMut<'s, Vec<T>>,
    next: u32,
}

impl<T> fmt::Debug for ColumnsAhead<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("ColumnsAhead").finish_non_exhaustive()
    }
}

impl<'s, T> ColumnsAhead<'s, T> {
    #[inline(always)]
    pub(super) fn new(columns: &'s mut [Vec<T>]) -> Self {
        Self {
            columns: columns.iter_mut(),
            next: 0,
        }
    }

    #[inline(always)]
    pub(super) fn take(&mut self, position: u32) -> &'s mut [T] {
        // Tables ascend, and so do their columns: what lies between is skipped, never gone back to.
        let skipped = position - self.next;
        self.next = position + 1;
        self.columns
            .nth(skipped as usize)
            .expect("positions come from these columns")
    }
}

pub(super) type TickGuard<'w> = Option<AtomicRef<'w, Changes>>;

pub(super) fn ticks_of<T: Component>(types: &ComponentTypes) -> TickGuard<'_> {
    let known = types.get(types.id::<T>()?);
    known.changes.as_ref().map(AtomicRefCell::borrow)
}

pub(in crate::store::rows) fn position<T: Component>(
    types: &ComponentTypes,
    table: TableId,
) -> u32 {
    types
        .id::<T>()
        .and_then(|id| types.get(id).position(table))
        .unwrap_or(NO_COLUMN)
}

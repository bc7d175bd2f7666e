//! `Option<&T>` and `Option<&mut T>`.

use super::guards::{ColumnsAhead, ReadGuard, TickGuard, WriteGuard, position, ticks_of};
use super::{Items, Pattern, SharedItems, Sources};
use crate::store::access::{Access, ResourceKind};
use crate::store::column::NO_COLUMN;
use crate::store::component::{Component, ComponentTypes};
use crate::store::entity::TableId;
use crate::store::rows::shape::Shape;
use crate::store::table::Table;
use std::ops::Range;
use std::slice;

impl<T: Component> Items for Option<&T> {}
impl<T: Component> SharedItems for Option<&T> {}

/// A slice that may be missing, and how many rows the table has. A missing slice is empty, so that one loop serves both.
impl<T: Component> Pattern for Option<&T> {
    type Shared = Self;
    type Guards<'w> = ReadGuard<'w, T>;
    type Walk<'s> = &'s [Vec<T>];
    type Slices<'s> = (&'s [T], usize);
    type Item<'s> = Option<&'s T>;
    type Zip<'s> = PerRow<slice::Iter<'s, T>>;

    single!(asks: false, writes: false);
    reading!();

    fn hold<'w>(sources: &Sources<'w, '_>) -> ReadGuard<'w, T> {
        ReadGuard::new(sources)
    }

    #[inline(always)]
    fn walk<'s>(guards: &'s mut ReadGuard<'_, T>) -> &'s [Vec<T>] {
        guards.columns()
    }

    #[inline(always)]
    fn walk_shared<'s>(guards: &'s ReadGuard<'_, T>) -> &'s [Vec<T>] {
        guards.columns()
    }

    #[inline(always)]
    fn cut<'s>(
        walk: &mut &'s [Vec<T>],
        _: TableId,
        positions: &[u32],
        rows: usize,
    ) -> (&'s [T], usize)
    where
        's: 's,
    {
        match positions[0] {
            NO_COLUMN => (&[], rows),
            position => (&walk[position as usize], rows),
        }
    }

    #[inline(always)]
    fn split<'s>((slice, rows): (&'s [T], usize), at: usize) -> ((&'s [T], usize), (&'s [T], usize))
    where
        's: 's,
    {
        let (head, tail) = slice.split_at(at.min(slice.len()));
        ((head, at), (tail, rows - at))
    }

    #[inline(always)]
    fn zip<'s>((slice, rows): (&'s [T], usize)) -> Self::Zip<'s>
    where
        's: 's,
    {
        PerRow {
            values: slice.iter(),
            rows: 0..rows,
        }
    }

    #[inline]
    fn pick<'s>(
        guards: &'s mut ReadGuard<'_, T>,
        table: TableId,
        positions: &[u32],
        row: u32,
    ) -> Option<&'s T> {
        Self::pick_shared(guards, table, positions, row)
    }

    #[inline]
    fn pick_shared<'s>(
        guards: &'s ReadGuard<'_, T>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> Option<&'s T> {
        guards
            .columns()
            .get(positions[0] as usize)?
            .get(row as usize)
    }
}

impl<T: Component> Items for Option<&mut T> {}

impl<'a, T: Component> Pattern for Option<&'a mut T> {
    type Shared = Option<&'a T>;
    type Guards<'w> = WriteGuard<'w, T>;
    type Walk<'s> = ColumnsAhead<'s, T>;
    type Slices<'s> = (&'s mut [T], usize);
    type Item<'s> = Option<&'s mut T>;
    type Zip<'s> = PerRow<slice::IterMut<'s, T>>;

    single!(asks: false, writes: true);
    writing!();

    fn hold<'w>(sources: &Sources<'w, '_>) -> WriteGuard<'w, T> {
        WriteGuard::new(sources)
    }

    #[inline(always)]
    fn walk<'s>(guards: &'s mut WriteGuard<'_, T>) -> ColumnsAhead<'s, T> {
        ColumnsAhead::new(guards.columns_mut())
    }

    #[inline(always)]
    fn walk_shared<'s>(guards: &'s WriteGuard<'_, T>) -> &'s [Vec<T>] {
        guards.columns()
    }

    #[inline(always)]
    fn cut<'s>(
        walk: &mut ColumnsAhead<'s, T>,
        _: TableId,
        positions: &[u32],
        rows: usize,
    ) -> (&'s mut [T], usize)
    where
        's: 's,
    {
        match positions[0] {
            NO_COLUMN => (&mut [], rows),
            position => (walk.take(position), rows),
        }
    }

    #[inline(always)]
    fn split<'s>(
        (slice, rows): (&'s mut [T], usize),
        at: usize,
    ) -> ((&'s mut [T], usize), (&'s mut [T], usize))
    where
        's: 's,
    {
        let (head, tail) = slice.split_at_mut(at.min(slice.len()));
        ((head, at), (tail, rows - at))
    }

    #[inline(always)]
    fn zip<'s>((slice, rows): (&'s mut [T], usize)) -> Self::Zip<'s>
    where
        's: 's,
    {
        PerRow {
            values: slice.iter_mut(),
            rows: 0..rows,
        }
    }

    #[inline]
    fn pick<'s>(
        guards: &'s mut WriteGuard<'_, T>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> Option<&'s mut T> {
        guards
            .columns_mut()
            .get_mut(positions[0] as usize)?
            .get_mut(row as usize)
    }

    #[inline]
    fn pick_shared<'s>(
        guards: &'s WriteGuard<'_, T>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> Option<&'s T> {
        guards
            .columns()
            .get(positions[0] as usize)?
            .get(row as usize)
    }
}

/// The values of a column that a table may lack: one for each row, or `None` for each.
#[derive(Debug)]
pub struct PerRow<V> {
    values: V,
    rows: Range<usize>,
}

impl<V: Iterator> Iterator for PerRow<V> {
    type Item = Option<V::Item>;

    #[inline(always)]
    fn next(&mut self) -> Option<Self::Item> {
        self.rows.next()?;
        Some(self.values.next())
    }

    #[inline]
    fn size_hint(&self) -> (usize, Option<usize>) {
        self.rows.size_hint()
    }
}

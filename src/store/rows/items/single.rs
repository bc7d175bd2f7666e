//! `&T` and `&mut T`.

use super::guards::{ColumnsAhead, ReadGuard, TickGuard, WriteGuard, position, ticks_of};
use super::{Items, Pattern, SharedItems, Sources};
use crate::store::access::{Access, ResourceKind};
use crate::store::column::NO_COLUMN;
use crate::store::component::{Component, ComponentTypes};
use crate::store::entity::TableId;
use crate::store::rows::shape::Shape;
use crate::store::table::Table;
use std::slice;

impl<T: Component> Items for &T {}
impl<T: Component> SharedItems for &T {}

impl<'a, T: Component> Pattern for &'a T {
    type Shared = &'a T;
    type Guards<'w> = ReadGuard<'w, T>;
    type Walk<'s> = &'s [Vec<T>];
    type Slices<'s> = &'s [T];
    type Item<'s> = &'s T;
    type Zip<'s> = slice::Iter<'s, T>;

    single!(asks: true, writes: false);
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
    fn cut<'s>(walk: &mut &'s [Vec<T>], _: TableId, positions: &[u32], _: usize) -> &'s [T]
    where
        's: 's,
    {
        &walk[positions[0] as usize]
    }

    #[inline(always)]
    fn split<'s>(slice: &'s [T], at: usize) -> (&'s [T], &'s [T])
    where
        's: 's,
    {
        slice.split_at(at)
    }

    #[inline(always)]
    fn zip<'s>(slice: &'s [T]) -> Self::Zip<'s>
    where
        's: 's,
    {
        slice.iter()
    }

    #[inline]
    fn pick<'s>(
        guards: &'s mut ReadGuard<'_, T>,
        table: TableId,
        positions: &[u32],
        row: u32,
    ) -> &'s T {
        Self::pick_shared(guards, table, positions, row)
    }

    #[inline]
    fn pick_shared<'s>(
        guards: &'s ReadGuard<'_, T>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> &'s T {
        &guards.columns()[positions[0] as usize][row as usize]
    }
}

impl<T: Component> Items for &mut T {}

impl<'a, T: Component> Pattern for &'a mut T {
    type Shared = &'a T;
    type Guards<'w> = WriteGuard<'w, T>;
    type Walk<'s> = ColumnsAhead<'s, T>;
    type Slices<'s> = &'s mut [T];
    type Item<'s> = &'s mut T;
    type Zip<'s> = slice::IterMut<'s, T>;

    single!(asks: true, writes: true);
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
        _: usize,
    ) -> &'s mut [T]
    where
        's: 's,
    {
        walk.take(positions[0])
    }

    #[inline(always)]
    fn split<'s>(slice: &'s mut [T], at: usize) -> (&'s mut [T], &'s mut [T])
    where
        's: 's,
    {
        slice.split_at_mut(at)
    }

    #[inline(always)]
    fn zip<'s>(slice: &'s mut [T]) -> Self::Zip<'s>
    where
        's: 's,
    {
        slice.iter_mut()
    }

    #[inline]
    fn pick<'s>(
        guards: &'s mut WriteGuard<'_, T>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> &'s mut T {
        &mut guards.columns_mut()[positions[0] as usize][row as usize]
    }

    #[inline]
    fn pick_shared<'s>(
        guards: &'s WriteGuard<'_, T>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> &'s T {
        &guards.columns()[positions[0] as usize][row as usize]
    }
}

//! Links as an item of rows, and conditions on them.

use super::links::{LinkNode, Links};
use crate::store::{
    Access, ComponentTypes, Condition, Conditions, Having, Items, Lacking, Pattern, Shape,
    SharedItems, Sources, Table, TableId,
};
use std::iter::Map;
use std::ops::Range;

/// A row of [`Links`] is read like one of the stored component, and handed out as a copy.
type Stored = &'static LinkNode;

impl Items for Links {}
impl SharedItems for Links {}

impl Pattern for Links {
    type Shared = Self;
    type Guards<'w> = <Stored as Pattern>::Guards<'w>;
    type Marks<'w> = ();
    type Walk<'s> = <Stored as Pattern>::Walk<'s>;
    type Slices<'s> = <Stored as Pattern>::Slices<'s>;
    type Item<'s> = Self;
    type Zip<'s> = Map<<Stored as Pattern>::Zip<'s>, fn(&'s LinkNode) -> Self>;
    const COLUMNS: usize = Stored::COLUMNS;

    fn declare(access: &mut Access) {
        Stored::declare(access);
    }

    fn register(types: &mut ComponentTypes) {
        Stored::register(types);
    }

    fn describe(shape: &mut Shape) {
        Stored::describe(shape);
    }

    fn matches(types: &ComponentTypes, table: &Table) -> bool {
        Stored::matches(types, table)
    }

    fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
        Stored::positions(types, table, positions);
    }

    fn hold<'w>(sources: &Sources<'w, '_>) -> Self::Guards<'w> {
        Stored::hold(sources)
    }

    fn marks(_: &ComponentTypes) {}

    fn has_marks((): &()) -> bool {
        false
    }

    fn mark_table((): &(), _: &[u32], _: u64) {}

    fn mark_row((): &(), _: &[u32], _: u32, _: u64) {}

    fn mark_rows((): &(), _: &[u32], _: Range<usize>, _: u64) {}

    #[inline(always)]
    fn walk<'s>(guards: &'s mut Self::Guards<'_>) -> Self::Walk<'s> {
        Stored::walk(guards)
    }

    #[inline(always)]
    fn walk_shared<'s>(guards: &'s Self::Guards<'_>) -> Self::Walk<'s> {
        Stored::walk_shared(guards)
    }

    #[inline(always)]
    fn cut<'s>(
        walk: &mut Self::Walk<'s>,
        table: TableId,
        positions: &[u32],
        rows: usize,
    ) -> Self::Slices<'s>
    where
        's: 's,
    {
        Stored::cut(walk, table, positions, rows)
    }

    #[inline(always)]
    fn split<'s>(slice: Self::Slices<'s>, at: usize) -> (Self::Slices<'s>, Self::Slices<'s>)
    where
        's: 's,
    {
        slice.split_at(at)
    }

    #[inline(always)]
    fn zip<'s>(slice: Self::Slices<'s>) -> Self::Zip<'s>
    where
        's: 's,
    {
        slice.iter().map(Self::of)
    }

    #[inline]
    fn pick(guards: &mut Self::Guards<'_>, table: TableId, positions: &[u32], row: u32) -> Self {
        Self::pick_shared(guards, table, positions, row)
    }

    #[inline]
    fn pick_shared(guards: &Self::Guards<'_>, table: TableId, positions: &[u32], row: u32) -> Self {
        Self::of(Stored::pick_shared(guards, table, positions, row))
    }
}

/// Holds for entities that have a parent or children.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::space::{Linked, Unlinked};
///
/// let mut world = World::new();
/// let [portal, trolley, gull] = [1_u8, 2, 3].map(|number| world.spawn((number,)));
/// world.link(trolley, portal)?;
/// assert!(world.rows_where::<Entity, Linked>().iter().eq([portal, trolley]));
/// assert!(world.rows_where::<Entity, Unlinked>().iter().eq([gull]));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Debug)]
pub struct Linked;

/// Holds for entities that have neither a parent nor children; see [`Linked`].
#[derive(Debug)]
pub struct Unlinked;

/// A condition that asks what a condition on the stored component asks.
macro_rules! condition {
    ($condition:ty, $stored:ty) => {
        impl Conditions for $condition {}

        impl Condition for $condition {
            const BY_ROW: bool = <$stored>::BY_ROW;
            const COLUMNS: usize = <$stored>::COLUMNS;
            type Held<'w> = ();

            fn declare(access: &mut Access) {
                <$stored>::declare(access);
            }

            fn register(types: &mut ComponentTypes, tick: u64) {
                <$stored>::register(types, tick);
            }

            fn describe(shape: &mut Shape) {
                <$stored>::describe(shape);
            }

            fn accepts(types: &ComponentTypes, table: &Table) -> bool {
                <$stored>::accepts(types, table)
            }

            fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
                <$stored>::positions(types, table, positions);
            }

            fn hold(_: &ComponentTypes) {}

            #[inline(always)]
            fn holds(held: &(), positions: &[u32], row: usize, since: u64) -> bool {
                <$stored>::holds(held, positions, row, since)
            }
        }
    };
}

condition!(Linked, Having<LinkNode>);
condition!(Unlinked, Lacking<LinkNode>);

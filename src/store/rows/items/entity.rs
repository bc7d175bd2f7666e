//! `Entity`.

use super::{Items, Pattern, SharedItems, Sources};
use crate::store::access::Access;
use crate::store::component::ComponentTypes;
use crate::store::entity::{Entity, TableId};
use crate::store::rows::shape::Shape;
use crate::store::table::{Table, Tables};
use std::iter::Copied;
use std::slice;

impl Items for Entity {}
impl SharedItems for Entity {}

impl Pattern for Entity {
    type Shared = Entity;
    type Guards<'w> = &'w Tables;
    type Walk<'s> = &'s Tables;
    type Slices<'s> = &'s [Entity];
    type Item<'s> = Entity;
    type Zip<'s> = Copied<slice::Iter<'s, Entity>>;
    const COLUMNS: usize = 0;

    reading!();

    fn declare(_: &mut Access) {}

    fn register(_: &mut ComponentTypes) {}

    fn describe(_: &mut Shape) {}

    fn matches(_: &ComponentTypes, _: &Table) -> bool {
        true
    }

    fn positions(_: &ComponentTypes, _: TableId, _: &mut Vec<u32>) {}

    fn hold<'w>(sources: &Sources<'w, '_>) -> &'w Tables {
        sources.tables
    }

    #[inline(always)]
    fn walk<'s>(guards: &'s mut &Tables) -> &'s Tables {
        guards
    }

    #[inline(always)]
    fn walk_shared<'s>(guards: &'s &Tables) -> &'s Tables {
        guards
    }

    #[inline(always)]
    fn cut<'s>(walk: &mut &'s Tables, table: TableId, _: &[u32], _: usize) -> &'s [Entity]
    where
        's: 's,
    {
        &walk.get(table).entities
    }

    #[inline(always)]
    fn split<'s>(slice: &'s [Entity], at: usize) -> (&'s [Entity], &'s [Entity])
    where
        's: 's,
    {
        slice.split_at(at)
    }

    #[inline(always)]
    fn zip<'s>(slice: &'s [Entity]) -> Self::Zip<'s>
    where
        's: 's,
    {
        slice.iter().copied()
    }

    #[inline]
    fn pick(guards: &mut &Tables, table: TableId, _: &[u32], row: u32) -> Entity {
        guards.get(table).entities[row as usize]
    }

    #[inline]
    fn pick_shared(guards: &&Tables, table: TableId, _: &[u32], row: u32) -> Entity {
        guards.get(table).entities[row as usize]
    }
}

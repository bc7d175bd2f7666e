//! Which tables match, remembered between runs of a system.

use super::conditions::Conditions;
use super::items::Items;
use crate::store::entity::TableId;
use crate::store::world::World;

/// The tables that match, ascending, with the positions of the columns that are wanted of each.
#[derive(Default, Debug)]
pub(crate) struct Matches {
    tables: Vec<TableId>,
    positions: Vec<u32>,
    /// By table: its place in `tables`, or `NO_MATCH`.
    place_of: Vec<u32>,
}

const NO_MATCH: u32 = u32::MAX;

impl Matches {
    /// Looks at the tables made since the last call. O(new tables).
    pub(crate) fn refresh<I: Items, C: Conditions>(&mut self, world: &World) {
        let seen = self.place_of.len();
        for (id, table) in world.tables.iter().skip(seen) {
            if !I::matches(&world.types, table) || !C::accepts(&world.types, table) {
                self.place_of.push(NO_MATCH);
                continue;
            }
            self.place_of
                .push(u32::try_from(self.tables.len()).expect("fewer than 2^32 tables"));
            self.tables.push(id);
            I::positions(&world.types, id, &mut self.positions);
            C::positions(&world.types, id, &mut self.positions);
        }
    }

    #[inline]
    pub(crate) fn tables(&self) -> &[TableId] {
        &self.tables
    }

    #[inline]
    pub(crate) fn positions(&self) -> &[u32] {
        &self.positions
    }

    /// The positions of one table's columns, if the table matches.
    #[inline]
    pub(crate) fn of_table(&self, table: TableId, columns: usize) -> Option<&[u32]> {
        let place = *self.place_of.get(table.index())?;
        if place == NO_MATCH {
            return None;
        }
        let start = place as usize * columns;
        Some(&self.positions[start..start + columns])
    }
}

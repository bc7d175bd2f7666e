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
    /// The same positions for all tables, those that do not match included, so that a look-up by table is one step.
    by_table: Vec<u32>,
    seen: usize,
}

/// Stands first among the positions of a table that does not match.
const NO_MATCH: u32 = u32::MAX - 1;

impl Matches {
    /// Looks at the tables made since the last call. O(new tables).
    pub(crate) fn refresh<I: Items, C: Conditions>(&mut self, world: &World) {
        if self.seen == world.tables.len() {
            return;
        }
        for (id, table) in world.tables.iter().skip(self.seen) {
            let first = self.by_table.len();
            if I::matches(&world.types, table) && C::accepts(&world.types, table) {
                self.tables.push(id);
                I::positions(&world.types, id, &mut self.by_table);
                C::positions(&world.types, id, &mut self.by_table);
                self.positions.extend_from_slice(&self.by_table[first..]);
            } else {
                self.by_table.push(NO_MATCH);
            }
            let each = stride(I::COLUMNS + C::COLUMNS);
            self.by_table.resize(first + each, 0);
        }
        self.seen = world.tables.len();
    }

    #[inline]
    pub(crate) fn tables(&self) -> &[TableId] {
        &self.tables
    }

    #[inline]
    pub(crate) fn positions(&self) -> &[u32] {
        &self.positions
    }

    /// The positions of one table's columns, if the table matches; `None` for the table that is none as well.
    #[inline]
    pub(crate) fn of_table(&self, table: TableId, columns: usize) -> Option<&[u32]> {
        let start = table.index() * stride(columns);
        let positions = self.by_table.get(start..start + stride(columns))?;
        (positions[0] != NO_MATCH).then_some(positions)
    }
}

/// Room for the mark of a table that does not match is needed even where no column is wanted.
const fn stride(columns: usize) -> usize {
    if columns == 0 { 1 } else { columns }
}

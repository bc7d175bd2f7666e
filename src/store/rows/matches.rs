//! Which tables match, remembered between runs of a system.

use super::conditions::Conditions;
use super::items::Items;
use crate::store::entity::TableId;
use crate::store::world::World;

/// The tables that match, in the order in which they were made, with the positions of the columns that are wanted of each.
#[derive(Default, Debug)]
pub(crate) struct Matches {
    tables: Vec<TableId>,
    positions: Vec<u32>,
    /// The same positions by table id, those that do not match included, so that a look-up by table is one step.
    by_table: Vec<u32>,
    /// How many tables have been looked at.
    seen: usize,
    /// The world that they belong to, and how often it had dropped tables then.
    of: Option<(u64, u64)>,
}

/// Stands first among the positions of a table that does not match.
const NO_MATCH: u32 = u32::MAX - 1;

impl Matches {
    /// Looks at the tables made since the last call. O(new tables); all tables, if some were dropped since or the world is
    /// another one. Borrows no column, so other systems may write meanwhile.
    pub(crate) fn refresh<I: Items, C: Conditions>(&mut self, world: &World) {
        let of = Some((world.identity(), world.tables.drops()));
        if self.of != of {
            *self = Self {
                of,
                ..Self::default()
            };
        }
        let each = stride(I::COLUMNS + C::COLUMNS);
        while let Some(&id) = world.tables.in_order().get(self.seen) {
            let table = world.tables.get(id);
            let start = id.index() * each;
            if self.by_table.len() < start + each {
                self.by_table.resize(start + each, NO_MATCH);
            }
            if I::matches(&world.types, table) && C::accepts(&world.types, table) {
                let first = self.positions.len();
                self.tables.push(id);
                I::positions(&world.types, id, &mut self.positions);
                C::positions(&world.types, id, &mut self.positions);
                let wanted = &self.positions[first..];
                let slots = &mut self.by_table[start..start + each];
                // A match that wants no column is marked all the same.
                slots.fill(0);
                slots[..wanted.len()].copy_from_slice(wanted);
            }
            self.seen += 1;
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

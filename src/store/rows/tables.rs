//! Rows table by table, for floors that keep something derived from a component up to date.

use super::conditions::Conditions;
use super::items::Items;
use super::iter::Duties;
use super::{Pattern, Rows};
use crate::error::Error;
use crate::store::access::{Access, ResourceKind};
use crate::store::changes::{Changes, Kept, UnseenRows};
use crate::store::claim::{Claim, Grant, Preparation};
use crate::store::component::Component;
use crate::store::entity::{Entities, Entity, TableId};
use crate::store::world::World;
use atomic_refcell::{AtomicRef, AtomicRefCell};
use std::marker::PhantomData;
use std::ops::Range;

/// The rows of one table.
pub(crate) struct TableRows<'s, 'w, I: Items, C: Conditions> {
    pub(crate) table: TableId,
    /// As long as this stays the same, rows stay where they are.
    pub(crate) version: u64,
    pub(crate) slices: <I as Pattern>::Slices<'s>,
    positions: &'s [u32],
    duties: Duties<'s, 'w, I, C>,
}

impl<I: Items, C: Conditions> TableRows<'_, '_, I, C> {
    /// Notes that some rows side by side were written, where a system asks.
    pub(crate) fn mark_rows(&self, rows: Range<usize>) {
        if let Some(marks) = self.duties.marks {
            I::mark_rows(marks, &self.positions[..I::COLUMNS], rows, self.duties.now);
        }
    }
}

/// Finds the rows of entities.
#[derive(Clone, Copy)]
pub(crate) struct Locator<'w>(&'w Entities);

impl Locator<'_> {
    /// The table and row of an entity; `None` if it is gone.
    pub(crate) fn find(self, entity: Entity) -> Option<(TableId, u32)> {
        let location = self.0.locate(entity)?;
        Some((location.table, location.row))
    }
}

impl<'w, I: Items, C: Conditions> Rows<'w, I, C> {
    /// All matching tables. A caller that writes a row must mark it with [`TableRows::mark_rows`].
    pub(crate) fn by_table(&mut self) -> impl Iterator<Item = TableRows<'_, 'w, I, C>> {
        let tables = self.tables;
        let walk = self.tables_mut();
        let mut duties = walk.duties;
        duties.marks = duties.marks.filter(|marks| I::has_marks(marks));
        walk.map(move |table| TableRows {
            table: table.table,
            version: tables.get(table.table).version(),
            slices: table.slices,
            positions: table.positions,
            duties,
        })
    }

    /// Who runs parallel loops.
    #[cfg(feature = "parallel")]
    pub(crate) fn workers(&self) -> &'w crate::store::workers::Workers {
        self.workers
    }

    pub(crate) fn locator(&self) -> Locator<'w> {
        Locator(self.entities)
    }
}

impl World {
    /// Has it noted from now on which rows of a type were written, attached or moved, for one user of [`Unseen`] per table.
    pub(crate) fn keep_unseen<T: Component>(&mut self) {
        let id = self.types.id_or_register::<T>();
        let tick = self.tick_outside();
        let unseen = Kept {
            unseen: true,
            ..Kept::default()
        };
        self.types.keep(id, unseen, tick);
    }
}

/// As a claim: which rows of a type were written, attached or moved since the last look.
pub(crate) struct Unseen<'w, T> {
    world: &'w World,
    changes: Option<AtomicRef<'w, Changes>>,
    component: PhantomData<fn() -> T>,
}

impl<T: Component> Unseen<'_, T> {
    /// Whether these are all rows of a table; if so, they count as seen from now on.
    pub(crate) fn see_if_all(&self, table: TableId) -> bool {
        self.of_table(table).is_some_and(UnseenRows::see_if_all)
    }

    /// Calls `f` with each such row of a table, in order; they count as seen from now on.
    pub(crate) fn see(&self, table: TableId, f: impl FnMut(usize)) {
        if let Some(unseen) = self.of_table(table) {
            unseen.see(f);
        }
    }

    fn of_table(&self, table: TableId) -> Option<&UnseenRows> {
        let types = &self.world.types;
        let column = types.id::<T>().and_then(|id| types.get(id).position(table));
        self.changes.as_ref()?.unseen(column?)
    }
}

impl<T: Component> Claim for Unseen<'_, T> {}

impl<T: Component> Grant for Unseen<'_, T> {
    type State = ();
    type Granted<'w> = Unseen<'w, T>;

    fn declare(access: &mut Access) {
        access.add_unless_known::<T>(ResourceKind::Component);
    }

    fn prepare(preparation: &mut Preparation<'_>) {
        preparation.world.keep_unseen::<T>();
    }

    fn grant<'w>((): &'w mut (), world: &'w World) -> Result<Unseen<'w, T>, Error> {
        let known = world.types.id::<T>().map(|id| world.types.get(id));
        Ok(Unseen {
            world,
            changes: known.and_then(|known| known.changes.as_ref().map(AtomicRefCell::borrow)),
            component: PhantomData,
        })
    }
}

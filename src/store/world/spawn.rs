//! Spawning and despawning.

use super::World;
use crate::error::Error;
use crate::panics::{Panics, after_all};
use crate::store::batch::{Batches, TableBatch, tail_start};
use crate::store::component::FarewellHook;
use crate::store::component_set::{ComponentSet, Components};
use crate::store::entity::{Entities, Entity, Location, TableId};
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};

impl World {
    /// Makes an entity with these components. O(components).
    ///
    /// # Panics
    ///
    /// If the tuple names a type twice, or has a tuple among its members.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn(("pallet", 12.5_f32));
    /// assert_eq!(*world.get::<f32>(pallet)?, 12.5);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[inline]
    pub fn spawn<B: Components>(&mut self, components: B) -> Entity {
        let row = self.push_row(components);
        let entity = self.entities.allocate(row);
        self.tables.get_mut(row.table).entities.push(entity);
        entity
    }

    /// Makes an entity for each item of an iterator, and returns their ids in the same order. Faster than one by one:
    /// the columns are found once and grow at most once.
    ///
    /// If the iterator panics, the entities of the items before are there, whole.
    ///
    /// # Panics
    ///
    /// As [`World::spawn`].
    ///
    /// # Example
    ///
    /// ```
    /// struct Tonnes(f32);
    ///
    /// let mut world = gerust::World::new();
    /// let pallets = world.spawn_many((0..100_u8).map(|i| (Tonnes(f32::from(i)),)));
    /// assert_eq!(pallets.len(), 100);
    /// assert_eq!(world.get::<Tonnes>(pallets[7])?.0, 7.0);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn spawn_many<B: Components>(&mut self, many: impl IntoIterator<Item = B>) -> Vec<Entity> {
        let many = many.into_iter();
        let Self {
            plans,
            types,
            tables,
            entities,
            ..
        } = self;
        let plan = plans.of::<B>(types, tables);
        let table = plan.table;
        if !plan.companions.is_empty() || plan.notes_changes(types) {
            return many.map(|one| self.spawn(one)).collect();
        }
        let mut newcomers = Newcomers {
            rows: &mut tables.get_mut(table).entities,
            entities,
            table,
            pushed: 0,
            ids: Vec::new(),
        };
        B::push_all(types, table, many, || newcomers.pushed += 1);
        newcomers.settle();
        std::mem::take(&mut newcomers.ids)
    }

    /// Makes an entity whose id was reserved.
    ///
    /// # Panics
    ///
    /// As [`World::spawn`]; the id is retired then.
    pub(crate) fn spawn_reserved<B: ComponentSet>(&mut self, entity: Entity, components: B) {
        let row = catch_unwind(AssertUnwindSafe(|| self.push_row(components)));
        let row = row.unwrap_or_else(|panic| {
            self.forgo_reserved(entity);
            resume_unwind(panic)
        });
        self.entities.settle(entity, row);
        self.tables.get_mut(row.table).entities.push(entity);
    }

    /// Makes sure that an id that was reserved and will not be used never comes back.
    pub(crate) fn forgo_reserved(&mut self, entity: Entity) {
        self.entities.burn(entity);
    }

    /// Pushes components and what they bring along; the entity must follow.
    #[inline]
    fn push_row<B: ComponentSet>(&mut self, components: B) -> Location {
        let tick = self.tick_outside();
        let Self {
            plans,
            types,
            tables,
            ..
        } = self;
        let plan = plans.of::<B>(types, tables);
        components.push(types, plan, tick);
        for companion in &plan.companions {
            (companion.push)(types, plan.table, tick);
        }
        Location {
            table: plan.table,
            row: row_number(tables.get(plan.table).entities.len()),
        }
    }

    /// Gives a committed entity the newest row of a table.
    #[cfg(feature = "snapshot")]
    pub(crate) fn settle_in(&mut self, table: TableId, entity: Entity) {
        let rows = &mut self.tables.get_mut(table).entities;
        let row = row_number(rows.len());
        rows.push(entity);
        self.entities.settle(entity, Location { table, row });
    }

    /// Ends an entity and, if it has children, its whole subtree. O(components) for each.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    ///
    /// # Panics
    ///
    /// If the drop of a component panics: then the entity and its subtree are gone, their other components are dropped,
    /// and the panic continues.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let gull = world.spawn(("gull",));
    /// world.despawn(gull)?;
    /// assert!(!world.contains(gull));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn despawn(&mut self, entity: Entity) -> Result<(), Error> {
        after_all(|panics| self.despawn_caught(entity, panics))
    }

    /// [`World::despawn`] with the panics of drops caught.
    pub(crate) fn despawn_caught(
        &mut self,
        entity: Entity,
        panics: &mut Panics,
    ) -> Result<(), Error> {
        let location = self.locate(entity, "despawned")?;
        if self.tables.get(location.table).says_farewell {
            self.detach_links(entity, location.table);
        }
        self.remove_entity(entity);
        self.types.drop_set_aside(panics);
        Ok(())
    }

    /// Ends many entities and their subtrees, and returns how many of them were alive. Ids that are stale, or that went
    /// with an entity named before, are passed over.
    ///
    /// # Panics
    ///
    /// As [`World::despawn`].
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let gulls = world.spawn_many((0..10_u8).map(|i| (i,)));
    /// assert_eq!(world.despawn_many(gulls.iter().copied()), 10);
    /// assert_eq!(world.despawn_many(gulls), 0);
    /// ```
    pub fn despawn_many(&mut self, many: impl IntoIterator<Item = Entity>) -> usize {
        after_all(|panics| self.despawn_all(many, panics))
    }

    /// [`World::despawn_many`] with the panics of drops and of the iterator caught.
    pub(crate) fn despawn_all(
        &mut self,
        many: impl IntoIterator<Item = Entity>,
        panics: &mut Panics,
    ) -> usize {
        // Those with a farewell or a posted loss come last: they never move the rows of the others.
        let mut told: Vec<Entity> = Vec::new();
        let mut batches = Batches::default();
        panics.catch(|| {
            for entity in many {
                let Some(location) = self.entities.locate(entity) else {
                    continue;
                };
                if self.tables.get(location.table).says_farewell || self.tells_lost(location.table)
                {
                    told.push(entity);
                } else {
                    batches.push(location.table, location.row, 0);
                }
            }
        });
        let mut count = 0;
        for batch in batches.sorted(|table| self.tables.get(table).entities.len()) {
            count += batch.rows.len();
            self.despawn_batch(&batch);
        }
        for entity in told {
            count += usize::from(self.despawn_caught(entity, panics).is_ok());
        }
        self.types.drop_set_aside(panics);
        count
    }

    /// Despawns entities of one table that have no further effects: each column is found once.
    fn despawn_batch(&mut self, batch: &TableBatch) {
        let table = batch.table;
        let Self {
            types,
            tables,
            entities,
            ..
        } = self;
        let table_rows = tables.get_mut(table);
        if let Some(start) = tail_start(&batch.rows, table_rows.entities.len()) {
            for gone in table_rows.entities.drain(start..).rev() {
                entities.end(gone);
            }
        } else {
            for &(row, _) in &batch.rows {
                let gone = table_rows.entities.swap_remove(row as usize);
                entities.end(gone);
                if let Some(&moved) = table_rows.entities.get(row as usize) {
                    entities.relocate(moved, Location { table, row });
                }
            }
        }
        for &id in table_rows.components() {
            types.set_rows_aside(id, table, &batch.rows);
        }
    }

    /// Whether any type of a table wants its losses told.
    fn tells_lost(&self, table: TableId) -> bool {
        self.any_lost
            && self
                .tables
                .get(table)
                .components()
                .iter()
                .any(|&id| self.types.get(id).tell_lost.is_some())
    }

    fn detach_links(&mut self, entity: Entity, table: TableId) {
        let hooks: Vec<FarewellHook> = self
            .tables
            .get(table)
            .components()
            .iter()
            .filter_map(|&id| self.types.get(id).farewell)
            .collect();
        for hook in hooks {
            hook(self, entity);
        }
    }

    /// Ends one entity; its components wait to be dropped. Nothing happens if it is gone.
    pub(crate) fn remove_entity(&mut self, entity: Entity) {
        // Located again by `release`, because a farewell may have moved other rows.
        let Some(location) = self.entities.release(entity) else {
            return;
        };
        if self.tells_lost(location.table) {
            self.tell_lost(entity, location.table);
        }
        self.take_out_of_table(location);
        for &id in self.tables.get(location.table).components() {
            self.types.set_row_aside(id, location.table, location.row);
        }
    }

    fn tell_lost(&mut self, entity: Entity, table: TableId) {
        let tellers: Vec<fn(&mut Self, Entity)> = self
            .tables
            .get(table)
            .components()
            .iter()
            .filter_map(|&id| self.types.get(id).tell_lost)
            .collect();
        for tell in tellers {
            tell(self, entity);
        }
    }

    /// Takes an entity out of its table's list; the last one moves to its row.
    pub(super) fn take_out_of_table(&mut self, location: Location) {
        let entities = &mut self.tables.get_mut(location.table).entities;
        entities.swap_remove(location.row as usize);
        if let Some(&moved) = entities.get(location.row as usize) {
            self.entities.relocate(moved, location);
        }
    }
}

/// The number of the next row of a table with this many.
#[inline]
pub(crate) fn row_number(rows: usize) -> u32 {
    u32::try_from(rows).expect("a table holds fewer than 2^32 rows")
}

/// Gives ids to rows whose components have been pushed: at the end, or when the iterator that the components come from
/// panics.
struct Newcomers<'w> {
    rows: &'w mut Vec<Entity>,
    entities: &'w mut Entities,
    table: TableId,
    /// Rows that have components and no id yet.
    pushed: usize,
    ids: Vec<Entity>,
}

impl Newcomers<'_> {
    fn settle(&mut self) {
        let first = row_number(self.rows.len());
        let end = row_number(self.rows.len() + std::mem::take(&mut self.pushed));
        let before = self.ids.len();
        self.entities
            .allocate_many(self.table, first..end, &mut self.ids);
        self.rows.extend_from_slice(&self.ids[before..]);
    }
}

impl Drop for Newcomers<'_> {
    fn drop(&mut self) {
        self.settle();
    }
}

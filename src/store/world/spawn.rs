//! Spawning and despawning.

use super::World;
use crate::error::Error;
use crate::store::bundle::{Bundle, BundlePlan, Components};
use crate::store::component::FarewellHook;
use crate::store::entity::{Entity, Location, TableId};
use std::any::TypeId;

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
    /// the columns are looked up once and grow at most once.
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
        let plan = self.plan::<B>();
        let table = plan.table;
        let is_plain = plan.companions.is_empty();
        let ids = plan.ids.clone();
        if !is_plain || ids.iter().any(|&id| self.types.get(id).ticks.is_some()) {
            return many.map(|one| self.spawn(one)).collect();
        }
        let Self {
            types,
            tables,
            entities,
            ..
        } = self;
        let rows = &mut tables.get_mut(table).entities;
        let expected = many.size_hint().0;
        let first = rows.len();
        rows.reserve(expected);
        entities.reserve(expected);
        B::push_all(types, table, many, || {
            let row = row_number(rows.len());
            rows.push(entities.allocate(Location { table, row }));
        });
        rows[first..].to_vec()
    }

    /// Makes an entity whose id was reserved.
    pub(crate) fn spawn_reserved<B: Bundle>(&mut self, entity: Entity, components: B) {
        let row = self.push_row(components);
        self.entities.settle(entity, row);
        self.tables.get_mut(row.table).entities.push(entity);
    }

    fn plan<B: Bundle>(&mut self) -> &BundlePlan {
        let Self {
            plans,
            types,
            tables,
            ..
        } = self;
        plans
            .entry(TypeId::of::<B>())
            .or_insert_with(|| BundlePlan::new::<B>(types, tables))
    }

    /// Pushes components and what they bring along; the entity must follow.
    #[inline]
    fn push_row<B: Bundle>(&mut self, components: B) -> Location {
        let tick = self.tick_outside();
        let Self {
            plans,
            types,
            tables,
            ..
        } = self;
        let plan = plans
            .entry(TypeId::of::<B>())
            .or_insert_with(|| BundlePlan::new::<B>(types, tables));
        components.push(types, &plan.ids, plan.table, tick);
        for companion in &plan.companions {
            (companion.push)(types, plan.table, tick);
        }
        Location {
            table: plan.table,
            row: row_number(tables.get(plan.table).entities.len()),
        }
    }

    /// Ends an entity and, if it has children, its whole subtree. O(components) for each.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    ///
    /// # Panics
    ///
    /// If the drop of a component panics; the entity is gone nevertheless, and the world can be used on.
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
        let location = self.locate(entity, "despawned")?;
        if self.tables.get(location.table).says_farewell {
            self.say_farewell(entity, location.table);
        }
        self.despawn_alone(entity);
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
        let mut gone: Vec<(Location, Entity)> = Vec::new();
        let mut count = 0;
        for entity in many {
            let Some(location) = self.entities.locate(entity) else {
                continue;
            };
            if self.tables.get(location.table).says_farewell || self.tells_lost(location.table) {
                count += usize::from(self.despawn(entity).is_ok());
            } else {
                gone.push((location, entity));
            }
        }
        count + self.despawn_rows(gone)
    }

    /// Ends entities that nobody else has to know about: table by table, so that each column is looked up once.
    fn despawn_rows(&mut self, mut gone: Vec<(Location, Entity)>) -> usize {
        // A farewell may have moved a row after it was located.
        for (location, entity) in &mut gone {
            *location = self.entities.locate(*entity).unwrap_or(*location);
        }
        gone.sort_unstable_by_key(|(location, _)| {
            (location.table, std::cmp::Reverse(location.row))
        });
        gone.dedup();
        let mut count = 0;
        for run in gone.chunk_by(|(a, _), (b, _)| a.table == b.table) {
            count += self.despawn_rows_of_table(run);
        }
        count
    }

    /// Rows come last first, so that a row which takes a freed place is never one that goes as well.
    fn despawn_rows_of_table(&mut self, run: &[(Location, Entity)]) -> usize {
        let Some(&(Location { table, .. }, _)) = run.first() else {
            return 0;
        };
        let rows: Vec<u32> = run
            .iter()
            .filter(|(_, entity)| self.entities.release(*entity).is_some())
            .map(|(location, _)| location.row)
            .collect();
        let Self {
            types,
            tables,
            entities,
            ..
        } = self;
        let table_rows = tables.get_mut(table);
        for &row in &rows {
            table_rows.entities.swap_remove(row as usize);
            if let Some(&moved) = table_rows.entities.get(row as usize) {
                entities.relocate(moved, Location { table, row });
            }
        }
        for &id in table_rows.components() {
            types.bury_rows(id, table, &rows);
        }
        self.drop_buried(table);
        rows.len()
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

    fn say_farewell(&mut self, entity: Entity, table: TableId) {
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

    /// Ends an entity without asking anybody; nothing happens if it is gone.
    pub(crate) fn despawn_alone(&mut self, entity: Entity) {
        // Located again by `release`, because a farewell may have moved other rows.
        let Some(location) = self.entities.release(entity) else {
            return;
        };
        if self.tells_lost(location.table) {
            self.tell_lost(entity, location.table);
        }
        self.take_out_of_table(location);
        for &id in self.tables.get(location.table).components() {
            self.types.bury_row(id, location.table, location.row);
        }
        self.drop_buried(location.table);
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

    /// Drops what has left a table, when everything else is in step again.
    fn drop_buried(&mut self, table: TableId) {
        for &id in self.tables.get(table).components() {
            self.types.get_mut(id).columns.drop_buried();
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
pub(super) fn row_number(rows: usize) -> u32 {
    u32::try_from(rows).expect("a table holds fewer than 2^32 rows")
}

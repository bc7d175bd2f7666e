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

    /// Makes an entity whose id was reserved.
    pub(crate) fn spawn_reserved<B: Bundle>(&mut self, entity: Entity, components: B) {
        let row = self.push_row(components);
        self.entities.settle(entity, row);
        self.tables.get_mut(row.table).entities.push(entity);
    }

    /// Pushes components and what they bring along; the entity must follow.
    #[inline]
    fn push_row<B: Bundle>(&mut self, components: B) -> Location {
        let Self {
            plans,
            types,
            tables,
            ..
        } = self;
        let plan = plans
            .entry(TypeId::of::<B>())
            .or_insert_with(|| BundlePlan::new::<B>(types, tables));
        components.push(types, &plan.ids, plan.table);
        for companion in &plan.companions {
            (companion.push)(types, plan.table);
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
        self.take_out_of_table(location);
        for &id in self.tables.get(location.table).components() {
            self.types
                .get_mut(id)
                .columns
                .remove_row(location.table, location.row);
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

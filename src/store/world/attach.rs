//! Attaching and detaching.

use super::World;
use super::spawn::row_number;
use crate::error::{Error, Kind};
use crate::store::component::{Companion, Component, ComponentId, short_name};
use crate::store::entity::{Entity, Location, TableId};
use crate::store::table::push_companions;

impl World {
    /// Puts a component on an entity, and returns the value that it replaces. O(components) if the entity did not have
    /// it yet, because its row then moves to another table; O(1) otherwise.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive, or the component is one that the hierarchy keeps.
    ///
    /// # Panics
    ///
    /// If `T` is a tuple.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn(("pallet",));
    /// assert_eq!(world.attach(pallet, 3_u8)?, None);
    /// assert_eq!(world.attach(pallet, 4_u8)?, Some(3));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn attach<T: Component>(
        &mut self,
        entity: Entity,
        component: T,
    ) -> Result<Option<T>, Error> {
        let id = self.types.id_or_register::<T>();
        self.refuse_kept(entity, id, "attached")?;
        self.attach_kept(entity, component)
    }

    /// [`World::attach`] for the floor that keeps the type.
    pub(crate) fn attach_kept<T: Component>(
        &mut self,
        entity: Entity,
        component: T,
    ) -> Result<Option<T>, Error> {
        let from = self.locate(entity, "given a component")?;
        let id = self.types.id_or_register::<T>();
        if let Some(present) = self
            .types
            .columns_mut::<T>(id)
            .get_mut(from.table, from.row)
        {
            return Ok(Some(std::mem::replace(present, component)));
        }
        let to = self.tables.with(&mut self.types, from.table, id);
        self.move_row(entity, from, to);
        self.types
            .columns_mut::<T>(id)
            .column_mut(to)
            .push(component);
        for companion in self.new_companions(from.table, id) {
            (companion.push)(&mut self.types, to);
        }
        Ok(None)
    }

    /// What a newly attached type brings along to an entity from a table.
    fn new_companions(&self, from: TableId, attached: ComponentId) -> Vec<Companion> {
        if self.types.get(attached).companions.is_empty() {
            return Vec::new();
        }
        let mut components = self.tables.get(from).components().to_vec();
        components.push(attached);
        push_companions(&self.types, &mut components)
    }

    /// Takes a component off an entity, and returns it if it was there. O(components).
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive, or the component is one that the hierarchy keeps.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn(("pallet", 3_u8));
    /// assert_eq!(world.detach::<u8>(pallet)?, Some(3));
    /// assert_eq!(world.detach::<u8>(pallet)?, None);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn detach<T: Component>(&mut self, entity: Entity) -> Result<Option<T>, Error> {
        match self.types.id::<T>() {
            Some(id) => {
                self.refuse_kept(entity, id, "detached")?;
                self.detach_kept(entity)
            }
            None => self.locate(entity, "stripped of a component").map(|_| None),
        }
    }

    /// [`World::detach`] for the floor that keeps the type.
    pub(crate) fn detach_kept<T: Component>(&mut self, entity: Entity) -> Result<Option<T>, Error> {
        let from = self.locate(entity, "stripped of a component")?;
        let Some(id) = self.types.id::<T>() else {
            return Ok(None);
        };
        let columns = self.types.columns_mut::<T>(id);
        if columns.position(from.table).is_none() {
            return Ok(None);
        }
        let value = columns
            .column_mut(from.table)
            .swap_remove(from.row as usize);
        let to = self.tables.without(&mut self.types, from.table, id);
        self.move_row(entity, from, to);
        Ok(Some(value))
    }

    /// Moves an entity, and the components that both tables have, to the end of another table.
    fn move_row(&mut self, entity: Entity, from: Location, to: TableId) {
        for &id in self.tables.get(from.table).components() {
            if self.tables.get(to).has(id) {
                self.types
                    .get_mut(id)
                    .columns
                    .move_row(from.table, from.row, to);
            }
        }
        self.take_out_of_table(from);
        let entities = &mut self.tables.get_mut(to).entities;
        let location = Location {
            table: to,
            row: row_number(entities.len()),
        };
        entities.push(entity);
        self.entities.relocate(entity, location);
    }

    fn refuse_kept(
        &self,
        entity: Entity,
        id: ComponentId,
        verb: &'static str,
    ) -> Result<(), Error> {
        let known = self.types.get(id);
        if !known.kept {
            return Ok(());
        }
        Err(Error::from(Kind::KeptComponent {
            entity,
            label: self.label(entity),
            component: short_name(known.name),
            verb,
        }))
    }
}

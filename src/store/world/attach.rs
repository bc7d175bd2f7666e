//! Attaching and detaching.

use super::World;
use super::spawn::row_number;
use crate::error::Error;
use crate::panics::{Panics, after_all};
use crate::store::batch::{Batches, tail_start};
use crate::store::component::{Component, ComponentId};
use crate::store::entity::{Entity, Location, TableId};
use crate::store::table::complete_with_companions;

impl World {
    /// Puts a component on an entity, and returns the value that it replaces. O(components) if the entity did not have
    /// it yet, because its row then moves to another table; O(1) otherwise.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
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
        let from = self.locate(entity, "given a component")?;
        let id = self.types.id_or_register::<T>();
        let tick = self.tick_outside();
        if self.types.get(id).position(from.table).is_some() {
            let column = self.types.column_mut::<T>(id, from.table);
            let before = std::mem::replace(&mut column[from.row as usize], component);
            self.types.get_mut(id).mark(from.table, from.row, tick);
            return Ok(Some(before));
        }
        let to = self.tables.with(&mut self.types, from.table, id);
        self.move_row(entity, from, to);
        self.types.push(id, to, component, tick);
        self.push_new_companions(from.table, id, to, tick);
        Ok(None)
    }

    /// Puts a component on each of many entities, and returns how many of them were alive. Ids that are stale are passed
    /// over; a value that is there already is replaced; of two values for one entity the later one stays. Faster than one
    /// by one: rows move table by table, and each column is found once.
    ///
    /// # Panics
    ///
    /// As [`World::attach`], and if the iterator or the drop of a replaced value panics: then all components that the iterator has yielded are attached, and the panic continues.
    ///
    /// # Example
    ///
    /// ```
    /// struct Lamp(u8);
    ///
    /// let mut world = gerust::World::new();
    /// let masts = world.spawn_many((0..10_u32).map(|i| (i,)));
    /// let lit = world.attach_many(masts.iter().take(4).map(|&mast| (mast, Lamp(1))));
    /// assert_eq!(lit, 4);
    /// assert_eq!(world.rows::<(&u32, &Lamp)>().count(), 4);
    /// ```
    pub fn attach_many<T: Component>(
        &mut self,
        many: impl IntoIterator<Item = (Entity, T)>,
    ) -> usize {
        let id = self.types.id_or_register::<T>();
        after_all(|panics| self.attach_all(id, many, panics))
    }

    /// [`World::attach_many`] with the panics of drops and of the iterator caught.
    pub(crate) fn attach_all<T: Component>(
        &mut self,
        id: ComponentId,
        many: impl IntoIterator<Item = (Entity, T)>,
        panics: &mut Panics,
    ) -> usize {
        let tick = self.tick_outside();
        let mut count = 0;
        let mut values: Vec<Option<T>> = Vec::new();
        let mut batches = Batches::default();
        panics.catch(|| {
            for (entity, component) in many {
                let Some(Location { table, row }) = self.entities.locate(entity) else {
                    continue;
                };
                count += 1;
                if self.tables.get(table).has(id) {
                    self.types.replace(id, table, row, component, tick);
                } else {
                    batches.push(table, row, row_number(values.len()));
                    values.push(Some(component));
                }
            }
        });
        for batch in batches.sorted(|table| self.tables.get(table).entities.len()) {
            let from = batch.table;
            let to = self.tables.with(&mut self.types, from, id);
            self.move_rows(from, &batch.rows, to);
            let taken = batch.rows.iter().map(|&(_, number)| {
                let value = values[number as usize].take();
                value.expect("a batch names each value at most once")
            });
            self.types.push_many(id, to, taken, tick);
            self.push_new_companions(from, id, to, tick);
        }
        // Of several values for one entity only the last was attached.
        panics.drop_all(values.into_iter().flatten());
        self.types.drop_set_aside(panics);
        count
    }

    /// Takes a component off each of many entities and drops it, and returns how many of them had it. Faster than one by
    /// one, as [`World::attach_many`].
    ///
    /// # Panics
    ///
    /// If the iterator or the drop of a component panics: then all components that the iterator has named are detached and
    /// dropped, and the panic continues.
    ///
    /// # Example
    ///
    /// ```
    /// struct Lamp;
    ///
    /// let mut world = gerust::World::new();
    /// let masts = world.spawn_many((0..10_u32).map(|i| (i, Lamp)));
    /// assert_eq!(world.detach_many::<Lamp>(masts.iter().copied().take(4)), 4);
    /// assert_eq!(world.rows::<&Lamp>().count(), 6);
    /// ```
    pub fn detach_many<T: Component>(&mut self, many: impl IntoIterator<Item = Entity>) -> usize {
        let Some(id) = self.types.id::<T>() else {
            return 0;
        };
        after_all(|panics| self.detach_all(id, many, panics))
    }

    /// [`World::detach_many`] with the panics of drops and of the iterator caught.
    pub(crate) fn detach_all(
        &mut self,
        id: ComponentId,
        many: impl IntoIterator<Item = Entity>,
        panics: &mut Panics,
    ) -> usize {
        let tell = self.types.get(id).tell_lost;
        let mut batches = Batches::default();
        panics.catch(|| {
            for entity in many {
                let Some(location) = self.entities.locate(entity) else {
                    continue;
                };
                if self.tables.get(location.table).has(id) {
                    batches.push(location.table, location.row, 0);
                }
            }
        });
        let mut count = 0;
        for batch in batches.sorted(|table| self.tables.get(table).entities.len()) {
            let from = batch.table;
            count += batch.rows.len();
            if let Some(tell) = tell {
                for &(row, _) in &batch.rows {
                    tell(self, self.tables.get(from).entities[row as usize]);
                }
            }
            let to = self.tables.without(&mut self.types, from, id);
            self.types.set_rows_aside(id, from, &batch.rows);
            self.move_rows(from, &batch.rows, to);
        }
        self.types.drop_set_aside(panics);
        count
    }

    /// Pushes what a newly attached type brings along to rows that came from a table.
    fn push_new_companions(
        &mut self,
        from: TableId,
        attached: ComponentId,
        to: TableId,
        tick: u64,
    ) {
        if self.types.get(attached).companions.is_empty() {
            return;
        }
        let mut components = self.tables.get(from).components().to_vec();
        components.push(attached);
        for companion in complete_with_companions(&self.types, &mut components) {
            (companion.push)(&mut self.types, to, tick);
        }
    }

    /// Takes a component off an entity, and returns it if it was there. O(components).
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
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
        let from = self.locate(entity, "stripped of a component")?;
        let Some(id) = self.types.id::<T>() else {
            return Ok(None);
        };
        if !self.tables.get(from.table).has(id) {
            return Ok(None);
        }
        let value = self.types.take_row::<T>(id, from.table, from.row);
        let to = self.tables.without(&mut self.types, from.table, id);
        self.move_row(entity, from, to);
        if let Some(tell) = self.types.get(id).tell_lost {
            tell(self, entity);
        }
        Ok(Some(value))
    }

    /// Moves an entity, and the components that both tables have, to the end of another table.
    fn move_row(&mut self, entity: Entity, from: Location, to: TableId) {
        for &id in self.tables.get(from.table).components() {
            if self.tables.get(to).has(id) {
                self.types.move_row(id, from.table, from.row, to);
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

    /// [`World::move_row`] for the rows of a batch.
    fn move_rows(&mut self, from: TableId, rows: &[(u32, u32)], to: TableId) {
        for &id in self.tables.get(from).components() {
            if self.tables.get(to).has(id) {
                self.types.move_rows(id, from, rows, to);
            }
        }
        let mut source = std::mem::take(&mut self.tables.get_mut(from).entities);
        let target = &mut self.tables.get_mut(to).entities;
        target.reserve(rows.len());
        if let Some(start) = tail_start(rows, source.len()) {
            for entity in source.drain(start..).rev() {
                let row = row_number(target.len());
                self.entities.relocate(entity, Location { table: to, row });
                target.push(entity);
            }
            self.tables.get_mut(from).entities = source;
            return;
        }
        for &(row, _) in rows {
            let entity = source.swap_remove(row as usize);
            if let Some(&moved) = source.get(row as usize) {
                self.entities.relocate(moved, Location { table: from, row });
            }
            let row = row_number(target.len());
            self.entities.relocate(entity, Location { table: to, row });
            target.push(entity);
        }
        self.tables.get_mut(from).entities = source;
    }
}

//! The world: everything that is stored.

use super::bundle::{Bundle, BundlePlan, Components};
use super::component::{
    Companion, Component, ComponentId, ComponentTypes, FarewellHook, short_name,
};
use super::edits::MissedEdits;
use super::entity::{Entities, Entity, Location, TableId};
use super::globals::Globals;
use super::table::{Tables, push_companions};
use crate::error::{Error, Kind};
use atomic_refcell::AtomicRef;
use rustc_hash::FxHashMap;
use std::any::TypeId;
use std::fmt;
use std::ops::Deref;

/// All entities with their components, and all globals.
///
/// Entities with the same set of component types share a *table*; each type has one column per table, so that a walk
/// over rows reads memory forward. Besides its components an entity costs 20 bytes: 12 for its slot, 8 for its id in
/// the table.
///
/// A world can be used on its own, as here; a [`Runtime`](crate::Runtime) adds systems, frames and a clock.
///
/// # Example
///
/// ```
/// use gerust::{Entity, Having, World};
///
/// struct Tonnes(f32);
/// struct Reefer;
///
/// let mut world = World::new();
/// world.spawn((Tonnes(20.0),));
/// world.spawn((Tonnes(24.0), Reefer));
///
/// let cooled: f32 = world
///     .rows_where::<&Tonnes, Having<Reefer>>()
///     .iter()
///     .map(|tonnes| tonnes.0)
///     .sum();
/// assert_eq!(cooled, 24.0);
/// ```
#[derive(Default)]
pub struct World {
    pub(crate) entities: Entities,
    pub(crate) types: ComponentTypes,
    pub(crate) tables: Tables,
    pub(crate) globals: Globals,
    /// One per event type: drops what every inbox has seen.
    pub(crate) event_trims: Vec<fn(&mut World)>,
    pub(crate) missed_edits: MissedEdits,
    plans: FxHashMap<TypeId, BundlePlan>,
}

impl World {
    /// An empty world.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// How many entities are alive.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// assert!(world.is_empty());
    /// world.spawn(("crate",));
    /// assert_eq!(world.len(), 1);
    /// ```
    #[must_use]
    pub fn len(&self) -> usize {
        self.entities.len()
    }

    /// Whether no entity is alive.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Which recorded edits could not be carried out, most often because their entity had gone by then.
    ///
    /// # Example
    ///
    /// ```
    /// assert_eq!(gerust::World::new().missed_edits().count(), 0);
    /// ```
    #[must_use]
    pub fn missed_edits(&self) -> &MissedEdits {
        &self.missed_edits
    }

    /// Whether an entity is alive. O(1).
    #[must_use]
    pub fn contains(&self, entity: Entity) -> bool {
        self.entities.locate(entity).is_some()
    }

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
    fn take_out_of_table(&mut self, location: Location) {
        let entities = &mut self.tables.get_mut(location.table).entities;
        entities.swap_remove(location.row as usize);
        if let Some(&moved) = entities.get(location.row as usize) {
            self.entities.relocate(moved, location);
        }
    }

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

    /// Whether an entity is alive and has a component. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn(("pallet", 3_u8));
    /// assert!(world.has::<u8>(pallet));
    /// assert!(!world.has::<u16>(pallet));
    /// ```
    #[must_use]
    pub fn has<T: Component>(&self, entity: Entity) -> bool {
        self.entities
            .locate(entity)
            .is_some_and(|location| self.types.table_has::<T>(self.tables.get(location.table)))
    }

    /// A component of an entity, to read. O(1); a loop over many entities is faster through
    /// [`Rows::get`](crate::Rows::get), which borrows the columns once.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive or has no such component.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn((3_u8,));
    /// assert_eq!(*world.get::<u8>(pallet)?, 3);
    /// assert!(world.get::<u16>(pallet).is_err());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn get<T: Component>(&self, entity: Entity) -> Result<Held<'_, T>, Error> {
        let location = self.locate(entity, "read")?;
        self.types
            .cell::<T>()
            .and_then(|cell| {
                AtomicRef::filter_map(cell.borrow(), |columns| {
                    columns.get(location.table, location.row)
                })
            })
            .map(Held)
            .ok_or_else(|| self.missing::<T>(entity, "read"))
    }

    /// A component of an entity, to write. O(1).
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive or has no such component.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn((3_u8,));
    /// *world.get_mut::<u8>(pallet)? += 1;
    /// assert_eq!(*world.get::<u8>(pallet)?, 4);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn get_mut<T: Component>(&mut self, entity: Entity) -> Result<&mut T, Error> {
        let location = self.locate(entity, "written")?;
        match self.types.id::<T>() {
            Some(id) if self.tables.get(location.table).has(id) => {
                let columns = self.types.columns_mut::<T>(id);
                Ok(&mut columns.column_mut(location.table)[location.row as usize])
            }
            _ => Err(self.missing::<T>(entity, "write")),
        }
    }

    fn locate(&self, entity: Entity, verb: &'static str) -> Result<Location, Error> {
        self.entities
            .locate(entity)
            .ok_or_else(|| Error::from(Kind::StaleEntity { entity, verb }))
    }

    fn missing<T>(&self, entity: Entity, verb: &'static str) -> Error {
        let component = std::any::type_name::<T>();
        Error::from(Kind::MissingComponent {
            entity,
            label: self.label(entity),
            component: short_name(component),
            verb,
        })
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

    /// Says that only the floor which owns `T` attaches and detaches it, and what to do before an entity goes that
    /// has it.
    pub(crate) fn keep_component<T: Component>(&mut self, farewell: FarewellHook) {
        let id = self.types.id_or_register::<T>();
        let known = self.types.get_mut(id);
        known.kept = true;
        known.farewell = Some(farewell);
        for table in self.tables.iter_mut() {
            table.says_farewell |= table.has(id);
        }
    }

    /// Says that whatever has a `T` also gets a `C`, made by [`From`] of it; entities that have a `T` already get
    /// theirs now.
    pub(crate) fn add_companion<T: Component, C: Component + for<'a> From<&'a T>>(&mut self) {
        let owner = self.types.id_or_register::<T>();
        let id = self.types.id_or_register::<C>();
        if self
            .types
            .get(owner)
            .companions
            .iter()
            .any(|known| known.id == id)
        {
            return;
        }
        self.types.get_mut(owner).companions.push(Companion {
            id,
            push: push_companion::<T, C>,
        });
        self.plans.clear();
        self.tables.forget_moves();
        let late: Vec<Entity> = self
            .rows_where::<(Entity, &T), super::Lacking<C>>()
            .iter()
            .map(|(entity, _)| entity)
            .collect();
        for entity in late {
            let first = C::from(&*self.get::<T>(entity).expect("its row was just seen"));
            self.attach_kept(entity, first).expect("it is alive");
        }
    }
}

fn push_companion<T: Component, C: Component + for<'a> From<&'a T>>(
    types: &mut ComponentTypes,
    table: TableId,
) {
    let owner = types.id_or_register::<T>();
    let id = types.id_or_register::<C>();
    let newest = types.columns_mut::<T>(owner).column_mut(table).last();
    let first = C::from(newest.expect("the owner was pushed before its companion"));
    types.columns_mut::<C>(id).column_mut(table).push(first);
}

/// The number of the next row of a table with this many.
#[inline]
fn row_number(rows: usize) -> u32 {
    u32::try_from(rows).expect("a table holds fewer than 2^32 rows")
}

impl fmt::Debug for World {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("World")
            .field("entities", &self.len())
            .field("tables", &self.tables.len())
            .finish_non_exhaustive()
    }
}

/// A component that is being read; the world cannot be changed while it is held.
///
/// # Example
///
/// ```
/// let mut world = gerust::World::new();
/// let pallet = world.spawn((3_u8,));
/// let held = world.get::<u8>(pallet)?;
/// assert_eq!(*held, 3);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Held<'w, T>(AtomicRef<'w, T>);

impl<T> Deref for Held<'_, T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: fmt::Debug> fmt::Debug for Held<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&**self, f)
    }
}

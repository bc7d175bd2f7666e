//! Reading and writing the components of one entity.

use super::World;
use crate::error::{Error, Kind};
use crate::store::component::{Component, short_name};
use crate::store::entity::{Entity, Location};
use atomic_refcell::AtomicRef;
use std::fmt;
use std::ops::Deref;

impl World {
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
    pub fn get<T: Component>(&self, entity: Entity) -> Result<Borrowed<'_, T>, Error> {
        let location = self.locate(entity, "read")?;
        self.types
            .id::<T>()
            .and_then(|id| {
                let known = self.types.get(id);
                let position = known.position(location.table)?;
                let columns = known.columns.downcast_ref::<T>().0.borrow();
                AtomicRef::filter_map(columns, |columns| {
                    columns.all()[position as usize].get(location.row as usize)
                })
            })
            .map(Borrowed)
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
        let tick = self.tick_outside();
        match self.types.id::<T>() {
            Some(id) if self.tables.get(location.table).has(id) => {
                self.types
                    .get_mut(id)
                    .mark(location.table, location.row, tick);
                let column = self.types.column_mut::<T>(id, location.table);
                Ok(&mut column[location.row as usize])
            }
            _ => Err(self.missing::<T>(entity, "write")),
        }
    }

    pub(super) fn locate(&self, entity: Entity, verb: &'static str) -> Result<Location, Error> {
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
pub struct Borrowed<'w, T>(AtomicRef<'w, T>);

impl<T> Deref for Borrowed<'_, T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: fmt::Debug> fmt::Debug for Borrowed<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&**self, f)
    }
}

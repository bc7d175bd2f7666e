//! Component types that another floor owns, and components that bring others along.

use super::World;
use crate::store::component::{Companion, Component, ComponentTypes, FarewellHook};
use crate::store::entity::{Entity, TableId};
use crate::store::rows::Lacking;

impl World {
    /// Sets the function that runs before an entity with a `T` is despawned.
    pub(crate) fn set_farewell<T: Component>(&mut self, farewell: FarewellHook) {
        let id = self.types.id_or_register::<T>();
        let known = self.types.get_mut(id);
        known.farewell = Some(farewell);
        for table in self.tables.iter_mut() {
            table.says_farewell |= table.has(id);
        }
    }

    /// Gives each entity with a `T` also a `C`, made by [`From`] of it; entities that have a `T` already get
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
            push: push_companions::<T, C>,
        });
        self.plans.clear();
        self.tables.forget_moves();
        let late: Vec<Entity> = self
            .rows_where::<(Entity, &T), Lacking<C>>()
            .iter()
            .map(|(entity, _)| entity)
            .collect();
        for entity in late {
            let first = C::from(&*self.get::<T>(entity).expect("its row was just seen"));
            self.attach(entity, first).expect("it is alive");
        }
    }
}

/// Pushes the companions of all rows that lack theirs: the newest ones.
fn push_companions<T: Component, C: Component + for<'a> From<&'a T>>(
    types: &mut ComponentTypes,
    table: TableId,
    tick: u64,
) {
    let owner = types.id_or_register::<T>();
    let id = types.id_or_register::<C>();
    let have = types.column_mut::<C>(id, table).len();
    let owners = types.column_mut::<T>(owner, table).len();
    for row in have..owners {
        let first = C::from(&types.column_mut::<T>(owner, table)[row]);
        types.push(id, table, first, tick);
    }
}

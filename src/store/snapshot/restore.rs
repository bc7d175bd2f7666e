//! Going back to a snapshot.

use super::{PutBack, Registered, Snapshot};
use crate::error::{Error, Kind};
use crate::panics::after_all;
use crate::store::component::{Companion, ComponentId};
use crate::store::entity::{Entity, TableId};
use crate::store::table::complete_with_companions;
use crate::store::world::World;
use rustc_hash::FxHashMap;
use std::collections::BTreeMap;
use std::sync::Arc;

impl World {
    /// Puts all entities back as they were when a snapshot was taken. Entities that came later go, and so do components
    /// that are not registered; globals and events stay. A value of a type that brings others along gets them anew.
    ///
    /// Ids that were handed out since the snapshot are handed out again: drop all that you have stored of them. Contacts are
    /// those of the time before: [`Runtime::settle`](crate::Runtime::settle) finds them anew. Without it, riders are not
    /// carried in the next frame.
    ///
    /// # Errors
    ///
    /// If the snapshot names a component that is not registered here, or that its type cannot read: then the world is not
    /// changed.
    ///
    /// # Panics
    ///
    /// If the `Deserialize` of a component panics: then the world is not changed. If the drop of a component panics: then
    /// everything is restored, and the panic continues.
    pub fn restore(&mut self, snapshot: &Snapshot) -> Result<(), Error> {
        self.restore_as(snapshot, None)
    }

    /// [`World::restore`] with rows and tables in the order of a layout, whose entities are those of the snapshot. Without one, rows stand
    /// in the order of the ids.
    pub(crate) fn restore_as(
        &mut self,
        snapshot: &Snapshot,
        layout: Option<&Layout>,
    ) -> Result<(), Error> {
        let readers: BTreeMap<Arc<str>, (ComponentId, Registered)> = self
            .types
            .ids()
            .filter_map(|id| Some((id, self.types.get(id).registered.clone()?)))
            .map(|(id, registered)| (registered.name.clone(), (id, registered)))
            .collect();
        // Nothing is changed before everything is read.
        let refuse = |(entity, reason)| Error::from(Kind::BadSnapshot { entity, reason });
        let alive = snapshot.values.keys().copied();
        if let Some(misfit) = snapshot.ids.misfit(alive) {
            return Err(refuse(misfit));
        }
        for check in &self.before_restore {
            check(snapshot).map_err(refuse)?;
        }
        let order: Vec<Entity> = match layout {
            Some(layout) => layout.order.clone(),
            None => snapshot.values.keys().copied().collect(),
        };
        let mut all: Vec<(Entity, Vec<ComponentId>, Vec<PutBack>)> =
            Vec::with_capacity(order.len());
        for entity in order {
            let (mut ids, mut values) = (Vec::new(), Vec::new());
            for (name, bytes) in snapshot.values.get(&entity).into_iter().flatten() {
                let read = match readers.get(name) {
                    Some((id, registered)) => {
                        ids.push(*id);
                        (registered.read)(bytes)
                    }
                    None => Err(String::from("it is not registered in this world")),
                };
                values.push(read.map_err(|reason| {
                    Error::from(Kind::NotRestored {
                        name: name.to_string(),
                        entity,
                        reason,
                    })
                })?);
            }
            all.push((entity, ids, values));
        }
        let present: Vec<Entity> = self.rows::<Entity>().iter().collect();
        for entity in present {
            self.remove_entity(entity);
        }
        if let Some(layout) = layout {
            let sets = layout.tables.iter().map(|names| {
                let known = names.iter().filter_map(|name| readers.get(name));
                known.map(|(id, _)| *id).collect()
            });
            let mut sets: Vec<Vec<ComponentId>> = sets.collect();
            for set in &mut sets {
                complete_with_companions(&self.types, set);
            }
            self.remake_tables(sets);
        }
        self.put_backs += 1;
        self.entities = snapshot.ids.vacated();
        let tick = self.tick_outside();
        let mut tables: FxHashMap<Vec<ComponentId>, (TableId, Vec<Companion>)> =
            FxHashMap::default();
        for (entity, ids, values) in all {
            let (table, companions) = tables.entry(ids).or_insert_with_key(|ids| {
                let mut ids = ids.clone();
                let companions = complete_with_companions(&self.types, &mut ids);
                let table = self.tables.find_or_create(&mut self.types, ids);
                (table, companions)
            });
            for put_back in values {
                put_back(&mut self.types, *table, tick);
            }
            for companion in companions.iter() {
                (companion.push)(&mut self.types, *table, tick);
            }
            self.settle_in(*table, entity);
        }
        for at in 0..self.after_restore.len() {
            (self.after_restore[at])(self);
        }
        after_all(|panics| self.types.drop_set_aside(panics));
        Ok(())
    }

    /// The order of rows and tables.
    pub(crate) fn layout(&self) -> Layout {
        let tables = self.tables.iter().map(|(_, table)| {
            let ids = table.components().iter();
            let registered = ids.filter_map(|&id| self.types.get(id).registered.as_ref());
            registered.map(|known| known.name.clone()).collect()
        });
        let rows = self.tables.iter().flat_map(|(_, table)| &table.entities);
        Layout {
            order: rows.copied().collect(),
            tables: tables.collect(),
        }
    }

    /// Drops all tables, none of which has rows, and makes others in an order.
    pub(crate) fn remake_tables(&mut self, sets: Vec<Vec<ComponentId>>) {
        let dropped = self.tables.drop_empty(&mut self.types);
        self.after_drop(dropped);
        for set in sets {
            self.tables.find_or_create(&mut self.types, set);
        }
    }
}

/// The order of rows and tables: that of walks, on which the outcome of a system may depend.
#[derive(Clone, Debug, Default)]
pub(crate) struct Layout {
    /// All entities, table by table.
    pub(crate) order: Vec<Entity>,
    /// By table, also of those without rows: the names of its registered components.
    pub(crate) tables: Vec<Vec<Arc<str>>>,
}

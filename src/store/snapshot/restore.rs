//! Going back to a snapshot.

use super::{PutBack, Registered, Snapshot};
use crate::error::{Error, Kind};
use crate::panics::after_all;
use crate::store::entity::Entity;
use crate::store::world::World;
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
        let readers: BTreeMap<Arc<str>, Registered> = self
            .types
            .iter()
            .filter_map(|known| known.registered.clone())
            .map(|registered| (registered.name.clone(), registered))
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
        let mut all: Vec<(Entity, Vec<PutBack>)> = Vec::with_capacity(snapshot.values.len());
        for (&entity, components) in &snapshot.values {
            let values = components.iter().map(|(name, bytes)| {
                let read = match readers.get(name) {
                    Some(registered) => (registered.read)(bytes),
                    None => Err(String::from("it is not registered in this world")),
                };
                read.map_err(|reason| {
                    Error::from(Kind::NotRestored {
                        name: name.to_string(),
                        entity,
                        reason,
                    })
                })
            });
            all.push((entity, values.collect::<Result<_, _>>()?));
        }
        let present: Vec<Entity> = self.rows::<Entity>().iter().collect();
        for entity in present {
            self.remove_entity(entity);
        }
        self.entities = snapshot.ids.vacated();
        for (entity, values) in all {
            self.spawn_empty(entity);
            for put_back in values {
                put_back(self, entity);
            }
        }
        for at in 0..self.after_restore.len() {
            (self.after_restore[at])(self);
        }
        after_all(|panics| self.types.drop_set_aside(panics));
        Ok(())
    }
}

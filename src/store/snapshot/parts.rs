//! Snapshots in parts, for file formats of your own.

use super::{EntityValues, Snapshot};
use crate::error::{Error, Kind};
use crate::store::entity::{Entities, Entity, IdSequence};
use std::collections::BTreeMap;
use std::sync::Arc;

/// # In parts
///
/// A file format of your own reads a snapshot with these methods, and puts one together. The bytes of a component are CBOR (RFC 8949),
/// as its `Serialize` writes them.
///
/// ```
/// use gerust::prelude::*;
/// use gerust::store::Snapshot;
///
/// #[derive(Clone, serde::Serialize, serde::Deserialize)]
/// struct Load(f32);
///
/// let mut world = World::new();
/// world.register_component::<Load>("load")?;
/// world.spawn((Load(20.0),));
/// let whole = world.snapshot()?;
///
/// let mut copy = Snapshot::default();
/// for entity in whole.entities() {
///     copy.add_entity(entity);
///     for (component, bytes) in whole.all_bytes(entity) {
///         copy.set_bytes(entity, &component.into(), bytes.to_vec());
///     }
/// }
/// copy.set_ids(&whole.ids())?;
/// assert_eq!(copy.first_difference(&whole), None);
/// world.restore(&copy)?;
/// # Ok::<(), gerust::Error>(())
/// ```
impl Snapshot {
    /// Whether an entity was alive. O(log entities).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// let mast = world.spawn((Name::new("mast"),));
    /// assert!(world.snapshot()?.contains(mast));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn contains(&self, entity: Entity) -> bool {
        self.values.contains_key(&entity)
    }

    /// The bytes of a component; `None` if the entity lacks it or was not alive. O(log entities + log components).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// world.register_component::<u8>("berth")?;
    /// let ship = world.spawn((7_u8,));
    /// assert_eq!(world.snapshot()?.bytes(ship, "berth"), Some(&[7][..]));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn bytes(&self, entity: Entity, component: &str) -> Option<&[u8]> {
        let bytes = self.values.get(&entity)?.get(component)?;
        Some(bytes)
    }

    /// The components of an entity with their bytes, by name; none if it was not alive.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// world.register_component::<u8>("berth")?;
    /// let ship = world.spawn((7_u8,));
    /// let snapshot = world.snapshot()?;
    /// assert_eq!(snapshot.all_bytes(ship).collect::<Vec<_>>(), [("berth", &[7][..])]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn all_bytes(&self, entity: Entity) -> impl Iterator<Item = (&str, &[u8])> {
        let written = self.values.get(&entity).into_iter().flatten();
        written.map(|(name, bytes)| (&**name, bytes.as_slice()))
    }

    /// The ids that are handed out after [`World::restore`](crate::World::restore). O(slots).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// let before = world.snapshot()?.ids();
    /// let mast = world.spawn((Name::new("mast"),));
    /// world.despawn(mast)?;
    /// assert_ne!(world.snapshot()?.ids(), before);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn ids(&self) -> IdSequence {
        self.ids.sequence()
    }

    /// Sets the ids that are handed out after [`World::restore`](crate::World::restore). Add all entities before. O(slots).
    ///
    /// # Errors
    ///
    /// If the sequence is invalid, or belongs to a world with more entities: then nothing is changed. `World::restore` checks that the
    /// sequence allows each entity.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::store::Snapshot;
    ///
    /// let mut world = World::new();
    /// world.spawn((Name::new("mast"),));
    /// let ids = world.snapshot()?.ids();
    /// let error = Snapshot::default().set_ids(&ids).unwrap_err();
    /// assert_eq!(error.kind(), gerust::ErrorKind::Snapshot);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_ids(&mut self, ids: &IdSequence) -> Result<(), Error> {
        let entities = Entities::with_sequence(ids, self.values.len());
        self.ids = entities.ok_or_else(|| Error::from(Kind::BadIds))?;
        Ok(())
    }

    /// Adds an entity without components; one that is there keeps its own. O(log entities).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::Entity;
    /// use gerust::store::Snapshot;
    /// use std::num::NonZeroU32;
    ///
    /// let mut snapshot = Snapshot::default();
    /// let ship = Entity::from_parts(0, NonZeroU32::MIN);
    /// snapshot.add_entity(ship);
    /// assert!(snapshot.contains(ship));
    /// ```
    pub fn add_entity(&mut self, entity: Entity) {
        self.values.entry(entity).or_default();
    }

    /// Removes an entity with its components. Returns whether it was there. O(log entities).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// let mast = world.spawn((Name::new("mast"),));
    /// let mut snapshot = world.snapshot()?;
    /// assert!(snapshot.remove_entity(mast));
    /// assert!(!snapshot.remove_entity(mast));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn remove_entity(&mut self, entity: Entity) -> bool {
        self.values.remove(&entity).is_some()
    }

    /// Sets the bytes of a component. Returns whether the entity is there; if it is not, nothing is changed. All entities share
    /// the name. `World::restore` checks that the bytes can be read. O(log entities + log components).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// world.register_component::<u8>("berth")?;
    /// let ship = world.spawn((7_u8,));
    /// let mut snapshot = world.snapshot()?;
    /// assert!(snapshot.set_bytes(ship, &"berth".into(), vec![9]));
    /// world.restore(&snapshot)?;
    /// assert_eq!(*world.get::<u8>(ship)?, 9);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_bytes(&mut self, entity: Entity, component: &Arc<str>, bytes: Vec<u8>) -> bool {
        let written = self.values.get_mut(&entity);
        written
            .map(|written| written.insert(component.clone(), bytes))
            .is_some()
    }

    /// Removes a component of an entity. Returns whether it was there. O(log entities + log components).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// world.register_component::<u8>("berth")?;
    /// let ship = world.spawn((7_u8,));
    /// let mut snapshot = world.snapshot()?;
    /// assert!(snapshot.remove_component(ship, "berth"));
    /// assert_eq!(snapshot.bytes(ship, "berth"), None);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn remove_component(&mut self, entity: Entity, component: &str) -> bool {
        let written = self.values.get_mut(&entity);
        written.is_some_and(|written| written.remove(component).is_some())
    }
}

/// No entity.
impl Default for Snapshot {
    fn default() -> Self {
        Self {
            ids: Entities::default(),
            values: BTreeMap::<Entity, EntityValues>::new(),
        }
    }
}

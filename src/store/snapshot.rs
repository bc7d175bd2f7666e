//! Snapshots and digests: copies of the registered components of a world.

use super::access::short_type;
use super::component::{Component, ComponentTypes, short_name};
use super::entity::{Entities, Entity, TableId};
use super::lost::LostEvent;
use super::moment::ChunkFunctions;
use super::world::World;
use crate::error::{Error, Kind};
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;
use xxhash_rust::xxh3::Xxh3;

/// How values of a registered type are written and read.
#[derive(Clone)]
pub(crate) struct Registered {
    pub(crate) name: Arc<str>,
    write: fn(&World, Entity) -> Result<Vec<u8>, String>,
    show: fn(&World, Entity) -> String,
    read: fn(&[u8]) -> Result<PutBack, String>,
    /// `None` for version 1.
    pub(crate) shape: Option<Shape>,
    pub(crate) chunks: ChunkFunctions,
}

/// Adds a value that was read to the column of a table.
type PutBack = Box<dyn FnOnce(&mut ComponentTypes, TableId, u64)>;

fn write<T: Component + Serialize>(world: &World, entity: Entity) -> Result<Vec<u8>, String> {
    let value = world.get::<T>(entity).expect("its table has the type");
    write_value(&*value)
}

pub(super) fn write_value(value: &impl Serialize) -> Result<Vec<u8>, String> {
    let mut bytes = Vec::new();
    // Writing into memory cannot fail, so the error comes from the value.
    exact::write(value, &mut bytes)?;
    Ok(bytes)
}

fn show<T: Component + Serialize>(world: &World, entity: Entity) -> String {
    let value = world.get::<T>(entity).expect("its table has the type");
    serde_json::to_string(&*value).unwrap_or_else(|reason| format!("cannot be shown: {reason}"))
}

fn read<T: Component + DeserializeOwned>(bytes: &[u8]) -> Result<PutBack, String> {
    exact::read(bytes).map(put_back::<T>)
}

fn put_back<T: Component>(value: T) -> PutBack {
    Box::new(|types, table, tick| {
        let id = types.id_or_register::<T>();
        types.push(id, table, value, tick);
    })
}

/// All registered components of a world at one time, with the ids of all entities.
///
/// Values are kept as CBOR, so snapshots can be compared without the types. Restoring gives each entity its id
/// again, and later spawns the ids that they would have got.
///
/// # Example
///
/// ```
/// use gerust::World;
///
/// #[derive(Clone, serde::Serialize, serde::Deserialize)]
/// struct Load(f32);
///
/// let mut world = World::new();
/// world.register_component::<Load>("load")?;
/// let truck = world.spawn((Load(20.0),));
/// let before = world.snapshot()?;
///
/// world.get_mut::<Load>(truck)?.0 = 12.0;
/// let difference = before.first_difference(&world.snapshot()?).expect("the load has changed");
/// assert_eq!((difference.entity(), difference.component()), (truck, "load"));
///
/// world.restore(&before)?;
/// assert_eq!(world.get::<Load>(truck)?.0, 20.0);
/// assert_eq!(world.digest()?, before.digest());
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone)]
pub struct Snapshot {
    pub(crate) ids: Entities,
    /// By entity.
    pub(crate) values: BTreeMap<Entity, EntityValues>,
}

/// Finds an entity of a snapshot that contradicts the others.
pub(crate) type SnapshotCheck = fn(&Snapshot) -> Result<(), (Entity, &'static str)>;

/// The registered components of an entity as CBOR, by name.
pub(crate) type EntityValues = BTreeMap<Arc<str>, Vec<u8>>;

impl Snapshot {
    /// Forges a value.
    #[cfg(test)]
    pub(crate) fn put(&mut self, entity: Entity, name: &str, value: &impl Serialize) {
        let bytes = write_value(value).expect("it can be written");
        let written = self.values.get_mut(&entity).expect("it is alive");
        written.insert(name.into(), bytes);
    }

    /// All entities that have a component, and its values that can be read.
    pub(crate) fn read_all<'s, T: DeserializeOwned>(
        &'s self,
        name: &'s str,
    ) -> impl Iterator<Item = (Entity, T)> + 's {
        self.values.iter().filter_map(move |(&entity, components)| {
            let value = exact::read(components.get(name)?).ok()?;
            Some((entity, value))
        })
    }

    /// How many entities it has.
    #[must_use]
    pub fn len(&self) -> usize {
        self.values.len()
    }

    /// Whether it has no entity.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// All entities, by their ids.
    pub fn entities(&self) -> impl Iterator<Item = Entity> {
        self.values.keys().copied()
    }

    /// The registered components of an entity with their values as JSON, by name; nothing if the snapshot has no such entity.
    /// Numbers of 32 bits have the digits that they need.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::World;
    ///
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Load { tonnes: f32 }
    ///
    /// let mut world = World::new();
    /// world.register_component::<Load>("load")?;
    /// let truck = world.spawn((Load { tonnes: 20.1 },));
    /// let snapshot = world.snapshot()?;
    /// assert_eq!(snapshot.entities().collect::<Vec<_>>(), [truck]);
    /// assert_eq!(snapshot.value(truck, "load").unwrap().to_string(), r#"{"tonnes":20.1}"#);
    /// assert_eq!(snapshot.components(truck).count(), 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn components(&self, entity: Entity) -> impl Iterator<Item = (&str, Datum)> {
        let written = self.values.get(&entity).into_iter().flatten();
        written.map(|(name, bytes)| (&**name, Datum(json::of_bytes(bytes))))
    }

    /// The value of a component; see [`Snapshot::components`]. Nothing if the entity has none.
    #[must_use]
    pub fn value(&self, entity: Entity, component: &str) -> Option<Datum> {
        let bytes = self.values.get(&entity)?.get(component)?;
        Some(Datum(json::of_bytes(bytes)))
    }

    /// The first difference to another snapshot, by the ids of entities and then by the names of components; `None` if
    /// both hold the same.
    #[must_use]
    pub fn first_difference(&self, other: &Self) -> Option<Difference> {
        let entity = first_difference_of(&self.values, &other.values)?;
        let of = |snapshot: &Self| snapshot.values.get(&entity).cloned();
        let component = match (of(self), of(other)) {
            (Some(mine), Some(theirs)) => {
                first_difference_of(&mine, &theirs).expect("the components differ")
            }
            _ => Arc::default(),
        };
        let component = component.to_string();
        Some(Difference { entity, component })
    }

    /// A 64-bit digest of all entities and values (XXH3). It does not depend on tables and their order, nor on what was
    /// spawned and despawned before, except by the ids.
    #[must_use]
    pub fn digest(&self) -> u64 {
        let mut hasher = Xxh3::new();
        for (entity, components) in &self.values {
            hasher.update(&entity.index().to_le_bytes());
            hasher.update(&entity.generation().to_le_bytes());
            hasher.update(&(components.len() as u64).to_le_bytes());
            for (name, bytes) in components {
                for part in [name.as_bytes(), bytes] {
                    hasher.update(&(part.len() as u64).to_le_bytes());
                    hasher.update(part);
                }
            }
        }
        hasher.digest()
    }
}

impl fmt::Debug for Snapshot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Snapshot")
            .field("entities", &self.len())
            .finish_non_exhaustive()
    }
}

impl World {
    /// Gives a component type a name and lets snapshots, digests, saved files and moments take it in. Registering it again under the same name
    /// changes nothing.
    ///
    /// # Errors
    ///
    /// If another type has the name, or the type another name.
    ///
    /// # Panics
    ///
    /// If `T` is a tuple.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.register_component::<u8>("level")?;
    /// world.register_component::<u8>("level")?;
    /// assert!(world.register_component::<u16>("level").is_err());
    /// assert_eq!(world.registered_components().collect::<Vec<_>>(), ["level"]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn register_component<T: Component + Clone + Serialize + DeserializeOwned>(
        &mut self,
        name: &str,
    ) -> Result<(), Error> {
        self.enroll::<T>(Registered {
            name: Arc::from(name),
            write: write::<T>,
            show: show::<T>,
            read: read::<T>,
            shape: None,
            chunks: ChunkFunctions::of::<T>(),
        })
    }

    /// [`World::register_component`] for a type without data: snapshots say that it is there.
    ///
    /// # Errors
    ///
    /// As [`World::register_component`].
    ///
    /// # Example
    ///
    /// ```
    /// #[derive(Default)]
    /// struct Sealed;
    ///
    /// let mut world = gerust::World::new();
    /// world.register_tag::<Sealed>("sealed")?;
    /// let container = world.spawn((Sealed,));
    /// let sealed = world.snapshot()?;
    /// world.detach::<Sealed>(container)?;
    /// assert_ne!(world.digest()?, sealed.digest());
    /// world.restore(&sealed)?;
    /// assert!(world.has::<Sealed>(container));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn register_tag<T: Component + Default>(&mut self, name: &str) -> Result<(), Error> {
        self.enroll::<T>(Registered {
            name: Arc::from(name),
            write: |_, _| write_value(&true),
            show: |_, _| String::from("true"),
            read: |bytes| exact::read(bytes).map(|_: bool| put_back(T::default())),
            shape: None,
            chunks: ChunkFunctions::of_tag::<T>(),
        })
    }

    /// Registers a type of the runtime's own, unless the user has registered it under another name.
    ///
    /// # Errors
    ///
    /// If another type has the name.
    pub(crate) fn register_unless_known<T: Component + Clone + Serialize + DeserializeOwned>(
        &mut self,
        name: &str,
    ) -> Result<(), Error> {
        let id = self.types.id_or_register::<T>();
        match self.types.get(id).registered {
            Some(_) => Ok(()),
            None => self.register_component::<T>(name),
        }
    }

    fn enroll<T: Component>(&mut self, registered: Registered) -> Result<(), Error> {
        let name = Arc::clone(&registered.name);
        let id = self.types.id_or_register::<T>();
        let taken = self.types.iter().enumerate().find_map(|(at, known)| {
            let other = known.registered.as_ref()?;
            let is_same_name = other.name == name;
            let is_same_type = at == id.index();
            (is_same_name != is_same_type).then(|| Kind::NameTaken {
                name: name.to_string(),
                component: short_name(std::any::type_name::<T>()),
                taken: other.name.to_string(),
                by: short_name(known.name),
            })
        });
        if let Some(taken) = taken {
            return Err(Error::from(taken));
        }
        let known = &mut self.types.get_mut(id).registered;
        // The version and the comparison that were set after the first registration stay.
        *known = Some(match known.take() {
            Some(known) => Registered {
                shape: known.shape,
                chunks: known.chunks,
                ..registered
            },
            None => registered,
        });
        // Which entities have lost it is an event like others.
        self.register_event::<LostEvent<T>>(&name_of_lost(&name))
    }

    /// The names of the registered component types, in the order of first use of the types.
    pub fn registered_components(&self) -> impl Iterator<Item = &str> {
        let registered = self
            .types
            .iter()
            .filter_map(|known| known.registered.as_ref());
        registered.map(|registered| &*registered.name)
    }

    /// The name of the type that is registered under a name, without its path.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.register_component::<u8>("level")?;
    /// assert_eq!(world.registered_type("level").as_deref(), Some("u8"));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn registered_type(&self, name: &str) -> Option<String> {
        let mut types = self.types.iter();
        let known = types.find(|known| {
            known
                .registered
                .as_ref()
                .is_some_and(|registered| &*registered.name == name)
        })?;
        Some(short_type(known.name))
    }

    /// Copies all registered components. O(values).
    ///
    /// # Errors
    ///
    /// If the `Serialize` of a component returns an error; the message names the entity and the component.
    pub fn snapshot(&self) -> Result<Snapshot, Error> {
        let mut values = BTreeMap::new();
        for (_, table) in self.tables.iter() {
            let registered: Vec<&Registered> = table
                .components()
                .iter()
                .filter_map(|&id| self.types.get(id).registered.as_ref())
                .collect();
            for &entity in &table.entities {
                let components = registered.iter().map(|registered| {
                    let name = registered.name.clone();
                    match (registered.write)(self, entity) {
                        Ok(bytes) => Ok((name, bytes)),
                        Err(reason) => Err(Error::from(Kind::NotWritten {
                            name: name.to_string(),
                            entity,
                            label: self.label(entity),
                            reason,
                        })),
                    }
                });
                values.insert(entity, components.collect::<Result<_, _>>()?);
            }
        }
        Ok(Snapshot {
            ids: self.entities.clone(),
            values,
        })
    }

    /// The registered components of an entity, each with its name and its value in words, by name.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    ///
    /// # Example
    ///
    /// ```
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Load { tonnes: f32, sealed: bool }
    ///
    /// let mut world = gerust::World::new();
    /// world.register_component::<Load>("load")?;
    /// let truck = world.spawn((Load { tonnes: 20.5, sealed: true },));
    /// assert_eq!(
    ///     world.written_components(truck)?,
    ///     [(String::from("load"), String::from(r#"{"tonnes":20.5,"sealed":true}"#))]
    /// );
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn written_components(&self, entity: Entity) -> Result<Vec<(String, String)>, Error> {
        let location = self.entities.locate(entity).ok_or_else(|| {
            Error::from(Kind::StaleEntity {
                entity,
                verb: "looked into",
            })
        })?;
        let ids = self.tables.get(location.table).components().iter();
        let mut written: Vec<(String, String)> = ids
            .filter_map(|&id| self.types.get(id).registered.as_ref())
            .map(|registered| (registered.name.to_string(), (registered.show)(self, entity)))
            .collect();
        written.sort_unstable();
        Ok(written)
    }

    /// The digest of a snapshot taken now; see [`Snapshot::digest`].
    ///
    /// # Errors
    ///
    /// As [`World::snapshot`].
    pub fn digest(&self) -> Result<u64, Error> {
        Ok(self.snapshot()?.digest())
    }
}

mod changes;
mod datum;
mod difference;
mod events;
mod exact;
mod globals;
mod json;
mod parts;
mod registration;
mod restore;
mod versions;

pub use datum::Datum;
pub use difference::Difference;

use difference::first_difference_of;

pub(crate) use changes::{LastRuns, SavedChanges};
use events::name_of_lost;

pub(crate) use events::{CopiedEvents, PutEvents, RegisteredEvent, SavedEvents};
pub(crate) use globals::{PutGlobal, RegisteredGlobal};
pub(crate) use restore::Layout;
pub(crate) use versions::Shape;

#[cfg(test)]
mod tests;

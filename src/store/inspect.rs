//! Looking inside: what an entity has, what a table holds, what it costs.

use super::component::{ComponentType, short_name};
use super::entity::{Entity, Location};
use super::world::World;
use crate::error::{Error, Kind};

/// The memory of a world, by table and by type.
///
/// # Example
///
/// ```
/// struct Tonnes(f32);
/// struct Owner([u8; 60]);
///
/// let mut world = gerust::World::new();
/// world.spawn_many((0..100_u8).map(|_| (Tonnes(1.0),)));
/// world.spawn_many((0..10_u8).map(|_| (Tonnes(1.0), Owner([0; 60]))));
///
/// let memory = world.memory();
/// assert_eq!(memory.tables().len(), 2);
/// let tonnes = memory.types().iter().find(|of_type| of_type.name() == "Tonnes").expect("it is used");
/// assert_eq!((tonnes.values(), tonnes.used()), (110, 440));
/// // In one record with room for everything each of the 110 would take 64 bytes.
/// assert_eq!(memory.as_one_record(), 110 * 64);
/// assert_eq!(memory.used(), 110 * 4 + 10 * 60);
/// ```
#[derive(Clone, Debug)]
pub struct Memory {
    entities: usize,
    bookkeeping: usize,
    tables: Vec<TableMemory>,
    types: Vec<TypeMemory>,
    record: usize,
}

/// The memory of one table: the entities that have exactly one set of component types.
#[derive(Clone, Debug)]
pub struct TableMemory {
    components: Vec<&'static str>,
    entities: usize,
    used: usize,
}

/// What all values of one component type take up.
#[derive(Clone, Debug)]
pub struct TypeMemory {
    name: &'static str,
    values: usize,
    used: usize,
    reserved: usize,
}

impl TableMemory {
    /// The names of the component types.
    #[must_use]
    pub fn components(&self) -> &[&'static str] {
        &self.components
    }

    /// How many entities it has.
    #[must_use]
    pub fn entities(&self) -> usize {
        self.entities
    }

    /// The bytes of their components.
    #[must_use]
    pub fn used(&self) -> usize {
        self.used
    }
}

impl TypeMemory {
    /// The name of the type, without its path.
    #[must_use]
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// How many entities have one.
    #[must_use]
    pub fn values(&self) -> usize {
        self.values
    }

    /// The bytes of all values.
    #[must_use]
    pub fn used(&self) -> usize {
        self.used
    }

    /// The bytes that have been allocated for values, used or not.
    #[must_use]
    pub fn reserved(&self) -> usize {
        self.reserved
    }
}

impl Memory {
    /// The tables, in the order in which they came about.
    #[must_use]
    pub fn tables(&self) -> &[TableMemory] {
        &self.tables
    }

    /// The component types, in the order of first use.
    #[must_use]
    pub fn types(&self) -> &[TypeMemory] {
        &self.types
    }

    /// The bytes of all components.
    #[must_use]
    pub fn used(&self) -> usize {
        self.types.iter().map(TypeMemory::used).sum()
    }

    /// The bytes that have been allocated for components, used or not.
    #[must_use]
    pub fn reserved(&self) -> usize {
        self.types.iter().map(TypeMemory::reserved).sum()
    }

    /// The bytes besides components that each living entity costs: its slot, and its id in its table. What free slots
    /// take up is shared out among the living.
    #[must_use]
    pub fn bookkeeping_per_entity(&self) -> f64 {
        match self.entities {
            0 => 0.0,
            entities => self.bookkeeping as f64 / entities as f64,
        }
    }

    /// The bytes of the same entities if each were one record with room for every component type that any of them has,
    /// without padding: what splitting into components saves, or not.
    #[must_use]
    pub fn as_one_record(&self) -> usize {
        self.entities * self.record
    }
}

/// One component of an entity, as [`World::components_of`] lists it.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct ComponentInfo {
    name: &'static str,
    size: usize,
}

impl ComponentInfo {
    /// The name of the type, without its path.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.name
    }

    /// The bytes of the value; what it owns elsewhere does not count.
    #[must_use]
    pub fn size(self) -> usize {
        self.size
    }
}

impl ComponentType {
    fn info(&self) -> ComponentInfo {
        ComponentInfo {
            name: short_name(self.name),
            size: self.size,
        }
    }
}

impl World {
    /// What the world takes up. O(tables × types).
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.spawn_many((0..1000_u32).map(|i| (i,)));
    /// assert!(world.memory().bookkeeping_per_entity() <= 24.0);
    /// ```
    #[must_use]
    pub fn memory(&self) -> Memory {
        let types: Vec<TypeMemory> = self
            .types
            .iter()
            .map(|known| {
                let values = known.columns.lengths().into_iter().sum();
                TypeMemory {
                    name: short_name(known.name),
                    values,
                    used: values * known.size,
                    reserved: known.columns.capacity() * known.size,
                }
            })
            .collect();
        let tables: Vec<TableMemory> = self
            .tables
            .iter()
            .map(|(_, table)| {
                let ids = table.components();
                let bytes: usize = ids.iter().map(|&id| self.types.get(id).size).sum();
                TableMemory {
                    components: ids
                        .iter()
                        .map(|&id| short_name(self.types.get(id).name))
                        .collect(),
                    entities: table.entities.len(),
                    used: bytes * table.entities.len(),
                }
            })
            .collect();
        let in_use = self.types.iter().zip(&types);
        Memory {
            entities: self.len(),
            bookkeeping: self.entities.bytes() + self.len() * size_of::<Entity>(),
            record: in_use
                .filter(|(_, memory)| memory.values > 0)
                .map(|(known, _)| known.size)
                .sum(),
            tables,
            types,
        }
    }

    /// All components of an entity, in the order of first use of their types.
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    ///
    /// # Example
    ///
    /// ```
    /// struct Tonnes(f32);
    /// struct Reefer;
    ///
    /// let mut world = gerust::World::new();
    /// let container = world.spawn((Tonnes(20.0), Reefer));
    /// let listed: Vec<_> = world
    ///     .components_of(container)?
    ///     .iter()
    ///     .map(|component| (component.name(), component.size()))
    ///     .collect();
    /// assert_eq!(listed, [("Tonnes", 4), ("Reefer", 0)]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn components_of(&self, entity: Entity) -> Result<Vec<ComponentInfo>, Error> {
        let Location { table, .. } = self.entities.locate(entity).ok_or_else(|| {
            Error::from(Kind::StaleEntity {
                entity,
                verb: "looked into",
            })
        })?;
        let ids = self.tables.get(table).components();
        Ok(ids.iter().map(|&id| self.types.get(id).info()).collect())
    }

    /// All entities that have every one of some component types, given by their names without paths; in table order.
    /// A name that no type has leads to no entity.
    ///
    /// # Example
    ///
    /// ```
    /// struct Tonnes(f32);
    /// struct Reefer;
    ///
    /// let mut world = gerust::World::new();
    /// world.spawn((Tonnes(20.0),));
    /// let cooled = world.spawn((Tonnes(22.0), Reefer));
    /// assert_eq!(world.entities_with(&["Tonnes", "Reefer"]), [cooled]);
    /// assert!(world.entities_with(&["Reefre"]).is_empty());
    /// ```
    #[must_use]
    pub fn entities_with(&self, names: &[&str]) -> Vec<Entity> {
        let has = |table: &super::table::Table, name: &str| {
            let ids = table.components().iter();
            ids.map(|&id| short_name(self.types.get(id).name))
                .any(|known| known == name)
        };
        self.tables
            .iter()
            .filter(|(_, table)| names.iter().all(|name| has(table, name)))
            .flat_map(|(_, table)| table.entities.iter().copied())
            .collect()
    }
}

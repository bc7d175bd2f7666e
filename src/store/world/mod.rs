//! The world: everything that is stored.

mod attach;
mod companions;
mod grant;
mod look_up;
mod spawn;

pub use look_up::Borrowed;

use crate::store::component::{Component, ComponentTypes};
use crate::store::component_set::ComponentSetPlans;
use crate::store::edits::MissedEdits;
use crate::store::entity::{Entities, Entity};
use crate::store::events::AnyChannel;
use crate::store::globals::Globals;
use crate::store::table::Tables;
use std::fmt;
use std::sync::atomic::{AtomicU64, Ordering};

/// All entities with their components, and all globals.
///
/// Entities with the same set of component types share a *table*; each type has one column per table, so that a walk
/// over rows reads memory forward. Besides its components an entity costs 20 bytes: 12 for its slot, 8 for its id in
/// the table.
///
/// Limits: 2^31 living entities; per index 2^32 - 1 entities one after the other, after which the index is retired
/// rather than used wrongly; 2^32 - 1 tables and component types. Memory is 4 bytes per table and type up to the last table that
/// has the type; tables without entities can be [dropped](World::drop_empty_tables).
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
    /// What other floors bring up to date when entities have been put back.
    #[cfg(feature = "snapshot")]
    pub(crate) after_restore: Vec<fn(&mut World)>,
    /// Say which entity of a snapshot contradicts the others, and how.
    #[cfg(feature = "snapshot")]
    pub(crate) before_restore: Vec<super::snapshot::SnapshotCheck>,
    #[cfg(feature = "snapshot")]
    pub(crate) registered_globals: Vec<super::snapshot::RegisteredGlobal>,
    #[cfg(feature = "snapshot")]
    pub(crate) registered_events: Vec<super::snapshot::RegisteredEvent>,
    identity: Identity,
    /// One per event type.
    pub(crate) channels: Vec<AnyChannel>,
    pub(crate) missed_edits: MissedEdits,
    /// Counts the phases that have run.
    pub(crate) phase: u64,
    /// The tick of the system run that began last.
    pub(crate) tick: AtomicU64,
    /// How often all rows were put back.
    #[cfg(feature = "snapshot")]
    pub(crate) put_backs: u64,
    /// Whether any type has its losses told, so that a despawn need not ask each.
    pub(crate) any_lost: bool,
    plans: ComponentSetPlans,
    /// Who runs parallel loops over rows.
    #[cfg(feature = "parallel")]
    pub(crate) workers: crate::store::workers::Workers,
    /// Systems that edits want switched on or off, in order; the schedule takes them.
    pub(crate) switches: Vec<(String, bool)>,
}

/// A number that no other world of the process has.
struct Identity(u64);

impl Default for Identity {
    fn default() -> Self {
        static NEXT: AtomicU64 = AtomicU64::new(0);
        Self(NEXT.fetch_add(1, Ordering::Relaxed))
    }
}

impl World {
    /// The identity of this world within the process, kept when it is moved: state that systems keep for one world must not
    /// be used for another.
    pub(crate) fn identity(&self) -> u64 {
        self.identity.0
    }

    /// Drops the tables that have no entities, and returns how many there were. O(tables + columns of their types).
    ///
    /// A walk over rows looks at each table that matches, so thousands of empty ones cost time. A
    /// [`Runtime`](crate::Runtime) drops them by itself between frames, once there are more than 64 and more than tables
    /// with entities; this is for worlds without one, and for memory that has to go now.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let crate_1 = world.spawn((1_u8, "crate"));
    /// world.spawn((2_u8,));
    /// world.despawn(crate_1)?;
    /// assert_eq!(world.memory().tables().len(), 2);
    /// assert_eq!(world.drop_empty_tables(), 1);
    /// assert_eq!(world.memory().tables().len(), 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn drop_empty_tables(&mut self) -> usize {
        let dropped = self.tables.drop_empty(&mut self.types);
        self.after_drop(dropped)
    }

    /// Drops the tables without entities if they outnumber the others. They are counted when many tables have come
    /// since they were counted last, or if `is_time`.
    pub(crate) fn drop_many_empty_tables(&mut self, is_time: bool) {
        if self.tables.may_have_many_empty(is_time) {
            let dropped = self.tables.drop_many_empty(&mut self.types);
            self.after_drop(dropped);
        }
    }

    pub(crate) fn after_drop(&mut self, dropped: usize) -> usize {
        if dropped > 0 {
            // Plans name tables and positions.
            self.plans.clear();
        }
        dropped
    }

    /// An empty world.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// The entities that have a component, found without an allocation. O(tables + entities).
    pub(crate) fn entities_having<T: Component>(&self) -> impl Iterator<Item = Entity> {
        let id = self.types.id::<T>();
        let tables = self.tables.iter();
        let having = tables.filter(move |(_, table)| id.is_some_and(|id| table.has(id)));
        having.flat_map(|(_, table)| table.entities.iter().copied())
    }

    /// The tick of work between runs of systems. The next system sees it.
    #[inline]
    pub(crate) fn tick_outside(&self) -> u64 {
        self.tick.load(Ordering::Relaxed) + 1
    }

    /// The tick of a run that begins now. While no type keeps ticks, no one compares runs, and the counter, which
    /// all threads share, is left alone.
    pub(crate) fn next_tick(&self) -> u64 {
        if !self.types.any_ticks() {
            return self.tick_outside();
        }
        self.tick.fetch_add(1, Ordering::Relaxed) + 1
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
}

impl fmt::Debug for World {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("World")
            .field("entities", &self.len())
            .field("tables", &self.tables.len())
            .finish_non_exhaustive()
    }
}

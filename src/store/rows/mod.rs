//! Typed views of matching entities.

mod conditions;
mod items;
mod iter;
mod matches;
mod several;
mod shape;
mod tables;

pub(crate) use conditions::Condition;
pub use conditions::{AnyOf, Attached, Conditions, Having, Lacking, Written};
pub use items::{Items, SharedItems};
pub(crate) use items::{Pattern, Sources};
pub use iter::RowIter;
pub use shape::RowMatch;
pub(crate) use shape::Shape;
pub(crate) use tables::{Locator, TableRows, Unseen};

use super::access::Access;
use super::entity::{Entities, Entity};
use super::table::Tables;
use super::world::World;
use crate::profile;
use iter::{Duties, TableIter};
use matches::Matches;
use std::any::TypeId;
use std::fmt;
use std::marker::PhantomData;
use std::ops::Deref;

/// All entities that have certain components, as rows of these components.
///
/// `Rows<(&mut Transform, &Velocity), Lacking<Moored>>` has a row for each entity that has a `Transform` and a
/// `Velocity` and no `Moored`. As a claim of a system it says what the system reads and writes; outside of systems it
/// comes from [`World::rows`] and [`World::rows_mut`].
///
/// Rows come table by table, in the order in which the tables came about, and within a table in row order, which
/// despawning and detaching change. The order is the same in every run that does the same things.
///
/// While a `Rows` lives, the columns that it writes are borrowed; which tables match was found before.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Height(f32);
/// struct Climb(f32);
/// struct Perched;
///
/// fn soar(mut gulls: Rows<(&mut Height, &Climb), Lacking<Perched>>) {
///     for (height, climb) in gulls.iter_mut() {
///         height.0 += climb.0;
///     }
/// }
///
/// let mut runtime = Runtime::new();
/// let gull = runtime.world_mut().spawn((Height(10.0), Climb(0.5)));
/// let perched = runtime.world_mut().spawn((Height(2.0), Climb(0.5), Perched));
/// runtime.add_system(
///     System::named("soar")
///         .takes::<Rows<(&mut Height, &Climb), Lacking<Perched>>>()
///         .runs(soar),
/// )?;
/// runtime.run_frames(4)?;
/// assert_eq!(runtime.world().get::<Height>(gull)?.0, 12.0);
/// assert_eq!(runtime.world().get::<Height>(perched)?.0, 2.0);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Rows<'w, I: Items, C: Conditions = ()> {
    guards: I::Guards<'w>,
    marks: I::Marks<'w>,
    checks: C::Held<'w>,
    /// Changes after this tick count as such.
    since: u64,
    /// The tick of what is written through these rows.
    now: u64,
    matches: Remembered<'w>,
    tables: &'w Tables,
    entities: &'w Entities,
    #[cfg(feature = "parallel")]
    workers: &'w crate::store::workers::Workers,
    conditions: PhantomData<fn() -> C>,
}

impl<I: Items, C: Conditions> fmt::Debug for Rows<'_, I, C> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Rows")
            .field("tables", &self.matches.tables().len())
            .finish_non_exhaustive()
    }
}

/// Matches that a system keeps between runs, or that were found for one call.
enum Remembered<'w> {
    BySystem(&'w Matches),
    /// Boxed, so that rows stay small: they are handed to the system by value.
    ForThisCall(Box<Matches>),
}

impl Deref for Remembered<'_> {
    type Target = Matches;

    #[inline]
    fn deref(&self) -> &Matches {
        match self {
            Self::BySystem(matches) => matches,
            Self::ForThisCall(matches) => matches,
        }
    }
}

/// State of a system's rows between runs.
#[derive(Default, Debug)]
pub struct RowsState {
    matches: Matches,
    /// The types of which the same system claims other tables as well.
    shared_out: Vec<TypeId>,
    /// The tick of the last run that succeeded.
    last_run: u64,
    /// The tick of the run that began last.
    this_run: u64,
    /// Whether any entity has matched in any run so far.
    has_met: bool,
}

impl RowsState {
    pub(super) fn new(shared_out: Vec<TypeId>) -> Self {
        Self {
            shared_out,
            ..Self::default()
        }
    }

    pub(super) fn has_met(&self) -> bool {
        self.has_met
    }

    pub(super) fn last_run_mut(&mut self) -> &mut u64 {
        &mut self.last_run
    }

    /// The run that began last has succeeded: what was changed before it counts as seen.
    pub(super) fn confirm(&mut self) {
        self.last_run = self.this_run;
    }
}

impl<'w, I: Items, C: Conditions> Rows<'w, I, C> {
    fn hold(world: &'w World, matches: Remembered<'w>, shared_out: &[TypeId], since: u64) -> Self {
        Self {
            guards: I::hold(&Sources {
                types: &world.types,
                tables: &world.tables,
                matching: matches.tables(),
                shared_out,
            }),
            marks: I::marks(&world.types),
            checks: C::hold(&world.types),
            since,
            now: world.next_tick(),
            matches,
            tables: &world.tables,
            entities: &world.entities,
            #[cfg(feature = "parallel")]
            workers: &world.workers,
            conditions: PhantomData,
        }
    }

    pub(super) fn for_system(world: &'w World, state: &'w mut RowsState) -> Self {
        state.matches.refresh::<I, C>(world);
        if !state.has_met {
            // Looked for until found once, so that a system whose rows are there pays nothing.
            let mut tables = state.matches.tables().iter();
            state.has_met = tables.any(|&table| !world.tables.get(table).entities.is_empty());
        }
        let matches = Remembered::BySystem(&state.matches);
        let rows = Self::hold(world, matches, &state.shared_out, state.last_run);
        state.this_run = rows.now;
        rows
    }

    /// # Panics
    ///
    /// If the items clash with each other; a system would have been refused when it was added.
    fn for_call(world: &'w World) -> Self {
        let mut access = Access::default();
        I::declare(&mut access);
        if let Some(twice) = access.clashing() {
            panic!(
                "these rows claim `{}` twice, once to write it; name it once",
                twice
            );
        }
        let mut matches = Matches::default();
        matches.refresh::<I, C>(world);
        Self::hold(world, Remembered::ForThisCall(Box::new(matches)), &[], 0)
    }

    fn holds(&self, positions: &[u32], row: u32) -> bool {
        C::holds(
            &self.checks,
            &positions[I::COLUMNS..],
            row as usize,
            self.since,
        )
    }

    fn duties_shared(&self) -> Duties<'_, 'w, I::Shared, C> {
        Duties {
            marks: None,
            checks: &self.checks,
            since: self.since,
            now: self.now,
        }
    }

    /// Counts the rows of a walk for the profile of the frame, if there is one. What a condition turns down is visited, too.
    #[inline]
    pub(super) fn count_visit(&self) {
        if profile::is_recording() {
            profile::note_rows(self.rows_of_tables());
        }
    }

    fn rows_of_tables(&self) -> usize {
        let tables = self.matches.tables().iter();
        tables
            .map(|&table| self.tables.get(table).entities.len())
            .sum()
    }

    #[inline(always)]
    fn tables_shared(&self) -> TableIter<'_, 'w, I::Shared, C> {
        let walk = I::walk_shared(&self.guards);
        TableIter::new(walk, &self.matches, self.tables, self.duties_shared())
    }

    #[inline(always)]
    fn tables_mut(&mut self) -> TableIter<'_, 'w, I, C> {
        let duties = Duties {
            marks: Some(&self.marks),
            checks: &self.checks,
            since: self.since,
            now: self.now,
        };
        let walk = I::walk(&mut self.guards);
        TableIter::new(walk, &self.matches, self.tables, duties)
    }

    /// All rows, with every `&mut T` read as `&T`.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.spawn((2_u8,));
    /// world.spawn((3_u8,));
    /// assert_eq!(world.rows::<&u8>().iter().sum::<u8>(), 5);
    /// ```
    #[inline(always)]
    pub fn iter(&self) -> impl Iterator<Item = <I::Shared as Pattern>::Item<'_>> {
        self.into_iter()
    }

    /// All rows.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn((2_u8,));
    /// for weight in world.rows_mut::<&mut u8>().iter_mut() {
    ///     *weight += 1;
    /// }
    /// assert_eq!(*world.get::<u8>(pallet)?, 3);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[inline(always)]
    pub fn iter_mut(&mut self) -> impl Iterator<Item = I::Item<'_>> {
        self.into_iter()
    }

    /// Calls `f` with each row. As fast as a plain loop over each table; prefer it in hot loops over many small tables.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn((2_u8,));
    /// world.rows_mut::<&mut u8>().each(|weight| *weight *= 2);
    /// assert_eq!(*world.get::<u8>(pallet)?, 4);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[inline(always)]
    pub fn each(&mut self, f: impl FnMut(I::Item<'_>)) {
        self.iter_mut().for_each(f);
    }

    /// The row of one entity, with every `&mut T` read as `&T`, or `None` if it has no such row. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn((2_u8, "pallet"));
    /// let other = world.spawn(("no weight",));
    /// let rows = world.rows::<(&u8, &&str)>();
    /// assert_eq!(rows.get(pallet), Some((&2, &"pallet")));
    /// assert_eq!(rows.get(other), None);
    /// ```
    #[inline]
    #[must_use]
    pub fn get(&self, entity: Entity) -> Option<<I::Shared as Pattern>::Item<'_>> {
        let location = self.entities.locate_loosely(entity)?;
        let positions = self
            .matches
            .of_table(location.table, I::COLUMNS + C::COLUMNS)?;
        if C::BY_ROW && !self.holds(positions, location.row) {
            return None;
        }
        Some(I::pick_shared(
            &self.guards,
            location.table,
            positions,
            location.row,
        ))
    }

    /// The row of one entity, or `None` if it has no such row. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let pallet = world.spawn((2_u8,));
    /// if let Some(weight) = world.rows_mut::<&mut u8>().get_mut(pallet) {
    ///     *weight = 7;
    /// }
    /// assert_eq!(*world.get::<u8>(pallet)?, 7);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[inline]
    pub fn get_mut(&mut self, entity: Entity) -> Option<I::Item<'_>> {
        let location = self.entities.locate_loosely(entity)?;
        let positions = self
            .matches
            .of_table(location.table, I::COLUMNS + C::COLUMNS)?;
        if C::BY_ROW && !self.holds(positions, location.row) {
            return None;
        }
        I::mark_row(&self.marks, positions, location.row, self.now);
        Some(I::pick(
            &mut self.guards,
            location.table,
            positions,
            location.row,
        ))
    }

    /// How many rows there are. O(matching tables), or O(rows) under a condition that asks each row.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.spawn((2_u8,));
    /// assert_eq!(world.rows::<&u8>().count(), 1);
    /// assert!(world.rows::<&u16>().is_empty());
    /// ```
    #[must_use]
    pub fn count(&self) -> usize {
        if C::BY_ROW {
            return self.iter().count();
        }
        self.rows_of_tables()
    }

    /// Whether there is no row. O(matching tables), or up to O(rows) under a condition that asks each row.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        if C::BY_ROW {
            return self.iter().next().is_none();
        }
        self.count() == 0
    }
}

impl World {
    /// The rows of all entities that have these components, to read. O(tables) to find out which match.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Entity, World};
    ///
    /// let mut world = World::new();
    /// let pallet = world.spawn((2_u8, "pallet"));
    /// let rows = world.rows::<(Entity, &u8)>();
    /// assert_eq!(rows.iter().next(), Some((pallet, &2)));
    /// ```
    #[must_use]
    pub fn rows<I: SharedItems>(&self) -> Rows<'_, I> {
        self.rows_where::<I, ()>()
    }

    /// [`World::rows`] under conditions.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Lacking, World};
    ///
    /// let mut world = World::new();
    /// world.spawn((2_u8, "pallet"));
    /// assert!(world.rows_where::<&u8, Lacking<&'static str>>().is_empty());
    /// ```
    #[must_use]
    pub fn rows_where<I: SharedItems, C: Conditions>(&self) -> Rows<'_, I, C> {
        Rows::for_call(self)
    }

    /// The rows of all entities that have these components. O(tables) to find out which match.
    ///
    /// # Panics
    ///
    /// If the items name a type twice, once to write it.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.spawn((2_u8, 0_u16));
    /// for (small, large) in world.rows_mut::<(&u8, &mut u16)>().iter_mut() {
    ///     *large = u16::from(*small) * 256;
    /// }
    /// assert_eq!(world.rows::<&u16>().iter().next(), Some(&512));
    /// ```
    #[must_use]
    pub fn rows_mut<I: Items>(&mut self) -> Rows<'_, I> {
        self.rows_mut_where::<I, ()>()
    }

    /// [`World::rows_mut`] under conditions.
    ///
    /// # Panics
    ///
    /// As [`World::rows_mut`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Having, World};
    ///
    /// let mut world = World::new();
    /// world.spawn((2_u8, "pallet"));
    /// let mut rows = world.rows_mut_where::<&mut u8, Having<&'static str>>();
    /// rows.each(|weight| *weight = 9);
    /// assert_eq!(rows.iter().next(), Some(&9));
    /// ```
    #[must_use]
    pub fn rows_mut_where<I: Items, C: Conditions>(&mut self) -> Rows<'_, I, C> {
        Rows::for_call(self)
    }
}

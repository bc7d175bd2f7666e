//! Rows by entity, several at a time, and rows in a wanted order.

use super::conditions::Conditions;
use super::items::{Items, Pattern};
use super::{Rows, iter::TableSlices};
use crate::error::{Error, Kind};
#[cfg(feature = "parallel")]
use crate::profile;
use crate::store::access::short_type;
use crate::store::entity::Entity;
#[cfg(feature = "parallel")]
use smallvec::SmallVec;

impl<I: Items, C: Conditions> Rows<'_, I, C> {
    /// The one and only row, with every `&mut T` read as `&T`.
    ///
    /// # Errors
    ///
    /// If there is not exactly one row; the message says how many there are.
    ///
    /// # Example
    ///
    /// ```
    /// struct Barge(u32);
    ///
    /// let mut world = gerust::World::new();
    /// assert!(world.rows::<&Barge>().only().err().expect("there is none").to_string().contains("0 rows"));
    /// world.spawn((Barge(7),));
    /// assert_eq!(world.rows::<&Barge>().only()?.0, 7);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn only(&self) -> Result<<I::Shared as Pattern>::Item<'_>, Error> {
        let mut rows = self.iter();
        match (rows.next(), rows.next()) {
            (Some(row), None) => Ok(row),
            _ => Err(self.not_one()),
        }
    }

    /// The one and only row.
    ///
    /// # Errors
    ///
    /// If there is not exactly one row; the message says how many there are.
    ///
    /// # Example
    ///
    /// ```
    /// struct Barge(u32);
    ///
    /// let mut world = gerust::World::new();
    /// world.spawn((Barge(7),));
    /// world.rows_mut::<&mut Barge>().only_mut()?.0 += 1;
    /// assert_eq!(world.rows::<&Barge>().only()?.0, 8);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn only_mut(&mut self) -> Result<I::Item<'_>, Error> {
        // Counted first: a second row must not be handed out for writing just to find that it is there.
        if self.iter().take(2).count() != 1 {
            return Err(self.not_one());
        }
        let first = self.iter_mut().next();
        Ok(first.expect("one row was counted"))
    }

    fn not_one(&self) -> Error {
        Error::from(Kind::NotOnly {
            rows: short_type(std::any::type_name::<Self>()),
            count: self.count(),
        })
    }

    /// The rows of several entities at once, in the order of the ids; `None` if one of them has no row, or if one is
    /// named twice. O(n log n), and O(matching tables).
    ///
    /// # Example
    ///
    /// ```
    /// struct Load(u32);
    ///
    /// let mut world = gerust::World::new();
    /// let (crane, truck) = (world.spawn((Load(20),)), world.spawn((Load(0),)));
    /// let mut loads = world.rows_mut::<&mut Load>();
    /// let [from, to] = loads.get_disjoint_mut([crane, truck]).expect("both have a load");
    /// std::mem::swap(&mut from.0, &mut to.0);
    /// assert!(loads.get_disjoint_mut([crane, crane]).is_none());
    /// drop(loads);
    /// assert_eq!(world.get::<Load>(truck)?.0, 20);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn get_disjoint_mut<const N: usize>(
        &mut self,
        of: [Entity; N],
    ) -> Option<[I::Item<'_>; N]> {
        let birth = |table| self.tables.get(table).birth();
        let mut wanted: [_; N] = std::array::from_fn(|at| (self.entities.locate(of[at]), at));
        wanted.sort_unstable_by_key(|(location, _)| {
            location.map(|found| (birth(found.table), found.row))
        });
        if wanted.windows(2).any(|pair| pair[0].0 == pair[1].0) {
            return None;
        }
        // All are checked before any is marked: a row that is not returned was not written.
        for (location, _) in &wanted {
            let location = (*location)?;
            let positions = self
                .matches
                .of_table(location.table, I::COLUMNS + C::COLUMNS)?;
            if C::BY_ROW && !self.holds(positions, location.row) {
                return None;
            }
        }
        let mut found: [Option<I::Item<'_>>; N] = std::array::from_fn(|_| None);
        let mut tables = self.tables_mut();
        let mut next = wanted.iter().peekable();
        while next.peek().is_some() {
            let TableSlices {
                slices,
                positions,
                table,
                ..
            } = tables.next()?;
            let mut rest = slices;
            let mut passed = 0;
            while let Some(&(Some(location), at)) =
                next.next_if(|(location, _)| location.is_some_and(|found| found.table == table))
            {
                tables.duties.admit(positions, location.row as usize);
                let (_, from_row) = I::split(rest, location.row as usize - passed);
                let (row, after) = I::split(from_row, 1);
                found[at] = I::zip(row).next();
                rest = after;
                passed = location.row as usize + 1;
            }
        }
        let found: Vec<I::Item<'_>> = found.into_iter().collect::<Option<_>>()?;
        found.try_into().ok()
    }

    /// All rows in ascending order of a key, with every `&mut T` read as `&T`; rows of equal keys keep the usual order.
    /// O(n log n), and a list of the rows.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.spawn_many([(3_u8,), (1,), (2,)]);
    /// let rows = world.rows::<&u8>();
    /// let sorted = rows.sorted_by_key(|number| **number);
    /// assert_eq!(sorted, [&1, &2, &3]);
    /// ```
    pub fn sorted_by_key<K: Ord>(
        &self,
        key: impl FnMut(&<I::Shared as Pattern>::Item<'_>) -> K,
    ) -> Vec<<I::Shared as Pattern>::Item<'_>> {
        let mut rows: Vec<_> = self.iter().collect();
        rows.sort_by_key(key);
        rows
    }

    /// [`Rows::sorted_by_key`] with rows that can be written.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let ids = world.spawn_many([(3_u8,), (1,), (2,)]);
    /// let mut place = 0;
    /// for number in world.rows_mut::<&mut u8>().sorted_by_key_mut(|number| **number) {
    ///     *number = place;
    ///     place += 1;
    /// }
    /// assert_eq!(*world.get::<u8>(ids[0])?, 2);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn sorted_by_key_mut<K: Ord>(
        &mut self,
        key: impl FnMut(&I::Item<'_>) -> K,
    ) -> Vec<I::Item<'_>> {
        let mut rows: Vec<_> = self.iter_mut().collect();
        rows.sort_by_key(key);
        rows
    }
}

#[cfg(feature = "parallel")]
impl<I: Items, C: Conditions> Rows<'_, I, C> {
    /// Calls `f` with each row, on the threads of the runtime, or outside of one on those of the current `rayon` pool.
    ///
    /// Rows are split at multiples of 64, and each is handed out exactly once, so the result does not depend on the
    /// number of threads as long as `f` keeps to its row. It pays from about a millisecond of work.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.spawn_many((0..10_000_u32).map(|i| (i, 0_u64)));
    /// world.rows_mut::<(&u32, &mut u64)>().par_each(|(number, square)| {
    ///     *square = u64::from(*number).pow(2);
    /// });
    /// assert_eq!(world.rows::<&u64>().iter().sum::<u64>(), 333_283_335_000);
    /// ```
    pub fn par_each(&mut self, f: impl Fn(I::Item<'_>) + Sync)
    where
        for<'w> I::Marks<'w>: Sync,
        for<'w> C::Held<'w>: Sync,
    {
        let workers = self.workers;
        if workers.threads() == 1 {
            return self.each(f);
        }
        let total = self.rows_of_tables();
        profile::note_rows(total);
        let relay = profile::Relay::here();
        // Some pieces for each thread even out; more would only cost.
        let piece = (total / (workers.threads() * 8))
            .next_multiple_of(64)
            .max(256);
        let tables = self.tables_mut();
        tables.mark_all();
        let duties = tables.duties;
        // Few tables stay on the stack.
        let mut all: SmallVec<[Option<TableSlices<'_, I>>; 8]> = tables.map(Some).collect();
        let (f, relay) = (&f, &relay);
        workers.run(|| {
            share_out(&mut all, &|table| {
                let pieces = Pieces::<'_, '_, I, C> {
                    positions: table.positions,
                    most_rows: piece,
                    duties,
                    relay,
                };
                pieces.each(table.slices, 0, table.rows, f);
            });
        });
    }
}

/// Calls `each` with each value, on any threads.
#[cfg(feature = "parallel")]
fn share_out<T: Send>(all: &mut [Option<T>], each: &(impl Fn(T) + Sync)) {
    match all {
        [] => {}
        [one] => one.take().into_iter().for_each(each),
        several => {
            let (head, tail) = several.split_at_mut(several.len() / 2);
            rayon::join(|| share_out(head, each), || share_out(tail, each));
        }
    }
}

/// The rows of one table, to be divided among threads.
#[cfg(feature = "parallel")]
struct Pieces<'s, 'w, I: Items, C: Conditions> {
    positions: &'s [u32],
    most_rows: usize,
    duties: super::iter::Duties<'s, 'w, I, C>,
    /// The thread that takes a piece records for the frame.
    relay: &'s profile::Relay,
}

#[cfg(feature = "parallel")]
impl<'s, I: Items, C: Conditions> Pieces<'s, '_, I, C>
where
    for<'w> I::Marks<'w>: Sync,
    for<'w> C::Held<'w>: Sync,
{
    /// Halves the rows until the pieces are small enough.
    fn each(
        &self,
        slices: I::Slices<'s>,
        first: usize,
        rows: usize,
        f: &(impl Fn(I::Item<'_>) + Sync),
    ) {
        if rows <= self.most_rows {
            let _recording = self.relay.begin();
            for (row, item) in I::zip(slices).enumerate() {
                if !C::BY_ROW || self.duties.admit(self.positions, first + row) {
                    f(item);
                }
            }
            return;
        }
        let middle = (rows / 2).next_multiple_of(64).min(rows);
        let (head, tail) = I::split(slices, middle);
        rayon::join(
            || self.each(head, first, middle, f),
            || self.each(tail, first + middle, rows - middle, f),
        );
    }
}

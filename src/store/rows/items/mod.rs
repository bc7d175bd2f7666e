//! The items of a row: `&T`, `&mut T`, `Option` of these, `Entity`, and tuples.
//!
//! A pattern takes four steps from the world to a row: *hold* the guards of its types, *walk* their columns forward,
//! *cut* the slices of one table, *zip* them into items. The slices have a type that can be named; the zipped iterator
//! has not (an `impl Trait` in a trait captures every lifetime, so it must not be stored in a name).

#[macro_use]
mod parts;
mod entity;
mod guards;
mod optional;
mod single;
mod tuples;

pub(crate) use guards::Sources;
pub(in crate::store::rows) use guards::position;

use super::shape::Shape;
use crate::store::access::Access;
use crate::store::component::ComponentTypes;
use crate::store::entity::TableId;
use crate::store::table::Table;

/// The items of a row: `&T`, `&mut T`, an `Option` of one of these, [`Entity`](crate::Entity), or a tuple of up to twelve, nested at
/// will.
///
/// `Option<&T>` does not ask for a `T`: it is `None` for entities that have none.
///
/// # Example
///
/// ```
/// struct Tonnes(u32);
/// struct Seal(u32);
///
/// let mut world = gerust::World::new();
/// world.spawn((Tonnes(20),));
/// world.spawn((Tonnes(24), Seal(7)));
/// let sealed: Vec<Option<u32>> = world
///     .rows::<(&Tonnes, Option<&Seal>)>()
///     .iter()
///     .map(|(_, seal)| seal.map(|seal| seal.0))
///     .collect();
/// assert_eq!(sealed, [None, Some(7)]);
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` cannot be an item of a row",
    note = "a row has `&T`, `&mut T`, `Option<&T>`, `Option<&mut T>`, `Entity`, or a tuple of these; conditions such as `Having<T>` are the second parameter of `Rows`"
)]
pub trait Items: Pattern {}

/// Items that only read, so that they can be asked of a shared world.
///
/// # Example
///
/// ```
/// let mut world = gerust::World::new();
/// world.spawn((1_u8,));
/// assert_eq!(world.rows::<&u8>().iter().count(), 1);
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` writes, but the world is only shared here",
    note = "use `rows_mut`, which takes `&mut World`"
)]
pub trait SharedItems: Items {}

/// How a pattern reaches its rows. Positions are those of a table's columns among the columns of their types, one for
/// each column that the pattern asks for, `NO_COLUMN` where an optional one is not there.
pub trait Pattern {
    /// The same pattern, with every `&mut` read as `&`.
    type Shared: Pattern;
    /// The guards of all types.
    type Guards<'w>;
    /// The ticks of the types that are written, where a system asks about their changes.
    type Marks<'w>;
    /// A forward walk over the columns of all types.
    type Walk<'s>;
    /// One slice per item of one table.
    type Slices<'s>: Send;
    /// One row.
    type Item<'s>;
    /// The rows of one table.
    type Zip<'s>: Iterator<Item = Self::Item<'s>>;
    /// How many positions the pattern needs of a table.
    const COLUMNS: usize;

    fn declare(access: &mut Access);
    fn register(types: &mut ComponentTypes);
    /// Says which types an entity must have.
    fn describe(shape: &mut Shape);
    fn matches(types: &ComponentTypes, table: &Table) -> bool;
    /// Appends the positions of a matching table's columns.
    fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>);
    fn hold<'w>(sources: &Sources<'w, '_>) -> Self::Guards<'w>;
    fn marks<'w>(types: &'w ComponentTypes) -> Self::Marks<'w>;
    /// Whether there is anything to mark.
    fn has_marks(marks: &Self::Marks<'_>) -> bool;
    /// Notes that all rows of a table are handed out for writing.
    fn mark_table(marks: &Self::Marks<'_>, positions: &[u32], tick: u64);
    /// Notes that one row is handed out for writing.
    fn mark_row(marks: &Self::Marks<'_>, positions: &[u32], row: u32, tick: u64);
    /// Notes that some rows side by side are handed out for writing.
    fn mark_rows(
        marks: &Self::Marks<'_>,
        positions: &[u32],
        rows: std::ops::Range<usize>,
        tick: u64,
    );
    fn walk<'s>(guards: &'s mut Self::Guards<'_>) -> Self::Walk<'s>;
    fn walk_shared<'s>(guards: &'s Self::Guards<'_>) -> <Self::Shared as Pattern>::Walk<'s>;
    /// The slices of the next table, which must lie ahead of all tables cut before and have this many rows.
    fn cut<'s>(
        walk: &mut Self::Walk<'s>,
        table: TableId,
        positions: &[u32],
        rows: usize,
    ) -> Self::Slices<'s>
    where
        's: 's;
    /// The slices up to a row and from it on.
    fn split<'s>(slices: Self::Slices<'s>, at: usize) -> (Self::Slices<'s>, Self::Slices<'s>)
    where
        's: 's;
    fn zip<'s>(slices: Self::Slices<'s>) -> Self::Zip<'s>
    where
        's: 's;
    /// One row of a table that matches.
    fn pick<'s>(
        guards: &'s mut Self::Guards<'_>,
        table: TableId,
        positions: &[u32],
        row: u32,
    ) -> Self::Item<'s>;
    fn pick_shared<'s>(
        guards: &'s Self::Guards<'_>,
        table: TableId,
        positions: &[u32],
        row: u32,
    ) -> <Self::Shared as Pattern>::Item<'s>;
}

//! What one row consists of: `&T`, `&mut T`, `Entity`, and tuples of these.
//!
//! A pattern takes four steps from the world to a row: *hold* the guards of its types, *walk* their columns forward,
//! *cut* the slices of one table, *zip* them into items. The slices have a type that can be named; the zipped iterator
//! has not (an `impl Trait` in a trait captures every lifetime, so it must not be stored in a name).

use crate::store::access::{Access, ResourceKind};
use crate::store::column::Columns;
use crate::store::component::{Component, ComponentId, ComponentTypes};
use crate::store::entity::{Entity, TableId};
use crate::store::table::{Table, Tables};
use atomic_refcell::{AtomicRef, AtomicRefMut};

/// The items of a row: `&T`, `&mut T`, [`Entity`], or a tuple of up to twelve of these, nested at will.
///
/// See [`Rows`](crate::Rows) for an example.
#[diagnostic::on_unimplemented(
    message = "`{Self}` cannot be an item of a row",
    note = "a row has `&T`, `&mut T`, `Entity`, or a tuple of these; conditions such as `Having<T>` are the second parameter of `Rows`"
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

/// How a pattern reaches its rows.
pub trait Pattern {
    /// The same pattern, with every `&mut` read as `&`.
    type Shared: Pattern;
    /// The guards of all types.
    type Guards<'w>;
    /// A forward walk over the columns of all types.
    type Walk<'s>;
    /// One slice per item of one table.
    type Slices<'s>;
    /// One row.
    type Item<'s>;
    /// How many columns of a table the pattern needs.
    const COLUMNS: usize;

    fn declare(access: &mut Access);
    fn register(types: &mut ComponentTypes);
    fn matches(types: &ComponentTypes, table: &Table) -> bool;
    /// Appends the positions of a matching table's columns.
    fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>);
    fn hold<'w>(types: &'w ComponentTypes, tables: &'w Tables) -> Self::Guards<'w>;
    fn walk<'s>(guards: &'s mut Self::Guards<'_>) -> Self::Walk<'s>;
    fn walk_shared<'s>(guards: &'s Self::Guards<'_>) -> <Self::Shared as Pattern>::Walk<'s>;
    /// The slices of the next table, which must lie ahead of all tables cut before.
    fn cut<'s>(walk: &mut Self::Walk<'s>, table: TableId, positions: &[u32]) -> Self::Slices<'s>
    where
        's: 's;
    fn zip<'s>(slices: Self::Slices<'s>) -> impl Iterator<Item = Self::Item<'s>>
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

fn has<T: Component>(types: &ComponentTypes, table: &Table) -> bool {
    types.table_has::<T>(table)
}

fn position<T: Component>(types: &ComponentTypes, table: TableId) -> u32 {
    types
        .cell::<T>()
        .and_then(|cell| cell.borrow().position(table))
        .expect("only tables that match are asked")
}

impl<T: Component> Items for &T {}
impl<T: Component> SharedItems for &T {}

impl<'a, T: Component> Pattern for &'a T {
    type Shared = &'a T;
    /// `None` for a type that the world has never met, which matches no table.
    type Guards<'w> = Option<AtomicRef<'w, Columns<T>>>;
    type Walk<'s> = &'s [Vec<T>];
    type Slices<'s> = &'s [T];
    type Item<'s> = &'s T;
    const COLUMNS: usize = 1;

    fn declare(access: &mut Access) {
        access.add::<T>(ResourceKind::Component, false);
    }

    fn register(types: &mut ComponentTypes) {
        let _: ComponentId = types.id_or_register::<T>();
    }

    fn matches(types: &ComponentTypes, table: &Table) -> bool {
        has::<T>(types, table)
    }

    fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
        positions.push(position::<T>(types, table));
    }

    fn hold<'w>(types: &'w ComponentTypes, _: &'w Tables) -> Self::Guards<'w> {
        types.cell::<T>().map(|cell| cell.borrow())
    }

    #[inline(always)]
    fn walk<'s>(guards: &'s mut Self::Guards<'_>) -> &'s [Vec<T>] {
        Self::walk_shared(guards)
    }

    #[inline(always)]
    fn walk_shared<'s>(guards: &'s Self::Guards<'_>) -> &'s [Vec<T>] {
        guards.as_ref().map_or(&[], |columns| columns.all())
    }

    #[inline(always)]
    fn cut<'s>(walk: &mut &'s [Vec<T>], _: TableId, positions: &[u32]) -> &'s [T]
    where
        's: 's,
    {
        &walk[positions[0] as usize]
    }

    #[inline(always)]
    fn zip<'s>(slice: &'s [T]) -> impl Iterator<Item = &'s T>
    where
        's: 's,
    {
        slice.iter()
    }

    #[inline]
    fn pick<'s>(
        guards: &'s mut Self::Guards<'_>,
        table: TableId,
        positions: &[u32],
        row: u32,
    ) -> &'s T {
        Self::pick_shared(guards, table, positions, row)
    }

    #[inline]
    fn pick_shared<'s>(
        guards: &'s Self::Guards<'_>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> &'s T {
        let columns = guards.as_ref().expect("a table matched");
        &columns.all()[positions[0] as usize][row as usize]
    }
}

/// The columns of one type ahead of a position, to write.
pub struct ColumnsAhead<'s, T> {
    columns: std::slice::IterMut<'s, Vec<T>>,
    next: u32,
}

impl<T: Component> Items for &mut T {}

impl<'a, T: Component> Pattern for &'a mut T {
    type Shared = &'a T;
    type Guards<'w> = Option<AtomicRefMut<'w, Columns<T>>>;
    type Walk<'s> = ColumnsAhead<'s, T>;
    type Slices<'s> = &'s mut [T];
    type Item<'s> = &'s mut T;
    const COLUMNS: usize = 1;

    fn declare(access: &mut Access) {
        access.add::<T>(ResourceKind::Component, true);
    }

    fn register(types: &mut ComponentTypes) {
        let _: ComponentId = types.id_or_register::<T>();
    }

    fn matches(types: &ComponentTypes, table: &Table) -> bool {
        has::<T>(types, table)
    }

    fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
        positions.push(position::<T>(types, table));
    }

    fn hold<'w>(types: &'w ComponentTypes, _: &'w Tables) -> Self::Guards<'w> {
        types.cell::<T>().map(|cell| cell.borrow_mut())
    }

    #[inline(always)]
    fn walk<'s>(guards: &'s mut Self::Guards<'_>) -> ColumnsAhead<'s, T> {
        let columns: &mut [Vec<T>] = guards.as_mut().map_or(&mut [], |columns| columns.all_mut());
        ColumnsAhead {
            columns: columns.iter_mut(),
            next: 0,
        }
    }

    #[inline(always)]
    fn walk_shared<'s>(guards: &'s Self::Guards<'_>) -> &'s [Vec<T>] {
        guards.as_ref().map_or(&[], |columns| columns.all())
    }

    #[inline(always)]
    fn cut<'s>(walk: &mut ColumnsAhead<'s, T>, _: TableId, positions: &[u32]) -> &'s mut [T]
    where
        's: 's,
    {
        // Tables ascend, and so do their columns: what lies between is skipped, never gone back to.
        let skipped = positions[0] - walk.next;
        walk.next = positions[0] + 1;
        walk.columns
            .nth(skipped as usize)
            .expect("positions come from these columns")
    }

    #[inline(always)]
    fn zip<'s>(slice: &'s mut [T]) -> impl Iterator<Item = &'s mut T>
    where
        's: 's,
    {
        slice.iter_mut()
    }

    #[inline]
    fn pick<'s>(
        guards: &'s mut Self::Guards<'_>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> &'s mut T {
        let columns = guards.as_mut().expect("a table matched");
        &mut columns.all_mut()[positions[0] as usize][row as usize]
    }

    #[inline]
    fn pick_shared<'s>(
        guards: &'s Self::Guards<'_>,
        _: TableId,
        positions: &[u32],
        row: u32,
    ) -> &'s T {
        let columns = guards.as_ref().expect("a table matched");
        &columns.all()[positions[0] as usize][row as usize]
    }
}

impl Items for Entity {}
impl SharedItems for Entity {}

impl Pattern for Entity {
    type Shared = Entity;
    type Guards<'w> = &'w Tables;
    type Walk<'s> = &'s Tables;
    type Slices<'s> = &'s [Entity];
    type Item<'s> = Entity;
    const COLUMNS: usize = 0;

    fn declare(_: &mut Access) {}

    fn register(_: &mut ComponentTypes) {}

    fn matches(_: &ComponentTypes, _: &Table) -> bool {
        true
    }

    fn positions(_: &ComponentTypes, _: TableId, _: &mut Vec<u32>) {}

    fn hold<'w>(_: &'w ComponentTypes, tables: &'w Tables) -> &'w Tables {
        tables
    }

    #[inline(always)]
    fn walk<'s>(guards: &'s mut &Tables) -> &'s Tables {
        guards
    }

    #[inline(always)]
    fn walk_shared<'s>(guards: &'s &Tables) -> &'s Tables {
        guards
    }

    #[inline(always)]
    fn cut<'s>(walk: &mut &'s Tables, table: TableId, _: &[u32]) -> &'s [Entity]
    where
        's: 's,
    {
        &walk.get(table).entities
    }

    #[inline(always)]
    fn zip<'s>(slice: &'s [Entity]) -> impl Iterator<Item = Entity>
    where
        's: 's,
    {
        slice.iter().copied()
    }

    #[inline]
    fn pick(guards: &mut &Tables, table: TableId, _: &[u32], row: u32) -> Entity {
        guards.get(table).entities[row as usize]
    }

    #[inline]
    fn pick_shared(guards: &&Tables, table: TableId, _: &[u32], row: u32) -> Entity {
        guards.get(table).entities[row as usize]
    }
}

/// The first columns of a tuple's positions go to its first member, and so on.
macro_rules! tuples {
    ($first:ident . $first_at:tt $(, $member:ident . $at:tt)*) => {
        impl<$first: Items $(, $member: Items)*> Items for ($first, $($member,)*) {}
        impl<$first: SharedItems $(, $member: SharedItems)*> SharedItems for ($first, $($member,)*) {}

        #[allow(unused_assignments, reason = "the last member has none after it")]
        #[allow(non_snake_case, reason = "a member's value is named after its type")]
        impl<$first: Pattern $(, $member: Pattern)*> Pattern for ($first, $($member,)*) {
            type Shared = ($first::Shared, $($member::Shared,)*);
            type Guards<'w> = ($first::Guards<'w>, $($member::Guards<'w>,)*);
            type Walk<'s> = ($first::Walk<'s>, $($member::Walk<'s>,)*);
            type Slices<'s> = ($first::Slices<'s>, $($member::Slices<'s>,)*);
            type Item<'s> = ($first::Item<'s>, $($member::Item<'s>,)*);
            const COLUMNS: usize = $first::COLUMNS $(+ $member::COLUMNS)*;

            fn declare(access: &mut Access) {
                $first::declare(access);
                $($member::declare(access);)*
            }

            fn register(types: &mut ComponentTypes) {
                $first::register(types);
                $($member::register(types);)*
            }

            fn matches(types: &ComponentTypes, table: &Table) -> bool {
                $first::matches(types, table) $(&& $member::matches(types, table))*
            }

            fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
                $first::positions(types, table, positions);
                $($member::positions(types, table, positions);)*
            }

            fn hold<'w>(types: &'w ComponentTypes, tables: &'w Tables) -> Self::Guards<'w> {
                ($first::hold(types, tables), $($member::hold(types, tables),)*)
            }

            #[inline(always)]
            fn walk<'s>(guards: &'s mut Self::Guards<'_>) -> Self::Walk<'s> {
                ($first::walk(&mut guards.$first_at), $($member::walk(&mut guards.$at),)*)
            }

            #[inline(always)]
            fn walk_shared<'s>(guards: &'s Self::Guards<'_>) -> <Self::Shared as Pattern>::Walk<'s> {
                ($first::walk_shared(&guards.$first_at), $($member::walk_shared(&guards.$at),)*)
            }

            #[inline(always)]
            fn cut<'s>(walk: &mut Self::Walk<'s>, table: TableId, positions: &[u32]) -> Self::Slices<'s>
    where
        's: 's,
    {
                let mut rest = positions;
                (
                    $first::cut(&mut walk.$first_at, table, take(&mut rest, $first::COLUMNS)),
                    $($member::cut(&mut walk.$at, table, take(&mut rest, $member::COLUMNS)),)*
                )
            }

            #[inline(always)]
            fn zip<'s>(slices: Self::Slices<'s>) -> impl Iterator<Item = Self::Item<'s>>
            where
                's: 's,
            {
                let zipped = $first::zip(slices.$first_at);
                $(let zipped = zipped.zip($member::zip(slices.$at));)*
                zipped.map(|tuples!(@nested [$first] $($member)*)| ($first, $($member,)*))
            }

            #[inline]
            fn pick<'s>(
                guards: &'s mut Self::Guards<'_>,
                table: TableId,
                positions: &[u32],
                row: u32,
            ) -> Self::Item<'s> {
                let mut rest = positions;
                (
                    $first::pick(&mut guards.$first_at, table, take(&mut rest, $first::COLUMNS), row),
                    $($member::pick(&mut guards.$at, table, take(&mut rest, $member::COLUMNS), row),)*
                )
            }

            #[inline]
            fn pick_shared<'s>(
                guards: &'s Self::Guards<'_>,
                table: TableId,
                positions: &[u32],
                row: u32,
            ) -> <Self::Shared as Pattern>::Item<'s> {
                let mut rest = positions;
                (
                    $first::pick_shared(&guards.$first_at, table, take(&mut rest, $first::COLUMNS), row),
                    $($member::pick_shared(&guards.$at, table, take(&mut rest, $member::COLUMNS), row),)*
                )
            }
        }
    };
    // a b c -> ((a, b), c), as nested zips yield them.
    (@nested [$sofar:tt]) => { $sofar };
    (@nested [$sofar:tt] $next:ident $($more:ident)*) => {
        tuples!(@nested [($sofar, $next)] $($more)*)
    };
}

/// Splits the first `count` positions off.
#[inline(always)]
fn take<'p>(rest: &mut &'p [u32], count: usize) -> &'p [u32] {
    let (mine, others) = rest.split_at(count);
    *rest = others;
    mine
}

tuples!(A.0);
tuples!(A.0, B.1);
tuples!(A.0, B.1, C.2);
tuples!(A.0, B.1, C.2, D.3);
tuples!(A.0, B.1, C.2, D.3, E.4);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5, G.6);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5, G.6, H.7);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5, G.6, H.7, I.8);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5, G.6, H.7, I.8, J.9);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5, G.6, H.7, I.8, J.9, K.10);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5, G.6, H.7, I.8, J.9, K.10, L.11);

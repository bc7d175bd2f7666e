//! Tuples of items.

use super::{Items, Pattern, SharedItems, Sources};
use crate::store::access::Access;
use crate::store::component::ComponentTypes;
use crate::store::entity::TableId;
use crate::store::rows::shape::Shape;
use crate::store::table::Table;
use std::iter::Zip;
use std::marker::PhantomData;

/// The first positions of a tuple go to its first member, and so on.
macro_rules! tuples {
    ($first:ident . $first_at:tt $(, $member:ident . $at:tt)*) => {
        impl<$first: Items $(, $member: Items)*> Items for ($first, $($member,)*) {}
        impl<$first: SharedItems $(, $member: SharedItems)*> SharedItems for ($first, $($member,)*) {}

        impl<$first, $($member,)*> Flatten<tuples!(@nested [$first] $($member)*)>
            for Arity<{ 1 $(+ tuples!(@one $member))* }>
        {
            type Tuple = ($first, $($member,)*);

            #[inline(always)]
            #[allow(non_snake_case, reason = "a value is named after its type")]
            fn flat(tuples!(@nested [$first] $($member)*): tuples!(@nested [$first] $($member)*)) -> Self::Tuple {
                ($first, $($member,)*)
            }
        }

        #[allow(unused_assignments, reason = "the last member has none after it")]
        #[allow(non_snake_case, reason = "a member's value is named after its type")]
        impl<$first: Pattern $(, $member: Pattern)*> Pattern for ($first, $($member,)*) {
            type Shared = ($first::Shared, $($member::Shared,)*);
            type Guards<'w> = ($first::Guards<'w>, $($member::Guards<'w>,)*);
            type Marks<'w> = ($first::Marks<'w>, $($member::Marks<'w>,)*);
            type Walk<'s> = ($first::Walk<'s>, $($member::Walk<'s>,)*);
            type Slices<'s> = ($first::Slices<'s>, $($member::Slices<'s>,)*);
            type Item<'s> = ($first::Item<'s>, $($member::Item<'s>,)*);
            type Zip<'s> = Flat<
                tuples!(@zips [$first::Zip<'s>] $($member::Zip<'s>,)*),
                Arity<{ 1 $(+ tuples!(@one $member))* }>,
            >;
            const COLUMNS: usize = $first::COLUMNS $(+ $member::COLUMNS)*;

            fn declare(access: &mut Access) {
                $first::declare(access);
                $($member::declare(access);)*
            }

            fn register(types: &mut ComponentTypes) {
                $first::register(types);
                $($member::register(types);)*
            }

            fn describe(shape: &mut Shape) {
                $first::describe(shape);
                $($member::describe(shape);)*
            }

            fn matches(types: &ComponentTypes, table: &Table) -> bool {
                $first::matches(types, table) $(&& $member::matches(types, table))*
            }

            fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
                $first::positions(types, table, positions);
                $($member::positions(types, table, positions);)*
            }

            fn hold<'w>(sources: &Sources<'w, '_>) -> Self::Guards<'w> {
                ($first::hold(sources), $($member::hold(sources),)*)
            }

            fn marks<'w>(types: &'w ComponentTypes) -> Self::Marks<'w> {
                ($first::marks(types), $($member::marks(types),)*)
            }

            #[inline(always)]
            fn has_marks(marks: &Self::Marks<'_>) -> bool {
                $first::has_marks(&marks.$first_at) $(|| $member::has_marks(&marks.$at))*
            }

            #[inline(always)]
            fn mark_table(marks: &Self::Marks<'_>, positions: &[u32], tick: u64) {
                let mut rest = positions;
                $first::mark_table(&marks.$first_at, take(&mut rest, $first::COLUMNS), tick);
                $($member::mark_table(&marks.$at, take(&mut rest, $member::COLUMNS), tick);)*
            }

            #[inline(always)]
            fn mark_row(marks: &Self::Marks<'_>, positions: &[u32], row: u32, tick: u64) {
                let mut rest = positions;
                $first::mark_row(&marks.$first_at, take(&mut rest, $first::COLUMNS), row, tick);
                $($member::mark_row(&marks.$at, take(&mut rest, $member::COLUMNS), row, tick);)*
            }

            fn mark_rows(marks: &Self::Marks<'_>, positions: &[u32], rows: std::ops::Range<usize>, tick: u64) {
                let mut rest = positions;
                $first::mark_rows(&marks.$first_at, take(&mut rest, $first::COLUMNS), rows.clone(), tick);
                $($member::mark_rows(&marks.$at, take(&mut rest, $member::COLUMNS), rows.clone(), tick);)*
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
            fn cut<'s>(
                walk: &mut Self::Walk<'s>,
                table: TableId,
                positions: &[u32],
                rows: usize,
            ) -> Self::Slices<'s>
            where
                's: 's,
            {
                let mut rest = positions;
                (
                    $first::cut(&mut walk.$first_at, table, take(&mut rest, $first::COLUMNS), rows),
                    $($member::cut(&mut walk.$at, table, take(&mut rest, $member::COLUMNS), rows),)*
                )
            }

            #[inline(always)]
            fn split<'s>(slices: Self::Slices<'s>, at: usize) -> (Self::Slices<'s>, Self::Slices<'s>)
            where
                's: 's,
            {
                let $first = $first::split(slices.$first_at, at);
                $(let $member = $member::split(slices.$at, at);)*
                (($first.0, $($member.0,)*), ($first.1, $($member.1,)*))
            }

            #[inline(always)]
            fn zip<'s>(slices: Self::Slices<'s>) -> Self::Zip<'s>
            where
                's: 's,
            {
                let zipped = $first::zip(slices.$first_at);
                $(let zipped = zipped.zip($member::zip(slices.$at));)*
                Flat(zipped, PhantomData)
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
    (@one $member:ident) => { 1 };
    // a, b, c -> Zip<Zip<a, b>, c>
    (@zips [$sofar:ty]) => { $sofar };
    (@zips [$sofar:ty] $next:ty, $($more:ty,)*) => {
        tuples!(@zips [Zip<$sofar, $next>] $($more,)*)
    };
    // a b c -> ((a, b), c), as nested zips yield them.
    (@nested [$sofar:tt]) => { $sofar };
    (@nested [$sofar:tt] $next:ident $($more:ident)*) => {
        tuples!(@nested [($sofar, $next)] $($more)*)
    };
}

/// A number of members.
#[derive(Debug)]
pub struct Arity<const MEMBERS: usize>;

/// Makes the tuples of nested zips flat: ((a, b), c) becomes (a, b, c).
pub trait Flatten<Nested> {
    /// The flat tuple.
    type Tuple;

    /// Makes one flat.
    fn flat(nested: Nested) -> Self::Tuple;
}

/// Flat tuples out of nested zips.
#[derive(Debug)]
pub struct Flat<I, A>(I, PhantomData<fn() -> A>);

impl<I: Iterator, A: Flatten<I::Item>> Iterator for Flat<I, A> {
    type Item = A::Tuple;

    #[inline(always)]
    fn next(&mut self) -> Option<Self::Item> {
        self.0.next().map(A::flat)
    }

    #[inline]
    fn size_hint(&self) -> (usize, Option<usize>) {
        self.0.size_hint()
    }

    #[inline(always)]
    fn fold<B, F: FnMut(B, Self::Item) -> B>(self, init: B, mut f: F) -> B {
        self.0
            .fold(init, |folded, nested| f(folded, A::flat(nested)))
    }
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

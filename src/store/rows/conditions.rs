//! Which entities have a row.

use super::items::position;
use super::shape::Shape;
use crate::store::access::{Access, ResourceKind};
use crate::store::changes::{Changes, Kept};
use crate::store::column::NO_COLUMN;
use crate::store::component::{Component, ComponentTypes};
use crate::store::entity::TableId;
use crate::store::table::Table;
use atomic_refcell::{AtomicRef, AtomicRefCell};
use std::fmt;
use std::marker::PhantomData;

/// A condition that selects among the entities with all items: [`Having`], [`Lacking`], [`Written`], [`Attached`], a tuple of up
/// to eight conditions, all of which must hold, or [`AnyOf`] such a tuple. `()` holds for every entity.
///
/// # Example
///
/// ```
/// use gerust::{Having, Lacking, World};
///
/// struct Reefer;
/// struct Sealed;
///
/// let mut world = World::new();
/// world.spawn((1_u8, Reefer));
/// world.spawn((2_u8, Reefer, Sealed));
/// let open = world.rows_where::<&u8, (Having<Reefer>, Lacking<Sealed>)>();
/// assert_eq!(open.iter().copied().collect::<Vec<_>>(), [1]);
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a condition on rows",
    note = "a condition is `Having<T>`, `Lacking<T>`, `Written<T>`, `Attached<T>`, a tuple of these, or `AnyOf` a tuple"
)]
pub trait Conditions: Condition {}

/// How a condition is checked. Positions are as for [`Pattern`](super::items::Pattern).
pub trait Condition {
    /// Whether rows of one table can differ, so that each has to be asked.
    const BY_ROW: bool;
    /// How many positions the condition needs of a table.
    const COLUMNS: usize;
    /// Guards held while rows are asked.
    type Held<'w>;

    fn declare(access: &mut Access);
    fn register(types: &mut ComponentTypes, tick: u64);
    fn describe(shape: &mut Shape);
    fn accepts(types: &ComponentTypes, table: &Table) -> bool;
    fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>);
    fn hold<'w>(types: &'w ComponentTypes) -> Self::Held<'w>;
    fn holds(held: &Self::Held<'_>, positions: &[u32], row: usize, since: u64) -> bool;
}

/// Holds for entities that have a `T`, which is not itself read.
///
/// # Example
///
/// ```
/// use gerust::{Having, World};
///
/// struct Reefer;
///
/// let mut world = World::new();
/// world.spawn((1_u8,));
/// world.spawn((2_u8, Reefer));
/// assert_eq!(world.rows_where::<&u8, Having<Reefer>>().count(), 1);
/// ```
pub struct Having<T>(PhantomData<fn() -> T>);

impl<T> fmt::Debug for Having<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Having")
    }
}

/// Holds for entities that have no `T`.
///
/// # Example
///
/// ```
/// use gerust::{Lacking, World};
///
/// struct Reefer;
///
/// let mut world = World::new();
/// world.spawn((1_u8,));
/// world.spawn((2_u8, Reefer));
/// world.spawn((3_u8, Reefer));
/// assert_eq!(world.rows_where::<&u8, Lacking<Reefer>>().count(), 1);
/// ```
pub struct Lacking<T>(PhantomData<fn() -> T>);

impl<T> fmt::Debug for Lacking<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Lacking")
    }
}

/// Holds for entities whose `T` was written since this system last ran, or attached.
///
/// A `T` counts as written when it was handed out as `&mut T`, whether or not anything was done with it: a walk with
/// `iter_mut` or `each` writes all its rows, even if it is broken off; `get_mut` writes one row. A system that was
/// switched off sees all changes of that time when it returns. What the system writes itself does not count. In its first
/// run a system sees every row. A run that fails, because the system panics or another of its claims cannot be granted, does
/// not count as one: the next run sees its changes again.
///
/// The first system that asks makes the world keep ticks for the type: 16 bytes for each row, and about 5 % of a walk
/// that writes it. Types that no system asks about cost nothing. Outside of systems, where there is no last run, every row
/// counts as written.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Load(f32);
/// struct Repainted(usize);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Repainted(0));
/// let trucks = runtime.world_mut().spawn_many((0..5_u8).map(|i| (Load(f32::from(i)),)));
/// runtime.add_system(
///     System::named("repaint")
///         .takes::<(Rows<&Load, Written<Load>>, GlobalMut<Repainted>)>()
///         .runs(|(loads, mut repainted)| repainted.0 += loads.iter().count()),
/// )?;
/// runtime.run_frames(1)?;
/// assert_eq!(runtime.world().global::<Repainted>()?.0, 5, "all were attached before");
/// runtime.run_frames(1)?;
/// runtime.world_mut().get_mut::<Load>(trucks[3])?.0 = 9.0;
/// runtime.run_frames(1)?;
/// assert_eq!(runtime.world().global::<Repainted>()?.0, 6);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Written<T>(PhantomData<fn() -> T>);

impl<T> fmt::Debug for Written<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Written")
    }
}

/// Holds for entities whose `T` was attached since this system last ran. Replacing a value does not count.
///
/// It costs what [`Written`] costs.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Gull;
/// struct Counted(usize);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Counted(0));
/// runtime.add_system(
///     System::named("count newcomers")
///         .takes::<(Rows<Entity, Attached<Gull>>, GlobalMut<Counted>)>()
///         .runs(|(gulls, mut counted)| counted.0 += gulls.iter().count()),
/// )?;
/// for frame in 1..=3 {
///     runtime.world_mut().spawn((Gull,));
///     runtime.run_frames(1)?;
///     assert_eq!(runtime.world().global::<Counted>()?.0, frame);
/// }
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Attached<T>(PhantomData<fn() -> T>);

impl<T> fmt::Debug for Attached<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Attached")
    }
}

/// Holds for entities for which at least one of a tuple of conditions holds.
///
/// # Example
///
/// ```
/// use gerust::{AnyOf, Having, World};
///
/// struct Reefer;
/// struct Tank;
///
/// let mut world = World::new();
/// world.spawn((1_u8,));
/// world.spawn((2_u8, Reefer));
/// world.spawn((3_u8, Tank));
/// world.spawn((4_u8, Tank, Reefer));
/// let special = world.rows_where::<&u8, AnyOf<(Having<Reefer>, Having<Tank>)>>();
/// assert_eq!(special.iter().copied().collect::<Vec<_>>(), [2, 3, 4]);
/// ```
pub struct AnyOf<C>(PhantomData<fn() -> C>);

impl<C> fmt::Debug for AnyOf<C> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("AnyOf")
    }
}

/// What conditions on whole tables have in common: they hold or not as the table has the type or not.
macro_rules! by_table {
    ($condition:ident, holds_with: $wanted:expr, describes: $describe:ident) => {
        impl<T: Component> Conditions for $condition<T> {}

        impl<T: Component> Condition for $condition<T> {
            const BY_ROW: bool = false;
            const COLUMNS: usize = 1;
            type Held<'w> = ();

            fn declare(_: &mut Access) {}

            fn register(types: &mut ComponentTypes, _: u64) {
                types.id_or_register::<T>();
            }

            fn describe(shape: &mut Shape) {
                shape.$describe::<T>();
            }

            fn accepts(types: &ComponentTypes, table: &Table) -> bool {
                types.table_has::<T>(table) == $wanted
            }

            fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
                positions.push(position::<T>(types, table));
            }

            fn hold(_: &ComponentTypes) {}

            #[inline(always)]
            fn holds((): &(), positions: &[u32], _: usize, _: u64) -> bool {
                (positions[0] != NO_COLUMN) == $wanted
            }
        }
    };
}

by_table!(Having, holds_with: true, describes: must_have);
by_table!(Lacking, holds_with: false, describes: must_lack);

/// What conditions on the ticks of a row have in common.
macro_rules! by_tick {
    ($condition:ident, $tick:ident) => {
        impl<T: Component> Conditions for $condition<T> {}

        impl<T: Component> Condition for $condition<T> {
            const BY_ROW: bool = true;
            const COLUMNS: usize = 1;
            /// `None` where no system has asked for ticks: then every row counts.
            type Held<'w> = Option<AtomicRef<'w, Changes>>;

            fn declare(access: &mut Access) {
                access.add_unless_known::<T>(ResourceKind::Component);
            }

            fn register(types: &mut ComponentTypes, tick: u64) {
                let id = types.id_or_register::<T>();
                let ticks = Kept {
                    ticks: true,
                    watched: true,
                    ..Kept::default()
                };
                types.keep(id, ticks, tick);
            }

            fn describe(shape: &mut Shape) {
                shape.must_have::<T>();
                shape.must_satisfy::<Self>();
            }

            fn accepts(types: &ComponentTypes, table: &Table) -> bool {
                types.table_has::<T>(table)
            }

            fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
                positions.push(position::<T>(types, table));
            }

            fn hold<'w>(types: &'w ComponentTypes) -> Self::Held<'w> {
                let known = types.get(types.id::<T>()?);
                let changes = known.changes.as_ref().map(AtomicRefCell::borrow);
                changes.filter(|changes| changes.keeps_ticks())
            }

            #[inline(always)]
            fn holds(held: &Self::Held<'_>, positions: &[u32], row: usize, since: u64) -> bool {
                if positions[0] == NO_COLUMN {
                    return false;
                }
                let ticks = held
                    .as_ref()
                    .and_then(|changes| changes.ticks(positions[0]));
                ticks.is_none_or(|ticks| ticks.$tick(row) > since)
            }
        }
    };
}

by_tick!(Written, written);
by_tick!(Attached, attached);

macro_rules! combined {
    ($($member:ident . $at:tt),*) => {
        impl<$($member: Conditions),*> Conditions for ($($member,)*) {}

        #[allow(unused_variables, reason = "no condition looks at nothing")]
        #[allow(unused_mut, unused_assignments, reason = "the last member has none after it")]
        #[allow(clippy::unused_unit, reason = "the empty tuple is a unit")]
        impl<$($member: Conditions),*> Condition for ($($member,)*) {
            const BY_ROW: bool = false $(|| $member::BY_ROW)*;
            const COLUMNS: usize = 0 $(+ $member::COLUMNS)*;
            type Held<'w> = ($($member::Held<'w>,)*);

            fn declare(access: &mut Access) {
                $($member::declare(access);)*
            }

            fn register(types: &mut ComponentTypes, tick: u64) {
                $($member::register(types, tick);)*
            }

            fn describe(shape: &mut Shape) {
                $($member::describe(shape);)*
            }

            fn accepts(types: &ComponentTypes, table: &Table) -> bool {
                true $(&& $member::accepts(types, table))*
            }

            fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
                $($member::positions(types, table, positions);)*
            }

            fn hold<'w>(types: &'w ComponentTypes) -> Self::Held<'w> {
                ($($member::hold(types),)*)
            }

            #[inline(always)]
            fn holds(held: &Self::Held<'_>, positions: &[u32], row: usize, since: u64) -> bool {
                let mut rest = positions;
                true $(&& $member::holds(&held.$at, take(&mut rest, $member::COLUMNS), row, since))*
            }
        }

        impl<$($member: Conditions),*> Conditions for AnyOf<($($member,)*)> {}

        #[allow(unused_variables, reason = "no condition looks at nothing")]
        #[allow(unused_mut, unused_assignments, reason = "the last member has none after it")]
        impl<$($member: Conditions),*> Condition for AnyOf<($($member,)*)> {
            const BY_ROW: bool = <($($member,)*) as Condition>::BY_ROW;
            const COLUMNS: usize = <($($member,)*) as Condition>::COLUMNS;
            type Held<'w> = <($($member,)*) as Condition>::Held<'w>;

            fn declare(access: &mut Access) {
                <($($member,)*) as Condition>::declare(access);
            }

            fn register(types: &mut ComponentTypes, tick: u64) {
                <($($member,)*) as Condition>::register(types, tick);
            }

            /// No type is sure: any one of the conditions is enough.
            fn describe(shape: &mut Shape) {
                shape.must_satisfy::<Self>();
            }

            fn accepts(types: &ComponentTypes, table: &Table) -> bool {
                false $(|| $member::accepts(types, table))*
            }

            fn positions(types: &ComponentTypes, table: TableId, positions: &mut Vec<u32>) {
                <($($member,)*) as Condition>::positions(types, table, positions);
            }

            fn hold<'w>(types: &'w ComponentTypes) -> Self::Held<'w> {
                <($($member,)*) as Condition>::hold(types)
            }

            #[inline(always)]
            fn holds(held: &Self::Held<'_>, positions: &[u32], row: usize, since: u64) -> bool {
                let mut rest = positions;
                false $(|| $member::holds(&held.$at, take(&mut rest, $member::COLUMNS), row, since))*
            }
        }
    };
}

/// Splits the first `count` positions off.
#[inline(always)]
fn take<'p>(rest: &mut &'p [u32], count: usize) -> &'p [u32] {
    let (mine, others) = rest.split_at(count);
    *rest = others;
    mine
}

combined!();
combined!(A.0);
combined!(A.0, B.1);
combined!(A.0, B.1, C.2);
combined!(A.0, B.1, C.2, D.3);
combined!(A.0, B.1, C.2, D.3, E.4);
combined!(A.0, B.1, C.2, D.3, E.4, F.5);
combined!(A.0, B.1, C.2, D.3, E.4, F.5, G.6);
combined!(A.0, B.1, C.2, D.3, E.4, F.5, G.6, H.7);

//! Which entities have a row.

use crate::store::component::{Component, ComponentTypes};
use crate::store::table::Table;
use std::marker::PhantomData;

/// What must hold for an entity besides having the items: [`Having`], [`Lacking`], or a tuple of up to eight
/// conditions, all of which must hold. `()` holds for every entity.
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
    note = "a condition is `Having<T>`, `Lacking<T>` or a tuple of these"
)]
pub trait Conditions: Condition {}

/// How a condition is checked: once per table, never per row.
pub trait Condition {
    fn accepts(types: &ComponentTypes, table: &Table) -> bool;
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

impl<T: Component> Conditions for Having<T> {}

impl<T: Component> Condition for Having<T> {
    fn accepts(types: &ComponentTypes, table: &Table) -> bool {
        types.table_has::<T>(table)
    }
}

impl<T: Component> Conditions for Lacking<T> {}

impl<T: Component> Condition for Lacking<T> {
    fn accepts(types: &ComponentTypes, table: &Table) -> bool {
        !types.table_has::<T>(table)
    }
}

macro_rules! all_of {
    ($($member:ident),*) => {
        impl<$($member: Conditions),*> Conditions for ($($member,)*) {}

        #[allow(unused_variables, reason = "no condition looks at nothing")]
        impl<$($member: Conditions),*> Condition for ($($member,)*) {
            fn accepts(types: &ComponentTypes, table: &Table) -> bool {
                true $(&& $member::accepts(types, table))*
            }
        }
    };
}

all_of!();
all_of!(A);
all_of!(A, B);
all_of!(A, B, C);
all_of!(A, B, C, D);
all_of!(A, B, C, D, E);
all_of!(A, B, C, D, E, F);
all_of!(A, B, C, D, E, F, G);
all_of!(A, B, C, D, E, F, G, H);

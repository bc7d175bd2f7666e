//! Tuples of components, as they are passed to `spawn`.

use super::component::{Companion, Component, ComponentId, ComponentTypes};
use super::entity::TableId;
use super::table::{Tables, complete_with_companions};
use rustc_hash::FxHashMap;
use std::any::TypeId;
use std::fmt;

/// Several components at once: a tuple of one to twelve different component types.
///
/// A single component is a tuple of one, `(Moored,)`.
///
/// # Example
///
/// ```
/// use gerust::World;
///
/// struct Tonnes(f32);
/// struct Reefer;
///
/// let mut world = World::new();
/// let plain = world.spawn((Tonnes(20.0),));
/// let cooled = world.spawn((Tonnes(24.0), Reefer));
/// assert!(!world.has::<Reefer>(plain) && world.has::<Reefer>(cooled));
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a set of components",
    note = "pass a tuple of one to twelve components; a single component is a tuple of one: `(component,)`"
)]
pub trait Components: ComponentSet {}

/// How a tuple reaches the columns.
pub trait ComponentSet: Send + Sync + 'static {
    /// The ids of the members, in the order of the tuple.
    fn ids(types: &mut ComponentTypes) -> Vec<ComponentId>;
    /// Pushes each member to its column of the table.
    fn push(self, types: &mut ComponentTypes, plan: &ComponentSetPlan, tick: u64);
    /// Pushes the members of many to their columns, calling `pushed` after each. None of the types may have companions
    /// or ticks.
    fn push_all(
        types: &ComponentTypes,
        table: TableId,
        many: impl Iterator<Item = Self>,
        pushed: impl FnMut(),
    );
}

macro_rules! tuples {
    ($($member:ident . $at:tt),+) => {
        impl<$($member: Component),+> Components for ($($member,)+) {}

        impl<$($member: Component),+> ComponentSet for ($($member,)+) {
            fn ids(types: &mut ComponentTypes) -> Vec<ComponentId> {
                vec![$(types.id_or_register::<$member>()),+]
            }

            #[inline]
            fn push(self, types: &mut ComponentTypes, plan: &ComponentSetPlan, tick: u64) {
                $(types.push_at::<$member>(plan.columns[$at], plan.table, self.$at, tick);)+
            }

            #[allow(non_snake_case, reason = "a member's column is named after its type")]
            fn push_all(
                types: &ComponentTypes,
                table: TableId,
                many: impl Iterator<Item = Self>,
                mut pushed: impl FnMut(),
            ) {
                $(
                    let (mut $member, position) = types.borrow_column::<$member>(table);
                    let $member = $member.at_mut(position);
                    $member.reserve(many.size_hint().0);
                )+
                for one in many {
                    $($member.push(one.$at);)+
                    pushed();
                }
            }
        }
    };
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

/// Where the members of one tuple type go; computed once per type.
pub struct ComponentSetPlan {
    pub(crate) table: TableId,
    /// For each member its type, and the position of the table's column.
    columns: Box<[(ComponentId, u32)]>,
    pub(crate) companions: Box<[Companion]>,
}

impl fmt::Debug for ComponentSetPlan {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("ComponentSetPlan").finish_non_exhaustive()
    }
}

impl ComponentSetPlan {
    /// Whether changes of any of the types are noted.
    pub(crate) fn notes_changes(&self, types: &ComponentTypes) -> bool {
        let mut columns = self.columns.iter();
        columns.any(|&(id, _)| types.get(id).changes.is_some())
    }

    pub(crate) fn new<B: ComponentSet>(types: &mut ComponentTypes, tables: &mut Tables) -> Self {
        let ids = B::ids(types);
        for (position, id) in ids.iter().enumerate() {
            assert!(
                !ids[..position].contains(id),
                "an entity has each component once, but the tuple names `{}` twice",
                types.get(*id).name
            );
        }
        let mut components = ids.clone();
        let companions = complete_with_companions(types, &mut components);
        let table = tables.find_or_create(types, components);
        let column_of = |id: &ComponentId| {
            let position = types.get(*id).position(table);
            (*id, position.expect("the table was made for these types"))
        };
        Self {
            table,
            columns: ids.iter().map(column_of).collect(),
            companions: companions.into_boxed_slice(),
        }
    }
}

/// The plans of all tuple types that have been spawned.
#[derive(Default)]
pub(crate) struct ComponentSetPlans {
    plans: Vec<ComponentSetPlan>,
    plan_of: FxHashMap<TypeId, usize>,
    /// The plan that was asked for last: mostly one type is spawned many times in a row.
    last: Option<(TypeId, usize)>,
}

impl ComponentSetPlans {
    #[inline(always)]
    pub(crate) fn of<B: ComponentSet>(
        &mut self,
        types: &mut ComponentTypes,
        tables: &mut Tables,
    ) -> &ComponentSetPlan {
        let id = TypeId::of::<B>();
        let at = match self.last {
            Some((last, at)) if last == id => at,
            _ => self.find_or_make::<B>(types, tables),
        };
        &self.plans[at]
    }

    #[cold]
    fn find_or_make<B: ComponentSet>(
        &mut self,
        types: &mut ComponentTypes,
        tables: &mut Tables,
    ) -> usize {
        let id = TypeId::of::<B>();
        let at = *self.plan_of.entry(id).or_insert_with(|| {
            self.plans.push(ComponentSetPlan::new::<B>(types, tables));
            self.plans.len() - 1
        });
        self.last = Some((id, at));
        at
    }

    /// Forgets all plans, because what a type brings along has changed.
    pub(crate) fn clear(&mut self) {
        *self = Self::default();
    }
}

//! Claims: the parameters of systems, and how the world grants them.

use super::access::{Access, ResourceKind};
use super::component::Component;
use super::entity::{Entity, Lane};
use super::globals::{Global, GlobalMut};
use super::rows::{Conditions, Items, Rows, RowsState, Shape};
use super::world::World;
use crate::error::Error;
use std::fmt;

/// A type that a system can take: [`Rows`], [`Global`], [`GlobalMut`], [`Edits`](crate::Edits), [`Inbox`](crate::Inbox),
/// [`Outbox`](crate::Outbox), [`Lost`](crate::Lost), or a tuple of up to eight of these.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Fuel(f32);
/// struct Dry;
///
/// let mut runtime = Runtime::new();
/// let truck = runtime.world_mut().spawn((Fuel(0.0),));
/// runtime.add_system(
///     System::named("mark the dry")
///         .takes::<(Rows<(Entity, &Fuel), Lacking<Dry>>, Edits)>()
///         .runs(|(trucks, mut edits)| {
///             for (truck, fuel) in trucks.iter() {
///                 if fuel.0 <= 0.0 {
///                     edits.attach(truck, Dry);
///                 }
///             }
///         }),
/// )?;
/// runtime.run_frames(1)?;
/// assert!(runtime.world().has::<Dry>(truck));
/// # Ok::<(), gerust::Error>(())
/// ```
#[diagnostic::on_unimplemented(
    message = "a system cannot take `{Self}`",
    note = "a system takes `Rows<items, conditions>`, `Global<T>`, `GlobalMut<T>`, `Edits`, `Inbox<E>`, `Outbox<E>`, `Lost<T>`, or a tuple of up to eight of these"
)]
pub trait Claim: Grant {}

/// How a claim is granted.
pub trait Grant {
    /// State that a system keeps between runs.
    type State: Send + 'static;
    /// What the system's closure receives.
    type Granted<'w>;
    /// How many lanes of reserved ids the claim needs.
    const LANES: u32 = 0;

    fn declare(access: &mut Access);
    /// Called once, when the system is added, for each claim in the order in which they were declared.
    fn prepare(preparation: &mut Preparation<'_>) -> Self::State;
    fn grant<'w>(state: &'w mut Self::State, world: &'w World) -> Result<Self::Granted<'w>, Error>;

    /// Notes that a run with what was granted has succeeded.
    fn confirm(_: &mut Self::State) {}
    /// Gives each claim that reserves ids a lane of its own; called before every phase.
    fn enter_lane(_: &mut Self::State, _: &mut ReservedIds) {}
    /// Says how many ids were reserved.
    fn report_reserved(_: &Self::State, _: &mut ReservedIds) {}
    /// Carries out what was recorded.
    fn apply(_: &mut Self::State, _: &mut World) {}
    /// Forgets what was recorded.
    fn discard(_: &mut Self::State) {}
    /// Notes for each claim of rows whether it has ever had a row.
    fn note_rows(_: &Self::State, _: &mut Vec<bool>) {}
    /// Visits, for each claim of rows that asks what has changed, the tick of its last run; 0 if there was none.
    fn visit_runs(_: &mut Self::State, _: &mut dyn FnMut(&mut u64)) {}
}

/// What claims get ready with.
pub struct Preparation<'p> {
    pub(crate) world: &'p mut World,
    /// What all claims together have declared.
    access: &'p Access,
    /// The name of the system.
    #[cfg_attr(
        not(feature = "chance"),
        allow(dead_code, reason = "streams ask for it")
    )]
    pub(crate) system: &'p str,
    rows_claims: usize,
}

impl fmt::Debug for Preparation<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Preparation").finish_non_exhaustive()
    }
}

impl<'p> Preparation<'p> {
    pub(crate) fn new(world: &'p mut World, access: &'p Access, system: &'p str) -> Self {
        Self {
            world,
            access,
            system,
            rows_claims: 0,
        }
    }
}

/// The lanes of one phase and how many ids each has reserved.
#[derive(Default, Debug)]
pub struct ReservedIds {
    lanes: Vec<Lane>,
    keys: Vec<u32>,
    used: Vec<(Lane, u32)>,
}

impl ReservedIds {
    /// Prepares a phase with a lane for each key; see [`Entities::share_out`](super::entity::Entities::share_out).
    pub(crate) fn restart(&mut self, world: &World, keys: impl Iterator<Item = u32>) {
        self.keys.clear();
        self.keys.extend(keys);
        self.used.clear();
        let keys = self.keys.iter().copied();
        world.entities.share_out(keys, &mut self.lanes);
    }

    /// Prepares a single call, whose ids say nothing about those that a system will reserve.
    pub(crate) fn restart_once(&mut self, world: &World, lanes: u32) {
        self.keys.clear();
        self.used.clear();
        if lanes > 0 {
            world.entities.share_out(0..lanes, &mut self.lanes);
        }
    }

    pub(crate) fn next_lane(&mut self) -> Lane {
        let lane = self.lanes[self.used.len()];
        self.used.push((lane, 0));
        lane
    }

    pub(crate) fn report(&mut self, lane: Lane, count: u32) {
        self.used[lane.number as usize].1 = count;
    }

    /// Takes the reserved ids out of the sequence, whether or not entities will live under them.
    pub(crate) fn commit(&self, world: &mut World) {
        let entities = &mut world.entities;
        if self.used.iter().any(|&(_, count)| count > 0) {
            entities.commit(&self.used);
        }
        for (&key, &(_, count)) in self.keys.iter().zip(&self.used) {
            entities.remember(key, count);
        }
    }

    /// Takes the reserved ids out of the sequence for ever: a system may have stored them, so they must never come to
    /// mean another entity.
    pub(crate) fn burn(&self, world: &mut World) {
        let reserved: Vec<Entity> = self
            .used
            .iter()
            .flat_map(|&(lane, count)| (0..count).map(move |i| (lane, i)))
            .map(|(lane, i)| world.entities.reserved(lane, i))
            .collect();
        self.commit(world);
        for entity in reserved {
            world.entities.burn(entity);
        }
    }
}

impl<I: Items, C: Conditions> Claim for Rows<'_, I, C> {}

impl<I: Items, C: Conditions> Grant for Rows<'_, I, C> {
    type State = RowsState;
    type Granted<'w> = Rows<'w, I, C>;

    fn declare(access: &mut Access) {
        let mut inner = Access::default();
        I::declare(&mut inner);
        C::declare(&mut inner);
        let mut shape = Shape::default();
        I::describe(&mut shape);
        C::describe(&mut shape);
        access.add_rows(shape, inner, std::any::type_name::<Self>());
    }

    fn prepare(preparation: &mut Preparation<'_>) -> RowsState {
        let world = &mut *preparation.world;
        I::register(&mut world.types);
        let tick = world.tick_outside();
        C::register(&mut world.types, tick);
        let number = preparation.rows_claims;
        preparation.rows_claims += 1;
        RowsState::new(preparation.access.shared_out(number))
    }

    fn grant<'w>(state: &'w mut RowsState, world: &'w World) -> Result<Rows<'w, I, C>, Error> {
        Ok(Rows::for_system(world, state))
    }

    fn confirm(state: &mut RowsState) {
        state.confirm();
    }

    fn note_rows(state: &RowsState, rows: &mut Vec<bool>) {
        rows.push(state.has_met());
    }

    fn visit_runs(state: &mut RowsState, visit: &mut dyn FnMut(&mut u64)) {
        if C::BY_ROW {
            visit(state.last_run_mut());
        }
    }
}

impl<T: Component> Claim for Global<'_, T> {}

impl<T: Component> Grant for Global<'_, T> {
    type State = ();
    type Granted<'w> = Global<'w, T>;

    fn declare(access: &mut Access) {
        access.add::<T>(ResourceKind::Global, false);
    }

    fn prepare(_: &mut Preparation<'_>) {}

    fn grant<'w>((): &'w mut (), world: &'w World) -> Result<Global<'w, T>, Error> {
        world.global()
    }
}

impl<T: Component> Claim for GlobalMut<'_, T> {}

impl<T: Component> Grant for GlobalMut<'_, T> {
    type State = ();
    type Granted<'w> = GlobalMut<'w, T>;

    fn declare(access: &mut Access) {
        access.add::<T>(ResourceKind::Global, true);
    }

    fn prepare(_: &mut Preparation<'_>) {}

    fn grant<'w>((): &'w mut (), world: &'w World) -> Result<GlobalMut<'w, T>, Error> {
        Ok(GlobalMut(world.globals.cell::<T>()?.borrow_mut()))
    }
}

macro_rules! tuples {
    ($($member:ident . $at:tt),*) => {
        impl<$($member: Claim),*> Claim for ($($member,)*) {}

        #[allow(unused_variables, reason = "the empty tuple takes nothing")]
        #[allow(clippy::unused_unit, reason = "the empty tuple is a unit")]
        impl<$($member: Claim),*> Grant for ($($member,)*) {
            type State = ($($member::State,)*);
            type Granted<'w> = ($($member::Granted<'w>,)*);
            const LANES: u32 = 0 $(+ $member::LANES)*;

            fn declare(access: &mut Access) {
                $($member::declare(access);)*
            }

            fn prepare(preparation: &mut Preparation<'_>) -> Self::State {
                ($($member::prepare(preparation),)*)
            }

            fn grant<'w>(
                state: &'w mut Self::State,
                world: &'w World,
            ) -> Result<Self::Granted<'w>, Error> {
                Ok(($($member::grant(&mut state.$at, world)?,)*))
            }

            fn confirm(state: &mut Self::State) {
                $($member::confirm(&mut state.$at);)*
            }

            fn enter_lane(state: &mut Self::State, lanes: &mut ReservedIds) {
                $($member::enter_lane(&mut state.$at, lanes);)*
            }

            fn report_reserved(state: &Self::State, lanes: &mut ReservedIds) {
                $($member::report_reserved(&state.$at, lanes);)*
            }

            fn apply(state: &mut Self::State, world: &mut World) {
                $($member::apply(&mut state.$at, world);)*
            }

            fn discard(state: &mut Self::State) {
                $($member::discard(&mut state.$at);)*
            }

            fn note_rows(state: &Self::State, rows: &mut Vec<bool>) {
                $($member::note_rows(&state.$at, rows);)*
            }

            fn visit_runs(state: &mut Self::State, visit: &mut dyn FnMut(&mut u64)) {
                $($member::visit_runs(&mut state.$at, visit);)*
            }
        }
    };
}

tuples!();
tuples!(A.0);
tuples!(A.0, B.1);
tuples!(A.0, B.1, C.2);
tuples!(A.0, B.1, C.2, D.3);
tuples!(A.0, B.1, C.2, D.3, E.4);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5, G.6);
tuples!(A.0, B.1, C.2, D.3, E.4, F.5, G.6, H.7);

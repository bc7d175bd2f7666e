//! Claims outside of a schedule.

use super::World;
use crate::error::Error;
use crate::panics::Panics;
use crate::store::access::Access;
use crate::store::claim::{Claim, Preparation, ReservedIds};
use crate::store::component::short_name;
use std::any::type_name;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};

impl World {
    /// Calls a function once with what it claims, carries out the edits that it records, and returns its result: to test a
    /// system, or to run one step of it, without a schedule.
    ///
    /// The call is like the first run of a system: [`Written`](crate::Written) and [`Attached`](crate::Attached) hold for every row, and
    /// an [`Inbox`](crate::Inbox) has the events posted since the latest frame began.
    ///
    /// # Errors
    ///
    /// If the claims exclude each other, or if the world lacks a global that is claimed. The function is then not called.
    ///
    /// # Panics
    ///
    /// If the function panics. Its edits and events are discarded.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Fuel(f32);
    /// struct Dry;
    ///
    /// claims! { type Gauge = (Rows<(Entity, &mut Fuel)>, Edits); }
    ///
    /// fn burn((mut trucks, mut edits): Gauge<'_>) -> usize {
    ///     for (truck, fuel) in &mut trucks {
    ///         fuel.0 -= 1.0;
    ///         if fuel.0 <= 0.0 {
    ///             edits.attach(truck, Dry);
    ///         }
    ///     }
    ///     trucks.iter().count()
    /// }
    ///
    /// let mut world = World::new();
    /// let truck = world.spawn((Fuel(0.5),));
    /// world.spawn((Fuel(3.0),));
    /// assert_eq!(world.grant::<Gauge, _>(burn)?, 2);
    /// assert!(world.has::<Dry>(truck));
    /// # Ok::<(), Error>(())
    /// ```
    pub fn grant<C: Claim + 'static, R>(
        &mut self,
        function: impl for<'w> FnOnce(C::Granted<'w>) -> R,
    ) -> Result<R, Error> {
        let name = name_of(&function);
        let mut access = Access::default();
        C::declare(&mut access);
        if let Some(refusal) = access.refusal(name) {
            return Err(refusal);
        }
        if C::LANES > 1 {
            return Err(Access::edits_twice(name));
        }
        let mut state = C::prepare(&mut Preparation::new(self, &access, name));
        let mut reserved = ReservedIds::default();
        reserved.restart_once(self, C::LANES);
        C::enter_lane(&mut state, &mut reserved);
        self.phase += 1;
        let called = catch_unwind(AssertUnwindSafe(|| {
            C::grant(&mut state, self).map(function)
        }));
        C::report_reserved(&state, &mut reserved);
        match called {
            Ok(Ok(result)) => {
                C::confirm(&mut state);
                reserved.commit(self);
                C::apply(&mut state, self);
                Ok(result)
            }
            Ok(Err(error)) => Err(error),
            Err(panic) => {
                self.take_events_back(&mut Panics::default());
                reserved.burn(self);
                C::discard(&mut state);
                resume_unwind(panic)
            }
        }
    }
}

/// The name of a function, for errors.
fn name_of<F>(_: &F) -> &'static str {
    match short_name(type_name::<F>()) {
        "{{closure}}" => "closure",
        name => name,
    }
}

#[cfg(test)]
mod tests;

//! Which entities have lost a component.

use super::access::{Access, ResourceKind};
use super::claim::{Claim, Grant, Preparation};
use super::component::Component;
use super::entity::Entity;
use super::events::Inbox;
use super::world::World;
use crate::error::Error;
use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;
use std::sync::atomic::AtomicU64;

/// Posted when an entity has lost a `T`.
pub(crate) struct LostEvent<T> {
    entity: Entity,
    component: PhantomData<fn() -> T>,
}

impl<T> Clone for LostEvent<T> {
    fn clone(&self) -> Self {
        Self {
            entity: self.entity,
            component: PhantomData,
        }
    }
}

#[cfg(feature = "snapshot")]
impl<T> serde::Serialize for LostEvent<T> {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.entity.serialize(serializer)
    }
}

#[cfg(feature = "snapshot")]
impl<'de, T> serde::Deserialize<'de> for LostEvent<T> {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let entity = Entity::deserialize(deserializer)?;
        Ok(Self {
            entity,
            component: PhantomData,
        })
    }
}

/// The entities that have lost a `T`, by a detach or by their end; each system sees each loss exactly once.
///
/// The first system that asks makes the world note losses of the type from then on. The entity may have got another `T`
/// since, or have ended.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Load;
/// struct Unloaded(Vec<Entity>);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Unloaded(Vec::new()));
/// let truck = runtime.world_mut().spawn((Load,));
/// runtime.add_system(
///     System::named("note")
///         .takes::<(Lost<Load>, GlobalMut<Unloaded>)>()
///         .runs(|(mut lost, mut unloaded)| unloaded.0.extend(lost.take_unread())),
/// )?;
/// runtime.world_mut().detach::<Load>(truck)?;
/// runtime.run_frames(2)?;
/// assert_eq!(runtime.world().global::<Unloaded>()?.0, [truck]);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Lost<'w, T>(Inbox<'w, LostEvent<T>>);

impl<T: Component> fmt::Debug for Lost<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Lost")
            .field("len", &self.0.len())
            .finish_non_exhaustive()
    }
}

impl<T: Component> Lost<'_, T> {
    /// The losses that this system has not seen yet, oldest first. From now on they count as seen.
    pub fn take_unread(&mut self) -> impl Iterator<Item = Entity> {
        self.0.take_unread().map(|lost| lost.entity)
    }
}

fn tell_lost<T: Component>(world: &mut World, entity: Entity) {
    world.post(LostEvent::<T> {
        entity,
        component: PhantomData,
    });
}

impl<T: Component> Claim for Lost<'_, T> {}

impl<T: Component> Grant for Lost<'_, T> {
    type State = Arc<AtomicU64>;
    type Granted<'w> = Lost<'w, T>;

    fn declare(access: &mut Access) {
        access.add::<LostEvent<T>>(ResourceKind::Event, false);
    }

    fn prepare(preparation: &mut Preparation<'_>) -> Arc<AtomicU64> {
        let world = &mut *preparation.world;
        let id = world.types.id_or_register::<T>();
        world.types.get_mut(id).tell_lost = Some(tell_lost::<T>);
        world.any_lost = true;
        Inbox::<LostEvent<T>>::prepare(preparation)
    }

    fn grant<'w>(state: &'w mut Arc<AtomicU64>, world: &'w World) -> Result<Lost<'w, T>, Error> {
        Inbox::grant(state, world).map(Lost)
    }
}

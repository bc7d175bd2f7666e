//! Globals that are saved.

use super::registration::{Registration, is_own};
use super::{exact, write_value};
use crate::error::Error;
use crate::store::access::short_type;
use crate::store::component::Component;
use crate::store::moment::{Chunk, copied};
use crate::store::world::World;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::any::{Any, TypeId};

/// Puts a value that was read into a world.
pub(crate) type PutGlobal = Box<dyn FnOnce(&mut World)>;

/// The bytes of a value, or why it cannot be written.
type Written = Result<Vec<u8>, String>;

/// How a global of a registered type is written and read.
#[derive(Clone)]
pub(crate) struct RegisteredGlobal {
    pub(crate) of: Registration,
    /// `None` if the world has none.
    pub(crate) write: fn(&World) -> Option<Written>,
    /// The bytes of a copy.
    pub(crate) write_copy: fn(&(dyn Any + Send + Sync)) -> Written,
    pub(crate) read: fn(&[u8]) -> Result<PutGlobal, String>,
    /// A copy, in the place of an old one if there is one. `None` if the world has none.
    pub(crate) copy: fn(&World, Option<Chunk>) -> Option<Chunk>,
    pub(crate) put_copy: fn(&mut World, &(dyn Any + Send + Sync)),
    pub(crate) remove: fn(&mut World),
}

impl World {
    /// Gives a global type a name and lets [`Runtime::save`](crate::Runtime::save) and moments take it in. Registering it again under the same
    /// name changes nothing. The runtime has registered its own settings, such as `gravity` and `layers`.
    ///
    /// # Errors
    ///
    /// If another type has the name, or the type another name.
    ///
    /// # Example
    ///
    /// ```
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Tide(f32);
    ///
    /// let mut world = gerust::World::new();
    /// world.register_global::<Tide>("tide")?;
    /// world.register_global::<Tide>("tide")?;
    /// assert!(world.register_global::<Tide>("water").is_err());
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn register_global<T: Component + Clone + Serialize + DeserializeOwned>(
        &mut self,
        name: &str,
    ) -> Result<(), Error> {
        let known = self.registered_globals.iter().map(|known| &known.of);
        if let Some(of) = Registration::new::<T>(name, known)? {
            self.registered_globals.push(RegisteredGlobal {
                of,
                write: |world| Some(write_value(&*world.find_global::<T>()?)),
                write_copy: |copy| {
                    let value: Option<&T> = copy.downcast_ref();
                    write_value(value.expect("a copy is written as the type that it is of"))
                },
                read: |bytes| {
                    let value: T = exact::read(bytes)?;
                    Ok(Box::new(|world| drop(world.set_global(value))))
                },
                copy: |world, old| Some(copied(&*world.find_global::<T>()?, old)),
                put_copy: |world, value| {
                    if let Some(value) = value.downcast_ref::<T>() {
                        drop(world.set_global(value.clone()));
                    }
                },
                remove: |world| world.globals.remove::<T>(),
            });
        }
        Ok(())
    }

    /// Registers a global of the runtime's own, unless the user has registered it under another name.
    ///
    /// # Errors
    ///
    /// If another type has the name.
    pub(crate) fn register_global_unless_known<
        T: Component + Clone + Serialize + DeserializeOwned,
    >(
        &mut self,
        name: &str,
    ) -> Result<(), Error> {
        let mut known = self.registered_globals.iter();
        match known.any(|known| known.of.is_of(TypeId::of::<T>())) {
            true => Ok(()),
            false => self.register_global::<T>(name),
        }
    }

    /// The types of globals that are neither registered nor the runtime's own, in alphabetical order.
    pub(crate) fn unregistered_globals(&self) -> Vec<String> {
        let all = self.globals.types();
        let unknown = all.filter(|(id, name)| {
            let mut known = self.registered_globals.iter();
            !is_own(name) && known.all(|known| !known.of.is_of(*id))
        });
        let mut names: Vec<String> = unknown.map(|(_, name)| short_type(name)).collect();
        names.sort_unstable();
        names
    }
}

//! Values of component types whose shape has changed since they were saved.

use super::Registered;
use super::{Datum, json, write_value};
use crate::error::{Error, ErrorKind};
use crate::store::access::short_type;
use crate::store::component::{Component, ComponentId, short_name};
use crate::store::world::World;
use rustc_hash::FxHashSet;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::any::type_name;
use std::cmp::Ordering;
use std::sync::Arc;

type Upgrade = dyn Fn(u32, &[u8]) -> Result<Vec<u8>, String> + Send + Sync;

/// The version of the shape of a component type, and how values of earlier versions are read.
#[derive(Clone)]
pub(crate) struct Shape {
    pub(crate) version: u32,
    /// Turns the bytes of an earlier version into those of this one.
    upgrade: Arc<Upgrade>,
}

impl Shape {
    /// The bytes of a value that was saved with an earlier version.
    pub(crate) fn upgrade(&self, version: u32, bytes: &[u8]) -> Result<Vec<u8>, String> {
        (self.upgrade)(version, bytes)
    }
}

impl World {
    /// Sets the version of the shape of a registered component, for saved files: count it up when fields change in a way that `serde`
    /// cannot read. Default: 1. [`Runtime::load`](crate::Runtime::load) calls `upgrade` with the version and the value of each
    /// component that was saved with an earlier version.
    ///
    /// # Errors
    ///
    /// If `T` is not registered.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Datum, Error, Runtime};
    ///
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Load { kilograms: f64 }
    ///
    /// let mut runtime = Runtime::new();
    /// let world = runtime.world_mut();
    /// world.register_component::<Load>("load")?;
    /// // In version 1 it was a number of tonnes.
    /// world.set_component_version::<Load>(2, |_version, old| {
    ///     let tonnes: f64 = old.read()?;
    ///     Ok(Load { kilograms: tonnes * 1000.0 })
    /// })?;
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_component_version<T: Component + Serialize + DeserializeOwned>(
        &mut self,
        version: u32,
        upgrade: impl Fn(u32, &Datum) -> Result<T, Error> + Send + Sync + 'static,
    ) -> Result<(), Error> {
        let id = self.types.id_or_register::<T>();
        let Some(registered) = &mut self.types.get_mut(id).registered else {
            let name = short_name(type_name::<T>());
            return Err(Error::new(
                ErrorKind::InvalidArgument,
                format!(
                    "cannot set the version of `{name}`: it has no name; call `register_component` first"
                ),
            ));
        };
        registered.shape = Some(Shape {
            version,
            upgrade: Arc::new(move |version, bytes| {
                let old = Datum(json::of_bytes(bytes));
                let new = upgrade(version, &old).map_err(|error| error.to_string())?;
                write_value(&new)
            }),
        });
        Ok(())
    }
}

impl Registered {
    pub(crate) fn name_and_version(&self) -> (String, u32) {
        let version = self.shape.as_ref().map_or(1, |shape| shape.version);
        (self.name.to_string(), version)
    }
}

impl World {
    /// The names of all registered components with the versions of their shapes, by name.
    pub(crate) fn component_versions(&self) -> Vec<(String, u32)> {
        let registered = self
            .types
            .iter()
            .filter_map(|known| known.registered.as_ref());
        let mut versions: Vec<(String, u32)> =
            registered.map(Registered::name_and_version).collect();
        versions.sort_unstable();
        versions
    }

    /// The bytes of a saved component as its type has them now; `None` if they have not changed.
    pub(crate) fn upgraded(
        &self,
        name: &str,
        version: u32,
        bytes: &[u8],
    ) -> Result<Option<Vec<u8>>, String> {
        let mut registered = self
            .types
            .iter()
            .filter_map(|known| known.registered.as_ref());
        let known = registered.find(|known| &*known.name == name);
        let shape = known.and_then(|known| known.shape.as_ref());
        let present = shape.map_or(1, |shape| shape.version);
        match (version.cmp(&present), shape) {
            (Ordering::Less, Some(shape)) => shape.upgrade(version, bytes).map(Some),
            (Ordering::Greater, _) => Err(format!(
                "it was saved with version {version} of its shape, and this program knows version {present}"
            )),
            _ => Ok(None),
        }
    }

    /// The types of components that some entity has and that are not registered, in alphabetical order. Those that the runtime derives
    /// are left out.
    pub(crate) fn unregistered_components(&self) -> Vec<String> {
        let tables = self
            .tables
            .iter()
            .filter(|(_, table)| !table.entities.is_empty());
        let used: FxHashSet<ComponentId> = tables
            .flat_map(|(_, table)| table.components().iter().copied())
            .collect();
        let is_derived = |id: ComponentId| {
            let mut types = self.types.iter();
            types.any(|known| known.companions.iter().any(|companion| companion.id == id))
        };
        let unknown = used
            .into_iter()
            .filter(|&id| self.types.get(id).registered.is_none() && !is_derived(id));
        let mut names: Vec<String> = unknown
            .map(|id| short_type(self.types.get(id).name))
            .collect();
        names.sort_unstable();
        names
    }
}

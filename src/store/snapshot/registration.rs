//! Names of registered types.

use crate::error::{Error, Kind};
use crate::store::component::short_name;
use std::any::{TypeId, type_name};

/// A registered type and its name.
#[derive(Clone)]
pub(crate) struct Registration {
    pub(crate) name: String,
    id: TypeId,
    type_name: &'static str,
}

impl Registration {
    /// The registration of a type under a name, beside others of its kind; `None` if it is among them already.
    ///
    /// # Errors
    ///
    /// If another type has the name, or the type another name.
    pub(super) fn new<'k, T: 'static>(
        name: &str,
        known: impl Iterator<Item = &'k Self> + Clone,
    ) -> Result<Option<Self>, Error> {
        let id = TypeId::of::<T>();
        let mut all = known.clone();
        if let Some(taken) = all.find(|known| (known.name == name) != (known.id == id)) {
            return Err(Error::from(Kind::NameTaken {
                name: name.to_owned(),
                component: short_name(type_name::<T>()),
                taken: taken.name.clone(),
                by: short_name(taken.type_name),
            }));
        }
        let mut known = known;
        Ok(known.all(|known| known.id != id).then(|| Self {
            name: name.to_owned(),
            id,
            type_name: type_name::<T>(),
        }))
    }

    pub(super) fn is_of(&self, id: TypeId) -> bool {
        self.id == id
    }
}

/// Whether a type belongs to this crate.
pub(super) fn is_own(type_name: &str) -> bool {
    type_name.starts_with(concat!(env!("CARGO_CRATE_NAME"), "::"))
}

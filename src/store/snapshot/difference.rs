//! Where two snapshots differ.

use crate::store::entity::Entity;
use std::collections::BTreeMap;
use std::fmt;

/// The first place at which two snapshots differ.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Difference {
    pub(super) entity: Entity,
    pub(super) component: String,
}

impl Difference {
    /// The entity, the first by id.
    #[must_use]
    pub fn entity(&self) -> Entity {
        self.entity
    }

    /// The name of the component, the first by name; empty if only one of the two has the entity.
    #[must_use]
    pub fn component(&self) -> &str {
        &self.component
    }
}

impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.component.as_str() {
            "" => write!(f, "only one of the two has entity {}", self.entity),
            component => write!(f, "`{component}` of entity {} differs", self.entity),
        }
    }
}

/// The first key whose value is not in both maps alike.
pub(super) fn first_difference_of<K: Ord + Clone, V: PartialEq>(
    a: &BTreeMap<K, V>,
    b: &BTreeMap<K, V>,
) -> Option<K> {
    let differs = |one: &BTreeMap<K, V>, other: &BTreeMap<K, V>| {
        one.iter()
            .find(|(key, value)| other.get(key) != Some(value))
            .map(|(key, _)| key.clone())
    };
    match (differs(a, b), differs(b, a)) {
        (Some(a), Some(b)) => Some(a.min(b)),
        (a, b) => a.or(b),
    }
}

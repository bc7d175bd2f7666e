//! Names of entities.

use super::entity::Entity;
use super::world::World;
use crate::work;
use std::borrow::Borrow;
use std::fmt;
use std::sync::Arc;

/// What people call an entity. Messages and reports use it in place of the id.
///
/// Names need not differ, except within a scene file. Cloning is cheap: copies share the text.
///
/// # Example
///
/// ```
/// use gerust::{Name, World};
///
/// let mut world = World::new();
/// let truck = world.spawn((Name::new("truck-3"),));
/// assert_eq!(world.label(truck), "truck-3");
/// assert_eq!(world.find("truck-3"), Some(truck));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(into = "String", from = "String")
)]
pub struct Name(Arc<str>);

impl From<&str> for Name {
    fn from(text: &str) -> Self {
        Self(Arc::from(text))
    }
}

impl From<String> for Name {
    fn from(text: String) -> Self {
        Self(Arc::from(text))
    }
}

impl From<Name> for String {
    fn from(name: Name) -> Self {
        name.0.as_ref().to_owned()
    }
}

impl Name {
    /// A name with this text.
    #[must_use]
    pub fn new(text: &str) -> Self {
        Self(Arc::from(text))
    }

    /// The text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl Borrow<str> for Name {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl World {
    /// The label of an entity in a message: its [`Name`], or its id if it has none.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::World;
    ///
    /// let mut world = World::new();
    /// let gull = world.spawn(("no name",));
    /// assert_eq!(world.label(gull), "#0.1");
    /// ```
    #[must_use]
    pub fn label(&self, entity: Entity) -> String {
        // Asking first keeps a missing name from being reported by a message that needs the name.
        if !self.has::<Name>(entity) {
            return entity.to_string();
        }
        self.get::<Name>(entity)
            .map_or_else(|_| entity.to_string(), |name| name.to_string())
    }

    /// The first entity with this name, in table order. Looks at every name: O(named entities).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Name, World};
    ///
    /// let mut world = World::new();
    /// let pad = world.spawn((Name::new("pad-1"),));
    /// assert_eq!(world.find("pad-1"), Some(pad));
    /// assert_eq!(world.find("pad-9"), None);
    /// ```
    #[must_use]
    pub fn find(&self, name: &str) -> Option<Entity> {
        self.rows::<(Entity, &Name)>()
            .iter()
            .inspect(|_| work::step())
            .find(|(_, candidate)| candidate.as_str() == name)
            .map(|(entity, _)| entity)
    }
}

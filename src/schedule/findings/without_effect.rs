//! Components that nothing acts on.

use crate::store::Entity;
use std::fmt;

/// A component that has no effect, and why: something that it needs is missing. Its text form says it in a sentence.
///
/// [`Runtime::without_effect`](crate::Runtime::without_effect) lists them.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct WithoutEffect {
    pub(crate) component: &'static str,
    pub(crate) entity: Entity,
    pub(crate) label: String,
    pub(crate) count: usize,
    pub(crate) reason: String,
}

impl WithoutEffect {
    /// The component type, without its path.
    #[must_use]
    pub fn component(&self) -> &'static str {
        self.component
    }

    /// The first entity with such a component.
    #[must_use]
    pub fn entity(&self) -> Entity {
        self.entity
    }

    /// How many entities have one without effect for the same reason.
    #[must_use]
    pub fn count(&self) -> usize {
        self.count
    }

    /// The reason, with advice: it names the missing part.
    #[must_use]
    pub fn reason(&self) -> &str {
        &self.reason
    }
}

impl fmt::Display for WithoutEffect {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "`{}` of `{}`", self.component, self.label)?;
        match self.count {
            0 | 1 => {}
            2 => f.write_str(" and one other entity")?,
            several => write!(f, " and {} other entities", several - 1)?,
        }
        write!(f, " has no effect: {}", self.reason)
    }
}

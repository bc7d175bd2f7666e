//! One system before another, and why.

use crate::store::SharedUse;
use std::fmt;

/// One system before another, and why; its text form says it in a sentence. See [`Plan`](crate::Plan).
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Edge<'p> {
    pub(super) first: &'p str,
    pub(super) second: &'p str,
    pub(super) reason: Reason<'p>,
}

impl<'p> Edge<'p> {
    /// The system that runs first.
    #[must_use]
    pub fn first(&self) -> &'p str {
        self.first
    }

    /// The system that runs second.
    #[must_use]
    pub fn second(&self) -> &'p str {
        self.second
    }

    /// Why.
    #[must_use]
    pub fn reason(&self) -> &Reason<'p> {
        &self.reason
    }
}

impl fmt::Display for Edge<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.reason {
            Reason::Stated { by, word, target } => write!(f, "`{by}` states `{word} {target}`"),
            Reason::Clash {
                uses,
                registered_first,
            } => {
                for (number, shared) in uses.iter().enumerate() {
                    if number > 0 {
                        write!(f, "; ")?;
                    }
                    shared.describe(self.first, self.second, f)?;
                }
                match registered_first {
                    true => write!(f, "; registered first"),
                    false => write!(f, "; registered later, but ordered so through others"),
                }
            }
        }
    }
}

/// Why one system runs before another; see [`Edge`].
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub enum Reason<'p> {
    /// One of them states it.
    Stated {
        /// Which of the two.
        by: &'p str,
        /// `after` or `before`.
        word: &'static str,
        /// The name or label that is stated.
        target: &'p str,
    },
    /// They clash.
    Clash {
        /// On what.
        uses: Vec<SharedUse>,
        /// Whether the first was also registered first.
        registered_first: bool,
    },
}

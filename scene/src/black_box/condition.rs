//! Conditions that a black box asks after each frame.

use crate::action::About;
use crate::ask::Asked;
use crate::event_log::EventLog;
use crate::language::{self, Expression, Value};
use crate::read::ParameterValues;
use crate::registry::Registry;
use gerust::store::World;
use gerust::{Error, ErrorKind};

/// A condition, and what it has come to so far.
pub(super) struct Condition {
    pub(super) text: String,
    parsed: Expression,
    /// Whether it held in the frame before.
    holds: bool,
    /// Why it could not be answered in any frame so far.
    pub(super) problem: Option<String>,
    was_answered: bool,
}

impl Condition {
    /// # Errors
    ///
    /// If it cannot be read.
    pub(super) fn parse(text: &str) -> Result<Self, Error> {
        let parsed = language::parse(text).map_err(|problem| {
            let at = problem.span.start + 1;
            let (message, fix) = (problem.message, problem.fix);
            Error::new(
                ErrorKind::InvalidArgument,
                format!("the condition `{text}` of the black box cannot be read, column {at}: {message}; {fix}"),
            )
        })?;
        Ok(Self {
            text: text.to_owned(),
            parsed,
            holds: false,
            problem: None,
            was_answered: false,
        })
    }

    /// Returns whether it holds and did not in the frame before.
    pub(super) fn begins(&mut self, world: &World, registry: &Registry, log: &EventLog) -> bool {
        let asked = Asked {
            world,
            registry,
            parameters: &ParameterValues::default(),
            about: About::default(),
            log: Some(log),
        };
        let problem = match self.parsed.value(&asked) {
            Ok(Value::Truth(holds)) => {
                self.was_answered = true;
                self.problem = None;
                let held = std::mem::replace(&mut self.holds, holds);
                return holds && !held;
            }
            Ok(other) => format!(
                "it comes to {}, which is neither true nor false",
                other.shortened()
            ),
            Err(problem) => problem.message,
        };
        self.holds = false;
        if !self.was_answered {
            self.problem = Some(problem);
        }
        false
    }
}

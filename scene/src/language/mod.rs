//! The small language of scene files: sums, comparisons and calls over numbers, texts and names.
//!
//! A text is parsed into an [`Expression`], whose parts know where in the text they stand, and worked out with the values that
//! the names stand for. `docs/scene-language.md` has the grammar.

mod evaluate;
mod expectation;
mod parse;
mod print;

pub(super) use evaluate::{Names, Value};
pub(super) use expectation::{Time, WhenText, parse_expectation};
pub(super) use parse::{parse, unknown_function};

use std::fmt;
use std::ops::Range;

/// A text that has been parsed.
#[derive(Clone, PartialEq, Debug)]
pub(super) struct Expression {
    pub(super) kind: ExpressionKind,
    /// The bytes of the text that it takes up.
    pub(super) span: Range<usize>,
}

#[derive(Clone, PartialEq, Debug)]
pub(super) enum ExpressionKind {
    Number(f64),
    Text(String),
    Truth(bool),
    /// A parameter, or an entity and what of it.
    Path(Path),
    Vector(Box<[Expression; 3]>),
    Question(Question),
    /// Whether two values are no further apart than a third.
    Near(Box<[Expression; 3]>),
    Negative(Box<Expression>),
    Not(Box<Expression>),
    Binary(Operator, Box<Expression>, Box<Expression>),
    Call(Function, Vec<Expression>),
}

/// A name, and names of fields in what it stands for.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct Path {
    pub(super) base: String,
    pub(super) fields: Vec<String>,
}

impl fmt::Display for Path {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match parse::is_plain(&self.base) {
            true => write!(f, "{}", self.base)?,
            false => write!(f, "`{}`", self.base)?,
        }
        self.fields
            .iter()
            .try_for_each(|field| write!(f, ".{field}"))
    }
}

/// The subjects of questions about a world, with the names of entities, templates and events.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) enum Question {
    Touches(String, String),
    StandsOn(String, String),
    IsInside(String, String),
    IsUnder(String, String),
    Exists(String),
    /// How many entities were made from a template.
    Count(String),
    /// How many contacts an entity has.
    Contacts(String),
    /// Whether an event was posted in the frame.
    Happens(String),
    /// How many events of a name have been posted since the scene began.
    Events(String),
    /// Where a control input stands.
    Control(String),
    /// A counter of the frame.
    Counter(String),
}

impl Question {
    /// The entities that it names.
    pub(super) fn entities(&self) -> Vec<&str> {
        match self {
            Self::Touches(a, b)
            | Self::StandsOn(a, b)
            | Self::IsInside(a, b)
            | Self::IsUnder(a, b) => vec![a, b],
            Self::Exists(name) | Self::Contacts(name) => vec![name],
            Self::Count(_)
            | Self::Happens(_)
            | Self::Events(_)
            | Self::Control(_)
            | Self::Counter(_) => Vec::new(),
        }
    }
}

impl fmt::Display for Question {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Touches(a, b) => write!(f, "`{a}` touches `{b}`"),
            Self::StandsOn(a, b) => write!(f, "`{a}` stands on `{b}`"),
            Self::IsInside(a, b) => write!(f, "`{a}` is inside `{b}`"),
            Self::IsUnder(a, b) => write!(f, "`{a}` is under `{b}`"),
            Self::Exists(name) => write!(f, "`{name}` exists"),
            Self::Count(template) => write!(f, "count of `{template}`"),
            Self::Contacts(name) => write!(f, "contacts of `{name}`"),
            Self::Happens(name) => write!(f, "`{name}` happens"),
            Self::Events(name) => write!(f, "events of `{name}`"),
            Self::Control(name) => write!(f, "control of `{name}`"),
            Self::Counter(name) => write!(f, "counter of `{name}`"),
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Operator {
    Or,
    And,
    Less,
    AtMost,
    Equal,
    Unequal,
    AtLeast,
    More,
    Plus,
    Minus,
    Times,
    By,
}

impl Operator {
    fn sign(self) -> &'static str {
        match self {
            Self::Or => "or",
            Self::And => "and",
            Self::Less => "<",
            Self::AtMost => "<=",
            Self::Equal => "=",
            Self::Unequal => "!=",
            Self::AtLeast => ">=",
            Self::More => ">",
            Self::Plus => "+",
            Self::Minus => "-",
            Self::Times => "*",
            Self::By => "/",
        }
    }

    /// Whether what it comes to is a number or a vector.
    pub(super) fn makes_numbers(self) -> bool {
        self.level() >= Self::Plus.level()
    }

    /// How tightly it binds: the higher, the tighter.
    fn level(self) -> usize {
        match self {
            Self::Or => 0,
            Self::And => 1,
            Self::Less
            | Self::AtMost
            | Self::Equal
            | Self::Unequal
            | Self::AtLeast
            | Self::More => 2,
            Self::Plus | Self::Minus => 3,
            Self::Times | Self::By => 4,
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Function {
    Absolute,
    Ceil,
    Cosine,
    Distance,
    Floor,
    Greatest,
    Least,
    Length,
    Root,
    Rounded,
    Sine,
}

impl Function {
    pub(super) const ALL: [Self; 11] = [
        Self::Absolute,
        Self::Ceil,
        Self::Cosine,
        Self::Distance,
        Self::Floor,
        Self::Greatest,
        Self::Least,
        Self::Length,
        Self::Root,
        Self::Rounded,
        Self::Sine,
    ];

    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Absolute => "abs",
            Self::Ceil => "ceil",
            Self::Cosine => "cos",
            Self::Distance => "distance",
            Self::Floor => "floor",
            Self::Greatest => "max",
            Self::Least => "min",
            Self::Length => "length",
            Self::Root => "sqrt",
            Self::Rounded => "round",
            Self::Sine => "sin",
        }
    }
}

/// The problem with a text, and its place.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct Problem {
    pub(super) span: Range<usize>,
    pub(super) message: String,
    pub(super) fix: String,
}

impl Problem {
    pub(super) fn new(
        span: Range<usize>,
        message: impl Into<String>,
        fix: impl Into<String>,
    ) -> Self {
        Self {
            span,
            message: message.into(),
            fix: fix.into(),
        }
    }
}

#[cfg(test)]
mod tests;

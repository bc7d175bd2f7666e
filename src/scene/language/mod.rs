//! The small language of scene files: sums, comparisons and calls over numbers, texts and names.
//!
//! A text is parsed into an [`Expression`], whose parts know where in the text they stand, and worked out with the values that
//! the names stand for. `docs/scene-language.md` has the grammar.

mod evaluate;
mod parse;
mod print;

pub(super) use evaluate::{Names, Value};
pub(super) use parse::parse;

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
    Name(String),
    Negative(Box<Expression>),
    Not(Box<Expression>),
    Binary(Operator, Box<Expression>, Box<Expression>),
    Call(Function, Vec<Expression>),
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
    Floor,
    Greatest,
    Least,
    Root,
    Rounded,
    Sine,
}

impl Function {
    pub(super) const ALL: [Self; 9] = [
        Self::Absolute,
        Self::Ceil,
        Self::Cosine,
        Self::Floor,
        Self::Greatest,
        Self::Least,
        Self::Root,
        Self::Rounded,
        Self::Sine,
    ];

    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Absolute => "abs",
            Self::Ceil => "ceil",
            Self::Cosine => "cos",
            Self::Floor => "floor",
            Self::Greatest => "max",
            Self::Least => "min",
            Self::Root => "sqrt",
            Self::Rounded => "round",
            Self::Sine => "sin",
        }
    }
}

/// What is wrong with a text, and where in it.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct Problem {
    pub(super) span: Range<usize>,
    pub(super) message: String,
    pub(super) mend: String,
}

impl Problem {
    fn new(span: Range<usize>, message: impl Into<String>, mend: impl Into<String>) -> Self {
        Self {
            span,
            message: message.into(),
            mend: mend.into(),
        }
    }
}

#[cfg(test)]
mod tests;

//! Expectations: a condition, and when it has to hold.

use super::parse::{Input, bare_operand, blanks, expected, expression, parse_whole, word};
use super::{Expression, Problem};
use std::fmt;
use winnow::combinator::{alt, cut_err, opt, preceded};
use winnow::prelude::*;

/// An expectation as it is written.
#[derive(Clone, PartialEq, Debug)]
pub(crate) struct ExpectationText {
    pub(crate) condition: Expression,
    pub(crate) when: WhenText,
}

#[derive(Clone, PartialEq, Debug)]
pub(crate) enum WhenText {
    /// After the last frame.
    AtEnd,
    At(Time),
    By(Time),
    During(Time, Time),
    Always,
    Never,
    /// For so long without a break, from some frame on.
    For(Time),
}

/// A time of the scene, or a number of frames.
#[derive(Clone, PartialEq, Debug)]
pub(crate) enum Time {
    Seconds(Expression),
    Frame(Expression),
}

impl Time {
    pub(crate) fn number(&self) -> &Expression {
        match self {
            Self::Seconds(number) | Self::Frame(number) => number,
        }
    }
}

/// Parses an expectation.
///
/// # Errors
///
/// If it is none; the problem says at which character.
pub(crate) fn parse_expectation(text: &str) -> Result<ExpectationText, Problem> {
    parse_whole(
        text,
        expectation,
        "an operator, `at`, `by`, `from`, `for` or the end",
    )
}

fn expectation(input: &mut Input<'_>) -> ModalResult<ExpectationText> {
    let whole_run = alt((
        word("always").value(WhenText::Always),
        word("never").value(WhenText::Never),
    ));
    let before = opt((whole_run, blanks)).parse_next(input)?;
    if let Some((when, ())) = before {
        let condition = cut_err(expression).parse_next(input)?;
        return Ok(ExpectationText { condition, when });
    }
    let condition = expression(input)?;
    let after = |name: &'static str| preceded((word(name), blanks), cut_err(time));
    let during = (
        after("from"),
        preceded(
            (
                blanks,
                cut_err(word("to")).context(expected("`to`")),
                blanks,
            ),
            cut_err(time),
        ),
    );
    let when = alt((
        after("at").map(WhenText::At),
        after("by").map(WhenText::By),
        during.map(|(from, to)| WhenText::During(from, to)),
        after("for").map(WhenText::For),
    ));
    let when = opt(preceded(blanks, when))
        .parse_next(input)?
        .unwrap_or(WhenText::AtEnd);
    Ok(ExpectationText { condition, when })
}

fn time(input: &mut Input<'_>) -> ModalResult<Time> {
    let frame = preceded((word("frame"), blanks), bare_operand).map(Time::Frame);
    let seconds = |input: &mut Input<'_>| {
        let number = bare_operand(input)?;
        let unit = alt((word("s").value(true), word("frames").value(false)));
        let unit = preceded(blanks, cut_err(unit).context(expected("`s` or `frames`")));
        let mut unit = unit;
        let is_seconds = unit.parse_next(input)?;
        Ok(match is_seconds {
            true => Time::Seconds(number),
            false => Time::Frame(number),
        })
    };
    alt((frame, seconds))
        .context(expected("a time such as `3 s` or `frame 180`"))
        .parse_next(input)
}

impl fmt::Display for Time {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Seconds(number) => write!(f, "{} s", Bracketed(number)),
            Self::Frame(number) => write!(f, "frame {}", Bracketed(number)),
        }
    }
}

/// An operand as it can be parsed again.
struct Bracketed<'e>(&'e Expression);

impl fmt::Display for Bracketed<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "({})", self.0)
    }
}

impl fmt::Display for ExpectationText {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let condition = &self.condition;
        match &self.when {
            WhenText::AtEnd => write!(f, "{condition}"),
            WhenText::At(time) => write!(f, "{condition} at {time}"),
            WhenText::By(time) => write!(f, "{condition} by {time}"),
            WhenText::During(from, to) => write!(f, "{condition} from {from} to {to}"),
            WhenText::Always => write!(f, "always {condition}"),
            WhenText::Never => write!(f, "never {condition}"),
            WhenText::For(time) => write!(f, "{condition} for {time}"),
        }
    }
}

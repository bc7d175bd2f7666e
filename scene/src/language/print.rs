//! Prints expressions so that parsing them gives the same again.

use super::{Expression, ExpressionKind, Operator};
use std::fmt;

/// The level of operators that bind tightest, plus one: operands.
const OPERAND: usize = 5;

impl Expression {
    fn level(&self) -> usize {
        match &self.kind {
            ExpressionKind::Binary(operator, ..) => operator.level(),
            ExpressionKind::Near(_) => Operator::Equal.level(),
            _ => OPERAND,
        }
    }

    /// Prints it, in brackets if it binds less tightly than what is around it.
    fn print_within(&self, f: &mut fmt::Formatter<'_>, least: usize) -> fmt::Result {
        match self.level() < least {
            true => write!(f, "({self})"),
            false => write!(f, "{self}"),
        }
    }
}

impl fmt::Display for Expression {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.kind {
            ExpressionKind::Number(number) => write!(f, "{number:?}"),
            ExpressionKind::Text(text) => write!(f, "\"{text}\""),
            ExpressionKind::Truth(truth) => write!(f, "{truth}"),
            ExpressionKind::Path(path) => write!(f, "{path}"),
            ExpressionKind::Vector(parts) => {
                let [x, y, z] = &**parts;
                write!(f, "({x}, {y}, {z})")
            }
            ExpressionKind::Question(question) => write!(f, "{question}"),
            ExpressionKind::Near(parts) => {
                let [left, right, within] = &**parts;
                left.print_within(f, Operator::Plus.level())?;
                write!(f, " = ")?;
                right.print_within(f, Operator::Plus.level())?;
                write!(f, " within ")?;
                within.print_within(f, Operator::Plus.level())
            }
            ExpressionKind::Negative(inner) => {
                write!(f, "-")?;
                inner.print_within(f, OPERAND)
            }
            ExpressionKind::Not(inner) => {
                write!(f, "not ")?;
                inner.print_within(f, OPERAND)
            }
            ExpressionKind::Binary(operator, left, right) => {
                let level = operator.level();
                // Comparisons do not come in rows.
                let left_least = if level == 2 { level + 1 } else { level };
                left.print_within(f, left_least)?;
                write!(f, " {} ", operator.sign())?;
                right.print_within(f, level + 1)
            }
            ExpressionKind::Call(function, arguments) => {
                write!(f, "{}(", function.name())?;
                for (place, argument) in arguments.iter().enumerate() {
                    write!(f, "{}{argument}", if place == 0 { "" } else { ", " })?;
                }
                write!(f, ")")
            }
        }
    }
}

//! Works expressions out.

use super::parse::unknown_function;
use super::{Expression, ExpressionKind, Function, Operator, Problem};
use crate::scene::fault::suggest;
use std::fmt;

/// What an expression comes to.
#[derive(Clone, PartialEq, Debug)]
pub(crate) enum Value {
    Number(f64),
    Text(String),
    Truth(bool),
}

impl Value {
    /// What kind of value it is, in words.
    pub(crate) fn kind(&self) -> &'static str {
        match self {
            Self::Number(_) => "a number",
            Self::Text(_) => "a text",
            Self::Truth(_) => "true or false",
        }
    }
}

impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Number(number) => write!(f, "{number}"),
            Self::Text(text) => write!(f, "\"{text}\""),
            Self::Truth(truth) => write!(f, "{truth}"),
        }
    }
}

/// What names stand for.
pub(crate) trait Names {
    /// The value of a name, if there is one.
    fn value(&self, name: &str) -> Option<Value>;

    /// All names, for whoever has mistyped one.
    fn all(&self) -> Vec<&str>;
}

impl Expression {
    /// Works it out.
    ///
    /// # Errors
    ///
    /// If a name stands for nothing, if values of the wrong kind meet, or if the result is no finite number.
    pub(crate) fn value(&self, names: &impl Names) -> Result<Value, Problem> {
        match &self.kind {
            ExpressionKind::Number(number) => Ok(Value::Number(*number)),
            ExpressionKind::Text(text) => Ok(Value::Text(text.clone())),
            ExpressionKind::Truth(truth) => Ok(Value::Truth(*truth)),
            ExpressionKind::Name(name) => {
                names.value(name).ok_or_else(|| self.unknown(name, names))
            }
            ExpressionKind::Negative(inner) => self.finite(-inner.number(names)?),
            ExpressionKind::Not(inner) => Ok(Value::Truth(!inner.truth(names)?)),
            ExpressionKind::Binary(operator, left, right) => {
                self.binary(*operator, left, right, names)
            }
            ExpressionKind::Call(function, arguments) => self.call(*function, arguments, names),
        }
    }

    fn unknown(&self, name: &str, names: &impl Names) -> Problem {
        let span = self.span.clone();
        match name.strip_suffix("()") {
            Some(function) => Problem::new(
                span,
                format!("there is no function `{function}`"),
                unknown_function(function),
            ),
            None => Problem::new(
                span,
                format!("`{name}` stands for nothing"),
                match names.all().as_slice() {
                    [] => String::from("give it a value under `[parameters]`"),
                    all => suggest(name, "parameters", all.iter().copied()),
                },
            ),
        }
    }

    fn number(&self, names: &impl Names) -> Result<f64, Problem> {
        match self.value(names)? {
            Value::Number(number) => Ok(number),
            other => Err(self.not_wanted(&other, "a number")),
        }
    }

    fn truth(&self, names: &impl Names) -> Result<bool, Problem> {
        match self.value(names)? {
            Value::Truth(truth) => Ok(truth),
            other => Err(self.not_wanted(&other, "true or false")),
        }
    }

    fn not_wanted(&self, found: &Value, wanted: &str) -> Problem {
        Problem::new(
            self.span.clone(),
            format!("{} was found where {wanted} is wanted", found.kind()),
            format!("write {wanted}"),
        )
    }

    fn finite(&self, number: f64) -> Result<Value, Problem> {
        match number.is_finite() {
            true => Ok(Value::Number(number)),
            false => Err(Problem::new(
                self.span.clone(),
                format!("this comes to {number}"),
                "keep clear of divisions by 0 and of huge numbers",
            )),
        }
    }

    fn binary(
        &self,
        operator: Operator,
        left: &Self,
        right: &Self,
        names: &impl Names,
    ) -> Result<Value, Problem> {
        let numbers = || Ok((left.number(names)?, right.number(names)?));
        let compared = |compare: fn(f64, f64) -> bool| -> Result<Value, Problem> {
            let (left, right) = numbers()?;
            Ok(Value::Truth(compare(left, right)))
        };
        let worked_out = |work: fn(f64, f64) -> f64| -> Result<Value, Problem> {
            let (left, right) = numbers()?;
            self.finite(work(left, right))
        };
        match operator {
            Operator::Or => Ok(Value::Truth(left.truth(names)? || right.truth(names)?)),
            Operator::And => Ok(Value::Truth(left.truth(names)? && right.truth(names)?)),
            Operator::Less => compared(|left, right| left < right),
            Operator::AtMost => compared(|left, right| left <= right),
            Operator::AtLeast => compared(|left, right| left >= right),
            Operator::More => compared(|left, right| left > right),
            Operator::Equal => Ok(Value::Truth(self.are_equal(left, right, names)?)),
            Operator::Unequal => Ok(Value::Truth(!self.are_equal(left, right, names)?)),
            Operator::Plus => worked_out(|left, right| left + right),
            Operator::Minus => worked_out(|left, right| left - right),
            Operator::Times => worked_out(|left, right| left * right),
            Operator::By => worked_out(|left, right| left / right),
        }
    }

    /// Values of different kinds are not unequal but a slip.
    fn are_equal(&self, left: &Self, right: &Self, names: &impl Names) -> Result<bool, Problem> {
        let (one, other) = (left.value(names)?, right.value(names)?);
        match one.kind() == other.kind() {
            true => Ok(one == other),
            false => Err(right.not_wanted(&other, one.kind())),
        }
    }

    fn call(
        &self,
        function: Function,
        arguments: &[Self],
        names: &impl Names,
    ) -> Result<Value, Problem> {
        let numbers: Result<Vec<f64>, Problem> = arguments
            .iter()
            .map(|argument| argument.number(names))
            .collect();
        let numbers = numbers?;
        let number = match (function, numbers.as_slice()) {
            (Function::Greatest, all) => all.iter().copied().fold(f64::NEG_INFINITY, f64::max),
            (Function::Least, all) => all.iter().copied().fold(f64::INFINITY, f64::min),
            (Function::Absolute, [one]) => one.abs(),
            (Function::Ceil, [one]) => one.ceil(),
            (Function::Floor, [one]) => one.floor(),
            (Function::Rounded, [one]) => one.round(),
            (Function::Root, [one]) => one.sqrt(),
            (Function::Sine, [one]) => one.to_radians().sin(),
            (Function::Cosine, [one]) => one.to_radians().cos(),
            (function, several) => {
                let name = function.name();
                return Err(Problem::new(
                    self.span.clone(),
                    format!("`{name}` was given {} numbers", several.len()),
                    format!("give `{name}` one"),
                ));
            }
        };
        self.finite(number)
    }
}

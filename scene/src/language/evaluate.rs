//! Works expressions out.

use super::parse::unknown_function;
use super::{Expression, ExpressionKind, Function, Operator, Path, Problem, Question};
use gerust::suggest;
use std::fmt;

/// The value of an expression.
#[derive(Clone, PartialEq, Debug)]
pub(crate) enum Value {
    Number(f64),
    Text(String),
    Truth(bool),
    Vector([f64; 3]),
}

impl Value {
    /// What kind of value it is, in words.
    pub(crate) fn kind(&self) -> &'static str {
        match self {
            Self::Number(_) => "a number",
            Self::Text(_) => "a text",
            Self::Truth(_) => "true or false",
            Self::Vector(_) => "a vector",
        }
    }
}

impl Value {
    /// The value with few digits, for people.
    pub(crate) fn shortened(&self) -> String {
        let number = |number: f64| {
            let text = format!("{number:.4}");
            let text = text.trim_end_matches('0').trim_end_matches('.');
            // Minus nothing is nothing.
            if text == "-0" {
                String::from("0")
            } else {
                text.to_owned()
            }
        };
        match self {
            Self::Number(value) => number(*value),
            Self::Vector(parts) => format!("({})", parts.map(number).join(", ")),
            other => other.to_string(),
        }
    }
}

impl Value {
    /// The value as it is written in an expression that is to hold: in full, or within a tolerance with the digits of the 32-bit
    /// numbers that worlds consist of.
    pub(crate) fn written(&self, is_exact: bool) -> String {
        let number = |number: f64| match is_exact {
            true => format!("{}", number + 0.0),
            false => format!("{}", number as f32 + 0.0),
        };
        match self {
            Self::Number(value) => number(*value),
            Self::Vector(parts) => format!("({})", parts.map(number).join(", ")),
            other => other.to_string(),
        }
    }
}

impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Number(number) => write!(f, "{number}"),
            Self::Text(text) => write!(f, "\"{text}\""),
            Self::Truth(truth) => write!(f, "{truth}"),
            Self::Vector([x, y, z]) => write!(f, "({x}, {y}, {z})"),
        }
    }
}

/// What names stand for.
pub(crate) trait Names {
    /// The value of a name and its fields, if there is one.
    ///
    /// # Errors
    ///
    /// With what is wrong and how to fix it, if that is known better than from the name alone.
    fn value(&self, path: &Path) -> Result<Option<Value>, (String, String)>;

    /// The answer to a question; `None` where there is no world to ask.
    ///
    /// # Errors
    ///
    /// As [`Names::value`].
    fn answer(&self, question: &Question) -> Result<Option<Value>, (String, String)> {
        let _ = question;
        Ok(None)
    }

    /// All names, for spelling suggestions.
    fn all(&self) -> Vec<&str>;
}

impl Expression {
    /// The operand that is compared with a written value, and that value: `a.b = 3`, with or without a tolerance.
    pub(crate) fn stored(&self) -> Option<(&Self, &Self)> {
        let (asked, stored) = match &self.kind {
            ExpressionKind::Binary(Operator::Equal, asked, stored) => (&**asked, &**stored),
            ExpressionKind::Near(parts) => (&parts[0], &parts[1]),
            _ => return None,
        };
        let is_stored = asked.sources().len() == 1 && stored.sources().is_empty();
        (is_stored
            && !matches!(
                stored.kind,
                ExpressionKind::Binary(..) | ExpressionKind::Call(..)
            ))
        .then_some((asked, stored))
    }

    /// Whether a value is compared within a tolerance.
    pub(crate) fn is_near(&self) -> bool {
        matches!(self.kind, ExpressionKind::Near(_))
    }

    /// The parts that ask for anything, in order.
    pub(crate) fn sources(&self) -> Vec<&Self> {
        match &self.kind {
            ExpressionKind::Path(_) | ExpressionKind::Question(_) => vec![self],
            ExpressionKind::Number(_) | ExpressionKind::Text(_) | ExpressionKind::Truth(_) => {
                Vec::new()
            }
            ExpressionKind::Negative(inner) | ExpressionKind::Not(inner) => inner.sources(),
            ExpressionKind::Binary(_, left, right) => [left.sources(), right.sources()].concat(),
            ExpressionKind::Vector(parts) | ExpressionKind::Near(parts) => {
                parts.iter().flat_map(Self::sources).collect()
            }
            ExpressionKind::Call(_, arguments) => {
                arguments.iter().flat_map(Self::sources).collect()
            }
        }
    }

    /// The names of entities that it asks about, in order.
    pub(crate) fn entities(&self) -> Vec<&str> {
        let sources = self.sources().into_iter();
        sources
            .flat_map(|source| match &source.kind {
                ExpressionKind::Path(path) if !path.fields.is_empty() => vec![path.base.as_str()],
                ExpressionKind::Question(question) => question.entities(),
                _ => Vec::new(),
            })
            .collect()
    }

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
            ExpressionKind::Path(path) => {
                self.told(names.value(path), || self.unknown(path, names))
            }
            ExpressionKind::Question(question) => self.told(names.answer(question), || {
                let message = "there is no world to ask here";
                Problem::new(self.span.clone(), message, "ask in an expectation")
            }),
            ExpressionKind::Vector(parts) => {
                let [x, y, z] = &**parts;
                Ok(Value::Vector([
                    x.number(names)?,
                    y.number(names)?,
                    z.number(names)?,
                ]))
            }
            ExpressionKind::Near(parts) => {
                let [left, right, within] = &**parts;
                let distance = left.distance(right, names)?;
                Ok(Value::Truth(distance <= within.number(names)?))
            }
            ExpressionKind::Negative(inner) => match inner.value(names)? {
                Value::Vector(vector) => self.finite_vector(vector.map(|part| -part)),
                other => self.finite(-inner.as_number(&other)?),
            },
            ExpressionKind::Not(inner) => Ok(Value::Truth(!inner.truth(names)?)),
            ExpressionKind::Binary(operator, left, right) => {
                self.binary(*operator, left, right, names)
            }
            ExpressionKind::Call(function, arguments) => self.call(*function, arguments, names),
        }
    }

    /// The result, with the place of this expression if it is a problem.
    fn told(
        &self,
        found: Result<Option<Value>, (String, String)>,
        otherwise: impl FnOnce() -> Problem,
    ) -> Result<Value, Problem> {
        match found {
            Ok(found) => found.ok_or_else(otherwise),
            Err((message, fix)) => Err(Problem::new(self.span.clone(), message, fix)),
        }
    }

    fn unknown(&self, path: &Path, names: &impl Names) -> Problem {
        let name = path.base.as_str();
        let span = self.span.clone();
        match name.strip_suffix("()") {
            Some(function) => Problem::new(
                span,
                format!("unknown function `{function}`"),
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
        self.as_number(&self.value(names)?)
    }

    /// The number that it has come to.
    fn as_number(&self, value: &Value) -> Result<f64, Problem> {
        match value {
            Value::Number(number) => Ok(*number),
            other => Err(self.not_wanted(other, "a number")),
        }
    }

    fn truth(&self, names: &impl Names) -> Result<bool, Problem> {
        match self.value(names)? {
            Value::Truth(truth) => Ok(truth),
            other => Err(self.not_wanted(&other, "true or false")),
        }
    }

    fn vector(&self, names: &impl Names) -> Result<[f64; 3], Problem> {
        self.as_vector(&self.value(names)?)
    }

    fn as_vector(&self, value: &Value) -> Result<[f64; 3], Problem> {
        match value {
            Value::Vector(vector) => Ok(*vector),
            other => Err(self.not_wanted(other, "a vector")),
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

    fn finite_vector(&self, vector: [f64; 3]) -> Result<Value, Problem> {
        for part in vector {
            self.finite(part)?;
        }
        Ok(Value::Vector(vector))
    }

    /// How far two numbers or two places are apart.
    fn distance(&self, other: &Self, names: &impl Names) -> Result<f64, Problem> {
        match self.value(names)? {
            Value::Vector(one) => {
                let other = other.vector(names)?;
                let squares = one.iter().zip(other).map(|(a, b)| (a - b).powi(2));
                Ok(squares.sum::<f64>().sqrt())
            }
            Value::Number(one) => Ok((one - other.number(names)?).abs()),
            found => Err(self.not_wanted(&found, "a number or a vector")),
        }
    }

    fn binary(
        &self,
        operator: Operator,
        left: &Self,
        right: &Self,
        names: &impl Names,
    ) -> Result<Value, Problem> {
        match operator {
            Operator::Or => Ok(Value::Truth(left.truth(names)? || right.truth(names)?)),
            Operator::And => Ok(Value::Truth(left.truth(names)? && right.truth(names)?)),
            _ => {
                let (one, other) = (left.value(names)?, right.value(names)?);
                self.joined(operator, (left, &one), (right, &other))
            }
        }
    }

    /// What two values come to, each with the expression that it comes from.
    fn joined(
        &self,
        operator: Operator,
        (left, one): (&Self, &Value),
        (right, other): (&Self, &Value),
    ) -> Result<Value, Problem> {
        // Values of different kinds are not unequal but a slip.
        let are_equal = || match one.kind() == other.kind() {
            true => Ok(one == other),
            false => Err(right.not_wanted(other, one.kind())),
        };
        let compared = |compare: fn(&f64, &f64) -> bool| -> Result<Value, Problem> {
            Ok(Value::Truth(compare(
                &left.as_number(one)?,
                &right.as_number(other)?,
            )))
        };
        let work: fn(f64, f64) -> f64 = match operator {
            Operator::Equal => return Ok(Value::Truth(are_equal()?)),
            Operator::Unequal => return Ok(Value::Truth(!are_equal()?)),
            Operator::Less => return compared(f64::lt),
            Operator::AtMost => return compared(f64::le),
            Operator::AtLeast => return compared(f64::ge),
            Operator::More | Operator::Or | Operator::And => return compared(f64::gt),
            Operator::Plus => |left, right| left + right,
            Operator::Minus => |left, right| left - right,
            Operator::Times => |left, right| left * right,
            Operator::By => |left, right| left / right,
        };
        let is_sum = matches!(operator, Operator::Plus | Operator::Minus);
        match (one, other) {
            (Value::Vector(one), _) if is_sum => {
                let other = right.as_vector(other)?;
                self.finite_vector(std::array::from_fn(|part| work(one[part], other[part])))
            }
            (Value::Vector(one), _) => {
                let number = right.as_number(other)?;
                self.finite_vector(one.map(|part| work(part, number)))
            }
            (_, Value::Vector(other)) if operator == Operator::Times => {
                let number = left.as_number(one)?;
                self.finite_vector(other.map(|part| work(number, part)))
            }
            _ => self.finite(work(left.as_number(one)?, right.as_number(other)?)),
        }
    }

    fn call(
        &self,
        function: Function,
        arguments: &[Self],
        names: &impl Names,
    ) -> Result<Value, Problem> {
        match (function, arguments) {
            (Function::Length, [one]) => {
                let [x, y, z] = one.vector(names)?;
                return self.finite((x * x + y * y + z * z).sqrt());
            }
            (Function::Distance, [one, other]) => return self.finite(one.distance(other, names)?),
            _ => {}
        }
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
                    format!("`{name}` was given {} values", several.len()),
                    match function {
                        Function::Distance => String::from("give `distance` two places"),
                        _ => format!("give `{name}` one"),
                    },
                ));
            }
        };
        self.finite(number)
    }
}

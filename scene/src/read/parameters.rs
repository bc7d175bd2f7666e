//! Parameters: numbers, texts and booleans with names, and the expressions over them.
//!
//! In place of any value, a scene file can have a text that begins with `=`: an expression. All of these are evaluated in the
//! parsed tree, before `serde` sees it, so every value of every table can be one.

use super::Cut;
use crate::fault::Fault;
use crate::language::{self, Names, Path, Problem, Value};
use gerust::suggest;
use std::borrow::Cow;
use std::collections::{BTreeMap, btree_map};
use std::iter::Map;
use std::ops::Range;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// Values for the parameters of a scene file, in place of its defaults.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust_scene::{Parameters, Registry, Scene};
///
/// let text = r#"
/// title = "a row of crates"
/// frames = "= 10 * crates"
///
/// [parameters]
/// crates = 3
/// "#;
/// let registry = Registry::standard();
/// let usual = Scene::parse(text, "row.toml", &registry)?;
/// assert_eq!(usual.frames(), 30);
/// let many = Scene::parse_with(text, "row.toml", &registry, &Parameters::new().with("crates", "50"))?;
/// assert_eq!(many.frames(), 500);
/// let error = Scene::parse_with(text, "row.toml", &registry, &Parameters::new().with("crats", "5")).unwrap_err();
/// assert!(error.to_string().contains("did you mean `crates`?"));
/// # Ok::<(), gerust_scene::SceneError>(())
/// ```
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Parameters {
    given: BTreeMap<String, String>,
}

impl Parameters {
    /// None: the defaults hold.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Gives a parameter a value: a number, `true` or `false`, or else a text.
    #[must_use]
    pub fn with(mut self, name: &str, value: &str) -> Self {
        self.given.insert(name.to_owned(), value.to_owned());
        self
    }

    /// The names and values that were given, by name.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = (&str, &str)> {
        self.into_iter()
    }
}

/// As [`Parameters::iter`].
impl<'p> IntoIterator for &'p Parameters {
    type Item = (&'p str, &'p str);
    type IntoIter = Map<
        btree_map::Iter<'p, String, String>,
        fn((&'p String, &'p String)) -> (&'p str, &'p str),
    >;

    fn into_iter(self) -> Self::IntoIter {
        let given = self.given.iter();
        given.map(|(name, value)| (name.as_str(), value.as_str()))
    }
}

impl<N: Into<String>, V: Into<String>> Extend<(N, V)> for Parameters {
    fn extend<I: IntoIterator<Item = (N, V)>>(&mut self, more: I) {
        let more = more.into_iter();
        self.given
            .extend(more.map(|(name, value)| (name.into(), value.into())));
    }
}

/// Collects pairs of a name and a value.
///
/// # Example
///
/// ```
/// use gerust_scene::Parameters;
///
/// let parameters: Parameters = [("rate", "3"), ("wind", "0.5")].into_iter().collect();
/// assert_eq!(parameters.iter().count(), 2);
/// ```
impl<N: Into<String>, V: Into<String>> FromIterator<(N, V)> for Parameters {
    fn from_iter<I: IntoIterator<Item = (N, V)>>(pairs: I) -> Self {
        let mut parameters = Self::default();
        parameters.extend(pairs);
        parameters
    }
}

/// A value as it is written on a command line.
fn read_value(text: &str) -> Value {
    match text {
        "true" => Value::Truth(true),
        "false" => Value::Truth(false),
        _ => match text.parse::<f64>() {
            Ok(number) if number.is_finite() => Value::Number(number),
            _ => Value::Text(text.to_owned()),
        },
    }
}

/// What the parameters of a file stand for.
#[derive(Clone, Default, Debug)]
pub(crate) struct ParameterValues(BTreeMap<String, Value>);

impl Names for ParameterValues {
    fn value(&self, path: &Path) -> Result<Option<Value>, (String, String)> {
        match path.fields.as_slice() {
            [] => Ok(self.0.get(&path.base).cloned()),
            _ => Ok(None),
        }
    }

    fn all(&self) -> Vec<&str> {
        self.0.keys().map(String::as_str).collect()
    }
}

impl ParameterValues {
    pub(crate) fn contains(&self, name: &str) -> bool {
        self.0.contains_key(name)
    }

    /// Takes the parameters out of a file.
    pub(super) fn take(
        root: &mut DeTable<'_>,
        text: &str,
        given: &Parameters,
        faults: &mut Vec<Fault>,
    ) -> Self {
        let mut values = Self::default();
        let table = root.remove("parameters");
        let span = table.as_ref().map_or(0..0, Spanned::span);
        if let Some(table) = table {
            match table.into_inner() {
                DeValue::Table(table) => values.read_defaults(table, text, given, faults),
                _ => faults.push(Fault::new(
                    span.clone(),
                    "`parameters` is not a table",
                    "write `[parameters]`, and below it `name = value`, one line each",
                )),
            }
        }
        for name in given
            .given
            .keys()
            .filter(|name| !values.0.contains_key(*name))
        {
            // A parameter at fault has been told already.
            if faults.is_empty() {
                let known = values.0.keys().map(String::as_str);
                let message = format!("unknown parameter `{name}`");
                faults.push(Fault::new(
                    span.clone(),
                    message,
                    suggest(name, "parameters", known),
                ));
            }
        }
        values
    }

    fn read_defaults(
        &mut self,
        table: DeTable<'_>,
        text: &str,
        given: &Parameters,
        faults: &mut Vec<Fault>,
    ) {
        let mut derived = Vec::new();
        for (name, value) in table {
            let span = value.span();
            let default = match value.get_ref() {
                DeValue::String(text) if text.starts_with('=') => {
                    derived.push((name, value));
                    continue;
                }
                DeValue::String(text) => Value::Text(text.clone().into_owned()),
                DeValue::Boolean(truth) => Value::Truth(*truth),
                DeValue::Integer(_) | DeValue::Float(_) => {
                    let number = number_of(value.get_ref());
                    match number.filter(|number| number.is_finite()) {
                        Some(number) => Value::Number(number),
                        None => {
                            let message = "this is not a number that a scene can use";
                            faults.push(Fault::new(span, message, "write a finite number"));
                            continue;
                        }
                    }
                }
                _ => {
                    let message = format!(
                        "`{}` is neither a number nor a text nor a truth",
                        name.get_ref()
                    );
                    faults.push(Fault::new(span, message, "write one of these"));
                    continue;
                }
            };
            self.set(name.get_ref(), default, &span, given, faults);
        }
        // Those that follow from others, in the order of the file; they may follow from each other.
        derived.sort_by_key(|(name, _)| name.span().start);
        for (name, value) in derived {
            let span = value.span();
            let DeValue::String(content) = value.get_ref() else {
                continue;
            };
            match self.work_out(content, &span, text) {
                Ok(default) => self.set(name.get_ref(), default, &span, given, faults),
                Err(fault) => faults.push(fault),
            }
        }
    }

    /// Notes what a parameter stands for: what was given, or its default.
    fn set(
        &mut self,
        name: &str,
        default: Value,
        span: &Range<usize>,
        given: &Parameters,
        faults: &mut Vec<Fault>,
    ) {
        let value = match given.given.get(name).map(|text| read_value(text)) {
            None => default,
            // A number may be meant as a text.
            Some(Value::Number(_) | Value::Truth(_)) if matches!(default, Value::Text(_)) => {
                Value::Text(given.given[name].clone())
            }
            Some(value) if value.kind() == default.kind() => value,
            Some(value) => {
                let message = format!(
                    "`{name}` is set to {value}, but its default is {}",
                    default.kind()
                );
                faults.push(Fault::new(
                    span.clone(),
                    message,
                    format!("set it to {}", default.kind()),
                ));
                default
            }
        };
        self.0.insert(name.to_owned(), value);
    }

    fn work_out(&self, content: &str, span: &Range<usize>, text: &str) -> Result<Value, Fault> {
        let expression = content.trim_start_matches('=');
        let outcome = language::parse(expression).and_then(|parsed| parsed.value(self));
        outcome.map_err(|problem| {
            let before = content.len() - expression.len();
            Fault::new(
                place_of(&problem, content, before, span, text),
                problem.message,
                problem.fix,
            )
        })
    }

    /// Replaces all expressions of a tree by their values. Failing ones are removed and reported. `literals` has to
    /// live as long as the tree.
    pub(super) fn replace_all<'t>(
        &self,
        root: &mut DeTable<'t>,
        text: &str,
        literals: &'t mut Vec<String>,
        faults: &mut Vec<Fault>,
        cut: &mut Vec<Cut>,
    ) {
        let mut values = Vec::new();
        self.work_out_table(root, text, faults, &mut values);
        literals.extend(values.iter().map(|value| match value {
            Some(Value::Number(number)) => literal(*number),
            Some(Value::Vector(vector)) => {
                let [x, y, z] = vector.map(literal);
                format!("[{x}, {y}, {z}]")
            }
            _ => String::new(),
        }));
        let mut replacements = values.into_iter().zip(literals.iter());
        replace_in_table(root, &mut replacements, cut);
    }

    fn work_out_table(
        &self,
        table: &DeTable<'_>,
        text: &str,
        faults: &mut Vec<Fault>,
        values: &mut Vec<Option<Value>>,
    ) {
        for value in table.values() {
            self.work_out_value(value, text, faults, values);
        }
    }

    fn work_out_value(
        &self,
        value: &Spanned<DeValue<'_>>,
        text: &str,
        faults: &mut Vec<Fault>,
        values: &mut Vec<Option<Value>>,
    ) {
        match value.get_ref() {
            DeValue::String(content) if content.starts_with('=') => {
                let worked_out = self.work_out(content, &value.span(), text);
                values.push(worked_out.map_err(|fault| faults.push(fault)).ok());
            }
            DeValue::Array(array) => array
                .iter()
                .for_each(|item| self.work_out_value(item, text, faults, values)),
            DeValue::Table(table) => self.work_out_table(table, text, faults, values),
            _ => {}
        }
    }
}

fn number_of(value: &DeValue<'_>) -> Option<f64> {
    match value {
        DeValue::Integer(integer) => {
            let digits = integer.as_str().replace('_', "");
            i64::from_str_radix(&digits, integer.radix())
                .ok()
                .map(|number| number as f64)
        }
        DeValue::Float(float) => float.as_str().replace('_', "").parse().ok(),
        _ => None,
    }
}

/// A number as TOML: whole ones as integers, so that they can be counts.
fn literal(number: f64) -> String {
    const WHOLE_BELOW: f64 = 9e15;
    match number.fract() == 0.0 && number.abs() < WHOLE_BELOW {
        true => format!("{}", number as i64),
        false => format!("{number:?}"),
    }
}

/// Where in the file a problem of an expression is: at the character, if the text stands in the file letter by letter.
pub(crate) fn place_of(
    problem: &Problem,
    content: &str,
    before: usize,
    span: &Range<usize>,
    text: &str,
) -> Range<usize> {
    let Some(own) = start_in(content, span, text) else {
        return span.clone();
    };
    let start = own + before + problem.span.start;
    // An end has no letter of its own: the quote after it has.
    start..(own + before + problem.span.end).max(start + 1)
}

/// Where in the file the content of a text in quotes begins, if it stands there letter by letter: with escapes, places are others.
pub(crate) fn start_in(content: &str, span: &Range<usize>, text: &str) -> Option<usize> {
    let start = span.start + 1;
    let raw = text.get(start..span.end.saturating_sub(1));
    (raw == Some(content)).then_some(start)
}

/// A value whose items all stand where the expression stands that they come from.
fn at_span<'t>(value: DeValue<'t>, span: &Range<usize>) -> DeValue<'t> {
    match value {
        DeValue::Array(items) => {
            let items = items.into_iter();
            let items = items.map(|item| Spanned::new(span.clone(), item.into_inner()));
            DeValue::Array(items.collect())
        }
        value => value,
    }
}

type Replacement<'t> = (Option<Value>, &'t String);

/// Replaces in the order of evaluation.
fn replace_in_table<'t>(
    table: &mut DeTable<'t>,
    replacements: &mut impl Iterator<Item = Replacement<'t>>,
    cut: &mut Vec<Cut>,
) {
    let mut at_fault = Vec::new();
    for (key, value) in table.iter_mut() {
        if !replace_in_value(value, replacements, cut) {
            at_fault.push((key.get_ref().clone(), value.span()));
        }
    }
    for (key, span) in at_fault {
        table.remove(key.as_ref());
        let key = key.into_owned();
        cut.push(Cut { key, span });
    }
}

/// Returns `false` if an expression in the list failed.
fn replace_in_value<'t>(
    value: &mut Spanned<DeValue<'t>>,
    replacements: &mut impl Iterator<Item = Replacement<'t>>,
    cut: &mut Vec<Cut>,
) -> bool {
    let span = value.span();
    match value.get_mut() {
        DeValue::String(content) if content.starts_with('=') => {
            let Some((worked_out, literal)) = replacements.next() else {
                return false;
            };
            *value.get_mut() = match worked_out {
                None => return false,
                Some(Value::Truth(truth)) => DeValue::Boolean(truth),
                Some(Value::Text(text)) => DeValue::String(Cow::Owned(text)),
                Some(Value::Number(_) | Value::Vector(_)) => match DeValue::parse(literal) {
                    Ok(parsed) => at_span(parsed.into_inner(), &span),
                    Err(_) => return false,
                },
            };
            true
        }
        DeValue::Array(array) => {
            let mut is_fine = true;
            for item in array.iter_mut() {
                is_fine &= replace_in_value(item, replacements, cut);
            }
            is_fine
        }
        DeValue::Table(table) => {
            replace_in_table(table, replacements, cut);
            true
        }
        _ => true,
    }
}

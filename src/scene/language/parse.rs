//! From text to expression.

use super::{Expression, ExpressionKind, Function, Operator, Problem};
use crate::scene::fault::suggest;
use std::ops::Range;
use winnow::combinator::{
    alt, cut_err, delimited, fail, not, opt, peek, preceded, repeat, separated, terminated,
};
use winnow::error::{ContextError, ErrMode, StrContext, StrContextValue};
use winnow::prelude::*;
use winnow::stream::{LocatingSlice, Location};
use winnow::token::{one_of, take_till, take_while};

/// The text that is parsed, which knows where it is.
type Input<'i> = LocatingSlice<&'i str>;

/// The longest text, in bytes, and how deep its brackets may go: parsing goes as deep as they do.
const LONGEST: usize = 1_000;
const DEEPEST: usize = 30;

/// Parses a text.
///
/// # Errors
///
/// If it is none of this language; the problem says at which character.
pub(crate) fn parse(text: &str) -> Result<Expression, Problem> {
    refuse_monsters(text)?;
    let whole = delimited(blanks, expression, blanks);
    let mut whole = terminated(
        whole,
        not(winnow::token::any).context(expected("an operator or the end")),
    );
    whole.parse(LocatingSlice::new(text)).map_err(|error| {
        let at = error.char_span();
        let rest = text.get(at.start..).unwrap_or_default();
        let message = match rest.split_whitespace().next() {
            Some(found) => format!("`{}` was not expected here", shortened(found)),
            None => String::from("the text ends too early"),
        };
        let wanted = error.inner().context().next().map(ToString::to_string);
        let wanted = wanted.unwrap_or_else(|| String::from("a number, a name or a text"));
        Problem::new(
            at,
            message,
            format!("write {}", wanted.trim_start_matches("expected ")),
        )
    })
}

fn shortened(found: &str) -> String {
    found.chars().take(20).collect()
}

fn refuse_monsters(text: &str) -> Result<(), Problem> {
    if text.len() > LONGEST {
        return Err(Problem::new(
            0..text.len(),
            format!("this is {} bytes long", text.len()),
            format!("stay below {LONGEST}"),
        ));
    }
    let mut depth = 0_usize;
    for (at, letter) in text.char_indices() {
        match letter {
            '(' => depth += 1,
            ')' => depth = depth.saturating_sub(1),
            _ => {}
        }
        if depth > DEEPEST {
            let message = format!("more than {DEEPEST} brackets are open here");
            return Err(Problem::new(at..at + 1, message, "take some brackets out"));
        }
    }
    Ok(())
}

fn expected(what: &'static str) -> StrContext {
    StrContext::Expected(StrContextValue::Description(what))
}

fn blanks(input: &mut Input<'_>) -> ModalResult<()> {
    take_while(0.., char::is_whitespace)
        .void()
        .parse_next(input)
}

fn expression(input: &mut Input<'_>) -> ModalResult<Expression> {
    climb(input, 0)
}

/// An operand, and what is joined to it by operators that bind at least so tightly.
fn climb(input: &mut Input<'_>, least: usize) -> ModalResult<Expression> {
    let mut whole = prefixed(input)?;
    let mut is_compared = false;
    loop {
        let tight = operator.verify(|operator: &Operator| operator.level() >= least);
        let Some(operator) = opt(delimited(blanks, tight, blanks)).parse_next(input)? else {
            return Ok(whole);
        };
        // 1 < x < 3 would compare a truth with a number.
        if operator.level() == Operator::Less.level() && std::mem::replace(&mut is_compared, true) {
            return cut_err(fail)
                .context(expected("`and` between two comparisons"))
                .parse_next(input);
        }
        let tighter = |input: &mut Input<'_>| climb(input, operator.level() + 1);
        let right = cut_err(tighter).parse_next(input)?;
        let span = whole.span.start..right.span.end;
        let kind = ExpressionKind::Binary(operator, Box::new(whole), Box::new(right));
        whole = Expression { kind, span };
    }
}

fn operator(input: &mut Input<'_>) -> ModalResult<Operator> {
    let words = alt((
        word("or").value(Operator::Or),
        word("and").value(Operator::And),
    ));
    let comparisons = alt((
        "<=".value(Operator::AtMost),
        ">=".value(Operator::AtLeast),
        "!=".value(Operator::Unequal),
        "<".value(Operator::Less),
        ">".value(Operator::More),
        "=".value(Operator::Equal),
    ));
    let sums = alt((
        "+".value(Operator::Plus),
        "-".value(Operator::Minus),
        "*".value(Operator::Times),
        "/".value(Operator::By),
    ));
    alt((words, comparisons, sums)).parse_next(input)
}

/// A word that is not the beginning of a longer name.
fn word<'i>(text: &'static str) -> impl Parser<Input<'i>, &'i str, ErrMode<ContextError>> {
    terminated(text, not(one_of(is_inside_name)))
}

/// An operand after any number of `-` and `not`.
fn prefixed(input: &mut Input<'_>) -> ModalResult<Expression> {
    let sign = alt(("-".value(false), word("not").value(true)));
    let signs: Vec<(bool, usize)> = repeat(0.., terminated((sign, location), blanks))
        .fold(Vec::new, |mut signs, sign| {
            signs.push(sign);
            signs
        })
        .parse_next(input)?;
    let mut whole = operand(input)?;
    for (is_not, end) in signs.into_iter().rev() {
        let start = end - if is_not { 3 } else { 1 };
        let span = start..whole.span.end;
        let inner = Box::new(whole);
        let kind = match is_not {
            true => ExpressionKind::Not(inner),
            false => ExpressionKind::Negative(inner),
        };
        whole = Expression { kind, span };
    }
    Ok(whole)
}

fn location(input: &mut Input<'_>) -> ModalResult<usize> {
    Ok(input.current_token_start())
}

fn operand(input: &mut Input<'_>) -> ModalResult<Expression> {
    let spanned = |(kind, span): (ExpressionKind, Range<usize>)| Expression { kind, span };
    alt((
        number.map(ExpressionKind::Number).with_span().map(spanned),
        quoted('"')
            .map(ExpressionKind::Text)
            .with_span()
            .map(spanned),
        quoted('`')
            .map(ExpressionKind::Name)
            .with_span()
            .map(spanned),
        bracketed,
        call,
        name.map(name_or_truth).with_span().map(spanned),
    ))
    .context(expected("a number, a name, a text in quotes or `(`"))
    .parse_next(input)
}

fn name_or_truth(name: &str) -> ExpressionKind {
    match name {
        "true" => ExpressionKind::Truth(true),
        "false" => ExpressionKind::Truth(false),
        _ => ExpressionKind::Name(name.to_owned()),
    }
}

fn number(input: &mut Input<'_>) -> ModalResult<f64> {
    let digits = |input: &mut Input<'_>| -> ModalResult<()> {
        take_while(1.., |letter: char| letter.is_ascii_digit() || letter == '_')
            .void()
            .parse_next(input)
    };
    let exponent = (one_of(['e', 'E']), opt(one_of(['+', '-'])), digits);
    peek(one_of('0'..='9')).void().parse_next(input)?;
    (digits, opt(('.', digits)), opt(exponent))
        .take()
        .verify_map(|text: &str| {
            let number = text.replace('_', "").parse::<f64>().ok()?;
            number.is_finite().then_some(number)
        })
        .context(expected("a number below 1.8e308"))
        .parse_next(input)
}

/// A text between two of the same quotes, with none of them inside.
fn quoted<'i>(quote: char) -> impl Parser<Input<'i>, String, ErrMode<ContextError>> {
    let rest = (take_till(0.., move |letter: char| letter == quote), quote);
    preceded(
        quote,
        cut_err(rest.map(|(text, _): (&str, char)| text.to_owned()))
            .context(expected("the closing quote")),
    )
}

fn bracketed(input: &mut Input<'_>) -> ModalResult<Expression> {
    let inner = cut_err(delimited(blanks, expression, blanks));
    let close = cut_err(')').context(expected("an operator or `)`"));
    delimited('(', inner, close).parse_next(input)
}

fn call(input: &mut Input<'_>) -> ModalResult<Expression> {
    let (((name, name_span), arguments), span) = (
        terminated(name.with_span(), '('),
        cut_err(terminated(
            separated(1.., delimited(blanks, expression, blanks), ','),
            ')'.context(expected("an operator, `,` or `)`")),
        )),
    )
        .with_span()
        .parse_next(input)?;
    let arguments: Vec<Expression> = arguments;
    let function = Function::ALL
        .into_iter()
        .find(|function| function.name() == name);
    let Some(function) = function else {
        // Told when it is worked out, with the names that there are: here only one position can be told.
        let kind = ExpressionKind::Name(format!("{name}()"));
        return Ok(Expression {
            kind,
            span: name_span,
        });
    };
    let kind = ExpressionKind::Call(function, arguments);
    Ok(Expression { kind, span })
}

/// A letter, and then letters, digits and `_`; `-`, `.` and `/` where a letter or a digit follows at once.
fn name<'i>(input: &mut Input<'i>) -> ModalResult<&'i str> {
    let start = one_of(|letter: char| letter.is_alphabetic() || letter == '_');
    let inside = one_of(|letter: char| letter.is_alphanumeric() || letter == '_').void();
    let joined = (one_of(['-', '.']), peek(one_of(char::is_alphanumeric))).void();
    (start, repeat::<_, _, (), _, _>(0.., alt((inside, joined))))
        .take()
        .verify(|name: &str| !matches!(name, "and" | "or" | "not"))
        .parse_next(input)
}

fn is_inside_name(letter: char) -> bool {
    letter.is_alphanumeric() || letter == '_'
}

/// What to say of a function that is not there.
pub(super) fn unknown_function(name: &str) -> String {
    suggest(name, "functions", Function::ALL.map(Function::name))
}

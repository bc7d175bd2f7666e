//! From text to expression.

use super::{Expression, ExpressionKind, Function, Operator, Path, Problem, Question};
use gerust::suggest;
use std::ops::Range;
use winnow::combinator::{
    alt, cut_err, delimited, fail, not, opt, peek, preceded, repeat, separated, terminated,
};
use winnow::error::{ContextError, ErrMode, StrContext, StrContextValue};
use winnow::prelude::*;
use winnow::stream::{LocatingSlice, Location};
use winnow::token::{any, one_of, take_till, take_while};

/// The text that is parsed, which knows where it is.
pub(super) type Input<'i> = LocatingSlice<&'i str>;

/// The longest text, in bytes, and how deep its brackets may go: parsing goes as deep as they do.
const LONGEST: usize = 1_000;
const DEEPEST: usize = 30;
/// Signs and `not` before an operand at most.
const MOST_SIGNS: usize = 8;

/// Parses a text.
///
/// # Errors
///
/// If it is none of this language; the problem says at which character.
pub(crate) fn parse(text: &str) -> Result<Expression, Problem> {
    parse_whole(text, expression, "an operator or the end")
}

/// Parses a text with nothing before or after but blanks.
pub(super) fn parse_whole<'i, T>(
    text: &'i str,
    parser: impl Parser<Input<'i>, T, ErrMode<ContextError>>,
    end: &'static str,
) -> Result<T, Problem> {
    check_size(text)?;
    let whole = delimited(blanks, parser, blanks);
    let mut whole = terminated(whole, not(any).context(expected(end)));
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

fn check_size(text: &str) -> Result<(), Problem> {
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

pub(super) fn expected(what: &'static str) -> StrContext {
    StrContext::Expected(StrContextValue::Description(what))
}

pub(super) fn blanks(input: &mut Input<'_>) -> ModalResult<()> {
    take_while(0.., char::is_whitespace)
        .void()
        .parse_next(input)
}

pub(super) fn expression(input: &mut Input<'_>) -> ModalResult<Expression> {
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
        let within = match operator {
            Operator::Equal => opt(preceded((blanks, word("within"), blanks), cut_err(tighter)))
                .parse_next(input)?,
            _ => None,
        };
        let end = within
            .as_ref()
            .map_or(right.span.end, |within| within.span.end);
        let span = whole.span.start..end;
        let kind = match within {
            Some(within) => ExpressionKind::Near(Box::new([whole, right, within])),
            None => ExpressionKind::Binary(operator, Box::new(whole), Box::new(right)),
        };
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
pub(super) fn word<'i>(
    text: &'static str,
) -> impl Parser<Input<'i>, &'i str, ErrMode<ContextError>> {
    terminated(text, not(one_of(is_inside_name)))
}

/// An operand after any number of `-` and `not`.
fn prefixed(input: &mut Input<'_>) -> ModalResult<Expression> {
    let sign = alt(("-".value(false), word("not").value(true)));
    let signs: Vec<(bool, usize)> = repeat(0..=MOST_SIGNS, terminated((sign, location), blanks))
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
    bare_operand
        .context(expected("a number, a name, a text in quotes or `(`"))
        .parse_next(input)
}

/// An operand or another alternative: the caller says what it expected.
pub(super) fn bare_operand(input: &mut Input<'_>) -> ModalResult<Expression> {
    let spanned = |(kind, span): (ExpressionKind, Range<usize>)| Expression { kind, span };
    let text = quoted('"').map(ExpressionKind::Text);
    alt((
        number.map(ExpressionKind::Number).with_span().map(spanned),
        text.with_span().map(spanned),
        bracketed,
        call,
        question
            .map(ExpressionKind::Question)
            .with_span()
            .map(spanned),
        truth.map(ExpressionKind::Truth).with_span().map(spanned),
        path.map(ExpressionKind::Path).with_span().map(spanned),
    ))
    .parse_next(input)
}

fn truth(input: &mut Input<'_>) -> ModalResult<bool> {
    alt((word("true").value(true), word("false").value(false))).parse_next(input)
}

/// Whether a name is one without backquotes, wherever it stands.
pub(super) fn is_plain(name: &str) -> bool {
    let mut whole = terminated(plain_name, not(any));
    let is_word = ["true", "false", "always", "never"].contains(&name);
    !is_word && whole.parse(LocatingSlice::new(name)).is_ok()
}

/// A name, plain or between backquotes, and the fields after it.
fn path(input: &mut Input<'_>) -> ModalResult<Path> {
    let field = preceded(
        '.',
        take_while(1.., |letter: char| is_inside_name(letter) || letter == '-'),
    );
    let fields = repeat(0.., field.map(str::to_owned));
    let base = alt((quoted('`'), plain_name.map(str::to_owned)));
    (base, fields)
        .map(|(base, fields)| Path { base, fields })
        .parse_next(input)
}

/// A question: a name or `count of`, followed by a word of a question.
fn question(input: &mut Input<'_>) -> ModalResult<Question> {
    let entity =
        |input: &mut Input<'_>| alt((quoted('`'), plain_name.map(str::to_owned))).parse_next(input);
    let of = |kind: &'static str| (word(kind), blanks, word("of"), blanks).void();
    let other = |input: &mut Input<'_>| {
        cut_err(preceded(blanks, entity))
            .context(expected("the name of an entity"))
            .parse_next(input)
    };
    let named = |input: &mut Input<'_>| {
        cut_err(entity)
            .context(expected("a name"))
            .parse_next(input)
    };
    let related = |input: &mut Input<'_>| {
        let (one, _, relation) = (entity, blanks, relation).parse_next(input)?;
        Ok(match relation {
            Relation::OfOne(question) => question(one),
            Relation::OfTwo(question) => question(one, other(input)?),
        })
    };
    alt((
        preceded(of("count"), named).map(Question::Count),
        preceded(of("contacts"), named).map(Question::Contacts),
        preceded(of("events"), named).map(Question::Events),
        preceded(of("control"), named).map(Question::Control),
        preceded(of("counter"), named).map(Question::Counter),
        related,
    ))
    .parse_next(input)
}

/// Makes a question of one name or two.
#[derive(Clone, Copy)]
enum Relation {
    OfOne(fn(String) -> Question),
    OfTwo(fn(String, String) -> Question),
}

fn relation(input: &mut Input<'_>) -> ModalResult<Relation> {
    let two =
        |first: &'static str, second: &'static str| (word(first), blanks, word(second)).void();
    alt((
        word("touches").value(Relation::OfTwo(Question::Touches)),
        two("stands", "on").value(Relation::OfTwo(Question::StandsOn)),
        two("is", "inside").value(Relation::OfTwo(Question::IsInside)),
        two("is", "under").value(Relation::OfTwo(Question::IsUnder)),
        word("exists").value(Relation::OfOne(Question::Exists)),
        word("happens").value(Relation::OfOne(Question::Happens)),
    ))
    .parse_next(input)
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

/// An expression in brackets, or a vector of three.
fn bracketed(input: &mut Input<'_>) -> ModalResult<Expression> {
    let inner =
        |input: &mut Input<'_>| cut_err(delimited(blanks, expression, blanks)).parse_next(input);
    let ((first, more), span) = delimited(
        '(',
        (
            inner,
            opt((
                preceded(',', inner),
                preceded(cut_err(',').context(expected("an operator or `,`")), inner),
            )),
        ),
        cut_err(')').context(expected("an operator or `)`")),
    )
    .with_span()
    .parse_next(input)?;
    Ok(match more {
        None => first,
        Some((second, third)) => Expression {
            kind: ExpressionKind::Vector(Box::new([first, second, third])),
            span,
        },
    })
}

fn call(input: &mut Input<'_>) -> ModalResult<Expression> {
    let (((name, name_span), arguments), span) = (
        terminated(plain_name.with_span(), '('),
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
        // Reported at evaluation, with the known names: a parse error has only one position.
        let kind = ExpressionKind::Path(Path {
            base: format!("{name}()"),
            fields: Vec::new(),
        });
        return Ok(Expression {
            kind,
            span: name_span,
        });
    };
    let kind = ExpressionKind::Call(function, arguments);
    Ok(Expression { kind, span })
}

/// A letter, and then letters, digits and `_`, and `-` where a letter or a digit follows at once.
pub(super) fn plain_name<'i>(input: &mut Input<'i>) -> ModalResult<&'i str> {
    let start = one_of(|letter: char| letter.is_alphabetic() || letter == '_');
    let inside = one_of(|letter: char| letter.is_alphanumeric() || letter == '_').void();
    let joined = ('-', peek(one_of(char::is_alphanumeric))).void();
    (start, repeat::<_, _, (), _, _>(0.., alt((inside, joined))))
        .take()
        .verify(|name: &str| !matches!(name, "and" | "or" | "not"))
        .parse_next(input)
}

fn is_inside_name(letter: char) -> bool {
    letter.is_alphanumeric() || letter == '_'
}

/// The message about an unknown function.
pub(crate) fn unknown_function(name: &str) -> String {
    suggest(name, "functions", Function::ALL.map(Function::name))
}

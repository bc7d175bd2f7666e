use super::evaluate::Names;
use super::*;
use proptest::prelude::*;

/// Some names and what they stand for.
struct Known(&'static [(&'static str, f64)]);

impl Names for Known {
    fn value(&self, name: &str) -> Option<Value> {
        let mut known = self.0.iter();
        let found = known.find(|(other, _)| *other == name);
        found.map(|&(_, number)| Value::Number(number))
    }

    fn all(&self) -> Vec<&str> {
        self.0.iter().map(|(name, _)| *name).collect()
    }
}

const KNOWN: Known = Known(&[("crates", 12.0), ("truck-1", 3.0), ("half", 0.5)]);

fn worked_out(text: &str) -> Result<Value, Problem> {
    parse(text)?.value(&KNOWN)
}

fn number(text: &str) -> f64 {
    match worked_out(text) {
        Ok(Value::Number(number)) => number,
        other => panic!("{text} comes to {other:?}"),
    }
}

#[test]
fn sums_follow_the_usual_order() {
    for (text, wanted) in [
        ("1", 1.0),
        (" 1_000.5e-1 ", 100.05),
        ("2 + 3 * 4", 14.0),
        ("(2 + 3) * 4", 20.0),
        ("10 - 4 - 3", 3.0),
        ("2 -1", 1.0),
        ("12 / 4 / 3", 1.0),
        ("-crates * half", -6.0),
        ("2 * -3", -6.0),
        ("- -3", 3.0),
        ("truck-1 - 1", 2.0),
        ("crates-1", f64::NAN),
        ("max(1, crates, 3) + min(4, 2)", 14.0),
        (
            "round(sqrt(2) * 10) + floor(1.9) + ceil(0.1) + abs(-3)",
            19.0,
        ),
        ("sin(90) + cos(60)", 1.5),
        ("`truck-1`*2", 6.0),
    ] {
        if wanted.is_nan() {
            // A name, not a difference: blanks make the difference.
            assert!(worked_out(text).is_err(), "{text}");
        } else {
            assert!((number(text) - wanted).abs() < 1e-12, "{text}");
        }
    }
}

#[test]
fn comparisons_and_words_come_to_truths() {
    for (text, wanted) in [
        ("1 < 2 and 2 <= 2", true),
        ("1 > 2 or not false", true),
        ("not 1 = 1", false),
        ("crates != 12 or crates >= 12 and true", true),
        ("\"quay\" = \"quay\"", true),
        ("true = false", false),
    ] {
        // `not` takes the operand after it, so it needs brackets before a comparison.
        let text = text.replace("not 1 = 1", "not (1 = 1)");
        assert_eq!(worked_out(&text), Ok(Value::Truth(wanted)), "{text}");
    }
}

#[test]
fn problems_point_at_the_character() {
    for (text, span, message, mend) in [
        (
            "",
            0..0,
            "the text ends too early",
            "write a number, a name, a text in quotes or `(`",
        ),
        (
            "2 +",
            3..3,
            "the text ends too early",
            "write a number, a name, a text in quotes or `(`",
        ),
        (
            "2 3",
            2..3,
            "`3` was not expected here",
            "write an operator or the end",
        ),
        (
            "(2",
            2..2,
            "the text ends too early",
            "write an operator or `)`",
        ),
        (
            "\"open",
            5..5,
            "the text ends too early",
            "write the closing quote",
        ),
        (
            "1 < 2 < 3",
            8..9,
            "`3` was not expected here",
            "write `and` between two comparisons",
        ),
        (
            "2 $ 3",
            2..3,
            "`$` was not expected here",
            "write an operator or the end",
        ),
        (
            "max(1; 2)",
            5..6,
            "`;` was not expected here",
            "write an operator, `,` or `)`",
        ),
        (
            "3 + crats",
            4..9,
            "`crats` stands for nothing",
            "did you mean `crates`?",
        ),
        (
            "maxx(1)",
            0..4,
            "there is no function `maxx`",
            "did you mean `max`?",
        ),
        (
            "1 + \"a\"",
            4..7,
            "a text was found where a number is wanted",
            "write a number",
        ),
        (
            "1 = true",
            4..8,
            "true or false was found where a number is wanted",
            "write a number",
        ),
        (
            "not 3",
            4..5,
            "a number was found where true or false is wanted",
            "write true or false",
        ),
        (
            "2 / 0",
            0..5,
            "this comes to inf",
            "keep clear of divisions by 0",
        ),
        (
            "sqrt(-1)",
            0..8,
            "this comes to NaN",
            "keep clear of divisions by 0",
        ),
        (
            "abs(1, 2)",
            0..9,
            "`abs` was given 2 numbers",
            "give `abs` one",
        ),
    ] {
        let problem = worked_out(text).expect_err(text);
        assert_eq!(
            (problem.span, problem.message.as_str()),
            (span, message),
            "{text}"
        );
        assert!(problem.mend.starts_with(mend), "{text}: {}", problem.mend);
    }
}

#[test]
fn monsters_are_refused_and_not_parsed() {
    let deep = format!("{}1{}", "(".repeat(31), ")".repeat(31));
    assert!(
        parse(&deep)
            .expect_err("too deep")
            .message
            .contains("brackets are open")
    );
    assert!(
        parse(&"1 + ".repeat(300))
            .expect_err("too long")
            .message
            .contains("bytes long")
    );
    let signs = format!("{}1", "-".repeat(900));
    assert_eq!(worked_out(&signs), Ok(Value::Number(1.0)));
    assert_eq!(number(&format!("1{}", " + 1".repeat(240))), 241.0);
}

/// Any expression, without places.
fn expressions() -> impl Strategy<Value = Expression> {
    let at = |kind| Expression { kind, span: 0..0 };
    let leaf = prop_oneof![
        (0.0_f64..1e9).prop_map(ExpressionKind::Number),
        "[a-z ]{0,6}".prop_map(ExpressionKind::Text),
        any::<bool>().prop_map(ExpressionKind::Truth),
        "[a-z][a-z0-9 -]{0,6}".prop_map(ExpressionKind::Name),
    ]
    .prop_map(at);
    leaf.prop_recursive(4, 30, 3, move |inner| {
        let operator = prop_oneof![
            Just(Operator::Or),
            Just(Operator::And),
            Just(Operator::Less),
            Just(Operator::Equal),
            Just(Operator::AtLeast),
            Just(Operator::Plus),
            Just(Operator::Minus),
            Just(Operator::Times),
            Just(Operator::By),
        ];
        prop_oneof![
            inner
                .clone()
                .prop_map(|inner| ExpressionKind::Negative(Box::new(inner))),
            inner
                .clone()
                .prop_map(|inner| ExpressionKind::Not(Box::new(inner))),
            (operator, inner.clone(), inner.clone()).prop_map(|(operator, left, right)| {
                ExpressionKind::Binary(operator, Box::new(left), Box::new(right))
            }),
            (
                0..Function::ALL.len(),
                proptest::collection::vec(inner, 1..3)
            )
                .prop_map(|(function, arguments)| ExpressionKind::Call(
                    Function::ALL[function],
                    arguments
                )),
        ]
        .prop_map(at)
    })
}

/// The same expression without places.
fn without_places(mut expression: Expression) -> Expression {
    expression.span = 0..0;
    expression.kind = match expression.kind {
        ExpressionKind::Negative(inner) => {
            ExpressionKind::Negative(Box::new(without_places(*inner)))
        }
        ExpressionKind::Not(inner) => ExpressionKind::Not(Box::new(without_places(*inner))),
        ExpressionKind::Binary(operator, left, right) => ExpressionKind::Binary(
            operator,
            Box::new(without_places(*left)),
            Box::new(without_places(*right)),
        ),
        ExpressionKind::Call(function, arguments) => ExpressionKind::Call(
            function,
            arguments.into_iter().map(without_places).collect(),
        ),
        leaf => leaf,
    };
    expression
}

proptest! {
    #[test]
    fn no_text_makes_the_parser_panic(text in "\\PC{0,40}") {
        if let Ok(expression) = parse(&text) {
            let _ = expression.value(&KNOWN);
        }
    }

    #[test]
    fn no_likely_text_makes_the_parser_panic(text in "[-+*/()<>=!\"`,. a-z0-9\n]{0,60}") {
        match parse(&text) {
            Ok(expression) => {
                let _ = expression.value(&KNOWN);
            }
            Err(problem) => prop_assert!(text.get(problem.span.clone()).is_some(), "{:?}", problem),
        }
    }

    #[test]
    fn what_is_printed_is_parsed_to_the_same(expression in expressions()) {
        let text = expression.to_string();
        let parsed = parse(&text);
        prop_assert_eq!(parsed.map(without_places), Ok(expression), "{}", text);
    }
}

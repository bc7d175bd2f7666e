use super::evaluate::Names;
use super::expectation::ExpectationText;
use super::*;
use proptest::prelude::*;

/// Some names and what they stand for.
struct Known(&'static [(&'static str, f64)]);

impl Names for Known {
    fn value(&self, path: &Path) -> Result<Option<Value>, (String, String)> {
        let mut known = self.0.iter();
        let found = known.find(|(other, _)| *other == path.to_string());
        Ok(found.map(|&(_, number)| Value::Number(number)))
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
    for (text, span, message, fix) in [
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
            "unknown function `maxx`",
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
            "`abs` was given 2 values",
            "give `abs` one",
        ),
    ] {
        let problem = worked_out(text).expect_err(text);
        assert_eq!(
            (problem.span, problem.message.as_str()),
            (span, message),
            "{text}"
        );
        assert!(problem.fix.starts_with(fix), "{text}: {}", problem.fix);
    }
}

#[test]
fn names_that_are_words_stand_between_backquotes() {
    for word in [
        "and", "or", "not", "true", "false", "always", "never", "1a", "a-", "a b", "",
    ] {
        let path = Path {
            base: word.to_owned(),
            fields: vec![String::from("x")],
        };
        let kind = ExpressionKind::Path(path);
        let expression = Expression { kind, span: 0..0 };
        assert_eq!(expression.to_string(), format!("`{word}`.x"));
        assert_eq!(
            parse(&expression.to_string()).map(without_places),
            Ok(expression),
            "{word}"
        );
    }
}

#[test]
fn expressions_that_are_too_large_are_refused() {
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
    assert_eq!(worked_out("--------1"), Ok(Value::Number(1.0)));
    assert!(worked_out("---------1").is_err());
    assert_eq!(number(&format!("1{}", " + 1".repeat(240))), 241.0);
}

fn questions() -> impl Strategy<Value = Question> {
    let names = || "[a-z][a-z0-9 /-]{0,6}";
    (0..11, names(), names()).prop_map(|(kind, one, other)| match kind {
        0 => Question::Touches(one, other),
        1 => Question::StandsOn(one, other),
        2 => Question::IsInside(one, other),
        3 => Question::IsUnder(one, other),
        4 => Question::Exists(one),
        5 => Question::Count(one),
        6 => Question::Happens(one),
        7 => Question::Events(one),
        8 => Question::Control(one),
        9 => Question::Counter(one),
        _ => Question::Contacts(one),
    })
}

/// Any expression, without places.
fn expressions() -> impl Strategy<Value = Expression> {
    let at = |kind| Expression { kind, span: 0..0 };
    let leaf = prop_oneof![
        (0.0_f64..1e9).prop_map(ExpressionKind::Number),
        "[a-z ]{0,6}".prop_map(ExpressionKind::Text),
        any::<bool>().prop_map(ExpressionKind::Truth),
        questions().prop_map(ExpressionKind::Question),
        (
            "[a-z][a-z0-9 ]{0,6}",
            proptest::collection::vec("[a-z][a-z-]{0,3}", 0..3)
        )
            .prop_map(|(base, fields)| ExpressionKind::Path(Path { base, fields })),
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
            proptest::array::uniform3(inner.clone())
                .prop_map(|parts| ExpressionKind::Vector(Box::new(parts))),
            proptest::array::uniform3(inner.clone())
                .prop_map(|parts| ExpressionKind::Near(Box::new(parts))),
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
        ExpressionKind::Vector(parts) => {
            ExpressionKind::Vector(Box::new(parts.map(without_places)))
        }
        ExpressionKind::Near(parts) => ExpressionKind::Near(Box::new(parts.map(without_places))),
        leaf => leaf,
    };
    expression
}

/// Any expectation, without places.
fn expectations() -> impl Strategy<Value = ExpectationText> {
    let times = || {
        (any::<bool>(), expressions()).prop_map(|(is_seconds, number)| match is_seconds {
            true => Time::Seconds(number),
            false => Time::Frame(number),
        })
    };
    let when = prop_oneof![
        Just(WhenText::AtEnd),
        Just(WhenText::Always),
        Just(WhenText::Never),
        times().prop_map(WhenText::At),
        times().prop_map(WhenText::By),
        times().prop_map(WhenText::For),
        (times(), times()).prop_map(|(from, to)| WhenText::During(from, to)),
    ];
    (expressions(), when).prop_map(|(condition, when)| ExpectationText { condition, when })
}

fn time_without_places(time: Time) -> Time {
    match time {
        Time::Seconds(number) => Time::Seconds(without_places(number)),
        Time::Frame(number) => Time::Frame(without_places(number)),
    }
}

fn expectation_without_places(expectation: ExpectationText) -> ExpectationText {
    ExpectationText {
        condition: without_places(expectation.condition),
        when: match expectation.when {
            WhenText::At(time) => WhenText::At(time_without_places(time)),
            WhenText::By(time) => WhenText::By(time_without_places(time)),
            WhenText::For(time) => WhenText::For(time_without_places(time)),
            WhenText::During(from, to) => {
                WhenText::During(time_without_places(from), time_without_places(to))
            }
            other => other,
        },
    }
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
    fn no_likely_expectation_makes_the_parser_panic(
        words in proptest::collection::vec(prop_oneof![
            Just("always"), Just("never"), Just("at"), Just("by"), Just("from"), Just("to"), Just("for"), Just("s"), Just("frame"),
            Just("touches"), Just("stands on"), Just("is inside"), Just("exists"), Just("count of"), Just("within"), Just("a.b"),
            Just("3"), Just("="), Just("("), Just(")"), Just(","), Just("`x"),
        ], 0..12),
    ) {
        let _ = parse_expectation(&words.join(" "));
    }

    #[test]
    fn expectations_are_parsed_to_what_was_printed(expectation in expectations()) {
        let text = expectation.to_string();
        // Some are longer than any may be.
        prop_assume!(text.len() < 900);
        let parsed = parse_expectation(&text).map(expectation_without_places);
        prop_assert_eq!(parsed, Ok(expectation), "{}", text);
    }

    #[test]
    fn what_is_printed_is_parsed_to_the_same(expression in expressions()) {
        let text = expression.to_string();
        prop_assume!(text.len() < 900);
        let parsed = parse(&text);
        prop_assert_eq!(parsed.map(without_places), Ok(expression), "{}", text);
    }
}

#[test]
fn the_depth_of_brackets_is_counted_and_its_place_given() {
    let nested = |depth: usize| format!("{}1{}", "(".repeat(depth), ")".repeat(depth));
    assert_eq!(number(&nested(30)), 1.0);
    let problem = parse(&nested(31)).expect_err("one too many");
    assert_eq!(problem.span, 30..31, "the bracket that is one too many");
    // Closed brackets do not count.
    let many = vec!["(1)"; 100].join(" + ");
    assert_eq!(number(&many), 100.0);
    let twice = format!("{} + {}", nested(30), nested(30));
    assert_eq!(number(&twice), 2.0);
}

#[test]
fn vectors_are_multiplied_and_divided_by_numbers_only() {
    let vector = |text: &str| match worked_out(text).expect(text) {
        Value::Vector(vector) => vector,
        other => panic!("{text} came to {other:?}"),
    };
    assert_eq!(vector("(1, 2, 3) + (10, 20, 30)"), [11.0, 22.0, 33.0]);
    assert_eq!(vector("(1, 2, 3) - (10, 20, 30)"), [-9.0, -18.0, -27.0]);
    assert_eq!(vector("(1, 2, 3) * 4"), [4.0, 8.0, 12.0]);
    assert_eq!(vector("(1, 2, 3) / 4"), [0.25, 0.5, 0.75]);
    assert_eq!(vector("4 * (1, 2, 3)"), [4.0, 8.0, 12.0]);
    for wrong in [
        "(1, 2, 3) * (1, 2, 3)",
        "(1, 2, 3) / (1, 2, 3)",
        "(1, 2, 3) + 1",
        "1 + (1, 2, 3)",
        "1 / (1, 2, 3)",
        "1 - (1, 2, 3)",
        "(1, 2, 3) < (1, 2, 4)",
    ] {
        assert!(worked_out(wrong).is_err(), "{wrong}");
    }
}

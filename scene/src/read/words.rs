//! What parsers and `serde` say, in words for the author of a scene.

use crate::fault::Fault;
use gerust::suggest;
use std::ops::Range;

/// `start` is where the file begins in the text of all files.
pub(super) fn syntax_fault(error: &toml::de::Error, start: usize) -> Fault {
    let span = error.span().unwrap_or(0..0);
    Fault::new(
        span.start + start..span.end + start,
        format!("this is not TOML: {}", error.message().trim()),
        "fix the line; the rest of the file is checked after that",
    )
}

/// Puts a message of `serde` into words for the author of a scene.
pub(super) fn shape_fault(error: &toml::de::Error, span: Range<usize>) -> Fault {
    let message = error.message().trim();
    let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
    if message.starts_with("unknown field")
        && let [wrong, known @ ..] = quoted.as_slice()
    {
        return Fault::new(
            span,
            format!("unknown key `{wrong}` here"),
            suggest(wrong, "keys", known.iter().copied()),
        );
    }
    if message.starts_with("unknown variant")
        && let [wrong, known @ ..] = quoted.as_slice()
    {
        return Fault::new(
            span,
            format!("`{wrong}` is not one of the choices"),
            suggest(wrong, "choices", known.iter().copied()),
        );
    }
    if message.starts_with("missing field")
        && let [missing, ..] = quoted.as_slice()
    {
        return Fault::new(
            span,
            format!("the key `{missing}` is missing"),
            format!("add `{missing} = …`"),
        );
    }
    let found_wanted = ["invalid type: ", "invalid value: ", "invalid length "]
        .iter()
        .find_map(|prefix| message.strip_prefix(prefix))
        .and_then(|rest| rest.split_once(", expected "));
    match found_wanted {
        Some((found, wanted)) => Fault::new(
            span,
            format!(
                "{} was found where {} is wanted",
                found_in_words(found),
                in_words(wanted)
            ),
            format!("write {}", in_words(wanted)),
        ),
        None => Fault::new(span, message.to_owned(), "fix the value"),
    }
}

/// What `serde` found, in words: `integer `7`` is 7.
fn found_in_words(found: &str) -> String {
    if let Some(text) = found.strip_prefix("string ") {
        return format!("the text {text}");
    }
    match found.split('`').nth(1) {
        Some(value) => value.to_owned(),
        None => in_words(found),
    }
}

/// Rust's names for shapes of values, in words.
fn in_words(shape: &str) -> String {
    match shape {
        "f32" | "f64" => String::from("a number"),
        "u64" | "u32" | "usize" => String::from("a whole number that is not negative"),
        "i64" | "i32" => String::from("a whole number"),
        "a string" => String::from("a text in quotes"),
        "a boolean" => String::from("`true` or `false`"),
        "sequence" | "a sequence" => String::from("a list in brackets"),
        "map" => String::from("a table"),
        _ => match shape.strip_prefix("an array of length ") {
            Some(length) => format!("a list of {length} values"),
            None => match shape.strip_prefix("struct ") {
                Some(_) => String::from("a table in braces"),
                None => match shape.parse::<usize>() {
                    Ok(length) => format!("a list of {length}"),
                    Err(_) => shape.to_owned(),
                },
            },
        },
    }
}

//! Values as JSON and as [`Datum`].

use gerust::store::Datum;
use serde::Serialize;
use serde_json::Value as Json;

/// JSON as data; every JSON value can be written.
pub(crate) fn datum_of(value: &Json) -> Datum {
    Datum::of(value).unwrap_or_default()
}

/// Data as JSON.
pub(crate) fn json_of(datum: &Datum) -> Json {
    serde_json::to_value(datum).unwrap_or_default()
}

/// A value as JSON, with as many digits as its numbers need.
///
/// # Panics
///
/// If it cannot be written, such as a map whose keys are not texts.
pub(crate) fn short_json(value: &impl Serialize) -> Json {
    // By way of text: as a value, a number of 32 bits would become one of 64 with digits that say nothing.
    let text = serde_json::to_string(value).expect("the value can be written");
    serde_json::from_str(&text).expect("it was written just now")
}

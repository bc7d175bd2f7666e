//! Values as JSON and as [`Datum`].

use gerust::store::Datum;
use serde_json::Value as Json;

/// JSON as data; every JSON value can be written.
pub(crate) fn datum_of(value: &Json) -> Datum {
    Datum::of(value).unwrap_or_default()
}

/// Data as JSON.
pub(crate) fn json_of(datum: &Datum) -> Json {
    serde_json::to_value(datum).unwrap_or_default()
}

//! From values to TOML.

use serde_json::Value as Json;
use toml_edit::{Array, InlineTable, Item, Value};

/// A value as an item; nothing if it is nothing.
pub(super) fn item(value: &Json) -> Option<Item> {
    match value {
        Json::Null => None,
        other => Some(Item::Value(inline(other))),
    }
}

/// A value on one line. Tables lack what is nothing; a list cannot.
pub(super) fn inline(value: &Json) -> Value {
    match value {
        Json::Null => Value::from(""),
        Json::Bool(truth) => Value::from(*truth),
        Json::Number(number) => match number.as_i64() {
            Some(whole) => Value::from(whole),
            // TOML has no whole numbers beyond these.
            None => Value::from(number.as_f64().unwrap_or_default()),
        },
        Json::String(text) => Value::from(text.as_str()),
        Json::Array(items) => Value::Array(items.iter().map(inline).collect::<Array>()),
        Json::Object(fields) => {
            let mut table = InlineTable::new();
            for (key, value) in fields {
                if !value.is_null() {
                    table.insert(key, inline(value));
                }
            }
            Value::InlineTable(table)
        }
    }
}

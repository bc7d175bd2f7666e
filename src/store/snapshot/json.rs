//! From CBOR to JSON.

use super::exact::SOME;
use ciborium::Value;
use serde_json::{Map, Number, Value as Json};

/// A value as JSON; nothing if it is no CBOR.
pub(super) fn of_bytes(bytes: &[u8]) -> Json {
    let value: Result<Value, _> = ciborium::from_reader(bytes);
    value.map_or(Json::Null, |value| of_value(&value))
}

fn of_value(value: &Value) -> Json {
    match value {
        Value::Bool(truth) => Json::Bool(*truth),
        Value::Text(text) => Json::String(text.clone()),
        Value::Float(number) => of_float(*number),
        Value::Integer(number) => {
            let number = i128::from(*number);
            let small = i64::try_from(number).map(Number::from);
            let number = small.or_else(|_| u64::try_from(number).map(Number::from));
            number.map_or(Json::Null, Json::Number)
        }
        Value::Bytes(bytes) => bytes.iter().map(|&byte| Json::from(byte)).collect(),
        Value::Array(items) => items.iter().map(of_value).collect(),
        Value::Map(entries) => {
            let entries = entries.iter();
            let keyed = entries.map(|(key, value)| (key_of(key), of_value(value)));
            Json::Object(keyed.collect::<Map<String, Json>>())
        }
        Value::Tag(SOME, inner) => {
            Json::Object(Map::from_iter([(String::from("some"), of_value(inner))]))
        }
        Value::Tag(_, inner) => of_value(inner),
        _ => Json::Null,
    }
}

fn key_of(key: &Value) -> String {
    match key {
        Value::Text(text) => text.clone(),
        other => of_value(other).to_string(),
    }
}

/// CBOR does not tell numbers of 32 bits from those of 64: one that fits into the former is written with its few digits.
fn of_float(number: f64) -> Json {
    let small = number as f32;
    let digits = match f64::from(small) == number {
        true => small.to_string().parse().unwrap_or(number),
        false => number,
    };
    Number::from_f64(digits).map_or(Json::Null, Json::Number)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn values_of_all_kinds_are_reported() {
        let told = |value: &dyn Fn(&mut Vec<u8>)| {
            let mut bytes = Vec::new();
            value(&mut bytes);
            of_bytes(&bytes)
        };
        macro_rules! told {
            ($value:expr) => {
                told(&|bytes| ciborium::into_writer(&$value, bytes).expect("memory does not fail"))
            };
        }
        assert_eq!(told!(0.1_f32), json!(0.1));
        assert_eq!(told!(0.1_f64), json!(0.1));
        assert_eq!(told!(f32::NAN), Json::Null);
        assert_eq!(told!((1_u8, -7_i64, u64::MAX)), json!([1, -7, u64::MAX]));
        assert_eq!(told!(Some("gull")), json!("gull"));
        assert_eq!(told!(None::<u8>), Json::Null);
        let map = std::collections::BTreeMap::from([(3, true)]);
        assert_eq!(told!(map), json!({ "3": true }));
        assert_eq!(of_bytes(&[0xff]), Json::Null);
    }
}

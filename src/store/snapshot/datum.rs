//! Values as data, without their Rust type.

use crate::error::{Error, Kind};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::Value as Json;
use std::fmt;

/// A value as data, as its `Serialize` writes it: a component of a [`Snapshot`](super::Snapshot), an event of a scene, or the
/// argument of an action.
///
/// It prints as JSON on one line. [`Datum::read`] reads it into a Rust type, and [`Datum::at`] leads to a field of it.
///
/// # Example
///
/// ```
/// use gerust::Datum;
///
/// #[derive(Clone, serde::Serialize, serde::Deserialize)]
/// struct Load { tonnes: f64, from: Vec<String> }
///
/// let load = Load { tonnes: 20.5, from: vec![String::from("ship"), String::from("yard")] };
/// let datum = Datum::of(&load)?;
/// assert_eq!(datum.to_string(), r#"{"from":["ship","yard"],"tonnes":20.5}"#);
/// assert_eq!(datum.at("tonnes").expect("it is a field").read::<f64>()?, 20.5);
/// assert_eq!(datum.at("from.1").expect("there are two").to_string(), r#""yard""#);
/// assert_eq!(datum.read::<Load>()?.from[0], "ship");
/// assert_eq!(datum.at("from.1").expect("there are two").as_str(), Some("yard"));
/// let error = datum.read::<f64>().unwrap_err();
/// assert!(error.to_string().starts_with("the data cannot be read as this type: "));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Datum(pub(crate) Json);

impl Datum {
    /// A value as data.
    ///
    /// # Errors
    ///
    /// If its `Serialize` fails, or if it has a map whose keys are not texts.
    pub fn of(value: &(impl Serialize + ?Sized)) -> Result<Self, Error> {
        serde_json::to_value(value)
            .map(Self)
            .map_err(|error| Error::from(Kind::UnwritableDatum(error.to_string())))
    }

    /// Reads the value as a type.
    ///
    /// # Errors
    ///
    /// If the data does not fit the type: a field is missing or of another type.
    pub fn read<T: DeserializeOwned>(&self) -> Result<T, Error> {
        T::deserialize(&self.0)
            .map_err(|error| Error::from(Kind::UnreadableDatum(error.to_string())))
    }

    /// A field at a path, such as `translation.0`: names of fields and numbers of items, counted from 0, with dots in between.
    /// `None` if there is no such field.
    #[must_use]
    pub fn at(&self, path: &str) -> Option<Self> {
        let step = |value: &Json, key: &str| match value {
            Json::Array(items) => items.get(key.parse::<usize>().ok()?).cloned(),
            other => other.get(key).cloned(),
        };
        let mut keys = path.split('.');
        let first = step(&self.0, keys.next()?)?;
        keys.try_fold(first, |value, key| step(&value, key))
            .map(Self)
    }

    /// The text, if the value is one.
    #[must_use]
    pub fn as_str(&self) -> Option<&str> {
        self.0.as_str()
    }
}

impl fmt::Display for Datum {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

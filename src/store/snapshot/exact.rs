//! CBOR in which `Some(None)` and `Some(())` differ from `None`.
//!
//! Serde leaves it to the format how an option is written, and the usual form of CBOR writes what is inside, or null. An option
//! of something that is null itself then reads as `None`. Such an option is written here as null under a tag; everything else is
//! as usual, so that other readers of CBOR understand it.

mod de;
mod ser;

use ciborium::Value;
use serde::Serialize;
use serde::de::DeserializeOwned;

/// The tag of an option whose content is null, or is tagged in turn. From the range that is free for private use.
pub(super) const SOME: u64 = 0x5350_4d45;

/// Writes a value, or returns why that is not possible.
pub(super) fn write(value: &(impl Serialize + ?Sized), bytes: &mut Vec<u8>) -> Result<(), String> {
    ciborium::into_writer(&ser::Exact(value), bytes).map_err(|error| match error {
        ciborium::ser::Error::Value(reason) => reason,
        ciborium::ser::Error::Io(error) => error.to_string(),
    })
}

/// Reads a value that [`write`] has written.
pub(super) fn read<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, String> {
    let value: Value = ciborium::from_reader(bytes).map_err(|error| error.to_string())?;
    T::deserialize(de::Exact(value)).map_err(|error| error.to_string())
}

#[cfg(test)]
mod tests;

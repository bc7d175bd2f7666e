//! Writing: every value inside of a value goes through [`Exact`].

use super::SOME;
use ciborium::tag::Captured;
use serde::ser::{self, Impossible, Serialize, Serializer};
use std::fmt;

/// A value written in the exact form, with nested options kept apart.
pub(super) struct Exact<T>(pub(super) T);

impl<T: Serialize> Serialize for Exact<T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.0.serialize(Through(serializer))
    }
}

/// A serializer that hands everything on, options of null apart.
struct Through<S>(S);

macro_rules! hand_on {
    ($($method:ident: $type:ty),*) => {
        $(fn $method(self, value: $type) -> Result<S::Ok, S::Error> {
            self.0.$method(value)
        })*
    };
}

impl<S: Serializer> Serializer for Through<S> {
    type Ok = S::Ok;
    type Error = S::Error;
    type SerializeSeq = Through<S::SerializeSeq>;
    type SerializeTuple = Through<S::SerializeTuple>;
    type SerializeTupleStruct = Through<S::SerializeTupleStruct>;
    type SerializeTupleVariant = Through<S::SerializeTupleVariant>;
    type SerializeMap = Through<S::SerializeMap>;
    type SerializeStruct = Through<S::SerializeStruct>;
    type SerializeStructVariant = Through<S::SerializeStructVariant>;

    hand_on!(
        serialize_bool: bool, serialize_i8: i8, serialize_i16: i16, serialize_i32: i32, serialize_i64: i64,
        serialize_i128: i128, serialize_u8: u8, serialize_u16: u16, serialize_u32: u32, serialize_u64: u64,
        serialize_u128: u128, serialize_f32: f32, serialize_f64: f64, serialize_char: char,
        serialize_str: &str, serialize_bytes: &[u8], serialize_unit_struct: &'static str
    );

    fn serialize_none(self) -> Result<S::Ok, S::Error> {
        self.0.serialize_none()
    }

    fn serialize_some<T: Serialize + ?Sized>(self, value: &T) -> Result<S::Ok, S::Error> {
        match value.serialize(IsNull) {
            Ok(()) => Captured(Some(SOME), Exact(value)).serialize(self.0),
            Err(Otherwise) => self.0.serialize_some(&Exact(value)),
        }
    }

    fn serialize_unit(self) -> Result<S::Ok, S::Error> {
        self.0.serialize_unit()
    }

    fn serialize_unit_variant(
        self,
        name: &'static str,
        index: u32,
        variant: &'static str,
    ) -> Result<S::Ok, S::Error> {
        self.0.serialize_unit_variant(name, index, variant)
    }

    fn serialize_newtype_struct<T: Serialize + ?Sized>(
        self,
        name: &'static str,
        value: &T,
    ) -> Result<S::Ok, S::Error> {
        self.0.serialize_newtype_struct(name, &Exact(value))
    }

    fn serialize_newtype_variant<T: Serialize + ?Sized>(
        self,
        name: &'static str,
        index: u32,
        variant: &'static str,
        value: &T,
    ) -> Result<S::Ok, S::Error> {
        self.0
            .serialize_newtype_variant(name, index, variant, &Exact(value))
    }

    fn serialize_seq(self, len: Option<usize>) -> Result<Self::SerializeSeq, S::Error> {
        self.0.serialize_seq(len).map(Through)
    }

    fn serialize_tuple(self, len: usize) -> Result<Self::SerializeTuple, S::Error> {
        self.0.serialize_tuple(len).map(Through)
    }

    fn serialize_tuple_struct(
        self,
        name: &'static str,
        len: usize,
    ) -> Result<Self::SerializeTupleStruct, S::Error> {
        self.0.serialize_tuple_struct(name, len).map(Through)
    }

    fn serialize_tuple_variant(
        self,
        name: &'static str,
        index: u32,
        variant: &'static str,
        len: usize,
    ) -> Result<Self::SerializeTupleVariant, S::Error> {
        self.0
            .serialize_tuple_variant(name, index, variant, len)
            .map(Through)
    }

    fn serialize_map(self, len: Option<usize>) -> Result<Self::SerializeMap, S::Error> {
        self.0.serialize_map(len).map(Through)
    }

    fn serialize_struct(
        self,
        name: &'static str,
        len: usize,
    ) -> Result<Self::SerializeStruct, S::Error> {
        self.0.serialize_struct(name, len).map(Through)
    }

    fn serialize_struct_variant(
        self,
        name: &'static str,
        index: u32,
        variant: &'static str,
        len: usize,
    ) -> Result<Self::SerializeStructVariant, S::Error> {
        self.0
            .serialize_struct_variant(name, index, variant, len)
            .map(Through)
    }

    fn collect_str<T: fmt::Display + ?Sized>(self, value: &T) -> Result<S::Ok, S::Error> {
        self.0.collect_str(value)
    }

    fn is_human_readable(&self) -> bool {
        self.0.is_human_readable()
    }
}

macro_rules! hand_items_on {
    ($($trait:ident: $method:ident),*) => {
        $(impl<S: ser::$trait> ser::$trait for Through<S> {
            type Ok = S::Ok;
            type Error = S::Error;

            fn $method<T: Serialize + ?Sized>(&mut self, value: &T) -> Result<(), S::Error> {
                self.0.$method(&Exact(value))
            }

            fn end(self) -> Result<S::Ok, S::Error> {
                self.0.end()
            }
        })*
    };
}

hand_items_on!(
    SerializeSeq: serialize_element,
    SerializeTuple: serialize_element,
    SerializeTupleStruct: serialize_field,
    SerializeTupleVariant: serialize_field
);

macro_rules! hand_fields_on {
    ($($trait:ident),*) => {
        $(impl<S: ser::$trait> ser::$trait for Through<S> {
            type Ok = S::Ok;
            type Error = S::Error;

            fn serialize_field<T: Serialize + ?Sized>(
                &mut self,
                key: &'static str,
                value: &T,
            ) -> Result<(), S::Error> {
                self.0.serialize_field(key, &Exact(value))
            }

            fn end(self) -> Result<S::Ok, S::Error> {
                self.0.end()
            }
        })*
    };
}

hand_fields_on!(SerializeStruct, SerializeStructVariant);

impl<S: ser::SerializeMap> ser::SerializeMap for Through<S> {
    type Ok = S::Ok;
    type Error = S::Error;

    fn serialize_key<T: Serialize + ?Sized>(&mut self, key: &T) -> Result<(), S::Error> {
        self.0.serialize_key(&Exact(key))
    }

    fn serialize_value<T: Serialize + ?Sized>(&mut self, value: &T) -> Result<(), S::Error> {
        self.0.serialize_value(&Exact(value))
    }

    fn end(self) -> Result<S::Ok, S::Error> {
        self.0.end()
    }
}

/// Succeeds for values that are written as null, or as an option of null. Stops at the first thing that is neither.
struct IsNull;

/// The value is something else.
#[derive(Debug)]
struct Otherwise;

impl fmt::Display for Otherwise {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("not null")
    }
}

impl std::error::Error for Otherwise {}

impl ser::Error for Otherwise {
    fn custom<T: fmt::Display>(_: T) -> Self {
        Self
    }
}

macro_rules! otherwise {
    ($($method:ident($($argument:ty),*) -> $result:ty;)*) => {
        $(fn $method(self, $(_: $argument),*) -> Result<$result, Otherwise> {
            Err(Otherwise)
        })*
    };
}

impl Serializer for IsNull {
    type Ok = ();
    type Error = Otherwise;
    type SerializeSeq = Impossible<(), Otherwise>;
    type SerializeTuple = Impossible<(), Otherwise>;
    type SerializeTupleStruct = Impossible<(), Otherwise>;
    type SerializeTupleVariant = Impossible<(), Otherwise>;
    type SerializeMap = Impossible<(), Otherwise>;
    type SerializeStruct = Impossible<(), Otherwise>;
    type SerializeStructVariant = Impossible<(), Otherwise>;

    otherwise! {
        serialize_bool(bool) -> ();
        serialize_i8(i8) -> ();
        serialize_i16(i16) -> ();
        serialize_i32(i32) -> ();
        serialize_i64(i64) -> ();
        serialize_u8(u8) -> ();
        serialize_u16(u16) -> ();
        serialize_u32(u32) -> ();
        serialize_u64(u64) -> ();
        serialize_f32(f32) -> ();
        serialize_f64(f64) -> ();
        serialize_char(char) -> ();
        serialize_str(&str) -> ();
        serialize_bytes(&[u8]) -> ();
        serialize_unit_variant(&'static str, u32, &'static str) -> ();
        serialize_seq(Option<usize>) -> Self::SerializeSeq;
        serialize_tuple(usize) -> Self::SerializeTuple;
        serialize_tuple_struct(&'static str, usize) -> Self::SerializeTupleStruct;
        serialize_tuple_variant(&'static str, u32, &'static str, usize) -> Self::SerializeTupleVariant;
        serialize_map(Option<usize>) -> Self::SerializeMap;
        serialize_struct(&'static str, usize) -> Self::SerializeStruct;
        serialize_struct_variant(&'static str, u32, &'static str, usize) -> Self::SerializeStructVariant;
    }

    fn serialize_none(self) -> Result<(), Otherwise> {
        Ok(())
    }

    fn serialize_some<T: Serialize + ?Sized>(self, value: &T) -> Result<(), Otherwise> {
        value.serialize(self)
    }

    fn serialize_unit(self) -> Result<(), Otherwise> {
        Ok(())
    }

    fn serialize_unit_struct(self, _: &'static str) -> Result<(), Otherwise> {
        Ok(())
    }

    fn serialize_newtype_struct<T: Serialize + ?Sized>(
        self,
        _: &'static str,
        value: &T,
    ) -> Result<(), Otherwise> {
        value.serialize(self)
    }

    fn serialize_newtype_variant<T: Serialize + ?Sized>(
        self,
        _: &'static str,
        _: u32,
        _: &'static str,
        _: &T,
    ) -> Result<(), Otherwise> {
        Err(Otherwise)
    }

    fn is_human_readable(&self) -> bool {
        false
    }
}

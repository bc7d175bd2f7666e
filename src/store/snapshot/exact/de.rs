//! Reading, from a value that holds the whole tree.

use super::SOME;
use ciborium::Value;
use serde::de::value::{Error, MapDeserializer, SeqDeserializer};
use serde::de::{
    DeserializeSeed, Deserializer, EnumAccess, Error as _, IntoDeserializer, Unexpected,
    VariantAccess, Visitor,
};

/// A value read in the exact form, with nested options kept apart.
pub(super) struct Exact(pub(super) Value);

impl IntoDeserializer<'_> for Exact {
    type Deserializer = Self;

    fn into_deserializer(self) -> Self {
        self
    }
}

/// The tags of integers that need more than 64 bits: positive ones, and -1 minus the number for negative ones.
const BIG: u64 = 2;
const BIG_NEGATIVE: u64 = 3;

fn big(bytes: &[u8]) -> Result<u128, Error> {
    if bytes.len() > size_of::<u128>() {
        return Err(Error::invalid_value(
            Unexpected::Bytes(bytes),
            &"an integer of 128 bits",
        ));
    }
    Ok(bytes
        .iter()
        .fold(0, |number, &byte| number << 8 | u128::from(byte)))
}

impl<'de> Deserializer<'de> for Exact {
    type Error = Error;

    fn deserialize_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Error> {
        match self.0 {
            Value::Null => visitor.visit_unit(),
            Value::Bool(truth) => visitor.visit_bool(truth),
            Value::Float(number) => visitor.visit_f64(number),
            Value::Text(text) => visitor.visit_string(text),
            Value::Bytes(bytes) => visitor.visit_byte_buf(bytes),
            Value::Integer(number) => {
                let number = i128::from(number);
                match (u64::try_from(number), i64::try_from(number)) {
                    (Ok(number), _) => visitor.visit_u64(number),
                    (_, Ok(number)) => visitor.visit_i64(number),
                    _ => visitor.visit_i128(number),
                }
            }
            Value::Array(items) => {
                visitor.visit_seq(SeqDeserializer::new(items.into_iter().map(Exact)))
            }
            Value::Map(entries) => {
                let entries = entries.into_iter();
                let entries = entries.map(|(key, value)| (Exact(key), Exact(value)));
                visitor.visit_map(MapDeserializer::new(entries))
            }
            Value::Tag(SOME, inner) => visitor.visit_some(Exact(*inner)),
            Value::Tag(tag, inner) => match (tag, *inner) {
                (BIG, Value::Bytes(bytes)) => visitor.visit_u128(big(&bytes)?),
                (BIG_NEGATIVE, Value::Bytes(bytes)) => {
                    let number = i128::try_from(big(&bytes)?);
                    let number = number.map_err(|_| Error::custom("an integer below -2^127"))?;
                    visitor.visit_i128(-1 - number)
                }
                (_, inner) => Exact(inner).deserialize_any(visitor),
            },
            _ => Err(Error::custom("a kind of value that is not known")),
        }
    }

    fn deserialize_option<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Error> {
        match self.0 {
            Value::Null => visitor.visit_none(),
            Value::Tag(SOME, inner) => visitor.visit_some(Exact(*inner)),
            other => visitor.visit_some(Exact(other)),
        }
    }

    fn deserialize_newtype_struct<V: Visitor<'de>>(
        self,
        _: &'static str,
        visitor: V,
    ) -> Result<V::Value, Error> {
        visitor.visit_newtype_struct(self)
    }

    fn deserialize_enum<V: Visitor<'de>>(
        self,
        _: &'static str,
        _: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, Error> {
        let variant = match self.0 {
            Value::Map(mut entries) if entries.len() == 1 => {
                let (name, content) = entries.remove(0);
                Variant {
                    name,
                    content: Some(content),
                }
            }
            name => Variant {
                name,
                content: None,
            },
        };
        visitor.visit_enum(variant)
    }

    fn deserialize_ignored_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Error> {
        visitor.visit_unit()
    }

    fn is_human_readable(&self) -> bool {
        false
    }

    serde::forward_to_deserialize_any! {
        bool i8 i16 i32 i64 i128 u8 u16 u32 u64 u128 f32 f64 char str string bytes byte_buf
        unit unit_struct seq tuple tuple_struct map struct identifier
    }
}

/// A variant of an enum: its name, or its name with what it holds.
struct Variant {
    name: Value,
    content: Option<Value>,
}

impl Variant {
    fn content(self) -> Result<Exact, Error> {
        self.content
            .map(Exact)
            .ok_or_else(|| Error::custom("a variant without its content"))
    }
}

impl<'de> EnumAccess<'de> for Variant {
    type Error = Error;
    type Variant = Self;

    fn variant_seed<V: DeserializeSeed<'de>>(self, seed: V) -> Result<(V::Value, Self), Error> {
        let name = seed.deserialize(Exact(self.name.clone()))?;
        Ok((name, self))
    }
}

impl<'de> VariantAccess<'de> for Variant {
    type Error = Error;

    fn unit_variant(self) -> Result<(), Error> {
        match self.content {
            None => Ok(()),
            Some(_) => Err(Error::custom("a variant with content that holds none")),
        }
    }

    fn newtype_variant_seed<T: DeserializeSeed<'de>>(self, seed: T) -> Result<T::Value, Error> {
        seed.deserialize(self.content()?)
    }

    fn tuple_variant<V: Visitor<'de>>(self, _: usize, visitor: V) -> Result<V::Value, Error> {
        self.content()?.deserialize_any(visitor)
    }

    fn struct_variant<V: Visitor<'de>>(
        self,
        _: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, Error> {
        self.content()?.deserialize_any(visitor)
    }
}

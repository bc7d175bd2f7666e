//! Values of fields, and which values a field takes.

use glam::{Quat, Vec3};
use std::borrow::Cow;
use std::fmt;

/// How far the length of a rotation may be from 1.
const ROTATION_TOLERANCE: f32 = 0.001;

/// The value of a [`Field`](super::Field).
///
/// It prints as in a scene file, without quotes. With the feature `snapshot` it can be serialized: a number, a list of numbers, a
/// truth value or a text.
///
/// # Example
///
/// ```
/// use gerust::glam::Vec3;
/// use gerust::store::FieldValue;
///
/// assert_eq!(FieldValue::Vector(Vec3::new(0.0, 2.5, 0.0)).to_string(), "[0, 2.5, 0]");
/// assert_eq!(FieldValue::Number(1e12).to_string(), "1e12");
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize), serde(untagged))]
#[non_exhaustive]
pub enum FieldValue {
    /// A number of 32 bits.
    Number(f32),
    /// A whole number.
    Whole(i64),
    /// `true` or `false`.
    Truth(bool),
    /// Three numbers along x, y, z.
    Vector(Vec3),
    /// A quaternion: x, y, z, w.
    Rotation(Quat),
    /// One of the choices of a field.
    Choice(Cow<'static, str>),
}

impl fmt::Display for FieldValue {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let list = |f: &mut fmt::Formatter<'_>, numbers: &[f32]| {
            let numbers: Vec<String> = numbers.iter().map(|&number| short(number)).collect();
            write!(f, "[{}]", numbers.join(", "))
        };
        match self {
            Self::Number(number) => f.write_str(&short(*number)),
            Self::Whole(number) => number.fmt(f),
            Self::Truth(truth) => truth.fmt(f),
            Self::Vector(vector) => list(f, &vector.to_array()),
            Self::Rotation(rotation) => list(f, &rotation.to_array()),
            Self::Choice(choice) => f.write_str(choice),
        }
    }
}

/// A number with an exponent where it would have many zeros.
fn short(number: f32) -> String {
    let size = number.abs();
    match size == 0.0 || !size.is_finite() || (1e-4..1e7).contains(&size) {
        true => number.to_string(),
        false => format!("{number:e}"),
    }
}

/// Which values a [`Field`](super::Field) takes. Error messages use its text form.
///
/// # Example
///
/// ```
/// use gerust::store::{FieldKind, FieldType, FieldValue};
///
/// let share = FieldKind::Number { least: 0.0, most: 1.0, or_infinite: false };
/// assert!(share.accepts(&FieldValue::Number(0.5)) && !share.accepts(&FieldValue::Number(1.5)));
/// assert_eq!(share.to_string(), "a number from 0 to 1");
/// assert_eq!(f32::KIND.to_string(), "a finite number");
/// ```
#[derive(Clone, Copy, PartialEq, Debug)]
#[non_exhaustive]
pub enum FieldKind {
    /// A finite number.
    Number {
        /// The least value.
        least: f32,
        /// The greatest finite value.
        most: f32,
        /// Whether it can be positive infinity as well.
        or_infinite: bool,
    },
    /// A whole number.
    Whole {
        /// The least value.
        least: i64,
        /// The greatest value.
        most: i64,
    },
    /// `true` or `false`.
    Truth,
    /// Three finite numbers.
    Vector {
        /// The greatest length.
        longest: f32,
    },
    /// A quaternion of length 1, to within 0.001.
    Rotation,
    /// One of these words.
    Choice(&'static [&'static str]),
}

impl FieldKind {
    /// Whether a field of this kind can have the value.
    #[must_use]
    pub fn accepts(&self, value: &FieldValue) -> bool {
        match (*self, value) {
            (
                Self::Number {
                    least,
                    most,
                    or_infinite,
                },
                &FieldValue::Number(number),
            ) => {
                let is_finite = number.is_finite() && number >= least && number <= most;
                is_finite || (or_infinite && number == f32::INFINITY)
            }
            (Self::Whole { least, most }, &FieldValue::Whole(number)) => {
                (least..=most).contains(&number)
            }
            (Self::Truth, FieldValue::Truth(_)) => true,
            (Self::Vector { longest }, &FieldValue::Vector(vector)) => {
                // The square of a long vector is infinite, and so too long.
                vector.is_finite() && (longest == f32::MAX || vector.length() <= longest)
            }
            (Self::Rotation, &FieldValue::Rotation(rotation)) => {
                (rotation.length() - 1.0).abs() <= ROTATION_TOLERANCE
            }
            (Self::Choice(choices), FieldValue::Choice(choice)) => {
                choices.contains(&choice.as_ref())
            }
            _ => false,
        }
    }
}

impl fmt::Display for FieldKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match *self {
            Self::Number {
                least,
                most,
                or_infinite,
            } => {
                let (least_text, most_text) = (short(least), short(most));
                match (least == f32::MIN, most == f32::MAX) {
                    (true, true) => f.write_str("a finite number"),
                    (true, false) => write!(f, "a number of at most {most_text}"),
                    (false, true) => write!(f, "a number of at least {least_text}"),
                    (false, false) => write!(f, "a number from {least_text} to {most_text}"),
                }?;
                f.write_str(if or_infinite { " or infinity" } else { "" })
            }
            Self::Whole { least, most } => write!(f, "a whole number from {least} to {most}"),
            Self::Truth => f.write_str("`true` or `false`"),
            Self::Vector { longest } => {
                f.write_str("a list of 3 finite numbers")?;
                match longest == f32::MAX {
                    true => Ok(()),
                    false => write!(f, " of a length up to {}", short(longest)),
                }
            }
            Self::Rotation => f.write_str("a quaternion of length 1: x, y, z, w"),
            Self::Choice(choices) => {
                let choices: Vec<String> =
                    choices.iter().map(|choice| format!("`{choice}`")).collect();
                write!(f, "one of {}", choices.join(", "))
            }
        }
    }
}

/// A type that a field of a [`Described`](super::Described) component can have: `f32`, `u8`, `u16`, `u32`, `i32`, `bool`, `Vec3`,
/// `Quat`, and enums by [`describe_choices!`](crate::describe_choices).
///
/// # Example
///
/// A type of one's own that is read and written as a number:
///
/// ```
/// use gerust::store::{FieldKind, FieldType, FieldValue};
///
/// #[derive(Debug, PartialEq)]
/// struct Tonnes(f32);
///
/// impl FieldType for Tonnes {
///     const KIND: FieldKind = f32::KIND;
///
///     fn to_value(&self) -> FieldValue {
///         self.0.to_value()
///     }
///
///     fn from_value(value: &FieldValue) -> Option<Self> {
///         f32::from_value(value).map(Self)
///     }
/// }
///
/// assert_eq!(Tonnes::from_value(&FieldValue::Number(21.5)), Some(Tonnes(21.5)));
/// assert_eq!(Tonnes::from_value(&FieldValue::Truth(true)), None);
/// ```
pub trait FieldType: Sized {
    /// Which values it has, without bounds of a single field.
    const KIND: FieldKind;

    /// The value of a field.
    fn to_value(&self) -> FieldValue;

    /// From the value of a field; `None` if it is of another kind.
    fn from_value(value: &FieldValue) -> Option<Self>;
}

/// `FieldType` for a type that a variant holds directly.
macro_rules! is_variant {
    ($($type:ty, $variant:ident, $kind:expr;)*) => {$(
        impl FieldType for $type {
            const KIND: FieldKind = $kind;

            fn to_value(&self) -> FieldValue {
                FieldValue::$variant(*self)
            }

            fn from_value(value: &FieldValue) -> Option<Self> {
                match value {
                    FieldValue::$variant(value) => Some(*value),
                    _ => None,
                }
            }
        }
    )*};
}

is_variant! {
    f32, Number, FieldKind::Number { least: f32::MIN, most: f32::MAX, or_infinite: false };
    bool, Truth, FieldKind::Truth;
    Vec3, Vector, FieldKind::Vector { longest: f32::MAX };
    Quat, Rotation, FieldKind::Rotation;
}

/// `FieldType` for whole numbers.
macro_rules! is_whole {
    ($($type:ty)*) => {$(
        impl FieldType for $type {
            const KIND: FieldKind = FieldKind::Whole {
                least: <$type>::MIN as i64,
                most: <$type>::MAX as i64,
            };

            fn to_value(&self) -> FieldValue {
                FieldValue::Whole(i64::from(*self))
            }

            fn from_value(value: &FieldValue) -> Option<Self> {
                match value {
                    FieldValue::Whole(value) => Self::try_from(*value).ok(),
                    _ => None,
                }
            }
        }
    )*};
}

is_whole!(u8 u16 u32 i32);

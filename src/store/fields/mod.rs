//! Fields of components by name.

mod describe;
#[cfg(test)]
mod tests;
mod value;

use crate::error::{Error, ErrorKind};
use std::fmt;

pub use describe::field_name;
pub use value::{FieldKind, FieldType, FieldValue};

/// A component type whose fields are listed, read and written by name. File formats, editors and inspectors that use the list
/// need no change when the type gets another field.
///
/// [`describe_fields!`](crate::describe_fields) implements the trait. [`Body`](crate::Body), [`Transform`](crate::Transform) and
/// the settings of a [`Collider`](crate::Collider) are described.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::store::{Described, FieldValue};
///
/// let mut body = Body::dynamic();
/// let mass = Body::field("mass").expect("a body has a mass");
/// mass.write(&mut body, &FieldValue::Number(250.0))?;
/// assert_eq!(body.mass, 250.0);
///
/// let error = mass.write(&mut body, &FieldValue::Number(0.0)).unwrap_err();
/// assert_eq!(error.to_string(), "`mass` must be a number from 1e-20 to 1e12 or infinity, found 0");
/// # Ok::<(), gerust::Error>(())
/// ```
pub trait Described: Sized + 'static {
    /// The fields, in the order of the type.
    const FIELDS: &'static [Field<Self>];

    /// The field of a name; `_` counts as `-`. `None` if there is none. O(fields).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::store::Described;
    ///
    /// assert_eq!(Body::field("gravity_scale").map(|field| field.name()), Some("gravity-scale"));
    /// assert!(Body::field("color").is_none());
    /// ```
    #[must_use]
    fn field(name: &str) -> Option<&'static Field<Self>> {
        Self::FIELDS.iter().find(|field| field.is_named(name))
    }
}

/// A field of a [`Described`] type.
pub struct Field<T> {
    name: &'static str,
    about: &'static str,
    kind: FieldKind,
    is_derived: bool,
    read: fn(&T) -> FieldValue,
    write: fn(&mut T, &FieldValue),
}

impl<T> Field<T> {
    /// A field with its name in kebab case, one sentence about it, and the functions that read and write it. `write` is called only
    /// with values that `kind` accepts.
    ///
    /// [`describe_fields!`](crate::describe_fields) calls this for fields of a struct; call it directly for values that only methods reach.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::store::{Described, Field, FieldKind, FieldValue};
    ///
    /// /// The bits of a lamp; the lowest says whether it is lit.
    /// #[derive(Default)]
    /// struct Lamp(u8);
    ///
    /// impl Described for Lamp {
    ///     const FIELDS: &'static [Field<Self>] = &[Field::new(
    ///         "lit",
    ///         "Whether it is lit.",
    ///         FieldKind::Truth,
    ///         |lamp| FieldValue::Truth(lamp.0 & 1 == 1),
    ///         |lamp, value| lamp.0 = (lamp.0 & !1) | u8::from(*value == FieldValue::Truth(true)),
    ///     )];
    /// }
    ///
    /// let mut lamp = Lamp::default();
    /// Lamp::FIELDS[0].write(&mut lamp, &FieldValue::Truth(true))?;
    /// assert_eq!(lamp.0, 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub const fn new(
        name: &'static str,
        about: &'static str,
        kind: FieldKind,
        read: fn(&T) -> FieldValue,
        write: fn(&mut T, &FieldValue),
    ) -> Self {
        Self {
            name,
            about,
            kind,
            is_derived: false,
            read,
            write,
        }
    }

    /// The same field, with a lower bound of its numbers. Other kinds of fields are returned unchanged.
    #[must_use]
    pub const fn at_least(mut self, bound: f32) -> Self {
        if let FieldKind::Number { ref mut least, .. } = self.kind {
            *least = bound;
        }
        self
    }

    /// The same field, with an upper bound of its numbers, or of the length of its vectors. Other kinds of fields are returned
    /// unchanged.
    #[must_use]
    pub const fn at_most(mut self, bound: f32) -> Self {
        match self.kind {
            FieldKind::Number { ref mut most, .. } => *most = bound,
            FieldKind::Vector { ref mut longest } => *longest = bound,
            _ => {}
        }
        self
    }

    /// The same field, with positive infinity as one more value. Fields that are not numbers are returned unchanged.
    #[must_use]
    pub const fn or_infinite(mut self) -> Self {
        if let FieldKind::Number {
            ref mut or_infinite,
            ..
        } = self.kind
        {
            *or_infinite = true;
        }
        self
    }

    /// The same field, which is read only: the runtime writes it.
    #[must_use]
    pub const fn derived(mut self) -> Self {
        self.is_derived = true;
        self
    }

    /// The name, in kebab case as in scene files.
    #[must_use]
    pub fn name(&self) -> &'static str {
        self.name
    }

    /// What the field means, in one sentence, with its unit.
    #[must_use]
    pub fn about(&self) -> &'static str {
        self.about
    }

    /// Which values it takes.
    #[must_use]
    pub fn kind(&self) -> FieldKind {
        self.kind
    }

    /// Whether the runtime writes the field, so that nothing else can.
    #[must_use]
    pub fn is_derived(&self) -> bool {
        self.is_derived
    }

    /// Its value in a component.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::store::{Described, FieldValue};
    ///
    /// let crane = Transform::at(3.0, 0.0, 0.0);
    /// let shown = Transform::FIELDS.iter().map(|field| format!("{} = {}", field.name(), field.read(&crane)));
    /// let shown: Vec<String> = shown.collect();
    /// assert_eq!(shown, ["translation = [3, 0, 0]", "rotation = [0, 0, 0, 1]", "scale = [1, 1, 1]"]);
    /// ```
    #[must_use]
    pub fn read(&self, component: &T) -> FieldValue {
        (self.read)(component)
    }

    /// Sets it in a component. See [`Described`] for an example.
    ///
    /// # Errors
    ///
    /// As [`check`](Self::check); the component is then unchanged.
    pub fn write(&self, component: &mut T, value: &FieldValue) -> Result<(), Error> {
        self.check(value)?;
        (self.write)(component, value);
        Ok(())
    }

    /// Fails if the field cannot be set to a value.
    ///
    /// # Errors
    ///
    /// Kind [`InvalidArgument`](ErrorKind::InvalidArgument) if the value is of another kind or out of bounds, or if the field is
    /// [derived](Self::is_derived).
    pub fn check(&self, value: &FieldValue) -> Result<(), Error> {
        let name = self.name;
        let reason = if self.is_derived {
            format!("`{name}` cannot be set, because the runtime computes it; set another field")
        } else if !self.kind.accepts(value) {
            format!("`{name}` must be {}, found {value}", self.kind)
        } else {
            return Ok(());
        };
        Err(Error::new(ErrorKind::InvalidArgument, reason))
    }

    fn is_named(&self, name: &str) -> bool {
        let same = |(own, other): (u8, u8)| own == other || (own, other) == (b'-', b'_');
        self.name.len() == name.len() && self.name.bytes().zip(name.bytes()).all(same)
    }
}

impl<T> Clone for Field<T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for Field<T> {}

impl<T> fmt::Debug for Field<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Field")
            .field("name", &self.name)
            .field("kind", &self.kind)
            .field("is_derived", &self.is_derived)
            .finish_non_exhaustive()
    }
}

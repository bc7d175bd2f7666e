//! The macros that describe types.

/// The name of a field in kebab case, as bytes: `_` becomes `-`. For [`describe_fields!`](crate::describe_fields).
#[doc(hidden)]
#[must_use]
pub const fn field_name<const LENGTH: usize>(name: &str) -> [u8; LENGTH] {
    let bytes = name.as_bytes();
    let mut kebab = [0; LENGTH];
    let mut at = 0;
    while at < LENGTH {
        kebab[at] = match bytes[at] {
            b'_' => b'-',
            other => other,
        };
        at += 1;
    }
    kebab
}

/// Implements [`Described`](crate::store::Described) for a struct: one line for each field, with a sentence about it, and bounds in
/// brackets where it has any ([`at_least`](crate::store::Field::at_least), [`at_most`](crate::store::Field::at_most),
/// [`or_infinite`](crate::store::Field::or_infinite), [`derived`](crate::store::Field::derived)).
///
/// The type of a field must be a [`FieldType`](crate::store::FieldType).
///
/// # Example
///
/// ```
/// use gerust::describe_fields;
/// use gerust::store::{Described, FieldValue};
///
/// #[derive(Default)]
/// struct Winch { top_speed: f32, is_locked: bool }
///
/// describe_fields! {
///     Winch {
///         top_speed: "Metres of rope per second." [at_least(0.0), at_most(4.0)];
///         is_locked: "Whether the brake is on.";
///     }
/// }
///
/// let mut winch = Winch::default();
/// let names: Vec<&str> = Winch::FIELDS.iter().map(|field| field.name()).collect();
/// assert_eq!(names, ["top-speed", "is-locked"]);
/// Winch::FIELDS[0].write(&mut winch, &FieldValue::Number(2.0))?;
/// assert_eq!(winch.top_speed, 2.0);
/// let error = Winch::FIELDS[0].write(&mut winch, &FieldValue::Number(9.0)).unwrap_err();
/// assert_eq!(error.to_string(), "`top-speed` must be a number from 0 to 4, found 9");
/// # Ok::<(), gerust::Error>(())
/// ```
///
/// A field without a line does not compile:
///
/// ```compile_fail,E0027
/// #[derive(Default)]
/// struct Winch { top_speed: f32, is_locked: bool }
///
/// gerust::describe_fields! {
///     Winch {
///         top_speed: "Metres of rope per second.";
///     }
/// }
/// ```
#[macro_export]
macro_rules! describe_fields {
    ($type:ident {
        $($field:ident: $about:literal $([$($bound:ident($($value:expr),*)),*])?;)*
    }) => {
        impl $crate::store::Described for $type {
            const FIELDS: &'static [$crate::store::Field<Self>] = {
                // It does not compile if a field has no line.
                const _: fn(&$type) = |$type { $($field: _),* }| ();
                &[$({
                    const NAME: &str = {
                        const BYTES: &[u8] =
                            &$crate::store::field_name::<{ stringify!($field).len() }>(stringify!($field));
                        match ::core::str::from_utf8(BYTES) {
                            Ok(name) => name,
                            Err(_) => stringify!($field),
                        }
                    };
                    const fn kind_of<T: $crate::store::FieldType, C>(
                        _: fn(&mut C) -> &mut T,
                    ) -> $crate::store::FieldKind {
                        T::KIND
                    }
                    $crate::store::Field::new(
                        NAME,
                        $about,
                        kind_of(|component: &mut $type| &mut component.$field),
                        |component: &$type| {
                            $crate::store::FieldType::to_value(&component.$field)
                        },
                        |component: &mut $type, value| {
                            if let Some(value) = $crate::store::FieldType::from_value(value) {
                                component.$field = value;
                            }
                        },
                    )
                    $($(.$bound($($value),*))*)?
                }),*]
            };
        }
    };
}

/// Implements [`FieldType`](crate::store::FieldType) for an enum without data: one word for each variant.
///
/// # Example
///
/// ```
/// use gerust::describe_choices;
/// use gerust::store::FieldType;
///
/// #[derive(Debug, PartialEq)]
/// enum Signal { Stop, Go }
///
/// describe_choices! { Signal { Stop: "stop", Go: "go" } }
///
/// assert_eq!(Signal::KIND.to_string(), "one of `stop`, `go`");
/// assert_eq!(Signal::from_value(&Signal::Go.to_value()), Some(Signal::Go));
/// ```
#[macro_export]
macro_rules! describe_choices {
    ($type:ident { $($variant:ident: $word:literal),* $(,)? }) => {
        impl $crate::store::FieldType for $type {
            const KIND: $crate::store::FieldKind = $crate::store::FieldKind::Choice(&[$($word),*]);

            fn to_value(&self) -> $crate::store::FieldValue {
                let word = match self {
                    $(Self::$variant => $word),*
                };
                $crate::store::FieldValue::Choice(::std::borrow::Cow::Borrowed(word))
            }

            fn from_value(value: &$crate::store::FieldValue) -> Option<Self> {
                match value {
                    $($crate::store::FieldValue::Choice(word) if word == $word => Some(Self::$variant),)*
                    _ => None,
                }
            }
        }
    };
}

//! The settings of a collider by name.

use super::Collider;
use crate::store::{Described, Field, FieldKind, FieldType, FieldValue};

const KINDS: [&str; 2] = ["solid", "sensor"];

/// The settings that need no other data: boxes and the layer are set by methods.
impl Described for Collider {
    const FIELDS: &'static [Field<Self>] = &[
        Field::new(
            "kind",
            "Whether it stops dynamic bodies (`solid`) or only reports contacts (`sensor`).",
            FieldKind::Choice(&KINDS),
            |collider| FieldValue::Choice(KINDS[usize::from(collider.is_sensor())].into()),
            |collider, value| {
                collider.set_sensor(*value == FieldValue::Choice(KINDS[1].into()));
            },
        ),
        Field::new(
            "upright",
            "Whether its boxes stay along the axes when the entity rotates, instead of growing to enclose it.",
            FieldKind::Truth,
            |collider| collider.is_upright().to_value(),
            |collider, value| collider.set_upright(*value == FieldValue::Truth(true)),
        ),
        Field::new(
            "on",
            "Whether it takes part.",
            FieldKind::Truth,
            |collider| collider.is_on().to_value(),
            |collider, value| collider.set_on(*value == FieldValue::Truth(true)),
        ),
    ];
}

//! Which entities a walk can meet.

use std::any::TypeId;

/// The types that an entity must have, and must lack, to have a row.
#[derive(Clone, Default, Debug)]
pub struct Shape {
    has: Vec<TypeId>,
    lacks: Vec<TypeId>,
}

impl Shape {
    pub(super) fn must_have<T: 'static>(&mut self) {
        self.has.push(TypeId::of::<T>());
    }

    pub(super) fn must_lack<T: 'static>(&mut self) {
        self.lacks.push(TypeId::of::<T>());
    }

    /// Whether no entity can have a row in both.
    pub(crate) fn cannot_meet(&self, other: &Self) -> bool {
        let is_kept_out =
            |one: &Self, other: &Self| one.has.iter().any(|id| other.lacks.contains(id));
        is_kept_out(self, other) || is_kept_out(other, self)
    }
}

//! What a system has declared that it reaches.

use super::component::short_name;
use super::rows::Shape;
use std::any::{TypeId, type_name};

/// The kind of thing that is reached.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) enum ResourceKind {
    Component,
    Global,
    Event,
}

/// One declared reach.
#[derive(Clone, Copy, Debug)]
struct Reach {
    kind: ResourceKind,
    id: TypeId,
    name: &'static str,
    writes: bool,
}

impl Reach {
    fn new<T: 'static>(kind: ResourceKind, writes: bool) -> Self {
        Self {
            kind,
            id: TypeId::of::<T>(),
            name: short_name(type_name::<T>()),
            writes,
        }
    }

    fn same_resource(&self, other: &Self) -> bool {
        self.kind == other.kind && self.id == other.id
    }

    fn clashes(&self, other: &Self) -> bool {
        self.same_resource(other) && (self.writes || other.writes)
    }
}

/// Something that a system claims twice, once to write it, in ways that can meet.
#[derive(Clone, Debug)]
pub(crate) struct Clash {
    pub(crate) resource: &'static str,
    /// The two claims, as their types are written.
    pub(crate) claims: [String; 2],
}

/// One claim of rows.
#[derive(Clone, Debug)]
struct RowsClaim {
    shape: Shape,
    reaches: Vec<Reach>,
    text: String,
    /// The types that another claim of rows reaches as well, in other tables.
    shared_out: Vec<TypeId>,
}

/// Everything that a system reads and writes, as its claims declare it. The schedule is planned from this alone.
#[derive(Clone, Default, Debug)]
pub struct Access {
    reaches: Vec<Reach>,
    rows: Vec<RowsClaim>,
    clash: Option<Clash>,
}

impl Access {
    /// Adds a reach of a single thing.
    pub(crate) fn add<T: 'static>(&mut self, kind: ResourceKind, writes: bool) {
        let reach = Reach::new::<T>(kind, writes);
        let text = short_type(type_name::<T>());
        if self.reaches.iter().any(|known| known.clashes(&reach)) {
            self.note_clash(reach.name, [text.clone(), text]);
        }
        self.merge(reach);
    }

    /// Adds a reach that reads, unless it is there already.
    pub(crate) fn add_unless_known<T: 'static>(&mut self, kind: ResourceKind) {
        let reach = Reach::new::<T>(kind, false);
        if !self.reaches.iter().any(|known| known.same_resource(&reach)) {
            self.reaches.push(reach);
        }
    }

    /// Adds a claim of rows. Two such claims may write one type if no entity can have a row in both.
    pub(crate) fn add_rows(&mut self, shape: Shape, inner: Self, claim: &'static str) {
        let mut claim = RowsClaim {
            shape,
            reaches: inner.reaches,
            text: short_type(claim),
            shared_out: Vec::new(),
        };
        if let Some(clash) = inner.clash {
            self.note_clash(clash.resource, [claim.text.clone(), claim.text.clone()]);
        }
        let mut clashes = Vec::new();
        for other in &mut self.rows {
            let can_meet = !claim.shape.cannot_meet(&other.shape);
            for mine in &claim.reaches {
                if !other.reaches.iter().any(|theirs| theirs.clashes(mine)) {
                    continue;
                }
                if can_meet {
                    clashes.push((mine.name, [other.text.clone(), claim.text.clone()]));
                } else {
                    other.shared_out.push(mine.id);
                    claim.shared_out.push(mine.id);
                }
            }
        }
        for (resource, claims) in clashes {
            self.note_clash(resource, claims);
        }
        for &reach in &claim.reaches {
            self.merge(reach);
        }
        self.rows.push(claim);
    }

    fn note_clash(&mut self, resource: &'static str, claims: [String; 2]) {
        self.clash.get_or_insert(Clash { resource, claims });
    }

    fn merge(&mut self, reach: Reach) {
        match self
            .reaches
            .iter_mut()
            .find(|known| known.same_resource(&reach))
        {
            Some(known) => known.writes |= reach.writes,
            None => self.reaches.push(reach),
        }
    }

    /// The types that the `number`-th claim of rows shares out with others.
    pub(crate) fn shared_out(&self, number: usize) -> Vec<TypeId> {
        self.rows
            .get(number)
            .map_or_else(Vec::new, |claim| claim.shared_out.clone())
    }

    /// What is claimed twice, once to write it.
    pub(crate) fn own_clash(&self) -> Option<&Clash> {
        self.clash.as_ref()
    }

    /// What two systems reach of which one writes it, if there is such a thing: they must not run at the same time.
    #[must_use]
    pub fn clash_with(&self, other: &Self) -> Option<&'static str> {
        self.reaches.iter().find_map(|mine| {
            let theirs = other.reaches.iter().find(|theirs| mine.clashes(theirs));
            theirs.map(|theirs| theirs.name)
        })
    }

    /// The names of what is reached, each with whether it is written, in the order of the claims.
    pub fn reaches(&self) -> impl Iterator<Item = (&'static str, bool)> {
        self.reaches.iter().map(|reach| (reach.name, reach.writes))
    }
}

/// A type as it is written with everything in scope: paths are cut to their last parts, lifetimes are left out.
pub(crate) fn short_type(full: &str) -> String {
    let mut short = String::new();
    let mut word = String::new();
    let mut rest = full.chars().peekable();
    while let Some(character) = rest.next() {
        if character == '\'' {
            while rest
                .next_if(|next| next.is_alphanumeric() || *next == '_')
                .is_some()
            {}
            rest.next_if_eq(&',');
            rest.next_if_eq(&' ');
        } else if character.is_alphanumeric() || character == '_' {
            word.push(character);
        } else if character == ':' && rest.next_if_eq(&':').is_some() {
            word.clear();
        } else {
            short.push_str(&word);
            word.clear();
            short.push(character);
        }
    }
    short + &word
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn types_are_shown_without_paths() {
        let full = "(&mut a::b::Transform, core::option::Option<&'static c::Load<'_, u8, d::E>>)";
        assert_eq!(short_type(full), "(&mut Transform, Option<&Load<u8, E>>)");
    }
}

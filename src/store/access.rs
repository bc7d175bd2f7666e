//! The access that a system has declared.

use super::Entity;
use super::rows::{RowMatch, Shape};
use super::world::World;
use crate::error::{Error, Kind};
use std::any::{TypeId, type_name};
use std::fmt;

/// The kind of thing that is reached.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
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
    /// With its path.
    name: &'static str,
    writes: bool,
}

impl Reach {
    fn new<T: 'static>(kind: ResourceKind, writes: bool) -> Self {
        Self {
            kind,
            id: TypeId::of::<T>(),
            name: type_name::<T>(),
            writes,
        }
    }

    /// The name without paths, with the kind unless it is a component.
    fn label(&self) -> String {
        let name = short_type(self.name);
        match self.kind {
            ResourceKind::Component => name,
            ResourceKind::Global => format!("global {name}"),
            ResourceKind::Event => format!("event {name}"),
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
    resource: String,
    /// The two claims, as their types are written; the same if one claim names the resource twice.
    claims: [String; 2],
    kind: ResourceKind,
}

impl Clash {
    /// The clash in words, after the name of who claims this.
    fn describe(&self) -> String {
        let Self {
            resource,
            claims: [first, second],
            kind,
        } = self;
        let (place, fix) = match kind {
            ResourceKind::Component if first == second => (
                format!("in `{first}`"),
                format!("name it once, as `&mut {resource}`, which can be read as well"),
            ),
            ResourceKind::Component => (
                format!("in `{first}` and in `{second}`, and these can meet"),
                String::from(
                    "merge the two, keep them apart by `Having` and `Lacking` one type, or move one into a system of its own",
                ),
            ),
            ResourceKind::Global => (
                String::from("as a global"),
                format!("take `GlobalMut<{resource}>` once, which can be read as well"),
            ),
            ResourceKind::Event => (
                String::from("as an event"),
                format!(
                    "take `Inbox<{resource}>` or `Outbox<{resource}>`, once, and move the other into a system of its own"
                ),
            ),
        };
        format!("`{resource}` twice, once to write it, {place}; {fix}")
    }
}

/// One claim of rows.
#[derive(Clone, Debug)]
struct RowsClaim {
    shape: Shape,
    reaches: Vec<Reach>,
    text: String,
    /// The types that another claim of rows reaches as well, in other tables.
    shared_out: Vec<TypeId>,
    /// A reference that stands where a component type is meant.
    reference: Option<&'static str>,
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
            self.clash.get_or_insert(Clash {
                resource: text.clone(),
                claims: [text.clone(), text],
                kind,
            });
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
            reference: None,
        };
        if let Some(clash) = inner.clash {
            self.note_clash(clash.resource, [claim.text.clone(), claim.text.clone()]);
        }
        claim.reference = claim.shape.reference();
        let mut clashes = Vec::new();
        for other in &mut self.rows {
            let can_meet = !claim.shape.cannot_meet(&other.shape);
            for mine in &claim.reaches {
                if !other.reaches.iter().any(|theirs| theirs.clashes(mine)) {
                    continue;
                }
                if can_meet {
                    clashes.push((
                        short_type(mine.name),
                        [other.text.clone(), claim.text.clone()],
                    ));
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

    fn note_clash(&mut self, resource: String, claims: [String; 2]) {
        self.clash.get_or_insert(Clash {
            resource,
            claims,
            kind: ResourceKind::Component,
        });
    }

    /// The name of what is claimed twice, at least once to write it.
    pub(crate) fn clashing(&self) -> Option<&str> {
        self.clash.as_ref().map(|clash| clash.resource.as_str())
    }

    /// Why these claims cannot be granted, if so; to a system or a function with a name.
    pub(crate) fn refusal(&self, claimant: &str) -> Option<Error> {
        let claimant = || claimant.to_owned();
        if let Some(clash) = &self.clash {
            return Some(Error::from(Kind::ClaimClash {
                system: claimant(),
                clash: clash.describe(),
            }));
        }
        let mut rows = self.rows.iter();
        let (claim, reference) = rows.find_map(|rows| Some((&rows.text, rows.reference?)))?;
        let (type_name, meant) = (short_type(reference), short_type(&reference[1..]));
        let meant = meant.strip_prefix("mut ").unwrap_or(&meant);
        Some(Error::from(Kind::BadClaim {
            system: claimant(),
            claim: format!(
                "`{claim}`, with the type `{type_name}`, which no entity has; write `{meant}`"
            ),
        }))
    }

    /// The error for a claimant that takes [`Edits`](crate::Edits) more than once.
    pub(crate) fn edits_twice(claimant: &str) -> Error {
        Error::from(Kind::BadClaim {
            system: claimant.to_owned(),
            claim: String::from(
                "`Edits` twice, and edits are carried out in one order; take `Edits` once",
            ),
        })
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

    /// Whether rows with a component of a type are reached.
    pub(crate) fn reaches_component<T: 'static>(&self) -> bool {
        let id = TypeId::of::<T>();
        let mut reaches = self.reaches.iter();
        reaches.any(|reach| reach.kind == ResourceKind::Component && reach.id == id)
    }

    /// The types that the `number`-th claim of rows shares out with others.
    pub(crate) fn shared_out(&self, number: usize) -> Vec<TypeId> {
        self.rows
            .get(number)
            .map_or_else(Vec::new, |claim| claim.shared_out.clone())
    }

    /// What two systems both reach, of which at least one writes it: they must not run at the same time.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let steer = System::named("steer").takes::<Rows<&mut Transform>>().runs(|_| ());
    /// let wake = System::named("wake").takes::<(Rows<&Transform>, Global<Clock>)>().runs(|_| ());
    /// let shared: Vec<_> = steer.access().shared_uses(wake.access()).collect();
    /// assert_eq!(shared.len(), 1);
    /// assert_eq!((shared[0].resource(), shared[0].writes()), ("Transform", [true, false]));
    /// ```
    pub fn shared_uses(&self, other: &Self) -> impl Iterator<Item = SharedUse> {
        self.reaches.iter().filter_map(|mine| {
            let theirs = other.reaches.iter().find(|theirs| mine.clashes(theirs))?;
            Some(SharedUse {
                resource: mine.label(),
                writes: [mine.writes, theirs.writes],
            })
        })
    }

    /// Whether there are [`Access::shared_uses`].
    pub(crate) fn clashes(&self, other: &Self) -> bool {
        let clashes = |mine: &Reach| other.reaches.iter().any(|theirs| mine.clashes(theirs));
        self.reaches.iter().any(clashes)
    }

    /// Adds what a condition of the same system reads. It is asked before the system takes anything, so the two never
    /// clash.
    pub(crate) fn join(&mut self, condition: &Self) {
        for &reach in &condition.reaches {
            self.merge(reach);
        }
    }

    /// Whether anything is written.
    pub(crate) fn writes(&self) -> bool {
        self.reaches.iter().any(|reach| reach.writes)
    }

    /// The data reached, each with whether it is written, in the order of the claims.
    pub fn reaches(&self) -> impl Iterator<Item = (String, bool)> {
        self.reaches
            .iter()
            .map(|reach| (reach.label(), reach.writes))
    }

    /// The claims of rows, in order, as their types are written.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let system = System::named("drift").takes::<Rows<&mut Transform>>().runs(|_| ());
    /// assert_eq!(system.access().rows().collect::<Vec<_>>(), ["Rows<&mut Transform>"]);
    /// ```
    pub fn rows(&self) -> impl ExactSizeIterator<Item = &str> {
        self.rows.iter().map(|claim| claim.text.as_str())
    }

    /// Whether a claim of rows writes a type and hands out the row of an entity.
    pub(crate) fn writes_rows_of<T: 'static>(&self, world: &World, entity: Entity) -> bool {
        let writes = |reach: &Reach| reach.writes && reach.id == TypeId::of::<T>();
        let mut claims = self.rows.iter();
        claims.any(|claim| {
            let found = || claim.shape.compare(world, entity);
            claim.reaches.iter().any(writes)
                && found().is_some_and(|found| found.lacks().is_empty() && found.bars().is_empty())
        })
    }

    /// How an entity stands to each claim of rows; `None` if it is not alive.
    pub(crate) fn compare(&self, world: &World, entity: Entity) -> Option<Vec<RowMatch>> {
        let claims = self.rows.iter();
        claims
            .map(|claim| claim.shape.compare(world, entity))
            .collect()
    }

    /// The entity that comes closest to a row of the `number`-th claim of rows.
    pub(crate) fn nearest(&self, world: &World, number: usize) -> Option<RowMatch> {
        self.rows.get(number)?.shape.nearest(world)
    }
}

/// Something that two systems reach and that at least one of them writes.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct SharedUse {
    resource: String,
    writes: [bool; 2],
}

impl SharedUse {
    /// The name of a component type, or `global` or `event` and the name of a type.
    #[must_use]
    pub fn resource(&self) -> &str {
        &self.resource
    }

    /// Whether the first and the second system write it.
    #[must_use]
    pub fn writes(&self) -> [bool; 2] {
        self.writes
    }

    /// The use in words, with the names of the two systems.
    pub(crate) fn describe(
        &self,
        first: &str,
        second: &str,
        f: &mut fmt::Formatter<'_>,
    ) -> fmt::Result {
        let verb = |writes| if writes { "writes" } else { "reads" };
        let resource = &self.resource;
        match self.writes {
            [true, true] => write!(f, "`{first}` and `{second}` write {resource}"),
            [one, other] => write!(
                f,
                "`{first}` {} {resource}, `{second}` {} it",
                verb(one),
                verb(other)
            ),
        }
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

//! Which entities a walk can meet, and why one is not met.

use crate::store::access::short_type;
use crate::store::component::ComponentTypes;
use crate::store::entity::Entity;
use crate::store::table::Table;
use crate::store::world::World;
use std::any::{TypeId, type_name};
use std::fmt;

/// The types that an entity must have, and must lack, to have a row.
#[derive(Clone, Default, Debug)]
pub struct Shape {
    has: Vec<Part>,
    lacks: Vec<Part>,
    /// The conditions of a row, as their types are written.
    asks: Vec<String>,
}

/// A type with its name.
#[derive(Clone, Copy, Debug)]
struct Part {
    id: TypeId,
    name: &'static str,
}

impl Part {
    fn of<T: 'static>() -> Self {
        Self {
            id: TypeId::of::<T>(),
            name: type_name::<T>(),
        }
    }

    fn is_in(self, types: &ComponentTypes, table: &Table) -> bool {
        types.id_of(self.id).is_some_and(|id| table.has(id))
    }
}

impl Shape {
    pub(super) fn must_have<T: 'static>(&mut self) {
        self.has.push(Part::of::<T>());
    }

    pub(super) fn must_lack<T: 'static>(&mut self) {
        self.lacks.push(Part::of::<T>());
    }

    pub(super) fn must_satisfy<C>(&mut self) {
        self.asks.push(short_type(type_name::<C>()));
    }

    /// A reference among the types, which is hardly meant: only `&str` is a plausible component.
    pub(crate) fn reference(&self) -> Option<&'static str> {
        let mut names = self.has.iter().chain(&self.lacks).map(|part| part.name);
        names.find(|name| name.starts_with('&') && *name != "&str")
    }

    /// Whether no entity can have a row in both.
    pub(crate) fn cannot_meet(&self, other: &Self) -> bool {
        let is_kept_out = |one: &Self, other: &Self| {
            let lacked = |part: &Part| other.lacks.iter().any(|lacked| lacked.id == part.id);
            one.has.iter().any(lacked)
        };
        is_kept_out(self, other) || is_kept_out(other, self)
    }

    /// How far the entities of a table are from having a row.
    fn distance(&self, types: &ComponentTypes, table: &Table) -> usize {
        let missing = self.has.iter().filter(|part| !part.is_in(types, table));
        let barring = self.lacks.iter().filter(|part| part.is_in(types, table));
        missing.count() + barring.count()
    }

    /// How one entity stands to these rows; `None` if it is not alive.
    pub(crate) fn compare(&self, world: &World, entity: Entity) -> Option<RowMatch> {
        let location = world.entities.locate(entity)?;
        let table = world.tables.get(location.table);
        let names = |parts: &[Part], present: bool| {
            parts
                .iter()
                .filter(|part| part.is_in(&world.types, table) == present)
                .map(|part| short_type(part.name))
                .collect()
        };
        Some(RowMatch {
            label: world.label(entity),
            entity,
            has: names(&self.has, true),
            lacks: names(&self.has, false),
            bars: names(&self.lacks, true),
            asks: self.asks.clone(),
        })
    }

    /// The entity that comes closest to having a row: the fewest types too few or too many, then the lowest id. O(tables),
    /// and O(rows) of the closest tables.
    pub(crate) fn nearest(&self, world: &World) -> Option<RowMatch> {
        let tables = || {
            let filled = world.tables.iter().map(|(_, table)| table);
            filled.filter(|table| !table.entities.is_empty())
        };
        let distance = |table: &Table| self.distance(&world.types, table);
        let shortest = tables().map(distance).min()?;
        let nearest = tables()
            .filter(|table| distance(table) == shortest)
            .flat_map(|table| table.entities.iter().copied())
            .min()?;
        self.compare(world, nearest)
    }
}

/// How one entity stands to the rows that a system claims.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Route;
/// struct Engine;
///
/// let mut runtime = Runtime::new();
/// let truck = runtime.world_mut().spawn((Name::new("truck-3"), Transform::default(), Route));
/// runtime.add_system(
///     System::named("drive").takes::<Rows<(&mut Transform, &Route, &Engine)>>().runs(|_| ()),
/// )?;
/// let [matched] = &runtime.explain_rows("drive", truck)?[..] else {
///     panic!("`drive` claims rows once");
/// };
/// assert!(!matched.has_row());
/// assert_eq!(matched.to_string(), "`truck-3` has Transform and Route but lacks Engine");
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct RowMatch {
    label: String,
    entity: Entity,
    has: Vec<String>,
    lacks: Vec<String>,
    bars: Vec<String>,
    asks: Vec<String>,
}

impl RowMatch {
    /// The entity.
    #[must_use]
    pub fn entity(&self) -> Entity {
        self.entity
    }

    /// The wanted types that the entity has.
    #[must_use]
    pub fn has(&self) -> &[String] {
        &self.has
    }

    /// The wanted types that the entity lacks.
    #[must_use]
    pub fn lacks(&self) -> &[String] {
        &self.lacks
    }

    /// The types that the entity has and must not have.
    #[must_use]
    pub fn bars(&self) -> &[String] {
        &self.bars
    }

    /// The conditions of the row, such as `Written<Load>`.
    #[must_use]
    pub fn asks(&self) -> &[String] {
        &self.asks
    }

    /// Whether the entity's components are those that the rows want. Whether it has a row in a certain run may still
    /// depend on [`RowMatch::asks`].
    #[must_use]
    pub fn has_row(&self) -> bool {
        self.lacks.is_empty() && self.bars.is_empty()
    }
}

impl fmt::Display for RowMatch {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut parts = Vec::new();
        if !self.has.is_empty() {
            parts.push(format!("has {}", listed(&self.has)));
        }
        if !self.lacks.is_empty() {
            parts.push(format!("lacks {}", listed(&self.lacks)));
        }
        if !self.bars.is_empty() {
            parts.push(format!("has {}, which it must not", listed(&self.bars)));
        }
        if self.has_row() && parts.is_empty() {
            parts.push(String::from("needs no component"));
        }
        if self.has_row() && !self.asks.is_empty() {
            parts.push(format!("must satisfy {} in each run", listed(&self.asks)));
        }
        write!(f, "`{}` {}", self.label, parts.join(" but "))
    }
}

fn listed(names: &[String]) -> String {
    match names {
        [] => String::new(),
        [only] => only.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    }
}

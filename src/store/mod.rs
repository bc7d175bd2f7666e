//! Entities, their components, globals, edits and events.

mod access;
mod batch;
mod by_entity;
mod changes;
mod claim;
mod claims;
mod column;
mod component;
mod component_set;
mod edits;
mod entity;
mod events;
mod fields;
mod globals;
mod inspect;
mod lost;
#[cfg(feature = "snapshot")]
mod moment;
mod most_entities;
mod name;
mod rows;
#[cfg(feature = "snapshot")]
mod snapshot;
mod table;
mod ticks;
#[cfg(feature = "parallel")]
mod workers;
mod world;

pub use access::{Access, SharedUse};
pub use claim::Claim;
pub use component::Component;
pub use component_set::Components;
pub use edits::{Edits, MissedEdits};
pub use entity::Entity;
pub use events::{Inbox, Outbox, UnheardEvents};
#[doc(hidden)]
pub use fields::field_name;
pub use fields::{Described, Field, FieldKind, FieldType, FieldValue};
pub use globals::{Global, GlobalMut};
pub use inspect::{ComponentInfo, Memory, TableMemory, TypeMemory};
pub use lost::Lost;
#[cfg(feature = "snapshot")]
pub(crate) use moment::{KeptWorld, SameBits, Scratch, copied_slices};
pub use most_entities::MostEntities;
pub use name::Name;
pub use rows::{
    AnyOf, Attached, Conditions, Having, Items, Lacking, RowIter, RowMatch, Rows, SharedItems,
    Written,
};
#[cfg(feature = "snapshot")]
pub use snapshot::{Datum, Difference, Snapshot};
#[cfg(feature = "snapshot")]
pub(crate) use snapshot::{LastRuns, Layout, PutEvents, PutGlobal, SavedChanges, SavedEvents};
pub use world::{Borrowed, World};

#[cfg(feature = "chance")]
pub(crate) use access::ResourceKind;
pub(crate) use by_entity::NumberByEntity;
pub(crate) use claim::{Grant, Preparation, ReservedIds};
pub(crate) use component::{ComponentTypes, short_name};
pub(crate) use edits::EditKind;
#[cfg(feature = "snapshot")]
pub use entity::IdSequence;
pub(crate) use entity::TableId;
pub(crate) use rows::{Condition, Locator, Pattern, Shape, Sources, TableRows, Unseen};
pub(crate) use table::Table;
#[cfg(feature = "parallel")]
pub(crate) use workers::Workers;

//! The types that most programs need, in one `use`.
//!
//! # Example
//!
//! ```
//! use gerust::prelude::*;
//!
//! let mut world = World::new();
//! world.spawn((Transform::at(1.0, 2.0, 3.0),));
//! assert_eq!(world.rows::<&Transform>().count(), 1);
//! ```

pub use crate::claims;
pub use crate::collide::{
    Aabb, Among, Body, Boxes, Collider, Contact, ContactState, Contacts, Dimensions, Gravity,
    Layer, Layers, Motion, WorldBox,
};
pub use crate::error::Error;
pub use crate::runtime::{Kit, Lifetime, Runtime, Spin, StandardKit, Velocity};
pub use crate::schedule::{Clock, Phase, System};
pub use crate::space::{MadeFrom, Shared, Template, Templates, Transform, WorldTransform};
pub use crate::store::{
    AnyOf, Attached, Component, Edits, Entity, Global, GlobalMut, Having, Inbox, Lacking, Lost,
    Name, Outbox, Rows, World, Written,
};
pub use glam::{Quat, Vec3};

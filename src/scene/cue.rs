//! Cues: what happens at a frame.

use super::place::{EntityPlan, Parts};
use crate::collide::Collider;
use crate::error::Error;
use crate::store::World;

/// Something that happens at the beginning of a frame.
#[derive(Debug)]
pub(super) struct Cue {
    pub(super) frame: u64,
    pub(super) action: Action,
}

#[derive(Debug)]
pub(super) enum Action {
    Set {
        entity: String,
        parts: Box<Parts>,
    },
    /// One, or all of an arrangement.
    Spawn(Vec<EntityPlan>),
    Despawn(String),
}

/// Why a cue could not be carried out.
pub(super) enum Missed {
    /// The entity of this name is not there at that time.
    Gone(String),
    /// The entity has no collider to change, and the cue gives no size for one.
    NoCollider(String),
    Refused(Error),
}

impl From<Error> for Missed {
    fn from(error: Error) -> Self {
        Self::Refused(error)
    }
}

impl Cue {
    /// What the cue does, for reports.
    pub(super) fn describe(&self) -> String {
        match &self.action {
            Action::Set { entity, .. } => format!("set `{entity}`"),
            Action::Spawn(plans) => {
                let one = match plans.first().map(|plan| (&plan.name, &plan.template)) {
                    Some((Some(name), _)) => format!("spawn `{name}`"),
                    Some((None, Some(template))) => format!("spawn a `{template}`"),
                    Some((None, None)) => String::from("spawn an entity"),
                    None => String::from("spawn nothing"),
                };
                match plans.len() {
                    0 | 1 => one,
                    several => format!("{one} and {} more", several - 1),
                }
            }
            Action::Despawn(entity) => format!("despawn `{entity}`"),
        }
    }

    pub(super) fn carry_out(&self, world: &mut World) -> Result<(), Missed> {
        let find = |world: &World, name: &str| {
            world
                .find(name)
                .ok_or_else(|| Missed::Gone(name.to_owned()))
        };
        match &self.action {
            Action::Set { entity, parts } => {
                let name = entity;
                let entity = find(world, name)?;
                let is_sizeless = parts
                    .collider
                    .as_ref()
                    .is_some_and(|entry| entry.shapes() == 0);
                if is_sizeless && !world.has::<Collider>(entity) {
                    return Err(Missed::NoCollider(name.clone()));
                }
                parts.apply(world, entity)?;
            }
            Action::Spawn(plans) => {
                for plan in plans {
                    // The parent is looked up first: without it nothing is made.
                    let parent = match &plan.parent {
                        Some(parent) => Some(find(world, parent)?),
                        None => None,
                    };
                    let entity = plan.spawn(world)?;
                    if let Some(parent) = parent {
                        world.link(entity, parent)?;
                    }
                }
            }
            Action::Despawn(entity) => {
                let entity = find(world, entity)?;
                world.despawn(entity)?;
            }
        }
        Ok(())
    }
}

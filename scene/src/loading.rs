//! Scene files that come and go while a scene runs.

use super::action::{Missed, refuse_spawn};
use super::place::EntityPlan;
use gerust::Error;
use gerust::space::MadeFrom;
use gerust::store::{Entity, Name, World};
use rustc_hash::FxHashMap;

/// The scene file from which an entity was loaded while another scene ran. Entities of the scene itself do not have it.
///
/// See the action `load` in `docs/scene-format.md`.
#[derive(Clone, PartialEq, Eq, Debug, serde::Serialize, serde::Deserialize)]
pub struct LoadedFrom(Name);

impl LoadedFrom {
    /// The path by which the file was named.
    #[must_use]
    pub fn file(&self) -> &str {
        self.0.as_str()
    }
}

/// Makes types of scenes known to snapshots.
pub(super) fn enroll(world: &mut World) -> Result<(), Error> {
    world.register_component::<LoadedFrom>("loaded-from")?;
    world.register_component::<MadeFrom>("made-from")
}

fn of_file(world: &World, file: &str) -> Vec<Entity> {
    let rows = world.rows::<(Entity, &LoadedFrom)>();
    let loaded = rows.iter().filter(|(_, from)| from.file() == file);
    loaded.map(|(entity, _)| entity).collect()
}

/// Spawns the entities of a file, with all that is under them.
pub(super) fn load(world: &mut World, file: &str, plans: &[EntityPlan]) -> Result<(), Missed> {
    if !of_file(world, file).is_empty() {
        return Err(Missed::Other(format!(
            "{file} is loaded already; unload it before"
        )));
    }
    refuse_spawn(world, plans)?;
    let mut named = FxHashMap::default();
    let mut made = Vec::new();
    for plan in plans {
        // Parents may stand further down in the file.
        made.push(plan.spawn(world, |entity, name| {
            named.extend(name.map(|name| (name.clone(), entity)));
        })?);
    }
    for (plan, &entity) in plans.iter().zip(&made) {
        let Some(parent) = &plan.parent else { continue };
        let parent = named.get(parent.as_str());
        let parent = parent.ok_or_else(|| Missed::Gone(plan.parent.clone().unwrap_or_default()))?;
        world.link(entity, *parent)?;
    }
    let from = LoadedFrom(Name::new(file));
    let below: Vec<Entity> = made
        .iter()
        .flat_map(|&entity| world.descendants(entity))
        .collect();
    for entity in made.into_iter().chain(below) {
        world.attach(entity, from.clone())?;
    }
    Ok(())
}

/// Takes the entities of a file away. What others have linked under them is unlinked before, and stays where it is.
pub(super) fn unload(world: &mut World, file: &str) -> Result<(), Missed> {
    let loaded = of_file(world, file);
    if loaded.is_empty() {
        return Err(Missed::Other(format!(
            "nothing of {file} is there; load it before"
        )));
    }
    for &entity in &loaded {
        let children: Vec<Entity> = world.children(entity).collect();
        for child in children {
            let is_own = world
                .get::<LoadedFrom>(child)
                .is_ok_and(|from| from.file() == file);
            if !is_own {
                world.unlink_in_place(child)?;
            }
        }
    }
    for entity in loaded {
        // It may have gone with what it was under.
        if world.contains(entity) {
            world.despawn(entity)?;
        }
    }
    Ok(())
}

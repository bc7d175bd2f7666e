//! Looks up many names of entities.

use gerust::store::{Entity, Name, World};
use gerust::work;
use rustc_hash::FxHashMap;

/// The first entity of each name, in table order, as [`World::find`] finds it.
pub(super) fn all_names(world: &World) -> FxHashMap<Name, Entity> {
    let mut names = FxHashMap::default();
    for (entity, name) in world.rows::<(Entity, &Name)>().iter() {
        work::step();
        names.entry(name.clone()).or_insert(entity);
    }
    names
}

/// For fewer names than this, searching the rows is cheaper than listing all names.
pub(super) const WORTH_LISTING: usize = 8;

/// A global: a list of all names of the world, for many searches in a row.
#[derive(Default)]
pub(super) struct NamesNow(Option<Listed>);

struct Listed {
    names: FxHashMap<Name, Entity>,
    /// Whether no two entities share a name. Then it does not matter in which order they stand in their tables.
    are_unique: bool,
}

impl NamesNow {
    /// Lists all names, if `questions` are enough for that to pay. The caller clears the list before names change.
    pub(super) fn list(world: &mut World, questions: usize) {
        if questions >= WORTH_LISTING {
            let names = all_names(world);
            let are_unique = names.len() == world.rows::<&Name>().count();
            world.set_global(Self(Some(Listed { names, are_unique })));
        }
    }

    /// Adds an entity whose name no other has, if there is a list.
    pub(super) fn add(world: &mut World, name: &Name, entity: Entity) {
        if let Some(Self(Some(listed))) = world.find_global_mut::<Self>() {
            listed.names.insert(name.clone(), entity);
        }
    }

    /// Keeps the list over an action that neither changes nor removes names.
    pub(super) fn outlast(world: &mut World) {
        let is_unique = |now: &mut Self| now.0.as_ref().is_some_and(|listed| listed.are_unique);
        if !world.find_global_mut::<Self>().is_some_and(is_unique) {
            Self::clear(world);
        }
    }

    pub(super) fn clear(world: &mut World) {
        if let Some(now) = world.find_global_mut::<Self>() {
            now.0 = None;
        }
    }
}

/// The first entity of a name, from the list if there is one. O(1), or O(names) without a list.
pub(super) fn find_name(world: &World, name: &str) -> Option<Entity> {
    let now = world.find_global::<NamesNow>();
    match now.as_ref().and_then(|now| now.0.as_ref()) {
        Some(listed) => listed.names.get(name).copied(),
        None => world.find(name),
    }
}

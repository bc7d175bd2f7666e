//! Turns the entities of a running scene into those of another reading of it.

use super::first_origin::{Given, bring};
use super::place::{EntityPlan, Parts, PlanNode};
use super::registry::Registry;
use super::scene_file::{Scene, SceneParts};
use gerust::Error;
use gerust::collide::{Body, Collider};
use gerust::space::{MadeFrom, Transform};
use gerust::store::{Component, Described, Entity, FieldValue, Name, World};
use rustc_hash::{FxHashMap, FxHashSet};
use std::collections::VecDeque;
use std::sync::Arc;

/// What [`SceneRun::reload`](super::SceneRun::reload) did with the entities of a scene.
#[derive(Clone, PartialEq, Eq, Default, Debug)]
#[non_exhaustive]
pub struct Reloaded {
    /// The number of entities of which nothing has changed.
    pub unchanged: usize,
    /// The number of entities that kept their id and were changed.
    pub changed: usize,
    /// The number of entities that the scene did not have before.
    pub spawned: usize,
    /// The number of entities that the scene no longer has.
    pub despawned: usize,
    /// What could not be done, and why: an entity whose parent was despawned while the scene ran.
    pub left_out: Vec<String>,
}

/// An entity of a scene, in the order of all of them.
struct Node<'s> {
    node: &'s PlanNode,
    /// Its full name.
    name: Option<Name>,
    /// The place of its parent among all nodes; a root has none.
    above: Option<usize>,
    /// By which name its plan links a root under a parent.
    parent: Option<&'s str>,
    depth: usize,
}

fn nodes_of(plans: &[EntityPlan]) -> Vec<Node<'_>> {
    let mut nodes: Vec<Node<'_>> = Vec::new();
    for plan in plans {
        let first = nodes.len();
        let names = plan.full_names(plan.root().name.as_ref());
        for (at, (node, name)) in plan.nodes().iter().zip(names).enumerate() {
            let above = (at > 0).then_some(first + node.above);
            let depth = above.map_or(0, |above| nodes[above].depth + 1);
            let parent = plan.parent.as_deref().filter(|_| at == 0);
            nodes.push(Node {
                node,
                name,
                above,
                parent,
                depth,
            });
        }
    }
    nodes
}

/// What makes an entity of one reading the same as one of the other: the entity above it, and its name. Without a name its template
/// counts, and at first its transform.
#[derive(PartialEq, Eq, Hash)]
struct Key<'s> {
    above: Option<usize>,
    name: Option<&'s str>,
    template: Option<&'s str>,
    transform: Option<[u32; 10]>,
}

impl<'s> Key<'s> {
    fn of(node: &Node<'s>, above: Option<usize>, by_transform: bool) -> Self {
        let name = node.node.name.as_ref().map(Name::as_str);
        let template = node.node.template.as_ref().map(Name::as_str);
        Self {
            above,
            name,
            template: template.filter(|_| name.is_none()),
            transform: (by_transform && name.is_none()).then(|| {
                let transform = transform_of(&node.node.parts);
                let [x, y, z] = transform.translation.to_array();
                let [i, j, k, w] = transform.rotation.to_array();
                let [a, b, c] = transform.scale.to_array();
                [x, y, z, i, j, k, w, a, b, c].map(f32::to_bits)
            }),
        }
    }
}

/// By new node: the old one that it continues. O(nodes).
fn continued(old: &[Node<'_>], new: &[Node<'_>]) -> Vec<Option<usize>> {
    let mut continues = vec![None; new.len()];
    let mut is_taken = vec![false; old.len()];
    let levels = |nodes: &[Node<'_>]| -> Vec<Vec<usize>> {
        let mut levels: Vec<Vec<usize>> = Vec::new();
        for (at, node) in nodes.iter().enumerate() {
            levels.resize_with(levels.len().max(node.depth + 1), Vec::new);
            levels[node.depth].push(at);
        }
        levels
    };
    for (old_level, new_level) in levels(old).into_iter().zip(levels(new)) {
        for by_transform in [true, false] {
            let mut known: FxHashMap<Key<'_>, VecDeque<usize>> = FxHashMap::default();
            for &at in old_level.iter().filter(|&&at| !is_taken[at]) {
                let key = Key::of(&old[at], old[at].above, by_transform);
                known.entry(key).or_default().push_back(at);
            }
            for &at in &new_level {
                let above = new[at].above.map(|above| continues[above]);
                // Entities below a new one are new.
                if continues[at].is_some() || above == Some(None) {
                    continue;
                }
                let key = Key::of(&new[at], above.flatten(), by_transform);
                continues[at] = known.get_mut(&key).and_then(VecDeque::pop_front);
                if let Some(from) = continues[at] {
                    is_taken[from] = true;
                }
            }
        }
    }
    continues
}

/// Two readings of a scene, and what they have in common.
pub(super) struct Readings<'s> {
    from: &'s Scene,
    old: Vec<Node<'s>>,
    new: Vec<Node<'s>>,
    /// By new node: the old one that it continues.
    continues: Vec<Option<usize>>,
}

impl<'s> Readings<'s> {
    pub(super) fn of(from: &'s Scene, to: &'s Scene) -> Self {
        let [old, new] = [from, to].map(|scene| nodes_of(&scene.parts.entities));
        let continues = continued(&old, &new);
        Self {
            from,
            old,
            new,
            continues,
        }
    }

    /// How many entities only the new reading has.
    pub(super) fn added(&self) -> usize {
        self.continues.iter().filter(|from| from.is_none()).count()
    }

    /// Turns the entities that the old reading has become into those of the new one. Returns what each of these is.
    ///
    /// # Errors
    ///
    /// If the world refuses a value.
    pub(super) fn carry_out(
        &self,
        world: &mut World,
        made: &[Entity],
    ) -> Result<(Vec<Entity>, Reloaded), Error> {
        let Self {
            from,
            old,
            new,
            continues,
        } = self;
        let mut done = Reloaded::default();
        let mut now: Vec<Entity> = Vec::with_capacity(new.len());
        for (node, continues) in new.iter().zip(continues) {
            let entity = match continues {
                Some(before) => {
                    let entity = made[*before];
                    if world.contains(entity) {
                        let registry = &from.parts.registry;
                        match change(world, entity, [old[*before].node, node.node], registry)? {
                            true => done.changed += 1,
                            false => done.unchanged += 1,
                        }
                    }
                    entity
                }
                None => {
                    let entity = world.spawn((Transform::default(),));
                    match node.above.map(|above| now[above]) {
                        Some(above) if !world.contains(above) => {
                            done.left_out(node, "what it is part of");
                            world.despawn(entity)?;
                        }
                        above => {
                            if let Some(above) = above {
                                world.link(entity, above)?;
                            }
                            node.node.dress(world, entity, node.name.clone())?;
                            if node.above.is_none() && node.parent.is_none() {
                                bring(world, entity, Given::ALL)?;
                            }
                        }
                    }
                    entity
                }
            };
            now.push(entity);
        }
        link_roots(world, [old, new], continues, &now, &mut done)?;
        despawn_rest(world, made, &now, &mut done)?;
        let added = now.iter().zip(continues);
        let added = added.filter(|(entity, from)| from.is_none() && world.contains(**entity));
        done.spawned = added.count();
        Ok((now, done))
    }
}

impl Reloaded {
    fn left_out(&mut self, node: &Node<'_>, parent: &str) {
        let name = node.name.as_ref().map_or_else(
            || String::from("an entity without a name"),
            |name| format!("`{name}`"),
        );
        self.left_out.push(format!(
            "{name}: {parent} was despawned while the scene ran"
        ));
    }
}

/// Links roots as the new reading says, where it says something else than the old one.
fn link_roots(
    world: &mut World,
    [old, new]: [&[Node<'_>]; 2],
    continues: &[Option<usize>],
    now: &[Entity],
    done: &mut Reloaded,
) -> Result<(), Error> {
    let mut named: FxHashMap<&str, Entity> = FxHashMap::default();
    for (node, &entity) in new.iter().zip(now) {
        if let Some(name) = &node.name {
            named.insert(name.as_str(), entity);
        }
    }
    for ((node, &entity), continues) in new.iter().zip(now).zip(continues) {
        let before = continues.and_then(|before| old[before].parent);
        if node.parent == before || !world.contains(entity) {
            continue;
        }
        let Some(parent) = node.parent else {
            world.unlink(entity)?;
            continue;
        };
        match named.get(parent).filter(|parent| world.contains(**parent)) {
            Some(&parent) => world.link(entity, parent)?,
            None => {
                done.left_out(node, &format!("its parent `{parent}`"));
                if continues.is_none() {
                    world.despawn(entity)?;
                }
            }
        }
    }
    Ok(())
}

/// Despawns what the new reading does not have. What else is linked under it is unlinked, and stays where it is.
fn despawn_rest(
    world: &mut World,
    made: &[Entity],
    now: &[Entity],
    done: &mut Reloaded,
) -> Result<(), Error> {
    let kept: FxHashSet<Entity> = now.iter().copied().collect();
    let rest: Vec<Entity> = made
        .iter()
        .copied()
        .filter(|entity| !kept.contains(entity) && world.contains(*entity))
        .collect();
    let gone: FxHashSet<Entity> = rest.iter().copied().collect();
    for &entity in &rest {
        let children: Vec<Entity> = world.children(entity).collect();
        for child in children {
            if !gone.contains(&child) {
                world.unlink_in_place(child)?;
            }
        }
    }
    done.despawned = rest.len();
    for entity in rest {
        // It may have gone with what it was under.
        if world.contains(entity) {
            world.despawn(entity)?;
        }
    }
    Ok(())
}

/// Gives an entity what two readings of it have not in common; says whether there was anything.
fn change(
    world: &mut World,
    entity: Entity,
    [old, new]: [&PlanNode; 2],
    registry: &Registry,
) -> Result<bool, Error> {
    let mut has_changed = false;
    if old.template != new.template {
        has_changed = true;
        match &new.template {
            Some(template) => drop(world.attach(entity, MadeFrom::new(template.clone()))?),
            None => drop(world.detach::<MadeFrom>(entity)?),
        }
    }
    if Arc::ptr_eq(&old.parts, &new.parts) {
        return Ok(has_changed);
    }
    let [before, after] = [old, new].map(|node| transform_of(&node.parts));
    let translation = before.translation != after.translation;
    has_changed |= change_fields(world, entity, Some(before), Some(after))?;
    let [before, after] = [old, new].map(|node| {
        let entry = node.parts.body.as_ref()?;
        let mut body = Body::default();
        entry.given.apply(&mut body);
        Some(body)
    });
    has_changed |= change_fields(world, entity, before, after)?;
    let collider_of = |node: &PlanNode| -> Result<Option<Collider>, Error> {
        let entry = node.parts.collider.as_ref();
        entry.map(|entry| entry.applied(world, None)).transpose()
    };
    let (before, after) = (collider_of(old)?, collider_of(new)?);
    if before != after {
        has_changed = true;
        match after {
            Some(collider) => drop(world.attach(entity, collider)?),
            None => drop(world.detach::<Collider>(entity)?),
        }
    }
    let [before, after] = [old, new].map(|node| &node.parts.components);
    let mut route = false;
    for (name, value) in after {
        if before.get(name).is_none_or(|known| !known.is_same(value)) {
            has_changed = true;
            route |= name == "route";
            value.put(world, entity)?;
        }
    }
    bring(world, entity, Given { translation, route })?;
    for name in before.keys().filter(|name| !after.contains_key(*name)) {
        has_changed = true;
        if let Some(detached) = registry.detach(name, world, entity) {
            detached?;
        }
    }
    Ok(has_changed)
}

fn transform_of(parts: &Parts) -> Transform {
    let mut transform = Transform::default();
    if let Some(entry) = &parts.transform {
        entry.apply(&mut transform);
    }
    transform
}

/// Sets the fields in which two values differ; says whether there are any. The others keep what they have become.
fn change_fields<T: Described + Component + Clone + PartialEq>(
    world: &mut World,
    entity: Entity,
    before: Option<T>,
    after: Option<T>,
) -> Result<bool, Error> {
    if before == after {
        return Ok(false);
    }
    let Some(after) = after else {
        world.detach::<T>(entity)?;
        return Ok(true);
    };
    let present = world.get::<T>(entity).ok().map(|held| T::clone(&held));
    let (Some(before), Some(mut changed)) = (before, present) else {
        world.attach(entity, after)?;
        return Ok(true);
    };
    let values: Vec<(usize, FieldValue)> = (T::FIELDS.iter().enumerate())
        .map(|(at, field)| (at, field.read(&after)))
        .filter(|(at, value)| T::FIELDS[*at].read(&before) != *value)
        .collect();
    for (at, value) in values {
        T::FIELDS[at].write(&mut changed, &value)?;
    }
    world.attach(entity, changed)?;
    Ok(true)
}

/// Replaces the templates of a scene by those of another reading.
pub(super) fn replace_templates(world: &mut World, [from, to]: [&Scene; 2]) {
    use gerust::space::Templates;
    let names = |parts: &SceneParts| -> Vec<Name> {
        let roots = parts.templates.iter().map(|plan| plan.root());
        roots.filter_map(|root| root.template.clone()).collect()
    };
    let kept = names(&to.parts);
    let templates = world.ensure_global::<Templates>();
    for name in names(&from.parts) {
        if !kept.contains(&name) {
            templates.remove(name.as_str());
        }
    }
    to.put_templates(world);
}

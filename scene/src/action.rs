//! Actions: what cues and rules do.

use super::change::change;
use super::document::VerdictEntry;
use super::first_origin::{bring, local};
use super::language::{Expression, Path};
use super::loading::{load, unload};
use super::names::{NamesNow, WORTH_LISTING, find_name};
use super::place::{EntityPlan, Parts};
use super::scene_file::Scene;
use gerust::Error;
use gerust::collide::{Body, Collider, Motion};
use gerust::runtime::{Controls, Runtime};
use gerust::space::WorldTransform;
use gerust::store::{Datum, Entity, Name, World};
use glam::Vec3;
use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rustc_hash::FxHashSet;
use serde_json::Value as Json;

/// Something that is done between two frames.
#[derive(Debug)]
pub(super) struct Action {
    /// How likely it is that it is done, from 0 to 1.
    pub(super) chance: f64,
    /// Tells it from all others of the scene, for its chance.
    pub(super) number: u64,
    pub(super) kind: ActionKind,
}

#[derive(Debug)]
pub(super) enum ActionKind {
    Set {
        entity: String,
        parts: Box<Parts>,
    },
    /// One, or all of an arrangement.
    Spawn(Vec<EntityPlan>),
    Despawn(String),
    Link {
        entity: String,
        under: String,
        in_place: bool,
    },
    Unlink(String),
    Detach {
        entity: String,
        component: String,
    },
    Push {
        entity: String,
        impulse: Vec3,
    },
    PushAway {
        from: Vec3,
        radius: f32,
        strength: f32,
    },
    Change {
        field: Path,
        to: Expression,
    },
    Switch {
        system: String,
        on: bool,
    },
    Emit {
        event: String,
        /// The fields, with names of entities.
        with: Json,
    },
    Control {
        name: String,
        value: f32,
    },
    /// Something that the program has registered.
    Own {
        name: String,
        with: Datum,
    },
    /// The entities of another file.
    Load {
        file: String,
        scene: Scene,
    },
    Unload(String),
    Stop {
        verdict: VerdictEntry,
        why: Option<String>,
    },
}

/// Why an action could not be carried out.
pub(super) enum Missed {
    /// The entity of this name is not there at that time.
    Gone(String),
    /// The entity has no collider to change, and the action gives no size for one.
    NoCollider(String),
    Refused(Error),
    Other(String),
}

impl From<Error> for Missed {
    fn from(error: Error) -> Self {
        Self::Refused(error)
    }
}

impl Missed {
    pub(super) fn reason(&self) -> String {
        match self {
            Self::Gone(name) => format!("there is no `{name}` any more"),
            Self::NoCollider(name) => {
                format!("`{name}` has no collider to change; give it a `size`")
            }
            Self::Refused(error) => error.to_string(),
            Self::Other(reason) => reason.clone(),
        }
    }
}

/// What actions are carried out with.
#[derive(Clone, Copy)]
pub(super) struct Stage<'s> {
    pub(super) scene: &'s Scene,
    /// The frame that comes next.
    pub(super) frame: u64,
    /// The entities and the event of a rule, if it concerns more than the world.
    pub(super) about: About<'s>,
    /// Its place, from 0, among the things that the rule is about in this frame.
    pub(super) nth: u64,
}

impl<'s> Stage<'s> {
    /// Of what is about nothing but the world.
    pub(super) fn of(scene: &'s Scene, frame: u64) -> Self {
        Self {
            scene,
            frame,
            about: About::default(),
            nth: 0,
        }
    }
}

/// Two entities.
pub(super) type Pair = [Entity; 2];

/// The subject of a rule: the two entities of a contact, or an event and its entities.
#[derive(Clone, Copy, Default)]
pub(super) struct About<'a> {
    /// Those that actions name `it` and `other`.
    pub(super) entities: [Option<Entity>; 2],
    pub(super) event: Option<&'a Json>,
}

/// What the two that a rule is about are called.
pub(super) const PAIR_NAMES: [&str; 2] = ["it", "other"];
/// The fields of an event in which they stand.
pub(super) const PAIR_FIELDS: [&str; 2] = ["entity", "other"];

impl<'a> About<'a> {
    pub(super) fn contact([one, other]: Pair) -> Self {
        Self {
            entities: [Some(one), Some(other)],
            event: None,
        }
    }

    pub(super) fn event(event: &'a Json) -> Self {
        let field = |name: &str| serde_json::from_value(event.get(name)?.clone()).ok();
        Self {
            entities: PAIR_FIELDS.map(field),
            event: Some(event),
        }
    }

    /// The entity of a name, which may be that of one of the two.
    pub(super) fn find(&self, world: &World, name: &str) -> Option<Entity> {
        let place = PAIR_NAMES.iter().position(|known| *known == name);
        match place.and_then(|place| self.entities[place]) {
            // It may have gone with what another action did.
            Some(entity) => world.contains(entity).then_some(entity),
            None => find_name(world, name),
        }
    }
}

impl Action {
    /// Whether the action leaves the names of existing entities alone.
    pub(super) fn keeps_names(&self) -> bool {
        match &self.kind {
            // A component of the program could be the name.
            ActionKind::Set { parts, .. } => parts.components.is_empty(),
            ActionKind::Spawn(plans) => !plans.iter().any(EntityPlan::has_components),
            ActionKind::Link { .. }
            | ActionKind::Unlink(_)
            | ActionKind::Push { .. }
            | ActionKind::PushAway { .. }
            | ActionKind::Switch { .. }
            | ActionKind::Emit { .. }
            | ActionKind::Control { .. }
            | ActionKind::Stop { .. } => true,
            _ => false,
        }
    }

    /// A description of the action, for reports.
    pub(super) fn describe(&self) -> String {
        match &self.kind {
            ActionKind::Set { entity, .. } => format!("set `{entity}`"),
            ActionKind::Spawn(plans) => {
                let one = match plans
                    .first()
                    .map(|plan| (&plan.root().name, &plan.root().template))
                {
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
            ActionKind::Despawn(entity) => format!("despawn `{entity}`"),
            ActionKind::Link { entity, under, .. } => format!("link `{entity}` under `{under}`"),
            ActionKind::Unlink(entity) => format!("unlink `{entity}`"),
            ActionKind::Detach { entity, component } => format!("detach {component} of `{entity}`"),
            ActionKind::Push { entity, .. } => format!("push `{entity}`"),
            ActionKind::PushAway { .. } => String::from("push what is near"),
            ActionKind::Change { field, .. } => format!("change {field}"),
            ActionKind::Switch { system, .. } => format!("switch `{system}`"),
            ActionKind::Emit { event, .. } => format!("emit `{event}`"),
            ActionKind::Control { name, .. } => format!("move the control `{name}`"),
            ActionKind::Own { name, .. } => format!("do `{name}`"),
            ActionKind::Load { file, .. } => format!("load {file}"),
            ActionKind::Unload(file) => format!("unload {file}"),
            ActionKind::Stop { .. } => String::from("stop"),
        }
    }

    /// Returns whether the action runs by its `chance`: the same in each run. Several pairs in a frame have independent chances.
    pub(super) fn passes_chance(&self, stage: &Stage<'_>) -> bool {
        if self.chance >= 1.0 {
            return true;
        }
        let mut seed = [0; 32];
        seed[..8].copy_from_slice(&stage.frame.to_le_bytes());
        seed[8..16].copy_from_slice(&self.number.to_le_bytes());
        for (place, entity) in stage.about.entities.iter().enumerate() {
            let start = 16 + place * 4;
            let index = entity.map_or(0, Entity::index);
            seed[start..start + 4].copy_from_slice(&index.to_le_bytes());
        }
        // Events may be about no entity, or about the same one.
        if stage.about.event.is_some() {
            seed[24..].copy_from_slice(&stage.nth.to_le_bytes());
        }
        ChaCha8Rng::from_seed(seed).random::<f64>() < self.chance
    }

    /// Does it; stopping is up to the caller.
    pub(super) fn carry_out(&self, runtime: &mut Runtime, stage: &Stage<'_>) -> Result<(), Missed> {
        if let ActionKind::Switch { system, on } = &self.kind {
            return Ok(runtime.set_enabled(system, *on)?);
        }
        let world = runtime.world_mut();
        let find = |world: &World, name: &str| {
            let found = stage.about.find(world, name);
            found.ok_or_else(|| Missed::Gone(name.to_owned()))
        };
        match &self.kind {
            ActionKind::Set {
                entity: name,
                parts,
            } => {
                let entity = find(world, name)?;
                set(world, entity, name, parts)
            }
            ActionKind::Spawn(plans) => {
                // All entities of an arrangement have one parent. Without it none is spawned, so it is checked first.
                let parent = plans.first().and_then(|plan| plan.parent.as_ref());
                let parent = parent.map(|parent| find(world, parent)).transpose()?;
                refuse_spawn(world, plans)?;
                for plan in plans {
                    let mut named = Vec::new();
                    let entity = plan.spawn(world, |entity, name| {
                        named.extend(name.map(|name| (name.clone(), entity)));
                    })?;
                    for (name, entity) in named {
                        NamesNow::add(world, &name, entity);
                    }
                    if let Some(parent) = parent {
                        world.link(entity, parent)?;
                    }
                }
                Ok(())
            }
            ActionKind::Despawn(entity) => {
                let entity = find(world, entity)?;
                Ok(world.despawn(entity)?)
            }
            ActionKind::Link {
                entity,
                under,
                in_place,
            } => {
                let (entity, under) = (find(world, entity)?, find(world, under)?);
                match in_place {
                    true => world.link_in_place(entity, under).map(drop)?,
                    false => world.link(entity, under)?,
                }
                Ok(())
            }
            ActionKind::Unlink(entity) => {
                let entity = find(world, entity)?;
                world.unlink_in_place(entity)?;
                Ok(())
            }
            ActionKind::Detach { entity, component } => {
                let entity = find(world, entity)?;
                let outcome = stage.scene.parts.registry.detach(component, world, entity);
                Ok(outcome.unwrap_or(Ok(()))?)
            }
            ActionKind::Push {
                entity: name,
                impulse,
            } => {
                let entity = find(world, name)?;
                push(world, entity, name, *impulse)
            }
            ActionKind::PushAway {
                from,
                radius,
                strength,
            } => {
                push_away(world, *from, *radius, *strength);
                Ok(())
            }
            ActionKind::Change { field, to } => {
                let entity = find(world, &field.base)?;
                change(world, entity, field, to, stage)
            }
            ActionKind::Emit { event, with } => emit(world, event, with, stage),
            ActionKind::Control { name, value } => {
                world.ensure_global::<Controls>().set(name, *value);
                Ok(())
            }
            ActionKind::Own { name, with } => {
                let action = stage.scene.parts.registry.actions.get(name);
                action.map_or(Ok(()), |action| action(world, with).map_err(Missed::Other))
            }
            ActionKind::Load { file, scene } => load(world, file, &scene.parts.entities),
            ActionKind::Unload(file) => unload(world, file),
            ActionKind::Switch { .. } | ActionKind::Stop { .. } => Ok(()),
        }
    }
}

fn set(world: &mut World, entity: Entity, name: &str, parts: &Parts) -> Result<(), Missed> {
    let is_sizeless = parts
        .collider
        .as_ref()
        .is_some_and(|entry| entry.rest.shapes() == 0);
    if is_sizeless && !world.has::<Collider>(entity) {
        return Err(Missed::NoCollider(name.to_owned()));
    }
    parts.apply(world, entity)?;
    Ok(bring(world, entity, parts.places())?)
}

/// Fails if spawning the plans would exceed the limit of entities or use a name that is taken. The caller then spawns none of them.
/// O(entities of the world and of the plans).
pub(super) fn refuse_spawn(world: &World, plans: &[EntityPlan]) -> Result<(), Missed> {
    world.check_room(plans.iter().map(EntityPlan::len).sum())?;
    let names: FxHashSet<Name> = plans.iter().flat_map(EntityPlan::names).collect();
    if names.is_empty() {
        return Ok(());
    }
    let taken = match names.len() < WORTH_LISTING {
        true => {
            let mut names = names.iter();
            names
                .find(|name| find_name(world, name.as_str()).is_some())
                .cloned()
        }
        false => {
            let rows = world.rows::<&Name>();
            let mut taken = rows.iter().filter(|name| names.contains(*name));
            taken.next().cloned()
        }
    };
    match taken {
        None => Ok(()),
        Some(name) => {
            let reason = format!("there is a `{name}` already; spawn it once, or without a name");
            Err(Missed::Other(reason))
        }
    }
}

fn push(world: &mut World, entity: Entity, name: &str, impulse: Vec3) -> Result<(), Missed> {
    let body = world
        .get_mut::<Body>(entity)
        .map_err(|_| Missed::Other(format!("`{name}` has no body to push; give it one")))?;
    if body.motion != Motion::Dynamic {
        let reason = format!("`{name}` is not dynamic and cannot be pushed; set its velocity");
        return Err(Missed::Other(reason));
    }
    let mass = body.mass;
    body.velocity += impulse / mass;
    Ok(())
}

/// The impulse falls linearly from the place to the radius. A body exactly at the place is pushed up.
fn push_away(world: &mut World, from: Vec3, radius: f32, strength: f32) {
    let from = local(world, from);
    let mut rows = world.rows_mut::<(&WorldTransform, &mut Body)>();
    rows.each(|(placed, body)| {
        let way = placed.translation() - from;
        let distance = way.length();
        if body.motion != Motion::Dynamic || distance >= radius {
            return;
        }
        let direction = way.try_normalize().unwrap_or(Vec3::Y);
        body.velocity += direction * strength * (1.0 - distance / radius) / body.mass;
    });
}

/// Posts an event, with the entities whose names it holds.
fn emit(world: &mut World, event: &str, with: &Json, stage: &Stage<'_>) -> Result<(), Missed> {
    let mut with = with.clone();
    for field in PAIR_FIELDS {
        if let Some(value) = with.get_mut(field)
            && let Some(name) = value.as_str()
        {
            let entity = stage.about.find(world, name);
            let entity = entity.ok_or_else(|| Missed::Gone(name.to_owned()))?;
            *value = serde_json::to_value(entity).unwrap_or_default();
        }
    }
    let read = stage.scene.parts.registry.read_event(event, with);
    if let Some(post) = read {
        post.map_err(Missed::Other)?(world);
    }
    Ok(())
}

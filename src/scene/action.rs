//! Actions: what cues and rules do.

use super::ask::fields_mut;
use super::document::VerdictEntry;
use super::language::{Expression, Path, Value};
use super::loading::{load, unload};
use super::place::{EntityPlan, Parts};
use super::scene_file::Scene;
use crate::collide::{Body, Collider, Motion};
use crate::error::Error;
use crate::runtime::Runtime;
use crate::space::{Transform, WorldTransform};
use crate::store::{Entity, World};
use glam::Vec3;
use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;

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
    /// The entities of another file.
    Load {
        file: String,
        plans: Vec<EntityPlan>,
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
pub(super) struct Stage<'s> {
    pub(super) scene: &'s Scene,
    /// The frame that comes next.
    pub(super) frame: u64,
    /// The two that a rule is about, if it is about a contact.
    pub(super) pair: Option<Pair>,
}

/// Two entities that actions name `it` and `other`.
pub(super) type Pair = [Entity; 2];

/// What the two of a contact are called.
pub(super) const PAIR_NAMES: [&str; 2] = ["it", "other"];

/// The entity of a name, which may be that of one of a pair.
pub(super) fn find_with(world: &World, pair: Option<Pair>, name: &str) -> Option<Entity> {
    let of_pair = pair.and_then(|pair| {
        let place = PAIR_NAMES.iter().position(|known| *known == name)?;
        Some(pair[place])
    });
    match of_pair {
        // It may have gone with what another action did.
        Some(entity) => world.contains(entity).then_some(entity),
        None => world.find(name),
    }
}

impl Action {
    /// What it does, for reports.
    pub(super) fn describe(&self) -> String {
        match &self.kind {
            ActionKind::Set { entity, .. } => format!("set `{entity}`"),
            ActionKind::Spawn(plans) => {
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
            ActionKind::Despawn(entity) => format!("despawn `{entity}`"),
            ActionKind::Link { entity, under, .. } => format!("link `{entity}` under `{under}`"),
            ActionKind::Unlink(entity) => format!("unlink `{entity}`"),
            ActionKind::Detach { entity, component } => format!("detach {component} of `{entity}`"),
            ActionKind::Push { entity, .. } => format!("push `{entity}`"),
            ActionKind::PushAway { .. } => String::from("push what is near"),
            ActionKind::Change { field, .. } => format!("change {field}"),
            ActionKind::Switch { system, .. } => format!("switch `{system}`"),
            ActionKind::Load { file, .. } => format!("load {file}"),
            ActionKind::Unload(file) => format!("unload {file}"),
            ActionKind::Stop { .. } => String::from("stop"),
        }
    }

    /// Whether it is its turn: the same in each run, whatever else happens. Of several pairs in a frame each has a chance of its
    /// own.
    pub(super) fn has_luck(&self, stage: &Stage<'_>) -> bool {
        if self.chance >= 1.0 {
            return true;
        }
        let mut seed = [0; 32];
        seed[..8].copy_from_slice(&stage.frame.to_le_bytes());
        seed[8..16].copy_from_slice(&self.number.to_le_bytes());
        for (place, entity) in stage.pair.into_iter().flatten().enumerate() {
            let start = 16 + place * 4;
            seed[start..start + 4].copy_from_slice(&entity.index().to_le_bytes());
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
            let found = find_with(world, stage.pair, name);
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
            ActionKind::Spawn(plans) => plans.iter().try_for_each(|plan| {
                // The parent is looked up first: without it nothing is made.
                let parent = plan.parent.as_ref().map(|parent| find(world, parent));
                spawn(world, plan, parent.transpose()?).map(drop)
            }),
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
                let outcome = stage.scene.registry.detach(component, world, entity);
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
            ActionKind::Load { file, plans } => load(world, file, plans),
            ActionKind::Unload(file) => unload(world, file),
            ActionKind::Switch { .. } | ActionKind::Stop { .. } => Ok(()),
        }
    }
}

fn set(world: &mut World, entity: Entity, name: &str, parts: &Parts) -> Result<(), Missed> {
    let is_sizeless = parts
        .collider
        .as_ref()
        .is_some_and(|entry| entry.shapes() == 0);
    if is_sizeless && !world.has::<Collider>(entity) {
        return Err(Missed::NoCollider(name.to_owned()));
    }
    Ok(parts.apply(world, entity)?)
}

pub(super) fn spawn(
    world: &mut World,
    plan: &EntityPlan,
    parent: Option<Entity>,
) -> Result<Entity, Missed> {
    if let Some(name) = plan
        .names()
        .iter()
        .find(|name| world.find(name.as_str()).is_some())
    {
        let reason = format!("there is a `{name}` already; spawn it once, or without a name");
        return Err(Missed::Other(reason));
    }
    let entity = plan.spawn(world)?;
    if let Some(parent) = parent {
        world.link(entity, parent)?;
    }
    Ok(entity)
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

/// An impulse falls from the place to the radius in a straight line. Whatever is at the very place is pushed up.
fn push_away(world: &mut World, from: Vec3, radius: f32, strength: f32) {
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

/// Works an expression out and puts it into a field.
fn change(
    world: &mut World,
    entity: Entity,
    field: &Path,
    to: &Expression,
    stage: &Stage<'_>,
) -> Result<(), Missed> {
    let (value, component) = {
        let asked = stage.scene.asked(world, stage.pair);
        let value = to
            .value(&asked)
            .map_err(|problem| Missed::Other(problem.message))?;
        let [component, fields @ ..] = field.fields.as_slice() else {
            return Err(Missed::Other(format!("`{field}` names no component")));
        };
        let whole = asked.component(entity, component);
        let mut whole =
            whole.ok_or_else(|| Missed::Other(format!("`{}` has no {component}", field.base)))?;
        let place = fields_mut(&mut whole, fields)
            .ok_or_else(|| Missed::Other(format!("there is no `{field}` to change")))?;
        *place = json_of(&value, place);
        (whole, component.as_str())
    };
    let json = |name: &str| value.get(name).cloned().unwrap_or_default();
    let vector = |name: &str| -> Result<Vec3, Missed> {
        let [x, y, z] =
            serde_json::from_value(json(name)).map_err(|error| Missed::Other(error.to_string()))?;
        Ok(Vec3::new(x, y, z))
    };
    match component {
        "transform" => {
            let [translation, scale] = [vector("translation")?, vector("scale")?];
            let transform = world.get_mut::<Transform>(entity)?;
            transform.translation = translation;
            transform.scale = scale;
        }
        "body" => {
            let velocity = vector("velocity")?;
            let number = |name: &str| json(name).as_f64().unwrap_or(0.0) as f32;
            let body = world.get_mut::<Body>(entity)?;
            body.velocity = velocity;
            body.mass = number("mass");
            body.gravity_scale = number("gravity-scale");
            body.restitution = number("restitution");
            body.friction = number("friction");
        }
        _ => {
            let replaced = stage
                .scene
                .registry
                .replace(component, world, entity, value);
            let refused = |reason| Missed::Other(format!("`{field}` cannot be changed: {reason}"));
            replaced.unwrap_or(Ok(())).map_err(refused)?;
        }
    }
    Ok(())
}

/// A value as JSON; a whole number where one was before.
fn json_of(value: &Value, before: &serde_json::Value) -> serde_json::Value {
    match value {
        Value::Number(number) if (before.is_i64() || before.is_u64()) && number.fract() == 0.0 => {
            serde_json::Value::from(*number as i64)
        }
        Value::Number(number) => serde_json::Value::from(*number),
        Value::Text(text) => serde_json::Value::from(text.as_str()),
        Value::Truth(truth) => serde_json::Value::from(*truth),
        Value::Vector(parts) => serde_json::Value::from(parts.to_vec()),
    }
}

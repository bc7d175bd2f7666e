//! From what a file says of an entity to the entity.

use super::document::{
    BodyEntry, ColliderEntry, ColliderKind, EntityEntry, MotionEntry, Preset, SetEntry,
    TransformEntry, Triple,
};
use super::registry::Attach;
use crate::collide::{Aabb, Body, Collider, Layers, Motion};
use crate::error::Error;
use crate::space::{MadeFrom, Transform};
use crate::store::{Entity, Name, World};
use glam::{Quat, Vec3};
use std::collections::BTreeMap;
use std::fmt;

/// An entity of a scene, its template already merged in.
#[derive(Clone, Debug)]
pub(super) struct EntityPlan {
    pub(super) name: Option<Name>,
    pub(super) template: Option<Name>,
    pub(super) parent: Option<String>,
    pub(super) parts: Parts,
}

/// What an entity consists of, or what of it changes: only what is given.
#[derive(Clone, Default)]
pub(super) struct Parts {
    pub(super) transform: Option<TransformEntry>,
    pub(super) collider: Option<ColliderEntry>,
    pub(super) body: Option<BodyEntry>,
    pub(super) components: BTreeMap<String, Attach>,
}

impl fmt::Debug for Parts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Parts")
            .field("transform", &self.transform)
            .field("collider", &self.collider)
            .field("body", &self.body)
            .field("components", &self.components.keys())
            .finish()
    }
}

impl Parts {
    pub(super) fn of_preset(preset: &Preset, values: &[(String, Attach)]) -> Self {
        Self {
            transform: preset.transform.clone(),
            collider: preset.collider.clone(),
            body: preset.body.clone(),
            components: values.iter().cloned().collect(),
        }
    }

    pub(super) fn of_entity(entity: &EntityEntry, values: &[(String, Attach)]) -> Self {
        Self {
            transform: entity.transform.clone(),
            collider: entity.collider.clone(),
            body: entity.body.clone(),
            components: values.iter().cloned().collect(),
        }
    }

    pub(super) fn of_set(set: &SetEntry, values: &[(String, Attach)]) -> Self {
        Self {
            transform: set.transform.clone(),
            collider: set.collider.clone(),
            body: set.body.clone(),
            components: values.iter().cloned().collect(),
        }
    }

    /// These parts where they say something, and a template's where they do not.
    pub(super) fn over(mut self, template: &Self) -> Self {
        self.transform = merged(self.transform, &template.transform, |own, base| {
            TransformEntry {
                translation: own.translation.or(base.translation),
                // One kind of rotation overrides the other.
                rotation: own.rotation.clone().or_else(|| match own.turn {
                    Some(_) => None,
                    None => base.rotation.clone(),
                }),
                turn: own.turn.clone().or_else(|| match own.rotation {
                    Some(_) => None,
                    None => base.turn.clone(),
                }),
                scale: own.scale.or(base.scale),
            }
        });
        self.collider = merged(self.collider, &template.collider, |own, base| {
            ColliderEntry {
                size: own.size.or_else(|| base.size.clone()),
                center: own.center.or(base.center),
                kind: own.kind.or(base.kind),
                layer: own.layer.or_else(|| base.layer.clone()),
                on: own.on.or(base.on),
            }
        });
        self.body = merged(self.body, &template.body, |own, base| BodyEntry {
            motion: own.motion.or(base.motion),
            velocity: own.velocity.or(base.velocity),
            gravity_scale: own.gravity_scale.or(base.gravity_scale),
        });
        for (name, attach) in &template.components {
            self.components
                .entry(name.clone())
                .or_insert_with(|| attach.clone());
        }
        self
    }

    /// Puts what is given on an entity; what is not given stays as it is.
    pub(super) fn apply(&self, world: &mut World, entity: Entity) -> Result<(), Error> {
        if let Some(entry) = &self.transform {
            let mut transform = copy_of::<Transform>(world, entity).unwrap_or_default();
            entry.apply(&mut transform);
            world.attach(entity, transform)?;
        }
        if let Some(entry) = &self.collider {
            let collider = entry.applied(world, copy_of::<Collider>(world, entity))?;
            world.attach(entity, collider)?;
        }
        if let Some(entry) = &self.body {
            let mut body = copy_of::<Body>(world, entity).unwrap_or_default();
            entry.apply(&mut body);
            world.attach(entity, body)?;
        }
        for attach in self.components.values() {
            attach(world, entity)?;
        }
        Ok(())
    }
}

fn merged<T: Clone>(own: Option<T>, base: &Option<T>, merge: impl FnOnce(T, &T) -> T) -> Option<T> {
    match (own, base) {
        (Some(own), Some(base)) => Some(merge(own, base)),
        (own, base) => own.or_else(|| base.clone()),
    }
}

fn copy_of<T: crate::store::Component + Copy>(world: &World, entity: Entity) -> Option<T> {
    world.get::<T>(entity).ok().map(|held| *held)
}

impl EntityPlan {
    /// Makes the entity; its link to a parent is up to the caller.
    pub(super) fn spawn(&self, world: &mut World) -> Result<Entity, Error> {
        let entity = world.spawn((Transform::default(),));
        if let Some(name) = &self.name {
            world.attach(entity, name.clone())?;
        }
        if let Some(template) = &self.template {
            world.attach(entity, MadeFrom(template.clone()))?;
        }
        self.parts.apply(world, entity)?;
        Ok(entity)
    }
}

impl TransformEntry {
    fn apply(&self, transform: &mut Transform) {
        if let Some(translation) = self.translation {
            transform.translation = translation.into();
        }
        if let Some(rotation) = &self.rotation {
            transform.rotation = Quat::from_array(*rotation.get_ref()).normalize();
        }
        if let Some(turn) = &self.turn {
            let turn = turn.get_ref();
            let axis = Vec3::from(turn.axis).normalize();
            transform.rotation = Quat::from_axis_angle(axis, turn.degrees.to_radians());
        }
        if let Some(scale) = self.scale {
            transform.scale = scale.into();
        }
    }
}

impl ColliderEntry {
    fn applied(&self, world: &World, present: Option<Collider>) -> Result<Collider, Error> {
        let own_box = present.map_or_else(Aabb::default, |present| present.own_box());
        let size = self.size.as_ref().map(|size| *size.get_ref());
        let center = self.center.map_or(own_box.center(), Vec3::from);
        let half_extents = size.map_or(own_box.half_extents(), |size: Triple| {
            Vec3::from(size) / 2.0
        });
        let own_box = Aabb::from_center(center, half_extents);
        let is_sensor = match self.kind {
            Some(kind) => kind == ColliderKind::Sensor,
            None => present.is_some_and(|present| present.is_sensor()),
        };
        let layer = match &self.layer {
            Some(name) => world.global::<Layers>()?.find(name.get_ref()),
            None => present.map(|present| present.layer()),
        };
        let mut collider = match is_sensor {
            true => Collider::sensor(own_box),
            false => Collider::solid(own_box),
        }
        .in_layer(layer.unwrap_or_default());
        let was_on = present.is_none_or(|present| present.is_on());
        collider.set_on(self.on.unwrap_or(was_on));
        Ok(collider)
    }
}

impl BodyEntry {
    fn apply(&self, body: &mut Body) {
        if let Some(motion) = self.motion {
            body.motion = match motion {
                MotionEntry::Static => Motion::Static,
                MotionEntry::Kinematic => Motion::Kinematic,
                MotionEntry::Dynamic => Motion::Dynamic,
            };
        }
        if let Some(velocity) = self.velocity {
            body.velocity = velocity.into();
        }
        if let Some(scale) = self.gravity_scale {
            body.gravity_scale = scale;
        }
    }
}

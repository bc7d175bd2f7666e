//! From what a file says of an entity to the entity.

use super::arrange::Place;
use super::document::{
    BodyEntry, BoxEntry, ColliderEntry, ColliderKind, EntityEntry, MotionEntry, PlaneEntry, Preset,
    SetEntry, TilesEntry, TransformEntry,
};
use super::registry::Attach;
use crate::collide::{Aabb, Body, Collider, Layers, MapPlane, Motion, TileGrid};
use crate::error::{Error, Kind};
use crate::space::{MadeFrom, Transform};
use crate::store::{Entity, Name, World};
use glam::{Quat, Vec3};
use std::collections::BTreeMap;
use std::fmt;
use toml::Spanned;

/// An entity of a scene, its template already merged in.
#[derive(Clone, Debug)]
pub(super) struct EntityPlan {
    pub(super) name: Option<Name>,
    pub(super) template: Option<Name>,
    pub(super) parent: Option<String>,
    pub(super) parts: Parts,
    /// Linked under it.
    pub(super) children: Vec<Self>,
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
            // One kind of shape overrides the others.
            let base_shape = match own.shapes() {
                0 => Some(base),
                _ => None,
            };
            // A grid of tiles has no sets to take over.
            let has_tiles = own.tiles.is_some();
            let same_kind = base_shape.or_else(|| own.size.as_ref().map(|_| base));
            ColliderEntry {
                size: own.size.or_else(|| base_shape?.size.clone()),
                center: own.center.or_else(|| same_kind?.center),
                boxes: own.boxes.or_else(|| base_shape?.boxes.clone()),
                tiles: own.tiles.or_else(|| base_shape?.tiles.clone()),
                sets: match own.sets.is_empty() && !has_tiles {
                    true => base.sets.clone(),
                    false => own.sets,
                },
                set: match has_tiles {
                    true => own.set,
                    false => own.set.or_else(|| base.set.clone()),
                },
                upright: own.upright.or(base.upright),
                kind: own.kind.or(base.kind),
                layer: own.layer.or_else(|| base.layer.clone()),
                on: own.on.or(base.on),
            }
        });
        self.body = merged(self.body, &template.body, |own, base| BodyEntry {
            motion: own.motion.or(base.motion),
            velocity: own.velocity.or_else(|| base.velocity.clone()),
            gravity_scale: own.gravity_scale.or(base.gravity_scale),
            mass: own.mass.or_else(|| base.mass.clone()),
            restitution: own.restitution.or_else(|| base.restitution.clone()),
            friction: own.friction.or_else(|| base.friction.clone()),
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

fn copy_of<T: crate::store::Component + Clone>(world: &World, entity: Entity) -> Option<T> {
    world.get::<T>(entity).ok().map(|held| T::clone(&held))
}

impl EntityPlan {
    /// Makes the entity and what is under it; its link to a parent is up to the caller.
    pub(super) fn spawn(&self, world: &mut World) -> Result<Entity, Error> {
        self.spawn_as(world, self.name.clone())
    }

    fn spawn_as(&self, world: &mut World, name: Option<Name>) -> Result<Entity, Error> {
        let entity = world.spawn((Transform::default(),));
        self.furnish(world, entity, name)?;
        Ok(entity)
    }

    /// Makes an entity what is planned.
    pub(super) fn furnish(
        &self,
        world: &mut World,
        entity: Entity,
        name: Option<Name>,
    ) -> Result<(), Error> {
        if !world.has::<Transform>(entity) {
            world.attach(entity, Transform::default())?;
        }
        for child in &self.children {
            let child = child.spawn_as(world, child.name_under(name.as_ref()))?;
            world.link(child, entity)?;
        }
        if let Some(name) = name {
            world.attach(entity, name)?;
        }
        if let Some(template) = &self.template {
            world.attach(entity, MadeFrom(template.clone()))?;
        }
        self.parts.apply(world, entity)
    }

    /// What a child is called in full; nothing if it, or what it is under, has no name.
    fn name_under(&self, above: Option<&Name>) -> Option<Name> {
        let (above, own) = (above?, self.name.as_ref()?);
        Some(Name::new(&format!("{above}/{own}")))
    }

    /// Its own name and those of all that is under it.
    pub(super) fn names(&self) -> Vec<Name> {
        let mut names = Vec::new();
        self.list_names(self.name.clone(), &mut names);
        names
    }

    fn list_names(&self, name: Option<Name>, names: &mut Vec<Name>) {
        for child in &self.children {
            child.list_names(child.name_under(name.as_ref()), names);
        }
        names.extend(name);
    }

    /// The child of a path of names, such as `trolley/hook`.
    pub(super) fn child_mut(&mut self, path: &str) -> Option<&mut Self> {
        self.children.iter_mut().find_map(|child| {
            let rest = path.strip_prefix(child.name.as_ref()?.as_str())?;
            match rest.strip_prefix('/') {
                Some(deeper) => child.child_mut(deeper),
                None => rest.is_empty().then_some(child),
            }
        })
    }

    /// The paths of all that is under it.
    pub(super) fn paths(&self) -> Vec<String> {
        let mut paths = Vec::new();
        for child in &self.children {
            let Some(name) = &child.name else { continue };
            paths.push(name.to_string());
            paths.extend(
                child
                    .paths()
                    .iter()
                    .map(|deeper| format!("{name}/{deeper}")),
            );
        }
        paths
    }

    /// The same at another place.
    pub(super) fn moved(mut self, place: Place) -> Self {
        let mut transform = Transform::default();
        let entry = self.parts.transform.get_or_insert_default();
        entry.apply(&mut transform);
        entry.translation = Some((transform.translation + place.offset).into());
        if place.turn != Quat::IDENTITY {
            let turned = place.turn * transform.rotation;
            entry.rotation = Some(Spanned::new(0..0, turned.to_array()));
            entry.turn = None;
        }
        self
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

impl BoxEntry {
    fn aabb(&self) -> Aabb {
        Aabb::from_center(self.center.into(), Vec3::from(*self.size.get_ref()) / 2.0)
    }
}

impl TilesEntry {
    pub(super) fn grid(&self) -> Result<TileGrid, Error> {
        let plane = match self.plane {
            PlaneEntry::Ground => MapPlane::Ground,
            PlaneEntry::Wall => MapPlane::Wall,
        };
        TileGrid::from_rows(&self.rows, self.tile.into(), plane)
    }
}

impl ColliderEntry {
    /// How many of the ways to give boxes are used.
    pub(super) fn shapes(&self) -> usize {
        let given = [
            self.size.is_some(),
            self.boxes.is_some(),
            self.tiles.is_some(),
        ];
        given.into_iter().filter(|&given| given).count()
    }

    fn applied(&self, world: &World, present: Option<Collider>) -> Result<Collider, Error> {
        let mut collider = self.with_shape(present)?;
        if collider.grid().is_some() && !self.sets.is_empty() {
            let reason = "it cannot have box sets besides; give them to an entity with boxes";
            return Err(Error::from(Kind::BadTiles {
                reason: reason.to_owned(),
            }));
        }
        for (name, boxes) in &self.sets {
            collider = collider.with_set(name.get_ref(), boxes.iter().map(BoxEntry::aabb));
        }
        if let Some(set) = &self.set {
            collider.switch_to(set.get_ref())?;
        }
        if let Some(upright) = self.upright {
            collider.set_upright(upright);
        }
        if let Some(kind) = self.kind {
            collider.set_sensor(kind == ColliderKind::Sensor);
        }
        if let Some(name) = &self.layer {
            let layer = world.global::<Layers>()?.find(name.get_ref());
            collider.set_layer(layer.unwrap_or_default());
        }
        if let Some(on) = self.on {
            collider.set_on(on);
        }
        Ok(collider)
    }

    /// What is there with the boxes that are given, if any: everything else of it stays.
    fn with_shape(&self, present: Option<Collider>) -> Result<Collider, Error> {
        let mut collider = present.unwrap_or_else(|| Collider::solid(Aabb::default()));
        if let Some(tiles) = &self.tiles {
            collider.set_tiles(tiles.get_ref().grid()?);
        } else if let Some(boxes) = &self.boxes {
            collider.set_boxes(boxes.get_ref().iter().map(BoxEntry::aabb));
        } else if self.size.is_some() || self.center.is_some() {
            let own = collider.default_box();
            let center = self.center.map_or(own.center(), Vec3::from);
            let size = self.size.as_ref().map(|size| Vec3::from(*size.get_ref()));
            let half_extents = size.map_or(own.half_extents(), |size| size / 2.0);
            collider.set_boxes([Aabb::from_center(center, half_extents)]);
        }
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
        if let Some(velocity) = &self.velocity {
            body.velocity = Vec3::from(*velocity.get_ref());
        }
        if let Some(scale) = self.gravity_scale {
            body.gravity_scale = scale;
        }
        let given = |number: &Option<Spanned<f32>>, held: f32| {
            number.as_ref().map_or(held, |number| *number.get_ref())
        };
        body.mass = given(&self.mass, body.mass);
        body.restitution = given(&self.restitution, body.restitution);
        body.friction = given(&self.friction, body.friction);
    }
}

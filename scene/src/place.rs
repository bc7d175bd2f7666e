//! From what a file says of an entity to the entity.

use super::arrange::Place;
use super::document::{
    BodyEntry, BoxEntry, ColliderEntry, ColliderKeys, EntityEntry, Part, PlaneEntry, Preset,
    SetEntry, TilesEntry, TransformEntry,
};
use super::first_origin::{Given, bring};
use super::registry::Attach;
use gerust::collide::{Aabb, Body, Collider, Layers, MapPlane, TileGrid};
use gerust::space::{MadeFrom, Transform};
use gerust::store::{Entity, FieldValue, Name, World};
use gerust::{Error, ErrorKind};
use glam::{Quat, Vec3};
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

/// An entity of a scene and everything below it, with all templates merged in.
///
/// The nodes stand in one list instead of being nested, so neither deep templates nor long chains of them use the stack.
#[derive(Clone, Debug)]
pub(super) struct EntityPlan {
    /// The name of the entity under which the root is linked.
    pub(super) parent: Option<String>,
    /// In preorder: the first is the root.
    nodes: Vec<PlanNode>,
}

/// One entity of a plan. Copies share its parts.
#[derive(Clone, Debug)]
pub(super) struct PlanNode {
    pub(super) name: Option<Name>,
    pub(super) template: Option<Name>,
    pub(super) parts: Arc<Parts>,
    /// The place of its parent in the list of nodes; the root has its own.
    pub(super) above: usize,
}

impl PlanNode {
    /// Gives an entity its name, its template and its parts.
    pub(super) fn dress(
        &self,
        world: &mut World,
        entity: Entity,
        name: Option<Name>,
    ) -> Result<(), Error> {
        if let Some(name) = name {
            world.attach(entity, name)?;
        }
        if let Some(template) = &self.template {
            world.attach(entity, MadeFrom::new(template.clone()))?;
        }
        self.parts.apply(world, entity)
    }
}

/// The parts of an entity, or the changes to one: only given keys.
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
        self.transform = merged(self.transform, &template.transform, |mut own, base| {
            // One kind of rotation overrides the other.
            match (own.given.get("rotation"), &own.rest.turn) {
                (None, None) => own.rest.turn.clone_from(&base.rest.turn),
                (None, Some(_)) => {
                    let mut others = base.given.clone();
                    others.set("rotation", None);
                    own.given = own.given.over(&others);
                    return own;
                }
                (Some(_), _) => {}
            }
            own.given = own.given.over(&base.given);
            own
        });
        self.collider = merged(self.collider, &template.collider, |own, base| {
            // One kind of shape overrides the others.
            let base_shape = match own.rest.shapes() {
                0 => Some(&base.rest),
                _ => None,
            };
            // A grid of tiles has no sets to take over.
            let has_tiles = own.rest.tiles.is_some();
            let same_kind = base_shape.or_else(|| own.rest.size.as_ref().map(|_| &base.rest));
            let given = own.given.over(&base.given);
            let (own, base) = (own.rest, &base.rest);
            let rest = ColliderKeys {
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
                layer: own.layer.or_else(|| base.layer.clone()),
            };
            ColliderEntry { given, rest }
        });
        self.body = merged(self.body, &template.body, |mut own, base| {
            own.given = own.given.over(&base.given);
            own
        });
        for (name, attach) in &template.components {
            self.components
                .entry(name.clone())
                .or_insert_with(|| attach.clone());
        }
        self
    }

    /// Which given values hold places of the world.
    pub(super) fn places(&self) -> Given {
        let transform = self.transform.as_ref();
        Given {
            translation: transform.is_some_and(|entry| entry.given.get("translation").is_some()),
            route: self.components.contains_key("route"),
        }
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
            entry.given.apply(&mut body);
            world.attach(entity, body)?;
        }
        for attach in self.components.values() {
            attach.put(world, entity)?;
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

fn copy_of<T: gerust::store::Component + Clone>(world: &World, entity: Entity) -> Option<T> {
    world.get::<T>(entity).ok().map(|held| T::clone(&held))
}

impl EntityPlan {
    /// A plan of one entity.
    pub(super) fn new(name: Option<Name>, template: Option<Name>, parts: Parts) -> Self {
        Self {
            parent: None,
            nodes: vec![PlanNode {
                name,
                template,
                parts: Arc::new(parts),
                above: 0,
            }],
        }
    }

    /// In preorder: the first is the root.
    pub(super) fn nodes(&self) -> &[PlanNode] {
        &self.nodes
    }

    pub(super) fn root(&self) -> &PlanNode {
        &self.nodes[0]
    }

    pub(super) fn root_mut(&mut self) -> &mut PlanNode {
        &mut self.nodes[0]
    }

    pub(super) fn node_mut(&mut self, place: usize) -> &mut PlanNode {
        &mut self.nodes[place]
    }

    /// Whether any of its entities has a registered component.
    pub(super) fn has_components(&self) -> bool {
        let mut nodes = self.nodes.iter();
        nodes.any(|node| !node.parts.components.is_empty())
    }

    /// How many entities it makes.
    pub(super) fn len(&self) -> usize {
        self.nodes.len()
    }

    /// Adds another plan below a node, after everything that is there already. O(nodes of both).
    pub(super) fn push(&mut self, place: usize, child: &Self) {
        let end = self.end_of(place);
        let added = child.nodes.len();
        for node in &mut self.nodes[end..] {
            if node.above >= end {
                node.above += added;
            }
        }
        let moved = child.nodes.iter().enumerate().map(|(at, node)| PlanNode {
            above: match at {
                0 => place,
                _ => node.above + end,
            },
            ..node.clone()
        });
        self.nodes.splice(end..end, moved);
    }

    /// Adds the children of another plan's root below the root of this one, which has none.
    pub(super) fn take_children_of(&mut self, other: &Self) {
        debug_assert_eq!(
            self.nodes.len(),
            1,
            "the places of its children would be others"
        );
        self.nodes.extend_from_slice(&other.nodes[1..]);
    }

    /// The place behind everything below a node.
    fn end_of(&self, place: usize) -> usize {
        if place == 0 {
            return self.nodes.len();
        }
        let below = self.nodes[place + 1..]
            .iter()
            .position(|node| node.above < place);
        below.map_or(self.nodes.len(), |count| place + 1 + count)
    }

    /// Makes the entity and everything below it, and calls `made` with each and its name. The caller links it under its parent.
    pub(super) fn spawn(
        &self,
        world: &mut World,
        made: impl FnMut(Entity, Option<&Name>),
    ) -> Result<Entity, Error> {
        let entity = world.spawn((Transform::default(),));
        self.furnish_noting(world, entity, self.root().name.as_ref(), made)?;
        if self.parent.is_none() {
            bring(world, entity, Given::ALL)?;
        }
        Ok(entity)
    }

    /// Gives an existing entity the components of the root, and makes everything below it.
    pub(super) fn furnish(
        &self,
        world: &mut World,
        entity: Entity,
        name: Option<&Name>,
    ) -> Result<(), Error> {
        self.furnish_noting(world, entity, name, |_, _| ())
    }

    fn furnish_noting(
        &self,
        world: &mut World,
        entity: Entity,
        name: Option<&Name>,
        mut made: impl FnMut(Entity, Option<&Name>),
    ) -> Result<(), Error> {
        if !world.has::<Transform>(entity) {
            world.attach(entity, Transform::default())?;
        }
        let names = self.full_names(name);
        let mut entities = vec![entity];
        for node in &self.nodes[1..] {
            let child = world.spawn((Transform::default(),));
            world.link(child, entities[node.above])?;
            entities.push(child);
        }
        for ((node, entity), name) in self.nodes.iter().zip(entities).zip(names) {
            made(entity, name.as_ref());
            node.dress(world, entity, name)?;
        }
        Ok(())
    }

    /// By node: its name behind those of everything above it; `None` if one of these has no name.
    pub(super) fn full_names(&self, root: Option<&Name>) -> Vec<Option<Name>> {
        let mut names: Vec<Option<Name>> = vec![root.cloned()];
        for node in &self.nodes[1..] {
            let above = names[node.above].as_ref().zip(node.name.as_ref());
            names.push(above.map(|(above, own)| Name::new(&format!("{above}/{own}"))));
        }
        names
    }

    /// The names of the root and of everything below it.
    pub(super) fn names(&self) -> impl Iterator<Item = Name> + use<> {
        let names = self.full_names(self.root().name.as_ref());
        names.into_iter().flatten()
    }

    /// By path, such as `trolley/hook`: the place of each named node below the root. Of two alike the first counts.
    pub(super) fn paths(&self) -> BTreeMap<String, usize> {
        let mut paths: Vec<Option<String>> = vec![Some(String::new())];
        let mut places = BTreeMap::new();
        for (place, node) in self.nodes.iter().enumerate().skip(1) {
            let above = paths[node.above].as_ref().zip(node.name.as_ref());
            let path = above.map(|(above, own)| match above.as_str() {
                "" => own.to_string(),
                above => format!("{above}/{own}"),
            });
            if let Some(path) = &path {
                places.entry(path.clone()).or_insert(place);
            }
            paths.push(path);
        }
        places
    }

    /// The same plan at another place.
    pub(super) fn moved(mut self, place: Place) -> Self {
        let mut transform = Transform::default();
        let parts = Arc::make_mut(&mut self.nodes[0].parts);
        let entry = parts.transform.get_or_insert_default();
        entry.apply(&mut transform);
        let translation = FieldValue::Vector(transform.translation + place.offset);
        entry.given.set("translation", Some(translation));
        if place.turn != Quat::IDENTITY {
            let turned = FieldValue::Rotation(place.turn * transform.rotation);
            entry.given.set("rotation", Some(turned));
            entry.rest.turn = None;
        }
        self
    }
}

impl TransformEntry {
    pub(super) fn apply(&self, transform: &mut Transform) {
        self.given.apply(transform);
        if self.given.get("rotation").is_some() {
            // A file gives few digits.
            transform.rotation = transform.rotation.normalize();
        }
        if let Some(turn) = &self.rest.turn {
            let turn = turn.get_ref();
            let axis = Vec3::from(turn.axis).normalize();
            transform.rotation = Quat::from_axis_angle(axis, turn.degrees.to_radians());
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

impl ColliderKeys {
    /// How many of the ways to give boxes are used.
    pub(super) fn shapes(&self) -> usize {
        let given = [
            self.size.is_some(),
            self.boxes.is_some(),
            self.tiles.is_some(),
        ];
        given.into_iter().filter(|&given| given).count()
    }
}

impl ColliderEntry {
    pub(super) fn applied(
        &self,
        world: &World,
        present: Option<Collider>,
    ) -> Result<Collider, Error> {
        let mut collider = self.with_shape(present)?;
        if collider.grid().is_some() && !self.rest.sets.is_empty() {
            let reason = "it cannot have box sets besides; give them to an entity with boxes";
            return Err(Error::new(
                ErrorKind::InvalidCollider,
                format!("a grid of tiles cannot be made: {reason}"),
            ));
        }
        for (name, boxes) in &self.rest.sets {
            collider = collider.with_set(name.get_ref(), boxes.iter().map(BoxEntry::aabb));
        }
        if let Some(set) = &self.rest.set {
            collider.switch_to(set.get_ref())?;
        }
        self.given.apply(&mut collider);
        if let Some(name) = &self.rest.layer {
            let layer = world.global::<Layers>()?.find(name.get_ref());
            collider.set_layer(layer.unwrap_or_default());
        }
        Ok(collider)
    }

    /// The present collider with the given boxes, if any; all other settings are kept.
    fn with_shape(&self, present: Option<Collider>) -> Result<Collider, Error> {
        let mut collider = present.unwrap_or_else(Collider::fresh);
        if let Some(tiles) = &self.rest.tiles {
            collider.set_tiles(tiles.get_ref().grid()?);
        } else if let Some(boxes) = &self.rest.boxes {
            collider.set_boxes(boxes.get_ref().iter().map(BoxEntry::aabb));
        } else if self.rest.size.is_some() || self.rest.center.is_some() {
            let own = collider.default_box();
            let center = self.rest.center.map_or(own.center(), Vec3::from);
            let size = self
                .rest
                .size
                .as_ref()
                .map(|size| Vec3::from(*size.get_ref()));
            let half_extents = size.map_or(own.half_extents(), |size| size / 2.0);
            collider.set_boxes([Aabb::from_center(center, half_extents)]);
        }
        Ok(collider)
    }
}

//! Looks at a world from time to time and tells what has changed since it looked last.

use super::change::{Change, Corners, Drawn, Pair, Value};
use crate::components;
use crate::draw::Look;
use crate::failure::Failure;
use crate::inspect::ContactView;
use gerust::collide::Boxes;
use gerust::prelude::*;
use serde::Serialize;
use serde_json::Value as Json;
use std::collections::{HashMap, HashSet};

#[derive(Serialize)]
pub(super) struct EntityView {
    /// Index and generation.
    id: String,
    label: String,
    template: Option<String>,
}

/// The state of the previous frame.
#[derive(Default)]
pub(super) struct Watcher {
    pub(super) entities: Vec<EntityView>,
    places: HashMap<Entity, usize>,
    /// The names of components, in the order in which they were first seen.
    pub(super) components: Vec<String>,
    component_places: HashMap<String, usize>,
    drawn: HashMap<usize, Drawn>,
    parents: HashMap<usize, usize>,
    /// By entity and component, as it was written and as it was read.
    values: HashMap<(usize, usize), (String, Json)>,
    contacts: HashMap<Pair, Json>,
    bounds: Option<Aabb>,
    events: Vec<(String, gerust::Datum)>,
}

impl Watcher {
    /// Keeps the events of a frame until they are read.
    pub(super) fn note_events(&mut self, events: Vec<(String, gerust::Datum)>) {
        self.events.extend(events);
    }

    /// The changes since the last call.
    pub(super) fn look(&mut self, world: &World, frame: u64) -> Result<Change, Failure> {
        let mut change = Change {
            frame,
            events: std::mem::take(&mut self.events),
            ..Change::default()
        };
        let mut all: Vec<Entity> = world.rows::<Entity>().iter().collect();
        all.sort();
        for &entity in &all {
            self.note_born(world, entity, &mut change);
        }
        self.note_gone(&all, &mut change);
        self.look_at_boxes(world, &mut change)?;
        for &entity in &all {
            self.look_at_values(world, entity, &mut change)?;
            self.look_at_parent(world, entity, &mut change);
        }
        self.look_at_contacts(world, &mut change)?;
        Ok(change)
    }

    fn note_born(&mut self, world: &World, entity: Entity, change: &mut Change) {
        self.places.entry(entity).or_insert_with(|| {
            let made = world.get::<MadeFrom>(entity).ok();
            self.entities.push(EntityView {
                id: entity.to_string(),
                label: world.label(entity),
                template: made.map(|made| made.template().to_owned()),
            });
            let place = self.entities.len() - 1;
            change.born.push(place);
            place
        });
    }

    fn note_gone(&mut self, all: &[Entity], change: &mut Change) {
        let there: HashSet<Entity> = all.iter().copied().collect();
        let gone = self.places.extract_if(|entity, _| !there.contains(entity));
        change.gone = gone.map(|(_, place)| place).collect();
        change.gone.sort_unstable();
        if change.gone.is_empty() {
            return;
        }
        for place in &change.gone {
            self.drawn.remove(place);
            self.parents.remove(place);
        }
        let gone = &change.gone;
        self.values
            .retain(|(place, _), _| gone.binary_search(place).is_err());
    }

    fn look_at_boxes(&mut self, world: &World, change: &mut Change) -> Result<(), Failure> {
        let parts = world.global::<Boxes>()?;
        let mut seen = HashMap::new();
        let colliders = world.rows::<(Entity, &Collider, &WorldBox, Option<&Body>)>();
        for (entity, collider, world_box, body) in colliders.iter() {
            let boxes = match parts.of(entity) {
                // A disabled collider has no active boxes, but is drawn.
                none if none.is_empty() => vec![world_box.aabb()],
                several => several,
            };
            self.widen(&boxes);
            let look = Look::of(collider, body).name();
            let boxes = boxes.iter().map(corners).collect();
            seen.insert(self.places[&entity], Drawn::Boxes(look, boxes));
        }
        let others = world.rows_where::<(Entity, &WorldTransform), Lacking<Collider>>();
        for (entity, transform) in others.iter() {
            let at = transform.translation();
            self.widen(&[Aabb::from_corners(at, at)]);
            let at = at.to_array().map(millimetres);
            seen.insert(self.places[&entity], Drawn::Point(at));
        }
        for (place, drawn) in &seen {
            if self.drawn.get(place) != Some(drawn) {
                change.drawn.insert(*place, Some(drawn.clone()));
            }
        }
        // Those that have gone are not among the known ones any more.
        for place in self.drawn.keys().filter(|place| !seen.contains_key(place)) {
            change.drawn.insert(*place, None);
        }
        self.drawn = seen;
        Ok(())
    }

    fn widen(&mut self, boxes: &[Aabb]) {
        for aabb in boxes.iter().filter(|aabb| aabb.is_valid()) {
            self.bounds = Some(match self.bounds {
                Some(bounds) => bounds.merged(aabb),
                None => *aabb,
            });
        }
    }

    pub(super) fn bounds(&self) -> Corners {
        corners(&self.bounds.unwrap_or_default())
    }

    fn look_at_values(
        &mut self,
        world: &World,
        entity: Entity,
        change: &mut Change,
    ) -> Result<(), Failure> {
        let place = self.places[&entity];
        let written = world.written_components(entity)?;
        let mut there = Vec::with_capacity(written.len());
        for (name, text) in written {
            let component = *self
                .component_places
                .entry(name)
                .or_insert_with_key(|name| {
                    self.components.push(name.clone());
                    self.components.len() - 1
                });
            there.push(component);
            let before = self.values.get(&(place, component));
            if before.is_some_and(|(before, _)| *before == text) {
                continue;
            }
            let name = &self.components[component];
            let value = components::value_of(world, entity, name, &text);
            let told = Value::between(before.map(|(_, before)| before), &value);
            change
                .values
                .entry(place)
                .or_default()
                .insert(component, told);
            self.values.insert((place, component), (text, value));
        }
        // Few components, so asking for each is cheap.
        for component in 0..self.components.len() {
            if !there.contains(&component) && self.values.remove(&(place, component)).is_some() {
                let of_entity = change.values.entry(place).or_default();
                of_entity.insert(component, Value::Gone);
            }
        }
        Ok(())
    }

    fn look_at_parent(&mut self, world: &World, entity: Entity, change: &mut Change) {
        let place = self.places[&entity];
        let parent = world.parent(entity).map(|parent| self.places[&parent]);
        let before = match parent {
            Some(parent) => self.parents.insert(place, parent),
            None => self.parents.remove(&place),
        };
        if before != parent {
            change.parents.insert(place, parent);
        }
    }

    fn look_at_contacts(&mut self, world: &World, change: &mut Change) -> Result<(), Failure> {
        let contacts = world.global::<Contacts>()?;
        let mut there = HashMap::new();
        for contact in contacts.iter() {
            let pair = Pair(self.places[&contact.first], self.places[&contact.second]);
            let view = serde_json::to_value(ContactView::new(world, &contacts, contact));
            let view = view
                .map_err(|error| Failure::other(format!("the page cannot be written: {error}")))?;
            if self.contacts.get(&pair) != Some(&view) {
                change.contacts.insert(pair, Some(view.clone()));
            }
            there.insert(pair, view);
        }
        for pair in self.contacts.keys() {
            if !there.contains_key(pair) {
                change.contacts.insert(*pair, None);
            }
        }
        self.contacts = there;
        Ok(())
    }
}

fn corners(aabb: &Aabb) -> Corners {
    let (min, max) = (aabb.min, aabb.max);
    [min.x, min.y, min.z, max.x, max.y, max.z].map(millimetres)
}

/// Metres, rounded to millimetres. In flat scenes boxes reach very far along z, which is never shown.
fn millimetres(metres: f32) -> f64 {
    let rounded = (f64::from(metres) * 1e3).round() / 1e3;
    // Plus nothing, so that no negative zero is written.
    rounded.clamp(-1e9, 1e9) + 0.0
}

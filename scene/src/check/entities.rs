//! Checks templates and entities.

use super::{Checker, Planned, circle};
use crate::document::{BoxEntry, ColliderKeys, EntityEntry, Part, TransformEntry, Triple};
use crate::fault::Fault;
use crate::place::{EntityPlan, Parts};
use gerust::collide::{Body, Motion};
use gerust::store::Name;
use gerust::work;
use glam::Vec3;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;
use toml::Spanned;

impl<'d> Checker<'d> {
    /// Gathers every name that an entity bears, whether from the start or by a cue.
    pub(super) fn collect_names(&mut self, planned: &[Planned<'d>], is_from_start: bool) {
        for (entry, plans) in planned {
            if let Some(name) = entry.name.as_ref().filter(|name| name.get_ref().is_empty()) {
                self.fault(name, "a name must not be empty", "leave `name` out instead");
                continue;
            }
            for full in plans.iter().flat_map(EntityPlan::names) {
                let full = full.to_string();
                if is_from_start {
                    self.placed.insert(full.clone());
                }
                if !self.names.insert(full.clone()) {
                    let message = format!("there are two entities named `{full}`");
                    let at = entry.name.as_ref().map_or(0..0, Spanned::span);
                    let fix = "give this one another name";
                    self.faults.push(Fault::new(at, message, fix));
                }
            }
        }
    }

    pub(super) fn check_name(&mut self, name: &Spanned<String>) {
        if !self.names.contains(name.get_ref()) {
            let (message, fix) = self.unknown_entity(name.get_ref());
            self.fault(name, message, fix);
        }
    }

    /// The plans of an entity of the file, one for each place of its arrangement. Parents are resolved later.
    pub(super) fn plan_entity(&mut self, entity: &'d EntityEntry) -> Vec<EntityPlan> {
        let mut plan = self.plan_single(entity);
        for child in self.plan_children(&entity.children) {
            plan.push(0, &child);
        }
        self.check_overrides(entity, &mut plan);
        let Some(arrange) = &entity.arrange else {
            return vec![plan];
        };
        let count = arrange.get_ref().count();
        let all =
            usize::try_from(count).map_or(usize::MAX, |count| count.saturating_mul(plan.len()));
        if !self.admit(all, &arrange.span()) {
            return Vec::new();
        }
        let places = arrange.get_ref().places(arrange).unwrap_or_else(|faults| {
            self.faults.extend(faults);
            Vec::new()
        });
        let numbered = places.into_iter().enumerate();
        numbered
            .map(|(at, place)| {
                let mut copy = plan.clone().moved(place);
                let name = entity.name.as_ref();
                copy.root_mut().name =
                    name.map(|name| Name::new(&format!("{}-{}", name.get_ref(), at + 1)));
                copy
            })
            .collect()
    }

    /// Children of a template or an entity.
    pub(super) fn plan_children(
        &mut self,
        children: &'d [Spanned<EntityEntry>],
    ) -> Vec<EntityPlan> {
        let mut plans = Vec::new();
        let mut known = BTreeSet::new();
        for child in children {
            let child = child.get_ref();
            if let Some(parent) = &child.parent {
                let message = "the parent of a child is what it is listed under";
                self.fault(parent, message, "leave `parent` out");
            }
            if let Some(name) = &child.name {
                let text = name.get_ref().as_str();
                if text.is_empty() || text.contains('/') {
                    let message = format!("`{text}` is not a name for a child");
                    self.fault(name, message, "write a name without `/`");
                } else if !known.insert(text) {
                    let message = format!("there are two children named `{text}` here");
                    self.fault(name, message, "give this one another name");
                }
            }
            plans.extend(self.plan_entity(child));
        }
        plans
    }

    fn check_overrides(&mut self, entity: &'d EntityEntry, plan: &mut EntityPlan) {
        // Beyond the limit children are left out, so they would seem to be unknown.
        if entity.overrides.is_empty() || self.is_full() {
            return;
        }
        let paths = plan.paths();
        let mut added = Vec::new();
        for (path, preset) in &entity.overrides {
            let own = Parts::of_preset(preset, self.read.values(preset.components.as_ref()));
            self.check_parts(&own);
            let Some(&place) = paths.get(path.get_ref()) else {
                self.unknown(path, "child", "children", paths.keys().map(String::as_str));
                continue;
            };
            let child = plan.node_mut(place);
            let parts = own.over(&child.parts);
            self.check_set_name(&parts);
            self.check_grid_stays(&parts);
            child.parts = Arc::new(parts);
            let children = self.plan_children(&preset.children);
            added.extend(children.into_iter().map(|child| (place, child)));
        }
        // From behind, so that the places before stay true.
        added.sort_by_key(|&(place, _)| std::cmp::Reverse(place));
        for (place, child) in &added {
            plan.push(*place, child);
        }
    }

    fn plan_single(&mut self, entity: &'d EntityEntry) -> EntityPlan {
        let values = self.read.values(entity.components.as_ref());
        let own = Parts::of_entity(entity, values);
        self.check_parts(&own);
        let mut parts = own;
        if let Some(template) = &entity.template
            && !self.presets.contains_key(template.get_ref().as_str())
        {
            let known: Vec<&str> = self.presets.keys().copied().collect();
            self.unknown(template, "template", "templates", known.into_iter());
        }
        let mut below = 0;
        if let Some(base) = self.template_of(entity) {
            below = base.len() - 1;
            parts = parts.over(&base.root().parts);
        }
        let name_of = |name: &Spanned<String>| Name::new(name.get_ref());
        let name = entity.name.as_ref().map(name_of);
        let template = entity.template.as_ref().map(name_of);
        let mut plan = EntityPlan::new(name, template, parts);
        plan.parent = entity
            .parent
            .as_ref()
            .map(|parent| parent.get_ref().clone());
        let at = self.place_of(entity);
        if self.admit(1 + below, &at)
            && let Some(base) = self.template_of(entity)
        {
            plan.take_children_of(base);
        }
        let parts = Arc::clone(&plan.root().parts);
        self.check_has_size(entity, &parts);
        self.check_set_name(&parts);
        self.check_grid_stays(&parts);
        plan
    }

    /// The plan of the template from which an entity is made; `None` if it is at fault.
    fn template_of(&self, entity: &EntityEntry) -> Option<&EntityPlan> {
        let template = entity.template.as_ref()?;
        self.templates.get(template.get_ref().as_str())
    }

    /// Where the file says something of an entity.
    fn place_of(&self, entity: &EntityEntry) -> Range<usize> {
        let named = entity.name.as_ref().or(entity.template.as_ref());
        named.map_or(self.region.start..self.region.start + 1, Spanned::span)
    }

    /// An entity that is there from the start cannot hang below one that only a cue spawns.
    pub(super) fn check_is_placed(&mut self, parent: &Spanned<String>) {
        let text = parent.get_ref().as_str();
        // An unknown name was reported already.
        if self.names.contains(text) && !self.placed.contains(text) {
            self.fault(
                parent,
                format!("`{text}` is not there from the start: a cue spawns it"),
                "spawn this entity by a later cue as well, or list its parent among the entities",
            );
        }
    }

    /// A collider that neither the entity nor its template gives a size is a slip, not a point.
    fn check_has_size(&mut self, entity: &EntityEntry, parts: &Parts) {
        let Some(collider) = &parts.collider else {
            return;
        };
        if collider.rest.shapes() > 0 || self.was_at_fault(&["size", "boxes", "tiles"]) {
            return;
        }
        let at = self.place_of(entity);
        self.faults.push(Fault::new(
            at,
            "the collider of this entity has no size",
            "add `size = [x, y, z]` to the collider, here or in the template",
        ));
    }

    pub(super) fn check_parts(&mut self, parts: &Parts) {
        if let Some(transform) = &parts.transform {
            self.faults.extend(transform.given.faults());
            self.check_transform(transform);
        }
        if let Some(collider) = &parts.collider {
            self.faults.extend(collider.given.faults());
            self.check_collider(&collider.rest);
        }
        if let Some(body) = &parts.body {
            self.faults.extend(body.given.faults());
        }
    }

    fn check_transform(&mut self, transform: &TransformEntry) {
        let turn = &transform.rest.turn;
        if let (Some(_), Some(turn)) = (transform.given.get("rotation"), turn) {
            self.fault(
                turn,
                "`rotation` and `turn` are both given",
                "keep one of the two",
            );
        }
        if let Some(turn) = turn
            && Vec3::from(turn.get_ref().axis).try_normalize().is_none()
        {
            self.fault(
                turn,
                "the axis of this turn has no direction",
                "write [0, 1, 0] for the y axis",
            );
        }
    }

    fn check_collider(&mut self, collider: &ColliderKeys) {
        if let Some(layer) = &collider.layer {
            self.check_layer(layer);
        }
        if let Some(size) = &collider.size {
            self.check_size(size);
        }
        if let Some(boxes) = &collider.boxes {
            if boxes.get_ref().is_empty() {
                self.fault(
                    boxes,
                    "a collider without boxes takes no part",
                    "list at least one, or switch it off with `on = false`",
                );
            }
            self.check_boxes(boxes.get_ref());
        }
        for (name, boxes) in &collider.sets {
            if name.get_ref() == "default" {
                self.fault(
                    name,
                    "`default` is the name of the boxes outside of `sets`",
                    "choose another name, or give them as `boxes`",
                );
            }
            self.check_boxes(boxes);
        }
        if let Some(tiles) = &collider.tiles
            && let Err(error) = tiles.get_ref().grid()
        {
            let text = error.to_string();
            let (message, fix) = text.split_once("; ").unwrap_or((&text, "fix the rows"));
            self.fault(tiles, message, fix);
        }
        if let (Some(tiles), false) = (&collider.tiles, collider.sets.is_empty()) {
            self.fault(
                tiles,
                "a grid of tiles has no box sets",
                "leave `sets` out, or give the box sets to an entity of their own",
            );
        }
        if collider.shapes() > 1 {
            let second = match (&collider.boxes, &collider.tiles) {
                (_, Some(tiles)) => tiles.span(),
                (Some(boxes), None) => boxes.span(),
                (None, None) => return,
            };
            self.faults.push(Fault::new(
                second,
                "this collider is given several kinds of boxes",
                "keep one of `size`, `boxes` and `tiles`",
            ));
        }
    }

    fn check_boxes(&mut self, boxes: &[BoxEntry]) {
        boxes.iter().for_each(|entry| self.check_size(&entry.size));
    }

    fn check_size(&mut self, size: &Spanned<Triple>) {
        if size.get_ref().iter().any(|side| *side < 0.0) {
            let message = format!("a box cannot have the size {:?}", size.get_ref());
            self.fault(size, message, "write sizes of 0 or more");
        }
    }

    /// The set that counts must be among those of the collider, the template's included.
    fn check_set_name(&mut self, parts: &Parts) {
        let Some(collider) = &parts.collider else {
            return;
        };
        if let Some(set) = &collider.rest.set {
            let known = collider
                .rest
                .sets
                .keys()
                .map(|name| name.get_ref().as_str());
            self.check_known(set, "box set", "box sets", known.chain(["default"]));
        }
    }

    /// A grid of tiles cannot be dynamic.
    fn check_grid_stays(&mut self, parts: &Parts) {
        let tiles = parts
            .collider
            .as_ref()
            .and_then(|collider| collider.rest.tiles.as_ref());
        let body = parts.body.as_ref().map(|entry| {
            let mut body = Body::fresh();
            entry.given.apply(&mut body);
            body
        });
        if let (Some(tiles), Some(Motion::Dynamic)) = (tiles, body.map(|body| body.motion)) {
            self.fault(
                tiles,
                "a grid of tiles cannot fall, but this entity has a dynamic body",
                "give the body `motion = \"kinematic\"`, or leave it out",
            );
        }
    }

    /// Parents that lead back to the entity itself.
    pub(super) fn check_parents(&mut self, planned: &[Planned<'d>]) {
        // By full name: under whom it is, and where the file says so.
        let mut parent_of: BTreeMap<String, (String, &Spanned<String>)> = BTreeMap::new();
        for (entry, plans) in planned {
            let Some(parent) = &entry.parent else {
                continue;
            };
            for name in plans.iter().flat_map(EntityPlan::names) {
                parent_of.insert(name.to_string(), (parent.get_ref().clone(), parent));
            }
        }
        // Names that have been on a path, with the number of the first path.
        let mut seen: BTreeMap<&str, usize> = BTreeMap::new();
        for (number, start) in parent_of.keys().enumerate() {
            let start = start.as_str();
            let mut path = vec![start];
            seen.entry(start).or_insert(number);
            while let Some((above, parent)) = path.last().and_then(|&last| parent_of.get(last)) {
                work::step();
                let above = above.as_str();
                let before = seen.get(above).copied();
                if before == Some(number) {
                    let from = path.iter().position(|&name| name == above).unwrap_or(0);
                    let circle = circle(&path[from..]);
                    let message = format!("the parents make a cycle {circle}");
                    self.faults.push(Fault::new(
                        parent.span(),
                        message,
                        "leave one of these parents out",
                    ));
                    break;
                }
                if before.is_some() {
                    break;
                }
                seen.insert(above, number);
                path.push(above);
            }
        }
    }
}

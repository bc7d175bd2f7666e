//! Groups of bodies at rest: what would not move by a bit is not looked at.
//!
//! A group in which nothing has moved, and that has no velocity, comes out of the next frame as it went into it, as long as
//! nothing in it and around it changes: the outcome of a frame follows from nothing else. Such a group *rests*. It wakes
//! before a frame in which that may be otherwise, so skipping it changes no bit.

use super::Step;
use super::sweep::Whose;
use crate::collide::aabb::Aabb;
use crate::collide::body::Body;
use crate::collide::boxes::{Boxes, Slot};
use crate::collide::layers::Layers;
use crate::collide::tree::BoxTree;
use crate::space::Transform;
use crate::store::Entity;
use glam::Vec3;
use smallvec::SmallVec;

#[cfg(test)]
thread_local! {
    /// Whether every body is computed in each frame, to test that skipping changes nothing.
    pub(super) static IS_OFF: std::cell::Cell<bool> = const { std::cell::Cell::new(false) };
}

/// A body at rest, as it was found.
#[derive(Clone, Copy, PartialEq, Debug)]
struct Bed {
    entity: Entity,
    group: u32,
    /// The index of the next one of its group.
    next: u32,
    slot: Slot,
    place: Vec3,
    body: Body,
}

/// A group at rest.
#[derive(Clone, Copy, Debug)]
struct Group {
    /// The index of the first of its bodies; none if the group is not used.
    first: u32,
    count: u32,
    /// How many of its bodies were found as they were in this frame.
    found: u32,
    wakes: bool,
}

/// The index after the last one of a group.
const END: u32 = u32::MAX;

/// All that rests, from frame to frame.
#[derive(Default, Debug)]
pub(super) struct Resting {
    /// By the index of the entity.
    beds: Vec<Option<Bed>>,
    groups: Vec<Group>,
    free: Vec<u32>,
    /// What bodies at rest must not be reached by, by slot.
    pub(super) tree: BoxTree,
    /// What else the outcome of a frame follows from.
    settings: Option<Settings>,
    wake: Vec<u32>,
}

/// What the outcome of a frame follows from besides bodies and boxes.
#[derive(Clone, PartialEq, Debug)]
struct Settings {
    layers: Layers,
    gravity: Vec3,
    seconds: f32,
    iterations: u32,
    is_flat: bool,
    most_restitution: f32,
}

impl Resting {
    /// Makes room for bodies to rest, so that lying down allocates nothing.
    pub(super) fn reserve(&mut self, bodies: usize, indices: usize, slots: usize) {
        if indices > self.beds.len() {
            self.beds.resize(indices, None);
        }
        let groups = bodies.max(self.groups.len());
        self.groups.reserve(groups - self.groups.len());
        for list in [&mut self.free, &mut self.wake] {
            list.reserve(groups.saturating_sub(list.len()));
        }
        self.tree.reserve(bodies, slots);
    }

    /// Whether a body rests and is as it was; then there is nothing to gather.
    #[inline]
    pub(super) fn is_as_it_was(
        &mut self,
        entity: Entity,
        transform: &Transform,
        body: &Body,
    ) -> bool {
        let Some(Some(bed)) = self.beds.get(entity.index() as usize) else {
            return false;
        };
        let group = &mut self.groups[bed.group as usize];
        let is_same =
            bed.entity == entity && bed.place == transform.translation && bed.body == *body;
        group.found += u32::from(is_same);
        is_same
    }

    /// Lets all wake if what everything depends on is another than before.
    pub(super) fn compare(
        &mut self,
        layers: &Layers,
        (gravity, seconds, iterations): (Vec3, f32, u32),
        (is_flat, most_restitution): (bool, f32),
    ) {
        let is_same = self.settings.as_ref().is_some_and(|known| {
            known.layers == *layers
                && (known.gravity, known.seconds, known.iterations)
                    == (gravity, seconds, iterations)
                && (known.is_flat, known.most_restitution) == (is_flat, most_restitution)
        });
        if is_same {
            return;
        }
        // The names of layers are copied only when they change.
        let known = self.settings.take().map(|known| known.layers);
        self.settings = Some(Settings {
            layers: known
                .filter(|known| known == layers)
                .unwrap_or_else(|| layers.clone()),
            gravity,
            seconds,
            iterations,
            is_flat,
            most_restitution,
        });
        for number in 0..self.groups.len() {
            self.wake_group(number as u32);
        }
    }

    fn wake_group(&mut self, number: u32) {
        let group = &mut self.groups[number as usize];
        if !group.wakes && group.first != END {
            group.wakes = true;
            self.wake.push(number);
        }
    }

    /// Lets groups wake of which a body is gone or was written to, or around which a box has changed.
    pub(super) fn wake_changed(&mut self, boxes: &Boxes) {
        for number in 0..self.groups.len() {
            let group = &mut self.groups[number];
            let is_whole = group.found == group.count;
            group.found = 0;
            if !is_whole {
                self.wake_group(number as u32);
            }
        }
        if self.tree.is_empty() {
            return;
        }
        for &(slot, before) in boxes.stirred() {
            let item = boxes.item(slot);
            self.wake_bed(item.entity);
            if let Some(before) = before {
                self.wake_touched(&before, boxes);
            }
            if item.takes_part {
                self.wake_touched(&item.aabb, boxes);
            }
        }
    }

    /// Lets the group of a body wake.
    fn wake_bed(&mut self, entity: Entity) {
        let bed = self.beds.get(entity.index() as usize).copied().flatten();
        if let Some(bed) = bed {
            self.wake_group(bed.group);
        }
    }

    /// Lets all groups wake that a box reaches.
    pub(super) fn wake_touched(&mut self, aabb: &Aabb, boxes: &Boxes) {
        let mut touched: SmallVec<[Entity; 16]> = SmallVec::new();
        self.tree
            .touching(aabb, |slot| touched.push(boxes.item(slot).entity));
        touched.into_iter().for_each(|entity| self.wake_bed(entity));
    }

    /// Takes the groups that wake out of their beds, and lists their bodies.
    pub(super) fn get_up(&mut self, woken: &mut Vec<Entity>) {
        while let Some(number) = self.wake.pop() {
            let group = &mut self.groups[number as usize];
            let mut index = std::mem::replace(&mut group.first, END);
            (group.count, group.wakes) = (0, false);
            while let Some(bed) = self.beds.get_mut(index as usize).and_then(Option::take) {
                self.tree.remove(bed.slot);
                woken.push(bed.entity);
                index = bed.next;
            }
            self.free.push(number);
        }
    }
}

impl Step<'_, '_> {
    /// Lets groups rest in which nothing has moved.
    pub(super) fn lay_down(&mut self) {
        #[cfg(test)]
        if IS_OFF.get() {
            return;
        }
        let lists = &mut *self.lists;
        let mut first = 0;
        for &end in &lists.groups.ends {
            let members = &lists.groups.members[first..end];
            let outcomes = &lists.outcomes[first..end];
            first = end;
            let rests = members.iter().zip(outcomes).all(|(&number, outcome)| {
                if outcome.velocity != Vec3::ZERO {
                    return false;
                }
                let mover = &lists.movers.list[number as usize];
                let obstacles = &lists.movers.obstacles[mover.obstacles.clone()];
                mover.depth == 0
                    && !mover.has_children
                    && mover.ride.is_none()
                    && mover.place == mover.start
                    && mover.own_velocity == Vec3::ZERO
                    && mover.carried == Vec3::ZERO
                    && obstacles
                        .iter()
                        .all(|obstacle| obstacle.whose == Whose::Still)
            });
            if !rests {
                continue;
            }
            let resting = &mut lists.resting;
            let number = resting.free.pop().unwrap_or(resting.groups.len() as u32);
            let mut group = Group {
                first: END,
                count: 0,
                found: 0,
                wakes: false,
            };
            for &member in members {
                let mover = &lists.movers.list[member as usize];
                let row = self.rows.get(mover.entity);
                let (Some(slot), Some((_, _, written, ..))) = (mover.slot, row) else {
                    continue;
                };
                let index = mover.entity.index();
                if index as usize >= resting.beds.len() {
                    resting.beds.resize(index as usize + 1, None);
                }
                resting.beds[index as usize] = Some(Bed {
                    entity: mover.entity,
                    group: number,
                    next: group.first,
                    slot,
                    place: mover.start,
                    body: *written,
                });
                resting.tree.set(slot, &mover.region);
                (group.first, group.count) = (index, group.count + 1);
            }
            match resting.groups.get_mut(number as usize) {
                Some(free) => *free = group,
                None => resting.groups.push(group),
            }
        }
        lists.resting.tree.update();
    }
}

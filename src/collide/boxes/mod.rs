//! The boxes of all colliders, kept up to date with the world, and the trees that find them.

mod among;
mod ask;
mod cast;
mod changes;
mod item;
mod near;
mod refresh;

use super::aabb::Aabb;
use super::body::{Body, Motion};
use super::collider::Collider;
use super::layers::Layer;
use super::tree::BoxTree;
use super::world_box::WorldBox;
use crate::profile;
use crate::store::{Entity, NumberByEntity};
use fixedbitset::FixedBitSet;
use glam::{Affine3A, Vec3, Vec3A};
use item::PlacedCollider;
use rustc_hash::FxHashMap;
use std::collections::BTreeSet;

pub use among::Among;
pub use ask::Found;
pub use cast::Struck;
pub(super) use item::{Compound, Item, Slot, flat};
pub(super) use refresh::{install, system, tell_refused};

const NO_SLOT: Slot = Slot::MAX;

/// How many trees there are: static, kinematic, dynamic.
pub(super) const TREES: usize = 3;

/// If more than a quarter of a tree has moved, all of it is written anew: going forward in memory beats picking.
const MOST_PICKED_SHARE: usize = 4;

/// What finding pairs asks of an entity.
#[derive(Clone, Copy, Debug)]
pub(super) struct Brief {
    pub(super) index: u32,
    pub(super) layer: Layer,
}

/// A collider that was moved by what writes its placement: where it was when bodies last moved.
#[derive(Clone, Copy, Debug)]
pub(super) struct Relocated {
    pub(super) slot: Slot,
    pub(super) placement: Affine3A,
    pub(super) aabb: Aabb,
}

/// How many dimensions count: a global of every runtime.
///
/// With two, z takes no part in overlap, contacts, questions and motion: boxes meet at any z, and no body is stopped
/// or pushed along it. Set it before the first frame.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Dimensions::Two);
/// let tile = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
/// let near = runtime.world_mut().spawn((Transform::default(), tile.clone()));
/// let far = runtime.world_mut().spawn((Transform::at(1.0, 0.0, 500.0), tile));
/// runtime.settle()?;
/// assert!(runtime.world().global::<Contacts>()?.between(near, far).is_some());
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub enum Dimensions {
    /// Only x and y count.
    Two,
    /// All three count.
    #[default]
    Three,
}

/// The boxes of all colliders that take part, to ask what is where: a global of every runtime.
///
/// They are as the last [`Touch`](crate::Phase::Touch) phase found them, and, during [`Move`](crate::Phase::Move), as they were
/// when it began. What is asked comes in an order that depends on nothing but the ids and the distances. Nothing is
/// allocated but what the caller's list needs to grow.
///
/// # Example
///
/// ```
/// use gerust::collide::{Among, Boxes};
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
/// let row: Vec<Entity> = (0..5_u8)
///     .map(|x| runtime.world_mut().spawn((Transform::at(3.0 * f32::from(x), 0.0, 0.0), cube.clone())))
///     .collect();
/// runtime.settle()?;
///
/// let boxes = runtime.world().global::<Boxes>()?;
/// let mut found = Vec::new();
/// boxes.within(Vec3::ZERO, 5.6, &Among::all().excluding(row[0]), &mut found);
/// assert_eq!(found.len(), 2);
/// assert_eq!((found[1].entity, found[1].distance), (row[2], 5.5));
///
/// let struck = boxes.cast(Vec3::X * 4.0, Vec3::X * 100.0, &Among::all()).expect("two stand there");
/// assert_eq!((struck.entity, struck.normal, struck.distance), (row[2], Vec3::NEG_X, 1.5));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Debug, Default)]
pub struct Boxes {
    /// By slot. Those of the free ones take no part.
    items: Vec<Item>,
    free: Vec<Slot>,
    /// By the index of an entity.
    slots: NumberByEntity,
    compounds: FxHashMap<Slot, Compound>,
    trees: [BoxTree; TREES],
    /// Those of which only the box is another than in their tree.
    moved: [Vec<Slot>; TREES],
    /// By slot: what finding pairs asks of each, small enough to stay in the cache.
    briefs: Vec<Brief>,
    /// By slot: the placement under which its boxes are.
    placements: Vec<Affine3A>,
    /// The colliders that a system moved since bodies last moved.
    relocated: Vec<Relocated>,
    /// Those that are others than when bodies last moved, with the boxes that they had, but for dynamic ones that only are
    /// elsewhere.
    stirred: Vec<(Slot, Option<Aabb>)>,
    /// By slot: whether it is another than when contacts were last found.
    changed: FixedBitSet,
    changed_slots: Vec<Slot>,
    /// By slot: the boxes of lone bodies at the end of the frame, and whether a body is lone.
    lone_ends: Vec<Aabb>,
    lone: FixedBitSet,
    /// How many slots are not free.
    count: usize,
    is_flat: bool,
    /// Colliders with invalid boxes, until these are corrected or the entity is despawned.
    refused: BTreeSet<Entity>,
    /// Colliders whose layers are not among those of the world.
    stray: BTreeSet<Entity>,
}

impl Boxes {
    /// How many colliders take part: those that are on and have a box.
    #[must_use]
    pub fn len(&self) -> usize {
        self.trees.iter().map(BoxTree::len).sum()
    }

    /// Whether no collider takes part.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The box around an entity's boxes, grown by `by` metres, for effects on an area around it. `None` if
    /// the entity has no collider that takes part. In a scene of two dimensions it has no end along z.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::{Among, Boxes};
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// let horn = runtime.world_mut().spawn((Transform::default(), cube.clone()));
    /// let gull = runtime.world_mut().spawn((Transform::at(4.0, 0.0, 0.0), cube));
    /// runtime.settle()?;
    /// let boxes = runtime.world().global::<Boxes>()?;
    /// let mut startled = Vec::new();
    /// let area = boxes.around(horn, 3.0).expect("it has a collider");
    /// boxes.overlaps(&area, &Among::all().excluding(horn), &mut startled);
    /// assert_eq!(startled, [gull]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn around(&self, entity: Entity, by: f32) -> Option<Aabb> {
        let item = &self.items[self.slot_of(entity)? as usize];
        item.takes_part.then(|| item.aabb.grown(by))
    }

    /// All boxes of an entity in the world: one for each box of its collider, or for each solid tile. None if it has no
    /// collider that takes part. In a scene of two dimensions they have no thickness.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::Boxes;
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
    /// let two = Collider::solid(cube).with_box(cube.moved(Vec3::X * 5.0));
    /// let truck = runtime.world_mut().spawn((Transform::at(1.0, 0.0, 0.0), two));
    /// runtime.settle()?;
    /// let world = runtime.world().global::<Boxes>()?.of(truck);
    /// assert_eq!(world, [cube.moved(Vec3::X), cube.moved(Vec3::X * 6.0)]);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn of(&self, entity: Entity) -> Vec<Aabb> {
        let mut all = Vec::new();
        if let Some(slot) = self.taking_part(entity) {
            let around = self.item(slot).aabb;
            self.parts_touching(slot, &around, |part| all.push(self.drawn_flat(part)));
        }
        all
    }

    pub(super) fn item(&self, slot: Slot) -> &Item {
        &self.items[slot as usize]
    }

    #[inline]
    pub(super) fn brief(&self, slot: Slot) -> Brief {
        self.briefs[slot as usize]
    }

    pub(super) fn compound(&self, slot: Slot) -> Option<&Compound> {
        self.compounds.get(&slot)
    }

    pub(super) fn is_flat(&self) -> bool {
        self.is_flat
    }

    pub(super) fn tree(&self, number: usize) -> &BoxTree {
        &self.trees[number]
    }

    pub(super) fn slot_of(&self, entity: Entity) -> Option<Slot> {
        let slot = self.slots.get(entity);
        (slot != NO_SLOT && self.items[slot as usize].entity == entity).then_some(slot)
    }

    /// Calls `visit` with each box of a slot that touches a region.
    #[inline]
    pub(super) fn parts_touching(&self, slot: Slot, region: &Aabb, mut visit: impl FnMut(Aabb)) {
        let item = self.item(slot);
        match item.is_compound {
            true => self.compounds[&slot].touching(region, visit),
            false if item.aabb.touches(region) => visit(item.aabb),
            false => {}
        }
    }

    /// Calls `visit` with each slot in the trees of obstacles whose box touches a region.
    pub(super) fn obstacles_near(&self, region: &Aabb, mut visit: impl FnMut(Slot)) {
        for tree in &self.trees[..2] {
            tree.touching(region, &mut visit);
        }
    }

    /// Takes in what an entity's boxes are now, and returns the box around them in the world.
    fn enter(
        &mut self,
        entity: Entity,
        collider: &Collider,
        placed: &Affine3A,
        body: Option<&Body>,
    ) -> WorldBox {
        let boxes = PlacedCollider::new(collider, placed, self.is_flat);
        let aabb = boxes.as_ref().map_or_else(
            || Aabb::from_center(placed.translation.into(), Vec3::ZERO),
            |boxes| boxes.aabb,
        );
        let is_valid = aabb.is_valid() && collider.boxes().iter().all(Aabb::is_valid);
        match is_valid {
            true => self.refused.remove(&entity),
            false => self.refused.insert(entity),
        };
        let compound = boxes.and_then(|boxes| boxes.compound);
        let has_boxes = compound.is_some() || !collider.boxes().is_empty();
        let item = Item {
            aabb: if self.is_flat { flat(&aabb) } else { aabb },
            entity,
            layer: collider.layer(),
            motion: body.map_or(Motion::Static, |body| body.motion),
            has_body: body.is_some(),
            is_sensor: collider.is_sensor(),
            is_compound: compound.is_some(),
            takes_part: is_valid && has_boxes && collider.is_on(),
        };
        let slot = self.slot_for(entity);
        let stays = self.placements[slot as usize] == *placed;
        self.note_relocated(slot, placed);
        match compound {
            Some(compound) => {
                self.compounds.insert(slot, compound);
            }
            None if self.items[slot as usize].is_compound => {
                self.compounds.remove(&slot);
            }
            None => {}
        }
        self.put(slot, item, stays);
        WorldBox(aabb)
    }

    /// The slot of an entity, or a new one, whose item is still without meaning.
    fn slot_for(&mut self, entity: Entity) -> Slot {
        if let Some(slot) = self.slot_of(entity) {
            return slot;
        }
        // Another entity had the index before: it is gone, or it could not be given out again.
        let before = self.slots.get(entity);
        if before != NO_SLOT {
            self.free(before);
        }
        let blank = Item {
            aabb: Aabb::default(),
            entity,
            layer: Default::default(),
            motion: Motion::Static,
            has_body: false,
            is_sensor: false,
            is_compound: false,
            takes_part: false,
        };
        let slot = match self.free.pop() {
            Some(slot) => {
                self.items[slot as usize] = blank;
                slot
            }
            None => {
                self.items.push(blank);
                self.placements.push(Affine3A::IDENTITY);
                self.briefs.push(Brief {
                    index: entity.index(),
                    layer: blank.layer,
                });
                self.changed.grow(self.items.len());
                self.items.len() as Slot - 1
            }
        };
        self.slots.set(entity, slot);
        self.count += 1;
        slot
    }

    /// Puts in an item that has changed. `stays` says that its placement has not, so that it did more than fall.
    fn put(&mut self, slot: Slot, item: Item, stays: bool) {
        let before = &self.items[slot as usize];
        if before.takes_part && (!item.takes_part || before.tree() != item.tree()) {
            self.trees[before.tree()].remove(slot);
        }
        if before.takes_part && item.takes_part && before.tree() == item.tree() {
            self.moved[item.tree()].push(slot);
        } else if item.takes_part {
            self.trees[item.tree()].set(slot, &item.aabb);
        }
        self.briefs[slot as usize] = Brief {
            index: item.entity.index(),
            layer: item.layer,
        };
        if before.takes_part || item.takes_part {
            let only_falls = !stays
                && item.motion == Motion::Dynamic
                && Item {
                    aabb: item.aabb,
                    ..*before
                } == item;
            if !only_falls {
                let aabb = before.takes_part.then_some(before.aabb);
                self.stirred.push((slot, aabb));
            }
            // A lone body touches nothing, neither before nor afterwards.
            if !(only_falls && self.is_lone_at(slot, &item.aabb)) {
                self.note(slot);
            }
        }
        self.items[slot as usize] = item;
    }

    pub(super) fn placement(&self, slot: Slot) -> &Affine3A {
        &self.placements[slot as usize]
    }

    fn free(&mut self, slot: Slot) {
        let item = self.items[slot as usize];
        self.refused.remove(&item.entity);
        self.stray.remove(&item.entity);
        self.put(
            slot,
            Item {
                takes_part: false,
                is_compound: false,
                ..item
            },
            false,
        );
        self.compounds.remove(&slot);
        self.slots.set(item.entity, NO_SLOT);
        self.free.push(slot);
        self.count -= 1;
    }

    /// Moves all boxes of an entity, until the next refresh says where they are to the bit.
    pub(super) fn shift(&mut self, slot: Slot, by: Vec3) {
        let mut item = self.items[slot as usize];
        let by = if self.is_flat { by.with_z(0.0) } else { by };
        item.aabb = item.aabb.moved(by);
        self.placements[slot as usize].translation += Vec3A::from(by);
        if let Some(compound) = self.compounds.get_mut(&slot) {
            compound.shift(by);
        }
        self.put(slot, item, false);
    }

    /// Brings the trees up to date with the items.
    pub(super) fn update_trees(&mut self) {
        let _span = profile::part("update box trees");
        for (tree, moved) in self.trees.iter_mut().zip(&mut self.moved) {
            // Boxes that have left the tree since do not move.
            let still_there = |slot: Slot, tree: &BoxTree| tree.get(slot).is_some();
            if moved.len() * MOST_PICKED_SHARE > tree.len() {
                tree.move_all(|slot| self.items[slot as usize].aabb);
            } else {
                for &slot in moved.iter() {
                    if still_there(slot, tree) {
                        tree.set(slot, &self.items[slot as usize].aabb);
                    }
                }
            }
            moved.clear();
            tree.update();
        }
    }
}

#[cfg(test)]
mod tests;

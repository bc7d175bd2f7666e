//! Bodies that can meet nothing in a frame: they are moved in the order of their rows, and never become movers.
//!
//! A body is *lone* if every box is too far away for the two to meet within the frame. A mover that reaches near a lone body
//! calls it, and then that body becomes a mover too. So each frame ends with the same bits as if all bodies were movers.

use super::MoverRows;
use super::meetings::Meetings;
use super::mover::Part;
use super::near::room;
use super::solid::{Outset, fly_alone};
use super::support::GAP;
use super::surroundings::way_region;
use crate::collide::aabb::Aabb;
use crate::collide::body::{Body, Motion};
use crate::collide::boxes::{Boxes, Slot, TREES};
use crate::collide::collider::Collider;
use crate::collide::contacts::slack;
use crate::collide::placed::{ENDLESS, ROUNDING};
use crate::collide::refused::can_move;
use crate::collide::threads::{Threads, clear_lists, in_parts};
use crate::space::{Transform, WorldTransform};
use crate::store::Entity;
use fixedbitset::FixedBitSet;
use glam::Vec3;

#[cfg(test)]
thread_local! {
    /// Whether every body becomes a mover, to test that lone bodies come out the same.
    pub(super) static IS_OFF: std::cell::Cell<bool> = const { std::cell::Cell::new(false) };
    /// How many bodies were moved as lone ones, and how many were called.
    static SEEN: std::cell::Cell<(usize, usize)> = const { std::cell::Cell::new((0, 0)) };
}

/// Up to this number of bodies it does not pay to find the lone ones.
const FEW: usize = if cfg!(test) { 1 } else { 256 };
/// The least number of boxes for which a thread pays.
const PIECE: usize = if cfg!(test) { 4 } else { 2_048 };
/// If most bodies were not lone, this many frames pass before the next search for lone ones: twice as many each time.
const FIRST_PAUSE: u32 = 16;
const LONGEST_PAUSE: u32 = 256;
/// A body that reaches farther than this many times the average becomes a mover, because the search around lone bodies reaches as far.
const MOST_REACH: f64 = 2.0;
/// The dynamic boxes among the trees.
const DYNAMIC: usize = TREES - 1;

/// A body that may be lone, and its outcome if it is.
#[derive(Clone, Copy, Debug)]
pub(super) struct Flyer {
    pub(super) entity: Entity,
    slot: Slot,
    /// How far its region goes beyond its box at most.
    reach: f32,
    place: Vec3,
    velocity: Vec3,
    /// Its box at that place.
    end: Aabb,
}

impl Flyer {
    /// Returns `None` unless the body has a single solid box, is where its transform says, moves, and was not carried; then it becomes
    /// a mover.
    pub(super) fn of(
        (entity, transform, body): (Entity, &Transform, &Body),
        placement: &WorldTransform,
        collider: &Collider,
        boxes: &Boxes,
        (gravity, seconds): (Vec3, f32),
    ) -> Option<Self> {
        let slot = boxes.slot_of(entity)?;
        let item = boxes.item(slot);
        let start = transform.translation;
        let [own] = collider.boxes() else { return None };
        let is_single = !item.is_compound && !item.is_sensor && item.motion == Motion::Dynamic;
        let is_up_to_date = item.takes_part && placement.translation() == start;
        let is_free = is_single && body.carried == Vec3::ZERO;
        if !is_free || !is_up_to_date || !can_move(body) {
            return None;
        }
        let own = Part::new(own, placement.affine(), (slot, item.layer), boxes.is_flat());
        let here = own.at(start);
        let pull = gravity * body.gravity_scale;
        if here != item.aabb || !start.is_finite() || !pull.is_finite() {
            return None;
        }
        // What bounces back goes no farther than it would have gone.
        let region = way_region(&here, body.velocity, pull, seconds, 0.0).grown(room(&here));
        let outset = Outset {
            place: start,
            velocity: body.velocity,
            pull,
            region,
        };
        let end = fly_alone(&outset, &[own], seconds);
        let there = own.at(end.place);
        let is_within = region.min.cmple(there.min).all() && there.max.cmple(region.max).all();
        // One that stays may come to rest, which lone bodies do not.
        if end.place == start || !is_within {
            return None;
        }
        let beyond = (here.min - region.min).max(region.max - here.max);
        let far = here.min.abs().max(here.max.abs());
        let far = Vec3::select(far.cmplt(Vec3::splat(ENDLESS / 2.0)), far, Vec3::ZERO);
        Some(Self {
            entity,
            slot,
            reach: beyond.max_element() + far.max_element() * ROUNDING,
            place: end.place,
            velocity: end.velocity,
            end: there,
        })
    }
}

/// The lone bodies of a frame; the lists are kept from frame to frame.
#[derive(Default, Debug)]
pub(super) struct Lone {
    /// In the order of their rows.
    pub(super) flyers: Vec<Flyer>,
    /// By slot: those that are lone.
    slots: FixedBitSet,
    count: usize,
    /// A box farther away than this cannot meet a lone body, unless it reaches farther than lone bodies do.
    distance: f32,
    /// Whether lone bodies touch nothing, as far as the margin of contacts goes.
    touch_nothing: bool,
    /// Frames without a search that are left, and how many the next pause has.
    pause: u32,
    next_pause: u32,
    /// The flyers near to which each thread has found a box.
    near: Vec<Vec<Slot>>,
    /// Lone bodies that movers have come near to.
    pub(super) called: Vec<Entity>,
}

impl Lone {
    /// Begins a frame. Says whether to look for lone bodies in it: it does not pay where most bodies are near something.
    pub(super) fn begin(&mut self) -> bool {
        self.clear();
        #[cfg(test)]
        if IS_OFF.get() {
            return false;
        }
        let looks = self.pause == 0;
        self.pause = self.pause.saturating_sub(1);
        looks
    }

    /// Lets no body be lone.
    pub(super) fn clear(&mut self) {
        self.flyers.clear();
        self.called.clear();
        self.slots.clear();
        self.count = 0;
    }

    /// Whether a flyer is lone.
    pub(super) fn holds(&self, flyer: &Flyer) -> bool {
        self.slots.contains(flyer.slot as usize)
    }

    /// Finds which flyers are lone. `most_restitution` is the greatest of all bodies. O(n log n) where boxes do not crowd.
    pub(super) fn separate(
        &mut self,
        boxes: &Boxes,
        most_restitution: f32,
        margin: f32,
        threads: &Threads,
    ) {
        let all = self.flyers.len();
        // A body with a restitution above 1 is refused, but widens the regions of all others.
        if all < FEW || most_restitution > 1.0 {
            return;
        }
        let sum: f64 = self
            .flyers
            .iter()
            .map(|flyer| f64::from(flyer.reach.ln()))
            .sum();
        // The geometric mean, which a few fast bodies hardly change.
        let most = ((sum / all as f64).exp() * MOST_REACH) as f32;
        // The support of a body may be this far away.
        self.distance = most + 2.0 * GAP;
        // Half as much again, for boxes that come farther from the origin within the frame.
        let margin = slack(boxes, margin).0 * 1.5;
        self.touch_nothing = margin <= most;
        if self.touch_nothing {
            self.distance = most + margin.max(2.0 * GAP);
        }
        for flyer in self.flyers.iter().filter(|flyer| flyer.reach <= most) {
            self.slots.grow_and_insert(flyer.slot as usize);
            self.count += 1;
        }
        let fits = self.find_near(boxes, threads);
        for slot in self.near.iter_mut().flat_map(|list| list.drain(..)) {
            if self.slots.contains(slot as usize) {
                self.slots.remove(slot as usize);
                self.count -= 1;
            }
        }
        if !fits || self.count * 2 < all {
            self.slots.clear();
            self.count = 0;
            self.pause = self.next_pause.max(FIRST_PAUSE);
            self.next_pause = (self.pause * 2).min(LONGEST_PAUSE);
        } else {
            self.next_pause = 0;
        }
    }

    /// Lists the flyers near to which there is a box. Returns `false` if the list is too long to be complete.
    fn find_near(&mut self, boxes: &Boxes, threads: &Threads) -> bool {
        let (slots, distance) = (&self.slots, self.distance);
        let most = self.flyers.len() * 2;
        let note = |a: Slot, b: Slot, list: &mut Vec<Slot>| {
            if list.len() <= most {
                let flyers = [a, b].into_iter();
                list.extend(flyers.filter(|&slot| slots.contains(slot as usize)));
            }
        };
        let dynamic = boxes.tree(DYNAMIC);
        let pieces = threads.pieces(dynamic.len(), PIECE);
        clear_lists(&mut self.near, pieces);
        let lists = &mut self.near[..pieces];
        // So that steady frames allocate nothing, however many bodies come near.
        lists.iter_mut().for_each(|list| list.reserve(most + 2));
        self.called.reserve(self.flyers.len());
        threads.divide(dynamic.leaves(), lists, |leaves, list| {
            in_parts(leaves, most, list, |leaves, list| {
                dynamic.box_pairs(leaves, 2.0 * distance, |(a, _), (b, _)| note(a, b, list));
            });
        });
        for other in (0..DYNAMIC).map(|number| boxes.tree(number)) {
            // The smaller tree is walked, the larger one searched.
            let (walked, searched) = match other.len() < dynamic.len() {
                true => (other, dynamic),
                false => (dynamic, other),
            };
            threads.divide(walked.leaves(), lists, |leaves, list| {
                in_parts(leaves, most, list, |leaves, list| {
                    walked.box_pairs_with(leaves, searched, distance, |(a, _), (b, _)| {
                        note(a, b, list);
                    });
                });
            });
        }
        self.near.iter().all(|list| list.len() <= most)
    }

    /// Makes movers of the lone bodies that may come into a region.
    #[inline]
    pub(super) fn call(&mut self, region: &Aabb, boxes: &Boxes) {
        if self.count == 0 {
            return;
        }
        let region = region.grown(self.distance);
        boxes.tree(DYNAMIC).touching(&region, |slot| {
            if self.slots.contains(slot as usize) {
                self.slots.remove(slot as usize);
                self.count -= 1;
                self.called.push(boxes.item(slot).entity);
                #[cfg(test)]
                SEEN.set((SEEN.get().0, SEEN.get().1 + 1));
            }
        });
    }

    /// Writes where the lone bodies are, and how fast. O(bodies).
    pub(super) fn write(
        &self,
        rows: &mut MoverRows<'_>,
        boxes: &mut Boxes,
        meetings: &mut Meetings,
    ) {
        if self.count == 0 {
            return;
        }
        #[cfg(test)]
        SEEN.set((SEEN.get().0 + self.count, SEEN.get().1));
        let mut flyers = self.flyers.iter().peekable();
        for mut table in rows.by_table() {
            let mut written = 0..0;
            for row in 0..table.slices.0.len() {
                let (entities, transforms, bodies, ..) = &mut table.slices;
                let own = flyers.next_if(|flyer| flyer.entity == entities[row]);
                let Some(flyer) = own.filter(|flyer| self.holds(flyer)) else {
                    continue;
                };
                meetings.note_awake(flyer.entity);
                if self.touch_nothing {
                    boxes.note_lone(flyer.slot, &flyer.end);
                }
                transforms[row].translation = flyer.place;
                bodies[row].velocity = flyer.velocity;
                if row > written.end {
                    table.mark_rows(written);
                    written = row..row;
                }
                written.end = row + 1;
            }
            table.mark_rows(written);
        }
    }
}

#[cfg(test)]
mod tests;

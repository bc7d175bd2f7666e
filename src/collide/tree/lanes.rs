//! The lane that holds the box of an id.

use super::NO_ID;
use rustc_hash::FxHashMap;

/// Stands in the list where an id has no lane.
const NONE: u32 = u32::MAX;
/// Ids below this are always listed.
const ALWAYS_LISTED: usize = 1 << 16;
/// Ids above this many times the number of boxes stand in a map, because a list up to them would be mostly empty.
const MOST_EMPTY: usize = 8;

/// Lanes by id: a list for ids near zero, a map for the others.
#[derive(Clone, Debug, Default)]
pub(super) struct LaneById {
    near: Vec<u32>,
    far: FxHashMap<u32, u32>,
}

impl LaneById {
    #[inline]
    pub(super) fn get(&self, id: u32) -> Option<usize> {
        match self.near.get(id as usize) {
            Some(&lane) => (lane != NONE).then_some(lane as usize),
            None if self.far.is_empty() => None,
            None => self.far.get(&id).map(|&lane| lane as usize),
        }
    }

    /// Sets the lane of an id, in a tree of `count` boxes.
    pub(super) fn set(&mut self, id: u32, lane: usize, count: usize) {
        let place = id as usize;
        if place >= self.near.len() && place < ALWAYS_LISTED.max(count * MOST_EMPTY) {
            self.grow(place + 1);
        }
        match self.near.get_mut(place) {
            Some(known) => *known = lane as u32,
            None => drop(self.far.insert(id, lane as u32)),
        }
    }

    /// Whether a lane holds a box, by the id that stands in it: [`NO_ID`] stands in those without one, and in the one that holds the
    /// box of this very id.
    #[inline]
    pub(super) fn is_held(&self, lane: usize, id: u32) -> bool {
        id != NO_ID || self.get(id) == Some(lane)
    }

    pub(super) fn clear(&mut self, id: u32) {
        match self.near.get_mut(id as usize) {
            Some(known) => *known = NONE,
            None => drop(self.far.remove(&id)),
        }
    }

    /// How many ids the list has room for.
    pub(super) fn listed(&self) -> usize {
        self.near.len()
    }

    /// Lists all ids below a number.
    pub(super) fn grow(&mut self, ids: usize) {
        self.near.resize(ids.max(self.near.len()), NONE);
        let near = &mut self.near;
        self.far
            .retain(|&id, &mut lane| match near.get_mut(id as usize) {
                Some(known) => {
                    *known = lane;
                    false
                }
                None => true,
            });
    }
}

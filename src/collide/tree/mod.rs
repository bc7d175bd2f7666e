//! A packed tree of boxes: eight to a leaf, eight leaves to a node, in the order of a space-filling curve.
//!
//! Nothing is linked: the children of node *i* are the nodes 8*i* to 8*i* + 7 of the level below, so a tree is a few flat
//! lists. When boxes move a little the tree is *refitted*, from the leaves up; when that has made it loose, or when many boxes
//! came or went, it is sorted anew.

mod curve;
mod eight;
mod lanes;
mod search;

use super::aabb::Aabb;
use eight::{Eight, LANES, NOWHERE};
use fixedbitset::FixedBitSet;
use lanes::LaneById;

/// Up to this number of boxes a tree is not sorted: a search visits all leaves.
const FEW: usize = 128;
/// How much larger than freshly sorted the nodes may grow before they are sorted anew.
const MOST_GROWTH: f64 = 1.2;
/// A tree is sorted anew once more than a quarter of its lanes came or went since.
const MOST_LOOSE_SHARE: usize = 4;
/// If more than a quarter of the leaves have changed, all are refitted: going forward in memory beats picking.
const MOST_PICKED_SHARE: usize = 4;

/// Stands in lanes without a box. One lane may hold the box of this id.
const NO_ID: u32 = u32::MAX;

/// Finds boxes that touch: all pairs of a set, or all of a set that touch a region.
///
/// The caller chooses the id of each box. Ids near zero are best: they are kept in a list, and all others in a map. After boxes were put
/// in, moved or taken out, [`BoxTree::update`] brings the tree up to date; what is asked before sees the state of the
/// last update in part. The finder of contacts of a [`Runtime`](crate::Runtime) is made of such trees; use one yourself for
/// boxes that are no entities.
///
/// Faces that only touch count, as in [`Aabb::touches`]. About 40 bytes per box.
///
/// # Example
///
/// ```
/// use gerust::collide::BoxTree;
/// use gerust::prelude::*;
///
/// let mut tree = BoxTree::default();
/// for id in 0..1000_u32 {
///     // A row of boxes that touch their neighbors.
///     tree.set(id, &Aabb::from_corner(Vec3::X * id as f32, Vec3::ONE));
/// }
/// tree.update();
/// let mut pairs = 0;
/// tree.pairs(0.0, |_, _| pairs += 1);
/// assert_eq!(pairs, 999);
///
/// let mut found = Vec::new();
/// tree.touching(&Aabb::from_center(Vec3::X * 10.5, Vec3::splat(0.1)), |id| found.push(id));
/// assert_eq!(found, [10]);
/// ```
#[derive(Clone, Debug, Default)]
pub struct BoxTree {
    /// From the leaves, which hold the boxes themselves, to the one node that holds everything. A lane of a higher level
    /// holds the bounds of a node of the level below.
    levels: Vec<Vec<Eight>>,
    /// By lane of the leaves: whose box it holds.
    ids: Vec<u32>,
    /// By id: the lane that holds its box.
    lanes: LaneById,
    /// How many ids have a box.
    count: usize,
    /// Lanes that were given out since the boxes were sorted, or held one then. Those behind them are free.
    used: usize,
    /// Leaves that were written since the last update.
    changed: FixedBitSet,
    changed_count: usize,
    /// Lanes that were given out or emptied since the boxes were sorted.
    loose: usize,
    /// The total size of the leaves when they were last sorted.
    sorted_size: f64,
    scratch: Scratch,
}

/// Lists that are kept from one sorting to the next, so that steady frames allocate nothing.
#[derive(Clone, Debug, Default)]
struct Scratch {
    keys: Vec<u64>,
    boxes: Vec<Aabb>,
    ids: Vec<u32>,
    changed: FixedBitSet,
    /// Levels that are not needed at the moment.
    levels: Vec<Vec<Eight>>,
}

impl BoxTree {
    /// How many boxes there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.count
    }

    /// Whether there are no boxes.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.count == 0
    }

    /// Puts the box of an id in, or moves it. O(1).
    ///
    /// # Panics
    ///
    /// If the box is not valid ([`Aabb::is_valid`]): a number that is none has no place in any order.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::BoxTree;
    /// use gerust::prelude::*;
    ///
    /// let mut tree = BoxTree::default();
    /// tree.set(3, &Aabb::from_corner(Vec3::ZERO, Vec3::ONE));
    /// tree.set(3, &Aabb::from_corner(Vec3::X, Vec3::ONE));
    /// assert_eq!(tree.len(), 1);
    /// assert_eq!(tree.get(3), Some(Aabb::from_corner(Vec3::X, Vec3::ONE)));
    /// ```
    pub fn set(&mut self, id: u32, aabb: &Aabb) {
        assert!(aabb.is_valid(), "box {id} is not valid: {aabb:?}");
        let lane = match self.lanes.get(id) {
            Some(lane) => lane,
            None => self.new_lane(id),
        };
        self.write(lane, aabb);
    }

    /// Moves all boxes, each to where `place` says that the one of its id is. O(n), in the order in which they lie in
    /// memory: for many, this is several times as fast as [`BoxTree::set`] for each.
    ///
    /// # Panics
    ///
    /// As [`BoxTree::set`].
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::BoxTree;
    /// use gerust::prelude::*;
    ///
    /// let mut tree = BoxTree::default();
    /// (0..9).for_each(|id| tree.set(id, &Aabb::default()));
    /// tree.move_all(|id| Aabb::from_center(Vec3::X * id as f32, Vec3::splat(0.1)));
    /// tree.update();
    /// let mut pairs = 0;
    /// tree.pairs(0.0, |_, _| pairs += 1);
    /// assert_eq!(pairs, 0);
    /// ```
    pub fn move_all(&mut self, place: impl Fn(u32) -> Aabb) {
        for (lane, &id) in self.ids.iter().enumerate() {
            if self.lanes.is_held(lane, id) {
                let aabb = place(id);
                assert!(aabb.is_valid(), "box {id} is not valid: {aabb:?}");
                self.levels[0][lane / LANES].set(lane % LANES, &aabb);
            }
        }
        self.changed_count = self.ids.len();
    }

    /// Takes the box of an id out, if it has one. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::BoxTree;
    /// use gerust::prelude::*;
    ///
    /// let mut tree = BoxTree::default();
    /// tree.set(0, &Aabb::default());
    /// tree.remove(0);
    /// tree.remove(7);
    /// assert!(tree.is_empty());
    /// ```
    pub fn remove(&mut self, id: u32) {
        let Some(lane) = self.lanes.get(id) else {
            return;
        };
        self.write(lane, &NOWHERE);
        self.ids[lane] = NO_ID;
        self.lanes.clear(id);
        self.count -= 1;
        self.loose += 1;
    }

    /// The box of an id, if it has one. O(1).
    #[must_use]
    pub fn get(&self, id: u32) -> Option<Aabb> {
        let lane = self.lanes.get(id)?;
        Some(self.levels[0][lane / LANES].get(lane % LANES))
    }

    /// The smallest box that holds all boxes, as of the last update; `None` if there are none.
    #[must_use]
    pub fn bounds(&self) -> Option<Aabb> {
        let top = self.levels.last()?.first()?;
        (self.count > 0).then(|| top.bounds())
    }

    /// Brings the tree up to date with what was put in, moved and taken out.
    ///
    /// O(changed) where little has changed, O(n) where much has, and O(n log n) where it has become so loose that it is sorted
    /// anew: after a quarter came or went, or once movement has made the leaves a fifth larger.
    pub fn update(&mut self) {
        if self.changed_count == 0 {
            return;
        }
        let lanes = self.ids.len();
        if self.loose * MOST_LOOSE_SHARE > lanes && lanes > FEW {
            self.sort();
            return;
        }
        self.refit();
        if lanes > FEW && self.size() > MOST_GROWTH * self.sorted_size {
            self.sort();
        }
    }

    /// Sorts all boxes anew, whether or not that is due. O(n log n).
    ///
    /// [`BoxTree::update`] does so when it pays; this is for moments in which there is time, such as after loading a level.
    ///
    /// # Panics
    ///
    /// If there are more than 2²⁴ boxes.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::BoxTree;
    /// use gerust::prelude::*;
    ///
    /// let mut tree = BoxTree::default();
    /// tree.set(0, &Aabb::from_corner(Vec3::ZERO, Vec3::ONE));
    /// tree.sort();
    /// let mut found = 0;
    /// tree.touching(&Aabb::default(), |_| found += 1);
    /// assert_eq!(found, 1);
    /// ```
    pub fn sort(&mut self) {
        let Scratch {
            keys, boxes, ids, ..
        } = &mut self.scratch;
        boxes.clear();
        ids.clear();
        for (lane, &id) in self.ids.iter().enumerate() {
            if self.lanes.is_held(lane, id) {
                ids.push(id);
                boxes.push(self.levels[0][lane / LANES].get(lane % LANES));
            }
        }
        assert!(boxes.len() <= curve::MOST_BOXES, "a tree holds 2^24 boxes");
        curve::along_curve(boxes, keys);
        if self.levels.is_empty() {
            self.levels.push(Vec::new());
        }
        let leaves = &mut self.levels[0];
        leaves.clear();
        leaves.resize(boxes.len().div_ceil(LANES), Eight::default());
        self.ids.clear();
        self.ids.resize(leaves.len() * LANES, NO_ID);
        for (lane, &key) in keys.iter().enumerate() {
            let place = curve::place_of(key);
            leaves[lane / LANES].set(lane % LANES, &boxes[place]);
            self.ids[lane] = ids[place];
            self.lanes.set(ids[place], lane, boxes.len());
        }
        self.used = boxes.len();
        self.loose = 0;
        self.refit_all();
        self.sorted_size = self.size();
    }

    /// What the lanes above the leaves add up to: half the length of the edges of all leaves. Axes without an end do not count.
    fn size(&self) -> f64 {
        let Some(parents) = self.levels.get(1) else {
            return 0.0;
        };
        parents.iter().map(|node| f64::from(node.edges())).sum()
    }

    /// Makes room for `count` boxes with ids below `ids`, so that later changes allocate nothing.
    pub(in crate::collide) fn reserve(&mut self, count: usize, ids: usize) {
        if ids <= self.lanes.listed() && count * 2 <= self.ids.capacity() {
            return;
        }
        if self.levels.is_empty() {
            self.levels.push(Vec::new());
        }
        // Twice as many, for the holes that are left until the next sorting.
        let leaves = (count * 2).div_ceil(LANES) + 1;
        let more = leaves.saturating_sub(self.levels[0].len());
        self.levels[0].reserve(more);
        self.ids
            .reserve((leaves * LANES).saturating_sub(self.ids.len()));
        self.changed.grow(leaves);
        if ids > self.lanes.listed() {
            self.lanes.grow(ids);
        }
    }

    /// A lane for an id that has none: the next one at the end, where it lies far from its neighbors until all are sorted.
    fn new_lane(&mut self, id: u32) -> usize {
        if self.levels.is_empty() {
            self.levels.push(Vec::new());
        }
        // Holes in between are closed by sorting. Few boxes are never sorted, so there they are filled.
        let is_full = self.used == self.ids.len() && self.used <= FEW;
        let hole = match is_full && self.count < self.used {
            true => (0..self.ids.len()).find(|&lane| !self.lanes.is_held(lane, self.ids[lane])),
            false => None,
        };
        let lane = hole.unwrap_or(self.used);
        self.used = self.used.max(lane + 1);
        if lane == self.ids.len() {
            self.levels[0].push(Eight::default());
            self.ids.resize(self.levels[0].len() * LANES, NO_ID);
        }
        self.count += 1;
        self.lanes.set(id, lane, self.count);
        self.ids[lane] = id;
        self.loose += 1;
        lane
    }

    #[inline]
    fn write(&mut self, lane: usize, aabb: &Aabb) {
        let leaf = lane / LANES;
        self.levels[0][leaf].set(lane % LANES, aabb);
        if leaf >= self.changed.len() {
            self.changed.grow(self.levels[0].len());
        }
        self.changed_count += usize::from(!self.changed.put(leaf));
    }

    fn refit(&mut self) {
        let leaves = self.levels[0].len();
        if self.changed_count * MOST_PICKED_SHARE > leaves || !self.has_all_levels() {
            self.refit_all();
        } else {
            self.refit_changed();
        }
    }

    /// Whether there is a lane above for each node.
    fn has_all_levels(&self) -> bool {
        let covered = |pair: &[Vec<Eight>]| pair[1].len() == pair[0].len().div_ceil(LANES);
        self.levels.windows(2).all(covered) && self.levels.last().is_some_and(|top| top.len() <= 1)
    }

    fn refit_all(&mut self) {
        let mut level = 0;
        while self.levels[level].len() > 1 {
            if level + 1 == self.levels.len() {
                self.levels
                    .push(self.scratch.levels.pop().unwrap_or_default());
            }
            let (below, above) = self.levels.split_at_mut(level + 1);
            let (nodes, parents) = (&below[level], &mut above[0]);
            parents.resize(nodes.len().div_ceil(LANES), Eight::default());
            for (parent, nodes) in parents.iter_mut().zip(nodes.chunks(LANES)) {
                *parent = Eight::default();
                for (lane, node) in nodes.iter().enumerate() {
                    parent.set(lane, &node.bounds());
                }
            }
            level += 1;
        }
        self.scratch.levels.extend(self.levels.drain(level + 1..));
        self.forget_changed();
    }

    fn refit_changed(&mut self) {
        let mut changed = std::mem::take(&mut self.changed);
        let mut above = std::mem::take(&mut self.scratch.changed);
        for level in 1..self.levels.len() {
            above.clear();
            above.grow(self.levels[level].len());
            let (below, parents) = self.levels.split_at_mut(level);
            for node in changed.ones() {
                let bounds = below[level - 1][node].bounds();
                parents[0][node / LANES].set(node % LANES, &bounds);
                above.insert(node / LANES);
            }
            std::mem::swap(&mut changed, &mut above);
        }
        self.scratch.changed = above;
        self.changed = changed;
        self.forget_changed();
    }

    fn forget_changed(&mut self) {
        self.changed.clear();
        self.changed.grow(self.levels[0].len());
        self.changed_count = 0;
    }
}

#[cfg(test)]
mod tests;

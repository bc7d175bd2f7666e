//! Looking boxes up in a tree: all pairs, pairs across two trees, and what touches a region.

use super::eight::{LANES, Region, lanes};
use super::{BoxTree, Eight};
use crate::collide::aabb::Aabb;
use std::ops::Range;

/// Nodes that are still to be searched. Seven for each level but the last are enough, and 2²⁴ boxes make eight levels.
struct Stack {
    /// The level in the upper bits, the node below.
    entries: [u32; 64],
    len: usize,
}

/// Bits of a node's number: 2²⁴ boxes make 2²¹ leaves.
const NODE_BITS: u32 = 28;

impl Stack {
    #[inline(always)]
    fn new() -> Self {
        Self {
            entries: [0; 64],
            len: 0,
        }
    }

    #[inline(always)]
    fn push(&mut self, level: usize, node: usize) {
        self.entries[self.len] = (level as u32) << NODE_BITS | node as u32;
        self.len += 1;
    }

    #[inline(always)]
    fn pop(&mut self) -> Option<(usize, usize)> {
        self.len = self.len.checked_sub(1)?;
        let entry = self.entries[self.len];
        let node = entry & ((1 << NODE_BITS) - 1);
        Some(((entry >> NODE_BITS) as usize, node as usize))
    }
}

impl BoxTree {
    /// Calls `found` with the id of each box that touches a region, in no order that anything may depend on.
    /// O(log n + found) where boxes do not crowd.
    #[inline]
    pub fn touching(&self, region: &Aabb, mut found: impl FnMut(u32)) {
        let region = Region::from(region);
        self.leaves_touching(&region, |leaf, node, _| {
            for lane in lanes(node.touching(&region)) {
                found(self.ids[leaf * LANES + lane]);
            }
        });
    }

    /// Calls `visit` with each leaf whose bounds touch a region: its number, its boxes and its bounds.
    #[inline]
    fn leaves_touching(&self, region: &Region, visit: impl FnMut(usize, &Eight, &Region)) {
        let Some(top) = self.levels.len().checked_sub(1) else {
            return;
        };
        let mut stack = Stack::new();
        match (top, self.levels[top].first()) {
            (_, None) => return,
            (0, Some(leaf)) => {
                let mut visit = visit;
                visit(0, leaf, &Region::from(&leaf.bounds()));
                return;
            }
            _ => stack.push(top, 0),
        }
        self.descend(&mut stack, region, visit);
    }

    /// Goes down from the nodes of a stack, none of which is a leaf, to all leaves whose bounds touch a region.
    #[inline(always)]
    fn descend(
        &self,
        stack: &mut Stack,
        region: &Region,
        mut visit: impl FnMut(usize, &Eight, &Region),
    ) {
        while let Some((level, node)) = stack.pop() {
            let eight = &self.levels[level][node];
            for lane in lanes(eight.touching(region)) {
                let below = node * LANES + lane;
                if level == 1 {
                    // The bounds stand in the parent: reading them there is cheaper than working them out.
                    visit(below, &self.levels[0][below], &eight.region(lane));
                } else {
                    stack.push(level - 1, below);
                }
            }
        }
    }

    /// Calls `found` with the ids of each pair of boxes that touch, or would if one were grown by `margin`. Each pair
    /// comes once, in no order that anything may depend on.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::BoxTree;
    /// use gerust::prelude::*;
    ///
    /// let mut tree = BoxTree::default();
    /// tree.set(0, &Aabb::from_corner(Vec3::ZERO, Vec3::ONE));
    /// tree.set(1, &Aabb::from_corner(Vec3::X * 1.25, Vec3::ONE));
    /// tree.update();
    /// let count = |margin| {
    ///     let mut count = 0;
    ///     tree.pairs(margin, |_, _| count += 1);
    ///     count
    /// };
    /// assert_eq!((count(0.0), count(0.5)), (0, 1));
    /// ```
    pub fn pairs(&self, margin: f32, mut found: impl FnMut(u32, u32)) {
        self.box_pairs(self.leaves(), margin, |(a, _), (b, _)| found(a, b));
    }

    /// The numbers of all leaves, to divide a search for pairs.
    pub(in crate::collide) fn leaves(&self) -> Range<usize> {
        0..self.levels.first().map_or(0, Vec::len)
    }

    /// As [`BoxTree::pairs`], for some leaves and all behind them, with the boxes: they are at hand here, and far away for the
    /// caller.
    pub(in crate::collide) fn box_pairs(
        &self,
        leaves: Range<usize>,
        margin: f32,
        mut found: impl FnMut((u32, Aabb), (u32, Aabb)),
    ) {
        for number in leaves {
            let leaf = &self.levels[0][number];
            let group = Group::new(self, number, margin);
            let ids = group.ids;
            // Within the leaf: each lane against those behind it.
            for lane in lanes(group.used) {
                let behind = (!1_u32) << lane;
                let mask = leaf.touching(&group.grown.region(lane)) & behind;
                for other in lanes(mask) {
                    found((ids[lane], leaf.get(lane)), (ids[other], leaf.get(other)));
                }
            }
            self.leaves_behind(number, &group.bounds, |other, node, bounds| {
                group.against((self, other, node), bounds, &mut found);
            });
        }
    }

    /// Calls `visit` with each leaf behind one whose bounds touch a region.
    #[inline]
    fn leaves_behind(
        &self,
        first: usize,
        region: &Region,
        mut visit: impl FnMut(usize, &Eight, &Region),
    ) {
        // From the leaf upwards: at each level only the nodes behind the one it lies in are left.
        let mut node = first;
        let mut stack = Stack::new();
        for level in 1..self.levels.len() {
            let behind = (!1_u32) << (node % LANES);
            node /= LANES;
            let eight = &self.levels[level][node];
            for lane in lanes(eight.touching(region) & behind) {
                let below = node * LANES + lane;
                if level == 1 {
                    visit(below, &self.levels[0][below], &eight.region(lane));
                } else {
                    stack.push(level - 1, below);
                    self.descend(&mut stack, region, &mut visit);
                }
            }
        }
    }

    /// Calls `found` with the ids of each pair of a box of this tree and one of another that touch, or would if one were
    /// grown by `margin`: first the id in this tree, then the one in the other.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::collide::BoxTree;
    /// use gerust::prelude::*;
    ///
    /// let (mut trucks, mut pads) = (BoxTree::default(), BoxTree::default());
    /// trucks.set(4, &Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    /// pads.set(7, &Aabb::from_center(Vec3::X, Vec3::ONE));
    /// trucks.update();
    /// pads.update();
    /// trucks.pairs_with(&pads, 0.0, |truck, pad| assert_eq!((truck, pad), (4, 7)));
    /// ```
    pub fn pairs_with(&self, other: &Self, margin: f32, mut found: impl FnMut(u32, u32)) {
        self.box_pairs_with(self.leaves(), other, margin, |(a, _), (b, _)| found(a, b));
    }

    /// As [`BoxTree::pairs_with`], for some leaves, with the boxes.
    pub(in crate::collide) fn box_pairs_with(
        &self,
        leaves: Range<usize>,
        other: &Self,
        margin: f32,
        mut found: impl FnMut((u32, Aabb), (u32, Aabb)),
    ) {
        for number in leaves {
            let group = Group::new(self, number, margin);
            other.leaves_touching(&group.bounds, |met, node, bounds| {
                group.against((other, met, node), bounds, &mut found);
            });
        }
    }
}

/// The boxes of a leaf, grown by a margin, to be compared with those of other leaves.
struct Group<'t> {
    leaf: &'t Eight,
    ids: &'t [u32],
    grown: Eight,
    bounds: Region,
    used: u32,
}

impl<'t> Group<'t> {
    #[inline]
    fn new(tree: &'t BoxTree, number: usize, margin: f32) -> Self {
        let leaf = &tree.levels[0][number];
        let grown = leaf.grown(margin);
        Self {
            leaf,
            ids: &tree.ids[number * LANES..][..LANES],
            used: grown.used(),
            bounds: Region::from(&grown.bounds()),
            grown,
        }
    }

    /// Calls `found` with each pair of a box of this group and one of a leaf of a tree that touch.
    #[inline(always)]
    fn against(
        &self,
        (tree, number, leaf): (&BoxTree, usize, &Eight),
        bounds: &Region,
        found: &mut impl FnMut((u32, Aabb), (u32, Aabb)),
    ) {
        // Most boxes of two leaves whose bounds touch are away from the other's bounds: one comparison leaves them out.
        let near = self.grown.touching(bounds) & self.used;
        for lane in lanes(near) {
            for met in lanes(leaf.touching(&self.grown.region(lane))) {
                let met_id = tree.ids[number * LANES + met];
                found(
                    (self.ids[lane], self.leaf.get(lane)),
                    (met_id, leaf.get(met)),
                );
            }
        }
    }
}

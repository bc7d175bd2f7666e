//! Looking boxes up in a tree: all pairs, pairs across two trees, and what touches a region.

use super::eight::{LANES, Region, lanes};
use super::{BoxTree, Eight};
use crate::collide::aabb::Aabb;
use smallvec::SmallVec;

/// Nodes that are still to be looked at: seven for each level but the last, and 2²⁴ boxes make eight levels.
type Stack = SmallVec<[(u32, u32); 64]>;

impl BoxTree {
    /// Calls `found` with the id of each box that touches a region, in no order that anything may depend on.
    /// O(log n + found) where boxes do not crowd.
    #[inline]
    pub fn touching(&self, region: &Aabb, mut found: impl FnMut(u32)) {
        let region = Region::from(region);
        self.leaves_touching(&region, |leaf, node| {
            for lane in lanes(node.touching(&region)) {
                found(self.ids[leaf * LANES + lane]);
            }
        });
    }

    /// Calls `visit` with each leaf whose bounds touch a region.
    #[inline]
    fn leaves_touching(&self, region: &Region, mut visit: impl FnMut(usize, &Eight)) {
        let Some(top) = self.levels.len().checked_sub(1) else {
            return;
        };
        if self.levels[top].is_empty() {
            return;
        }
        let mut stack = Stack::new();
        stack.push((top as u32, 0));
        while let Some((level, node)) = stack.pop() {
            let (level, node) = (level as usize, node as usize);
            let eight = &self.levels[level][node];
            match level {
                0 => visit(node, eight),
                1 => {
                    for lane in lanes(eight.touching(region)) {
                        let leaf = node * LANES + lane;
                        visit(leaf, &self.levels[0][leaf]);
                    }
                }
                _ => {
                    for lane in lanes(eight.touching(region)) {
                        stack.push((level as u32 - 1, (node * LANES + lane) as u32));
                    }
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
        let Some(leaves) = self.levels.first() else {
            return;
        };
        for (number, leaf) in leaves.iter().enumerate() {
            let group = Group::new(leaf, margin);
            let ids = &self.ids[number * LANES..][..LANES];
            // Within the leaf: each lane against those behind it.
            for lane in lanes(group.used) {
                let behind = (!1_u32) << lane;
                let mask = leaf.touching(&group.regions[lane]) & behind;
                for other in lanes(mask) {
                    found(ids[lane], ids[other]);
                }
            }
            self.leaves_behind(number, &group.bounds, |other, node| {
                group.against(node, |lane, met| {
                    found(ids[lane], self.ids[other * LANES + met]);
                });
            });
        }
    }

    /// Calls `visit` with each leaf behind one whose bounds touch a region.
    #[inline]
    fn leaves_behind(&self, first: usize, region: &Region, mut visit: impl FnMut(usize, &Eight)) {
        // From the leaf upwards: at each level only the nodes behind the one it lies in are left.
        let mut node = first;
        let mut stack = Stack::new();
        for level in 1..self.levels.len() {
            let lane = node % LANES;
            node /= LANES;
            let behind = (!1_u32) << lane;
            for lane in lanes(self.levels[level][node].touching(region) & behind) {
                stack.push((level as u32 - 1, (node * LANES + lane) as u32));
            }
            while let Some((level, node)) = stack.pop() {
                let (level, node) = (level as usize, node as usize);
                let eight = &self.levels[level][node];
                if level == 0 {
                    visit(node, eight);
                    continue;
                }
                for lane in lanes(eight.touching(region)) {
                    stack.push((level as u32 - 1, (node * LANES + lane) as u32));
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
        let Some(leaves) = self.levels.first() else {
            return;
        };
        for (number, leaf) in leaves.iter().enumerate() {
            let group = Group::new(leaf, margin);
            let ids = &self.ids[number * LANES..][..LANES];
            other.leaves_touching(&group.bounds, |leaf, node| {
                group.against(node, |lane, met| {
                    found(ids[lane], other.ids[leaf * LANES + met]);
                });
            });
        }
    }
}

/// The boxes of a leaf, grown by a margin, in the form in which they are compared with those of other leaves.
struct Group {
    /// The leaf itself, grown.
    eight: Eight,
    regions: [Region; LANES],
    bounds: Region,
    used: u32,
}

impl Group {
    #[inline]
    fn new(leaf: &Eight, margin: f32) -> Self {
        let eight = leaf.grown(margin);
        let bounds = eight.bounds();
        Self {
            regions: std::array::from_fn(|lane| Region::from(&eight.get(lane))),
            used: eight.used(),
            bounds: Region::from(&bounds),
            eight,
        }
    }

    /// Calls `found` with the lanes of each pair of a box of this group and one of another leaf that touch.
    #[inline]
    fn against(&self, leaf: &Eight, mut found: impl FnMut(usize, usize)) {
        // Most boxes of two leaves whose bounds touch are away from the other's bounds: one comparison leaves them out.
        let near = self.eight.touching(&Region::from(&leaf.bounds())) & self.used;
        for lane in lanes(near) {
            for met in lanes(leaf.touching(&self.regions[lane])) {
                found(lane, met);
            }
        }
    }
}

//! Placing a long range of nodes on several threads, subtree by subtree.

use super::order::{Node, placed};
use crate::space::adrift::FiniteCheck;
use crate::space::transform::Transform;
use crate::space::world_transform::WorldTransform;
use glam::Affine3A;
use std::sync::atomic::{AtomicBool, Ordering};

/// Ranges below this are placed on one thread: 16,000 nodes take about 300 µs.
pub(super) const WORTH_THREADS: usize = if cfg!(test) { 6 } else { 16_384 };
/// The amount of work that is not split further.
const PIECE: usize = if cfg!(test) { 2 } else { 2_048 };

/// Neighbouring subtrees, all under the same parent or under none, with the transforms of their nodes.
#[derive(Clone, Copy)]
pub(super) struct Trees<'t> {
    pub(super) nodes: &'t [Node],
    pub(super) locals: &'t [Transform],
    /// The position of the first node in the order.
    pub(super) first: usize,
    /// Set if a placement may not be finite.
    pub(super) may_fail: &'t AtomicBool,
}

impl Trees<'_> {
    fn split_at(self, at: usize) -> (Self, Self) {
        let (left, right) = self.nodes.split_at(at);
        let (left_locals, right_locals) = self.locals.split_at(at);
        (
            Self {
                nodes: left,
                locals: left_locals,
                ..self
            },
            Self {
                nodes: right,
                locals: right_locals,
                first: self.first + at,
                ..self
            },
        )
    }

    /// Places all nodes, with the same multiplications as on one thread, so the same bits come out.
    pub(super) fn place(self, above: Option<Affine3A>, worlds: &mut [WorldTransform]) {
        let (mut trees, mut above, mut worlds) = (self, above, worlds);
        // Down from subtree to subtree: only what is worth a thread of its own goes into another call, so the depth of calls
        // does not follow that of the tree.
        while trees.nodes.len() > PIECE {
            let trunk = trees.trunk();
            let at = if trunk > 0 { trunk } else { trees.boundary() };
            let (left, right) = trees.split_at(at);
            let (left_worlds, right_worlds) = std::mem::take(&mut worlds).split_at_mut(at);
            if trunk > 0 {
                left.place_here(above, left_worlds);
                above = Some(left_worlds[trunk - 1].0);
                (trees, worlds) = (right, right_worlds);
            } else if left.nodes.len().min(right.nodes.len()) >= PIECE {
                rayon::join(
                    || left.place(above, left_worlds),
                    || right.place(above, right_worlds),
                );
                return;
            } else if left.nodes.len() < right.nodes.len() {
                left.place_here(above, left_worlds);
                (trees, worlds) = (right, right_worlds);
            } else {
                right.place_here(above, right_worlds);
                (trees, worlds) = (left, left_worlds);
            }
        }
        trees.place_here(above, worlds);
    }

    /// How many nodes from the first on have all others below them.
    fn trunk(self) -> usize {
        let all = self.nodes.len();
        let holds_all = |(at, node): &(usize, &Node)| node.size as usize == all - at;
        self.nodes.iter().enumerate().take_while(holds_all).count()
    }

    /// The start of the subtree that is nearest to the middle; there are several. O(depth).
    fn boundary(self) -> usize {
        let middle = self.nodes.len() / 2;
        let mut top = middle;
        while let Some(parent) = self.parent(top) {
            top = parent;
        }
        let end = top + self.nodes[top].size as usize;
        let is_nearer = end - middle < middle - top;
        match top == 0 || (is_nearer && end < self.nodes.len()) {
            true => end,
            false => top,
        }
    }

    /// The place among these nodes of a node's parent, if it is one of them.
    fn parent(self, at: usize) -> Option<usize> {
        // A node without one has the greatest number, which leads past the end.
        let parent = (self.nodes[at].parent as usize).checked_sub(self.first)?;
        (parent < at).then_some(parent)
    }

    fn place_here(self, above: Option<Affine3A>, worlds: &mut [WorldTransform]) {
        let mut finite = FiniteCheck::default();
        for (at, local) in self.locals.iter().enumerate() {
            let above = match self.parent(at) {
                Some(parent) => Some(worlds[parent].0),
                None => above,
            };
            let placed = placed(above, local.affine());
            finite.look(&placed);
            worlds[at].0 = placed;
        }
        if finite.may_fail() {
            self.may_fail.store(true, Ordering::Relaxed);
        }
    }
}

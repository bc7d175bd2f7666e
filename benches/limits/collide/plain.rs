//! Three ways to find pairs, written as one would write them at first.

use gerust::prelude::*;

pub(super) enum Finder {
    /// Ordered by where they begin along the axis on which they spread most; the order is kept from frame to frame.
    Sweep { order: Vec<u32>, axis: usize },
    /// In the cells of a grid; those that cover several are listed in each.
    Grid { cell: f32, listed: Vec<(u64, u32)> },
    /// Halved at the middle again and again.
    Tree { nodes: Vec<Node>, order: Vec<u32> },
}

pub(super) struct Node {
    aabb: Aabb,
    /// The right child if there are children: the left one is the next node.
    right: usize,
    /// Boxes of a leaf, in the order.
    first: usize,
    count: usize,
}

const LEAF: usize = 4;

impl Finder {
    pub(super) fn name(&self) -> &'static str {
        match self {
            Self::Sweep { .. } => "sweep",
            Self::Grid { .. } => "grid",
            Self::Tree { .. } => "tree",
        }
    }

    pub(super) fn sweep(boxes: &[Aabb]) -> Self {
        let all = boxes.iter().copied().reduce(|all, one| all.merged(&one));
        Self::Sweep {
            order: (0..boxes.len() as u32).collect(),
            axis: all.map_or(0, |all| all.size().max_position()),
        }
    }

    pub(super) fn grid(boxes: &[Aabb]) -> Self {
        let sizes: f32 = boxes.iter().map(|aabb| aabb.size().max_element()).sum();
        Self::Grid {
            cell: 2.0 * sizes / boxes.len() as f32,
            listed: Vec::new(),
        }
    }

    pub(super) fn tree() -> Self {
        Self::Tree {
            nodes: Vec::new(),
            order: Vec::new(),
        }
    }

    pub(super) fn count_pairs(&mut self, boxes: &[Aabb]) -> usize {
        match self {
            Self::Sweep { order, axis } => sweep(boxes, order, *axis),
            Self::Grid { cell, listed } => grid(boxes, *cell, listed),
            Self::Tree { nodes, order } => {
                nodes.clear();
                order.clear();
                order.extend(0..boxes.len() as u32);
                build(boxes, order, 0, nodes);
                let mut pairs = 0;
                for (number, aabb) in boxes.iter().enumerate() {
                    search(boxes, order, nodes, aabb, |other| {
                        pairs += usize::from(other as usize > number);
                    });
                }
                pairs
            }
        }
    }
}

fn sweep(boxes: &[Aabb], order: &mut [u32], axis: usize) -> usize {
    order.sort_by(|&a, &b| boxes[a as usize].min[axis].total_cmp(&boxes[b as usize].min[axis]));
    let mut pairs = 0;
    for (place, &a) in order.iter().enumerate() {
        let own = &boxes[a as usize];
        for &b in &order[place + 1..] {
            let other = &boxes[b as usize];
            if other.min[axis] > own.max[axis] {
                break;
            }
            pairs += usize::from(own.touches(other));
        }
    }
    pairs
}

fn grid(boxes: &[Aabb], cell: f32, listed: &mut Vec<(u64, u32)>) -> usize {
    // Offset so that all cells are positive; 21 bits for each axis.
    let cell_of = |at: f32| ((at / cell).floor() as i64 + (1 << 20)) as u64;
    let key = |x: u64, y: u64, z: u64| x << 42 | y << 21 | z;
    listed.clear();
    for (number, aabb) in boxes.iter().enumerate() {
        for x in cell_of(aabb.min.x)..=cell_of(aabb.max.x) {
            for y in cell_of(aabb.min.y)..=cell_of(aabb.max.y) {
                for z in cell_of(aabb.min.z)..=cell_of(aabb.max.z) {
                    listed.push((key(x, y, z), number as u32));
                }
            }
        }
    }
    listed.sort_unstable();
    let mut pairs = 0;
    for cell in listed.chunk_by(|a, b| a.0 == b.0) {
        for (place, &(here, a)) in cell.iter().enumerate() {
            let own = &boxes[a as usize];
            for &(_, b) in &cell[place + 1..] {
                let other = &boxes[b as usize];
                if own.touches(other) {
                    // A pair that shares several cells counts in the one where the shared part begins.
                    let begin = own.min.max(other.min);
                    let first = key(cell_of(begin.x), cell_of(begin.y), cell_of(begin.z));
                    pairs += usize::from(first == here);
                }
            }
        }
    }
    pairs
}

fn build(boxes: &[Aabb], order: &mut [u32], first: usize, nodes: &mut Vec<Node>) {
    let all = order
        .iter()
        .map(|&number| boxes[number as usize])
        .reduce(|all, one| all.merged(&one))
        .unwrap_or_default();
    let at = nodes.len();
    nodes.push(Node {
        aabb: all,
        right: 0,
        first,
        count: order.len(),
    });
    if order.len() <= LEAF {
        return;
    }
    let axis = all.size().max_position();
    let middle = order.len() / 2;
    let center = |number: u32| {
        let aabb = &boxes[number as usize];
        aabb.min[axis] + aabb.max[axis]
    };
    order.select_nth_unstable_by(middle, |&a, &b| center(a).total_cmp(&center(b)));
    let (left, right) = order.split_at_mut(middle);
    build(boxes, left, first, nodes);
    nodes[at].right = nodes.len();
    build(boxes, right, first + middle, nodes);
}

fn search(
    boxes: &[Aabb],
    order: &[u32],
    nodes: &[Node],
    region: &Aabb,
    mut found: impl FnMut(u32),
) {
    let mut stack = vec![0];
    while let Some(at) = stack.pop() {
        let node = &nodes[at];
        if !node.aabb.touches(region) {
            continue;
        }
        if node.right == 0 {
            for &number in &order[node.first..node.first + node.count] {
                if boxes[number as usize].touches(region) {
                    found(number);
                }
            }
        } else {
            stack.extend([at + 1, node.right]);
        }
    }
}

//! Placement against preorder arrays written by hand.

use crate::harness::Table;
use gerust::prelude::*;
use glam::Affine3A;
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use std::hint::black_box;
use std::time::Instant;

const NODES: usize = 1_000_000;
const NONE: u32 = u32::MAX;

pub(crate) fn rows(table: &mut Table) {
    for shape in [
        Shape::Flat,
        Shape::Chains { count: 100_000 },
        Shape::Branching { by: 8 },
        Shape::Chains { count: 1_000 },
        Shape::Chains { count: 1 },
    ] {
        shape_rows(table, shape);
    }
}

#[derive(Clone, Copy)]
enum Shape {
    Flat,
    Chains { count: usize },
    Branching { by: usize },
}

impl Shape {
    fn name(self) -> String {
        match self {
            Self::Flat => String::from("flat"),
            Self::Chains { count: 1 } => String::from("one chain of 100k"),
            Self::Chains { count } => format!("{count} chains of {}", NODES / count),
            Self::Branching { by } => format!("branching {by}"),
        }
    }

    /// By node in preorder: its parent.
    fn parents(self) -> Vec<u32> {
        match self {
            Self::Flat => vec![NONE; NODES],
            Self::Chains { count } => {
                let length = if count == 1 {
                    NODES / 10
                } else {
                    NODES / count
                };
                let parent = |at: usize| match at % length {
                    0 => NONE,
                    _ => at as u32 - 1,
                };
                (0..count * length).map(parent).collect()
            }
            Self::Branching { by } => {
                let mut parents = Vec::with_capacity(NODES);
                branch(&mut parents, NONE, by, 6);
                parents
            }
        }
    }
}

/// A node with its descendants, `levels` deep; roots until there are enough nodes.
fn branch(parents: &mut Vec<u32>, parent: u32, by: usize, levels: usize) {
    // 8^0 + .. + 8^6 nodes are about 300,000: several such trees.
    fn below(parents: &mut Vec<u32>, parent: u32, by: usize, levels: usize) {
        if parents.len() == NODES {
            return;
        }
        let at = parents.len() as u32;
        parents.push(parent);
        if levels > 0 {
            (0..by).for_each(|_| below(parents, at, by, levels - 1));
        }
    }
    while parents.len() < NODES {
        below(parents, parent, by, levels);
    }
}

/// Arrays in preorder with a bit for each node that has changed.
struct ByHand {
    parents: Vec<u32>,
    sizes: Vec<u32>,
    locals: Vec<Transform>,
    worlds: Vec<Affine3A>,
    changed: Vec<u64>,
}

impl ByHand {
    fn new(parents: Vec<u32>) -> Self {
        let mut sizes = vec![1; parents.len()];
        for at in (0..parents.len()).rev() {
            if parents[at] != NONE {
                sizes[parents[at] as usize] += sizes[at];
            }
        }
        Self {
            sizes,
            locals: (0..parents.len()).map(local).collect(),
            worlds: vec![Affine3A::IDENTITY; parents.len()],
            changed: vec![0; parents.len().div_ceil(64)],
            parents,
        }
    }

    fn set(&mut self, at: usize) {
        self.locals[at].translation.x += 1.0;
        self.changed[at / 64] |= 1 << (at % 64);
    }

    fn place(&mut self) {
        let mut done = 0;
        for word in 0..self.changed.len() {
            let mut bits = std::mem::take(&mut self.changed[word]);
            while bits != 0 {
                let at = word * 64 + bits.trailing_zeros() as usize;
                bits &= bits - 1;
                if at < done {
                    continue;
                }
                done = at + self.sizes[at] as usize;
                for node in at..done {
                    let local = self.locals[node].affine();
                    self.worlds[node] = match self.parents[node] {
                        NONE => local,
                        parent => self.worlds[parent as usize] * local,
                    };
                }
            }
        }
    }
}

fn local(at: usize) -> Transform {
    Transform::at(at as f32 % 7.0, 0.5, 0.25).rotated(Quat::from_rotation_y(at as f32))
}

fn shape_rows(table: &mut Table, shape: Shape) {
    let name = |part: &str| format!("place {part}, {}", shape.name());
    let wanted: Vec<&str> = ["all", "1 %", "0 %"]
        .into_iter()
        .filter(|part| table.wants(&name(part)))
        .collect();
    if wanted.is_empty() {
        return;
    }
    let parents = shape.parents();
    let count = parents.len();
    let mut runtime = Runtime::new();
    runtime.set_threads(1).expect("one is always there");
    let ids = runtime
        .world_mut()
        .spawn_many((0..count).map(|at| (local(at),)));
    for (at, &parent) in parents.iter().enumerate() {
        if parent != NONE {
            runtime
                .world_mut()
                .link(ids[at], ids[parent as usize])
                .expect("parents come first");
        }
    }
    runtime.settle().expect("nothing fails");
    let mut by_hand = ByHand::new(parents);
    let mut random = StdRng::seed_from_u64(5);
    for part in wanted {
        let changed: Vec<usize> = match part {
            "all" => (0..count).collect(),
            "1 %" => (0..count / 100)
                .map(|_| random.random_range(0..count))
                .collect(),
            _ => Vec::new(),
        };
        let changed_ids: Vec<Entity> = changed.iter().map(|&at| ids[at]).collect();
        // Writing is not timed, only what follows from it.
        let ours = |runtime: &mut Runtime| {
            let mut rows = runtime.world_mut().rows_mut::<&mut Transform>();
            for &id in &changed_ids {
                if let Some(transform) = rows.get_mut(id) {
                    transform.translation.x += 1.0;
                }
            }
            drop(rows);
            let start = Instant::now();
            runtime.settle().expect("nothing fails");
            start.elapsed()
        };
        let hand = |by_hand: &mut ByHand| {
            changed.iter().for_each(|&at| by_hand.set(at));
            let start = Instant::now();
            by_hand.place();
            black_box(&by_hand.worlds);
            start.elapsed()
        };
        table.row_timed(
            &name(part),
            match part {
                "all" => 1.3,
                _ => 1.5,
            },
            || ours(&mut runtime),
            || hand(&mut by_hand),
        );
        #[cfg(feature = "parallel")]
        if part == "all" {
            runtime.set_threads(2).expect("two threads can be had");
            let name = name("all on 2 threads");
            table.row_timed(&name, 1.3, || ours(&mut runtime), || hand(&mut by_hand));
            runtime.set_threads(1).expect("one is always there");
        }
        if part == "0 %" {
            let took = ours(&mut runtime).as_secs_f64() * 1e6;
            table.figure(&name("0 %, in µs"), took, 50.0, "µs");
        }
    }
}

//! Compares placement on several threads with plain recursion, in hierarchies that are large enough for the threads that ship.

#![cfg(feature = "parallel")]

use gerust::prelude::*;
use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};

/// More nodes than placement gives to a single thread.
const NODES: usize = 40_000;

fn number(random: &mut ChaCha8Rng) -> f32 {
    (random.next_u32() >> 16) as f32 / 32_768.0 - 1.0
}

/// A placement without rotation, so that composing two of them is exact in any order of operations.
fn transform(random: &mut ChaCha8Rng) -> Transform {
    let halves = |random: &mut ChaCha8Rng| (number(random) * 8.0).round() / 2.0;
    let mut transform = Transform::at(halves(random), halves(random), halves(random));
    transform.scale = Vec3::splat([0.5, 1.0, 1.0, 2.0][random.next_u32() as usize % 4]);
    transform
}

/// The parent of each node, by number: an earlier node, or `None` for roots.
type Parents = fn(usize, &mut ChaCha8Rng) -> Option<usize>;

struct Forest {
    runtime: Runtime,
    nodes: Vec<Entity>,
    parents: Vec<Option<usize>>,
}

impl Forest {
    fn new(threads: usize, parents: Parents) -> Self {
        let mut random = ChaCha8Rng::seed_from_u64(3);
        let mut runtime = Runtime::new();
        runtime
            .set_threads(threads)
            .expect("threads can be started");
        let world = runtime.world_mut();
        let parents: Vec<Option<usize>> =
            (0..NODES).map(|node| parents(node, &mut random)).collect();
        let nodes: Vec<Entity> = (0..NODES)
            .map(|_| world.spawn((transform(&mut random),)))
            .collect();
        for (node, parent) in parents.iter().enumerate() {
            if let Some(parent) = parent {
                world
                    .link(nodes[node], nodes[*parent])
                    .expect("parents come first");
            }
        }
        Self {
            runtime,
            nodes,
            parents,
        }
    }

    /// Places by recursion over the parents, which have lower numbers.
    fn expected(&self) -> Vec<(Vec3, Vec3)> {
        let world = self.runtime.world();
        let mut placed: Vec<(Vec3, Vec3)> = Vec::new();
        for (&node, parent) in self.nodes.iter().zip(&self.parents) {
            let own = world.get::<Transform>(node).expect("it is placed");
            let (place, scale) = parent.map_or((Vec3::ZERO, Vec3::ONE), |parent| placed[parent]);
            placed.push((place + scale * own.translation, scale * own.scale));
        }
        placed
    }

    fn check(&self) {
        let world = self.runtime.world();
        for ((&node, wanted), number) in self.nodes.iter().zip(self.expected()).zip(0..) {
            let found = *world.get::<WorldTransform>(node).expect("it is placed");
            let scale = found.direction(Vec3::ONE);
            let is_close =
                |a: Vec3, b: Vec3| a.abs_diff_eq(b, 1e-4 * (1.0 + b.abs().max_element()));
            assert!(
                is_close(found.translation(), wanted.0) && is_close(scale, wanted.1),
                "node {number}: {found:?}, expected {wanted:?}"
            );
        }
    }

    fn run(&mut self) {
        self.runtime.run_frames(1).expect("nothing fails");
    }
}

/// A scale that grows without bound would not be finite, so chains are interrupted.
const LONGEST_CHAIN: usize = 24;

fn each_shape(check: impl Fn(Parents)) {
    let flat: Parents = |_, _| None;
    let chains: Parents = |node, _| (!node.is_multiple_of(LONGEST_CHAIN)).then(|| node - 1);
    let branching: Parents = |node, _| (node > 0).then(|| (node - 1) / 3);
    let scattered: Parents = |node, random| {
        let earlier = random.next_u32() as usize % node.max(1);
        (node > 100 && random.next_u32() % 4 < 3).then_some(earlier)
    };
    let one_wide: Parents = |node, _| (node > 0).then_some(0);
    for parents in [flat, chains, branching, scattered, one_wide] {
        check(parents);
    }
}

#[test]
fn large_hierarchies_are_placed_on_any_number_of_threads() {
    each_shape(|parents| {
        for threads in [1, 2, 5] {
            let mut forest = Forest::new(threads, parents);
            forest.run();
            forest.check();
        }
    });
}

/// Changes of single nodes, of whole ranges, of the last node, and of links.
#[test]
fn changes_of_large_hierarchies_are_placed_on_threads() {
    each_shape(|parents| {
        let mut forest = Forest::new(3, parents);
        forest.run();
        let mut random = ChaCha8Rng::seed_from_u64(9);
        for round in 0..6 {
            let changed: Vec<usize> = match round {
                0 => vec![0],
                1 => vec![NODES - 1],
                2 => (0..NODES).step_by(97).collect(),
                3 => (1_000..21_000).collect(),
                4 => (0..NODES).collect(),
                _ => (63..129).chain(NODES - 65..NODES).collect(),
            };
            for node in changed {
                let transform = transform(&mut random);
                *forest
                    .runtime
                    .world_mut()
                    .get_mut(forest.nodes[node])
                    .expect("it is there") = transform;
            }
            forest.run();
            forest.check();
        }
        // A subtree moves to another parent, and one becomes a root.
        let world = forest.runtime.world_mut();
        world
            .link(forest.nodes[30_000], forest.nodes[7])
            .expect("it is no cycle");
        world.unlink(forest.nodes[500]).expect("it is alive");
        forest.parents[30_000] = Some(7);
        forest.parents[500] = None;
        forest.run();
        forest.check();
    });
}

/// Rows that are not in the order of nodes: an attached tag moves them into another table.
#[test]
fn nodes_out_of_order_are_placed_on_threads() {
    struct Marked;
    each_shape(|parents| {
        let mut forest = Forest::new(4, parents);
        forest.run();
        for node in (0..NODES).step_by(3) {
            forest
                .runtime
                .world_mut()
                .attach(forest.nodes[node], Marked)
                .expect("it is alive");
        }
        let mut random = ChaCha8Rng::seed_from_u64(4);
        for node in (0..NODES).step_by(2) {
            *forest
                .runtime
                .world_mut()
                .get_mut(forest.nodes[node])
                .expect("it is there") = transform(&mut random);
        }
        forest.run();
        forest.check();
    });
}

//! The cost of an entity besides its components, and the growth of costs with the number of entities.

use super::structure::filled;
use super::walk::step_for;
use super::{MILLION, Position, Speed, position, speed};
use crate::harness::Table;
use std::hint::black_box;

pub(super) fn bookkeeping(table: &mut Table) {
    let (world, _) = filled(MILLION);
    table.figure(
        "bookkeeping per entity, 1M",
        world.memory().bookkeeping_per_entity(),
        24.0,
        "bytes",
    );
}

/// Per-item cost at 1M against that at 1k.
pub(super) fn growth(table: &mut Table) {
    type Step = fn(usize) -> std::time::Duration;
    let steps: [(&str, Step); 3] = [
        // With reserved memory: a page of fresh memory costs more than the spawns that fill it, in any program.
        ("growth of spawn_many, 1k to 1M", |rows| {
            let (mut world, ids) = filled(rows);
            world.despawn_many(ids);
            let start = std::time::Instant::now();
            black_box(world.spawn_many((0..rows).map(|i| (position(i), speed(i)))));
            start.elapsed()
        }),
        ("growth of despawn_many, 1k to 1M", |rows| {
            let (mut world, ids) = filled(rows);
            let start = std::time::Instant::now();
            world.despawn_many(ids);
            start.elapsed()
        }),
        ("growth of a walk, 1k to 1M", |rows| {
            let (mut world, _) = filled(rows);
            let mut view = world.rows_mut::<(&mut Position, &Speed)>();
            step_for(&mut view);
            let start = std::time::Instant::now();
            step_for(&mut view);
            start.elapsed()
        }),
    ];
    for (name, step) in steps {
        if !table.wants(name) {
            continue;
        }
        let per_item = |rows: usize, rounds: usize| {
            let mut times: Vec<f64> = (0..rounds).map(|_| step(rows).as_secs_f64()).collect();
            times.sort_by(f64::total_cmp);
            times[rounds / 2] / rows as f64
        };
        let (large, small) = (per_item(MILLION, 9), per_item(1_000, 301));
        table.figure(name, large / small, 3.0, "times");
    }
}

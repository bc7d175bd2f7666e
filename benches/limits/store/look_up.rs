//! Look-ups by entity against a slot map.

use super::{MILLION, Position, position, speed};
use crate::harness::Table;
use gerust::{Entity, World};
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use std::hint::black_box;

/// A slot map written plainly: slot to row, checked by generation.
struct SlotMap {
    slots: Vec<(u32, u32)>,
    values: Vec<Position>,
}

impl SlotMap {
    fn new(rows: usize) -> Self {
        Self {
            slots: (0..rows as u32).map(|row| (1, row)).collect(),
            values: (0..rows).map(position).collect(),
        }
    }

    fn get(&self, (index, generation): (u32, u32)) -> Option<&Position> {
        let &(current, row) = self.slots.get(index as usize)?;
        if current != generation {
            return None;
        }
        self.values.get(row as usize)
    }
}

pub(super) fn get(table: &mut Table) {
    get_random(table, "get 1M at random, of 1M", MILLION, 1.1);
    get_random(table, "get 1M at random, of 1k in cache", 1_000, 1.5);
}

fn get_random(table: &mut Table, name: &str, rows: usize, target: f64) {
    if !table.wants(name) {
        return;
    }
    let mut world = World::new();
    let entities: Vec<Entity> = (0..rows)
        .map(|i| world.spawn((position(i), speed(i))))
        .collect();
    let slot_map = SlotMap::new(rows);
    let mut random = StdRng::seed_from_u64(7);
    let order: Vec<usize> = (0..MILLION).map(|_| random.random_range(0..rows)).collect();
    let wanted: Vec<Entity> = order.iter().map(|&i| entities[i]).collect();
    let wanted_by_hand: Vec<(u32, u32)> = order.iter().map(|&i| (i as u32, 1)).collect();
    let view = world.rows::<&Position>();
    table.row(
        name,
        target,
        || {
            let sum: f32 = wanted
                .iter()
                .filter_map(|&entity| view.get(entity))
                .map(|position| position.0.x)
                .sum();
            black_box(sum);
        },
        || {
            let sum: f32 = wanted_by_hand
                .iter()
                .filter_map(|&id| slot_map.get(id))
                .map(|position| position.0.x)
                .sum();
            black_box(sum);
        },
    );
}

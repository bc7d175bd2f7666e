//! Rows of the store: walks, spawns and look-ups.

use crate::harness::Table;
use gerust::{Entity, Rows, World};
use glam::Vec3;
use std::hint::black_box;

const MILLION: usize = 1_000_000;

struct Position(Vec3);
struct Speed(Vec3);
/// Makes tables differ.
struct Mark<const N: usize>;

fn position(i: usize) -> Position {
    Position(Vec3::splat(i as f32))
}

fn speed(i: usize) -> Speed {
    Speed(Vec3::new(1.0, i as f32, -1.0))
}

/// Two columns as a programmer would write them by hand.
struct Arrays {
    positions: Vec<Position>,
    speeds: Vec<Speed>,
}

impl Arrays {
    fn new(rows: usize) -> Self {
        Self {
            positions: (0..rows).map(position).collect(),
            speeds: (0..rows).map(speed).collect(),
        }
    }

    fn step(&mut self) {
        for (position, speed) in self.positions.iter_mut().zip(&self.speeds) {
            position.0 += speed.0 * 0.016;
        }
    }
}

pub(crate) fn rows(table: &mut Table) {
    walk_one_table(table);
    walk_many_tables(table, "100 tables x 10k", 10_000, 100, 1.05);
    walk_many_tables(table, "27 tables x 20", 20, 27, 1.3);
    spawn(table);
    get(table);
}

type Moving<'w> = Rows<'w, (&'static mut Position, &'static Speed)>;

#[inline(never)]
fn step_for(rows: &mut Moving) {
    for (position, speed) in rows.iter_mut() {
        position.0 += speed.0 * 0.016;
    }
}

#[inline(never)]
fn step_each(rows: &mut Moving) {
    rows.each(|(position, speed)| position.0 += speed.0 * 0.016);
}

fn walk_one_table(table: &mut Table) {
    let names = [
        "iterate 1M rows, 1 table, for",
        "iterate 1M rows, 1 table, each",
    ];
    if !names.iter().any(|name| table.wants(name)) {
        return;
    }
    let mut world = World::new();
    for i in 0..MILLION {
        world.spawn((position(i), speed(i)));
    }
    let mut arrays = Arrays::new(MILLION);
    let mut rows = world.rows_mut::<(&mut Position, &Speed)>();
    table.row(names[0], 1.05, || step_for(&mut rows), || arrays.step());
    table.row(names[1], 1.05, || step_each(&mut rows), || arrays.step());
}

fn walk_many_tables(table: &mut Table, shape: &str, rows_each: usize, tables: usize, target: f64) {
    let names = [
        format!("iterate {shape}, for"),
        format!("iterate {shape}, each"),
    ];
    if !names.iter().any(|name| table.wants(name)) {
        return;
    }
    let mut world = World::new();
    // Seven marks on or off make up to 128 sets.
    for set in 0..tables {
        for i in 0..rows_each {
            let entity = world.spawn((position(i), speed(i)));
            mark(&mut world, entity, set);
        }
    }
    let mut arrays: Vec<Arrays> = (0..tables).map(|_| Arrays::new(rows_each)).collect();
    // Small shapes are repeated until the clock's own precision no longer matters.
    let repeats = (100_000 / (rows_each * tables)).max(1);
    let mut rows = world.rows_mut::<(&mut Position, &Speed)>();
    table.row(
        &names[0],
        target,
        || (0..repeats).for_each(|_| step_for(&mut rows)),
        || step_arrays(&mut arrays, repeats),
    );
    table.row(
        &names[1],
        target,
        || (0..repeats).for_each(|_| step_each(&mut rows)),
        || step_arrays(&mut arrays, repeats),
    );
}

fn step_arrays(arrays: &mut [Arrays], repeats: usize) {
    for _ in 0..repeats {
        arrays.iter_mut().for_each(Arrays::step);
    }
}

fn mark(world: &mut World, entity: Entity, set: usize) {
    let mut put = |bit: usize, attach: fn(&mut World, Entity)| {
        if set & (1 << bit) != 0 {
            attach(world, entity);
        }
    };
    put(0, attach_mark::<0>);
    put(1, attach_mark::<1>);
    put(2, attach_mark::<2>);
    put(3, attach_mark::<3>);
    put(4, attach_mark::<4>);
    put(5, attach_mark::<5>);
    put(6, attach_mark::<6>);
}

fn attach_mark<const N: usize>(world: &mut World, entity: Entity) {
    world.attach(entity, Mark::<N>).expect("it is alive");
}

/// Slots by hand: where each entity is, and under which generation.
#[derive(Default)]
struct IdMap {
    slots: Vec<(u32, u32)>,
}

fn spawn(table: &mut Table) {
    table.row_with(
        "spawn 1M one by one, growing Vecs",
        1.5,
        World::new,
        |mut world| {
            for i in 0..MILLION {
                black_box(world.spawn((position(i), speed(i))));
            }
            world
        },
        || (Arrays::new(0), IdMap::default(), Vec::<(u32, u32)>::new()),
        |(mut arrays, mut ids, mut entities)| {
            for i in 0..MILLION {
                let row = arrays.positions.len() as u32;
                ids.slots.push((1, row));
                entities.push(black_box((i as u32, 1)));
                arrays.positions.push(position(i));
                arrays.speeds.push(speed(i));
            }
            (arrays, ids, entities)
        },
    );
}

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

fn get(table: &mut Table) {
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
    // A multiplicative walk visits the rows in an order that no prefetcher guesses.
    let order: Vec<usize> = (0..MILLION)
        .map(|i| i.wrapping_mul(2_654_435_761) % rows)
        .collect();
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

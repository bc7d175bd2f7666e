//! Rows of the store: walks, spawns and look-ups.

use crate::harness::Table;
use gerust::{Entity, Rows, World};
use glam::Vec3;
use rand::rngs::StdRng;
use rand::seq::SliceRandom;
use rand::{Rng, SeedableRng};
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
    walk_in_parallel(table);
    spawn(table);
    structure(table);
    get(table);
    bookkeeping(table);
    growth(table);
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

#[cfg(feature = "parallel")]
fn walk_in_parallel(table: &mut Table) {
    use rayon::iter::{
        IndexedParallelIterator, IntoParallelRefIterator, IntoParallelRefMutIterator,
        ParallelIterator,
    };

    let name = "par_each over 1M rows";
    if !table.wants(name) {
        return;
    }
    let mut world = World::new();
    world.spawn_many((0..MILLION).map(|i| (position(i), speed(i))));
    let mut arrays = Arrays::new(MILLION);
    let mut rows = world.rows_mut::<(&mut Position, &Speed)>();
    // Some arithmetic for each row, so that not memory alone is measured.
    let work = |position: &mut Position, speed: &Speed| {
        for _ in 0..8 {
            position.0 = (position.0 + speed.0 * 0.016).normalize_or_zero();
        }
    };
    table.row(
        name,
        1.05,
        || rows.par_each(|(position, speed)| work(position, speed)),
        || {
            let positions = arrays.positions.par_iter_mut().with_min_len(256);
            positions
                .zip(arrays.speeds.par_iter())
                .for_each(|(position, speed)| work(position, speed));
        },
    );
}

#[cfg(not(feature = "parallel"))]
fn walk_in_parallel(_: &mut Table) {}

/// Two columns with slots by hand, despawned and changed one by one.
#[derive(Default)]
struct ByHand {
    /// Generation and row.
    slots: Vec<(u32, u32)>,
    free: Vec<u32>,
    /// By row: whose it is, so that a walk can tell.
    owners: Vec<(u32, u32)>,
    positions: Vec<Position>,
    speeds: Vec<Speed>,
}

impl ByHand {
    fn reserved(rows: usize) -> Self {
        Self {
            slots: Vec::with_capacity(rows),
            owners: Vec::with_capacity(rows),
            positions: Vec::with_capacity(rows),
            speeds: Vec::with_capacity(rows),
            ..Self::default()
        }
    }

    fn spawn(&mut self, position: Position, speed: Speed) -> (u32, u32) {
        let row = self.positions.len() as u32;
        self.positions.push(position);
        self.speeds.push(speed);
        let index = match self.free.pop() {
            Some(index) => {
                self.slots[index as usize].1 = row;
                index
            }
            None => {
                self.slots.push((1, row));
                self.slots.len() as u32 - 1
            }
        };
        let id = (index, self.slots[index as usize].0);
        self.owners.push(id);
        id
    }

    fn take(&mut self, (index, generation): (u32, u32)) -> Option<(Position, Speed)> {
        let slot = &mut self.slots[index as usize];
        if slot.0 != generation {
            return None;
        }
        slot.0 += 1;
        let row = slot.1 as usize;
        self.free.push(index);
        self.owners.swap_remove(row);
        if let Some(&(moved, _)) = self.owners.get(row) {
            self.slots[moved as usize].1 = row as u32;
        }
        Some((
            self.positions.swap_remove(row),
            self.speeds.swap_remove(row),
        ))
    }

    fn filled(rows: usize) -> (Self, Vec<(u32, u32)>) {
        let mut all = Self::reserved(rows);
        let ids = (0..rows)
            .map(|i| all.spawn(position(i), speed(i)))
            .collect();
        (all, ids)
    }
}

fn filled(rows: usize) -> (World, Vec<Entity>) {
    let mut world = World::new();
    let ids = world.spawn_many((0..rows).map(|i| (position(i), speed(i))));
    (world, ids)
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
        ByHand::default,
        |mut all| {
            for i in 0..MILLION {
                black_box(all.spawn(position(i), speed(i)));
            }
            all
        },
    );
    table.row_with(
        "spawn_many 1M, reserved Vecs",
        1.0,
        World::new,
        |mut world| {
            let ids = world.spawn_many((0..MILLION).map(|i| (position(i), speed(i))));
            (world, ids)
        },
        || (),
        |()| ByHand::filled(MILLION),
    );
}

/// An order in which rows of a table are far apart.
fn shuffled<T: Copy>(ids: &[T]) -> Vec<T> {
    let mut ids = ids.to_vec();
    ids.shuffle(&mut StdRng::seed_from_u64(11));
    ids
}

const STRUCTURE_ROWS: usize = 100_000;

fn structure(table: &mut Table) {
    table.row_with(
        "despawn 100k at random, batch",
        0.6,
        || {
            let (world, ids) = filled(STRUCTURE_ROWS);
            let ids = shuffled(&ids);
            (world, ids)
        },
        |(mut world, ids)| {
            world.despawn_many(ids);
            world
        },
        || {
            let (all, ids) = ByHand::filled(STRUCTURE_ROWS);
            let ids = shuffled(&ids);
            (all, ids)
        },
        |(mut all, ids)| {
            for id in ids {
                black_box(all.take(id));
            }
            all
        },
    );
    table.row_with(
        "attach a component to 100k, batch",
        0.6,
        || {
            let (world, ids) = filled(STRUCTURE_ROWS);
            let ids = shuffled(&ids);
            (world, ids)
        },
        |(mut world, ids)| {
            world.attach_many(ids.into_iter().map(|id| (id, 1_u32)));
            world
        },
        by_hand_with_second_table,
        |(mut from, mut to, ids)| {
            for id in ids {
                move_by_hand(&mut from, &mut to, id);
            }
            (from, to)
        },
    );
    tag_toggle(table);
}

/// Entities of a second table keep their slot, so only rows and columns move.
struct SecondTable {
    owners: Vec<(u32, u32)>,
    positions: Vec<Position>,
    speeds: Vec<Speed>,
    marks: Vec<u32>,
}

fn by_hand_with_second_table() -> (ByHand, SecondTable, Vec<(u32, u32)>) {
    let (all, ids) = ByHand::filled(STRUCTURE_ROWS);
    let second = SecondTable {
        owners: Vec::new(),
        positions: Vec::new(),
        speeds: Vec::new(),
        marks: Vec::new(),
    };
    let ids = shuffled(&ids);
    (all, second, ids)
}

fn move_by_hand(from: &mut ByHand, to: &mut SecondTable, id: (u32, u32)) {
    let (index, _) = id;
    let row = from.slots[index as usize].1 as usize;
    from.owners.swap_remove(row);
    if let Some(&(moved, _)) = from.owners.get(row) {
        from.slots[moved as usize].1 = row as u32;
    }
    from.slots[index as usize].1 = to.owners.len() as u32;
    to.owners.push(id);
    to.positions.push(from.positions.swap_remove(row));
    to.speeds.push(from.speeds.swap_remove(row));
    to.marks.push(1);
}

/// A tag put on and taken off 100k entities, against the same moves by hand one by one, there and back.
fn tag_toggle(table: &mut Table) {
    let name = "toggle a tag on 100k, batch";
    if !table.wants(name) {
        return;
    }
    let (mut world, ids) = filled(STRUCTURE_ROWS);
    let (mut from, mut to, by_hand) = by_hand_with_second_table();
    table.row(
        name,
        1.0,
        || {
            world.attach_many(ids.iter().map(|&id| (id, Mark::<0>)));
            world.detach_many::<Mark<0>>(ids.iter().copied());
        },
        || {
            for &id in &by_hand {
                move_by_hand(&mut from, &mut to, id);
            }
            for (row, owner) in to.owners.drain(..).enumerate() {
                black_box(row);
                from.slots[owner.0 as usize].1 = from.owners.len() as u32;
                from.owners.push(owner);
            }
            from.positions.append(&mut to.positions);
            from.speeds.append(&mut to.speeds);
            to.marks.clear();
        },
    );
}

fn bookkeeping(table: &mut Table) {
    let (world, _) = filled(MILLION);
    table.figure(
        "bookkeeping per entity, 1M",
        world.memory().bookkeeping_per_entity(),
        24.0,
        "bytes",
    );
}

/// Per-item cost at 1M against that at 1k.
fn growth(table: &mut Table) {
    type Step = fn(usize) -> std::time::Duration;
    let steps: [(&str, Step); 3] = [
        // Into room that is there already: fresh memory costs more per page than a spawn, whoever asks for it.
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

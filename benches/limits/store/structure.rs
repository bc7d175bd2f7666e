//! Spawning, despawning and changing against the same by hand, one by one.

use super::{MILLION, Mark, Position, Speed, position, speed};
use crate::harness::Table;
use gerust::{Entity, World};
use rand::SeedableRng;
use rand::rngs::StdRng;
use rand::seq::SliceRandom;
use std::hint::black_box;

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

pub(super) fn filled(rows: usize) -> (World, Vec<Entity>) {
    let mut world = World::new();
    let ids = world.spawn_many((0..rows).map(|i| (position(i), speed(i))));
    (world, ids)
}

pub(super) fn spawn(table: &mut Table) {
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

pub(super) fn change(table: &mut Table) {
    despawn(
        table,
        "despawn all of 100k at random, batch",
        STRUCTURE_ROWS,
    );
    despawn(
        table,
        "despawn half of 100k at random, batch",
        STRUCTURE_ROWS / 2,
    );
    attach(
        table,
        "attach to all of 100k at random, batch",
        STRUCTURE_ROWS,
    );
    attach(
        table,
        "attach to half of 100k at random, batch",
        STRUCTURE_ROWS / 2,
    );
    tag_toggle(table);
}

fn despawn(table: &mut Table, name: &str, count: usize) {
    table.row_with(
        name,
        0.6,
        || {
            let (world, ids) = filled(STRUCTURE_ROWS);
            (world, shuffled(&ids))
        },
        |(mut world, ids)| {
            world.despawn_many(ids.into_iter().take(count));
            world
        },
        || {
            let (all, ids) = ByHand::filled(STRUCTURE_ROWS);
            (all, shuffled(&ids))
        },
        |(mut all, ids)| {
            for id in ids.into_iter().take(count) {
                black_box(all.take(id));
            }
            all
        },
    );
}

fn attach(table: &mut Table, name: &str, count: usize) {
    table.row_with(
        name,
        0.6,
        || {
            let (world, ids) = filled(STRUCTURE_ROWS);
            (world, shuffled(&ids))
        },
        |(mut world, ids)| {
            world.attach_many(ids.into_iter().take(count).map(|id| (id, 1_u32)));
            world
        },
        by_hand_with_second_table,
        |(mut from, mut to, ids)| {
            for id in ids.into_iter().take(count) {
                move_by_hand(&mut from, &mut to, id);
            }
            (from, to)
        },
    );
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

//! Walks over rows against walks over arrays.

use super::{Arrays, MILLION, Mark, Position, Speed, position, speed};
use crate::harness::Table;
use gerust::{Entity, Rows, World};

pub(super) type Moving<'w> = Rows<'w, (&'static mut Position, &'static Speed)>;

#[inline(never)]
pub(super) fn step_for(rows: &mut Moving) {
    for (position, speed) in rows.iter_mut() {
        position.0 += speed.0 * 0.016;
    }
}

#[inline(never)]
fn step_each(rows: &mut Moving) {
    rows.each(|(position, speed)| position.0 += speed.0 * 0.016);
}

pub(super) fn one_table(table: &mut Table) {
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

pub(super) fn many_tables(
    table: &mut Table,
    shape: &str,
    rows_each: usize,
    tables: usize,
    target: f64,
) {
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
pub(super) fn in_parallel(table: &mut Table) {
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
pub(super) fn in_parallel(_: &mut Table) {}

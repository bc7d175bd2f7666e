//! Rows of the store: walks, spawns, changes and look-ups.

mod growth;
mod look_up;
mod structure;
mod walk;

use crate::harness::Table;
use glam::Vec3;

pub(super) const MILLION: usize = 1_000_000;

pub(super) struct Position(pub(super) Vec3);
pub(super) struct Speed(pub(super) Vec3);
/// Makes tables differ.
pub(super) struct Mark<const N: usize>;

pub(super) fn position(i: usize) -> Position {
    Position(Vec3::splat(i as f32))
}

pub(super) fn speed(i: usize) -> Speed {
    Speed(Vec3::new(1.0, i as f32, -1.0))
}

/// Two columns as a programmer would write them by hand.
pub(super) struct Arrays {
    pub(super) positions: Vec<Position>,
    pub(super) speeds: Vec<Speed>,
}

impl Arrays {
    pub(super) fn new(rows: usize) -> Self {
        Self {
            positions: (0..rows).map(position).collect(),
            speeds: (0..rows).map(speed).collect(),
        }
    }

    pub(super) fn step(&mut self) {
        for (position, speed) in self.positions.iter_mut().zip(&self.speeds) {
            position.0 += speed.0 * 0.016;
        }
    }
}

pub(crate) fn rows(table: &mut Table) {
    walk::one_table(table);
    walk::many_tables(table, "100 tables x 10k", 10_000, 100, 1.05);
    walk::many_tables(table, "27 tables x 20", 20, 27, 1.3);
    walk::in_parallel(table);
    structure::spawn(table);
    structure::change(table);
    look_up::get(table);
    growth::bookkeeping(table);
    growth::growth(table);
}

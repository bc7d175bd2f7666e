//! 100,000 bodies without weight that fly freely among 10,000 boxes, most of them far from each other.

use super::slide::frame;
use crate::harness::Table;
use gerust::prelude::*;
use glam::IVec3;
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use std::time::Instant;

const STATIC: usize = 10_000;
const ALL: usize = 110_000;
const HALF: f32 = 0.5;
const STEP: f32 = 1.0 / 60.0;

/// Half the edge of the room in which all of them are, in metres.
const ROOM: f32 = 400.0;

pub(super) fn rows(table: &mut Table) {
    let names = [
        "100k free among 10k static, two threads",
        "100k free, one thread, by hand",
    ];
    if !names.into_iter().any(|name| table.wants(name)) {
        return;
    }
    let [mut two, mut one] = [2, 1].map(runtime);
    let mut by_hand = ByHand::new();
    if table.wants(names[0]) {
        let mut times: Vec<f64> = (0..60)
            .map(|_| frame(&mut two).as_secs_f64() * 1e3)
            .collect();
        times.sort_unstable_by(f64::total_cmp);
        table.figure(names[0], times[30], 16.7, "ms, median");
    }
    table.row_timed(
        names[1],
        8.0,
        || frame(&mut one),
        || {
            let start = Instant::now();
            by_hand.frame();
            start.elapsed()
        },
    );
}

/// Where all of them begin, and with which velocity; the first ones are static.
fn bodies() -> impl Iterator<Item = (Vec3, Vec3)> {
    let mut random = StdRng::seed_from_u64(13);
    (0..ALL).map(move |number| {
        let mut along = || random.random_range(-ROOM..ROOM);
        let place = Vec3::new(along(), along(), along());
        let velocity = Vec3::new(along(), along(), along()) / 100.0;
        (
            place,
            if number < STATIC {
                Vec3::ZERO
            } else {
                velocity
            },
        )
    })
}

fn runtime(threads: usize) -> Runtime {
    let mut runtime = Runtime::new();
    runtime.set_threads(threads).expect("threads can be had");
    let world = runtime.world_mut();
    world.global_mut::<Gravity>().expect("always there").0 = Vec3::ZERO;
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(HALF)));
    let at = |place: Vec3| Transform::at(place.x, place.y, place.z);
    let fixed = bodies().take(STATIC);
    world.spawn_many(fixed.map(|(place, _)| (at(place), cube.clone())));
    world.spawn_many(bodies().skip(STATIC).map(|(place, velocity)| {
        let body = Body::dynamic().with_restitution(1.0);
        (at(place), cube.clone(), body.with_velocity(velocity))
    }));
    runtime
}

/// The same frame as one would first write it for this scene alone: all bodies are put into cells, and those that overlap bounce
/// along the axis of least depth.
struct ByHand {
    places: Vec<Vec3>,
    velocities: Vec<Vec3>,
    /// Bodies by cell, once for each cell that they reach into, and where each cell begins in that list.
    bodies: Vec<u32>,
    starts: Vec<u32>,
}

/// The edge of a cell in metres, and cells along each axis.
const CELL: f32 = 8.0;
const SIDE: i32 = 112;

impl ByHand {
    fn new() -> Self {
        let (places, velocities) = bodies().unzip();
        Self {
            places,
            velocities,
            bodies: Vec::new(),
            starts: Vec::new(),
        }
    }

    fn frame(&mut self) {
        for (place, velocity) in self.places.iter_mut().zip(&self.velocities) {
            *place += *velocity * STEP;
        }
        self.starts.clear();
        self.starts.resize((SIDE * SIDE * SIDE) as usize + 1, 0);
        for &place in &self.places {
            cells(place, |cell| self.starts[cell + 1] += 1);
        }
        for at in 1..self.starts.len() {
            self.starts[at] += self.starts[at - 1];
        }
        self.bodies
            .resize(self.starts[self.starts.len() - 1] as usize, 0);
        for (number, &place) in self.places.iter().enumerate() {
            // Afterwards each start is where the cell ends.
            cells(place, |cell| {
                self.bodies[self.starts[cell] as usize] = number as u32;
                self.starts[cell] += 1;
            });
        }
        let mut start = 0;
        for cell in 0..self.starts.len() - 1 {
            let end = self.starts[cell] as usize;
            for at in start..end {
                for other in at + 1..end {
                    let (a, b) = (self.bodies[at], self.bodies[other]);
                    bounce(&self.places, &mut self.velocities, a as usize, b as usize);
                }
            }
            start = end;
        }
    }
}

/// Calls `visit` with each cell that a body reaches into.
fn cells(place: Vec3, mut visit: impl FnMut(usize)) {
    let coordinates = |place: Vec3| {
        (place / CELL + SIDE as f32 / 2.0)
            .as_ivec3()
            .clamp(IVec3::ZERO, IVec3::splat(SIDE - 1))
    };
    let (low, high) = (coordinates(place - HALF), coordinates(place + HALF));
    for z in low.z..=high.z {
        for y in low.y..=high.y {
            for x in low.x..=high.x {
                visit(((z * SIDE + y) * SIDE + x) as usize);
            }
        }
    }
}

/// Two of the same mass exchange their velocities along an axis; a static one turns the other back.
fn bounce(places: &[Vec3], velocities: &mut [Vec3], a: usize, b: usize) {
    let way = places[b] - places[a];
    let depth = Vec3::splat(2.0 * HALF) - way.abs();
    if depth.min_element() <= 0.0 {
        return;
    }
    let axis = depth.min_position();
    let (own, other) = (velocities[a][axis], velocities[b][axis]);
    if (own - other) * way[axis] <= 0.0 {
        return;
    }
    match (a < STATIC, b < STATIC) {
        (true, true) => {}
        (true, false) => velocities[b][axis] = -other,
        (false, true) => velocities[a][axis] = -own,
        (false, false) => (velocities[a][axis], velocities[b][axis]) = (other, own),
    }
}

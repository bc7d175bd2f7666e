//! Boxes that are thrown into a closed pit.

use super::pile_by_hand::PileByHand;
use crate::harness::Table;
use gerust::collide::{Among, Boxes};
use gerust::prelude::*;
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use std::time::Instant;

const FRAMES: usize = 600;

/// A closed pit of 11 m into which half-metre boxes are thrown, on one thread.
pub(super) struct Pit {
    pub(super) runtime: Runtime,
    random: StdRng,
    /// Sixtieths of a box that are still to be thrown.
    due: u32,
}

impl Pit {
    pub(super) fn new() -> Self {
        let mut runtime = Runtime::new();
        runtime.set_threads(1).expect("one is always there");
        let mut wall = |center: Vec3, half: Vec3| {
            let own = Collider::solid(Aabb::from_center(Vec3::ZERO, half));
            let place = Transform::at(center.x, center.y, center.z);
            runtime.world_mut().spawn((place, own));
        };
        wall(Vec3::NEG_Y, Vec3::new(7.5, 1.0, 7.5));
        for side in [-6.5, 6.5] {
            wall(Vec3::new(side, 50.0, 0.0), Vec3::new(1.0, 50.0, 5.5));
            wall(Vec3::new(0.0, 50.0, side), Vec3::new(5.5, 50.0, 1.0));
        }
        Self {
            runtime,
            random: StdRng::seed_from_u64(7),
            due: 0,
        }
    }

    /// Throws the boxes of one frame, and calls `also` with the place and velocity of each. None begins inside of another.
    pub(super) fn throw(&mut self, a_second: u32, mut also: impl FnMut(Vec3, Vec3)) {
        let own = Aabb::from_center(Vec3::ZERO, Vec3::splat(0.25));
        self.due += a_second;
        while self.due >= 60 {
            self.due -= 60;
            let mut within = |half: f32| self.random.random_range(-half..half);
            let place = Vec3::new(within(5.0), 27.5 + within(2.5), within(5.0));
            let velocity = Vec3::new(within(9.0), -10.0, within(9.0));
            // Each is found by the next one.
            self.runtime.settle().expect("nothing fails");
            let mut there = Vec::new();
            let boxes = self.runtime.world().global::<Boxes>();
            let boxes = boxes.expect("always there");
            boxes.overlaps(&own.moved(place), &Among::all(), &mut there);
            drop(boxes);
            if there.is_empty() {
                also(place, velocity);
                self.runtime.world_mut().spawn((
                    Transform::at(place.x, place.y, place.z),
                    Collider::solid(own),
                    Body::dynamic()
                        .with_velocity(velocity)
                        .with_friction(0.3)
                        .with_restitution(0.2),
                ));
            }
        }
    }

    pub(super) fn overlaps(&self) -> usize {
        let contacts = self.runtime.world().global::<Contacts>();
        let contacts = contacts.expect("always there");
        contacts.iter().filter(|found| found.depth > 0.0).count()
    }
}

/// 300 boxes a second for ten seconds: whole frames while the pile grows. No two boxes may overlap in any frame.
pub(super) fn row(table: &mut Table) {
    let name = "300 boxes a second into a pit, in ms";
    if !table.wants(name) {
        return;
    }
    let mut pit = Pit::new();
    let mut by_hand = PileByHand::default();
    let (mut times, mut times_by_hand) = (Vec::new(), Vec::new());
    let (mut count, mut overlaps) = (0, 0);
    for _ in 0..FRAMES {
        pit.throw(300, |place, velocity| {
            count += 1;
            by_hand.throw(place, velocity);
        });
        let start = Instant::now();
        pit.runtime.run_frames(1).expect("nothing fails");
        times.push(start.elapsed().as_secs_f64() * 1e3);
        let start = Instant::now();
        by_hand.frame();
        times_by_hand.push(start.elapsed().as_secs_f64() * 1e3);
        overlaps += pit.overlaps();
    }
    let sum = |times: &[f64]| times.iter().sum::<f64>();
    let ratio = sum(&times) / sum(&times_by_hand);
    let pairs = by_hand.pairs.len();
    times.sort_unstable_by(f64::total_cmp);
    times_by_hand.sort_unstable_by(f64::total_cmp);
    pit.runtime
        .run_frames(FRAMES as u64)
        .expect("nothing fails");
    let start = Instant::now();
    pit.runtime.run_frames(1).expect("nothing fails");
    let at_rest = start.elapsed().as_secs_f64() * 1e3;
    println!(
        "{name:<44} {count} boxes, {overlaps} overlaps, 95 % of the frames within {:.2} ms, at rest {at_rest:.2} ms",
        times[FRAMES * 95 / 100]
    );
    table.figure(name, times[FRAMES / 2], 3.0, "ms, median");
    let by_hand = times_by_hand[FRAMES / 2];
    println!(
        "{:<44} {by_hand:.2} ms, median, {pairs} pairs",
        "the same by hand"
    );
    table.figure(&format!("{name}, by hand"), ratio, 8.0, "times");
}

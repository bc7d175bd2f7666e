//! Boxes that are thrown into a closed pit.

use super::pile_by_hand::PileByHand;
use crate::harness::Table;
use gerust::collide::{Among, Boxes};
use gerust::prelude::*;
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use std::time::Instant;

const BOXES_A_FRAME: usize = 5;
const FRAMES: usize = 600;

/// 300 half-metre boxes a second for ten seconds into a pit of 11 m: whole frames on one thread, while the pile grows. No two
/// may overlap in any frame.
pub(super) fn row(table: &mut Table) {
    let name = "300 boxes a second into a pit, in ms";
    if !table.wants(name) {
        return;
    }
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
    let mut random = StdRng::seed_from_u64(7);
    let own = Aabb::from_center(Vec3::ZERO, Vec3::splat(0.25));
    let mut by_hand = PileByHand::default();
    let (mut times, mut times_by_hand) = (Vec::new(), Vec::new());
    let (mut count, mut overlaps) = (0, 0);
    for _ in 0..FRAMES {
        for _ in 0..BOXES_A_FRAME {
            let mut within = |half: f32| random.random_range(-half..half);
            let place = Vec3::new(within(5.0), 27.5 + within(2.5), within(5.0));
            let velocity = Vec3::new(within(9.0), -10.0, within(9.0));
            // Each is found by the next one, and none begins inside of another.
            runtime.settle().expect("nothing fails");
            let mut there = Vec::new();
            let boxes = runtime.world().global::<Boxes>().expect("always there");
            boxes.overlaps(&own.moved(place), &Among::all(), &mut there);
            drop(boxes);
            if there.is_empty() {
                count += 1;
                by_hand.throw(place, velocity);
                runtime.world_mut().spawn((
                    Transform::at(place.x, place.y, place.z),
                    Collider::solid(own),
                    Body::dynamic()
                        .with_velocity(velocity)
                        .with_friction(0.3)
                        .with_restitution(0.2),
                ));
            }
        }
        let start = Instant::now();
        runtime.run_frames(1).expect("nothing fails");
        times.push(start.elapsed().as_secs_f64() * 1e3);
        let start = Instant::now();
        by_hand.frame();
        times_by_hand.push(start.elapsed().as_secs_f64() * 1e3);
        let contacts = runtime.world().global::<Contacts>().expect("always there");
        overlaps += contacts
            .iter()
            .filter(|contact| contact.depth > 0.0)
            .count();
    }
    let sum = |times: &[f64]| times.iter().sum::<f64>();
    let ratio = sum(&times) / sum(&times_by_hand);
    let pairs = by_hand.pairs.len();
    times.sort_unstable_by(f64::total_cmp);
    times_by_hand.sort_unstable_by(f64::total_cmp);
    runtime.run_frames(FRAMES as u64).expect("nothing fails");
    let start = Instant::now();
    runtime.run_frames(1).expect("nothing fails");
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

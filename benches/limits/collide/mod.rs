//! Finding pairs against a sweep, a grid and a tree written plainly, and frames full of boxes.

mod by_hand;
mod cells;
mod free;
mod layouts;
mod pile_by_hand;
mod pit;
mod plain;
mod promises;
mod slide;

use crate::harness::Table;
use gerust::collide::BoxTree;
use gerust::prelude::*;
use layouts::Layout;
use plain::Finder;
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use std::time::{Duration, Instant};

pub(crate) fn rows(table: &mut Table) {
    for layout in Layout::ALL {
        for count in [1_000, 10_000, 100_000] {
            pair_row(table, layout, count);
        }
    }
    refit_row(table);
    share_row(table);
    growth_row(table);
    slide::rows(table);
    free::rows(table);
    pit::row(table);
    promises::rows(table);
}

/// All boxes move by a little, then all pairs are found: ours against the best of three plain finders.
fn pair_row(table: &mut Table, layout: Layout, count: usize) {
    let name = format!("pairs, {}, {count}", layout.name());
    if !table.wants(&name) {
        return;
    }
    let mut random = StdRng::seed_from_u64(7);
    let (mut boxes, still) = layout.boxes(count, &mut random);
    let mut trees = [BoxTree::default(), BoxTree::default()];
    for (id, aabb) in boxes.iter().enumerate() {
        trees[usize::from(id >= still)].set(id as u32, aabb);
    }
    trees.iter_mut().for_each(BoxTree::sort);
    let mut finders = [Finder::sweep(&boxes), Finder::grid(&boxes), Finder::tree()];
    // To and fro, so that the layout stays what it is.
    let steps: Vec<Vec3> = boxes
        .iter()
        .map(|aabb| aabb.size() * 0.05 * random.random_range(-1.0_f32..1.0))
        .collect();
    let mut direction = 1.0;
    let mut nudge = |boxes: &mut [Aabb]| {
        direction = -direction;
        for (aabb, step) in boxes.iter_mut().zip(&steps).skip(still) {
            *aabb = aabb.moved(*step * direction);
        }
    };
    let time = |finder: &mut Finder, boxes: &[Aabb]| {
        let start = Instant::now();
        let pairs = finder.count_pairs(boxes);
        (start.elapsed(), pairs)
    };
    let best = (0..finders.len())
        .min_by_key(|&number| {
            nudge(&mut boxes);
            // The first round warms up.
            time(&mut finders[number], &boxes);
            time(&mut finders[number], &boxes).0
        })
        .expect("there are three");
    let name = format!("{name} ({})", finders[best].name());
    // Both work on the same boxes, moved before the first of the two.
    let boxes = std::cell::RefCell::new(boxes);
    let found = std::cell::Cell::new(0);
    table.row_timed(
        &name,
        1.2,
        || {
            nudge(&mut boxes.borrow_mut());
            let boxes = boxes.borrow();
            let start = Instant::now();
            for (id, aabb) in boxes.iter().enumerate().skip(still) {
                trees[1].set(id as u32, aabb);
            }
            trees[1].update();
            let mut pairs = 0;
            trees[1].pairs(0.0, |_, _| pairs += 1);
            if still > 0 {
                trees[1].pairs_with(&trees[0], 0.0, |_, _| pairs += 1);
            }
            let elapsed = start.elapsed();
            found.set(pairs);
            elapsed
        },
        || {
            let (elapsed, pairs) = time(&mut finders[best], &boxes.borrow());
            // A plain finder looks at pairs that stay as well.
            assert!(
                still > 0 || pairs == found.get(),
                "{pairs} are not {}",
                found.get()
            );
            elapsed
        },
    );
}

/// Moved by 5 % of their size: refitting against sorting anew.
fn refit_row(table: &mut Table) {
    let name = "refit 100k, against sorting anew";
    if !table.wants(name) {
        return;
    }
    let mut random = StdRng::seed_from_u64(8);
    let (boxes, _) = Layout::Uniform.boxes(100_000, &mut random);
    let mut tree = BoxTree::default();
    let place = |tree: &mut BoxTree, direction: f32| {
        for (id, aabb) in boxes.iter().enumerate() {
            tree.set(id as u32, &aabb.moved(aabb.size() * 0.05 * direction));
        }
    };
    place(&mut tree, 1.0);
    tree.sort();
    let mut other = tree.clone();
    let (mut way, mut other_way) = (1.0, 1.0);
    table.row_timed(
        name,
        0.6,
        || {
            way = -way;
            place(&mut tree, way);
            let start = Instant::now();
            tree.update();
            start.elapsed()
        },
        || {
            other_way = -other_way;
            place(&mut other, other_way);
            let start = Instant::now();
            other.sort();
            start.elapsed()
        },
    );
}

/// Sensors in a runtime of one thread.
fn sensors(count: usize) -> (Runtime, Vec<Entity>) {
    let mut random = StdRng::seed_from_u64(9);
    let (boxes, _) = Layout::Uniform.boxes(count, &mut random);
    let mut runtime = Runtime::new();
    runtime.set_threads(1).expect("one is always there");
    let ids = runtime.world_mut().spawn_many(boxes.iter().map(|aabb| {
        let own = Aabb::from_center(Vec3::ZERO, aabb.half_extents());
        let place = aabb.center();
        (
            Transform::at(place.x, place.y, place.z),
            Collider::sensor(own),
            Body::kinematic(Vec3::ZERO),
        )
    }));
    runtime.settle().expect("nothing fails");
    (runtime, ids)
}

/// Moves some of them by 5 % of their size and runs a frame; only the second is timed.
fn run_frame(runtime: &mut Runtime, moved: &[Entity], by: f32) -> Duration {
    let mut rows = runtime.world_mut().rows_mut::<&mut Transform>();
    for &id in moved {
        if let Some(transform) = rows.get_mut(id) {
            transform.translation.x += by;
        }
    }
    drop(rows);
    let start = Instant::now();
    runtime.run_frames(1).expect("nothing fails");
    start.elapsed()
}

fn share_row(table: &mut Table) {
    let name = "contacts, 1 % of 100k moved, against all";
    if !table.wants(name) {
        return;
    }
    let (mut some, ids) = sensors(100_000);
    let (mut all, all_ids) = sensors(100_000);
    let mut random = StdRng::seed_from_u64(10);
    let moved: Vec<Entity> = (0..1_000)
        .map(|_| ids[random.random_range(0..ids.len())])
        .collect();
    let (mut few_by, mut all_by) = (0.05, 0.05);
    table.row_timed(
        name,
        0.1,
        || {
            few_by = -few_by;
            run_frame(&mut some, &moved, few_by)
        },
        || {
            all_by = -all_by;
            run_frame(&mut all, &all_ids, all_by)
        },
    );
}

/// The cost of a box in a frame in which all move, at a million against a thousand.
fn growth_row(table: &mut Table) {
    let name = "contacts, all moved, per box: 1M / 1k";
    if !table.wants(name) {
        return;
    }
    let per_box = |count: usize, rounds: usize| {
        let (mut runtime, ids) = sensors(count);
        let mut by = 0.05;
        let mut times: Vec<Duration> = (0..rounds)
            .map(|_| {
                by = -by;
                run_frame(&mut runtime, &ids, by)
            })
            .collect();
        times.sort_unstable();
        times[rounds / 2].as_secs_f64() / count as f64
    };
    let (few, many) = (per_box(1_000, 201), per_box(1_000_000, 7));
    println!(
        "{:<44} {:>8.0} ns at 1k, {:.0} ns at 1M",
        "contacts, all moved, per box",
        few * 1e9,
        many * 1e9
    );
    table.figure(name, many / few, 3.0, "ratio");
}

//! Moving the origin against a frame in which everything moves.

use crate::harness::Table;
use gerust::prelude::*;
use std::time::Instant;

/// Boxes of which every second hangs below another one, under a system that moves all or none.
fn boxes(moves: bool) -> Runtime {
    let mut runtime = Runtime::new();
    runtime.set_threads(1).expect("one is always there");
    let move_all = System::named("move all")
        .takes::<Rows<&mut Transform>>()
        .runs(move |mut rows| {
            if moves {
                rows.each(|transform| transform.translation.x += 1.0);
            }
        });
    runtime.add_system(move_all).expect("its name is free");
    let world = runtime.world_mut();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
    for i in 0..5_000_u16 {
        let place = Transform::at(f32::from(i % 100) * 2.0, 0.0, f32::from(i / 100) * 2.0);
        let below = world.spawn((Transform::at(0.5, 0.5, 0.0), cube.clone()));
        let above = world.spawn((place, cube.clone()));
        world.link(below, above).expect("both are there");
    }
    runtime.run_frames(10).expect("nothing fails");
    runtime
}

pub(crate) fn rows(table: &mut Table) {
    let name = "frame in which 10k boxes get a new origin";
    if !table.wants(name) {
        return;
    }
    let (mut still, mut moving) = (boxes(false), boxes(true));
    let mut by = Vec3::X * 256.0;
    let with = || {
        by = -by;
        let start = Instant::now();
        still.move_origin(by).expect("it is finite");
        still.run_frames(1).expect("nothing fails");
        start.elapsed()
    };
    let all_move = || {
        let start = Instant::now();
        moving.run_frames(1).expect("nothing fails");
        start.elapsed()
    };
    table.row_timed(name, 2.0, with, all_move);
}

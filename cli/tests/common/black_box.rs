//! A program whose last frames end in a black box.

use gerust::prelude::*;
use gerust_scene::BlackBox;
use std::path::Path;
use std::time::Duration;

struct Unknown;

/// Frames 20 to 50 of a program in which a gull flies over a quay. The last one fails.
pub(crate) fn write_black_box(path: &Path) {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it is added once");
    let black_box = BlackBox::keeping(Duration::from_millis(500)).titled("low tide");
    runtime
        .add_kit(black_box.clone())
        .expect("it is added once");
    let world = runtime.world_mut();
    let quay = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(9.0, 1.0, 9.0)));
    world.spawn((Name::new("quay"), Transform::default(), quay));
    world.spawn((
        Name::new("gull"),
        Transform::at(0.0, 4.0, 0.0),
        Velocity(Vec3::X),
        Unknown,
    ));
    let tide = System::named("tide").takes::<Global<Clock>>();
    let tide = tide.runs(|clock| assert!(clock.frame() < 50, "the water is gone"));
    runtime.add_system(tide).expect("its name is free");
    assert!(runtime.run_frames(60).is_err());
    black_box.write(path).expect("there is room");
}

//! What the standard kit does in scenes, without any code.

use crate::common::runtime;
use gerust::prelude::*;
use gerust::runtime::{Machine, Spawner};
use gerust_scene::{Registry, Report, Scene, SceneRun};

fn scene(text: &str) -> Scene {
    Scene::parse(text, "kit.toml", &Registry::standard()).unwrap_or_else(|error| panic!("{error}"))
}

fn finished(scene: &Scene) -> SceneRun {
    let mut run = scene.start(runtime()).expect("it fits");
    while run.run_frame().expect("nothing fails") {}
    run
}

fn run(text: &str) -> Report {
    finished(&scene(text)).report()
}

#[test]
fn spawners_launch_templates_of_the_file() {
    let text = r#"
title = "a launcher"
frames = 120
gravity = [0, 0, 0]
[templates.pallet]
collider = { size = [0.2, 0.2, 0.2], layer = "goods" }
body = { mass = 3 }
children = [{ name = "label", transform = { translation = [0, 1, 0] } }]
[templates.leaf]
transform = { scale = [2, 2, 2] }
[layers]
goods = []
[[entities]]
name = "launcher"
transform = { translation = [0, 5, 0] }
components.spawner = { template = "pallet", per-second = 30, total = 40, spread = [2, 0, 2], velocity = [0, 0, 3] }
[[entities]]
name = "tree"
transform = { translation = [50, 5, 0] }
components.spawner = { template = "leaf", per-second = 10, cap = 5, velocity = [0, -1, 0] }
[[rules]]
when = "count of leaf = 5"
once = true
do = [{ switch = { system = "standard: spawn", on = true } }]
[[expect]]
that = "count of pallet = 15 at 0.5 s"
[[expect]]
that = "count of pallet = 40"
[[expect]]
that = "count of leaf = 5"
[[expect]]
that = "launcher.spawner.made = 40"
"#;
    let scene = scene(text);
    let run = finished(&scene);
    run.report().assert_all_held();
    let world = run.runtime().world();
    let rows = world.rows::<(Entity, &Body, &Transform, &MadeFrom)>();
    for (pallet, body, transform, _) in rows.iter() {
        assert_eq!((body.mass, body.velocity), (3.0, Vec3::Z * 3.0));
        assert!(transform.translation.x.abs() <= 2.0);
        assert_eq!(world.children(pallet).count(), 1);
    }
    let leaves = world.rows::<(&Transform, &Velocity)>();
    assert_eq!(leaves.iter().count(), 5);
    assert!(
        leaves
            .iter()
            .all(|(leaf, _)| leaf.scale == Vec3::splat(2.0) && leaf.translation.x == 50.0)
    );
    let places: std::collections::BTreeSet<String> = rows
        .iter()
        .map(|(_, _, at, _)| format!("{:?}", at.translation))
        .collect();
    assert_eq!(places.len(), 40, "each appears somewhere else");
}

#[test]
fn two_runs_spawn_alike_and_another_seed_does_not() {
    let text = r#"
title = "a launcher"
frames = 60
[templates.pallet]
[[entities]]
name = "launcher"
components.spawner = { template = "pallet", per-second = 60, spread = [9, 9, 9] }
"#;
    let scene = scene(text);
    let digest = |seed| {
        let mut runtime = runtime();
        runtime.set_seed(seed);
        let mut run = scene.start(runtime).expect("it fits");
        while run.run_frame().expect("nothing fails") {}
        run.runtime().world().digest().expect("all can be written")
    };
    assert_eq!(digest(1), digest(1));
    assert_ne!(digest(1), digest(2));
    // The seed of a scene overrides that of the runtime.
    let seeded = self::scene(&text.replace("frames = 60", "frames = 60\nseed = 2"));
    let run = finished(&seeded);
    assert_eq!(
        run.runtime().world().digest().expect("all can be written"),
        digest(2)
    );
}

#[test]
fn a_spawner_without_its_template_makes_nothing() {
    let mut runtime = runtime();
    runtime
        .world_mut()
        .spawn((Transform::default(), Spawner::new("nobody", 100.0)));
    runtime.run_frames(10).expect("nothing fails");
    assert_eq!(runtime.world().len(), 1);
}

#[test]
fn wear_runs_down_by_time_and_by_contacts() {
    run(r#"
title = "wear"
frames = 180
[[entities]]
name = "quay"
transform = { translation = [0, -0.5, 0] }
collider = { size = [20, 1, 20] }
[[entities]]
name = "crate"
transform = { translation = [0, 3, 0] }
collider = { size = [1, 1, 1] }
body = { restitution = 0.6 }
components.wear = { left = 1, per-contact = 0.4, then-gone = true }
[[entities]]
name = "lamp"
transform = { translation = [9, 9, 9] }
components.wear = { left = 2, per-second = 1 }
[[rules]]
event = "worn"
where = "it.position.y = 9"
do = [{ despawn = "it" }]
[[expect]]
that = "crate.wear.left = 0.6 within 0.001 by 1 s"
[[expect]]
that = "lamp.wear.left = 1 within 0.001 at 1 s"
[[expect]]
that = "lamp exists from 0 s to 1.9 s"
[[expect]]
that = "events of worn = 2 and not crate exists and not lamp exists"
"#)
    .assert_all_held();
}

#[test]
fn machines_switch_box_sets_and_log_it() {
    let text = r#"
title = "a gate"
frames = 240
[[entities]]
name = "gate"
collider = { size = [1, 4, 1], sets = { open = [{ size = [1, 0.1, 1], center = [0, 8, 0] }] } }
components.machine = { state = "default", transitions = [
  { from = "default", to = "open", on = { signal = "open up" } },
  { from = "open", to = "default", on = "free", after = 1 },
] }
[[entities]]
name = "pad"
transform = { translation = [5, 0, 0] }
collider = { size = [1, 1, 1], kind = "sensor" }
components.machine = { state = "empty", transitions = [
  { from = "empty", to = "taken", on = "touched" },
  { from = "taken", to = "empty", on = "free" },
] }
[[cues]]
time = 1
set = { entity = "gate", components = { machine = { state = "default", signal = "open up", transitions = [
  { from = "default", to = "open", on = { signal = "open up" } },
  { from = "open", to = "default", on = "free", after = 1 },
] } } }
[[cues]]
time = 3
do = [{ change = { field = "gate.machine.signal", to = '"open up"' } }]
[[cues]]
frame = 120
spawn = { name = "truck", transform = { translation = [5, 0, 0] }, collider = { size = [1, 1, 1] } }
[[cues]]
frame = 150
despawn = "truck"
[[expect]]
that = 'gate.machine.state = "open" and gate.collider.set = "open" at 1 s'
[[expect]]
that = 'gate.machine.state = "open" from 1 s to 1.98 s'
[[expect]]
that = 'gate.machine.state = "default" and gate.collider.set = "default" at 2.05 s'
[[expect]]
that = 'gate.machine.state = "open" at 3.5 s'
[[expect]]
that = 'pad.machine.state = "taken" from frame 120 to frame 149'
[[expect]]
that = "switched happens at frame 60"
[[expect]]
that = "events of switched = 5 at 3.5 s"
"#;
    let scene = scene(text);
    let run = finished(&scene);
    run.report().assert_all_held();
    let world = run.runtime().world();
    let pad = world.find("pad").expect("it is in the file");
    let machine = world.get::<Machine>(pad).expect("it has one");
    let log: Vec<_> = machine
        .log
        .iter()
        .map(|entry| (entry.frame, entry.to.as_str()))
        .collect();
    assert_eq!(log, [(120, "taken"), (150, "empty")]);
}

#[test]
fn controls_steer_and_names_are_followed() {
    run(r#"
title = "a crane under manual control"
frames = 120
[controls.slew]
values = [[0.5, 1], [1, -0.5], [1.5, 0]]
[[entities]]
name = "marker"
components.follow = { target = "trolley", offset = [0, 2, 0] }
[[entities]]
name = "rail"
transform = { translation = [0, 6, 0] }
[[entities]]
name = "trolley"
parent = "rail"
components.steered = { control = "slew", velocity = [4, 0, 0] }
[[expect]]
that = "trolley.position = (0, 6, 0) at 0.4 s"
[[expect]]
that = "trolley.transform.translation.x = 2 within 0.1 at 1 s"
[[expect]]
that = "trolley.position = (1, 6, 0) within 0.1"
[[expect]]
that = "distance(marker.position, trolley.position) = 2 within 0.001 from 0.1 s to 2 s"
"#)
    .assert_all_held();
}

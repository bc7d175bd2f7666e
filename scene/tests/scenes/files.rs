//! Scene files: what is read, and what happens when.

use crate::common::{faults_of, parse, runtime, shipped};
use gerust::prelude::*;
use gerust_scene::{Registry, Report, Scene, SceneRun};

fn run(text: &str) -> Report {
    let scene = parse(text).expect("the scene is fine");
    scene.run(runtime()).expect("no system fails")
}

#[test]
fn the_quay_holds_and_runs_alike_twice() {
    let path = shipped().join("quay.toml");
    let scene = Scene::load(path, &Registry::standard()).expect("it is shipped without fault");
    let places = || {
        let mut run = scene.start(runtime()).expect("it fits");
        assert!(run.runtime().world().len() >= 40);
        while run.run_frame().expect("no system fails") {}
        let report = run.report();
        assert!(report.all_held(), "{report}");
        assert!(report.missed().is_empty(), "{:?}", report.missed());
        let world = run.runtime().world();
        let rows = world.rows::<(Entity, &WorldTransform)>();
        let mut places: Vec<_> = rows
            .iter()
            .map(|(entity, placed)| (entity, placed.affine().to_cols_array().map(f32::to_bits)))
            .collect();
        places.sort_unstable();
        places
    };
    assert_eq!(places(), places());
}

#[test]
fn frames_and_times_mean_what_they_say() {
    let report = run(r#"
        title = "times"
        frames = 10
        step = 0.1
        [[cues]]
        frame = 3
        spawn = { name = "a" }
        [[cues]]
        time = 0.5
        spawn = { name = "b" }
        [[cues]]
        time = 0.55
        spawn = { name = "c" }
        [[expect]]
        frame = 0
        count = { is = 0 }
        [[expect]]
        frame = 2
        count = { is = 0 }
        [[expect]]
        frame = 3
        count = { is = 1 }
        [[expect]]
        time = 0.4
        count = { is = 1 }
        [[expect]]
        time = 0.5
        count = { is = 2 }
        [[expect]]
        frame = 6
        count = { is = 3 }
        [[expect]]
        by-time = 1.0
        count = { at-least = 3 }
    "#);
    assert!(report.all_held(), "{report}");
    assert_eq!(
        report.outcomes()[6].frame(),
        6,
        "decided as soon as it held"
    );
}

#[test]
fn an_entity_says_more_than_its_template_field_by_field() {
    let scene = parse(
        r#"
        title = "templates"
        frames = 1
        [layers]
        goods = []
        [templates.container]
        transform = { translation = [1, 2, 3], turn = { axis = [0, 2, 0], degrees = 90 } }
        collider = { size = [6, 2, 2], center = [0, 1, 0], layer = "goods" }
        body = { motion = "kinematic", velocity = [1, 0, 0] }
        components.velocity = [1, 0, 0]
        components.lifetime = 5
        [[entities]]
        name = "a"
        template = "container"
        transform = { scale = [2, 2, 2] }
        collider = { kind = "sensor" }
        components.lifetime = 7
        [[entities]]
        name = "b"
        template = "container"
        transform = { rotation = [0, 0, 0, 1] }
    "#,
    )
    .expect("the scene is fine");
    let run = scene.start(Runtime::new()).expect("it fits");
    let world = run.runtime().world();
    let a = world.find("a").expect("it is there");
    let transform = *world.get::<Transform>(a).expect("it has one");
    assert_eq!(transform.translation, Vec3::new(1.0, 2.0, 3.0));
    assert!((transform.rotation * Vec3::X).abs_diff_eq(-Vec3::Z, 1e-6));
    assert_eq!(transform.scale, Vec3::splat(2.0));
    let collider = world.get::<Collider>(a).expect("it has one");
    assert!(collider.is_sensor());
    assert_eq!(
        collider.own_box(),
        Aabb::from_center(Vec3::Y, Vec3::new(3.0, 1.0, 1.0))
    );
    let layers = world.global::<Layers>().expect("always there");
    assert_eq!(layers.name(collider.layer()), Some("goods"));
    assert_eq!(
        world.get::<Body>(a).expect("it has one").motion,
        Motion::Kinematic
    );
    assert_eq!(world.get::<Lifetime>(a).expect("it has one").0, 7.0);
    assert_eq!(world.get::<Velocity>(a).expect("it has one").0, Vec3::X);
    let b = world.find("b").expect("it is there");
    assert_eq!(
        world.get::<Transform>(b).expect("it has one").rotation,
        Quat::IDENTITY
    );
}

#[test]
fn a_set_cue_changes_what_it_names_and_nothing_else() {
    let scene = parse(
        r#"
        title = "set"
        frames = 2
        [[entities]]
        name = "barrier"
        transform = { translation = [1, 2, 3], scale = [2, 2, 2] }
        collider = { size = [1, 2, 3], center = [0, 1, 0], kind = "sensor" }
        [[cues]]
        frame = 2
        set = { entity = "barrier", transform = { translation = [4, 5, 6] }, collider = { on = false }, components.spin = [0, 1, 0] }
    "#,
    )
    .expect("the scene is fine");
    let mut run = scene.start(Runtime::new()).expect("it fits");
    while run.run_frame().expect("no system fails") {}
    let world = run.runtime().world();
    let barrier = world.find("barrier").expect("it is there");
    let transform = *world.get::<Transform>(barrier).expect("it has one");
    assert_eq!(
        transform,
        Transform::at(4.0, 5.0, 6.0).scaled(Vec3::splat(2.0))
    );
    let collider = world.get::<Collider>(barrier).expect("it has one");
    assert!(!collider.is_on() && collider.is_sensor());
    assert_eq!(
        collider.own_box(),
        Aabb::from_center(Vec3::Y, Vec3::new(0.5, 1.0, 1.5))
    );
    assert_eq!(world.get::<Spin>(barrier).expect("it has one").0, Vec3::Y);
}

#[test]
fn cues_that_come_too_late_are_reported() {
    let report = run(r#"
        title = "late"
        frames = 5
        [[entities]]
        name = "gull"
        [[entities]]
        name = "perch"
        parent = "gull"
        [[cues]]
        frame = 1
        despawn = "gull"
        [[cues]]
        frame = 2
        despawn = "perch"
        [[cues]]
        frame = 3
        spawn = { name = "chick", parent = "gull" }
        [[expect]]
        frame = 5
        count = { is = 0 }
        [[expect]]
        frame = 5
        touching = ["gull", "perch"]
    "#);
    assert_eq!(
        report.missed(),
        [
            "frame 2: despawn `perch`: there is no `perch` any more",
            "frame 3: spawn `chick`: there is no `gull` any more",
        ]
    );
    let failed = &report.outcomes()[1];
    assert!(report.outcomes()[0].held() && !failed.held());
    assert_eq!(failed.measured(), "there is no `gull`");
}

#[test]
fn a_parent_that_only_a_cue_spawns_is_a_fault() {
    let text = "title = 'x'\nframes = 5\n[[entities]]\nname = 'a'\nparent = 'late'\n[[cues]]\nframe = 2\nspawn = { name = 'late' }\n";
    assert_eq!(
        faults_of(&parse(text).expect_err("the scene is at fault")),
        ["5:10 `late` is not there from the start: a cue spawns it"]
    );
}

#[test]
fn a_set_cue_makes_no_collider_without_a_size() {
    let report = run(r#"
        title = "no collider"
        frames = 2
        [[entities]]
        name = "mast"
        [[cues]]
        frame = 1
        set = { entity = "mast", collider = { on = false } }
    "#);
    assert_eq!(
        report.missed(),
        ["frame 1: set `mast`: `mast` has no collider to change; give it a `size`"]
    );
}

#[test]
fn a_failed_expectation_says_why_two_boxes_did_not_touch() {
    let measured = |b: &str| -> String {
        let report = run(&format!(
            r#"
            title = "why"
            frames = 1
            [layers]
            truck = []
            gull = []
            [[entities]]
            name = "a"
            collider = {{ size = [2, 2, 2], layer = "truck" }}
            [[entities]]
            name = "b"
            {b}
            [[expect]]
            frame = 1
            touching = ["a", "b"]
        "#
        ));
        assert!(!report.all_held());
        report.outcomes()[0].measured().to_owned()
    };
    assert_eq!(measured(""), "`b` has no collider");
    assert_eq!(
        measured("collider = { size = [1, 1, 1], on = false }"),
        "the collider of `b` is off"
    );
    assert_eq!(
        measured("collider = { size = [1, 1, 1], layer = \"gull\" }"),
        "layer `truck` does not meet layer `gull`"
    );
    assert_eq!(
        measured("collider = { size = [1, 1, 1] }\ntransform = { translation = [0, 4, 1] }"),
        "there are 2.5000 m between them along y"
    );
}

#[test]
fn colliders_of_templates_are_overridden_by_kind_of_shape() {
    let text = r##"
title = "shapes"
frames = 3
dimensions = 2
iterations = 7
[templates.crane]
collider = { boxes = [{ size = [2, 2, 2] }, { size = [1, 1, 1], center = [3, 0, 0] }], upright = true, sets.folded = [{ size = [1, 2, 1] }] }
body = { motion = "kinematic", mass = 4, restitution = 0.25 }
[[entities]]
name = "as-it-is"
template = "crane"
[[entities]]
name = "folded"
template = "crane"
collider = { set = "folded" }
[[entities]]
name = "one-box"
template = "crane"
collider = { size = [4, 4, 4] }
body = { friction = 0.5 }
[[entities]]
name = "map"
template = "crane"
collider = { tiles = { tile = [1, 1, 1], rows = ["#.", ".#"], plane = "wall" } }
[[cues]]
frame = 2
set = { entity = "as-it-is", collider = { set = "folded" } }
[[cues]]
frame = 3
set = { entity = "one-box", collider = { set = "unfolded" } }
[[cues]]
frame = 3
set = { entity = "map", collider = { sets.folded = [] } }
[[cues]]
frame = 3
set = { entity = "folded", collider = { size = [9, 9, 9] } }
"##;
    let scene = Scene::parse(text, "shapes.toml", &Registry::standard()).expect("it is right");
    let mut run = scene.start(Runtime::new()).expect("it starts");
    let boxes = |run: &SceneRun, name: &str| {
        let world = run.runtime().world();
        let collider = world.get::<Collider>(world.find(name).expect("it is there"));
        let collider = collider.expect("it has one");
        (
            collider.boxes().len(),
            collider.current_set().to_owned(),
            collider.is_upright(),
        )
    };
    let default = || String::from("default");
    assert_eq!(boxes(&run, "as-it-is"), (2, default(), true));
    assert_eq!(boxes(&run, "folded"), (1, String::from("folded"), true));
    assert_eq!(boxes(&run, "one-box"), (1, default(), true));
    assert_eq!(boxes(&run, "map"), (0, default(), true));
    {
        let world = run.runtime().world();
        let body = world.get::<Body>(world.find("one-box").expect("it is there"));
        let body = body.expect("it has one");
        assert_eq!(
            (body.mass, body.restitution, body.friction),
            (4.0, 0.25, 0.5)
        );
        assert_eq!(
            *world.global::<Dimensions>().expect("always there"),
            Dimensions::Two
        );
        let solver = world
            .global::<gerust::collide::Solver>()
            .expect("always there");
        assert_eq!(solver.iterations, 7);
    }
    while run.run_frame().expect("nothing fails") {}
    assert_eq!(boxes(&run, "as-it-is"), (1, String::from("folded"), true));
    // Other boxes by default, and the set that counted before.
    assert_eq!(boxes(&run, "folded"), (1, String::from("folded"), true));
    {
        let world = run.runtime_mut().world_mut();
        let folded = world.find("folded").expect("it is there");
        let collider = world.get_mut::<Collider>(folded).expect("it has one");
        assert_eq!(collider.own_box().size(), Vec3::new(1.0, 2.0, 1.0));
        collider.switch_to("default").expect("it is always there");
        assert_eq!(collider.own_box().size(), Vec3::splat(9.0));
    }
    let report = run.report();
    let missed = report.missed();
    assert_eq!(missed.len(), 2, "{missed:?}");
    assert!(
        missed[0].contains("unknown box set `unfolded`"),
        "{missed:?}"
    );
    assert!(
        missed[1].contains("cannot have box sets besides"),
        "{missed:?}"
    );
}

#[test]
fn what_motion_could_not_part_is_in_the_report() {
    let text = r#"
title = "two in one place, and no pass to separate them"
frames = 5
iterations = 0
gravity = [0, 0, 0]
[templates.pallet]
collider = { size = [1, 1, 1] }
body = {}
[[entities]]
template = "pallet"
[[entities]]
template = "pallet"
transform = { translation = [0.75, 0, 0] }
"#;
    let scene = Scene::parse(text, "pallets.toml", &Registry::standard()).expect("it is right");
    let left = scene
        .run(Runtime::new())
        .expect("nothing fails")
        .leftovers();
    // Frame 0 counts: it is the state as loaded.
    assert_eq!(
        (left.frames, left.most, left.deepest, left.deepest_frame),
        (6, 1, 0.25, 0)
    );
}

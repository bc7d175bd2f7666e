//! Scenes that are read again while they run, and scenes as part of a program.

use crate::common;
use gerust::ErrorKind;
use gerust::collide::Solver;
use gerust::prelude::*;
use gerust::store::MostEntities;
use gerust_scene::{Registry, Scene, SceneRun};

fn parsed(text: &str) -> Scene {
    Scene::parse(text, "reload.toml", &Registry::standard())
        .unwrap_or_else(|error| panic!("{error}"))
}

fn started(text: &str) -> SceneRun {
    parsed(text).start(common::runtime()).expect("it fits")
}

fn id(run: &SceneRun, name: &str) -> Entity {
    let found = run.runtime().world().find(name);
    found.unwrap_or_else(|| panic!("there is no `{name}`"))
}

fn place(run: &SceneRun, name: &str) -> Vec3 {
    let transform = run.runtime().world().get::<Transform>(id(run, name));
    transform.expect("it has one").translation
}

fn step(run: &mut SceneRun, frames: usize) {
    for _ in 0..frames {
        assert!(run.run_frame().expect("nothing fails"));
    }
}

fn outcomes(run: &SceneRun) -> Vec<bool> {
    let report = run.report();
    report
        .outcomes()
        .iter()
        .map(|outcome| outcome.held())
        .collect()
}

const QUAY: &str = r#"
title = "a quay"
frames = 60

[templates.pallet]
collider = { size = [1, 1, 1] }
body = { motion = "dynamic", mass = 20 }
[[templates.pallet.children]]
name = "slat"
transform = { translation = [0, 0.6, 0] }

[[entities]]
name = "quay"
transform = { translation = [0, -0.5, 0] }
collider = { size = [40, 1, 40] }

[[entities]]
name = "crane"
transform = { translation = [9, 9, 0] }

[[entities]]
name = "hook"
parent = "crane"
transform = { translation = [0, -2, 0] }

[[entities]]
name = "first"
template = "pallet"
transform = { translation = [0, 3, 0] }

[[entities]]
name = "gull"
transform = { translation = [0, 20, 0] }
components.velocity = [6, 0, 0]

[[cues]]
frame = 2
spawn = { name = "visitor" }
"#;

#[test]
fn a_scene_that_did_not_change_runs_as_if_it_had_not_been_read_again() {
    let frames_at_most = if cfg!(feature = "stress") { 2_000 } else { 400 };
    let mut tried = 0;
    for path in std::fs::read_dir(common::shipped()).expect("it is there") {
        let path = path.expect("it can be read").path();
        let read = || Scene::load(&path, &Registry::standard()).expect("it has no fault");
        if !path.is_file() || read().frames() > frames_at_most {
            continue;
        }
        tried += 1;
        let name = path.display();
        let mut plain = read().start(common::runtime()).expect("it fits");
        let mut reloaded = read().start(common::runtime()).expect("it fits");
        let half = read().frames() / 2;
        while reloaded.run_frame().expect("nothing fails") {
            if reloaded.frame() == half {
                let done = reloaded.reload(&read()).expect("it fits");
                assert_eq!((done.changed, done.spawned, done.despawned), (0, 0, 0));
            }
        }
        while plain.run_frame().expect("nothing fails") {}
        let digest = |run: &SceneRun| run.runtime().world().digest().expect("all can be written");
        assert_eq!(digest(&reloaded), digest(&plain), "{name}");
        assert_eq!(outcomes(&reloaded), outcomes(&plain), "{name}");
    }
    assert!(tried > 5, "{tried}");
}

#[test]
fn only_what_differs_is_written() {
    let mut run = started(QUAY);
    step(&mut run, 10);
    let (first, slat, gull) = (
        id(&run, "first"),
        id(&run, "first/slat"),
        place(&run, "gull"),
    );
    let fallen = place(&run, "first");
    assert!(fallen.y < 2.9);
    let velocity = |run: &SceneRun| run.runtime().world().get::<Body>(first).unwrap().velocity;
    let falling = velocity(&run);

    let changed = QUAY
        .replace("mass = 20", "mass = 35")
        .replace("[0, 0.6, 0]", "[0, 0.7, 0]")
        .replace(
            "components.velocity = [6, 0, 0]\n",
            "collider = { size = [1, 1, 2] }\n",
        );
    let done = run.reload(&parsed(&changed)).expect("it fits");
    assert_eq!((done.unchanged, done.changed), (3, 3));
    assert_eq!(
        (done.spawned, done.despawned, done.left_out.len()),
        (0, 0, 0)
    );

    assert_eq!((id(&run, "first"), id(&run, "first/slat")), (first, slat));
    assert_eq!((place(&run, "first"), velocity(&run)), (fallen, falling));
    let world = run.runtime().world();
    assert_eq!(world.get::<Body>(first).unwrap().mass, 35.0);
    assert_eq!(world.get::<Transform>(slat).unwrap().translation.y, 0.7);
    let gone = id(&run, "gull");
    assert!(!world.has::<Velocity>(gone));
    assert_eq!(
        world.get::<Collider>(gone).unwrap().default_box().size().z,
        2.0
    );
    step(&mut run, 1);
    assert_eq!(place(&run, "gull"), gull, "it has no velocity any more");
    // An entity that an action spawned stays.
    id(&run, "visitor");
}

#[test]
fn parts_that_a_scene_gains_and_loses_come_and_go() {
    let mut run = started(QUAY);
    step(&mut run, 1);
    let without_body = QUAY
        .replace("collider = { size = [1, 1, 1] }\n", "")
        .replace("body = { motion = \"dynamic\", mass = 20 }\n", "");
    run.reload(&parsed(&without_body)).expect("it fits");
    let first = id(&run, "first");
    assert!(!run.runtime().world().has::<Body>(first));
    assert!(!run.runtime().world().has::<Collider>(first));
    run.reload(&parsed(QUAY)).expect("it fits");
    assert_eq!(run.runtime().world().get::<Body>(first).unwrap().mass, 20.0);
    assert!(run.runtime().world().has::<Collider>(first));

    let without_template = QUAY.replace("template = \"pallet\"\n", "");
    let done = run.reload(&parsed(&without_template)).expect("it fits");
    assert_eq!((done.changed, done.despawned), (1, 1), "the slat is gone");
    assert_eq!(id(&run, "first"), first);
    assert!(run.runtime().world().find("first/slat").is_none());
    let done = run.reload(&parsed(QUAY)).expect("it fits");
    assert_eq!((done.changed, done.spawned), (1, 1));
    let slat = id(&run, "first/slat");
    assert_eq!(run.runtime().world().parent(slat), Some(first));
}

#[test]
fn links_change_where_the_scene_says_so() {
    let mut run = started(QUAY);
    step(&mut run, 1);
    let (hook, gull) = (id(&run, "hook"), id(&run, "gull"));
    // The program hangs the gull under the hook: the scene says nothing about it.
    run.runtime_mut().world_mut().link(gull, hook).unwrap();
    let elsewhere = QUAY.replace("parent = \"crane\"", "parent = \"first\"");
    let done = run.reload(&parsed(&elsewhere)).expect("it fits");
    assert_eq!((done.changed, done.spawned, done.despawned), (0, 0, 0));
    let world = run.runtime().world();
    assert_eq!(world.parent(hook), Some(id(&run, "first")));
    assert_eq!(world.parent(gull), Some(hook));

    // Its parent goes: what the scene keeps and what the program made stay, where they are.
    let before = run
        .runtime()
        .world()
        .get::<WorldTransform>(gull)
        .unwrap()
        .translation();
    let without_hook = elsewhere.replace(
        "name = \"hook\"\nparent = \"first\"\ntransform = { translation = [0, -2, 0] }",
        "name = \"buoy\"",
    );
    let done = run.reload(&parsed(&without_hook)).expect("it fits");
    assert_eq!((done.spawned, done.despawned), (1, 1));
    assert_eq!(run.runtime().world().parent(gull), None);
    let after = run
        .runtime()
        .world()
        .get::<WorldTransform>(gull)
        .unwrap()
        .translation();
    assert!((after - before).length() < 1e-5, "{before} {after}");

    let done = run.reload(&parsed(QUAY)).expect("it fits");
    assert_eq!(
        (done.spawned, done.despawned),
        (1, 1),
        "the hook and the buoy"
    );
    let root = QUAY.replace("parent = \"crane\"\n", "");
    run.reload(&parsed(&root)).expect("it fits");
    assert_eq!(run.runtime().world().parent(id(&run, "hook")), None);
}

#[test]
fn what_was_despawned_stays_away_and_takes_new_children_with_it() {
    let mut run = started(QUAY);
    step(&mut run, 1);
    let crane = id(&run, "crane");
    run.runtime_mut().world_mut().despawn(crane).unwrap();
    let more = format!(
        "{}\n[[entities]]\nname = 'lamp'\nparent = 'crane'\n",
        QUAY.replace("[9, 9, 0]", "[8, 9, 0]")
    );
    let done = run.reload(&parsed(&more)).expect("it fits");
    assert_eq!((done.spawned, done.despawned), (0, 0));
    assert_eq!(
        done.left_out,
        ["`lamp`: its parent `crane` was despawned while the scene ran"]
    );
    for name in ["crane", "hook", "lamp"] {
        assert!(run.runtime().world().find(name).is_none(), "{name}");
    }
    // Below a copy of a template as well.
    let first = id(&run, "first");
    run.runtime_mut().world_mut().despawn(first).unwrap();
    let more = more.replace("name = \"slat\"", "name = \"board\"");
    let done = run.reload(&parsed(&more)).expect("it fits");
    assert_eq!(
        done.left_out,
        ["`first/board`: what it is part of was despawned while the scene ran"]
    );
}

#[test]
fn entities_without_a_name_are_known_by_their_place() {
    let row = |places: &[i32]| {
        let entities = places.iter().map(|x| {
            format!(
                "[[entities]]\ntransform = {{ translation = [{x}, 0, 0] }}\ncomponents.lifetime = 9\n"
            )
        });
        format!(
            "title = 'a row'\nframes = 9\n{}",
            entities.collect::<String>()
        )
    };
    let mut run = started(&row(&[0, 1, 2, 3]));
    let at = |run: &SceneRun| {
        let rows = run.runtime().world().rows::<(Entity, &Transform)>();
        let mut all: Vec<(i32, Entity)> = rows
            .iter()
            .map(|(entity, transform)| (transform.translation.x as i32, entity))
            .collect();
        all.sort_unstable_by_key(|(x, _)| *x);
        all
    };
    let before = at(&run);
    let done = run.reload(&parsed(&row(&[0, 1, 3]))).expect("it fits");
    assert_eq!((done.unchanged, done.despawned), (3, 1));
    assert_eq!(at(&run), [before[0], before[1], before[3]]);
    // One that is moved is the one that is left.
    let done = run.reload(&parsed(&row(&[7, 0, 3]))).expect("it fits");
    assert_eq!((done.unchanged, done.changed), (2, 1));
    assert_eq!(at(&run), [before[0], before[3], (7, before[1].1)]);
}

#[test]
fn rules_and_expectations_keep_what_they_know() {
    let scene = |more: &str| {
        let rule = "when = \"quay.position.x = 0\"\nonce = true\ndo = [{ spawn = { template = \"pallet\" } }]";
        format!(
            "{QUAY}[[rules]]\n{rule}\n[[expect]]\nthat = \"count of pallet = 2 at 0.1 s\"\n{more}"
        )
    };
    let mut run = started(&scene(""));
    step(&mut run, 7);
    let more = "[[expect]]\nthat = \"1 = 2 at 0.05 s\"\n[[expect]]\nthat = \"count of pallet = 2 at 0.5 s\"\n";
    run.reload(&parsed(&scene(more))).expect("it fits");
    while run.run_frame().expect("nothing fails") {}
    // The first is decided, the second began before, and the rule has acted once.
    assert_eq!(outcomes(&run), [true, true], "{}", run.report());
}

#[test]
fn settings_change_where_the_scene_says_so() {
    let mut run = started(&format!(
        "gravity = [0, -2, 0]\niterations = 9\nmargin = 0.01\nseed = 3\n{QUAY}"
    ));
    let gravity = |run: &SceneRun| run.runtime().world().find_global::<Gravity>().unwrap().0.y;
    let margin = |run: &SceneRun| {
        run.runtime()
            .world()
            .find_global::<Contacts>()
            .unwrap()
            .margin()
    };
    assert_eq!((gravity(&run), margin(&run)), (-2.0, 0.01));
    // What the program made of a setting that does not change is kept.
    run.runtime_mut()
        .world_mut()
        .set_global(Gravity(Vec3::Y * -7.0));
    run.reload(&parsed(&format!(
        "gravity = [0, -2, 0]\niterations = 3\nseed = 3\n{QUAY}"
    )))
    .expect("it fits");
    assert_eq!(gravity(&run), -7.0);
    assert_eq!(margin(&run), Contacts::default().margin());
    let iterations = run
        .runtime()
        .world()
        .find_global::<Solver>()
        .unwrap()
        .iterations;
    assert_eq!(iterations, 3);
    run.reload(&parsed(QUAY)).expect("it fits");
    assert_eq!(gravity(&run), Gravity::default().0.y);

    let layered = |meets: &str| {
        format!("layers = {{ cargo = [{meets}] }}\n{QUAY}").replace(
            "collider = { size = [1, 1, 1] }",
            "collider = { size = [1, 1, 1], layer = \"cargo\" }",
        )
    };
    let mut run = started(&layered("\"cargo\""));
    let meets = |run: &SceneRun| {
        let layers = run.runtime().world().find_global::<Layers>().unwrap();
        let cargo = layers.find("cargo").unwrap();
        layers.do_meet(cargo, cargo)
    };
    assert!(meets(&run));
    run.reload(&parsed(&layered("\"default\"")))
        .expect("it fits");
    assert!(!meets(&run));
}

#[test]
fn a_reading_that_does_not_fit_changes_nothing() {
    let mut run = started(QUAY);
    step(&mut run, 3);
    let before = run.runtime().world().digest().unwrap();
    let unknown =
        format!("budgets-ms = {{ \"no such system\" = 3 }}\n{QUAY}\n[[entities]]\nname = 'new'\n");
    let error = run.reload(&parsed(&unknown)).unwrap_err();
    assert!(error.to_string().contains("no such system"), "{error}");
    run.runtime_mut().world_mut().set_global(MostEntities(7));
    let many = format!("gravity = [0, -1, 0]\n{QUAY}\n[[entities]]\nname = 'new'\n");
    let error = run.reload(&parsed(&many)).unwrap_err();
    assert_eq!(error.kind(), ErrorKind::LimitExceeded, "{error}");
    assert_eq!(run.runtime().world().digest().unwrap(), before);
    assert!(
        run.runtime()
            .world()
            .find_global::<Gravity>()
            .is_none_or(|gravity| gravity.0.y < -9.0)
    );
    step(&mut run, 1);
}

#[test]
fn templates_make_what_the_new_reading_says() {
    let spawning = QUAY.replace("frame = 2\n", "frame = 20\n").replace(
        "spawn = { name = \"visitor\" }",
        "spawn = { name = \"visitor\", template = \"pallet\" }",
    );
    let mut run = started(&spawning);
    step(&mut run, 10);
    let heavier = spawning.replace("mass = 20", "mass = 35");
    run.reload(&parsed(&heavier)).expect("it fits");
    step(&mut run, 10);
    let visitor = id(&run, "visitor");
    assert_eq!(
        run.runtime().world().get::<Body>(visitor).unwrap().mass,
        35.0
    );
    let templates = |run: &SceneRun| {
        let templates = run.runtime().world().find_global::<Templates>().unwrap();
        templates.get("pallet").is_ok()
    };
    assert!(templates(&run));
    run.reload(&parsed("title = 'empty'\nframes = 60\n"))
        .expect("it fits");
    assert!(!templates(&run));
    assert_eq!(
        run.runtime().world().len(),
        2,
        "what the cue spawned, with its slat"
    );
}

#[test]
fn a_stopped_scene_continues_with_another_reading() {
    let stopping =
        format!("{QUAY}\n[[cues]]\nframe = 5\ndo = [{{ stop = {{ verdict = \"failed\" }} }}]\n");
    let mut run = started(&stopping);
    while run.run_frame().expect("nothing fails") {}
    assert!(run.is_over() && run.frame() < 6);
    run.reload(&parsed(QUAY)).expect("it fits");
    assert!(!run.is_over());
    while run.run_frame().expect("nothing fails") {}
    assert_eq!(run.frame(), 60);
}

#[test]
fn a_run_outlives_its_scene_and_moves_to_another_thread() {
    let mut run = {
        let scene = parsed(QUAY);
        scene.start(common::runtime()).expect("it fits")
    };
    let run = std::thread::spawn(move || {
        run.advance(std::time::Duration::from_millis(50))
            .expect("nothing fails");
        run
    });
    let run = run.join().expect("it does not panic");
    assert_eq!((run.frame(), run.scene().title()), (3, "a quay"));
    let mut runtime = run.into_runtime();
    runtime.run_frames(97).expect("nothing fails");
    let clock = runtime.world().global::<gerust::schedule::Clock>().unwrap();
    assert_eq!(clock.frame(), 100, "no scene ends it");
}

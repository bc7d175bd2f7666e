//! Scenes that would take all memory or never end: each exceeds a limit, and the error names it.

use crate::common::runtime;
use gerust::prelude::*;
use gerust_scene::{Limit, Registry, Scene, SceneError};
use std::fmt::Write as _;
use std::fs;

fn parse(text: &str, limits: &[(Limit, u64)]) -> Result<Scene, SceneError> {
    let mut registry = Registry::standard();
    for &(limit, value) in limits {
        registry.set_limit(limit, value);
    }
    Scene::parse(text, "t.toml", &registry)
}

fn fault_of(text: &str, limits: &[(Limit, u64)]) -> String {
    let error = parse(text, limits).expect_err("it exceeds a limit");
    assert_eq!(error.faults().len(), 1, "{error}");
    assert!(error.faults()[0].fix().contains("--limit"), "{error}");
    error.faults()[0].message().to_owned()
}

/// Template 0 is one entity; each further one has a number of children from the one before.
fn nested(templates: usize, children: usize) -> String {
    let mut text = String::from("title = 't'\nframes = 1\n[templates.t0]\n");
    for number in 1..templates {
        let _ = writeln!(text, "[templates.t{number}]");
        for child in 0..children {
            let before = number - 1;
            let _ = writeln!(
                text,
                "[[templates.t{number}.children]]\nname = 'c{child}'\ntemplate = 't{before}'"
            );
        }
    }
    let last = templates - 1;
    let _ = writeln!(text, "[[entities]]\nname = 'e'\ntemplate = 't{last}'");
    text
}

#[test]
fn templates_that_multiply_are_counted_before_they_are_made() {
    // 10^39 entities.
    let message = fault_of(&nested(40, 10), &[]);
    assert!(
        message.ends_with("exceeds the limit of 1000000 entities"),
        "{message}"
    );
    // 1 + 1 + 2 + 1 + 6 of templates, and 7 of the entity.
    let small = nested(3, 2);
    assert!(parse(&small, &[(Limit::Entities, 24)]).is_ok());
    let message = fault_of(&small, &[(Limit::Entities, 10)]);
    assert!(message.contains("limit of 10 entities"), "{message}");
}

#[test]
fn a_long_chain_of_templates_does_not_use_the_stack() {
    let message = fault_of(&nested(20_000, 1), &[]);
    assert!(message.contains("limit of 1000000 entities"), "{message}");
    // A thread with a small stack plans and spawns a chain that is within the limit.
    let text = nested(1_000, 1);
    let thread = std::thread::Builder::new().stack_size(512 << 10);
    let run = thread.spawn(move || {
        let scene = parse(&text, &[]).expect("it is within the limit");
        let run = scene.start(Runtime::new()).expect("it starts");
        run.runtime().world().len()
    });
    assert_eq!(run.expect("it starts").join().expect("it ends"), 1_000);
}

#[test]
fn a_limit_is_one_fault_even_where_children_are_overridden() {
    let text = nested(40, 10) + "overrides.c0.body.mass = 3\n";
    let message = fault_of(&text, &[]);
    assert!(message.contains("limit of 1000000 entities"), "{message}");
}

#[test]
fn a_circle_of_many_templates_is_shown_in_short() {
    let mut text = String::from("title = 't'\nframes = 1\n");
    for number in 0..1_000 {
        let next = (number + 1) % 1_000;
        let _ = writeln!(
            text,
            "[templates.t{number}]\n[[templates.t{number}.children]]\ntemplate = 't{next}'"
        );
    }
    let error = parse(&text, &[]).expect_err("it is a circle");
    let message = error.faults()[0].message();
    assert!(
        message.contains("t0 → t1 → t2 → t3 → … 993 more … → "),
        "{message}"
    );
    assert!(message.ends_with(" → t0"), "{message}");
}

#[test]
fn arrangements_are_counted_before_they_are_made() {
    for arrange in [
        "row = 18446744073709551615, step = [1, 0, 0]",
        "grid = [4294967296, 4294967296, 4294967296], step = [1, 1, 1]",
        "random = 2000000, within = [1, 1, 1]",
    ] {
        let text = format!("title = 't'\nframes = 1\n[[entities]]\narrange = {{ {arrange} }}\n");
        // TOML has no number as large as the first one.
        if parse(&text, &[]).is_err_and(|error| error.to_string().contains("TOML")) {
            continue;
        }
        let error = parse(&text, &[]).expect_err(arrange).to_string();
        assert!(
            error.contains("limit") || error.contains("wanted"),
            "{error}"
        );
    }
    // In a room much larger than the spacing, looking for neighbors must not take longer with every place.
    let text = "title = 't'\nframes = 1\n[[entities]]\narrange = { random = 50000, within = [1e6, 1e6, 1e6], spacing = 1e-30 }\n";
    assert!(parse(text, &[]).is_ok());
}

#[test]
fn frames_and_iterations_have_limits_that_a_scene_can_raise() {
    let message = fault_of("title = 't'\nframes = 1_000_000_000\n", &[]);
    assert_eq!(
        message,
        "a scene of 1000000000 frames exceeds the limit of 10000000 frames"
    );
    let raised = "title = 't'\nframes = 1_000_000_000\nlimits.frames = 1_000_000_000\n";
    assert!(parse(raised, &[]).is_ok());
    // The program has the last word.
    let message = fault_of(raised, &[(Limit::Frames, 99)]);
    assert!(message.ends_with("limit of 99 frames"), "{message}");

    let message = fault_of("title = 't'\nframes = 1\niterations = 10_000_000\n", &[]);
    assert!(message.ends_with("limit of 1000 iterations"), "{message}");
    // Limits are keys like all others.
    let computed = "title = 't'\nframes = 1\niterations = 3000\nparameters.n = 1000\nlimits.iterations = '= 3 * n'\n";
    assert!(parse(computed, &[]).is_ok());
    let error = parse("title = 't'\nframes = 1\nlimits.frame = 3\n", &[]).expect_err("a typo");
    assert!(
        error.to_string().contains("did you mean `frames`?"),
        "{error}"
    );
}

#[test]
fn files_and_their_bytes_are_counted_over_includes_and_loads() -> std::io::Result<()> {
    let folder = tempfile::tempdir()?;
    let at = |name: &str| folder.path().join(name);
    let padding = "#".repeat(1_000);
    for number in 0..6 {
        let text = format!("title = 'part'\nframes = 1\n{padding}\n[templates.part{number}]\n");
        fs::write(at(&format!("{number}.toml")), text)?;
    }
    let main = "title = 't'\nframes = 1\ninclude = ['0.toml', '1.toml', '2.toml']\n[[cues]]\nframe = 1\ndo = [{ load = '3.toml' }, { load = '4.toml' }]\n";
    fs::write(at("main.toml"), main)?;
    let load = |limits: &[(Limit, u64)]| {
        let mut registry = Registry::standard();
        for &(limit, value) in limits {
            registry.set_limit(limit, value);
        }
        Scene::load(at("main.toml"), &registry)
    };
    assert!(load(&[(Limit::Files, 6)]).is_ok());
    // A limit that is hit by an include is a fault of the include, one that is hit by a load a fault of the load.
    for (files, place) in [(3, (3, 32)), (5, (6, 37))] {
        let error = load(&[(Limit::Files, files)]).expect_err("one is too many");
        let fault = &error.faults()[0];
        assert_eq!((fault.line(), fault.column()), place, "{error}");
        assert!(
            error
                .to_string()
                .contains(&format!("limit of {files} files")),
            "{error}"
        );
    }
    let error = load(&[(Limit::Bytes, 3_000)]).expect_err("these are too many bytes");
    assert!(error.to_string().contains("limit of 3000 bytes"), "{error}");
    // The scene itself may be too large already.
    let error = load(&[(Limit::Bytes, 10)]).expect_err("these are too many bytes");
    assert!(error.to_string().contains("main.toml, with"), "{error}");

    // A scene that is loaded may load others, but not itself.
    let text = "title = 't'\nframes = 1\n[[cues]]\nframe = 1\ndo = [{ load = 'NEXT' }]\n";
    fs::write(at("a.toml"), text.replace("NEXT", "b.toml"))?;
    fs::write(at("b.toml"), text.replace("NEXT", "a.toml"))?;
    let error = Scene::load(at("a.toml"), &Registry::standard()).expect_err("a circle");
    assert!(error.to_string().contains("loads itself"), "{error}");
    // A chain is read by nested calls, and so bounded.
    for number in 0..40 {
        let next = format!("chain{}.toml", number + 1);
        fs::write(
            at(&format!("chain{number}.toml")),
            text.replace("NEXT", &next),
        )?;
    }
    fs::write(at("chain40.toml"), "title = 't'\nframes = 1\n")?;
    assert!(Scene::load(at("chain30.toml"), &Registry::standard()).is_ok());
    let error = Scene::load(at("chain0.toml"), &Registry::standard()).expect_err("it is too deep");
    assert!(error.to_string().contains("more than 16 files"), "{error}");
    Ok(())
}

#[test]
fn places_in_included_files_are_those_of_the_file() -> std::io::Result<()> {
    let folder = tempfile::tempdir()?;
    let at = |name: &str| folder.path().join(name);
    fs::write(
        at("parts.toml"),
        "# ü\n[templates.mast]\nbody = { mas = 3 }\n",
    )?;
    fs::write(at("broken.toml"), "x = \n")?;
    fs::write(
        at("main.toml"),
        "title = 't'\nframes = 1\ninclude = ['parts.toml']\n",
    )?;
    let error = Scene::load(at("main.toml"), &Registry::standard()).expect_err("a typo");
    let fault = &error.faults()[0];
    assert_eq!((fault.line(), fault.column()), (3, 10), "{error}");
    assert_eq!(&error.text_of(fault)[fault.span()], "mas");
    fs::write(
        at("main.toml"),
        "title = 't'\nframes = 1\ninclude = ['broken.toml']\n",
    )?;
    let error = Scene::load(at("main.toml"), &Registry::standard()).expect_err("no TOML");
    let fault = &error.faults()[0];
    assert!(fault.path().ends_with("broken.toml"), "{error}");
    assert_eq!(fault.line(), 1, "{error}");
    Ok(())
}

fn run(text: &str) -> Result<(), String> {
    let scene = parse(text, &[]).map_err(|error| error.to_string())?;
    scene
        .run(runtime())
        .map(drop)
        .map_err(|error| error.to_string())
}

#[test]
fn what_multiplies_while_the_scene_runs_ends_it_with_an_error() {
    let spawner = "title = 't'\nframes = 5\nlimits.entities = 1000\n[templates.pallet]\n[[entities]]\ncomponents.spawner = { template = 'pallet', per-second = 3e38 }\n";
    let error = run(spawner).expect_err("these are too many");
    assert!(error.contains("exceeds the limit of 1000"), "{error}");

    // Each copy consists of 301 entities: the limit is noticed between them.
    let large = "title = 't'\nframes = 5\nlimits.entities = 1000\n[templates.pallet]\n[[templates.pallet.children]]\narrange = { row = 300, step = [1, 0, 0] }\n[[entities]]\ncomponents.spawner = { template = 'pallet', per-second = 1e6 }\n";
    let error = run(large).expect_err("these are too many");
    assert!(error.starts_with("there are 1205 entities"), "{error}");

    // 400 boxes at one place are 79,800 pairs.
    for (extra, frames) in [("", 1), ("\nbody = { motion = 'dynamic' }", 1)] {
        let pile = format!(
            "title = 't'\nframes = {frames}\nlimits.pairs = 70000\n[[entities]]\narrange = {{ row = 400, step = [0, 0, 0] }}\ncollider.size = [1, 1, 1]{extra}\n"
        );
        let error = run(&pile).expect_err("these are too many");
        assert!(error.contains("more than 70000 pairs"), "{error}");
        assert_eq!(run(&pile.replace("70000", "100000")), Ok(()));
    }
    // Bodies that come into being at one place meet before contacts are found.
    let shower = "title = 't'\nframes = 3\nlimits.pairs = 70000\n[templates.crate]\ncollider.size = [1, 1, 1]\nbody = { motion = 'dynamic' }\n[[entities]]\ncomponents.spawner = { template = 'crate', per-second = 24000 }\n";
    let error = run(shower).expect_err("these are too many");
    assert!(error.contains("more than 70000 pairs"), "{error}");
}

#[test]
fn after_a_frame_with_too_many_pairs_the_world_can_be_used() -> Result<(), gerust::Error> {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    world.global_mut::<Contacts>()?.set_most_pairs(100);
    let cube = Collider::sensor(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    let pair: Vec<Entity> = (0..2_u8)
        .map(|number| {
            world.spawn((
                Transform::at(f32::from(number) * 2.0, 50.0, 0.0),
                cube.clone(),
            ))
        })
        .collect();
    runtime.run_frames(1)?;
    let crowd: Vec<Entity> = (0..30)
        .map(|_| {
            runtime
                .world_mut()
                .spawn((Transform::default(), cube.clone()))
        })
        .collect();
    assert!(runtime.run_frames(1).is_err());
    // The limit is one of all contacts, not of those that are new: 1 + 91 fit, one more body does not.
    for entity in crowd.iter().skip(14) {
        runtime.world_mut().despawn(*entity)?;
    }
    runtime.run_frames(2)?;
    let late = runtime
        .world_mut()
        .spawn((Transform::default(), cube.clone()));
    assert!(runtime.run_frames(1).is_err());
    runtime.world_mut().despawn(late)?;
    runtime.run_frames(1)?;
    for entity in crowd.into_iter().take(14).skip(5) {
        runtime.world_mut().despawn(entity)?;
    }
    runtime.run_frames(1)?;
    let contacts = runtime.world().global::<Contacts>()?;
    assert!(contacts.between(pair[0], pair[1]).is_some());
    assert_eq!(contacts.iter().len(), 1 + 10);
    Ok(())
}

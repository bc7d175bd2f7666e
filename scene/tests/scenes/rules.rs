//! Cues that repeat, rules, and all that they can do.

use crate::common::runtime;
use gerust::prelude::*;
use gerust_scene::{Registry, Report, Scene, SceneError};
use serde::{Deserialize, Serialize};

#[derive(Clone, Serialize, Deserialize)]
struct Dents {
    left: f32,
    knocks: u32,
}

fn registry() -> Registry {
    let mut registry = Registry::standard();
    registry.register::<Dents>("dents");
    registry
}

/// A ground, and a crate that falls onto it from 5 m and lands at about frame 57.
const YARD: &str = r#"
title = "rules"
frames = 120

[layers]
goods = ["goods"]

[templates.pallet]
collider = { size = [1, 1, 1], layer = "goods" }
body = {}

[[entities]]
name = "ground"
transform = { translation = [0, -0.5, 0] }
collider = { size = [90, 1, 90] }

[[entities]]
name = "crate"
transform = { translation = [0, 5, 0] }
collider = { size = [1, 1, 1] }
body = { mass = 2 }
components.dents = { left = 1.0, knocks = 0 }
"#;

fn parse(more: &str) -> Result<Scene, SceneError> {
    Scene::parse(&format!("{YARD}{more}"), "yard.toml", &registry())
}

/// The report, and the world at the end.
fn run<R>(more: &str, look: impl FnOnce(&World, &Report) -> R) -> R {
    let scene = parse(more).unwrap_or_else(|error| panic!("{more}\n{error}"));
    let mut run = scene.start(runtime()).expect("it fits");
    while run.run_frame().expect("nothing fails") {}
    look(run.runtime().world(), &run.report())
}

/// As [`run`], with nothing missed.
fn done<R>(more: &str, look: impl FnOnce(&World) -> R) -> R {
    run(more, |world, report| {
        assert!(report.missed().is_empty(), "{:?}", report.missed());
        look(world)
    })
}

fn count(world: &World, template: &str) -> usize {
    let rows = world.rows::<&gerust::MadeFrom>();
    rows.iter()
        .filter(|made| made.template() == template)
        .count()
}

fn place(world: &World, name: &str) -> Vec3 {
    let entity = world
        .find(name)
        .unwrap_or_else(|| panic!("{name} is missing"));
    world
        .get::<WorldTransform>(entity)
        .expect("it is placed")
        .translation()
}

#[test]
fn cues_repeat_within_their_bounds() {
    let pallets = |times: &str| {
        let spawn =
            "spawn = { template = 'pallet', arrange = { random = 1, within = [80, 9, 80] } }";
        done(&format!("[[cues]]\n{times}\n{spawn}\n"), |world| {
            count(world, "pallet")
        })
    };
    assert_eq!(pallets("every-frames = 10"), 12);
    assert_eq!(pallets("every = 0.5"), 4);
    assert_eq!(pallets("every = 0.5\nfrom = 1.0\nto = 1.5"), 2);
    assert_eq!(pallets("every-frames = 1\nto = 0.5"), 30);
}

#[test]
fn a_rule_acts_when_its_condition_comes_to_hold() {
    let spawned = |rule: &str| {
        let more = format!(
            "[[cues]]\nevery-frames = 40\ndo = [{{ set = {{ entity = 'crate', transform = {{ translation = [0, 5, 0] }}, body = {{ velocity = [0, 0, 0] }} }} }}]\n\
             [[rules]]\n{rule}\ndo = [{{ spawn = {{ template = 'pallet', transform = {{ translation = [20, 1, 0] }} }} }}]\n"
        );
        run(&more, |world, _| count(world, "pallet"))
    };
    // Put back up at frames 1, 41 and 81, it comes below 4 m three times.
    assert_eq!(spawned("when = 'crate.position.y < 4'"), 3);
    assert_eq!(spawned("when = 'crate.position.y < 4'\nonce = true"), 1);
    let each = spawned("when = 'crate.position.y < 4'\neach-frame = true");
    assert!((30..90).contains(&each), "{each}");
    assert_eq!(spawned("when = 'crate.position.y < -4'"), 0);
    // It holds from the start: that counts as coming to hold.
    assert_eq!(spawned("when = 'count of pallet = 0'"), 1);
}

#[test]
fn contacts_bring_about_actions_on_it_and_the_other() {
    let more = r#"
[[cues]]
frame = 1
spawn = { name = "pallet", template = "pallet", transform = { translation = [0, 1, 9] }, arrange = { row = 3, step = [5, 4, 0] } }

[[rules]]
contact = ["pallet", "ground"]
do = [{ despawn = "it" }]

[[rules]]
contact = ["default", "crate"]
do = [
    { change = { field = "other.dents.knocks", to = "other.dents.knocks + 1" } },
    { change = { field = "other.dents.left", to = "other.dents.left / 2" } },
    { link = { entity = "other", under = "it" } },
    { change = { field = "other.body.velocity.x", to = "3" } },
]
"#;
    done(more, |world| {
        assert_eq!(count(world, "pallet"), 0);
        let crate_ = world.find("crate").expect("it is there");
        let wear = world.get::<Dents>(crate_).expect("it has some");
        assert_eq!((wear.knocks, wear.left), (1, 0.5));
        assert_eq!(world.parent(crate_), world.find("ground"));
        assert!(place(world, "crate").x > 1.0);
    });
    // Layers: pallets meet pallets.
    let more = r#"
[[entities]]
name = "p"
template = "pallet"
transform = { translation = [0, 0.5, 0] }
arrange = { row = 2, step = [0, 3, 0] }

[[rules]]
contact = ["goods", "goods"]
once = true
do = [{ spawn = { name = "mark" } }]
"#;
    done(more, |world| assert!(world.find("mark").is_some()));
}

#[test]
fn actions_do_what_they_say() {
    let after = |actions: &str, look: &dyn Fn(&World)| {
        done(
            &format!("[[cues]]\nframe = 90\ndo = [{actions}]\n"),
            |world| look(world),
        );
    };
    after(
        "{ push = { entity = 'crate', impulse = [4, 0, 0] } }",
        &|world| {
            // An impulse of 4 kg·m/s moves 2 kg at 2 m/s, without friction, for 31 frames.
            assert!(
                (place(world, "crate").x - 2.0 * 31.0 / 60.0).abs() < 0.05,
                "{}",
                place(world, "crate")
            );
        },
    );
    after(
        "{ push = { away-from = [-1, 0.5, 0], radius = 4, strength = 8 } }",
        &|world| {
            assert!(place(world, "crate").x > 1.0);
        },
    );
    after(
        "{ push = { away-from = [-9, 0.5, 0], radius = 4, strength = 8 } }",
        &|world| {
            assert!(place(world, "crate").x.abs() < 1e-6);
        },
    );
    after(
        "{ detach = { entity = 'crate', component = 'dents' } }",
        &|world| {
            assert!(!world.has::<Dents>(world.find("crate").expect("it is there")));
        },
    );
    after(
        "{ spawn = { name = 'lamp', parent = 'crate', transform = { translation = [0, 2, 0] } } }, { unlink = 'lamp' }",
        &|world| {
            let lamp = world.find("lamp").expect("it is there");
            assert_eq!(world.parent(lamp), None);
            // Its world placement was not worked out yet when it was unlinked: it is that of the parent all the same.
            assert!(
                (place(world, "lamp").y - 2.5).abs() < 0.01,
                "{}",
                place(world, "lamp")
            );
        },
    );
    after(
        "{ change = { field = 'crate.transform.translation.x', to = 'crate.position.y + 7' } }",
        &|world| {
            assert!((place(world, "crate").x - 7.5).abs() < 0.01);
        },
    );
    let off = "[[cues]]\nframe = 1\ndo = [{ switch = { system = 'move: bodies', on = false } }]\n";
    done(off, |world| assert_eq!(place(world, "crate").y, 5.0));
}

#[test]
fn chance_is_the_same_in_each_run_and_about_as_likely_as_it_says() {
    let spawned = |chance: &str| {
        let more = format!(
            "[[cues]]\nevery-frames = 1\ndo = [{{ chance = {chance}, spawn = {{ template = 'pallet', transform = {{ translation = [40, 1, 40] }}, collider = {{ on = false }}, body = {{ gravity-scale = 0 }} }} }}]\n"
        );
        done(&more, |world| count(world, "pallet"))
    };
    let some = spawned("0.25");
    assert_eq!(some, spawned("0.25"));
    assert!((15..45).contains(&some), "{some} of 120");
    assert_eq!((spawned("0"), spawned("1")), (0, 120));
}

#[test]
fn of_several_pairs_in_a_frame_each_has_its_own_chance() {
    let more = r#"
[[entities]]
name = "p"
template = "pallet"
transform = { translation = [-30, 2, 9] }
arrange = { row = 30, step = [2, 0, 0] }

[[rules]]
contact = ["pallet", "ground"]
do = [{ chance = 0.5, despawn = "it" }]
"#;
    // All of them come down in the same frame.
    let left = done(more, |world| count(world, "pallet"));
    assert!((5..25).contains(&left), "{left} of 30");
}

#[test]
fn a_stop_ends_the_scene_with_its_verdict() {
    for (verdict, holds) in [("held", true), ("failed", false)] {
        let more = format!(
            "[[rules]]\nwhen = 'crate touches ground'\ndo = [{{ stop = {{ verdict = '{verdict}', why = 'it is down' }} }}]\n\
             [[expect]]\nthat = 'crate touches ground at 2 s'\n[[expect]]\nthat = 'crate.position.y > 4 at frame 5'\n"
        );
        run(&more, |_, report| {
            assert!((50..70).contains(&report.frames()), "{report}");
            assert_eq!(report.all_held(), holds);
            // The one that was decided, and the verdict.
            let told: Vec<_> = report
                .outcomes()
                .iter()
                .map(|outcome| (outcome.what(), outcome.held()))
                .collect();
            assert_eq!(told, [(None, true), (Some("it is down"), holds)]);
        });
    }
}

#[test]
fn impossible_requests_are_reported() {
    for (action, wanted) in [
        (
            "{ push = { entity = 'ground', impulse = [1, 0, 0] } }",
            "push `ground`: `ground` has no body to push",
        ),
        (
            "{ change = { field = 'ground.dents.left', to = '1' } }",
            "change ground.dents.left: `ground` has no dents",
        ),
        (
            "{ change = { field = 'crate.dents.lft', to = '1' } }",
            "there is no `crate.dents.lft` to change",
        ),
        (
            "{ change = { field = 'crate.dents.knocks', to = '1.5' } }",
            "`crate.dents.knocks` cannot be changed: ",
        ),
        (
            "{ change = { field = 'crate.dents.left', to = '1 / 0' } }",
            "this comes to inf",
        ),
        (
            "{ despawn = 'crate' }, { unlink = 'crate' }",
            "there is no `crate` any more",
        ),
        (
            "{ switch = { system = 'mov', on = true } }",
            "unknown system `mov`",
        ),
        (
            "{ spawn = { name = 'twin' } }, { spawn = { name = 'crate-2' } }",
            "",
        ),
    ] {
        let more = format!("[[cues]]\nframe = 2\ndo = [{action}]\n");
        run(&more, |_, report| match wanted {
            "" => assert!(report.missed().is_empty()),
            wanted => {
                assert_eq!(report.missed().len(), 1, "{action}: {:?}", report.missed());
                assert!(report.missed()[0].contains(wanted), "{:?}", report.missed());
            }
        });
    }
    let twice = "[[cues]]\nevery = 1\nspawn = { name = 'lamp' }\n";
    run(twice, |_, report| {
        assert!(
            report.missed()[0]
                .contains("there is a `lamp` already; spawn it once, or without a name")
        )
    });
}

#[test]
fn slips_in_rules_and_actions_are_faults() {
    for (more, wanted) in [
        (
            "[[rules]]\nwhen = 'crat touches ground'\ndo = [{ despawn = 'crate' }]\n",
            &["unknown entity `crat`"][..],
        ),
        (
            "[[rules]]\nwhen = 'crate.position.y'\ndo = []\n",
            &["this rule does nothing"],
        ),
        (
            "[[rules]]\ncontact = ['crate', 'good']\ndo = [{ despawn = 'it' }]\n",
            &["there is no entity, template or layer `good`"],
        ),
        (
            "[[rules]]\nwhen = 'crate touches ground'\ndo = [{ despawn = 'it' }]\n",
            &["unknown entity `it`"],
        ),
        (
            "[[rules]]\nwhen = 'frame = 1'\ncontact = ['crate', 'goods']\ndo = [{ despawn = 'crate' }]\n",
            &["this rule does not say on what it acts"],
        ),
        ("[[cues]]\nframe = 1\ndo = [{}]\n", &["this does 0 things"]),
        (
            "[[cues]]\nframe = 1\ndo = [{ despawn = 'crate', unlink = 'crate' }]\n",
            &["this does 2 things"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ push = { entity = 'crate' } }]\n",
            &["this push does not say whom and how"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ link = { entity = 'crate', under = 'crate' } }]\n",
            &["`crate` cannot be under itself"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ detach = { entity = 'crate', component = 'waer' } }]\n",
            &["unknown component `waer`"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ change = { field = 'crate.position.x', to = '1' } }]\n",
            &["`position` cannot be changed like that"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ change = { field = 'crate.body.carried', to = '(0, 1, 0)' } }]\n",
            &["`crate.body.carried` cannot be changed like that"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ change = { field = 'crate.transform.rotation.x', to = '1' } }]\n",
            &["`crate.transform.rotation.x` cannot be changed like that"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ change = { field = 'crate', to = '1 +' } }]\n",
            &["this is no field of an entity", "the text ends too early"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ chance = 2, despawn = 'crate' }]\n",
            &["a chance of 2 is none"],
        ),
        (
            "[[cues]]\nframe = 1\nevery = 2\ndespawn = 'crate'\n",
            &["this cue has several times"],
        ),
        (
            "[[cues]]\nevery = 0\ndespawn = 'crate'\n",
            &["nothing happens every 0 s"],
        ),
        (
            "[[cues]]\nevery-frames = 0\ndespawn = 'crate'\n",
            &["nothing happens every 0 frames"],
        ),
        (
            "[[cues]]\nframe = 1\nfrom = 1\ndespawn = 'crate'\n",
            &["only what happens again and again has a beginning and an end"],
        ),
        (
            "[[cues]]\nframe = 1\ndo = [{ stop = { verdict = 'perhaps' } }]\n",
            &["`perhaps` is not one of the choices"],
        ),
        (
            "[[rules]]\nwhen = 'frame = 1'\ndo = [{ spawn = { name = 'x', template = 'non' } }]\n",
            &["unknown template `non`"],
        ),
    ] {
        let error = parse(more).expect_err(more);
        let told: Vec<&str> = error.faults().iter().map(|fault| fault.message()).collect();
        assert_eq!(told.len(), wanted.len(), "{more}: {told:?}");
        for wanted in wanted {
            assert!(
                told.iter().any(|told| told.starts_with(wanted)),
                "{more}: {told:?}"
            );
        }
    }
}

/// JSON, in which values are asked for, has no infinite numbers.
#[test]
fn a_change_writes_only_the_field_that_it_names() -> Result<(), Box<dyn std::error::Error>> {
    let text = r#"
title = "anvil"
frames = 4
[[entities]]
name = "anvil"
body = { gravity-scale = 0 }
[[cues]]
frame = 1
do = [{ change = { field = "anvil.body.friction", to = "anvil.body.friction + 0.5" } }]
[[cues]]
frame = 2
do = [{ change = { field = "anvil.body.velocity.x", to = "3" } }]
[[cues]]
frame = 3
do = [
    { change = { field = "anvil.body.velocity.y", to = "1e300 * 1e300" } },
    { change = { field = "anvil.body.friction", to = "1e300" } },
    { change = { field = "anvil.transform.scale.x", to = "1e39" } },
]
"#;
    let scene = Scene::parse(text, "anvil.toml", &registry())?;
    let mut run = scene.start(Runtime::new())?;
    let world = run.runtime_mut().world_mut();
    let anvil = world.find("anvil").expect("it is in the scene");
    world.get_mut::<Body>(anvil)?.mass = f32::INFINITY;
    while run.run_frame()? {}
    let world = run.runtime().world();
    let body = world.get::<Body>(anvil)?;
    assert_eq!((body.mass, body.friction), (f32::INFINITY, 0.5));
    assert_eq!(body.velocity, Vec3::X * 3.0);
    assert_eq!(world.get::<Transform>(anvil)?.scale, Vec3::ONE);
    assert_eq!(run.report().missed().len(), 3, "{}", run.report());
    Ok(())
}

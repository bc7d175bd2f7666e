//! Events and control inputs in scene files.

use gerust::prelude::*;
use gerust::runtime::Controls;
use gerust_scene::{Registry, Report, Scene};

#[derive(Clone, PartialEq, Debug, serde::Serialize, serde::Deserialize)]
struct Weighed {
    entity: Entity,
    tonnes: f32,
}

#[derive(Clone, serde::Serialize, serde::Deserialize)]
struct Horn;

fn registry() -> Registry {
    let mut registry = Registry::standard();
    registry.register_event::<Weighed>("weighed");
    registry.register_event::<Horn>("horn");
    registry.register_action("fail", |_, with| Err(format!("it was given {with}")));
    registry
}

fn run_in(text: &str, runtime: Runtime) -> Report {
    let scene = Scene::parse(text, "events.toml", &registry()).expect("the scene has no fault");
    scene.run(runtime).expect("no system fails")
}

fn run(text: &str) -> Report {
    run_in(text, Runtime::new())
}

fn faults(text: &str) -> Vec<(String, String)> {
    let error = Scene::parse(text, "events.toml", &registry()).expect_err("the scene has faults");
    let faults = error.faults().iter();
    faults
        .map(|fault| (fault.message().to_owned(), fault.fix().to_owned()))
        .collect()
}

const HEAD: &str =
    "title = 't'\nframes = 60\n[[entities]]\nname = 'truck'\n[[entities]]\nname = 'lorry'\n";

#[test]
fn emitted_events_reach_inboxes_rules_and_expectations() {
    struct Heard(Vec<f32>);
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Heard(Vec::new()));
    let listen = System::named("listen")
        .takes::<(Inbox<Weighed>, GlobalMut<Heard>)>()
        .runs(|(mut inbox, mut heard)| {
            heard
                .0
                .extend(inbox.take_unread().map(|weighed| weighed.tonnes));
        });
    runtime.add_system(listen).expect("the name is free");
    let text = format!(
        r#"{HEAD}
[[cues]]
frame = 10
do = [
  {{ emit = {{ event = "weighed", with = {{ entity = "truck", tonnes = 12 }} }} }},
  {{ emit = {{ event = "weighed", with = {{ entity = "lorry", tonnes = 40 }} }} }},
]
[[rules]]
event = "weighed"
where = "event.tonnes > 30"
do = [{{ despawn = "it" }}]
[[expect]]
that = "weighed happens at frame 10"
[[expect]]
that = "never weighed happens and frame != 10"
[[expect]]
that = "events of weighed = 0 at frame 9"
[[expect]]
that = "events of weighed = 2 from frame 10 to frame 60"
[[expect]]
that = "lorry exists at frame 10"
[[expect]]
that = "truck exists and not lorry exists from frame 11 to frame 60"
"#
    );
    let scene = Scene::parse(&text, "events.toml", &registry()).expect("the scene has no fault");
    let mut run = scene.start(runtime).expect("it starts");
    while run.run_frame().expect("no system fails") {}
    run.report().assert_all_held();
    let heard = run.runtime().world().global::<Heard>();
    assert_eq!(heard.expect("it was set").0, [12.0, 40.0]);
}

#[test]
fn events_of_systems_bring_rules_into_action_each_time() {
    let text = r#"
title = "a truck goes its round"
frames = 240
[[entities]]
name = "truck"
components.route = { waypoints = [[1, 0, 0], [0, 0, 0]], speed = 1, loop = true }
[[entities]]
name = "lamp"
[[rules]]
event = "arrived"
where = "event.is-last and it.position.x < 0.5"
do = [{ change = { field = "lamp.transform.translation.y", to = "lamp.position.y + 1" } }]
[[rules]]
event = "arrived"
once = true
do = [{ change = { field = "lamp.transform.translation.x", to = "lamp.position.x + 1 + event.waypoint" } }]
[[expect]]
that = "lamp.position = (1, 1, 0) within 0.001 at frame 200"
[[expect]]
that = "events of arrived = 3 at frame 200"
[[expect]]
that = "arrived happens by 1.1 s"
"#;
    run_in(text, {
        let mut runtime = Runtime::new();
        runtime.add_kit(StandardKit).expect("nothing is in its way");
        runtime
    })
    .assert_all_held();
}

#[test]
fn rules_on_contacts_can_ask_for_more() {
    let text = r#"
title = "only what is heavy goes"
frames = 20
[templates.crate]
collider = { size = [1, 1, 1], kind = "sensor" }
[[entities]]
name = "pad"
collider = { size = [20, 1, 1] }
[[entities]]
name = "light"
template = "crate"
body = { motion = "kinematic", mass = 5 }
transform = { translation = [-5, 0, 0] }
[[entities]]
name = "heavy"
template = "crate"
body = { motion = "kinematic", mass = 50 }
[[rules]]
contact = ["crate", "pad"]
where = "it.body.mass > 10 and other.position.x = 0"
do = [{ despawn = "it" }]
[[expect]]
that = "light exists and not heavy exists"
"#;
    run(text).assert_all_held();
}

#[test]
fn controls_drive_systems_frame_by_frame() {
    #[derive(Default, PartialEq, Debug)]
    struct Log(Vec<(u64, &'static str)>);
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Log::default());
    let steer = System::named("steer")
        .takes::<(
            Global<Controls>,
            Global<Clock>,
            GlobalMut<Log>,
            Rows<&mut Transform>,
        )>()
        .runs(|(controls, clock, mut log, mut rows)| {
            if controls.was_pressed("hoist") {
                log.0.push((clock.frame(), "taken"));
            }
            if controls.was_released("hoist") {
                log.0.push((clock.frame(), "let go"));
            }
            rows.each(|transform| transform.translation.x += controls.value("slew"));
        });
    runtime.add_system(steer).expect("the name is free");
    let text = r#"
title = "two levers"
frames = 120
step = 0.1
[controls.hoist]
held = [[1, 2], [11, 99]]
[controls.slew]
values = [[1, 0.5], [2, -0.25], [3, 0]]
[[entities]]
name = "crane"
[[cues]]
time = 4
do = [{ control = { name = "hoist", held = true } }]
[[cues]]
time = 5
do = [{ control = { name = "hoist", held = false } }, { control = { name = "slew", value = 2 } }]
[[cues]]
time = 5.1
do = [{ control = { name = "slew", value = 0 } }]
[[rules]]
when = "control of hoist = 1"
do = [{ change = { field = "crane.transform.translation.y", to = "crane.position.y + 1" } }]
[[expect]]
that = "control of slew = -0.25 from 2 s to 2.9 s"
[[expect]]
that = "crane.position = (4.5, 3, 0) within 0.001"
"#;
    let scene = Scene::parse(text, "levers.toml", &registry()).expect("the scene has no fault");
    let mut run = scene.start(runtime).expect("it starts");
    while run.run_frame().expect("no system fails") {}
    run.report().assert_all_held();
    let log = run.runtime().world().global::<Log>().expect("it was set");
    assert_eq!(
        log.0,
        [
            (10, "taken"),
            (20, "let go"),
            (40, "taken"),
            (50, "let go"),
            (110, "taken")
        ]
    );
}

#[test]
fn counters_of_frames_can_be_asked() {
    let text = format!(
        "{HEAD}[[expect]]\nthat = 'counter of entities = 2'\n[[expect]]\nthat = 'counter of entites = 2'\n"
    );
    let report = run(&text);
    let [held, failed] = report.outcomes() else {
        panic!("there are two expectations");
    };
    assert!(held.held(), "{report}");
    assert!(!failed.held());
    assert_eq!(failed.measured(), "the frame has no counter `entites`");
}

#[test]
fn own_actions_that_fail_are_reported_among_the_missed() {
    let text = format!(
        "{HEAD}[[cues]]\nframe = 3\ndo = [{{ own = {{ name = 'fail', with = {{ tonnes = 3 }} }} }}]\n"
    );
    assert_eq!(
        run(&text).missed(),
        [r#"frame 3: do `fail`: it was given {"tonnes":3}"#]
    );
}

#[test]
fn an_event_about_an_entity_that_has_gone_is_missed() {
    let text = format!(
        r#"{HEAD}
[[cues]]
frame = 2
despawn = "truck"
[[cues]]
frame = 3
do = [{{ emit = {{ event = "weighed", with = {{ entity = "truck", tonnes = 1 }} }} }}]
[[expect]]
that = "events of weighed = 0"
"#
    );
    let report = run(&text);
    report
        .outcomes()
        .iter()
        .for_each(|outcome| assert!(outcome.held()));
    assert_eq!(
        report.missed(),
        ["frame 3: emit `weighed`: there is no `truck` any more"]
    );
}

#[test]
fn unknown_and_unfit_names_are_reported() {
    let told = |rest: &str| faults(&format!("{HEAD}{rest}"));
    let cue = |action: &str| told(&format!("[[cues]]\nframe = 1\ndo = [{action}]\n"));
    for (found, message, fix) in [
        (
            cue("{ emit = { event = 'wieghed' } }"),
            "unknown event `wieghed`",
            "did you mean `weighed`?",
        ),
        (
            cue("{ emit = { event = 'weighed', with = { entity = 'truk', tonnes = 1 } } }"),
            "unknown entity `truk`",
            "did you mean `truck`?",
        ),
        (
            cue("{ emit = { event = 'weighed', with = { entity = 'truck' } } }"),
            "this is no `weighed`: missing field `tonnes`",
            "give under `with` what",
        ),
        (
            cue("{ control = { name = 'hoist', held = true } }"),
            "unknown control `hoist`",
            "",
        ),
        (
            told(
                "[controls]\nhoist = {}\n[[cues]]\nframe = 1\ndo = [{ control = { name = 'hoist' } }]\n",
            ),
            "this does not say where the control is moved",
            "give it exactly one of `held` and `value`",
        ),
        (
            told("[controls]\nhoist = { held = [[2, 1]] }\n"),
            "2 s is not before 1 s",
            "write the times at which it is pressed and released",
        ),
        (
            told("[controls]\nhoist = { values = [[70, 1]] }\n"),
            "this is frame 4200, but the scene ends at frame 60",
            "move it",
        ),
        (
            cue("{ own = { name = 'fial' } }"),
            "unknown action `fial`",
            "did you mean `fail`?",
        ),
        (
            told("[[rules]]\nevent = 'hron'\ndo = [{ despawn = 'truck' }]\n"),
            "unknown event `hron`",
            "did you mean `horn`?",
        ),
        (
            told("[[rules]]\nwhen = 'event.tonnes = 3'\ndo = [{ despawn = 'truck' }]\n"),
            "unknown entity `event`",
            "",
        ),
        (
            told(
                "[[rules]]\nwhen = 'truck exists'\nwhere = 'lorry exists'\ndo = [{ despawn = 'truck' }]\n",
            ),
            "`where` is for rules on contacts and events",
            "join it to `when` by `and`",
        ),
        (
            told(
                "[[rules]]\nwhen = 'truck exists'\nevent = 'horn'\ndo = [{ despawn = 'truck' }]\n",
            ),
            "this rule does not say on what it acts",
            "give it exactly one of `when`, `contact` and `event`",
        ),
        (
            told("[[expect]]\nthat = 'honr happens'\n"),
            "unknown event `honr`",
            "did you mean `horn`?",
        ),
        (
            told("[[expect]]\nthat = 'events of horn'\n"),
            "this is a value, not a condition",
            "",
        ),
        (
            told("[[expect]]\nthat = 'control of hoist = 1'\n"),
            "unknown control `hoist`",
            "",
        ),
    ] {
        assert_eq!(found.len(), 1, "{message}: {found:?}");
        assert_eq!(found[0].0, message);
        assert!(found[0].1.starts_with(fix), "{message}: {}", found[0].1);
    }
}

/// Each form holds in one scene and fails in another, with what was found.
#[test]
fn every_form_can_fail_and_tells_what_was_found() {
    let text = |frame: u64| {
        format!(
            r#"{HEAD}
[controls.hoist]
[[cues]]
frame = {frame}
do = [{{ emit = {{ event = "horn" }} }}, {{ control = {{ name = "hoist", value = 0.5 }} }}]
[[expect]]
that = "horn happens at frame 5"
[[expect]]
that = "events of horn = 1 at frame 5"
[[expect]]
that = "control of hoist = 0.5 at frame 5"
[[expect]]
that = "never horn happens and frame != 5"
"#
        )
    };
    run(&text(5)).assert_all_held();
    let report = run(&text(6));
    let found: Vec<(bool, &str)> = report
        .outcomes()
        .iter()
        .map(|outcome| (outcome.held(), outcome.measured()))
        .collect();
    assert_eq!(
        found,
        [
            (false, "`horn` happens is false"),
            (false, "events of `horn` is 0"),
            (false, "control of `hoist` is 0"),
            (false, "`horn` happens is true, frame is 6"),
        ]
    );
}

use super::*;
use gerust::collide::Body;
use gerust::runtime::{Route, Runtime, StandardKit};
use glam::Vec3;
use serde_json::json;

fn run(draft: &SceneDraft) -> crate::Report {
    let scene = draft
        .build(&Registry::standard())
        .unwrap_or_else(|error| panic!("{error}{draft:?}"));
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("its names are free");
    scene.run(runtime).expect("nothing fails")
}

/// Every drafted scene loads and does what it says.
#[test]
fn every_part_comes_to_a_scene_that_runs() {
    let crate_ = EntityDraft::new()
        .solid(Vec3::ONE)
        .in_layer("goods")
        .body(&Body::dynamic())
        .child(
            EntityDraft::named("lid")
                .at(Vec3::Y * 0.5)
                .scaled(Vec3::splat(0.1)),
        );
    let route = Route::new(vec![Vec3::X * 0.3], 3.0);
    let draft = SceneDraft::new("all parts", 60)
        .setting("gravity", json!([0, -9.81, 0]))
        .parameter("height", 2.5)
        .layer("goods", &["default"])
        .control("lever")
        .template("crate", crate_)
        .entity(EntityDraft::named("pad").sensor(Vec3::new(9.0, 1.0, 9.0)))
        .entity(
            EntityDraft::named("one")
                .template("crate")
                .key("transform", json!({ "translation": [0, "= height", 0] })),
        )
        .entity(
            EntityDraft::named("gull")
                .with("route", &route)
                .under("pad"),
        )
        .entity(EntityDraft::named("dead-weight").with("wear", &json!({ "left": 1 })))
        .cue_at(
            2,
            [
                Act::spawn(
                    EntityDraft::named("two")
                        .template("crate")
                        .at(Vec3::X * 50.0),
                ),
                Act::detach("dead-weight", "wear"),
                Act::control("lever", 0.5),
                Act::emit("worn", &json!({ "entity": "one" })),
                Act::switch("standard: spin", false),
            ],
        )
        .cue_at(
            3,
            [
                Act::link("dead-weight", "gull"),
                Act::push("two", Vec3::X * 3.0),
                Act::push_away(Vec3::X * 50.0, 5.0, 1.0).with_chance(0.0),
                Act::set("pad", EntityDraft::new().at(Vec3::Z)),
                Act::change("dead-weight.transform.translation.z", "7"),
            ],
        )
        .cue_at(4, [Act::unlink("dead-weight")])
        .cue_every(
            10,
            [Act::change(
                "pad.transform.translation.x",
                "pad.position.x + 1",
            )],
        )
        .rule_when("frame = 50", [Act::despawn("two")])
        .rule_event(
            "arrived",
            [Act::change("pad.transform.translation.y", "-4")],
        )
        .rule_contact(["crate", "pad"], [Act::despawn("it")])
        .expect("not two exists")
        .expect("two.position.x > 50.05 at frame 45")
        .expect("control of lever = 0.5")
        .expect("events of worn = 1")
        .expect("events of arrived = 1")
        .expect("pad.position = (5, -4, 1) within 0.001 at frame 59")
        .expect("`one/lid` exists at frame 5");
    let report = run(&draft);
    report.assert_all_held();
    assert!(report.missed().is_empty(), "{:?}", report.missed());
}

#[test]
fn a_scene_can_end_itself() {
    let draft = SceneDraft::new("t", 90)
        .cue_at(5, [Act::stop(false, "it is over")])
        .expect("entities = 0");
    let report = run(&draft);
    assert_eq!((report.frames(), report.all_held()), (4, false));
    assert!(report.to_string().contains("it is over"), "{report}");
}

#[test]
fn faults_point_into_the_text() {
    let draft = SceneDraft::new("t", 9).entity(EntityDraft::named("gull").template("gul"));
    let error = draft
        .build(&Registry::standard())
        .expect_err("there is no such template");
    let fault = &error.faults()[0];
    assert_eq!(fault.message(), "unknown template `gul`");
    let line = draft
        .text()
        .lines()
        .nth(fault.line() - 1)
        .map(str::to_owned);
    assert_eq!(line.as_deref(), Some("template = \"gul\""));
}

#[test]
fn what_is_written_into_a_file_is_the_text() {
    let draft = SceneDraft::new("a \"quoted\" title\nof two lines", 9);
    let folder = std::env::temp_dir().join(format!("gerust-draft-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("there is room");
    let path = folder.join("draft.toml");
    draft.write(&path).expect("there is room");
    let scene = Scene::load(&path, &Registry::standard()).expect("it has no fault");
    assert_eq!(scene.title(), "a \"quoted\" title\nof two lines");
    std::fs::remove_dir_all(&folder).expect("it is there");
    assert!(draft.write(folder.join("gone/draft.toml")).is_err());
}

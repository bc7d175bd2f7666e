//! `gerust report`, driven for real; how its page behaves in a browser is tested in `page`.

#[path = "common/black_box.rs"]
mod black_box;
mod common;

use common::{gerust, json_of};
use predicates::str::contains;
use serde_json::{Map, Value, json};
use std::collections::BTreeMap;
use std::path::Path;

const QUAY: &str = "scenes/quay.toml";

fn report(scene: &str, more: &[&str], page: &Path, code: i32) -> String {
    gerust()
        .args(["report", scene])
        .args(more)
        .arg("-o")
        .arg(page)
        .assert()
        .code(code);
    std::fs::read_to_string(page).expect("it was written")
}

/// The data of a page.
fn data_of(page: &str) -> Value {
    let (_, rest) = page
        .split_once("id=\"data\">")
        .expect("the page holds its data");
    let (data, _) = rest.split_once("</script>").expect("the data ends");
    serde_json::from_str(data).expect("it is JSON")
}

/// What each entity has after each frame, put together from the changes.
fn states_of(data: &Value) -> BTreeMap<u64, BTreeMap<String, Map<String, Value>>> {
    let playback = &data["playback"];
    let name = |list: &str, place: &str, field: &str| {
        let place: usize = place.parse().expect("a place");
        let item = &playback[list][place];
        let text = if field.is_empty() { item } else { &item[field] };
        text.as_str().expect("a name").to_owned()
    };
    let none = Map::new();
    let mut states = BTreeMap::new();
    let mut state: BTreeMap<String, Map<String, Value>> = BTreeMap::new();
    for change in playback["changes"].as_array().expect("a list") {
        let values = change["values"].as_object().unwrap_or(&none);
        for (entity, components) in values {
            let known = state.entry(name("entities", entity, "id")).or_default();
            for (component, value) in components.as_object().expect("a table") {
                let component = name("components", component, "");
                match value {
                    Value::Array(whole) => {
                        known.insert(component, whole[0].clone());
                    }
                    Value::Object(fields) => {
                        let before = known.get_mut(&component).and_then(Value::as_object_mut);
                        before.expect("it was there").extend(fields.clone());
                    }
                    _ => {
                        known.remove(&component);
                    }
                }
            }
        }
        for gone in change["gone"].as_array().into_iter().flatten() {
            state.remove(&name("entities", &gone.to_string(), "id"));
        }
        states.insert(change["frame"].as_u64().expect("a frame"), state.clone());
    }
    states
}

#[test]
fn the_page_holds_what_the_other_commands_tell() {
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("quay.html");
    let page = report(
        QUAY,
        &["--budget", "move: bodies=2", "--warm-up", "30"],
        &path,
        0,
    );
    assert!(page.starts_with("<!DOCTYPE html>"));
    for loads in [
        "src=",
        "<link rel=\"stylesheet\"",
        "@import",
        "url(http",
        "fetch(",
    ] {
        assert!(!page.contains(loads), "{loads}");
    }
    assert!(page.contains("The MIT License"), "of the chart");

    let data = data_of(&page);
    let run = json_of(gerust().args(["run", QUAY, "--format", "json"]));
    assert_eq!(data["run"]["expectations"], run["expectations"]);
    assert_eq!(data["profile"]["warm-up"], 30);
    let budget = data["profile"]["names"].as_array().expect("a list").iter();
    let budget = budget.filter(|name| name["name"] == "move: bodies");
    assert_eq!(
        budget.map(|name| &name["budget-ms"]).collect::<Vec<_>>(),
        [&json!(2.0)]
    );
    let memory = json_of(gerust().args(["inspect", QUAY, "memory", "--format", "json"]));
    assert_eq!(data["memory"], memory);
    assert_eq!(data["comparison"], Value::Null);

    let times = &data["times"];
    let frames = times["frames"].as_array().expect("a list").len();
    assert_eq!(frames, 600);
    for part in times["times"].as_array().expect("a list") {
        assert_eq!(part.as_array().expect("a list").len(), frames);
    }
    assert_eq!(
        data["threads"]["frames"].as_array().expect("a list").len(),
        frames
    );

    let states = states_of(&data);
    assert_eq!(states.len(), 601);
    for at in [0, 123, 600] {
        let all = json_of(gerust().args([
            "inspect",
            QUAY,
            "entities",
            "--at",
            &at.to_string(),
            "--format",
            "json",
        ]));
        let there = all["entities"].as_array().expect("a list");
        assert_eq!(there.len(), states[&at].len(), "frame {at}");
        let of_truck = json_of(gerust().args([
            "inspect",
            QUAY,
            "entity",
            "truck-1",
            "--at",
            &at.to_string(),
            "--format",
            "json",
        ]));
        let id = of_truck["entity"].as_str().expect("an id");
        assert_eq!(
            Value::Object(states[&at][id].clone()),
            of_truck["components"],
            "frame {at}"
        );
    }
}

#[test]
fn frames_that_are_left_out_change_nothing_of_the_others() {
    let folder = tempfile::tempdir().expect("there is room");
    // With spawned and despawned subtrees, and parents that change.
    for scene in [
        "scenes/cranes.toml",
        "scenes/handover.toml",
        "scenes/visitors.toml",
    ] {
        let path = folder.path().join("page.html");
        let all = states_of(&data_of(&report(scene, &[], &path, 0)));
        let some = data_of(&report(scene, &["--every", "7"], &path, 0));
        assert_eq!(some["playback"]["every"], 7);
        let some = states_of(&some);
        let last = *all.keys().last().expect("there are frames");
        let wanted: Vec<u64> = all
            .keys()
            .copied()
            .filter(|frame| frame % 7 == 0 || *frame == last)
            .collect();
        assert_eq!(some.keys().copied().collect::<Vec<_>>(), wanted, "{scene}");
        for (frame, state) in &some {
            assert_eq!(state, &all[frame], "{scene} at frame {frame}");
        }
    }
}

#[test]
fn what_is_drawn_follows_what_an_entity_has_up_to_where_the_scene_stops() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("changes.toml");
    std::fs::write(
        &scene,
        r#"
title = "a crate that comes and goes"
frames = 60
[[entities]]
name = "crate"
transform = { translation = [0, 2, 0] }
[[cues]]
frame = 9
set = { entity = "crate", collider = { size = [2, 2, 2] } }
[[cues]]
frame = 11
set = { entity = "crate", collider = { on = false } }
[[cues]]
frame = 13
do = [{ stop = { verdict = "held", why = "it was seen" } }]
"#,
    )
    .expect("it can be written");
    let scene = scene.to_str().expect("it is text");
    let path = folder.path().join("page.html");
    let drawn_in = |every: &str| {
        let data = data_of(&report(scene, &["--every", every], &path, 0));
        let changes = data["playback"]["changes"]
            .as_array()
            .expect("a list")
            .clone();
        let mut drawn = Value::Null;
        let states = changes.iter().map(|change| {
            if let Some(changed) = change["drawn"].get("0") {
                drawn = changed.clone();
            }
            (change["frame"].as_u64().expect("a frame"), drawn.clone())
        });
        states.collect::<BTreeMap<u64, Value>>()
    };
    let all = drawn_in("1");
    let last = *all.keys().last().expect("there are frames");
    assert!((12..=14).contains(&last), "it stops at {last}");
    assert_eq!(all[&6], json!([0.0, 2.0, 0.0]));
    let corners = json!([[-1.0, 1.0, -1.0, 1.0, 3.0, 1.0]]);
    assert_eq!(all[&10], json!(["static", corners]));
    assert_eq!(all[&last], json!(["switched off", corners]));
    for (frame, drawn) in drawn_in("4") {
        assert!(frame % 4 == 0 || frame == last, "{frame}");
        assert_eq!(drawn, all[&frame], "frame {frame}");
    }
}

#[test]
fn a_scene_that_fails_has_a_report_and_code_1() {
    let folder = tempfile::tempdir().expect("there is room");
    let scene = folder.path().join("fails.toml");
    std::fs::write(
        &scene,
        "title = \"a lamp\"\nframes = 70\n\n[[entities]]\nname = \"lamp\"\ntransform = {}\n\n[[expect]]\nframe = 3\ncount = { at-least = 2 }\n",
    )
    .expect("it can be written");
    let scene = scene.to_str().expect("it is text");
    let page = report(scene, &[], &folder.path().join("fails.html"), 1);
    let data = data_of(&page);
    assert_eq!(
        (&data["run"]["held"], &data["run"]["failed"]),
        (&json!(0), &json!(1))
    );
    assert!(page.contains("<title>a lamp: 1 failed</title>"));
}

#[test]
fn times_that_were_kept_lie_beside_those_of_the_run() {
    let folder = tempfile::tempdir().expect("there is room");
    let before = folder.path().join("before.json");
    let kept = before.to_str().expect("it is text");
    gerust()
        .args(["profile", "scenes/cranes.toml", "--save", kept])
        .assert()
        .code(0);
    let path = folder.path().join("page.html");
    let data = data_of(&report(
        "scenes/cranes.toml",
        &["--against", kept],
        &path,
        0,
    ));
    let saved = std::fs::read_to_string(&before).expect("it was written");
    let saved: Value = serde_json::from_str(&saved).expect("it is JSON");
    let names = saved["names"].as_array().expect("a list").iter();
    let frame = names.filter(|name| name["kind"] == "frame");
    let nanoseconds = frame
        .map(|name| &name["nanoseconds"])
        .next()
        .expect("it is there");
    let shown = data["times"]["before"].as_array().expect("a list");
    let frames = data["times"]["frames"].as_array().expect("a list");
    let measured = saved["frames"].as_array().expect("a list");
    assert_eq!(shown.len(), frames.len());
    for (frame, shown) in frames.iter().zip(shown) {
        let place = measured.iter().position(|known| known == frame);
        let wanted = place.map(|place| nanoseconds[place].as_f64().expect("a number") / 1e6);
        assert_eq!(shown.as_f64(), wanted, "frame {frame}");
    }
    let compared = data["comparison"]["names"].as_array().expect("a list");
    assert!(compared.iter().any(|name| name["kind"] == "frame"));
    assert_eq!(data["comparison"]["paired"], true);
}

#[test]
fn invalid_requests_for_a_report_are_reported_and_nothing_is_lost() {
    let folder = tempfile::tempdir().expect("there is room");
    let old = folder.path().join("old.html");
    std::fs::write(&old, "kept").expect("it can be written");
    let at = |name: &str| {
        let path = folder.path().join(name);
        path.to_str().expect("it is text").to_owned()
    };
    let refused = |arguments: &[&str], told: &str| {
        let mut command = gerust();
        command.arg("report").args(arguments);
        command.assert().code(2).stderr(contains(told.to_owned()));
    };
    refused(&[QUAY, "-o", "quay.pdf"], "quay.pdf is no .html");
    refused(&[QUAY, "-o", &at("none/quay.html")], "there is no folder");
    refused(
        &["scenes/none.toml", "-o", &at("old.html")],
        "scenes/none.toml",
    );
    refused(
        &[QUAY, "-o", &at("old.html"), "--against", QUAY],
        "this is not a recorded profile",
    );
    refused(
        &[QUAY, "-o", &at("old.html"), "--warm-up", "900"],
        "choose fewer",
    );
    refused(&[QUAY, "-o", &at("old.html"), "--every", "0"], "--every");
    refused(
        &[QUAY, "-o", &at("old.html"), "--budget", "no such=1"],
        "unknown system `no such`",
    );
    refused(&[QUAY], "--output");
    gerust()
        .args(["run", "scenes/cranes.toml", "--record", &at("cranes.rec")])
        .assert()
        .code(0);
    let recording = at("cranes.rec");
    for option in [["--against", QUAY], ["--warm-up", "3"], ["--threads", "2"]] {
        let mut arguments = vec![recording.as_str(), "-o", old.to_str().expect("it is text")];
        arguments.extend(option);
        refused(&arguments, "has no meaning for a recording");
    }
    let unknown = ["--budget", "no such=1"];
    let mut arguments = vec![recording.as_str(), "-o", old.to_str().expect("it is text")];
    arguments.extend(unknown);
    refused(&arguments, "unknown system `no such`");
    assert_eq!(std::fs::read_to_string(&old).expect("it is there"), "kept");
}

#[test]
fn a_recording_of_a_scene_has_the_same_states_as_the_scene() {
    let folder = tempfile::tempdir().expect("there is room");
    let [recorded, of_scene, of_recording] =
        ["cranes.rec", "scene.html", "recording.html"].map(|name| folder.path().join(name));
    let scene = "scenes/cranes.toml";
    gerust()
        .args(["run", scene, "--record"])
        .arg(&recorded)
        .assert()
        .code(0);
    let recorded = recorded.to_str().expect("it is text");
    let [of_scene, of_recording] = [(scene, of_scene), (recorded, of_recording)]
        .map(|(file, page)| data_of(&report(file, &["--every", "1"], &page, 0)));
    assert_eq!(states_of(&of_scene), states_of(&of_recording));
    for key in [
        "frames",
        "entities",
        "contacts",
        "contacts-begun",
        "held",
        "failed",
    ] {
        assert_eq!(of_scene["run"][key], of_recording["run"][key], "{key}");
    }
    assert_eq!(of_recording["run"]["left-over"], Value::Null);
    assert_eq!(of_recording["recording"]["scene"], scene);
    assert_eq!(
        of_recording["times"]["frames"],
        json!([]),
        "none were recorded"
    );
    assert_eq!(of_scene["recording"], Value::Null);
}

#[test]
fn a_black_box_is_reported_with_its_times_and_failures() {
    let folder = tempfile::tempdir().expect("there is room");
    let (file, page) = (
        folder.path().join("box.rec"),
        folder.path().join("box.html"),
    );
    black_box::write_black_box(&file);
    let file = file.to_str().expect("it is text");
    let more = ["--budget", "0.000001", "--budget", "tide=0.000001"];
    let data = data_of(&report(file, &more, &page, 0));
    assert_eq!(data["recording"]["missing"], json!(["Unknown"]));
    assert_eq!(data["recording"]["first-frame"], 20);
    assert_eq!(data["recording"]["failures"][0]["frame"], 30);
    assert_eq!(data["run"]["frames"], 30);
    assert_eq!(data["run"]["frame-time"]["frames-over-budget"], 31);
    let names = data["profile"]["names"].as_array().expect("a list");
    let tide = names.iter().find(|name| name["name"] == "tide");
    assert_eq!(tide.expect("it ran")["calls"], 31);
    assert_eq!(data["times"]["frames"].as_array().map(Vec::len), Some(31));
    assert!(
        !data["threads"]["frames"]
            .as_array()
            .expect("a list")
            .is_empty()
    );
}

//! `gerust check`, driven for real.

mod common;

use common::{gerust, json_of};
use predicates::prelude::*;
use predicates::str::contains;
use roxmltree::{Document, Node};
use std::fs;
use std::path::Path;
use tempfile::TempDir;

const FALL: &str = r#"
title = "a crate falls"
frames = 120
budget-ms = 0.000001

[[entities]]
name = "quay"
transform = { translation = [0, -0.5, 0] }
collider = { size = [20, 1, 20] }

[[entities]]
name = "crate"
transform = { translation = [0, 5, 0] }
collider = { size = [1, 1, 1] }
body = {}

[[expect]]
that = "crate stands on quay for 0.5 s"

[[expect]]
frame = 120
budget = {}
"#;

fn folder(files: &[(&str, &str)]) -> TempDir {
    let folder = tempfile::tempdir().expect("there is room");
    for (name, text) in files {
        let path = folder.path().join(name);
        fs::create_dir_all(path.parent().expect("it is in a directory")).expect("there is room");
        fs::write(path, text).expect("there is room");
    }
    folder
}

/// A folder with a scene that holds, one that fails, one that is faulty, a part, and files that are none.
fn mixed() -> TempDir {
    let failing = FALL.replace("0.5 s\"", "1.9 s\"").replace(
        "[[expect]]\nthat",
        "[[expect]]\nwhat = 'it <stands> & \"waits\"'\nthat",
    );
    let with_part = FALL.replace("title", "include = ['../parts/lamp.toml']\ntitle");
    folder(&[
        ("good/fall.toml", FALL),
        ("good/with-part.toml", &with_part),
        ("bad/failing.toml", &failing),
        ("bad/faulty.toml", "title = 'x'\nframes = 0\n"),
        ("bad/not-toml.toml", "[[entities]]\nname = \n"),
        ("parts/lamp.toml", "[[entities]]\nname = 'lamp'\n"),
        ("other/settings.toml", "[package]\nname = 'x'\n"),
        ("other/notes.txt", "frames = 3\n"),
        (".hidden/faulty.toml", "frames = 0\n"),
    ])
}

#[test]
fn all_shipped_scenes_hold() {
    gerust()
        .args(["check", "scenes"])
        .assert()
        .code(0)
        .stdout(contains("ok      scenes/quay.toml: 14 held").and(contains(" 0 failed, 0 faulty")));
}

#[test]
fn scenes_are_found_judged_and_distinguished() {
    let folder = mixed();
    let json = json_of(
        gerust()
            .arg("check")
            .arg(folder.path())
            .args(["--format", "json"]),
    );
    let scenes = json["scenes"].as_array().expect("a list");
    let told: Vec<(String, &str)> = scenes
        .iter()
        .map(|scene| {
            let path = scene["scene"].as_str().expect("a text");
            let path = Path::new(path)
                .strip_prefix(folder.path())
                .expect("it is in the folder");
            (
                path.display().to_string(),
                scene["verdict"].as_str().expect("a text"),
            )
        })
        .collect();
    let told: Vec<(&str, &str)> = told
        .iter()
        .map(|(path, verdict)| (path.as_str(), *verdict))
        .collect();
    assert_eq!(
        told,
        [
            ("bad/failing.toml", "failed"),
            ("bad/faulty.toml", "faulty"),
            ("bad/not-toml.toml", "faulty"),
            ("good/fall.toml", "ok"),
            ("good/with-part.toml", "ok"),
        ]
    );
    // The budget is of real time: it would fail, and is left out.
    assert_eq!(
        (&scenes[3]["held"], &scenes[3]["left-out"]),
        (&1.into(), &1.into())
    );
    assert_eq!(scenes[0]["failed"][0]["frame"], 120);
}

#[test]
fn exit_codes_tell_good_failed_and_faulty() {
    let folder = mixed();
    let check = |path: &str| gerust().arg("check").arg(folder.path().join(path)).assert();
    // One of the two includes a part that lies beside their folder.
    check("good")
        .code(2)
        .stdout(contains("is not below the folder"));
    gerust()
        .args(["check", "--root"])
        .args([folder.path(), &folder.path().join("good")])
        .assert()
        .code(0)
        .stdout(contains("2 scenes: 2 ok").and(contains("(1 of real time left out)")));
    check("bad/failing.toml").code(1).stdout(
        contains("FAILED").and(contains("wanted  crate stands on quay for 114 frames in a")),
    );
    check("bad")
        .code(2)
        .stdout(contains("FAULTY").and(contains("a scene of 0 frames does nothing")));
    check("other")
        .code(2)
        .stdout("")
        .stderr(contains("no scene found in "));
    check("nowhere").code(2).stderr(contains("cannot be read"));
    // A part that is named is checked like any other file.
    check("parts/lamp.toml")
        .code(2)
        .stdout(contains("the key `title` is missing"));
    gerust()
        .arg("check")
        .assert()
        .code(2)
        .stderr(contains("<PATH>"));
}

#[test]
fn filters_and_shards_choose() {
    let folder = mixed();
    let checked = |arguments: &[&str]| -> usize {
        let mut command = gerust();
        command
            .arg("check")
            .arg(folder.path())
            .args(arguments)
            .args(["--format", "json"]);
        json_of(&mut command)["scenes"]
            .as_array()
            .expect("a list")
            .len()
    };
    assert_eq!(checked(&["--filter", "good"]), 2);
    assert_eq!(
        checked(&["--shard", "1/2"]) + checked(&["--shard", "2/2", "--jobs", "1"]),
        5
    );
    gerust()
        .arg("check")
        .arg(folder.path())
        .args(["--shard", "3/2"])
        .assert()
        .code(2)
        .stderr(contains("such as 1/4"));
    gerust()
        .arg("check")
        .arg(folder.path())
        .args(["--filter", "none"])
        .assert()
        .code(2)
        .stderr(contains("no scene is left"));
}

fn number(node: Node<'_, '_>, attribute: &str) -> usize {
    let text = node
        .attribute(attribute)
        .unwrap_or_else(|| panic!("{attribute} is missing"));
    text.parse()
        .unwrap_or_else(|_| panic!("{attribute} is {text}"))
}

/// The structure that readers of JUnit XML rely on: suites of cases, counts that add up, times with three decimals.
#[test]
fn junit_has_suites_of_cases_with_counts_and_times() {
    let folder = mixed();
    let path = folder.path().join("report.xml");
    gerust()
        .arg("check")
        .arg(folder.path())
        .arg("--junit")
        .arg(&path)
        .assert()
        .code(2);
    let text = fs::read_to_string(&path).expect("it was written");
    let document = Document::parse(&text).expect("it is XML");
    let suites = document.root_element();
    assert_eq!(suites.tag_name().name(), "testsuites");
    let is_time = |node: Node<'_, '_>| {
        let time = node.attribute("time").expect("it has a time");
        time.split_once('.')
            .is_some_and(|(_, decimals)| decimals.len() == 3)
            && time.parse::<f64>().is_ok()
    };
    let named = |node: Node<'_, '_>, name: &str| {
        node.children()
            .filter(|child| child.has_tag_name(name))
            .count()
    };
    let mut totals = [0; 3];
    let all: Vec<Node<'_, '_>> = suites.children().filter(Node::is_element).collect();
    assert_eq!(all.len(), 5);
    for suite in all {
        assert!(
            suite.has_tag_name("testsuite") && suite.attribute("name").is_some() && is_time(suite)
        );
        let cases: Vec<Node<'_, '_>> = suite
            .children()
            .filter(|child| child.has_tag_name("testcase"))
            .collect();
        assert_eq!(number(suite, "tests"), cases.len());
        let mut counts = [cases.len(), 0, 0];
        for case in cases {
            assert!(
                case.attribute("name").is_some()
                    && case.attribute("classname") == suite.attribute("name")
                    && is_time(case)
            );
            counts[1] += named(case, "failure");
            counts[2] += named(case, "error");
            for child in case.children().filter(Node::is_element) {
                assert!(child.attribute("message").is_some() && child.attribute("type").is_some());
            }
        }
        assert_eq!(
            counts[1..],
            [number(suite, "failures"), number(suite, "errors")]
        );
        for (total, count) in totals.iter_mut().zip(counts) {
            *total += count;
        }
    }
    assert_eq!(
        totals,
        ["tests", "failures", "errors"].map(|attribute| number(suites, attribute))
    );
    assert_eq!(totals, [5, 1, 2]);
    // What could be taken for XML is not.
    let case = document
        .descendants()
        .find(|node| node.attribute("name") == Some("it <stands> & \"waits\""));
    assert!(case.is_some());
    gerust()
        .arg("check")
        .arg(folder.path())
        .args(["--junit", "no-such-folder/x.xml"])
        .assert()
        .code(2)
        .stderr(contains("no-such-folder/x.xml cannot be written"));
}

#[test]
fn stored_values_are_blessed_where_they_stand() {
    let text = r#"
title = "stored"
frames = 10

[[entities]]
name = "cart"
components.velocity = [6, 0, 0]

[[expect]]
that = 'digest = "0" at frame 10'

[[expect]]
that = "cart.position = (9, 9, 9) within 0.01" # by hand

[[expect]]
that = "entities = 7"

[[expect]]
that = "cart.position.x = 7"

[[expect]]
that = "cart.position.x > 5"
"#;
    let folder = folder(&[("stored.toml", text)]);
    let path = folder.path().join("stored.toml");
    let check = |arguments: &[&str]| gerust().arg("check").arg(&path).args(arguments).assert();
    check(&[]).code(1).stdout(contains("5 of 5 failed"));
    assert_eq!(fs::read_to_string(&path).expect("it is there"), text);
    check(&["--bless"])
        .code(1)
        .stdout(contains("1 of 5 failed"))
        .stderr(contains("7 is now 1").and(contains("(9, 9, 9) is now (1.0000001, 0, 0)")));
    let blessed = fs::read_to_string(&path).expect("it is there");
    assert!(
        blessed.contains("cart.position = (1.0000001, 0, 0) within 0.01\" # by hand")
            && blessed.contains("\"entities = 1\""),
        "{blessed}"
    );
    // Text that is not a stored value is left unchanged, and fails.
    check(&[])
        .code(1)
        .stdout(contains("1 of 5 failed").and(contains("cart.position.x > 5")));
    check(&["--bless"]).code(1);
    assert_eq!(fs::read_to_string(&path).expect("it is there"), blessed);
}

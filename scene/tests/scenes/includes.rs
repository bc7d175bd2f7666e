//! Scene files that include others.

use gerust::prelude::*;
use gerust_scene::{Parameters, Registry, Scene, SceneError};
use std::fs;
use std::path::{Path, PathBuf};

/// A fresh directory with some files, for one test.
fn folder(test: &str, files: &[(&str, &str)]) -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(test);
    // It may be there from the last time.
    let _ = fs::remove_dir_all(&folder);
    for (name, text) in files {
        let path = folder.join(name);
        fs::create_dir_all(path.parent().expect("it is in a directory")).expect("there is room");
        fs::write(path, text).expect("there is room");
    }
    folder
}

fn load(folder: &Path, parameters: &Parameters) -> Result<Scene, SceneError> {
    Scene::load_with(folder.join("main.toml"), &Registry::standard(), parameters)
}

/// The faults as `file:line:column message`.
fn faults(folder: &Path) -> Vec<String> {
    let error = load(folder, &Parameters::new()).expect_err("the scene is at fault");
    let faults = error.faults().iter();
    faults
        .map(|fault| {
            let file = fault
                .path()
                .strip_prefix(folder)
                .expect("it is in the directory");
            assert!(error.text_of(fault).len() >= fault.span().end);
            format!(
                "{}:{}:{} {}",
                file.display(),
                fault.line(),
                fault.column(),
                fault.message()
            )
        })
        .collect()
}

const MAIN: &str = r#"include = ["parts/crates.toml", "parts/quay.toml"]
title = "a quay with crates"
frames = 10

[parameters]
crates = 3

[[entities]]
name = "lamp"
parent = "quay"

[[expect]]
frame = 10
touching = ["crate-1", "quay"]
"#;

const CRATES: &str = r#"include = ["quay.toml"]

[parameters]
crates = 7
height = 0.5

[templates.crate]
collider = { size = [1, 1, 1] }

[[entities]]
name = "crate"
template = "crate"
transform = { translation = [0, "= height", 0] }
arrange = { row = "= crates", step = [2, 0, 0] }
"#;

const QUAY: &str = r#"
title = "a quay alone"
frames = 99
gravity = [0, -1, 0]

[[entities]]
name = "quay"
transform = { translation = [0, -0.5, 0] }
collider = { size = [90, 1, 9] }

[[expect]]
frame = 1
count = { at-least = 3 }
"#;

#[test]
fn what_is_included_is_added_and_the_including_file_goes_before() {
    let folder = folder(
        "adds",
        &[
            ("main.toml", MAIN),
            ("parts/crates.toml", CRATES),
            ("parts/quay.toml", QUAY),
        ],
    );
    let scene = load(&folder, &Parameters::new()).expect("it is fine");
    assert_eq!((scene.title(), scene.frames()), ("a quay with crates", 10));
    // The quay is included twice and read once.
    assert_eq!(scene.files().len(), 3);
    let mut run = scene.start(Runtime::new()).expect("it fits");
    while run.run_frame().expect("nothing fails") {}
    let report = run.report();
    assert!(
        report.all_held() && report.outcomes().len() == 2,
        "{report}"
    );
    let world = run.runtime().world();
    assert_eq!(world.len(), 5);
    assert_eq!(
        world.global::<Gravity>().expect("it is set").0,
        Vec3::new(0.0, -1.0, 0.0)
    );
    let many = load(&folder, &Parameters::new().with("crates", "40")).expect("it is fine");
    assert_eq!(
        many.start(Runtime::new())
            .expect("it fits")
            .runtime()
            .world()
            .len(),
        42
    );
}

#[test]
fn files_that_include_each_other_are_read_once_each() {
    let folder = folder(
        "circle",
        &[
            (
                "main.toml",
                "include = ['other.toml']\ntitle = 'x'\nframes = 1\n[[entities]]\nname = 'a'\n",
            ),
            (
                "other.toml",
                "include = ['main.toml', './other.toml']\n[[entities]]\nname = 'b'\nparent = 'a'\n",
            ),
        ],
    );
    let scene = load(&folder, &Parameters::new()).expect("it is fine");
    assert_eq!(scene.files().len(), 2);
}

#[test]
fn faults_are_reported_in_their_own_file() {
    let crates = CRATES
        .replace("template = \"crate\"", "template = \"crats\"")
        .replace("height\"", "hight\"");
    let quay = QUAY
        .replace("size = [90, 1, 9]", "size = [90, -1, 9]")
        .replace("[[expect]]", "[templates.crate]\n[[expect]]");
    let main = MAIN.replace(
        "\"parts/quay.toml\"",
        "\"parts/quay.toml\", \"parts/none.toml\"",
    );
    let folder = folder(
        "faults",
        &[
            ("main.toml", &main),
            ("parts/crates.toml", &crates),
            ("parts/quay.toml", &quay),
        ],
    );
    let told = faults(&folder);
    let wanted = [
        "main.toml:1:52 ",
        "parts/crates.toml:12:12 unknown template `crats`",
        "parts/crates.toml:13:36 `hight` stands for nothing",
        "parts/quay.toml:9:21 a box cannot have the size [90.0, -1.0, 9.0]",
        "parts/quay.toml:11:12 there is a template `crate` already, in a file that comes before",
    ];
    assert_eq!(told.len(), wanted.len(), "{told:#?}");
    for (fault, wanted) in told.iter().zip(wanted) {
        assert!(fault.starts_with(wanted), "{fault} should be {wanted}");
    }
    assert!(told[0].contains("none.toml cannot be read: "));
}

#[test]
fn a_broken_line_of_an_included_file_is_reported_there() {
    let folder = folder(
        "broken",
        &[
            (
                "main.toml",
                "include = ['b.toml']\ntitle = 'x'\nframes = 1\n",
            ),
            ("b.toml", "[templates.a]\ncollider = {\n"),
        ],
    );
    let told = faults(&folder);
    assert!(
        told.iter()
            .all(|fault| fault.starts_with("b.toml:") && fault.contains("this is not TOML")),
        "{told:?}"
    );
}

#[test]
fn lists_and_tables_do_not_mix() {
    let folder = folder(
        "shapes",
        &[
            (
                "main.toml",
                "include = ['b.toml']\ntitle = 'x'\nframes = 1\n[[entities]]\n",
            ),
            ("b.toml", "[entities]\nname = 'b'\n"),
        ],
    );
    assert_eq!(
        faults(&folder),
        ["b.toml:1:1 `entities` is of another shape in the file that includes this one"]
    );
}

const LAMP: &str = "title = 'lamp'\nframes = 1\n[[entities]]\nname = 'lamp'\n";

#[test]
fn files_are_loaded_once_and_unloaded_as_a_whole() {
    let main = "title = 'x'\nframes = 60\n[[cues]]\nevery-frames = 20\ndo = [{ load = 'lamp.toml' }]\n[[cues]]\nframe = 45\ndo = [{ unload = 'lamp.toml' }, { unload = 'lamp.toml' }]\n";
    let folder = folder("loads", &[("main.toml", main), ("lamp.toml", LAMP)]);
    let scene = load(&folder, &Parameters::new()).expect("it is fine");
    let mut run = scene.start(Runtime::new()).expect("it fits");
    let mut counts = Vec::new();
    while run.run_frame().expect("nothing fails") {
        counts.push(run.runtime().world().len());
    }
    assert_eq!(
        (counts[0], counts[43], counts[44], counts[59]),
        (1, 1, 0, 0)
    );
    let missed = run.report();
    let missed = missed.missed();
    // At frames 21 and 41 it is there already; the second unloading finds nothing.
    assert_eq!(missed.len(), 3, "{missed:?}");
    assert!(missed[0].contains("load lamp.toml: lamp.toml is loaded already; unload it before"));
    assert!(missed[2].contains("unload lamp.toml: nothing of lamp.toml is there"));
    let mut run = scene.start(Runtime::new()).expect("it fits");
    run.run_frame().expect("nothing fails");
    let world = run.runtime().world();
    let lamp = world.find("lamp").expect("it is loaded");
    let from = world
        .get::<gerust_scene::LoadedFrom>(lamp)
        .expect("it is marked");
    assert_eq!(from.file(), "lamp.toml");
}

#[test]
fn faults_of_loaded_files_are_reported_where_they_are_loaded() {
    for (action, lamp, wanted) in [
        (
            "{ load = 'lamp.toml' }",
            LAMP.replace("frames = 1", "frames = 0"),
            "main.toml:5:16 lamp.toml cannot be loaded: it has a fault: ",
        ),
        (
            "{ load = 'none.toml' }",
            LAMP.to_owned(),
            "main.toml:5:16 none.toml cannot be loaded: ",
        ),
        (
            "{ load = 'lamp.toml' }",
            LAMP.replace("'lamp'\n[", "'x'\n[")
                .replace("name = 'lamp'", "name = 'mast'"),
            "main.toml:5:16 lamp.toml has an entity `mast`, and so has this scene",
        ),
        (
            "{ unload = 'lamp.toml' }",
            LAMP.to_owned(),
            "main.toml:5:18 no action loads lamp.toml",
        ),
    ] {
        let main = format!(
            "title = 'x'\nframes = 6\n[[cues]]\nframe = 1\ndo = [{action}]\n[[entities]]\nname = 'mast'\n"
        );
        let folder = folder("load-faults", &[("main.toml", &main), ("lamp.toml", &lamp)]);
        let told = faults(&folder);
        assert!(
            told.len() == 1 && told[0].starts_with(wanted),
            "{action}: {told:?}"
        );
    }
}

/// The fault names a file that a scene must not read, and quotes nothing from it.
#[cfg(unix)]
#[test]
fn only_regular_files_below_the_folder_are_read() {
    let folder = folder(
        "elsewhere",
        &[
            ("secret.toml", "title = 'hush'\n"),
            ("scenes/part.toml", "[[entities]]\nname = 'lamp'\n"),
            ("scenes/main.toml", ""),
        ],
    );
    let main = folder.join("scenes/main.toml");
    let link = folder.join("scenes/link.toml");
    std::os::unix::fs::symlink("../secret.toml", &link).expect("links can be made");
    fs::create_dir_all(folder.join("scenes/folder.toml")).expect("there is room");
    let long = vec![b'#'; (16 << 20) + 1];
    fs::write(folder.join("scenes/long.toml"), long).expect("there is room");
    for (named, wanted) in [
        ("../secret.toml", "is not below the folder"),
        ("/etc/passwd", "is not below the folder"),
        ("/dev/zero", "is not below the folder"),
        ("link.toml", "is not below the folder"),
        ("folder.toml", "is not a regular file"),
        ("long.toml", "is longer than 16 MiB"),
    ] {
        let texts = [
            format!("include = ['{named}']\ntitle = 't'\nframes = 1\n"),
            format!(
                "title = 't'\nframes = 1\n[[cues]]\nframe = 1\ndo = [{{ load = '{named}' }}]\n"
            ),
        ];
        for text in texts {
            fs::write(&main, text).expect("there is room");
            let error = Scene::load(&main, &Registry::standard()).expect_err("it is elsewhere");
            let message = error.to_string();
            assert!(message.contains(wanted), "{message}");
            assert!(
                !message.contains("hush") && !message.contains("root:"),
                "{message}"
            );
        }
    }
    // With a root that holds both, the first one is read.
    let text = "include = ['../secret.toml']\nframes = 1\n";
    fs::write(&main, text).expect("there is room");
    let mut registry = Registry::standard();
    registry.set_root(&folder);
    let scene = Scene::load(&main, &registry).expect("it is below the root");
    assert_eq!((scene.title(), scene.files().len()), ("hush", 2));
}

//! The picture and the effect of keys, without a terminal.

use super::app::App;
use super::picture::View;
use super::view::{Palette, draw};
use super::watched::Watched;
use crate::engine::Engine;
use crate::target::Target;
use gerust_scene::{Recording, Registry, Scene};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::buffer::Buffer;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::style::{Color, Modifier};
use std::time::Duration;

const SCENE: &str = r#"
title = "a crate, a gull and a barge"
frames = 30
[[entities]]
name = "quay"
transform = { translation = [0, -1, 0] }
collider = { size = [40, 2, 10] }
[[entities]]
name = "crate"
transform = { translation = [0, 6, 0] }
collider = { size = [4, 4, 4] }
body = {}
[[entities]]
name = "gull"
parent = "crate"
transform = { translation = [-10, 4, 0] }
components.velocity = [3, 0, 0]
[[expect]]
that = "entities = 3"
"#;

fn scene() -> Scene {
    Scene::parse(SCENE, "watched.toml", &Registry::standard()).expect("it has no fault")
}

fn app<'s>(engine: &'s Engine, scene: &Scene) -> App<'s> {
    let run = scene
        .start(engine.runtime().expect("it is made"))
        .expect("it fits");
    let watched = Watched::live(engine, run).expect("memory does not fail");
    App::new(watched, View::Side).expect("there are boxes")
}

fn press(app: &mut App<'_>, keys: &str) {
    for letter in keys.chars() {
        let code = match letter {
            '\n' => KeyCode::Enter,
            '\t' => KeyCode::Tab,
            letter => KeyCode::Char(letter),
        };
        app.handle(KeyEvent::new(code, KeyModifiers::NONE))
            .expect("nothing fails");
    }
}

fn seen(app: &mut App<'_>, (columns, rows): (u16, u16), palette: Palette) -> Buffer {
    app.look();
    let backend = TestBackend::new(columns, rows);
    let mut terminal = Terminal::new(backend).expect("it is made");
    terminal
        .draw(|frame| draw(frame, app, palette))
        .expect("it is drawn");
    terminal.backend().buffer().clone()
}

fn text(app: &mut App<'_>, size: (u16, u16)) -> String {
    let buffer = seen(app, size, Palette::Plain);
    let rows = (0..size.1).map(|row| {
        let letters = (0..size.0).map(|column| buffer[(column, row)].symbol());
        letters.collect::<String>()
    });
    rows.collect::<Vec<_>>().join("\n")
}

#[test]
fn all_of_it_is_seen_from_80_by_24_on() {
    let (engine, scene) = (Engine::standard(), scene());
    let mut app = app(&engine, &scene);
    // Times of a run are never the same: before the first frame there are none.
    insta::assert_snapshot!("start", text(&mut app, (80, 24)));
    press(&mut app, "jj");
    insta::assert_snapshot!("selected", text(&mut app, (80, 24)));
    let wide = text(&mut app, (160, 50));
    assert!(
        wide.contains("touch: contacts") && wide.contains("transform"),
        "{wide}"
    );
    let small = text(&mut app, (60, 12));
    assert!(small.contains("this terminal has 60x12 letters"), "{small}");
}

#[test]
fn it_runs_stands_steps_and_goes_back() {
    let (engine, scene) = (Engine::standard(), scene());
    let mut app = app(&engine, &scene);
    let frame = |app: &App<'_>| app.watched.frame();
    app.pass(Duration::from_secs(1)).expect("nothing fails");
    assert_eq!(frame(&app), 0, "it stands at first");
    press(&mut app, " ");
    app.pass(Duration::from_millis(100)).expect("nothing fails");
    assert_eq!(frame(&app), 6);
    // Twice as fast.
    press(&mut app, "+");
    app.pass(Duration::from_millis(50)).expect("nothing fails");
    assert_eq!(frame(&app), 12);
    let digest = |app: &App<'_>| app.watched.world().digest().expect("all can be written");
    let at_12 = digest(&app);
    press(&mut app, ",,,");
    assert!(!app.is_running && app.watched.is_past());
    assert_eq!(frame(&app), 9);
    assert!(
        text(&mut app, (80, 24)).contains("frame 9 of 30, 0.15 s, stands, in the past, speed 2")
    );
    press(&mut app, "...");
    assert_eq!((frame(&app), digest(&app)), (12, at_12));
    assert!(
        !app.watched.is_past(),
        "it has come back to where the scene stands"
    );
    press(&mut app, ".");
    assert_eq!(frame(&app), 13);
    press(&mut app, &",".repeat(14));
    assert_eq!(
        (frame(&app), app.message.as_str()),
        (0, "this is the start")
    );
    press(&mut app, " ");
    app.pass(Duration::from_secs(2)).expect("nothing fails");
    assert_eq!((frame(&app), app.message.as_str()), (30, "this is the end"));
    assert!(!app.is_running);
    press(&mut app, "-------------");
    assert!(app.speed() > 0.0);
    press(&mut app, "q");
    assert!(app.is_over);
}

#[test]
fn a_system_that_is_off_is_marked_and_what_it_moves_stands_still() {
    let (engine, scene) = (Engine::standard(), scene());
    let mut app = app(&engine, &scene);
    press(&mut app, "\t");
    let at = app
        .systems()
        .iter()
        .position(|name| name == "standard: drift");
    press(&mut app, &"j".repeat(at.expect("the kit has it")));
    press(&mut app, "x");
    assert_eq!(
        app.message,
        "`standard: drift` is off: see what stands still"
    );
    assert!(text(&mut app, (80, 24)).contains("×standard: drift"));
    let gull = app.watched.world().find("gull").expect("it is there");
    let x = |app: &App<'_>| {
        let world = app.watched.world();
        world
            .get::<gerust::Transform>(gull)
            .expect("it has one")
            .translation
            .x
    };
    press(&mut app, "...");
    assert_eq!(x(&app), -10.0);
    press(&mut app, "x.");
    assert!(x(&app) > -10.0);
}

#[test]
fn entities_are_found_by_name() {
    let (engine, scene) = (Engine::standard(), scene());
    let mut app = app(&engine, &scene);
    press(&mut app, "/gu");
    assert!(app.is_typing);
    assert_eq!(app.selected, app.watched.world().find("gull"));
    let told = text(&mut app, (80, 24));
    assert!(
        told.contains("find: gu_") && told.contains("1 with `gu`"),
        "{told}"
    );
    press(&mut app, "\n");
    assert!(!app.is_typing);
    assert!(text(&mut app, (80, 24)).contains("velocity 3, 0, 0"));
    app.handle(KeyEvent::new(KeyCode::Esc, KeyModifiers::NONE))
        .expect("nothing fails");
    assert_eq!(app.tree().len(), 3);
    // A child is listed below its parent, indented.
    let depths: Vec<usize> = app.tree().iter().map(|line| line.depth).collect();
    assert_eq!(depths, [0, 0, 1]);
}

#[test]
fn without_colors_no_cell_has_one() {
    let (engine, scene) = (Engine::standard(), scene());
    let mut app = app(&engine, &scene);
    press(&mut app, "...");
    let mut has_color = |palette| {
        let buffer = seen(&mut app, (100, 30), palette);
        buffer.content().iter().any(|cell| cell.fg != Color::Reset)
    };
    assert!(has_color(Palette::Colors));
    assert!(!has_color(Palette::Plain));
}

#[test]
fn values_that_have_changed_stand_out() {
    let (engine, scene) = (Engine::standard(), scene());
    let mut app = app(&engine, &scene);
    press(&mut app, "/gull\n");
    let bold = |app: &mut App<'_>| {
        let buffer = seen(app, (80, 24), Palette::Plain);
        let cells = buffer.content().iter();
        // Those of the last lines: the title is bold as well.
        cells
            .skip(80 * 17)
            .filter(|cell| cell.modifier.contains(Modifier::BOLD))
            .count()
    };
    assert_eq!(bold(&mut app), 0);
    press(&mut app, ".");
    assert_eq!(bold(&mut app), "-9.950, 4, 0".len());
}

#[test]
fn what_was_watched_can_be_kept_and_watched_again() {
    let (engine, scene) = (Engine::standard(), scene());
    let mut app = app(&engine, &scene);
    press(&mut app, ".....,,");
    let folder = tempfile::tempdir().expect("there is room");
    let path = folder.path().join("watched.rec");
    let target = Target::new(&path, []).expect("there is room");
    app.watched.keep(target).expect("there is room");
    let recording = Recording::load(&path).expect("it is one");
    assert_eq!((recording.last_frame(), recording.damage()), (5, None));
    let watched = Watched::recorded(&engine, recording).expect("all is registered");
    let mut app = App::new(watched, View::Top).expect("there are boxes");
    press(&mut app, "v......");
    assert_eq!(
        (app.watched.frame(), app.message.as_str()),
        (5, "this is the end")
    );
    press(&mut app, "\tx");
    assert!(app.message.starts_with("a recording has run already"));
    assert!(text(&mut app, (80, 24)).contains("frame times are not recorded"));
    press(&mut app, ",");
    assert_eq!(app.watched.frame(), 4);
    assert!(Target::new(&folder.path().join("no/x.rec"), []).is_err());
}

#[test]
fn every_scene_can_be_watched_in_every_way() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../scenes");
    let engine = Engine::standard();
    let mut watched = 0;
    for entry in std::fs::read_dir(folder).expect("it is there") {
        let path = entry.expect("it can be read").path();
        if !path.is_file() {
            continue;
        }
        let scene = Scene::load(&path, engine.registry()).expect("it has no fault");
        let mut app = app(&engine, &scene);
        // Steps, goes back and forth, takes the other view and searches for an entity.
        press(&mut app, "..........,,.v/a\n");
        for size in [(80, 24), (140, 50)] {
            let text = text(&mut app, size);
            assert!(text.contains("frame 9 of "), "{}: {text}", path.display());
            assert!(text.contains("from the top"), "{}: {text}", path.display());
        }
        watched += 1;
    }
    assert!(watched >= 14);
}

/// Control characters of titles, names and values would act on a real terminal. No cell of any view holds one, and the names are
/// still legible.
#[test]
fn control_characters_reach_no_view() {
    let text = r#"
title = "a \u001b[31mred\u0007 title"
frames = 30
[controls]
"ho\u001bist" = { held = [[0, 1]] }
[templates."pal\u001b[2Jlet"]
collider = { size = [1, 1, 1] }
[[entities]]
name = "cr\u001b]0;own\u0007ate"
transform = { translation = [0, 6, 0] }
collider = { size = [4, 4, 4] }
body = {}
[[entities]]
name = "gu\r\nll"
parent = "cr\u001b]0;own\u0007ate"
template = "pal\u001b[2Jlet"
[[expect]]
that = "entities = 2"
"#;
    let scene = Scene::parse(text, "wa\u{1b}tched.toml", &Registry::standard());
    let (engine, scene) = (Engine::standard(), scene.expect("it has no fault"));
    let mut app = app(&engine, &scene);
    let mut shown = String::new();
    for keys in ["", "jj", "..", "v", "v", "v", "/gu\n", "\t", "\t", "?"] {
        press(&mut app, keys);
        for size in [(80, 24), (140, 50), (60, 12)] {
            let buffer = seen(&mut app, size, Palette::Plain);
            for cell in buffer.content() {
                let symbol = cell.symbol();
                assert!(
                    !symbol.chars().any(char::is_control),
                    "{symbol:?} after {keys:?}"
                );
                shown.push_str(symbol);
            }
        }
    }
    for legible in ["title", "gu", "ll", "ate"] {
        assert!(shown.contains(legible), "{legible}");
    }
}

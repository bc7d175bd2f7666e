//! An expression is as good as the value that it comes to, under every key.

use gerust::prelude::*;
use gerust_scene::{Registry, Scene};
use std::path::Path;
use toml_edit::{DocumentMut, Item, Value};

/// Expressions, and what they come to.
const EXPRESSIONS: [(&str, &str); 5] = [
    ("= 1 + 1", "2"),
    ("= 0.5 + 0.125", "0.625"),
    ("= 1 < 2", "true"),
    ("= (1, 1 + 1, 0.625)", "[1, 2, 0.625]"),
    ("= \"cra\"", "\"cra\""),
];

const TEXT: &str = r#"
title = "all kinds of keys"
frames = 4
step = 0.02
gravity = [0, -9, 0]
iterations = 3
margin = 0.002
seed = 4
warm-up = 1
budget-ms = 5.5
dimensions = 3
[layers]
wall = ["crate"]
crate = []
[controls.hoist]
held = [[0.0, 0.02]]
[controls.slew]
values = [[0.0, 0.5], [0.04, 1.0]]
[templates.crate]
collider = { size = [1, 1, 1], center = [0, 0.1, 0], kind = "solid", layer = "crate", on = true, upright = false }
body = { motion = "dynamic", velocity = [0, 1, 0], gravity-scale = 0.5, mass = 3, restitution = 0.25, friction = 0.5 }
[[entities]]
name = "wall"
transform = { translation = [0, -2, 0], turn = { axis = [0, 1, 0], degrees = 30 }, scale = [1, 1, 1] }
collider = { boxes = [{ size = [9, 1, 9] }], layer = "wall" }
[[entities]]
name = "crate"
template = "crate"
arrange = { row = 3, step = [2, 0, 0] }
[[entities]]
name = "ferry"
components.velocity = [2, 0, 0]
components.route = { waypoints = [[2, 0, 0], [2, 0, 3]], speed = 1.5, loop = true }
components.lifetime = 2.5
[[entities]]
name = "rotor"
parent = "ferry"
transform = { rotation = [0, 0, 0, 1] }
[[cues]]
frame = 2
do = [
    { set = { entity = "wall", transform = { translation = [0, -3, 0] } } },
    { spawn = { name = "late", template = "crate", transform = { translation = [0, 9, 0] } } },
    { chance = 0.5, despawn = "crate-2" },
    { push = { away-from = [0, 0, 0], radius = 3, strength = 2 } },
    { link = { entity = "rotor", under = "wall" } },
]
[[rules]]
when = "crate-1.position.y > 3"
once = true
do = [{ despawn = "rotor" }]
[[rules]]
contact = ["crate", "wall"]
do = [{ change = { field = "ferry.body.mass", to = "2" } }]
[[expect]]
what = "it stays"
that = "wall exists"
"#;

/// All values of a document that are no tables, by the keys that lead there.
fn leaves(item: &Item, at: &mut Vec<String>, all: &mut Vec<Vec<String>>) {
    let mut visit = |key: String, item: &Item, all: &mut Vec<Vec<String>>| {
        at.push(key);
        leaves(item, at, all);
        at.pop();
    };
    if let Some(table) = item.as_table_like() {
        for (key, item) in table.iter() {
            visit(key.to_owned(), item, all);
        }
    } else if let Some(tables) = item.as_array_of_tables() {
        for (number, table) in tables.iter().enumerate() {
            visit(number.to_string(), &Item::Table(table.clone()), all);
        }
    } else {
        if let Some(array) = item.as_array() {
            for (number, value) in array.iter().enumerate() {
                visit(number.to_string(), &Item::Value(value.clone()), all);
            }
        }
        all.push(at.clone());
    }
}

/// Puts a value in the place to which keys lead.
fn put(item: &mut Item, keys: &[String], value: &Value) {
    let Some((key, rest)) = keys.split_first() else {
        *item = Item::Value(value.clone());
        return;
    };
    if let Some(table) = item.as_table_like_mut() {
        put(table.get_mut(key).expect("it was found"), rest, value);
        return;
    }
    let number: usize = key.parse().expect("it is the number of an item");
    if let Some(tables) = item.as_array_of_tables_mut() {
        let table = tables.get_mut(number).expect("it was found");
        let mut inner = Item::Table(std::mem::take(table));
        put(&mut inner, rest, value);
        *table = inner.into_table().expect("it is still a table");
    } else {
        let array = item.as_array_mut().expect("it has items");
        let mut inner = Item::Value(array.get(number).expect("it was found").clone());
        put(&mut inner, rest, value);
        let inner = inner.into_value().expect("it is a value");
        array.replace(number, inner);
    }
}

/// The result of a text: its faults, or the report of its scene.
fn outcome(text: &str) -> Result<String, Vec<String>> {
    let scene = Scene::parse(text, Path::new("values.toml"), &Registry::standard());
    let scene = scene.map_err(|error| {
        let faults = error.faults().iter();
        faults
            .map(|fault| fault.message().to_owned())
            .collect::<Vec<_>>()
    })?;
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("it is added once");
    let mut run = scene.start(runtime).expect("it fits");
    let mut digests = Vec::new();
    for _ in 0..4 {
        run.run_frame().expect("nothing fails");
        digests.push(run.runtime().world().digest().expect("all is registered"));
    }
    let settings = (scene.title(), scene.frames(), scene.step_seconds());
    Ok(format!(
        "{settings:?} {digests:?} {}",
        run.report().all_held()
    ))
}

#[test]
fn an_expression_does_what_its_value_does_under_every_key() {
    let document: DocumentMut = TEXT.parse().expect("it is TOML");
    assert!(outcome(TEXT).is_ok(), "{:?}", outcome(TEXT));
    let mut places = Vec::new();
    leaves(document.as_item(), &mut Vec::new(), &mut places);
    assert!(places.len() > 100, "{} places", places.len());
    for keys in &places {
        for (expression, value) in EXPRESSIONS {
            let text = |value: Value| {
                let mut changed = document.clone();
                put(changed.as_item_mut(), keys, &value);
                changed.to_string()
            };
            let written = text(value.parse().expect("it is a value"));
            let worked_out = text(Value::from(expression));
            assert_eq!(
                outcome(&worked_out),
                outcome(&written),
                "`{expression}` against `{value}` for {keys:?}"
            );
        }
    }
}

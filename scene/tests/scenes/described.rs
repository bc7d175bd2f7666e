//! Each described field is known to every part of a scene that deals with fields, so that a new field needs no other change.

use crate::common::runtime;
use gerust::glam::Quat;
use gerust::prelude::*;
use gerust::store::{Described, Field, FieldKind, FieldValue};
use gerust_scene::{EntityDraft, Registry, Scene, SceneDraft, schema};
use serde_json::Value as Json;

/// A value that the field accepts, other than one it has.
fn another<T>(field: &Field<T>, than: &FieldValue) -> FieldValue {
    let candidates = [
        FieldValue::Number(0.5),
        FieldValue::Number(0.25),
        FieldValue::Whole(1),
        FieldValue::Whole(2),
        FieldValue::Truth(true),
        FieldValue::Truth(false),
        FieldValue::Vector(Vec3::new(1.0, 2.0, 3.0)),
        FieldValue::Rotation(Quat::from_xyzw(0.0, 1.0, 0.0, 0.0)),
    ];
    let choices = match field.kind() {
        FieldKind::Choice(choices) => choices,
        _ => &[],
    };
    let choices = choices.iter().map(|&word| FieldValue::Choice(word.into()));
    let mut all = candidates.into_iter().chain(choices);
    all.find(|value| value != than && field.kind().accepts(value))
        .expect("one of these fits")
}

/// As a scene file writes it.
fn written(value: &FieldValue) -> String {
    match value {
        FieldValue::Choice(word) => format!("\"{word}\""),
        other => other.to_string(),
    }
}

/// As an expression writes it.
fn expressed(value: &FieldValue) -> String {
    match value {
        FieldValue::Vector(vector) => format!("({}, {}, {})", vector.x, vector.y, vector.z),
        other => written(other),
    }
}

/// Sets each field of a component in a scene, and again by a cue; asks for it; and changes it.
fn every_field_is_known<T: Component + Described>(key: &str, fresh: &T, definition: &str) {
    let schema: Json = serde_json::from_str(&schema()).expect("it is JSON");
    let entries = schema["$defs"].as_object().expect("it has definitions");
    for field in T::FIELDS {
        let name = field.name();
        let is_in_schema = entries[definition]["properties"][name].is_object();
        assert_eq!(is_in_schema, !field.is_derived(), "{key}.{name}");
        if field.is_derived() {
            continue;
        }
        let before = field.read(fresh);
        let value = another(field, &before);
        let (text, asked) = (written(&value), expressed(&value));
        let size = match key {
            "collider" => "size = [1, 1, 1], ",
            _ => "",
        };
        let is_changeable = !matches!(value, FieldValue::Rotation(_));
        let change = match is_changeable {
            true => format!(
                "[[cues]]\nframe = 2\ndo = [{{ change = {{ field = 'crate.{key}.{name}', to = '{asked}' }} }}]\n\
                 [[expect]]\nthat = 'crate.{key}.{name} = {asked} at frame 2'\n"
            ),
            false => String::new(),
        };
        let back = written(&before);
        let text = format!(
            "title = 't'\nframes = 2\ngravity = [0, 0, 0]\n\
             [[entities]]\nname = 'crate'\n{key} = {{ {size}{name} = {text} }}\n\
             [[cues]]\nframe = 1\nset = {{ entity = 'crate', {key} = {{ {name} = {back} }} }}\n{change}"
        );
        let scene = Scene::parse(&text, "t.toml", &Registry::standard());
        let scene = scene.unwrap_or_else(|error| panic!("{error}\n{text}"));
        let mut run = scene.start(runtime()).expect("it starts");
        let read = |run: &gerust_scene::SceneRun| {
            let world = run.runtime().world();
            let entity = world.find("crate").expect("it is in the scene");
            let component = world.get::<T>(entity).expect("the entry gives it one");
            field.read(&component)
        };
        assert_eq!(read(&run), value, "{text}");
        run.run_frame().expect("the first frame runs");
        assert_eq!(read(&run), before, "{text}");
        run.run_frame().expect("the second frame runs");
        if is_changeable {
            assert_eq!(read(&run), value, "{text}");
        }
        run.report().assert_all_held();
    }
}

#[test]
fn every_field_of_built_in_components_is_known_to_scenes() {
    every_field_is_known("body", &Body::default(), "BodyEntry");
    every_field_is_known("transform", &Transform::default(), "TransformEntry");
    let collider = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    every_field_is_known("collider", &collider, "ColliderEntry");
}

/// A draft writes all fields of a body.
#[test]
fn a_draft_keeps_every_field_of_a_body() {
    let mut body = Body::default();
    for field in Body::FIELDS.iter().filter(|field| !field.is_derived()) {
        let value = another(field, &field.read(&body));
        field.write(&mut body, &value).expect("it fits");
    }
    let draft = SceneDraft::new("a crate", 1).entity(EntityDraft::named("crate").body(&body));
    let scene = draft.build(&Registry::standard()).expect("it has no fault");
    let run = scene.start(runtime()).expect("it starts");
    let world = run.runtime().world();
    let entity = world.find("crate").expect("it is in the scene");
    assert_eq!(*world.get::<Body>(entity).expect("it has one"), body);
}

/// Values out of bounds are faults in a file, and missed actions where an expression comes to them.
#[test]
fn values_out_of_bounds_are_refused_by_files_and_by_changes() {
    let scene = |body: &str, to: &str| {
        let text = format!(
            "title = 't'\nframes = 1\n[[entities]]\nname = 'crate'\nbody = {{ {body} }}\n\
             [[cues]]\nframe = 1\ndo = [{{ change = {{ field = 'crate.body.restitution', to = '{to}' }} }}]\n"
        );
        Scene::parse(&text, "t.toml", &Registry::standard())
    };
    for (body, message) in [
        (
            "restitution = 1.5",
            "`restitution` must be a number from 0 to 1, found 1.5",
        ),
        (
            "friction = -1",
            "`friction` must be a number of at least 0, found -1",
        ),
        (
            "mass = 0",
            "`mass` must be a number from 1e-20 to 1e12, found 0",
        ),
        (
            "velocity = [2e7, 0, 0]",
            "`velocity` must be a list of 3 finite numbers of a length up to 1e7, found [2e7, 0, 0]",
        ),
        (
            "motion = 'dynamical'",
            "`dynamical` is not one of the choices",
        ),
    ] {
        let error = scene(body, "0").expect_err(body);
        let told: Vec<&str> = error.faults().iter().map(|fault| fault.message()).collect();
        assert_eq!(told, [message]);
    }
    let scene = scene("restitution = 0.5", "1.5").expect("it has no fault");
    let mut run = scene.start(runtime()).expect("it starts");
    run.run_frame().expect("the frame runs");
    let report = run.report();
    let missed: Vec<String> = report.missed().iter().map(ToString::to_string).collect();
    assert_eq!(
        missed,
        [
            "frame 1: change crate.body.restitution: `crate.body.restitution` cannot be changed: `restitution` must be a number from 0 to 1, found 1.5"
        ]
    );
}

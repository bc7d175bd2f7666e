//! Layers of a program and layers of a scene in one world.

use gerust::prelude::*;
use gerust_scene::{Recording, RecordingWriter, Registry, Scene};

const TEXT: &str = r#"
title = "carts and gates"
frames = 4
[layers]
bay = []
cart = []
gate = ["cart"]
[[entities]]
name = "gate"
collider = { size = [1, 1, 1], kind = "sensor", layer = "gate" }
[[entities]]
name = "bay"
collider = { size = [1, 1, 1], kind = "sensor", layer = "bay" }
"#;

/// A runtime whose program has layers of its own: `cart`, and `ghost`, which meets nothing.
fn program() -> (Runtime, Layer) {
    let mut runtime = Runtime::new();
    let layers = runtime.world_mut().global_mut::<Layers>();
    let layers = layers.expect("always there");
    let ghost = layers.add("ghost").expect("there is room");
    layers
        .part(ghost, Layer::default())
        .expect("both are its own");
    let cart = layers.add("cart").expect("there is room");
    (runtime, cart)
}

fn scene() -> Scene {
    Scene::parse(TEXT, "carts.toml", &Registry::standard()).expect("it has no fault")
}

fn touching(runtime: &Runtime) -> Vec<String> {
    let world = runtime.world();
    let contacts = world.global::<Contacts>().expect("always there");
    let names = |contact: &Contact| {
        [contact.first, contact.second]
            .map(|id| world.label(id))
            .join(" ")
    };
    contacts.iter().map(names).collect()
}

#[test]
fn a_scene_keeps_the_layers_of_the_program() {
    let scene = scene();
    let (runtime, cart) = program();
    let mut run = scene.start(runtime).expect("it fits");
    let world = run.runtime_mut().world_mut();
    let cube = Collider::sensor(Aabb::from_center(Vec3::ZERO, Vec3::ONE)).in_layer(cart);
    world.spawn((Name::new("cart"), Transform::default(), cube));
    let mut writer = RecordingWriter::begin(Vec::new(), &run).expect("memory does not fail");
    while run.run_frame().expect("nothing fails") {
        writer.note(&run).expect("memory does not fail");
    }
    let met = touching(run.runtime());
    assert_eq!(met.len(), 1, "{met:?}");
    assert!(met[0].contains("gate") && met[0].contains("cart"));

    // A recording keeps them as well, also in a runtime that does not know them.
    let bytes = writer.finish(&run).expect("memory does not fail");
    let recording = Recording::from_bytes(bytes, "carts.rec").expect("it is whole");
    for mut runtime in [program().0, Runtime::new()] {
        let last = recording.last_frame();
        let restored = recording.restore_into(&mut runtime, &Registry::standard(), last);
        restored.expect("it fits");
        assert_eq!(touching(&runtime), met);
        let layers = runtime.world().global::<Layers>().expect("always there");
        let ghost = layers.find("ghost").expect("it was recorded");
        assert!(!layers.do_meet(ghost, Layer::default()));
    }
}

#[test]
fn a_layer_of_other_layers_is_an_error_that_names_the_entity() {
    let mut runtime = Runtime::new();
    let mut others = Layers::default();
    let stray = others.add("stray").expect("there is room");
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE)).in_layer(stray);
    let world = runtime.world_mut();
    let crate_ = world.spawn((Name::new("crate"), Transform::default(), cube));
    let error = runtime.run_frames(1).expect_err("the layer is unknown");
    assert_eq!(error.entity(), Some(crate_));
    let text = error.to_string();
    assert!(
        text.contains("crate") && text.contains("`default`"),
        "{text}"
    );
    // Once the world has the layer, the frame runs.
    let layers = runtime.world_mut().global_mut::<Layers>();
    layers
        .expect("always there")
        .add("stray")
        .expect("there is room");
    runtime.run_frames(1).expect("it is known now");
}

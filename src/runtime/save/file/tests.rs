//! Files with a right checksum and wrong contents.

use super::*;
use crate::ErrorKind;
use crate::prelude::*;

/// Two touching boxes after some frames.
fn runtime() -> Runtime {
    let mut runtime = Runtime::new();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    let world = runtime.world_mut();
    for height in [0.0, 2.0, 4.0] {
        world.spawn((
            Transform::at(0.0, height, 0.0),
            cube.clone(),
            Body::kinematic(Vec3::ZERO),
        ));
    }
    runtime.run_frames(2).expect("nothing fails");
    runtime
}

fn forged_contact(index: u32) -> Contact {
    let id = |index| Entity::from_parts(index, NonZeroU32::MIN);
    Contact {
        first: id(index),
        second: id(index + 1),
        state: crate::ContactState::Began,
        normal: Vec3::Y,
        depth: 0.0,
        is_sensor: false,
        is_leftover: false,
        since: 1,
        impulse: 0.0,
        approach: 0.0,
    }
}

/// The error of loading a state that was changed after it was saved; the runtime stays as it was.
fn refusal(forge: impl FnOnce(&mut State)) -> String {
    let mut runtime = runtime();
    let state = |runtime: &mut Runtime| {
        State::of(&runtime.world, &mut runtime.schedule).expect("it can be written")
    };
    let mut forged = state(&mut runtime);
    forge(&mut forged);
    let bytes = forged.to_bytes().expect("it can be written");
    let before = state(&mut runtime).to_bytes().expect("it can be written");
    let error = runtime.load(&bytes[..]).expect_err("it is refused");
    let after = state(&mut runtime).to_bytes().expect("it can be written");
    assert_eq!(before, after, "{error}");
    assert!(
        matches!(error.kind(), ErrorKind::InvalidFile | ErrorKind::Snapshot),
        "{error}"
    );
    error.to_string()
}

#[test]
fn a_clock_that_shows_no_time_is_refused() {
    let zero = Runtime::new();
    let forged = |step: &str| {
        let clock = serde_json::to_string(&*zero.world.global::<Clock>().expect("it is there"));
        let clock = clock.expect("it can be written");
        let (before, after) = clock.split_once("0.016666666666666666").expect("a step");
        let clock = format!("{before}{step}{after}");
        serde_json::from_str::<Clock>(&clock).expect("it can be read")
    };
    for step in ["0.0", "-1.0", "1e300"] {
        let message = refusal(|state| state.clock = forged(step));
        assert!(message.contains("its clock shows no time"), "{message}");
    }
}

#[test]
fn contradictions_are_refused() {
    type Forge = fn(&mut State);
    let cases: [(&str, Forge); 10] = [
        ("its contacts contradict", |state| {
            state
                .contacts
                .as_mut()
                .expect("it has some")
                .current
                .reverse();
        }),
        ("its contacts contradict", |state| {
            state
                .contacts
                .as_mut()
                .expect("it has some")
                .settings
                .margin = f32::NAN;
        }),
        ("it names a component that it does not list", |state| {
            state.components.clear();
        }),
        ("a component is not a byte string", |state| {
            state.entities[0].2[0].1 = Value::Null;
        }),
        ("the global `layers` cannot be read", |state| {
            let layers = Value::Map(vec![
                (
                    Value::from("names"),
                    Value::Array(vec![Value::from("default")]),
                ),
                (Value::from("meets"), Value::Array(vec![Value::from(7)])),
            ]);
            let mut bytes = Vec::new();
            ciborium::into_writer(&layers, &mut bytes).expect("it can be written");
            let mut globals = state.globals.iter_mut();
            let known = globals.find(|(name, _)| name == "layers");
            known.expect("it is saved").1 = Value::Bytes(bytes);
        }),
        ("the events `contact` cannot be read", |state| {
            state.events[0].frame_start = u64::MAX;
        }),
        ("the events `contact` cannot be read", |state| {
            state.events[0].first += 1 + state.events[0].frame_start;
        }),
        ("the events `contact` cannot be read", |state| {
            state.events[0].events = vec![Value::Bytes(vec![0xf6])];
        }),
        ("the snapshot contradicts itself", |state| {
            state.entities[0].1 = NonZeroU32::new(9).expect("it is above 0");
        }),
        ("the global `tide`, which is not registered", |state| {
            state
                .globals
                .push((String::from("tide"), Value::Bytes(vec![0xf6])));
        }),
    ];
    for (wanted, forge) in cases {
        let message = refusal(forge);
        assert!(message.contains(wanted), "{message}");
    }
}

/// Contacts of entities that are not there end in the next frame.
#[test]
fn contacts_of_missing_entities_end() {
    let mut runtime = runtime();
    let mut forged = State::of(&runtime.world, &mut runtime.schedule).expect("it can be written");
    let contacts = forged.contacts.as_mut().expect("it has some");
    contacts.current.push(forged_contact(50));
    let bytes = forged.to_bytes().expect("it can be written");
    runtime.load(&bytes[..]).expect("it is well formed");
    runtime.run_frames(1).expect("nothing fails");
    let ended: Vec<u32> = runtime
        .world()
        .posted::<Contact>()
        .iter()
        .map(|contact| contact.first.index())
        .collect();
    assert_eq!(ended, [50]);
    runtime.run_frames(2).expect("nothing fails");
}

#[test]
fn a_newer_format_is_refused_with_both_versions() {
    let mut runtime = runtime();
    let bytes = (FORMAT, 2, Value::Bytes(Vec::new()), 0_u64);
    let mut file = Vec::new();
    ciborium::into_writer(&bytes, &mut file).expect("it can be written");
    let error = runtime.load(&file[..]).unwrap_err();
    assert_eq!(
        error.to_string(),
        "cannot load a saved runtime: its format has version 2, and this build reads version 1; use the build that wrote it"
    );
}

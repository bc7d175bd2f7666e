use super::*;
use crate::collide::{Body, Motion};
use crate::space::Transform;
use glam::{Quat, Vec3};
use proptest::prelude::*;

#[derive(Default, Debug, PartialEq)]
struct Winch {
    top_speed: f32,
    drums: u8,
    is_locked: bool,
    turn: Quat,
}

crate::describe_fields! {
    Winch {
        top_speed: "Metres of rope per second." [at_least(0.0), at_most(4.0), or_infinite()];
        drums: "How many drums it has.";
        is_locked: "Whether the brake is on.";
        turn: "How it stands." [derived()];
    }
}

/// The error of writing a value into a field of a fresh winch.
fn refusal(field: &str, value: FieldValue) -> Option<String> {
    let mut winch = Winch::default();
    let field = Winch::field(field).expect("the winch has the field");
    let error = field.write(&mut winch, &value).err()?;
    assert_eq!(winch, Winch::default(), "a refused value is not written");
    assert_eq!(error.kind(), ErrorKind::InvalidArgument);
    Some(error.to_string())
}

#[test]
fn names_are_in_kebab_case_and_found_with_either_dash() {
    let names: Vec<&str> = Winch::FIELDS.iter().map(Field::name).collect();
    assert_eq!(names, ["top-speed", "drums", "is-locked", "turn"]);
    for name in ["top-speed", "top_speed"] {
        assert_eq!(Winch::field(name).map(Field::name), Some("top-speed"));
    }
    for name in ["top", "top-speed-2", "top.speed", ""] {
        assert!(Winch::field(name).is_none(), "{name}");
    }
}

#[test]
fn a_value_out_of_bounds_or_of_another_kind_is_refused() {
    let speed = |value| refusal("top-speed", FieldValue::Number(value));
    assert_eq!(speed(0.0), None);
    assert_eq!(speed(4.0), None);
    assert_eq!(speed(f32::INFINITY), None);
    let wanted = "`top-speed` must be a number from 0 to 4 or infinity, found";
    assert_eq!(speed(4.1), Some(format!("{wanted} 4.1")));
    assert_eq!(speed(-1.0), Some(format!("{wanted} -1")));
    assert_eq!(speed(f32::NAN), Some(format!("{wanted} NaN")));
    assert_eq!(
        speed(f32::NEG_INFINITY),
        Some(format!("{wanted} -inf")),
        "only positive infinity is a value"
    );
    assert_eq!(
        refusal("top-speed", FieldValue::Truth(true)),
        Some(format!("{wanted} true"))
    );
    assert_eq!(
        refusal("drums", FieldValue::Whole(256)),
        Some(String::from(
            "`drums` must be a whole number from 0 to 255, found 256"
        ))
    );
    assert_eq!(
        refusal("turn", FieldValue::Rotation(Quat::IDENTITY)),
        Some(String::from(
            "`turn` cannot be set, because the runtime computes it; set another field"
        ))
    );
}

#[test]
fn each_kind_says_what_it_takes() {
    let of = |name: &str| Body::field(name).expect("a field of a body").kind();
    let said = [
        "motion",
        "velocity",
        "restitution",
        "friction",
        "gravity-scale",
    ]
    .map(|name| of(name).to_string());
    assert_eq!(
        said,
        [
            "one of `static`, `kinematic`, `dynamic`",
            "a list of 3 finite numbers of a length up to 1e7",
            "a number from 0 to 1",
            "a number of at least 0",
            "a finite number",
        ]
    );
    let at_most = FieldKind::Number {
        least: f32::MIN,
        most: 3.0,
        or_infinite: false,
    };
    assert_eq!(at_most.to_string(), "a number of at most 3");
    let of = |name: &str| Transform::field(name).expect("a field").kind().to_string();
    assert_eq!(of("scale"), "a list of 3 finite numbers");
    assert_eq!(of("rotation"), "a quaternion of length 1: x, y, z, w");
}

#[test]
fn long_vectors_and_rotations_of_another_length_are_refused() {
    let velocity = Body::field("velocity").expect("a field").kind();
    let accepts = |vector| velocity.accepts(&FieldValue::Vector(vector));
    assert!(accepts(Vec3::X * Body::MOST_SPEED));
    assert!(!accepts(Vec3::splat(Body::MOST_SPEED)));
    assert!(!accepts(Vec3::splat(f32::MAX)), "its length is infinite");
    let scale = Transform::field("scale").expect("a field").kind();
    assert!(scale.accepts(&FieldValue::Vector(Vec3::splat(f32::MAX))));
    assert!(!scale.accepts(&FieldValue::Vector(Vec3::NAN)));
    let rotation = FieldKind::Rotation;
    let accepts = |w| rotation.accepts(&FieldValue::Rotation(Quat::from_xyzw(0.0, 0.0, 0.0, w)));
    assert!(accepts(1.0) && accepts(-0.9995) && !accepts(1.002) && !accepts(f32::NAN));
}

/// A value that a field reads can be written back, unless the field is derived.
fn keeps_what_it_reads<T: Described + Default + PartialEq + fmt::Debug>(component: &T) {
    let mut copy = T::default();
    for field in T::FIELDS {
        let value = field.read(component);
        match field.is_derived() {
            true => assert!(field.write(&mut copy, &value).is_err()),
            false => field.write(&mut copy, &value).expect("it was read"),
        }
        assert_eq!(T::field(field.name()).map(Field::name), Some(field.name()));
        assert!(
            field.about().ends_with('.'),
            "`{}` says: {}",
            field.name(),
            field.about()
        );
    }
    assert_eq!(&copy, component);
}

proptest! {
    #[test]
    fn every_field_of_a_body_is_described(
        speed in -1e6_f32..1e6,
        shares in prop::array::uniform4(0.0_f32..1.0),
        motion in 0..3_usize,
    ) {
        let body = Body {
            motion: [Motion::Static, Motion::Kinematic, Motion::Dynamic][motion],
            velocity: Vec3::new(speed, 1.0, -speed),
            gravity_scale: shares[0] - 0.5,
            mass: 1.0 / (shares[1] + 1e-6),
            restitution: shares[2],
            friction: shares[3] * 3.0,
            carried: Vec3::ZERO,
        };
        keeps_what_it_reads(&body);
    }

    #[test]
    fn every_field_of_a_transform_is_described(place in -1e6_f32..1e6, angle in -4.0_f32..4.0) {
        let transform = Transform::at(place, 1.0, 2.0)
            .rotated(Quat::from_rotation_y(angle))
            .scaled(Vec3::new(place, -1.0, 0.0));
        keeps_what_it_reads(&transform);
    }
}

//! Parameters of scene files and expressions with them.

use gerust::prelude::*;
use gerust_scene::{Parameters, Registry, Scene, SceneError};

const ROW: &str = r#"
title = "a row of crates"
frames = "= 10 * crates"

[parameters]
crates = 4
spacing = 2.5
name = "last"
is-solid = true
length = "= spacing * (crates - 1)"
twice = "= 2 * length"

[[entities]]
name = "= name"
transform = { translation = ["= length", 1, "= -twice / 2"] }
collider = { size = [1, "= 1 + 0", 1], on = "= is-solid and crates < 100" }
components.velocity = ["= spacing", 0, 0]
"#;

fn load(text: &str, parameters: &[(&str, &str)]) -> Result<Scene, SceneError> {
    let parameters = parameters
        .iter()
        .fold(Parameters::new(), |all, (name, value)| {
            all.with(name, value)
        });
    Scene::parse_with(text, "row.toml", &Registry::standard(), &parameters)
}

/// The faults of a text as `line:column message; fix`.
fn faults(text: &str, parameters: &[(&str, &str)]) -> Vec<String> {
    let error = load(text, parameters).expect_err("the scene is at fault");
    let faults = error.faults().iter();
    faults
        .map(|fault| {
            format!(
                "{}:{} {}; {}",
                fault.line(),
                fault.column(),
                fault.message(),
                fault.fix()
            )
        })
        .collect()
}

/// Where the one entity is, and whether its collider is on.
fn placed(parameters: &[(&str, &str)], name: &str) -> (Vec3, bool, u64) {
    let scene = load(ROW, parameters).expect("the scene is fine");
    let run = scene.start(Runtime::new()).expect("it fits");
    let world = run.runtime().world();
    let entity = world.find(name).expect("it is there");
    let transform = world
        .get::<Transform>(entity)
        .expect("it has one")
        .translation;
    let velocity = world.get::<Velocity>(entity).expect("it has one").0;
    let is_on = world.get::<Collider>(entity).expect("it has one").is_on();
    assert_eq!(velocity.y, 0.0);
    (transform.with_y(velocity.x), is_on, scene.frames())
}

#[test]
fn defaults_hold_unless_others_are_given() {
    assert_eq!(placed(&[], "last"), (Vec3::new(7.5, 2.5, -7.5), true, 40));
    let given = [("crates", "100"), ("spacing", "1"), ("name", "7")];
    // A number is a text where the default is one.
    assert_eq!(
        placed(&given, "7"),
        (Vec3::new(99.0, 1.0, -99.0), false, 1_000)
    );
    // What follows from others can be given as well.
    assert_eq!(placed(&[("length", "3")], "last").0.x, 3.0);
}

#[test]
fn what_is_given_must_fit() {
    for (name, value, fault) in [
        (
            "crats",
            "5",
            "5:1 unknown parameter `crats`; did you mean `crates`?",
        ),
        (
            "crates",
            "many",
            "6:10 `crates` is set to \"many\", but its default is a number; set it to a number",
        ),
        (
            "is-solid",
            "3",
            "9:12 `is-solid` is set to 3, but its default is true or false; set it to true or false",
        ),
    ] {
        let told = faults(ROW, &[(name, value)]);
        assert!(told.len() == 1 && told[0].starts_with(fault), "{told:?}");
    }
    let without = "title = 'x'\nframes = 1\n";
    assert_eq!(
        faults(without, &[("crates", "5")]),
        ["1:1 unknown parameter `crates`; there are no parameters"]
    );
}

#[test]
fn faults_of_expressions_are_reported_at_their_characters_and_once() {
    let text = r#"title = "x"
frames = "= 10 * crats"

[parameters]
crates = 4
list = [1]
late = "= later"
later = "= 3"

[[entities]]
name = "box"
transform = { translation = ["= crates +", 0, 0] }
collider = { size = [1, 1, "= 1 < 2"], on = "= 1" }
"#;
    assert_eq!(
        faults(text, &[]),
        [
            "2:18 `crats` stands for nothing; did you mean `crates`? the parameters are `crates`, `later`",
            "6:8 `list` is neither a number nor a text nor a truth; write one of these",
            // Those that follow from others follow from those above them.
            "7:11 `later` stands for nothing; the parameters are `crates`",
            "12:41 the text ends too early; write a number, a name, a text in quotes or `(`",
            "13:28 true was found where a number is wanted; write a number",
            "13:45 1 was found where `true` or `false` is wanted; write `true` or `false`",
        ]
    );
}

#[test]
fn a_number_that_is_not_whole_is_no_count() {
    let told = faults("title = 'x'\nframes = '= 5 / 2'\n", &[]);
    assert_eq!(
        told,
        [
            "2:10 2.5 was found where a whole number that is not negative is wanted; write a whole number that is not negative"
        ]
    );
}

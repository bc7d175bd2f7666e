//! Templates with children, overrides, and arrangements in scene files.

use crate::common::{faults_of, parse};
use gerust::prelude::*;
use gerust_scene::{Scene, SceneError};
use proptest::prelude::*;

/// A scene of one frame with some entries.
fn scene(entries: &str) -> Result<Scene, SceneError> {
    parse(&format!("title = 'x'\nframes = 5\n{entries}"))
}

/// The world after some frames.
fn with_world<R>(entries: &str, frames: u64, look: impl FnOnce(&World) -> R) -> R {
    let scene = scene(entries).unwrap_or_else(|error| panic!("{error}"));
    let mut run = scene.start(Runtime::new()).expect("it fits");
    for _ in 0..frames {
        run.run_frame().expect("nothing fails");
    }
    assert!(
        run.report().missed().is_empty(),
        "{:?}",
        run.report().missed()
    );
    look(run.runtime().world())
}

/// The places of all entities of a name's arrangement, in order.
fn places(entries: &str, name: &str) -> Vec<Vec3> {
    with_world(entries, 0, |world| {
        let numbered = (1..).map_while(|number| world.find(&format!("{name}-{number}")));
        numbered
            .map(|entity| {
                world
                    .get::<WorldTransform>(entity)
                    .expect("it is placed")
                    .translation()
            })
            .collect()
    })
}

/// The faults as `line:column message`.
fn faults(entries: &str) -> Vec<String> {
    faults_of(&scene(entries).expect_err("the scene is at fault"))
}

const CRANES: &str = r#"
[templates.hook]
collider = { size = [1, 1, 1], kind = "sensor" }

[[templates.hook.children]]
name = "lamp"
components.spin = [0, 1, 0]

[templates.crane]
transform = { translation = [0, 20, 0] }

[[templates.crane.children]]
name = "trolley"
transform = { translation = [3, 0, 0] }

[[templates.crane.children.children]]
name = "hook"
template = "hook"
transform = { translation = [0, -8, 0] }

[[entities]]
name = "west"
template = "crane"

[[entities]]
name = "east"
template = "crane"
transform = { translation = [100, 20, 0] }
overrides.trolley = { transform = { translation = [5, 0, 0] } }
overrides."trolley/hook" = { collider = { layer = "default", kind = "solid" } }
overrides."trolley/hook/lamp" = { components.spin = [0, 9, 0] }

[[entities.children]]
name = "cabin"
transform = { translation = [0, -2, 0] }
"#;

#[test]
fn children_come_along_and_are_overridden_by_name() {
    with_world(CRANES, 0, |world| {
        let find = |name: &str| {
            world
                .find(name)
                .unwrap_or_else(|| panic!("{name} is missing"))
        };
        let place = |name: &str| {
            world
                .get::<WorldTransform>(find(name))
                .expect("it is placed")
                .translation()
        };
        assert_eq!(place("west/trolley/hook"), Vec3::new(3.0, 12.0, 0.0));
        assert_eq!(place("east/trolley/hook/lamp"), Vec3::new(105.0, 12.0, 0.0));
        assert_eq!(place("east/cabin"), Vec3::new(100.0, 18.0, 0.0));
        assert_eq!(world.find("west/cabin"), None);
        assert_eq!(
            world.parent(find("west/trolley/hook")),
            Some(find("west/trolley"))
        );
        let is_sensor = |name: &str| {
            world
                .get::<Collider>(find(name))
                .expect("it has one")
                .is_sensor()
        };
        assert!(is_sensor("west/trolley/hook") && !is_sensor("east/trolley/hook"));
        let spin = |name: &str| world.get::<Spin>(find(name)).expect("it has one").0.y;
        assert_eq!(
            (
                spin("west/trolley/hook/lamp"),
                spin("east/trolley/hook/lamp")
            ),
            (1.0, 9.0)
        );
        let made = world
            .get::<gerust::MadeFrom>(find("west/trolley/hook"))
            .expect("it was made from one");
        assert_eq!(made.template(), "hook");
        // Two cranes of four, and a cabin.
        assert_eq!(world.len(), 9);
    });
}

#[test]
fn copies_without_a_name_have_children_without_names() {
    let text = "[[templates.crane.children]]\nname = 'hook'\n[[entities]]\ntemplate = 'crane'\narrange = { row = 3, step = [1, 0, 0] }\n";
    with_world(text, 0, |world| {
        assert_eq!(world.len(), 6);
        assert_eq!(world.rows::<&gerust::Name>().count(), 0);
    });
}

#[test]
fn whole_arrangements_can_be_spawned_by_a_cue() {
    let text = "[[templates.pallet.children]]\nname = 'tag'\n[[cues]]\nframe = 3\nspawn = { name = 'pallet', template = 'pallet', arrange = { ring = 4, radius = 2 } }\n[[expect]]\nframe = 3\ncount = { template = 'pallet', is = 4 }\n";
    with_world(text, 2, |world| assert_eq!(world.len(), 0));
    with_world(text, 3, |world| {
        assert_eq!(world.len(), 8);
        assert!(world.find("pallet-4/tag").is_some());
    });
}

#[test]
fn rows_grids_and_rings_lie_as_they_say() {
    let row = places(
        "[[entities]]\nname = 'a'\ntransform = { translation = [1, 2, 3] }\narrange = { row = 3, step = [2, 0, -1] }\n",
        "a",
    );
    assert_eq!(
        row,
        [
            Vec3::new(1.0, 2.0, 3.0),
            Vec3::new(3.0, 2.0, 2.0),
            Vec3::new(5.0, 2.0, 1.0)
        ]
    );
    let grid = places(
        "[[entities]]\nname = 'a'\narrange = { grid = [2, 3, 2], step = [1, 10, 100] }\n",
        "a",
    );
    assert_eq!(grid.len(), 12);
    assert_eq!(
        (grid[1], grid[11]),
        (Vec3::new(1.0, 0.0, 0.0), Vec3::new(1.0, 20.0, 100.0))
    );
    for axis in [Vec3::Y, Vec3::X, Vec3::new(1.0, 2.0, -3.0)] {
        let text = format!(
            "[[entities]]\nname = 'a'\narrange = {{ ring = 8, radius = 5, axis = [{}, {}, {}] }}\n",
            axis.x, axis.y, axis.z
        );
        let ring = places(&text, "a");
        assert_eq!(ring.len(), 8);
        for (at, place) in ring.iter().enumerate() {
            assert!((place.length() - 5.0).abs() < 1e-4 && place.dot(axis).abs() < 1e-4);
            let next = ring[(at + 1) % 8];
            // Counter-clockwise as seen from the tip of the axis.
            assert!(place.cross(next).dot(axis) > 0.0);
            assert!(
                (place.distance(next) - 2.0 * 5.0 * (std::f32::consts::PI / 8.0).sin()).abs()
                    < 1e-4
            );
        }
    }
    assert!(
        places(
            "[[entities]]\nname = 'a'\narrange = { row = 0, step = [1, 0, 0] }\n",
            "a"
        )
        .is_empty()
    );
}

#[test]
fn entities_of_a_turned_ring_face_as_their_places_do() {
    let text = "[[entities]]\nname = 'a'\ntransform = { turn = { axis = [0, 1, 0], degrees = 10 } }\narrange = { ring = 4, radius = 2, turned = true }\n";
    with_world(text, 0, |world| {
        for number in 0..4 {
            let entity = world
                .find(&format!("a-{}", number + 1))
                .expect("it is there");
            let transform = *world.get::<Transform>(entity).expect("it has one");
            let angle = (90.0 * number as f32 + 10.0).to_radians();
            assert!(
                transform
                    .rotation
                    .angle_between(Quat::from_rotation_y(angle))
                    < 1e-3
            );
        }
    });
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn random_places_keep_to_their_room_and_apart(seed in 0_u32..1000, is_box in any::<bool>(), spacing in 0.0_f32..0.9) {
        let room = if is_box { "within = [20, 4, 10]" } else { "radius = 9, inner = 4, axis = [0, 0, 1]" };
        let text = format!("[[entities]]\nname = 'a'\narrange = {{ random = 40, {room}, seed = {seed}, spacing = {spacing} }}\n");
        let found = places(&text, "a");
        prop_assert_eq!(found.len(), 40);
        prop_assert_eq!(&found, &places(&text, "a"));
        for (at, place) in found.iter().enumerate() {
            match is_box {
                true => prop_assert!(place.abs().cmple(Vec3::new(10.0, 2.0, 5.0)).all()),
                false => prop_assert!((3.999..9.001).contains(&place.length()) && place.z.abs() < 1e-4),
            }
            for other in &found[..at] {
                prop_assert!(place.distance(*other) >= spacing);
            }
        }
    }
}

#[test]
fn faults_of_arrangements_are_reported() {
    for (arrange, wanted) in [
        ("row = 2", "this row lacks `step`"),
        ("ring = 2", "this ring lacks `radius`"),
        ("random = 2", "this random arrangement lacks `within`"),
        (
            "row = 2, ring = 3, step = [1, 0, 0], radius = 1",
            "this arrangement is of 2 kinds",
        ),
        ("step = [1, 0, 0]", "this arrangement is of 0 kinds"),
        (
            "row = 2, step = [1, 0, 0], radius = 3",
            "`radius` means nothing for a row arrangement",
        ),
        (
            "random = 2, within = [1, 1, 1], inner = 1",
            "`inner` means nothing for a random arrangement in a box",
        ),
        (
            "ring = 2, radius = 1, axis = [0, 0, 0]",
            "the axis of this ring has no direction",
        ),
        ("ring = 2, radius = -1", "a radius of -1 m is none"),
        (
            "random = 2, within = [1, -1, 1]",
            "a box cannot have the size [1.0, -1.0, 1.0]",
        ),
        ("random = 99, within = [1, 1, 1], spacing = 1", "found room"),
        (
            "grid = [2000, 2000, 2], step = [1, 1, 1]",
            "exceeds the limit of 1000000 entities",
        ),
    ] {
        let told = faults(&format!(
            "[[entities]]\nname = 'a'\narrange = {{ {arrange} }}\n"
        ));
        assert!(
            told.len() == 1 && told[0].contains(wanted),
            "{arrange}: {told:?}"
        );
    }
}

#[test]
fn faults_of_children_are_reported() {
    let text = r#"
[[templates.one.children]]
name = "up/down"
template = "two"
[[templates.two.children]]
template = "one"
parent = "a"
[[templates.three.children]]
name = "twin"
[[templates.three.children]]
name = "twin"
collider = { kind = "sensor" }
[[entities]]
name = "a"
template = "three"
overrides.twine = { body = { mass = 0 } }
[[entities]]
name = "a"
"#;
    assert_eq!(
        faults(text),
        [
            "5:8 `up/down` is not a name for a child",
            "8:12 these templates come in each other: one → two → one",
            "9:10 the parent of a child is what it is listed under",
            "13:8 there are two children named `twin` here",
            "13:8 the collider of this entity has no size",
            "16:8 there are two entities named `a/twin`",
            "18:11 unknown child `twine`",
            "18:37 `mass` must be a number from 1e-20 to 1e12, found 0",
            "20:8 there are two entities named `a`",
        ]
    );
}

//! Calls that panic, as the `# Panics` sections of the public interface say; the list is complete.
#![cfg(all(feature = "scene", feature = "snapshot"))]

use gerust::collide::{BoxTree, MapPlane, TileGrid};
use gerust::prelude::*;
use gerust::scene::{Act, EntityDraft, Registry, SceneDraft};
use std::collections::BTreeMap;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;

/// A component that panics when it is dropped.
struct Fragile;

impl Drop for Fragile {
    fn drop(&mut self) {
        panic!("it breaks");
    }
}

/// A component that panics when it is read.
#[derive(serde::Serialize)]
struct Unreadable;

impl<'de> serde::Deserialize<'de> for Unreadable {
    fn deserialize<D: serde::Deserializer<'de>>(_: D) -> Result<Self, D::Error> {
        panic!("it breaks");
    }
}

#[derive(Clone)]
struct Marble;

/// A component that panics when it is cloned.
struct Torn;

impl Clone for Torn {
    fn clone(&self) -> Self {
        panic!("it breaks");
    }
}

fn cube() -> Aabb {
    Aabb::from_corner(Vec3::ZERO, Vec3::ONE)
}

fn broken() -> Aabb {
    Aabb {
        min: Vec3::splat(f32::NAN),
        ..cube()
    }
}

fn grid() -> Collider {
    Collider::tiles(TileGrid::from_rows(["##"], Vec3::ONE, MapPlane::Ground).expect("it is one"))
}

/// A map whose keys are not texts: JSON cannot express it.
fn map() -> BTreeMap<[u8; 2], u8> {
    BTreeMap::from([([1, 2], 3)])
}

fn world() -> (World, Entity) {
    let mut world = World::new();
    let entity = world.spawn((Marble,));
    (world, entity)
}

fn fragile() -> (World, Entity) {
    let mut world = World::new();
    let entity = world.spawn((Fragile,));
    (world, entity)
}

/// The name of a function, a part of the message, and a call that panics with it.
type Call = (&'static str, &'static str, fn());

fn calls() -> Vec<Call> {
    let mut calls: Vec<Call> = Vec::new();
    let mut call = |name, message, work: fn()| calls.push((name, message, work));
    call("with_box", "a grid of tiles", || {
        drop(grid().with_box(cube()));
    });
    call("with_set", "a grid of tiles", || {
        drop(grid().with_set("open", [cube()]));
    });
    call("with_set", "are the boxes it was made with", || {
        drop(Collider::solid(cube()).with_set("default", [cube()]));
    });
    call("with_set_for", "are the boxes it was made with", || {
        drop(Collider::solid(cube()).with_set_for("default", 0..2, [cube()]));
    });
    call("set", "box 3 is not valid", || {
        BoxTree::default().set(3, &broken());
    });
    call("move_all", "box 0 is not valid", || {
        let mut tree = BoxTree::default();
        tree.set(0, &cube());
        tree.move_all(|_| broken());
    });
    call("emit", "key must be a string", || {
        drop(Act::emit("worn", &map()))
    });
    call("own", "key must be a string", || {
        drop(Act::own("raise", &map()))
    });
    call("key", "key must be a string", || {
        drop(EntityDraft::named("crate").key("transform", map()));
    });
    call("with", "key must be a string", || {
        drop(EntityDraft::named("crate").with("wear", &map()));
    });
    call("setting", "key must be a string", || {
        drop(SceneDraft::new("t", 1).setting("step", map()));
    });
    call("parameter", "key must be a string", || {
        drop(SceneDraft::new("t", 1).parameter("rate", map()));
    });
    call("assert_all_held", "crate.position.x", || {
        let draft = SceneDraft::new("t", 1).entity(EntityDraft::named("crate"));
        let scene = draft
            .expect("crate.position.x = 1")
            .build(&Registry::standard());
        let report = scene.expect("it is one").run(Runtime::new());
        report.expect("it runs").assert_all_held();
    });
    call("attach_below", "tuple", || {
        let (mut world, parent) = world();
        let child = world.spawn((Marble,));
        world.link(child, parent).expect("both are alive");
        drop(world.attach_below(parent, (Marble, 4_u32)));
    });
    call("spawn", "tuple", || {
        let mut world = World::new();
        let _ = world.spawn((Marble, (Marble, 3_u32)));
    });
    call("spawn", "twice", || {
        let mut world = World::new();
        let _ = world.spawn((Marble, Marble));
    });
    call("spawn", "it breaks", || {
        let mut world = World::new();
        let template = Template::named("crate").with(Torn);
        drop(template.copy().spawn(&mut world));
    });
    call("spawn_many", "twice", || {
        let mut world = World::new();
        world.spawn_many([(Marble, Marble)]);
    });
    call("cell", "the pitch of a grid is above zero", || {
        let _ = Transform::default().cell(0.0);
    });
    call("attach", "tuple", || {
        let (mut world, entity) = world();
        drop(world.attach(entity, (Marble, 2_u32)));
    });
    call("attach", "tuple", || {
        let mut runtime = Runtime::new();
        let entity = runtime.world_mut().spawn((Marble,));
        let tuple = System::named("attach a tuple");
        let tuple = tuple.takes::<Edits>().runs(move |mut edits| {
            edits.attach(entity, (Marble, 2_u32));
        });
        runtime.add_system(tuple).expect("it is new");
        // The frame fails with an error that holds the panic.
        let error = runtime
            .run_frames(1)
            .expect_err("a tuple is not a component");
        panic!("{error}");
    });
    call("attach_many", "tuple", || {
        let (mut world, entity) = world();
        let _ = world.attach_many([(entity, (Marble, 2_u32))]);
    });
    call("detach_many", "it breaks", || {
        let (mut world, entity) = fragile();
        world.detach_many::<Fragile>([entity]);
    });
    call("despawn", "it breaks", || {
        let (mut world, entity) = fragile();
        drop(world.despawn(entity));
    });
    call("despawn_many", "it breaks", || {
        let (mut world, entity) = fragile();
        world.despawn_many([entity]);
    });
    call("rows_mut", "twice", || {
        let (mut world, _) = world();
        let _ = world.rows_mut::<(&mut Marble, &Marble)>().iter().count();
    });
    call("rows_mut_where", "twice", || {
        let (mut world, _) = world();
        let rows = world.rows_mut_where::<(&mut Marble, &Marble), Having<Marble>>();
        let _ = rows.iter().count();
    });
    call("register_component", "tuple", || {
        let mut world = World::new();
        drop(world.register_component::<(u8, u8)>("pair"));
    });
    call("restore", "it breaks", || {
        let mut world = World::new();
        world
            .register_component::<Unreadable>("unreadable")
            .expect("it is new");
        let _ = world.spawn((Unreadable,));
        let snapshot = world.snapshot().expect("it can be written");
        drop(world.restore(&snapshot));
    });
    calls
}

#[test]
fn calls_panic_as_their_documentation_says() {
    for (name, expected, work) in calls() {
        let caught = catch_unwind(AssertUnwindSafe(work));
        let payload = caught.expect_err(name);
        let text = payload.downcast_ref::<String>().cloned();
        let text = text.or_else(|| {
            payload
                .downcast_ref::<&str>()
                .map(|text| (*text).to_owned())
        });
        let text = text.unwrap_or_default();
        assert!(text.contains(expected), "`{name}` says {text:?}");
    }
}

/// The names of the public functions below a folder that have a section `# Panics`.
fn documented(folder: &Path, names: &mut Vec<String>) {
    for entry in std::fs::read_dir(folder).expect("it is a folder") {
        let path = entry.expect("it can be read").path();
        if path.is_dir() {
            documented(&path, names);
            continue;
        }
        let text = std::fs::read_to_string(&path).expect("it is text");
        for (at, _) in text.match_indices("/// # Panics") {
            let code = text[at..].lines().map(str::trim);
            let mut code =
                code.skip_while(|line| line.starts_with("///") || line.starts_with("#["));
            let declaration = code.next().unwrap_or_default();
            if let Some(rest) = declaration.strip_prefix("pub fn ") {
                let end = rest.find(|char: char| !char.is_alphanumeric() && char != '_');
                names.push(rest[..end.unwrap_or(rest.len())].to_owned());
            }
        }
    }
}

#[test]
fn every_documented_panic_is_tested() {
    let mut names = Vec::new();
    documented(
        &Path::new(env!("CARGO_MANIFEST_DIR")).join("src"),
        &mut names,
    );
    assert!(names.len() > 20, "{names:?}");
    let calls = calls();
    for name in names {
        // A tree of more than 2^24 boxes takes a gigabyte.
        let is_tested = name == "sort" || calls.iter().any(|(tested, ..)| *tested == name);
        assert!(
            is_tested,
            "`{name}` has a section `# Panics` and no call above"
        );
    }
}

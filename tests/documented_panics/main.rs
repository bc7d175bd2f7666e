//! Calls that panic, as the `# Panics` sections of the public interface say; the list is complete.
#![cfg(feature = "snapshot")]

mod compare;

use compare::{Call, assert_complete, assert_panics};
use gerust::collide::{BoxTree, MapPlane, TileGrid};
use gerust::prelude::*;
use std::path::Path;

/// A component that panics when it is dropped.
struct Fragile;

impl Drop for Fragile {
    fn drop(&mut self) {
        panic!("it breaks");
    }
}

/// A component that panics when it is read.
#[derive(Clone, serde::Serialize)]
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

/// A registered component that panics when it is cloned.
#[derive(serde::Serialize, serde::Deserialize)]
struct Unclonable;

impl Clone for Unclonable {
    fn clone(&self) -> Self {
        panic!("it breaks");
    }
}

/// A runtime, and what it has saved: a component that panics when it is read.
fn saved_unreadable() -> (Runtime, Vec<u8>) {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    world
        .register_component::<Unreadable>("unreadable")
        .expect("it is new");
    let _ = world.spawn((Unreadable,));
    let mut file = Vec::new();
    runtime.save(&mut file).expect("it can be written");
    (runtime, file)
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
    call("grant", "it breaks", || {
        let (mut world, _) = world();
        let _ = world.grant::<Rows<&Marble>, ()>(|_| panic!("it breaks"));
    });
    call("load", "it breaks", || {
        let (mut runtime, file) = saved_unreadable();
        drop(runtime.load(&file[..]));
    });
    call("load_file", "it breaks", || {
        let (mut runtime, file) = saved_unreadable();
        let path = tempfile::NamedTempFile::new().expect("there is room");
        std::fs::write(path.path(), file).expect("there is room");
        drop(runtime.load_file(path.path()));
    });
    call("keep", "it breaks", || {
        let mut runtime = Runtime::new();
        let world = runtime.world_mut();
        world
            .register_component::<Unclonable>("unclonable")
            .expect("it is new");
        let _ = world.spawn((Unclonable,));
        runtime.keep();
    });
    call("go_back", "it breaks", || {
        let mut runtime = Runtime::new();
        let moment = runtime.keep();
        let _ = runtime.world_mut().spawn((Fragile,));
        drop(runtime.go_back(&moment));
    });
    call("forget_events", "it breaks", || {
        let mut world = World::new();
        world.post(Fragile);
        world.forget_events();
    });
    calls
}

#[test]
fn calls_panic_as_their_documentation_says() {
    assert_panics(&calls());
}

#[test]
fn every_documented_panic_is_tested() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    // A tree of more than 2^24 boxes takes a gigabyte.
    assert_complete(&folder, 20, &calls(), &["sort"]);
}

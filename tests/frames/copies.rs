//! Copies of templates.

use super::*;

#[test]
fn a_place_of_a_copy_holds_whatever_transform_it_is_given() {
    let mut world = World::new();
    let crate_of = Template::named("crate").with(Transform::at(1.0, 1.0, 1.0));
    let turned = Transform {
        scale: Vec3::splat(2.0),
        ..Transform::at(9.0, 9.0, 9.0)
    };
    for copy in [
        crate_of.copy().at(Vec3::Y).with(turned),
        crate_of.copy().with(turned).at(Vec3::Y),
    ] {
        let copy = copy.spawn(&mut world).expect("nothing is missing");
        let placed = *world.get::<Transform>(copy).expect("it was attached");
        assert_eq!((placed.translation, placed.scale), (Vec3::Y, turned.scale));
    }
}

/// Its clone panics.
struct Brittle;

impl Clone for Brittle {
    fn clone(&self) -> Self {
        panic!("it breaks")
    }
}

#[test]
fn a_copy_that_fails_half_way_leaves_nothing() {
    let leaf = |name: &str| Template::named(name).with(Transform::default());
    let tree = leaf("trolley")
        .child(leaf("hook").child(leaf("container")))
        .child(leaf("spreader").with(Brittle));
    let mut world = World::new();
    let portal = world.spawn((Transform::default(),));
    let spawn = std::panic::AssertUnwindSafe(|| drop(tree.copy().under(portal).spawn(&mut world)));
    std::panic::catch_unwind(spawn).expect_err("a clone panics");
    assert_eq!(world.len(), 1);
    assert_eq!(world.children(portal).count(), 0);

    // As an edit: the copy is left out, all other edits are carried out, and the id is never used again.
    let mut runtime = Runtime::new();
    let ids = Arc::new(Mutex::new(Vec::new()));
    let noted = Arc::clone(&ids);
    let system = System::named("build")
        .takes::<(Global<Clock>, Edits)>()
        .runs(move |(clock, mut edits)| {
            let mut ids = noted.lock().expect("no other thread panics");
            ids.push(edits.spawn((A(1),)));
            if clock.frame() == 1 {
                ids.push(edits.spawn_copy(tree.copy()));
            }
            ids.push(edits.spawn((A(2),)));
        });
    runtime.add_system(system).expect("its name is free");
    let error = runtime.run_frames(1).expect_err("the clone panics");
    assert!(error.to_string().starts_with(
        "an edit of system `build` panicked at the end of phase Simulate of frame 1 at "
    ));
    assert_eq!(runtime.world().len(), 2);
    runtime.run_frames(1).expect("the second frame is right");
    assert_eq!(runtime.world().len(), 4);
    let mut ids = ids.lock().expect("no other thread panics").clone();
    assert!(!runtime.world().contains(ids[1]));
    ids.sort_unstable();
    ids.dedup();
    assert_eq!(ids.len(), 5);
}

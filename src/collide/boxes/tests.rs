use super::*;
use crate::runtime::Runtime;
use crate::space::Transform;
use crate::store::World;

fn cube() -> Collider {
    Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)))
}

fn count(runtime: &Runtime) -> (usize, usize) {
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    (boxes.len(), boxes.count)
}

fn spawn(world: &mut World, count: usize) -> Vec<Entity> {
    let place = |number: usize| Transform::at(number as f32 * 3.0, 0.0, 0.0);
    world.spawn_many((0..count).map(|number| (place(number), cube())))
}

#[test]
fn whoever_goes_leaves_the_list_even_if_more_go_than_an_inbox_holds() {
    let mut runtime = Runtime::new();
    let ids = spawn(runtime.world_mut(), 70_000);
    runtime.settle().expect("nothing fails");
    assert_eq!(count(&runtime), (70_000, 70_000));
    for &id in &ids[1..] {
        runtime.world_mut().despawn(id).expect("it is alive");
    }
    runtime.settle().expect("nothing fails");
    assert_eq!(count(&runtime), (1, 1));
}

#[test]
fn an_index_that_is_given_out_again_is_somebody_else() {
    let mut runtime = Runtime::new();
    let old = spawn(runtime.world_mut(), 1)[0];
    runtime.settle().expect("nothing fails");
    runtime.world_mut().despawn(old).expect("it is alive");
    let new = spawn(runtime.world_mut(), 1)[0];
    assert_eq!(old.index(), new.index());
    runtime.settle().expect("nothing fails");
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    assert_eq!((boxes.slot_of(old), boxes.of(old)), (None, Vec::new()));
    assert_eq!(boxes.of(new).len(), 1);
    assert_eq!(count(&runtime), (1, 1));
}

#[test]
fn what_loses_its_transform_is_nowhere() {
    let mut runtime = Runtime::new();
    let id = spawn(runtime.world_mut(), 1)[0];
    runtime.settle().expect("nothing fails");
    runtime
        .world_mut()
        .detach::<Transform>(id)
        .expect("it has one");
    runtime.settle().expect("nothing fails");
    assert_eq!(count(&runtime), (0, 0));
    runtime
        .world_mut()
        .attach(id, Transform::default())
        .expect("it is alive");
    runtime.settle().expect("nothing fails");
    assert_eq!(count(&runtime), (1, 1));
}

/// A change of the body alone moves a collider to another tree, and of the number of dimensions all boxes.
#[test]
fn classes_and_dimensions_may_change_while_running() {
    let mut runtime = Runtime::new();
    let id = spawn(runtime.world_mut(), 1)[0];
    let trees = |runtime: &Runtime| {
        let boxes = runtime.world().global::<Boxes>().expect("always there");
        [0, 1, 2].map(|tree| boxes.trees[tree].len())
    };
    for (motion, wanted) in [
        (Motion::Static, [1, 0, 0]),
        (Motion::Kinematic, [0, 1, 0]),
        (Motion::Dynamic, [0, 0, 1]),
        (Motion::Static, [1, 0, 0]),
    ] {
        let body = Body {
            motion,
            ..Body::default()
        };
        runtime.world_mut().attach(id, body).expect("it is alive");
        runtime.settle().expect("nothing fails");
        assert_eq!(trees(&runtime), wanted);
    }
    let depth = |runtime: &Runtime| {
        let boxes = runtime.world().global::<Boxes>().expect("always there");
        boxes
            .item(boxes.slot_of(id).expect("it takes part"))
            .aabb
            .size()
            .z
    };
    assert_eq!(depth(&runtime), 1.0);
    for (dimensions, is_flat) in [(Dimensions::Two, true), (Dimensions::Three, false)] {
        runtime.world_mut().set_global(dimensions);
        runtime.settle().expect("nothing fails");
        assert_eq!(depth(&runtime) > 1e20, is_flat);
    }
}

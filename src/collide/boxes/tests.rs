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
fn despawned_entities_leave_the_list_even_if_more_go_than_an_inbox_holds() {
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

/// An upright box is as large as its scale and those above it make it, however all of them are turned, and is mirrored with them.
#[test]
fn upright_boxes_and_tiles_follow_the_signs_of_all_scales() {
    use crate::collide::TileGrid;
    use crate::prelude::*;
    let mut runtime = Runtime::new();
    let quarter = Quat::from_rotation_z(std::f32::consts::FRAC_PI_2);
    let own = Aabb::from_corners(Vec3::ZERO, Vec3::new(1.0, 2.0, 3.0));
    let world = runtime.world_mut();
    let wide = Transform::default().scaled(Vec3::new(10.0, 1.0, 1.0));
    let wide = world.spawn((wide,));
    let turned = world
        .spawn_under(
            wide,
            (
                Transform::default().rotated(quarter),
                Collider::solid(own).upright(),
            ),
        )
        .expect("it is alive");
    let mirror = Transform::at(5.0, 0.0, 0.0).scaled(Vec3::new(-2.0, 1.0, 1.0));
    let mirrored = world.spawn((mirror, Collider::solid(own).upright()));
    let mut grid = TileGrid::new([3, 1, 1], Vec3::ONE).expect("it has tiles");
    grid.set_solid([0, 0, 0], true);
    let tiles = world.spawn((mirror, Collider::tiles(grid)));
    runtime.settle().expect("nothing fails");
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    assert_eq!(boxes.of(turned)[0].size(), Vec3::new(10.0, 2.0, 3.0));
    let there = boxes.of(mirrored)[0];
    assert_eq!(
        (there.min, there.max),
        (Vec3::new(3.0, 0.0, 0.0), Vec3::new(5.0, 2.0, 3.0))
    );
    // The first tile lies at the place itself, and the others beyond it to the west.
    let there = boxes.of(tiles)[0];
    assert_eq!((there.min.x, there.max.x), (3.0, 5.0));
}

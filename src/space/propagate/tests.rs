use super::*;
use crate::Runtime;
use crate::error::Error;
use glam::{Affine3A, Quat, Vec3};
use proptest::prelude::*;

fn transform() -> impl Strategy<Value = Transform> {
    let number = || -3.0_f32..3.0;
    let scale = prop_oneof![Just(0.0_f32), -2.0_f32..2.0];
    (
        [number(), number(), number()],
        [number(), number(), number()],
        [scale.clone(), scale.clone(), scale],
    )
        .prop_map(|(translation, turn, scale)| Transform {
            translation: translation.into(),
            rotation: Quat::from_scaled_axis(turn.into()),
            scale: scale.into(),
        })
}

#[derive(Clone, Debug)]
enum Change {
    Link(usize, usize),
    Unlink(usize),
    Move(usize, Transform),
    Despawn(usize),
    DropTransform(usize),
    RunFrame,
}

fn change() -> impl Strategy<Value = Change> {
    let node = 0_usize..12;
    prop_oneof![
        4 => (node.clone(), node.clone()).prop_map(|(child, parent)| Change::Link(child, parent)),
        1 => node.clone().prop_map(Change::Unlink),
        2 => (node.clone(), transform()).prop_map(|(node, to)| Change::Move(node, to)),
        1 => node.clone().prop_map(Change::Despawn),
        1 => node.prop_map(Change::DropTransform),
        2 => Just(Change::RunFrame),
    ]
}

/// The world placement by naive recursion over parents.
fn naive(world: &World, entity: Entity) -> Affine3A {
    let above = world.parent(entity).map(|parent| naive(world, parent));
    let own = world.get::<Transform>(entity).map(|own| own.affine());
    match (above, own) {
        (None, Err(_)) => Affine3A::IDENTITY,
        (Some(above), Err(_)) => above,
        (None, Ok(own)) => own,
        (Some(above), Ok(own)) => above * own,
    }
}

fn check(world: &World) -> Result<(), TestCaseError> {
    for (entity, placed) in world.rows::<(Entity, &WorldTransform)>().iter() {
        if world.has::<Transform>(entity) {
            prop_assert_eq!(placed.0, naive(world, entity));
        }
    }
    // Every link is known at both of its ends.
    for (entity, links) in world.rows::<(Entity, &Links)>().iter() {
        prop_assert!(!links.is_alone());
        if let Some(parent) = links.parent() {
            prop_assert!(world.children(parent).any(|child| child == entity));
        }
        for child in world.children(entity) {
            prop_assert_eq!(world.parent(child), Some(entity));
        }
    }
    Ok(())
}

proptest! {
    #[test]
    fn propagation_equals_naive_recursion(
        start in proptest::collection::vec(transform(), 12),
        changes in proptest::collection::vec(change(), 0..60),
    ) {
        let mut runtime = Runtime::new();
        let nodes: Vec<Entity> = start
            .into_iter()
            .map(|transform| runtime.world_mut().spawn((transform,)))
            .collect();
        for change in changes.into_iter().chain([Change::RunFrame]) {
            let world = runtime.world_mut();
            match change {
                Change::Link(child, parent) => {
                    let (child, parent) = (nodes[child], nodes[parent]);
                    let makes_cycle = child == parent || world.ancestors(parent).any(|above| above == child);
                    let are_alive = world.contains(child) && world.contains(parent);
                    let outcome = world.link(child, parent);
                    prop_assert_eq!(outcome.is_ok(), are_alive && !makes_cycle);
                    prop_assert_eq!(outcome.is_err_and(|error| error.is_cycle()), are_alive && makes_cycle);
                }
                Change::Unlink(node) => {
                    let is_alive = world.contains(nodes[node]);
                    prop_assert_eq!(world.unlink(nodes[node]).is_ok(), is_alive);
                }
                Change::Move(node, to) => {
                    if let Ok(transform) = world.get_mut::<Transform>(nodes[node]) {
                        *transform = to;
                    }
                }
                Change::Despawn(node) => {
                    let below: Vec<Entity> = world.descendants(nodes[node]).collect();
                    if world.despawn(nodes[node]).is_ok() {
                        prop_assert!(below.iter().all(|&entity| !world.contains(entity)));
                    }
                }
                Change::DropTransform(node) => {
                    let _: Result<Option<Transform>, Error> = world.detach(nodes[node]);
                }
                Change::RunFrame => {
                    runtime.run_frames(1).expect("nothing fails");
                    check(runtime.world())?;
                }
            }
        }
    }
}

#[test]
fn a_chain_of_100_000_is_placed_linked_under_and_despawned() {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let chain: Vec<Entity> = (0..100_000)
        .map(|_| world.spawn((Transform::at(1.0, 0.0, 0.0),)))
        .collect();
    for pair in chain.windows(2) {
        world.link(pair[1], pair[0]).expect("no cycle");
    }
    runtime.run_frames(1).expect("nothing fails");
    let last = runtime.world().get::<WorldTransform>(chain[99_999]);
    assert_eq!(last.expect("it is alive").translation().x, 100_000.0);

    let world = runtime.world_mut();
    let error = world.link(chain[0], chain[99_999]).unwrap_err();
    let message = error.to_string();
    assert!(
        message.contains("more …"),
        "a long cycle is shortened: {}",
        message.len()
    );
    assert!(message.len() < 500);
    world.despawn(chain[0]).expect("it is alive");
    assert!(world.is_empty());
}

#[test]
fn children_keep_their_order_when_one_goes() {
    let mut world = World::new();
    let stack = world.spawn((0_u8,));
    let boxes: Vec<Entity> = (1..=4_u8).map(|level| world.spawn((level,))).collect();
    for &child in &boxes {
        world.link(child, stack).expect("no cycle");
    }
    world.unlink(boxes[1]).expect("it is alive");
    assert!(world.children(stack).eq([boxes[0], boxes[2], boxes[3]]));
    world.link(boxes[1], stack).expect("no cycle");
    world.despawn(boxes[0]).expect("it is alive");
    assert!(world.children(stack).eq([boxes[2], boxes[3], boxes[1]]));
    // Linking once more puts a child at the end.
    world.link(boxes[2], stack).expect("no cycle");
    assert!(world.children(stack).eq([boxes[3], boxes[1], boxes[2]]));
}

#[test]
fn cycles_are_shown_with_the_names_on_the_way() {
    let mut world = World::new();
    let names = ["rail", "portal", "trolley"];
    let [rail, portal, trolley] = names.map(|name| world.spawn((crate::Name::new(name),)));
    world.link(portal, rail).expect("no cycle");
    world.link(trolley, portal).expect("no cycle");
    assert_eq!(
        world.link(rail, trolley).unwrap_err().to_string(),
        "entity `rail` cannot be linked under `trolley`: that would make a cycle \
         rail → portal → trolley → rail; unlink `trolley` first"
    );
    assert_eq!(
        world.link(rail, rail).unwrap_err().to_string(),
        "entity `rail` cannot be linked under `rail`: that would make a cycle rail → rail; \
         name another entity as the parent"
    );
}

#[test]
fn a_sheared_child_keeps_its_shear() {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let stretched = world.spawn((Transform::default().scaled(Vec3::new(2.0, 1.0, 1.0)),));
    let quarter = std::f32::consts::FRAC_PI_4;
    let turned = world.spawn((Transform::default().rotated(Quat::from_rotation_z(quarter)),));
    world.link(turned, stretched).expect("no cycle");
    runtime.run_frames(1).expect("nothing fails");
    let placed = *runtime
        .world()
        .get::<WorldTransform>(turned)
        .expect("it is alive");
    let (x, y) = (placed.point(Vec3::X), placed.point(Vec3::Y));
    let half = std::f32::consts::FRAC_1_SQRT_2;
    assert!(x.abs_diff_eq(Vec3::new(2.0 * half, half, 0.0), 1e-6));
    assert!(y.abs_diff_eq(Vec3::new(-2.0 * half, half, 0.0), 1e-6));
    assert!(x.dot(y).abs() > 0.5, "no rotation and scale leads to this");
}

use super::*;
use crate::Runtime;
use crate::error::Error;
use crate::space::{InPlaceOutcome, SiblingPlace};
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
    AddTransform(usize, Transform),
    /// Moves rows without touching any link.
    Paint(usize),
    MoveAll,
    LinkInPlace(usize, usize),
    UnlinkInPlace(usize),
    RunFrame,
}

struct Paint;

fn change() -> impl Strategy<Value = Change> {
    let node = 0_usize..12;
    prop_oneof![
        4 => (node.clone(), node.clone()).prop_map(|(child, parent)| Change::Link(child, parent)),
        1 => node.clone().prop_map(Change::Unlink),
        2 => (node.clone(), transform()).prop_map(|(node, to)| Change::Move(node, to)),
        1 => node.clone().prop_map(Change::Despawn),
        1 => node.clone().prop_map(Change::DropTransform),
        1 => (node.clone(), transform()).prop_map(|(node, to)| Change::AddTransform(node, to)),
        1 => node.clone().prop_map(Change::Paint),
        1 => Just(Change::MoveAll),
        1 => (node.clone(), node.clone()).prop_map(|(child, parent)| Change::LinkInPlace(child, parent)),
        1 => node.prop_map(Change::UnlinkInPlace),
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

/// What stays in place stays there, but for rounding, which grows with how much is undone on the way.
fn check_stayed(
    before: Option<WorldTransform>,
    after: Option<WorldTransform>,
    fit: InPlaceOutcome,
) -> Result<(), TestCaseError> {
    let (Some(before), Some(after)) = (before, after) else {
        prop_assert_eq!((before, fit), (after, InPlaceOutcome::Exact));
        return Ok(());
    };
    prop_assert!(after.0.is_finite());
    let size = |placed: WorldTransform| {
        let entries = placed.to_columns().into_iter().map(f32::abs);
        entries.fold(1.0, f32::max)
    };
    let most = size(before) * 2e-2;
    prop_assert!(before.translation().abs_diff_eq(after.translation(), most));
    if fit == InPlaceOutcome::Exact {
        prop_assert!(
            before.0.abs_diff_eq(after.0, most),
            "{:?} {:?}",
            before,
            after
        );
    }
    Ok(())
}

fn check(world: &World) -> Result<(), TestCaseError> {
    for (entity, placed) in world.rows::<(Entity, &WorldTransform)>().iter() {
        if world.has::<Transform>(entity) {
            prop_assert_eq!(placed.0, naive(world, entity));
            prop_assert_eq!(world.placement_now(entity), Some(*placed));
        }
    }
    // Every link is known at both of its ends.
    for (entity, links) in world.rows::<(Entity, &LinkNode)>().iter() {
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
                Change::AddTransform(node, to) => {
                    let _: Result<Option<Transform>, Error> = world.attach(nodes[node], to);
                }
                Change::Paint(node) => {
                    let _: Result<Option<Paint>, Error> = world.attach(nodes[node], Paint);
                }
                Change::MoveAll => {
                    world.rows_mut::<&mut Transform>().each(|transform| transform.translation.y += 0.5);
                }
                Change::LinkInPlace(child, parent) => {
                    let before = world.placement_now(nodes[child]);
                    if let Ok(fit) = world.link_in_place(nodes[child], nodes[parent]) {
                        check_stayed(before, world.placement_now(nodes[child]), fit)?;
                    }
                }
                Change::UnlinkInPlace(node) => {
                    let before = world.placement_now(nodes[node]);
                    if let Ok(fit) = world.unlink_in_place(nodes[node]) {
                        check_stayed(before, world.placement_now(nodes[node]), fit)?;
                    }
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

#[test]
fn staying_in_place_is_exact_under_sensible_parents() {
    let mut runner = proptest::test_runner::TestRunner::deterministic();
    let number = || -50.0_f32..50.0;
    let placement = (
        [number(), number(), number()],
        [number(), number(), number()],
        0.5_f32..2.0,
    );
    let strategy = (placement.clone(), placement.clone(), placement);
    runner
        .run(&strategy, |(crane, spreader, container)| {
            let made = |(place, turn, scale): ([f32; 3], [f32; 3], f32)| Transform {
                translation: place.into(),
                rotation: Quat::from_scaled_axis(turn.into()),
                scale: Vec3::splat(scale),
            };
            let mut world = World::new();
            let crane = world.spawn((made(crane),));
            let spreader = world
                .spawn_under(crane, (made(spreader),))
                .expect("it is alive");
            let container = world.spawn((made(container),));
            let before = world.placement_now(container).expect("it is placed");
            let near = |after: WorldTransform| {
                let size = before
                    .to_columns()
                    .into_iter()
                    .map(f32::abs)
                    .fold(1.0, f32::max);
                after.0.abs_diff_eq(before.0, size * 1e-5)
            };
            prop_assert!(matches!(
                world.link_in_place(container, spreader),
                Ok(InPlaceOutcome::Exact)
            ));
            prop_assert!(near(world.placement_now(container).expect("it is placed")));
            prop_assert!(matches!(
                world.unlink_in_place(container),
                Ok(InPlaceOutcome::Exact)
            ));
            prop_assert!(near(world.placement_now(container).expect("it is placed")));
            Ok(())
        })
        .expect("it stays");
}

#[test]
fn nothing_can_stay_in_place_under_a_flat_parent_and_shear_is_reported() {
    let mut world = World::new();
    let flat = world.spawn((
        crate::Name::new("shadow"),
        Transform::default().scaled(Vec3::new(1.0, 0.0, 1.0)),
    ));
    let child = world.spawn((crate::Name::new("crate"), Transform::at(1.0, 2.0, 3.0)));
    let error = world.link_in_place(child, flat).unwrap_err();
    assert_eq!(
        error.to_string(),
        "entity `crate` cannot be linked under `shadow` and stay where it is: `shadow` is flattened by a scale of zero; \
         use `link`, which keeps the local placement"
    );
    assert_eq!((world.parent(child), error.entity()), (None, Some(child)));
    let stretched = world.spawn((Transform::default().scaled(Vec3::new(3.0, 1.0, 1.0)),));
    let turned = world.spawn((Transform::at(6.0, 0.0, 0.0).rotated(Quat::from_rotation_z(0.7)),));
    assert_eq!(
        world
            .link_in_place(turned, stretched)
            .expect("it can be linked"),
        InPlaceOutcome::Sheared
    );
    let placed = world.placement_now(turned).expect("it is placed");
    assert!(
        placed
            .translation()
            .abs_diff_eq(Vec3::new(6.0, 0.0, 0.0), 1e-5)
    );
}

proptest! {
    /// Sibling places against a plain list.
    #[test]
    fn siblings_stand_where_they_were_put(moves in proptest::collection::vec((0_usize..6, 0_usize..5, 0_usize..8), 1..40)) {
        let mut world = World::new();
        let stack = world.spawn((0_u8,));
        let boxes: Vec<Entity> = (0..6_u8).map(|level| world.spawn((level,))).collect();
        let mut plain: Vec<Entity> = Vec::new();
        for (which, how, other) in moves {
            let child = boxes[which];
            let sibling = boxes[other % 6];
            let place = match how {
                0 => SiblingPlace::First,
                1 => SiblingPlace::Last,
                2 => SiblingPlace::Before(sibling),
                3 => SiblingPlace::After(sibling),
                _ => SiblingPlace::Index(other),
            };
            let is_named = matches!(how, 2 | 3);
            let is_good = !is_named || (sibling != child && plain.contains(&sibling));
            prop_assert_eq!(world.link_at(child, stack, place).is_ok(), is_good);
            if is_good {
                plain.retain(|&known| known != child);
                let find = |entity| plain.iter().position(|&known| known == entity).unwrap_or(0);
                let at = match place {
                    SiblingPlace::First => 0,
                    SiblingPlace::Last => plain.len(),
                    SiblingPlace::Before(sibling) => find(sibling),
                    SiblingPlace::After(sibling) => find(sibling) + 1,
                    SiblingPlace::Index(index) => index.min(plain.len()),
                };
                plain.insert(at, child);
            }
            prop_assert!(world.children(stack).eq(plain.iter().copied()));
            prop_assert!(world.siblings(child).eq(plain.iter().copied().filter(|&other| other != child && plain.contains(&child))));
        }
    }
}

#[test]
fn only_what_was_written_is_placed_again() {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let rail = world.spawn((Transform::default(),));
    let portal = world
        .spawn_under(rail, (Transform::at(1.0, 0.0, 0.0),))
        .expect("it is alive");
    let hook = world
        .spawn_under(portal, (Transform::at(0.0, 1.0, 0.0),))
        .expect("it is alive");
    let lamp = world
        .spawn_under(rail, (Transform::at(0.0, 0.0, 1.0),))
        .expect("it is alive");
    let gull = world.spawn((Transform::at(9.0, 9.0, 9.0),));
    runtime.run_frames(1).expect("nothing fails");
    // A mark that placing would overwrite.
    let mark = WorldTransform(Affine3A::from_translation(Vec3::splat(99.0)));
    for entity in [rail, portal, hook, lamp, gull] {
        *runtime
            .world_mut()
            .get_mut::<WorldTransform>(entity)
            .expect("it is alive") = mark;
    }
    runtime.run_frames(3).expect("nothing fails");
    let is_marked = |runtime: &Runtime, entity| {
        *runtime
            .world()
            .get::<WorldTransform>(entity)
            .expect("it is alive")
            == mark
    };
    assert!(
        [rail, portal, hook, lamp, gull]
            .into_iter()
            .all(|entity| is_marked(&runtime, entity))
    );
    runtime
        .world_mut()
        .get_mut::<Transform>(portal)
        .expect("it is alive")
        .translation
        .x = 2.0;
    runtime.run_frames(1).expect("nothing fails");
    let marked = [rail, portal, hook, lamp, gull].map(|entity| is_marked(&runtime, entity));
    assert_eq!(marked, [true, false, false, true, true]);
}

#[cfg(feature = "parallel")]
proptest! {
    /// The same bits on one thread and on four, for trees of any shape.
    #[test]
    fn threads_do_not_change_placements(
        parts in proptest::collection::vec((transform(), 0_usize..40, any::<bool>()), 1..120),
        moves in proptest::collection::vec((0_usize..120, transform()), 0..6),
    ) {
        let run = |threads| {
            let mut runtime = Runtime::new();
            runtime.set_threads(threads).expect("the pool starts");
            let mut nodes: Vec<Entity> = Vec::new();
            for &(transform, back, painted) in &parts {
                let world = runtime.world_mut();
                let node = world.spawn((transform,));
                if painted {
                    world.attach(node, Paint).expect("it is alive");
                }
                // Under one of the entities before it, or a root.
                if let Some(&parent) = nodes.len().checked_sub(back + 1).and_then(|at| nodes.get(at)) {
                    world.link(node, parent).expect("no cycle");
                }
                nodes.push(node);
            }
            runtime.run_frames(1).expect("nothing fails");
            for &(which, to) in &moves {
                let node = nodes[which % nodes.len()];
                *runtime.world_mut().get_mut::<Transform>(node).expect("it is alive") = to;
            }
            runtime.run_frames(1).expect("nothing fails");
            let world = runtime.world();
            nodes.iter().map(|&node| world.get::<WorldTransform>(node).map(|placed| placed.to_columns().map(f32::to_bits)).ok()).collect::<Vec<_>>()
        };
        prop_assert_eq!(run(1), run(4));
    }
}

/// Of a long cycle the message shows its two ends.
#[test]
fn long_cycles_are_shortened() {
    let mut world = World::new();
    let nodes: Vec<Entity> = (0..15)
        .map(|node| world.spawn((crate::Name::new(&format!("n{node}")),)))
        .collect();
    for pair in nodes.windows(2) {
        world.link(pair[1], pair[0]).expect("no cycle");
    }
    let shown = |world: &mut World, child: Entity, parent: Entity| {
        let text = world.link(child, parent).unwrap_err().to_string();
        let cycle = text.split_once("a cycle ").expect("it names one").1;
        cycle.split_once(';').expect("and what to do").0.to_owned()
    };
    // 12 names are all shown.
    assert_eq!(
        shown(&mut world, nodes[0], nodes[10]),
        "n0 → n1 → n2 → n3 → n4 → n5 → n6 → n7 → n8 → n9 → n10 → n0"
    );
    assert_eq!(
        shown(&mut world, nodes[0], nodes[14]),
        "n0 → n1 → n2 → n3 → n4 → n5 → … 4 more … → n10 → n11 → n12 → n13 → n14 → n0"
    );
}

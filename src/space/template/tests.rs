use super::*;
use crate::prelude::*;

#[derive(Clone, PartialEq, Debug)]
struct Tonnes(f32);

fn crane() -> Template {
    let hook = Template::named("hook").with(Transform::at(0.0, -8.0, 0.0));
    let lamp = Template::named("lamp").with(Transform::at(2.0, 0.0, 0.0));
    let trolley = Template::named("trolley")
        .with(Transform::at(0.0, 20.0, 0.0))
        .child(hook)
        .child(lamp);
    Template::named("crane")
        .with(Tonnes(400.0))
        .with(Transform::default())
        .child(trolley)
}

#[test]
fn a_subtree_is_copied_with_its_order_and_placed() {
    let mut runtime = Runtime::new();
    let crane = crane();
    let copy = crane.copy().with(Transform::at(30.0, 0.0, 0.0));
    let root = copy.spawn(runtime.world_mut()).expect("no parent to miss");
    runtime.run_frames(1).expect("nothing fails");
    let world = runtime.world();
    let names: Vec<String> = world
        .descendants(root)
        .map(|below| {
            world
                .get::<MadeFrom>(below)
                .expect("copies have it")
                .template()
                .to_owned()
        })
        .collect();
    assert_eq!(names, ["trolley", "hook", "lamp"]);
    let hook = world.descendants(root).nth(1).expect("three are below");
    let placed = world
        .get::<WorldTransform>(hook)
        .expect("it has a transform");
    assert_eq!(placed.translation(), Vec3::new(30.0, 12.0, 0.0));
}

#[test]
fn overrides_and_changes_of_a_clone_leave_the_template_as_it_is() {
    let mut world = World::new();
    let light = crane();
    let heavy = light.clone().with(Tonnes(900.0));
    let tonnes = |world: &World, entity| world.get::<Tonnes>(entity).expect("it has some").0;
    let copies = [
        light
            .copy()
            .with(Tonnes(1.0))
            .with(Tonnes(2.0))
            .spawn(&mut world),
        light.copy().spawn(&mut world),
        heavy.copy().spawn(&mut world),
    ]
    .map(|copy| copy.expect("no parent to miss"));
    assert_eq!(copies.map(|copy| tonnes(&world, copy)), [2.0, 400.0, 900.0]);
}

#[test]
fn a_copy_under_a_parent_that_has_gone_makes_nothing() {
    let mut world = World::new();
    let parent = world.spawn((1_u8,));
    world.despawn(parent).expect("it is alive");
    let error = crane().copy().under(parent).spawn(&mut world).unwrap_err();
    assert!(error.is_stale_entity());
    assert!(world.is_empty());
}

#[test]
fn a_shared_value_is_dropped_with_its_last_holder() {
    let class = Arc::new(());
    let template = Template::named("container").shared(Arc::clone(&class));
    let mut world = World::new();
    let copies = template
        .copies(&mut world, 10, |_, copy| copy)
        .expect("no parent to miss");
    drop(template);
    assert_eq!(Arc::strong_count(&class), 2, "one value for all ten");
    world.despawn_many(copies);
    assert_eq!(Arc::strong_count(&class), 1);
}

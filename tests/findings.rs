//! Findings of a run about its systems.

use gerust::prelude::*;

#[test]
fn findings_say_why_a_system_never_ran() {
    let mut runtime = Runtime::bare();
    let systems = [
        System::named("off").takes::<()>().runs(|()| ()),
        System::named("rare")
            .every(100.0)
            .takes::<()>()
            .runs(|()| ()),
        System::named("choosy")
            .only_if::<()>(|()| false)
            .takes::<()>()
            .runs(|()| ()),
        System::named("faulty")
            .phase(Phase::React)
            .takes::<()>()
            .runs(|()| panic!("no")),
        System::named("unreached")
            .phase(Phase::Close)
            .takes::<()>()
            .runs(|()| ()),
        System::named("busy").takes::<()>().runs(|()| ()),
    ];
    for system in systems {
        runtime.add_system(system).expect("its name is free");
    }
    runtime.set_enabled("off", false).expect("it is there");
    for _ in 0..3 {
        assert!(runtime.run_frames(1).is_err());
    }
    let findings = runtime.findings().expect("it can be planned");
    let sentences: Vec<String> = findings.idle().iter().map(ToString::to_string).collect();
    assert_eq!(
        sentences,
        [
            "`off` never ran: it is switched off",
            "`rare` never ran: it runs every 100 s, and 0.05 s of scene time have passed",
            "`choosy` never ran: its condition did not hold in any of 3 frames",
            "`faulty` never ran: it failed whenever it was tried",
            "`unreached` never ran: no frame has come as far as phase Close",
        ]
    );
}

#[test]
fn findings_measure_the_critical_path() {
    use std::time::Duration;
    let mut runtime = Runtime::bare();
    runtime.set_threads(1).expect("one is always there");
    runtime.world_mut().set_global(0_u32);
    let sleeper = |name, milliseconds: u64| {
        System::named(name)
            .takes::<GlobalMut<u32>>()
            .runs(move |_| std::thread::sleep(Duration::from_millis(milliseconds)))
    };
    runtime
        .add_system(sleeper("a", 2))
        .expect("its name is free");
    runtime
        .add_system(sleeper("b", 2))
        .expect("its name is free");
    let alone = System::named("alone")
        .takes::<()>()
        .runs(|()| std::thread::sleep(Duration::from_millis(4)));
    runtime.add_system(alone).expect("its name is free");
    runtime.run_frames(5).expect("nothing fails");
    let findings = runtime.findings().expect("it can be planned");
    let [cost] = findings.phases() else {
        panic!("one phase has systems");
    };
    // Sleeping takes at least its time, and `a` and `b` sleep one after the other.
    assert!(cost.work() >= Duration::from_millis(8));
    assert!(cost.span() >= Duration::from_millis(4) && cost.span() < cost.work());
    assert!(cost.best_speed_up() > 1.0 && findings.best_speed_up() > 1.0);
    assert_eq!(cost.rounds(), (5, 0));
    assert_eq!(
        (cost.measured_speed_up(), findings.measured_speed_up()),
        (None, 1.0)
    );
    assert!(
        cost.advice()
            .starts_with("ran on one thread; more could make it"),
        "{}",
        cost.advice()
    );
    let path = cost.critical_path();
    assert!(path == ["a", "b"] || path == ["alone"], "{path:?}");
}

#[test]
fn rows_that_matched_once_are_no_finding() {
    struct Engine;
    let mut runtime = Runtime::bare();
    let count = System::named("count").takes::<(Rows<&Engine>, Rows<&u8, Lacking<Engine>>)>();
    runtime
        .add_system(count.runs(|_| ()))
        .expect("its name is free");
    let findings = |runtime: &Runtime| {
        let findings = runtime.findings().expect("it can be planned");
        findings
            .empty_rows()
            .iter()
            .map(ToString::to_string)
            .collect::<Vec<_>>()
    };
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        findings(&runtime),
        [
            "`count` claims `Rows<&Engine>`, which no entity matched so far; there is no entity at all",
            "`count` claims `Rows<&u8, Lacking<Engine>>`, which no entity matched so far; there is no entity at all",
        ]
    );
    let truck = runtime.world_mut().spawn((Engine, 7_u8));
    runtime.run_frames(1).expect("nothing fails");
    runtime
        .world_mut()
        .detach::<Engine>(truck)
        .expect("it is alive");
    assert_eq!(
        findings(&runtime),
        [
            "`count` claims `Rows<&u8, Lacking<Engine>>`, which no entity matched so far; the nearest: `#0.1` has u8"
        ]
    );
    runtime.run_frames(1).expect("nothing fails");
    assert!(findings(&runtime).is_empty());
    runtime.world_mut().despawn(truck).expect("it is alive");
    runtime.run_frames(1).expect("nothing fails");
    assert!(findings(&runtime).is_empty(), "they did match in this run");
    let stale = runtime
        .explain_rows("count", truck)
        .expect_err("it is gone");
    assert!(stale.is_stale_entity());
    assert!(
        runtime
            .explain_rows("cuont", truck)
            .expect_err("no such system")
            .to_string()
            .contains("`count`")
    );
}

fn sentences(runtime: &Runtime) -> Vec<String> {
    let found = runtime.without_effect();
    found.iter().map(ToString::to_string).collect()
}

#[test]
fn components_without_effect_are_named_with_what_is_missing() {
    let mut runtime = Runtime::new();
    let cube = || Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::ONE));
    let world = runtime.world_mut();
    let layers = world.global_mut::<Layers>().expect("it is there");
    let lonely = layers.add("lonely").expect("there is room");
    let default = layers.find("default").expect("it is always there");
    layers.part(lonely, default).expect("both are there");
    world.spawn((
        Name::new("crate"),
        Transform::default(),
        cube(),
        Body::dynamic(),
    ));
    assert!(runtime.without_effect().is_empty());

    let world = runtime.world_mut();
    world.spawn((Name::new("ghost"), Body::dynamic()));
    for name in ["gate-1", "gate-2", "gate-3"] {
        world.spawn((Name::new(name), cube()));
    }
    for i in 0..2 {
        let name = Name::new(&format!("buoy-{i}"));
        world.spawn((
            name,
            Transform::default(),
            cube().in_layer(lonely),
            Velocity(Vec3::X),
            Body::dynamic(),
        ));
    }
    assert_eq!(
        sentences(&runtime),
        [
            "`Body` of `ghost` has no effect: it has no `Transform` that it could change; attach one",
            "`Collider` of `gate-1` and 2 other entities has no effect: it has no `Transform`, so it has no place; attach one",
            "`Velocity` of `buoy-0` and one other entity has no effect: no system claims it; add the `StandardKit`",
            "`Collider` of `buoy-0` and one other entity has no effect: no other collider is in a layer that its layer `lonely` meets; \
             let the layers meet, by `Layers::meet` or `layers` of a scene",
        ]
    );
    let findings = runtime.findings().expect("the order holds");
    assert_eq!(findings.without_effect(), runtime.without_effect());
    assert_eq!(findings.without_effect()[1].count(), 3);

    runtime.add_kit(StandardKit).expect("its names are free");
    let world = runtime.world_mut();
    let layers = world.global_mut::<Layers>().expect("it is there");
    layers.meet(lonely, lonely).expect("it was added");
    let all: Vec<Entity> = world
        .rows_where::<Entity, Lacking<Transform>>()
        .iter()
        .collect();
    for entity in all {
        world
            .attach(entity, Transform::default())
            .expect("it lives");
    }
    assert_eq!(sentences(&runtime), [""; 0]);
}

/// A system of the program that claims a component of the kit is enough.
#[test]
fn a_component_that_the_program_moves_by_itself_has_an_effect() {
    let mut runtime = Runtime::new();
    runtime
        .world_mut()
        .spawn((Transform::default(), Velocity(Vec3::X)));
    let own = System::named("drift")
        .takes::<Rows<(&mut Transform, &Velocity)>>()
        .runs(|mut rows| rows.each(|(transform, velocity)| transform.translation += velocity.0));
    runtime.add_system(own).expect("the name is free");
    assert_eq!(sentences(&runtime), [""; 0]);
    runtime.world_mut().spawn((Velocity(Vec3::X),));
    assert_eq!(sentences(&runtime).len(), 1);
}

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

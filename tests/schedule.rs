//! Order, access, faults and the clock.

use gerust::prelude::*;

#[derive(Default)]
struct Log(Vec<&'static str>);

fn note(name: &'static str, phase: Phase) -> System {
    System::named(name)
        .phase(phase)
        .takes::<GlobalMut<Log>>()
        .runs(move |mut log| log.0.push(name))
}

#[test]
fn phases_run_in_order_and_systems_in_order_of_registration() {
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Log::default());
    for (name, phase) in [
        ("close", Phase::Close),
        ("react 1", Phase::React),
        ("intake", Phase::Intake),
        ("react 2", Phase::React),
        ("set up", Phase::Setup),
        ("simulate", Phase::Simulate),
    ] {
        runtime
            .add_system(note(name, phase))
            .expect("its name is free");
    }
    runtime.run_frames(2).expect("nothing fails");
    let log = runtime.world().global::<Log>().expect("it was put in");
    let frame = ["intake", "simulate", "react 1", "react 2", "close"];
    let expected: Vec<_> = std::iter::once("set up")
        .chain(frame)
        .chain(frame)
        .collect();
    assert_eq!(log.0, expected);
}

#[test]
fn a_system_that_claims_one_thing_twice_is_refused() {
    let mut runtime = Runtime::new();
    let greedy = System::named("greedy")
        .takes::<(Rows<&mut u8>, Rows<&u8>)>()
        .runs(|_| ());
    let error = runtime.add_system(greedy).unwrap_err();
    assert_eq!(
        error.to_string(),
        "system `greedy` claims `u8` twice, once to write it, in `Rows<&mut u8>` and in `Rows<&u8>`, and these can meet; merge the two, keep them apart by `Having` and `Lacking` one type, or move one into a system of its own"
    );
    let fine = System::named("fine")
        .takes::<(Rows<&u8>, Rows<(Entity, &u8)>)>()
        .runs(|_| ());
    runtime.add_system(fine).expect("two readers do not clash");
}

/// The error of adding a system with these claims.
fn refusal_of<C: gerust::Claim + 'static>() -> String {
    refusal(System::named("greedy").takes::<C>().runs(|_| ()))
}

#[test]
fn claims_that_exclude_each_other_are_refused_with_what_is_meant() {
    assert_eq!(
        refusal_of::<Rows<(&u8, &mut u8)>>(),
        "system `greedy` claims `u8` twice, once to write it, in `Rows<(&u8, &mut u8)>`; \
         name it once, as `&mut u8`, which can be read as well"
    );
    assert_eq!(
        refusal_of::<(Global<Clock>, GlobalMut<Clock>)>(),
        "system `greedy` claims `Clock` twice, once to write it, as a global; \
         take `GlobalMut<Clock>` once, which can be read as well"
    );
    assert_eq!(
        refusal_of::<(Inbox<u8>, Outbox<u8>)>(),
        "system `greedy` claims `u8` twice, once to write it, as an event; \
         take `Inbox<u8>` or `Outbox<u8>`, once, and move the other into a system of its own"
    );
    assert_eq!(
        refusal_of::<Rows<&u8, Lacking<&'static u16>>>(),
        "system `greedy` claims `Rows<&u8, Lacking<&u16>>`, with the type `&u16`, which no entity has; write `u16`"
    );
    for fine in [
        System::named("clocks")
            .takes::<(Global<Clock>, Global<Clock>)>()
            .runs(|_| ()),
        System::named("texts")
            .takes::<Rows<&&'static str, Lacking<&'static str>>>()
            .runs(|_| ()),
    ] {
        Runtime::new().add_system(fine).expect("it can be granted");
    }
}

#[test]
fn declared_access_tells_which_systems_clash() {
    let writes = System::named("a").takes::<Rows<&mut u8>>().runs(|_| ());
    let reads = System::named("b")
        .takes::<(Rows<&u8>, Rows<&u16>)>()
        .runs(|_| ());
    let other = System::named("c")
        .takes::<(Rows<&u16>, Global<u8>)>()
        .runs(|_| ());
    let shared: Vec<String> = writes
        .access()
        .shared_uses(reads.access())
        .map(|shared| shared.resource().to_owned())
        .collect();
    assert_eq!(shared, ["u8"]);
    assert_eq!(reads.access().shared_uses(other.access()).count(), 0);
    // A global of a type is not the component of that type.
    assert_eq!(writes.access().shared_uses(other.access()).count(), 0);
}

#[test]
fn a_missing_global_is_an_error_that_names_system_and_global() {
    struct Tide;
    let mut runtime = Runtime::new();
    runtime
        .add_system(System::named("float").takes::<Global<Tide>>().runs(|_| ()))
        .expect("its name is free");
    let error = runtime.run_frames(1).unwrap_err();
    assert_eq!(
        error.to_string(),
        "system `float` cannot run: the world has no global `Tide`; put one in with `set_global` before it is asked for"
    );
    runtime.world_mut().set_global(Tide);
    runtime.run_frames(1).expect("now it is there");
}

#[test]
fn a_panic_is_an_error_and_the_runtime_goes_on() {
    let mut runtime = Runtime::new();
    let pallet = runtime.world_mut().spawn((0_u8,));
    runtime
        .add_system(
            System::named("faulty")
                .phase(Phase::React)
                .takes::<(Rows<&mut u8>, Global<Clock>)>()
                .runs(|(mut rows, clock)| {
                    rows.each(|number| *number += 1);
                    assert_ne!(clock.frame(), 2, "the rope broke");
                }),
        )
        .expect("its name is free");
    let error = runtime.run_frames(5).unwrap_err();
    let message = error.to_string();
    let place = format!("of frame 2 at {}:", file!());
    assert!(message.starts_with(&format!("system `faulty` panicked in phase React {place}")));
    assert!(message.contains("the rope broke"));
    runtime.run_frames(2).expect("later frames run");
    // The guards of the panicked run were released, and what it had written stays.
    assert_eq!(*runtime.world().get::<u8>(pallet).expect("it is alive"), 4);
}

#[test]
fn scene_time_does_not_drift() {
    let mut runtime = Runtime::bare();
    runtime.set_step_seconds(0.1).expect("a fine step");
    runtime.run_frames(100_000).expect("nothing fails");
    let seconds = runtime
        .world()
        .global::<Clock>()
        .expect("always there")
        .seconds();
    assert_eq!(seconds, 10_000.0);
}

#[test]
fn a_plain_function_serves_as_a_system_and_can_be_called_by_a_test() {
    fn count((rows, mut total): (Rows<&u8>, GlobalMut<u32>)) {
        *total += rows.iter().map(|&number| u32::from(number)).sum::<u32>();
    }
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(0_u32);
    runtime.world_mut().spawn((3_u8,));
    runtime
        .add_system(
            System::named("count")
                .takes::<(Rows<&u8>, GlobalMut<u32>)>()
                .runs(count),
        )
        .expect("its name is free");
    runtime.run_frames(2).expect("nothing fails");
    assert_eq!(*runtime.world().global::<u32>().expect("it was put in"), 6);
}

fn nothing(name: &str) -> gerust::schedule::SystemDraft {
    System::named(name)
}

fn refusal(system: System) -> String {
    let mut runtime = Runtime::bare();
    let error = runtime.add_system(system).expect_err("it is refused");
    error.to_string()
}

#[test]
fn rules_that_make_no_sense_are_refused_with_a_fix() {
    for every in [0.0, -1.0, f64::NAN, f64::INFINITY] {
        let message = refusal(nothing("report").every(every).takes::<()>().runs(|()| ()));
        assert_eq!(
            message,
            format!(
                "system `report` cannot be added: `every` must be above 0 seconds and finite, but it is {every}"
            )
        );
    }
    let once = nothing("load").phase(Phase::Setup).every(1.0);
    assert!(refusal(once.takes::<()>().runs(|()| ())).contains("systems of Setup run once"));
    let nowhere = nothing("blow").phase(Phase::Own("Weather"));
    assert_eq!(
        refusal(nowhere.takes::<()>().runs(|()| ())),
        "system `blow` cannot be added: unknown phase `Weather`; the phases are `Close`, `Intake`, `Move`, `Place`, `React`, `Setup`, `Simulate`, `Touch`, and `add_phase_after` adds another"
    );
    let misspelled = nothing("blow").phase(Phase::Own("Toch"));
    let misspelled = refusal(misspelled.takes::<()>().runs(|()| ()));
    assert!(misspelled.contains("unknown phase `Toch`; did you mean `Touch`?"));
    let writes = nothing("a").only_if::<GlobalMut<u32>>(|mut global| {
        *global += 1;
        true
    });
    let spawns = nothing("b").only_if::<Edits>(|_| true);
    for system in [writes, spawns] {
        let message = refusal(system.takes::<()>().runs(|()| ()));
        assert!(
            message.ends_with("a condition of `only_if` may only read; write in the system itself")
        );
    }
}

#[test]
fn orders_that_cannot_hold_are_reported_before_a_frame_runs() {
    let fails = |systems: Vec<System>| {
        let mut runtime = Runtime::bare();
        for system in systems {
            runtime.add_system(system).expect("its name is free");
        }
        let error = runtime.run_frames(1).expect_err("it cannot hold");
        let clock = runtime
            .world()
            .global::<Clock>()
            .expect("always there")
            .frame();
        assert_eq!(clock, 0, "no frame has run");
        error.to_string()
    };
    let plain = |name| nothing(name).takes::<()>().runs(|()| ());
    assert_eq!(
        fails(vec![
            plain("steer"),
            nothing("wake").after("stear").takes::<()>().runs(|()| ()),
        ]),
        "system `wake` is to run after `stear`, but no other system has that name or label; did you mean `steer`?"
    );
    let react = nothing("alarm").phase(Phase::React).before("steer");
    assert_eq!(
        fails(vec![plain("steer"), react.takes::<()>().runs(|()| ())]),
        "system `alarm` of phase React is to run before `steer`, which is a name or label of phase Simulate; phases have an order of their own, so take the statement out, or move one of the two"
    );
    assert_eq!(
        fails(vec![
            nothing("a").before("b").takes::<()>().runs(|()| ()),
            nothing("b").label("middle").takes::<()>().runs(|()| ()),
            nothing("c")
                .after("middle")
                .before("a")
                .takes::<()>()
                .runs(|()| ()),
        ]),
        "the systems of phase Simulate are ordered in a circle: a → b → c → a; take out one of `a` before `b`, `c` after `middle`, `c` before `a`"
    );
    let own = nothing("ouroboros").after("ouroboros");
    assert!(fails(vec![own.takes::<()>().runs(|()| ())]).contains("ouroboros → ouroboros"));
}

#[test]
fn own_phases_run_where_they_were_put_and_bad_ones_are_refused() {
    const WEATHER: Phase = Phase::Own("Weather");
    const TIDE: Phase = Phase::Own("Tide");
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Log::default());
    runtime
        .add_phase_after(WEATHER, Phase::Simulate)
        .expect("the name is free");
    runtime
        .add_phase_before(TIDE, WEATHER)
        .expect("the name is free");
    for (name, phase) in [
        ("blow", WEATHER),
        ("simulate", Phase::Simulate),
        ("rise", TIDE),
        ("move", Phase::Move),
    ] {
        runtime
            .add_system(note(name, phase))
            .expect("its name is free");
    }
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        runtime.world().global::<Log>().expect("it was put in").0,
        ["simulate", "rise", "blow", "move"]
    );

    let mut refused = |phase, anchor, is_after: bool| {
        let outcome = match is_after {
            true => runtime.add_phase_after(phase, anchor),
            false => runtime.add_phase_before(phase, anchor),
        };
        outcome.expect_err("it is refused").to_string()
    };
    assert!(refused(TIDE, Phase::React, true).contains("there is one of that name already"));
    assert!(
        refused(Phase::Own("Move"), Phase::React, true)
            .contains("there is one of that name already")
    );
    assert!(
        refused(Phase::Own("Early"), Phase::Setup, false).contains("nothing runs before Setup")
    );
    assert!(
        refused(Phase::Own("Lost"), Phase::Own("Nowhere"), true)
            .contains("unknown phase `Nowhere`; the phases are `Close`, ")
    );
}

#[test]
fn each_system_of_setup_runs_once_whenever_it_comes() {
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Log::default());
    runtime
        .add_system(note("first", Phase::Setup))
        .expect("its name is free");
    runtime
        .add_system(note("off", Phase::Setup))
        .expect("its name is free");
    runtime.set_enabled("off", false).expect("it is there");
    runtime.run_frames(3).expect("nothing fails");
    runtime
        .add_system(note("late", Phase::Setup))
        .expect("its name is free");
    runtime.run_frames(3).expect("nothing fails");
    runtime.set_enabled("off", true).expect("it is there");
    runtime.run_frames(3).expect("nothing fails");
    assert_eq!(
        runtime.world().global::<Log>().expect("it was put in").0,
        ["first", "late", "off"]
    );
}

#[test]
fn conditions_are_asked_in_turn_and_what_they_read_orders_them() {
    struct Asked(u32);
    struct Gate(bool);
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Gate(false));
    runtime.world_mut().set_global(Log::default());
    let asked = std::sync::Arc::new(std::sync::atomic::AtomicU32::new(0));
    let count = std::sync::Arc::clone(&asked);
    runtime
        .add_system(
            nothing("guarded")
                .only_if::<Global<Gate>>(|gate| gate.0)
                .only_if::<()>(move |()| {
                    count.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
                    true
                })
                .takes::<GlobalMut<Log>>()
                .runs(|mut log| log.0.push("guarded")),
        )
        .expect("its name is free");
    runtime
        .add_system(
            nothing("open")
                .takes::<GlobalMut<Gate>>()
                .runs(|mut gate| gate.0 = !gate.0),
        )
        .expect("its name is free");
    runtime.run_frames(4).expect("nothing fails");
    // The gate is open in the frames 2 and 4, because the guarded one is asked before it is switched.
    assert_eq!(
        runtime
            .world()
            .global::<Log>()
            .expect("it was put in")
            .0
            .len(),
        2
    );
    assert_eq!(
        asked.load(std::sync::atomic::Ordering::Relaxed),
        2,
        "only where the first held"
    );
    let plan = runtime.schedule().plan().expect("it can be planned");
    assert_eq!(
        plan.order_of("open", "guarded")
            .expect("both are there")
            .to_string(),
        "`guarded` runs before `open`\n  `guarded` reads global Gate, `open` writes it; registered first"
    );
    let missing = nothing("unasked").only_if::<Global<Asked>>(|asked| asked.0 > 0);
    runtime
        .add_system(missing.takes::<()>().runs(|()| ()))
        .expect("its name is free");
    let message = runtime
        .run_frames(1)
        .expect_err("there is no such global")
        .to_string();
    assert!(message.starts_with("system `unasked` cannot run: the world has no global `Asked`"));
}

#[test]
fn edits_switch_systems_by_label_and_unknown_names_are_missed() {
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Log::default());
    let drive = nothing("drive").label("night shift");
    runtime
        .add_system(
            drive
                .takes::<GlobalMut<Log>>()
                .runs(|mut log| log.0.push("drive")),
        )
        .expect("its name is free");
    runtime
        .add_system(
            nothing("clock off")
                .phase(Phase::Close)
                .takes::<(Global<Clock>, Edits)>()
                .runs(|(clock, mut edits)| {
                    edits.set_enabled("night shift", clock.frame() >= 4);
                    edits.set_enabled("day shift", true);
                }),
        )
        .expect("its name is free");
    runtime.run_frames(6).expect("nothing fails");
    // On in the frames 1, 5 and 6.
    assert_eq!(
        runtime
            .world()
            .global::<Log>()
            .expect("it was put in")
            .0
            .len(),
        3
    );
    let missed = runtime.world().missed_edits();
    assert_eq!(missed.count(), 6);
    assert_eq!(missed.first_reasons()[0].system(), Some("day shift"));
}

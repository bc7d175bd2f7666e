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
    assert!(message.starts_with("system `faulty` panicked in phase React of frame 2: "));
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

//! State that systems keep for a world, and ids and random numbers, which depend on nothing else.

use super::*;

#[test]
fn a_burst_of_spawns_costs_what_is_spawned_and_has_the_same_ids_on_any_threads() {
    let ids = |wanted: usize| {
        let mut runtime = Runtime::bare();
        threads(&mut runtime, wanted);
        for number in 0..100 {
            let system =
                System::named(&format!("spawn {number}")).takes::<(Global<Clock>, Edits)>();
            let system = system.runs(move |(clock, mut edits)| {
                let count = match number {
                    40 => 5_000,
                    41 => 300 * clock.frame(),
                    _ => u64::from(number as u64 % 50 == clock.frame() % 7),
                };
                for _ in 0..count {
                    edits.spawn((A(number),));
                }
            });
            runtime.add_system(system).expect("its name is free");
        }
        runtime.run_frames(4).expect("nothing fails");
        let world = runtime.world();
        let bookkeeping = world.memory().bookkeeping_per_entity();
        assert!(bookkeeping < 40.0, "{bookkeeping} bytes for each");
        let mut ids: Vec<(u32, Entity)> = world
            .rows::<(&A, Entity)>()
            .iter()
            .map(|(a, entity)| (a.0, entity))
            .collect();
        ids.sort_unstable();
        ids
    };
    let serial = ids(1);
    assert!(serial.len() > 22_000);
    for threads in [2, 4] {
        assert_eq!(ids(threads), serial);
    }
}

#[test]
fn systems_begin_anew_with_another_world() {
    let heard = Arc::new(Mutex::new(Vec::new()));
    let made = |heard: &Arc<Mutex<Vec<u32>>>| {
        let mut runtime = Runtime::new();
        let heard = Arc::clone(heard);
        let system = System::named("look")
            .takes::<(Rows<&A>, Rows<&B>, Inbox<u32>)>()
            .runs(move |(a, b, mut inbox)| {
                let sum = a.iter().map(|a| a.0).sum::<u32>() + b.iter().map(|b| b.0).sum::<u32>();
                let mut heard = heard.lock().expect("no system panics");
                heard.push(sum);
                heard.extend(inbox.take_unread());
            });
        runtime.add_system(system).expect("its name is free");
        runtime
    };
    let take = || std::mem::take(&mut *heard.lock().expect("no system panics"));
    let mut runtime = made(&heard);
    runtime.world_mut().spawn((A(1), C));
    runtime.world_mut().post(70_u32);
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [1, 70]);

    // Tables of the new world have other types under the same numbers.
    *runtime.world_mut() = World::new();
    runtime.world_mut().spawn((B(10),));
    runtime.world_mut().spawn((C, A(20)));
    runtime.world_mut().post(71_u32);
    runtime
        .run_frames(1)
        .expect("the globals of the built-in systems are put in again");
    assert_eq!(take(), [30, 71]);

    // A system that is added before the first frame of the new world changes nothing.
    *runtime.world_mut() = World::new();
    let late = System::named("late")
        .takes::<Global<Gravity>>()
        .runs(|_| ());
    runtime.add_system(late).expect("its name is free");
    runtime.world_mut().spawn((B(30),));
    runtime
        .run_frames(1)
        .expect("the globals of the built-in systems are there");
    assert_eq!(take(), [30]);

    let kept = std::mem::take(runtime.world_mut());
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [0]);
    let mut other = made(&heard);
    other.world_mut().spawn((B(5),));
    other.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [5]);
    *other.world_mut() = kept;
    std::mem::swap(other.world_mut(), runtime.world_mut());
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [30]);
    other.run_frames(1).expect("nothing fails");
    assert_eq!(take(), [0]);
}

#[test]
fn changes_are_not_lost_by_a_run_that_fails() {
    struct Missing;
    struct Seen(Vec<usize>);
    // A world without the global: the system cannot run.
    let mut runtime = Runtime::bare();
    let load = runtime.world_mut().spawn((A(1),));
    runtime.world_mut().set_global(Seen(Vec::new()));
    let system = System::named("look")
        .takes::<(Rows<&A, Written<A>>, Global<Missing>, GlobalMut<Seen>)>()
        .runs(|(rows, missing, mut seen)| {
            let _ = &*missing;
            seen.0.push(rows.count());
        });
    runtime.add_system(system).expect("its name is free");
    assert!(runtime.run_frames(1).is_err());
    runtime
        .world_mut()
        .get_mut::<A>(load)
        .expect("it is alive")
        .0 = 2;
    assert!(runtime.run_frames(1).is_err());
    runtime.world_mut().set_global(Missing);
    runtime.run_frames(2).expect("nothing is missing");
    assert_eq!(
        runtime.world().global::<Seen>().expect("it was put in").0,
        [1, 0]
    );
}

#[cfg(feature = "chance")]
#[test]
fn a_condition_draws_other_numbers_than_its_system() {
    use gerust::Chance;
    use rand::RngExt;

    struct Drawn(Vec<u32>);
    let mut runtime = Runtime::bare();
    runtime.world_mut().set_global(Drawn(Vec::new()));
    let even = |chance: Chance<'_>| chance.system_stream().random::<u32>() % 2 == 0;
    let system = System::named("draw")
        .only_if::<Chance>(even)
        .takes::<(Chance, GlobalMut<Drawn>)>()
        .runs(|(chance, mut drawn)| drawn.0.push(chance.system_stream().random()));
    runtime.add_system(system).expect("its name is free");
    runtime.run_frames(400).expect("nothing fails");
    let drawn = &runtime.world().global::<Drawn>().expect("it was put in").0;
    assert!(
        (150..250).contains(&drawn.len()),
        "{} frames of 400",
        drawn.len()
    );
    let even = drawn.iter().filter(|number| *number % 2 == 0).count();
    assert!(
        (drawn.len() / 3..drawn.len() * 2 / 3).contains(&even),
        "{even} of {}",
        drawn.len()
    );
}

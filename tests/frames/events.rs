//! The events that an inbox sees.

use super::*;

fn listener(name: &str, phase: Phase) -> (System, Arc<Mutex<Vec<u32>>>) {
    let heard = Arc::new(Mutex::new(Vec::new()));
    let all = Arc::clone(&heard);
    let system = System::named(name)
        .phase(phase)
        .takes::<Inbox<u32>>()
        .runs(move |mut inbox| {
            all.lock()
                .expect("no system panics")
                .extend(inbox.take_unread());
        });
    (system, heard)
}

/// A runtime with a listener `slow` that is switched off.
fn with_slow_listener() -> (Runtime, Arc<Mutex<Vec<u32>>>) {
    let mut runtime = Runtime::bare();
    let (slow, heard) = listener("slow", Phase::Simulate);
    runtime.add_system(slow).expect("its name is free");
    runtime.set_enabled("slow", false).expect("it is there");
    (runtime, heard)
}

#[test]
fn a_new_inbox_begins_with_the_latest_frame_and_a_slow_one_keeps_its_backlog() {
    let (mut runtime, heard_slow) = with_slow_listener();
    for number in 0..5_u32 {
        runtime.run_frames(1).expect("nothing fails");
        runtime.world_mut().post(number);
    }
    let (late, heard_late) = listener("late", Phase::Simulate);
    runtime.add_system(late).expect("its name is free");
    runtime.set_enabled("slow", true).expect("it is there");
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        *heard_slow.lock().expect("no system panics"),
        [0, 1, 2, 3, 4]
    );
    assert_eq!(*heard_late.lock().expect("no system panics"), [4]);
}

#[test]
fn an_inbox_that_is_not_asked_keeps_65_536_events_beyond_the_frame() {
    let (mut runtime, heard) = with_slow_listener();
    for number in 0..70_000_u32 {
        runtime.world_mut().post(number);
    }
    runtime.run_frames(2).expect("nothing fails");
    runtime.set_enabled("slow", true).expect("it is there");
    runtime.run_frames(1).expect("nothing fails");
    let heard = heard.lock().expect("no system panics");
    assert_eq!((heard.len(), heard[0]), (65_536, 70_000 - 65_536));
    let unheard = runtime.world().unheard_events();
    assert_eq!(
        (unheard[0].name(), unheard[0].count()),
        ("u32", 70_000 - 65_536)
    );
}

#[test]
fn events_of_a_phase_that_fails_are_taken_back() {
    let mut runtime = Runtime::bare();
    let (early, heard) = listener("early", Phase::Simulate);
    let post = System::named("post")
        .takes::<(Global<Clock>, Outbox<u32>, Edits)>()
        .runs(|(clock, mut outbox, mut edits)| {
            let id = edits.spawn((A(1),));
            outbox.post(100 * clock.frame() as u32 + id.index());
        });
    let fail = System::named("fail")
        .after("early")
        .takes::<Global<Clock>>();
    let fail = fail.runs(|clock| assert_ne!(clock.frame(), 2, "the second frame fails"));
    let (later, heard_later) = listener("later", Phase::React);
    for system in [post, early, fail, later] {
        runtime.add_system(system).expect("its name is free");
    }
    runtime.world_mut().post(7_u32);
    runtime.run_frames(1).expect("the first frame runs");
    runtime.run_frames(1).expect_err("the second fails");
    runtime.run_frames(1).expect("the third runs");
    // Only `early`, which ran before the phase failed, has heard the event.
    assert_eq!(*heard.lock().expect("no system panics"), [7, 100, 201, 301]);
    assert_eq!(
        *heard_later.lock().expect("no system panics"),
        [7, 100, 301]
    );
}

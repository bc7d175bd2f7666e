//! Drops and iterators that panic.

use super::*;

/// Panics when it is dropped, if its flag is set.
pub(crate) struct Loud(pub(crate) bool, pub(crate) Arc<AtomicU32>);

impl Drop for Loud {
    fn drop(&mut self) {
        self.1.fetch_add(1, Ordering::Relaxed);
        assert!(!self.0 || std::thread::panicking(), "a loud value goes");
    }
}

#[test]
fn events_whose_drop_panics_end_one_frame() {
    let drops = Arc::new(AtomicU32::new(0));
    let mut runtime = Runtime::bare();
    let heard = Arc::new(AtomicU32::new(0));
    let counted = Arc::clone(&heard);
    let listen = System::named("listen").takes::<Inbox<Loud>>();
    let listen = listen.runs(move |mut inbox| {
        counted.fetch_add(inbox.take_unread().count() as u32, Ordering::Relaxed);
    });
    runtime.add_system(listen).expect("its name is free");
    for number in 0..5 {
        runtime
            .world_mut()
            .post(Loud(number % 2 == 1, Arc::clone(&drops)));
    }
    runtime.run_frames(1).expect("nothing is dropped yet");
    let error = runtime.run_frames(1).unwrap_err();
    let message = error.to_string();
    assert!(
        message.starts_with("the drop of an event panicked in frame 2 at "),
        "{message}"
    );
    assert_eq!(drops.load(Ordering::Relaxed), 5, "all of them are dropped");
    runtime.world_mut().post(Loud(false, Arc::clone(&drops)));
    runtime.run_frames(3).expect("nothing is left behind");
    assert_eq!(
        (heard.load(Ordering::Relaxed), drops.load(Ordering::Relaxed)),
        (6, 6)
    );
}

#[test]
fn siblings_of_a_value_whose_drop_panics_are_dropped() {
    let drops = Arc::new(AtomicU32::new(0));
    let mut world = World::new();
    let loud = |is_loud: bool| Loud(is_loud, Arc::clone(&drops));
    let ids: Vec<Entity> = (0..6)
        .map(|number| world.spawn((loud(number == 1), A(number))))
        .collect();
    world.link(ids[2], ids[1]).expect("no cycle");
    world.link(ids[3], ids[2]).expect("no cycle");
    let ends = |work: &mut dyn FnMut()| {
        let work = std::panic::AssertUnwindSafe(work);
        std::panic::catch_unwind(work).expect_err("the drop panics");
    };
    ends(&mut || drop(world.despawn(ids[1])));
    assert_eq!((drops.load(Ordering::Relaxed), world.len()), (3, 3));
    world.attach(ids[4], loud(true)).expect("it is alive");
    ends(&mut || {
        world.despawn_many(ids.iter().copied());
    });
    // One of the six was replaced by a loud one.
    assert_eq!((drops.load(Ordering::Relaxed), world.len()), (7, 0));
    let again = world.spawn((loud(false),));
    world.despawn(again).expect("it is alive");
    assert_eq!(drops.load(Ordering::Relaxed), 8);
}

#[test]
fn what_an_iterator_yields_before_it_panics_is_done() {
    let mut world = World::new();
    let ids = world.spawn_many((0..40).map(|number| (A(number),)));
    let first_ten = |ids: &[Entity]| {
        let ids = ids.to_vec();
        (0..40).map(move |at: usize| {
            assert!(at < 10, "the list is torn");
            ids[at]
        })
    };
    let ends = |work: &mut dyn FnMut()| {
        let work = std::panic::AssertUnwindSafe(work);
        std::panic::catch_unwind(work).expect_err("the iterator panics");
    };
    ends(&mut || drop(world.spawn_many(first_ten(&ids).map(|id| (B(id.index()),)))));
    assert_eq!((world.len(), world.rows::<&B>().count()), (50, 10));
    ends(&mut || {
        world.attach_many(first_ten(&ids).map(|id| (id, B(1))));
    });
    assert_eq!(world.rows::<(&A, &B)>().count(), 10);
    ends(&mut || {
        world.detach_many::<A>(first_ten(&ids));
    });
    assert_eq!(world.rows::<&A>().count(), 30);
    ends(&mut || {
        world.despawn_many(first_ten(&ids));
    });
    assert_eq!((world.len(), world.rows::<&A>().count()), (40, 30));
}

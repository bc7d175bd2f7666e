use crate::prelude::*;
use std::panic::{AssertUnwindSafe, catch_unwind};

struct Fuel(f32);
#[derive(Clone, PartialEq, Debug)]
struct RanDry(Entity);

claims! {
    type Refuel = (Rows<(Entity, &mut Fuel)>, Outbox<RanDry>, Edits);
    type Twice = (Edits, Edits);
    type Both = (Rows<&Fuel>, Rows<&mut Fuel>);
    type Ask = (Inbox<RanDry>, Global<Clock>);
}

#[test]
fn a_function_gets_its_claims_and_its_edits_are_applied() {
    let mut world = World::new();
    let truck = world.spawn((Fuel(0.0),));
    let spawned = world.grant::<Refuel, _>(|(mut trucks, mut outbox, mut edits)| {
        for (truck, fuel) in &mut trucks {
            fuel.0 = 9.0;
            outbox.post(RanDry(truck));
        }
        edits.spawn((Fuel(1.0),))
    });
    let spawned = spawned.expect("the claims fit together");
    assert_eq!(world.get::<Fuel>(truck).expect("it has fuel").0, 9.0);
    assert_eq!(world.get::<Fuel>(spawned).expect("it lives").0, 1.0);
    assert_eq!(world.posted::<RanDry>(), [RanDry(truck)]);
}

#[test]
fn an_inbox_has_the_events_of_the_frame_and_each_call_gets_them_again() {
    let mut world = World::new();
    let truck = world.spawn((Fuel(0.0),));
    world.set_global(Clock::default());
    world.post(RanDry(truck));
    fn count((mut inbox, _): Ask<'_>) -> usize {
        inbox.take_unread().count()
    }
    for _ in 0..2 {
        assert_eq!(world.grant::<Ask, _>(count).expect("it has a clock"), 1);
    }
}

#[test]
fn every_row_counts_as_written() {
    let mut world = World::new();
    world.spawn((Fuel(0.0),));
    for _ in 0..2 {
        let count = world.grant::<Rows<&Fuel, Written<Fuel>>, _>(|rows| rows.iter().count());
        assert_eq!(count.expect("the claims fit together"), 1);
    }
}

fn weigh(_: Both<'_>) {}

#[test]
fn claims_that_cannot_be_granted_are_errors_and_nothing_is_called() {
    let mut world = World::new();
    let error = world.grant::<Both, _>(weigh).unwrap_err();
    assert!(
        error
            .to_string()
            .starts_with("system `weigh` claims `Fuel` twice"),
        "{error}"
    );
    assert_eq!(error.kind(), crate::ErrorKind::AccessClash);
    let error = world.grant::<Twice, _>(|_| ()).unwrap_err();
    assert_eq!(
        error.to_string(),
        "system `closure` claims `Edits` twice, and edits are carried out in one order; take `Edits` once"
    );
    let error = world
        .grant::<Ask, ()>(|_| panic!("it is not called"))
        .unwrap_err();
    assert_eq!(error.kind(), crate::ErrorKind::MissingGlobal);
}

/// A panic passes to the caller; edits and events are discarded, and the id that was handed out is never used.
#[test]
fn a_panic_discards_edits_and_events() {
    let mut world = World::new();
    world.spawn((Fuel(0.0),));
    let mut promised = None;
    let panicked = catch_unwind(AssertUnwindSafe(|| {
        world.grant::<Refuel, ()>(|(mut trucks, mut outbox, mut edits)| {
            let (truck, fuel) = trucks.iter_mut().next().expect("there is one");
            fuel.0 = 5.0;
            outbox.post(RanDry(truck));
            promised = Some(edits.spawn((Fuel(1.0),)));
            panic!("no fuel");
        })
    }));
    assert!(panicked.is_err());
    assert_eq!(world.len(), 1);
    assert!(world.posted::<RanDry>().is_empty());
    let after: Vec<Entity> = world.spawn_many((0..50).map(|_| (Fuel(0.0),)));
    let promised = promised.expect("it was handed out");
    assert!(!after.contains(&promised) && !world.contains(promised));
}

use crate::prelude::*;

#[derive(Clone, PartialEq, Debug)]
pub(super) struct Fuel(f32);
#[derive(Clone)]
pub(super) struct Call(u64);
pub(super) struct Rack;

claims! {
    /// One claim without a tuple.
    type Single = Rows<(Entity, &mut Fuel), (Having<Rack>, Lacking<Body>)>;
    pub(super) type Nested = (
        (Rows<(Option<&Fuel>, &'static Rack)>, Global<Clock>),
        (GlobalMut<Gravity>, Inbox<Contact>, Outbox<Call>),
        (Lost<Rack>, Edits),
        Rows<&Fuel, AnyOf<(Having<Body>, Having<Transform>)>>,
    );
    type Own = (Mine<'w>, Edits);
}

claims! {}

type Mine<'w> = Rows<'w, &'static Fuel>;

fn refuel(mut tanks: Single<'_>) {
    for (_, fuel) in &mut tanks {
        fuel.0 += 1.0;
    }
}

fn look(
    ((racks, clock), (mut gravity, mut inbox, mut outbox), (mut lost, mut edits), any): Nested<'_>,
) {
    assert_eq!((racks.iter().count(), any.iter().count()), (2, 0));
    assert_eq!(lost.take_unread().count(), 0);
    *gravity = Gravity(Vec3::X);
    let unread = inbox.take_unread().count();
    outbox.post(Call(clock.frame() + unread as u64));
    edits.spawn((Fuel(0.5),));
}

fn count((tanks, mut edits): Own<'_>) {
    for _ in &tanks {
        edits.spawn((Rack,));
    }
}

#[test]
fn named_claims_are_those_that_are_written_out() -> Result<(), crate::Error> {
    let mut runtime = Runtime::new();
    let racks = [(Fuel(1.0),), (Fuel(2.0),)].map(|(fuel,)| runtime.world_mut().spawn((fuel, Rack)));
    runtime.add_system(System::named("refuel").takes::<Single>().runs(refuel))?;
    runtime.add_system(
        System::named("look")
            .after("refuel")
            .takes::<Nested>()
            .runs(look),
    )?;
    runtime.add_system(
        System::named("count")
            .phase(Phase::React)
            .takes::<Own>()
            .runs(count),
    )?;
    runtime.run_frames(1)?;
    for (rack, amount) in racks.into_iter().zip([2.0, 3.0]) {
        assert_eq!(*runtime.world().get::<Fuel>(rack)?, Fuel(amount));
    }
    assert_eq!(*runtime.world().global::<Gravity>()?, Gravity(Vec3::X));
    assert_eq!(runtime.world().posted::<Call>()[0].0, 1);
    // Two tanks, one that was spawned, and one entity for each of them.
    assert_eq!(runtime.world().len(), 6);
    Ok(())
}

use crate::prelude::*;
use proptest::prelude::*;

#[derive(Clone, PartialEq, Debug, serde::Serialize, serde::Deserialize)]
struct Load(i32);
#[derive(Clone, PartialEq, Debug, serde::Serialize, serde::Deserialize)]
struct Owner(String);

fn world() -> World {
    let mut world = World::new();
    world
        .register_component::<Load>("load")
        .expect("its name is free");
    world
        .register_component::<Owner>("owner")
        .expect("its name is free");
    world
}

#[derive(Clone, Debug)]
enum Step {
    Spawn(i32),
    SpawnOwned(i32, String),
    Despawn(usize),
    Write(usize, i32),
    Attach(usize, String),
    Detach(usize),
}

fn steps() -> impl Strategy<Value = Vec<Step>> {
    let id = 0_usize..30;
    let step = prop_oneof![
        any::<i32>().prop_map(Step::Spawn),
        (any::<i32>(), "[a-z]{0,3}").prop_map(|(number, owner)| Step::SpawnOwned(number, owner)),
        id.clone().prop_map(Step::Despawn),
        (id.clone(), any::<i32>()).prop_map(|(at, number)| Step::Write(at, number)),
        (id.clone(), "[a-z]{0,3}").prop_map(|(at, owner)| Step::Attach(at, owner)),
        id.prop_map(Step::Detach),
    ];
    proptest::collection::vec(step, 0..40)
}

fn carry_out(world: &mut World, ids: &mut Vec<Entity>, steps: &[Step]) {
    for step in steps {
        let pick = |at: &usize| ids.get(at % ids.len().max(1)).copied();
        match step {
            Step::Spawn(number) => ids.push(world.spawn((Load(*number),))),
            Step::SpawnOwned(number, owner) => {
                ids.push(world.spawn((Owner(owner.clone()), Load(*number))));
            }
            Step::Despawn(at) => drop(pick(at).map(|id| world.despawn(id))),
            Step::Write(at, number) => {
                if let Some(load) = pick(at).and_then(|id| world.get_mut::<Load>(id).ok()) {
                    load.0 = *number;
                }
            }
            Step::Attach(at, owner) => {
                drop(pick(at).map(|id| world.attach(id, Owner(owner.clone()))));
            }
            Step::Detach(at) => drop(pick(at).map(|id| world.detach::<Owner>(id))),
        }
    }
}

proptest! {
    /// A restored world has the same contents and the same digest, and continues in the same way.
    #[test]
    fn a_restored_world_goes_on_alike(before in steps(), between in steps(), after in steps()) {
        let mut world = world();
        let mut ids = Vec::new();
        carry_out(&mut world, &mut ids, &before);
        let snapshot = world.snapshot().expect("all can be written");
        prop_assert_eq!(snapshot.len(), world.len());
        let ids_then = ids.clone();

        let mut straight = ids.clone();
        carry_out(&mut world, &mut straight, &after);
        let expected = world.snapshot().expect("all can be written");

        carry_out(&mut world, &mut ids, &between);
        world.restore(&snapshot).expect("all types are registered");
        prop_assert_eq!(world.snapshot().expect("all can be written").first_difference(&snapshot), None);
        prop_assert_eq!(world.digest().expect("all can be written"), snapshot.digest());
        let mut again = ids_then;
        carry_out(&mut world, &mut again, &after);
        prop_assert_eq!(world.snapshot().expect("all can be written").first_difference(&expected), None);
        prop_assert_eq!(again, straight);
    }

    /// The digest knows nothing of tables: attaching in another order leads to the same.
    #[test]
    fn the_digest_does_not_depend_on_table_history(loads in proptest::collection::vec(any::<i32>(), 1..20)) {
        let (mut a, mut b) = (world(), world());
        for &load in &loads {
            a.spawn((Load(load), Owner(load.to_string())));
            let entity = b.spawn((Owner(String::from("another entity")), 1_u8));
            b.detach::<u8>(entity).expect("it is alive");
            b.attach(entity, Load(load)).expect("it is alive");
            b.attach(entity, Owner(load.to_string())).expect("it is alive");
        }
        prop_assert_eq!(a.digest().expect("all can be written"), b.digest().expect("all can be written"));
        *b.rows_mut::<&mut Load>().iter_mut().next().expect("there is one") = Load(loads[0] ^ 1);
        prop_assert_ne!(a.digest().expect("all can be written"), b.digest().expect("all can be written"));
    }
}

#[test]
fn a_snapshot_that_cannot_be_read_leaves_the_world_as_it_is() {
    let mut full = world();
    full.spawn((Load(1), Owner(String::from("port"))));
    let snapshot = full.snapshot().expect("all can be written");
    let mut other = World::new();
    other
        .register_component::<Load>("load")
        .expect("its name is free");
    other.spawn((Load(7),));
    let error = other.restore(&snapshot).unwrap_err().to_string();
    assert_eq!(
        error,
        "`owner` of entity #0.1 cannot be restored: it is not registered in this world; \
         register the types that the snapshot was taken with"
    );
    assert_eq!(other.rows::<&Load>().only().expect("one").0, 7);
}

#[test]
fn hierarchies_bodies_and_placements_come_back() {
    let mut runtime = Runtime::new();
    let world = runtime.world_mut();
    let rail = world.spawn((Transform::at(10.0, 0.0, 0.0), Name::new("rail")));
    let portal = world.spawn((Transform::at(0.0, 5.0, 0.0), Body::kinematic(Vec3::X)));
    world.link(portal, rail).expect("no cycle");
    runtime.run_frames(10).expect("nothing fails");
    let snapshot = runtime.world().snapshot().expect("all can be written");
    runtime.run_frames(20).expect("nothing fails");
    let expected = runtime.world().digest().expect("all can be written");
    runtime.world_mut().despawn(rail).expect("it is alive");
    runtime.run_frames(1).expect("nothing fails");
    runtime
        .world_mut()
        .restore(&snapshot)
        .expect("all types are registered");
    assert_eq!(runtime.world().parent(portal), Some(rail));
    assert_eq!(runtime.world().find("rail"), Some(rail));
    runtime.run_frames(20).expect("nothing fails");
    assert_eq!(
        runtime.world().digest().expect("all can be written"),
        expected
    );
}

/// Recordings and stored digests of other builds stay comparable.
#[test]
fn the_digest_of_a_known_world_is_known() {
    let mut world = world();
    assert_eq!(
        world.digest().expect("all can be written"),
        0x2d06_8005_38d3_94c2,
        "of nothing, by the definition of XXH3"
    );
    world.spawn((Load(20), Owner(String::from("port"))));
    world.spawn((Load(-1),));
    assert_eq!(world.digest().expect("all can be written"), KNOWN_DIGEST);
}

const KNOWN_DIGEST: u64 = 115_968_008_625_008_583;

use crate::collide::{Layers, TileGrid};
use crate::prelude::*;
use crate::{Error, ErrorKind};

struct Fuel;

fn kind<T>(result: Result<T, Error>) -> ErrorKind {
    match result {
        Ok(_) => panic!("no error"),
        Err(error) => error.kind(),
    }
}

#[test]
fn errors_of_a_world_have_their_kinds() {
    let mut world = World::new();
    let [one, other] = [(); 2].map(|()| world.spawn((Transform::default(),)));
    assert_eq!(
        kind(world.get::<Fuel>(one).map(drop)),
        ErrorKind::MissingComponent
    );
    assert_eq!(
        kind(world.global::<Fuel>().map(drop)),
        ErrorKind::MissingGlobal
    );
    assert_eq!(
        kind(world.rows::<&Transform>().only().map(drop)),
        ErrorKind::NotOneRow
    );
    world.link(other, one).expect("no cycle");
    assert_eq!(kind(world.link(one, other)), ErrorKind::Cycle);
    world.despawn(one).expect("it is alive");
    assert_eq!(kind(world.despawn(other)), ErrorKind::StaleEntity);
    assert_eq!(
        kind(TileGrid::new([0, 1, 1], Vec3::ONE)),
        ErrorKind::InvalidCollider
    );
    let mut layers = Layers::default();
    let last = (0..99)
        .map(|number| layers.add(&format!("layer-{number}")))
        .find(Result::is_err);
    assert_eq!(
        kind(last.expect("there is a most")),
        ErrorKind::LimitExceeded
    );
    assert_eq!(
        kind(Collider::solid(Aabb::default()).switch_to("open")),
        ErrorKind::UnknownName
    );
}

#[test]
fn errors_of_systems_have_their_kinds() {
    let mut runtime = Runtime::bare();
    let named = |name: &str| System::named(name).takes::<()>().runs(|()| ());
    runtime.add_system(named("sway")).expect("its name is free");
    assert_eq!(
        kind(runtime.add_system(named("sway"))),
        ErrorKind::NameTaken
    );
    let clash = System::named("stow").takes::<(Rows<&mut Transform>, Rows<&Transform>)>();
    assert_eq!(
        kind(runtime.add_system(clash.runs(|_| ()))),
        ErrorKind::AccessClash
    );
    let rule = System::named("lash")
        .every(-1.0)
        .takes::<()>()
        .runs(|()| ());
    assert_eq!(kind(runtime.add_system(rule)), ErrorKind::InvalidSystem);
    assert_eq!(
        kind(runtime.set_step_seconds(-1.0)),
        ErrorKind::InvalidArgument
    );
    // The claim of a system fails for the reason that the world gives.
    let missing = System::named("count").takes::<Global<Fuel>>().runs(|_| ());
    runtime.add_system(missing).expect("its name is free");
    assert_eq!(kind(runtime.run_frames(1)), ErrorKind::MissingGlobal);
    runtime.world_mut().set_global(Fuel);
    let faulty = System::named("faulty")
        .takes::<()>()
        .runs(|()| panic!("no fuel"));
    runtime.add_system(faulty).expect("its name is free");
    assert_eq!(kind(runtime.run_frames(1)), ErrorKind::Panic);
}

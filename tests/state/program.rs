//! A program with everything that a state consists of.

use gerust::Templates;
use gerust::prelude::*;
use gerust::runtime::{Machine, Route, Spawner};
use serde::{Deserialize, Serialize};

/// What the program has counted: of contacts, and of events of its own that one phase reads a frame later.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Counts {
    pub(crate) began: u64,
    pub(crate) ended: u64,
    pub(crate) horns: u64,
    pub(crate) set_up: u64,
}

#[derive(Clone, Serialize, Deserialize)]
pub(crate) struct Horn(pub(crate) u64);

#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub(crate) struct Load {
    pub(crate) tonnes: f32,
}

/// The program: the same systems and registered types in every process.
pub(crate) fn program() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.add_kit(StandardKit).expect("its names are free");
    let world = runtime.world_mut();
    world.set_global(Counts::default());
    world
        .register_global::<Counts>("counts")
        .expect("it is free");
    world.register_event::<Horn>("horn").expect("it is free");
    world
        .register_component::<Load>("load")
        .expect("it is free");
    let mut templates = Templates::default();
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.4)));
    let pallet = Template::named("pallet")
        .with(Transform::default())
        .with(cube)
        .with(Body::dynamic().with_friction(0.4));
    templates.add(pallet);
    world.set_global(templates);

    let set_up = System::named("set up")
        .phase(Phase::Setup)
        .takes::<(GlobalMut<Counts>, Edits)>()
        .runs(|(mut counts, mut edits)| {
            counts.set_up += 1;
            fill(&mut edits);
        });
    // It reads in Intake what Close has posted in the frame before: the event is in flight when the frame ends.
    let listen = System::named("listen")
        .phase(Phase::Intake)
        .takes::<(Inbox<Horn>, GlobalMut<Counts>)>()
        .runs(|(mut horns, mut counts)| {
            counts.horns += horns.take_unread().map(|horn| horn.0).sum::<u64>()
        });
    let rare = System::named("listen rarely")
        .every(0.5)
        .takes::<(Inbox<Horn>, GlobalMut<Counts>)>()
        .runs(|(mut horns, mut counts)| counts.horns += 1000 * horns.take_unread().count() as u64);
    let sound = System::named("sound")
        .phase(Phase::Close)
        .takes::<(Outbox<Horn>, Global<Clock>)>()
        .runs(|(mut horns, clock)| horns.post(Horn(clock.frame())));
    // Contacts of the frame before, as well: it comes before Touch.
    let count = System::named("count contacts")
        .phase(Phase::Intake)
        .takes::<(Inbox<Contact>, GlobalMut<Counts>)>()
        .runs(|(mut contacts, mut counts)| {
            for contact in &mut contacts {
                match contact.state {
                    ContactState::Began => counts.began += 1,
                    ContactState::Ended => counts.ended += 1,
                    ContactState::Held => {}
                }
            }
        });
    // It takes a body away after contacts were found: they end in the next frame.
    let thin_out = System::named("thin out")
        .phase(Phase::React)
        .takes::<(Rows<(Entity, &Transform, &Body)>, Global<Clock>, Edits)>()
        .runs(|(bodies, clock, mut edits)| {
            let fallen = bodies.iter().filter(|(_, placed, body)| {
                body.motion == gerust::collide::Motion::Dynamic && placed.translation.y < 1.6
            });
            if clock.frame() % 7 == 0
                && let Some((entity, ..)) = fallen.min_by_key(|(entity, ..)| *entity)
            {
                edits.despawn(entity);
            }
        });
    let idle = System::named("idle")
        .takes::<GlobalMut<Counts>>()
        .runs(|mut counts| counts.horns += 1_000_000);
    for system in [set_up, listen, rare, sound, count, thin_out, idle] {
        runtime.add_system(system).expect("the names differ");
    }
    runtime
}

/// A floor, a lift that carries, crates on it, a spawner above, and a child on a route.
fn fill(edits: &mut Edits<'_>) {
    let slab = |size: Vec3| Collider::solid(Aabb::from_center(Vec3::ZERO, size / 2.0));
    edits.spawn((
        Transform::at(0.0, 0.0, 0.0),
        slab(Vec3::new(30.0, 1.0, 30.0)),
    ));
    let lift = Machine::new("up");
    edits.spawn((
        Name::new("lift"),
        Transform::at(6.0, 1.0, 0.0),
        slab(Vec3::new(3.0, 0.4, 3.0)),
        Body::kinematic(Vec3::new(0.3, 0.8, 0.0)),
        lift,
    ));
    for i in 0..4_u8 {
        let height = 1.8 + f32::from(i);
        let crate_ = (
            Transform::at(6.0, height, 0.1 * f32::from(i)),
            slab(Vec3::splat(0.9)),
            Body::dynamic().with_friction(0.6),
            Load { tonnes: 2.5 },
        );
        edits.spawn(crate_);
    }
    let spawner = Spawner::new("pallet", 20.0).with_spread(Vec3::new(2.0, 0.0, 2.0));
    edits.spawn((Transform::at(-4.0, 9.0, 0.0), spawner));
    let waypoints = vec![Vec3::new(0.0, 3.0, 4.0), Vec3::new(4.0, 3.0, 4.0)];
    let route = Route::new(waypoints, 1.5);
    edits.spawn((
        Name::new("trolley"),
        Transform::at(0.0, 3.0, 4.0),
        slab(Vec3::splat(0.5)),
        route,
    ));
}

/// The end of the program: digest, counts, and contacts bit for bit.
pub(crate) fn end(runtime: &mut Runtime, frame: u64) -> (u64, Counts, Vec<Contact>) {
    let now = runtime
        .world()
        .global::<Clock>()
        .expect("it is there")
        .frame();
    runtime.run_frames(frame - now).expect("nothing fails");
    let world = runtime.world();
    let contacts = world.global::<Contacts>().expect("it is there");
    let counts = world.global::<Counts>().expect("it is there");
    let digest = world.digest().expect("everything can be written");
    (digest, counts.clone(), contacts.iter().copied().collect())
}

pub(crate) fn started() -> Runtime {
    let mut runtime = program();
    runtime.set_enabled("idle", false).expect("it is there");
    runtime.set_seed(7);
    runtime
}

/// A device that is full.
pub(crate) struct Full;

impl std::io::Write for Full {
    fn write(&mut self, _: &[u8]) -> std::io::Result<usize> {
        Err(std::io::Error::other("no space"))
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

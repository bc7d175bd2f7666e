use super::{IS_OFF, SEEN};
use crate::prelude::*;
use proptest::prelude::*;

/// A frame of a world: the places and velocities of all bodies, and all contacts with their impulses.
type Seen = (Vec<(Vec3, Vec3)>, Vec<(Contact, u32)>);

/// Gravity along y, dimensions, and the margin of contacts.
type Settings = (f32, Dimensions, f32);

/// A body of a scene, by the numbers that a test draws.
#[derive(Clone, Copy, Debug)]
struct Drawn {
    kind: u8,
    place: Vec3,
    velocity: Vec3,
    half: f32,
}

fn drawn() -> impl Strategy<Value = Drawn> {
    let vector = |most: f32| {
        let along = -most..most;
        (along.clone(), along.clone(), along).prop_map(Vec3::from)
    };
    // Most bodies are slow. Fast ones come near to what is lone.
    let velocity = prop_oneof![8 => vector(3.0), 1 => vector(300.0), 1 => Just(Vec3::ZERO)];
    let kind = prop_oneof![12 => Just(0_u8), 1 => 1_u8..8];
    (kind, vector(8.0), velocity, 0.05_f32..0.5).prop_map(|(kind, place, velocity, half)| Drawn {
        kind,
        place,
        velocity,
        half,
    })
}

fn spawn(world: &mut World, drawn: &Drawn) -> Entity {
    let at = Transform::at(drawn.place.x, drawn.place.y, drawn.place.z);
    let around = Aabb::from_center(Vec3::ZERO, Vec3::splat(drawn.half));
    let (solid, sensor) = (Collider::solid(around), Collider::sensor(around));
    let falls = Body::dynamic().with_restitution(0.5);
    let falls = falls.with_velocity(drawn.velocity);
    let moves = Body::kinematic(drawn.velocity);
    match drawn.kind {
        0 => world.spawn((at, solid, falls)),
        1 => world.spawn((at, solid)),
        2 => world.spawn((at, sensor)),
        3 => world.spawn((at, solid, moves)),
        4 => world.spawn((at, sensor, moves)),
        5 => world.spawn((at, sensor, falls)),
        6 => {
            let two = solid.with_box(around.moved(Vec3::X));
            world.spawn((at, two, falls))
        }
        _ => {
            // A sensor that hangs below what moves through everything.
            let above = world.spawn((at, solid, moves));
            let below = world.spawn((Transform::at(0.0, 1.0, 0.0), sensor));
            world.link(below, above).expect("both are alive");
            above
        }
    }
}

fn frames(scene: &[Drawn], settings: Settings, threads: usize) -> Vec<Seen> {
    let (gravity, dimensions, margin) = settings;
    let mut runtime = Runtime::new();
    if cfg!(feature = "parallel") {
        runtime.set_threads(threads).expect("threads can be had");
    }
    let world = runtime.world_mut();
    world.set_global(dimensions);
    let contacts = world.global_mut::<Contacts>();
    contacts.expect("always there").set_margin(margin);
    world.set_global(Gravity(Vec3::Y * gravity));
    let bodies: Vec<Entity> = scene.iter().map(|drawn| spawn(world, drawn)).collect();
    (0..40)
        .map(|frame| {
            if frame == 20 {
                // A teleport in between, and a box that grows.
                let world = runtime.world_mut();
                if let Ok(transform) = world.get_mut::<Transform>(bodies[0]) {
                    transform.translation = Vec3::ONE;
                }
                let grown = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.7)));
                let last = bodies[bodies.len() - 1];
                world.attach(last, grown).expect("it is alive");
            }
            runtime.run_frames(1).expect("nothing fails");
            let world = runtime.world();
            let of = |&body: &Entity| {
                let place = world.get::<Transform>(body).expect("it is alive");
                let velocity = world
                    .get::<Body>(body)
                    .map_or(Vec3::ZERO, |body| body.velocity);
                (place.translation, velocity)
            };
            let contacts = world.global::<Contacts>().expect("always there");
            let all = contacts.iter().chain(contacts.brief());
            let all = all.map(|contact| (*contact, contact.impulse.to_bits()));
            (bodies.iter().map(of).collect(), all.collect())
        })
        .collect()
}

fn assert_same(scene: &[Drawn], settings: Settings, threads: usize) {
    let lone = frames(scene, settings, threads);
    IS_OFF.set(true);
    let moved = frames(scene, settings, 1);
    IS_OFF.set(false);
    for (frame, (one, other)) in lone.iter().zip(&moved).enumerate() {
        assert_eq!(one, other, "frame {frame}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Lone bodies come out as movers do, to the bit, near to everything that may reach them.
    #[test]
    fn lone_bodies_come_out_as_movers_do(
        scene in proptest::collection::vec(drawn(), 2..40),
        gravity in prop_oneof![Just(0.0_f32), -20.0_f32..5.0],
        is_flat in any::<bool>(),
        margin in prop_oneof![Just(0.001_f32), 0.0_f32..0.3],
        threads in 1_usize..4,
    ) {
        let dimensions = if is_flat { Dimensions::Two } else { Dimensions::Three };
        assert_same(&scene, (gravity, dimensions, margin), threads);
    }
}

fn row(velocities: impl Iterator<Item = f32>) -> Vec<Drawn> {
    velocities
        .zip(0_u8..)
        .map(|(velocity, number)| Drawn {
            kind: 0,
            place: Vec3::new(0.0, 0.0, 4.0 * f32::from(number)),
            velocity: Vec3::X * velocity,
            half: 0.5,
        })
        .collect()
}

#[test]
fn bodies_far_from_each_other_are_lone_in_every_frame() {
    SEEN.set((0, 0));
    assert_same(
        &row([1.0; 10].into_iter()),
        (-9.81, Dimensions::Three, 0.001),
        1,
    );
    // Of two that were touched in frame 20, one bumps into nothing, and the box of the other grows.
    let (lone, called) = SEEN.get();
    assert!(lone >= 390, "{lone} of 400");
    assert_eq!(called, 0);
}

/// A fast body reaches farther than a lone one may, so it is a mover and calls what it comes near to.
#[test]
fn a_fast_body_calls_the_lone_ones_in_its_way() {
    let mut scene = row([1.0; 10].into_iter());
    scene.push(Drawn {
        kind: 0,
        place: Vec3::new(0.3, 1.05, -6.0),
        velocity: Vec3::new(1.0, 0.0, 240.0),
        half: 0.5,
    });
    SEEN.set((0, 0));
    assert_same(&scene, (0.0, Dimensions::Three, 0.001), 1);
    let (lone, called) = SEEN.get();
    assert!(lone > 100 && called > 2, "{lone} lone, {called} called");
}

#[test]
fn where_bodies_crowd_none_is_lone() {
    let mut scene = row([0.0; 10].into_iter());
    for (drawn, number) in scene.iter_mut().zip(0_u8..) {
        drawn.place = Vec3::Z * 1.01 * f32::from(number);
        drawn.velocity = Vec3::X * 0.5 * f32::from(number % 2);
    }
    SEEN.set((0, 0));
    assert_same(&scene, (-9.81, Dimensions::Three, 0.001), 1);
    assert_eq!(SEEN.get(), (0, 0));
}

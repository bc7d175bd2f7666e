use super::mover::Part;
use super::push_out::nearest_free;
use super::sweep::{Manner, Obstacle, Stop, Whose, advance, around, is_free, put_face};
use crate::collide::aabb::Aabb;
use crate::collide::layers::Layer;
use crate::collide::placed::{Face, PlacedBox};
use glam::{Affine3A, Vec3};
use proptest::prelude::*;

fn part(own: Aabb) -> Part {
    Part {
        placed: PlacedBox::new(&own, &Affine3A::IDENTITY),
        slot: 0,
        layer: Layer::default(),
    }
}

/// A body with its origin off the center of its box, so that an x/y slip or a forgotten offset shows.
fn off_center() -> Part {
    part(Aabb::from_corners(
        Vec3::new(-0.5, 0.0, -1.0),
        Vec3::new(0.7, 2.0, 0.3),
    ))
}

fn obstacle(aabb: Aabb) -> Obstacle {
    Obstacle {
        aabb,
        slot: 0,
        whose: Whose::Still,
        side: None,
        restitution: 0.0,
        friction: 0.0,
    }
}

fn vector(size: f32) -> impl Strategy<Value = Vec3> {
    (-size..size, -size..size, -size..size).prop_map(Vec3::from)
}

fn boxes(count: usize) -> impl Strategy<Value = Vec<Aabb>> {
    let half = (0.05_f32..2.0, 0.05_f32..2.0, 0.05_f32..2.0).prop_map(Vec3::from);
    let one = (vector(6.0), half).prop_map(|(at, half)| Aabb::from_center(at, half));
    proptest::collection::vec(one, 1..count)
}

proptest! {
    /// For any parts and any way: the body has entered nothing, it went no farther than asked, and where
    /// something stopped it there is next to nothing between the two.
    #[test]
    fn a_move_goes_up_to_the_first_face(
        own in boxes(4),
        walls in boxes(8),
        far in prop_oneof![Just(0.0_f32), Just(1e4)],
        way in vector(20.0),
        steps_over in any::<bool>(),
    ) {
        let start = Vec3::splat(far);
        let parts: Vec<Part> = own.into_iter().map(part).collect();
        let walls: Vec<Obstacle> = walls.into_iter().map(|wall| obstacle(wall.moved(start))).collect();
        let (inside, outside): (Vec<Obstacle>, Vec<Obstacle>) = walls
            .iter()
            .partition(|wall| !is_free(&parts, start, &[**wall]));
        let mut place = start;
        let manner = Manner { down: Vec3::NEG_Y, steps_over };
        let target = start + way;
        let hit = advance(&parts, &mut place, target, &walls, manner);
        prop_assert!(is_free(&parts, place, &outside));
        // To a face, and over a ledge, it may go a little to the side.
        let little = far.max(20.0) * 8.0 / (1 << 23) as f32 + 4.0 * 1e-4;
        let gone = place - start;
        for axis in 0..3 {
            let (low, high) = (way[axis].min(0.0) - little, way[axis].max(0.0) + little);
            prop_assert!((low..=high).contains(&gone[axis]), "{gone} of {way}");
        }
        if let (Some(hit), true) = (hit, inside.is_empty()) {
            let mut beyond = place;
            beyond[hit.axis] += way[hit.axis].signum() * (little * 4.0);
            let touched = parts.iter().any(|part| {
                part.at(beyond).grown(little).overlaps(&walls[hit.obstacle].aabb)
            });
            prop_assert!(touched, "it stopped before nothing");
        }
        if hit.is_none() && inside.is_empty() && is_free(&parts, target, &walls) {
            prop_assert!(place.abs_diff_eq(target, little), "{place} instead of {target}");
        }
    }

    /// Low ledges push no body into a wall beside it.
    #[test]
    fn a_step_aside_stays_out_of_the_wall(
        off in 0_u32..6,
        ledges in proptest::collection::vec((-4_i32..5, -3.0_f32..3.0, -1e-4_f32..1e-4), 1..6),
        way in (-1e-5_f32..1e-5, -0.5_f32..0.5, -3.0_f32..3.0).prop_map(Vec3::from),
        at in prop_oneof![Just(5.5_f32), Just(-5.5), Just(40.0), Just(0.0)],
    ) {
        let parts = [part(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.25)))];
        let wall = Aabb::from_corners(Vec3::new(at, -50.0, -50.0), Vec3::new(at + 2.0, 50.0, 50.0));
        let mut start = Vec3::new(0.0, 0.1, 0.2);
        put_face(&parts, &mut start, &Stop { axis: 0, face: Face::Max, part: 0, coordinate: at });
        for _ in 0..off {
            start.x = start.x.next_down();
        }
        let mut all = vec![obstacle(wall)];
        // Each ledge reaches a few ulp into the way.
        for (units, along, up) in ledges {
            let mut face = parts[0].at(start).min.x;
            for _ in 0..units.unsigned_abs() {
                face = if units > 0 { face.next_up() } else { face.next_down() };
            }
            let low = Vec3::new(face - 1.0, up - 0.2, along);
            let high = Vec3::new(face, up + 0.3, along + 0.4);
            all.push(obstacle(Aabb::from_corners(low, high)));
        }
        all.retain(|known| is_free(&parts, start, &[*known]));
        let mut place = start;
        for down in [Vec3::NEG_Y, Vec3::ZERO] {
            let manner = Manner { down, steps_over: true };
            let target = place + way;
            advance(&parts, &mut place, target, &all, manner);
            prop_assert!(is_free(&parts, place, &all), "{place} from {start}");
        }
    }

    /// The body ends where the nearest face is, and nowhere else, in any order of the obstacles.
    #[test]
    fn a_move_ends_at_the_nearest_face(walls in boxes(16), start in vector(9.0), axis in 0_usize..3, distance in -20.0_f32..20.0) {
        let parts = [off_center()];
        let mut walls: Vec<Obstacle> = walls.into_iter().map(obstacle).collect();
        prop_assume!(is_free(&parts, start, &walls));
        let here = parts[0].at(start);
        // A box beside the way by less counts as a ledge.
        let across = |wall: &Obstacle| {
            let depth = here.depth(&wall.aabb);
            (0..3).filter(|&other| other != axis).map(|other| depth[other]).fold(f32::INFINITY, f32::min)
        };
        prop_assume!(walls.iter().all(|wall| across(wall).abs() > 1e-3));
        let free = walls
            .iter()
            .filter(|wall| across(wall) > 0.0)
            .map(|wall| match distance > 0.0 {
                true => wall.aabb.min[axis] - here.max[axis],
                false => here.min[axis] - wall.aabb.max[axis],
            })
            .filter(|&gap| gap >= 0.0)
            .fold(distance.abs(), f32::min);
        let manner = Manner { down: Vec3::ZERO, steps_over: true };
        let mut target = start;
        target[axis] += distance;
        let mut place = start;
        advance(&parts, &mut place, target, &walls, manner);
        let gone = (place[axis] - start[axis]) * distance.signum();
        prop_assert!((gone - free).abs() < 1e-4, "went {gone}, free were {free}");
        walls.reverse();
        let mut other_place = start;
        advance(&parts, &mut other_place, target, &walls, manner);
        prop_assert_eq!(other_place, place);
    }

    #[test]
    fn one_obstacle_is_left_by_the_shortest_way(
        size in (0.5_f32..4.0, 0.5_f32..4.0, 0.5_f32..4.0).prop_map(Vec3::from),
        start in vector(2.0),
    ) {
        let parts = [off_center()];
        let wall = [obstacle(Aabb::from_center(Vec3::ZERO, size))];
        prop_assume!(!is_free(&parts, start, &wall));
        let here = parts[0].at(start);
        let least = here.depth(&wall[0].aabb).min_element();
        let free = nearest_free(&parts, start, &wall, &here.grown(20.0)).expect("all around is free");
        prop_assert!(is_free(&parts, free, &wall));
        prop_assert!((free.distance(start) - least).abs() < 1e-4);
    }

    #[test]
    fn a_free_place_is_free_and_known(own in boxes(3), walls in boxes(6)) {
        let parts: Vec<Part> = own.into_iter().map(part).collect();
        let walls: Vec<Obstacle> = walls.into_iter().map(obstacle).collect();
        let region = around(&parts, Vec3::ZERO).grown(9.0);
        if let Some(free) = nearest_free(&parts, Vec3::ZERO, &walls, &region) {
            prop_assert!(is_free(&parts, free, &walls));
            let there = around(&parts, free);
            prop_assert_eq!(there.merged(&region), region);
            if is_free(&parts, Vec3::ZERO, &walls) {
                prop_assert_eq!(free, Vec3::ZERO);
            }
        }
    }
}

#[test]
fn two_parts_that_reach_flush_faces_at_once_enter_neither() {
    // Sizes that add up differently by rounding.
    let parts = [
        part(Aabb::from_center(
            Vec3::new(0.1, 0.0, 0.0),
            Vec3::splat(0.3),
        )),
        part(Aabb::from_center(
            Vec3::new(0.3, 2.0, 0.0),
            Vec3::splat(0.1),
        )),
    ];
    let walls = [
        obstacle(Aabb::from_corner(Vec3::new(1.7, -0.5, -1.0), Vec3::ONE)),
        obstacle(Aabb::from_corner(Vec3::new(1.7, 1.5, -1.0), Vec3::ONE)),
    ];
    for start in [0.0, -0.123_456, -7.77] {
        let mut place = Vec3::X * start;
        let manner = Manner {
            down: Vec3::ZERO,
            steps_over: true,
        };
        let target = Vec3::X * (start + 50.0);
        advance(&parts, &mut place, target, &walls, manner).expect("they are in the way");
        assert!(is_free(&parts, place, &walls));
        assert!((around(&parts, place).max.x - 1.7).abs() < 1e-5);
    }
}

#[test]
fn stopping_near_zero_ends() {
    // The place is so small that its own neighbors do not move the box: the step must grow.
    let parts = [off_center()];
    for coordinate in [0.7, 0.700_000_1, -0.5, 1e-30, 0.0] {
        for axis in 0..3 {
            for face in [Face::Min, Face::Max] {
                let mut place = Vec3::splat(1e-38);
                let stop = Stop {
                    axis,
                    face,
                    part: 0,
                    coordinate,
                };
                put_face(&parts, &mut place, &stop);
                let here = parts[0].at(place);
                match face {
                    Face::Min => assert!(here.min[axis] >= coordinate),
                    Face::Max => assert!(here.max[axis] <= coordinate),
                }
            }
        }
    }
}

/// A floor, crates that fall onto it in columns, one that strikes them later, a lift, and a ferry that is always under way with
/// two crates on it.
fn heap(
    columns: &[(f32, f32, u8, f32)],
    strikes: Vec3,
    frames: u64,
    threads: usize,
) -> Vec<Vec<(Vec3, Vec3, u32)>> {
    use crate::prelude::*;
    let mut runtime = Runtime::new();
    runtime.set_threads(threads).expect("threads can be had");
    let world = runtime.world_mut();
    let floor = Aabb::from_corners(Vec3::new(-20.0, -1.0, -20.0), Vec3::new(20.0, 0.0, 20.0));
    world.spawn((Transform::default(), Collider::solid(floor)));
    let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    let lift = world.spawn((
        Transform::at(6.0, 0.5, 6.0),
        cube.clone(),
        Body::kinematic(Vec3::ZERO),
    ));
    let ferry = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::new(1.0, 0.25, 1.0)));
    let ferry = (
        Transform::at(-15.0, 3.0, 15.0),
        ferry,
        Body::kinematic(Vec3::X),
    );
    world.spawn(ferry);
    let mut bodies = Vec::new();
    for level in 0..2_u8 {
        let place = Transform::at(-15.0, 3.75 + f32::from(level), 15.0);
        bodies.push(world.spawn((place, cube.clone(), Body::dynamic())));
    }
    for &(x, z, count, friction) in columns {
        for level in 0..count {
            let place = Transform::at(x, 0.6 + 1.2 * f32::from(level), z);
            let body = Body::dynamic()
                .with_friction(friction)
                .with_restitution(friction / 4.0);
            bodies.push(world.spawn((place, cube.clone(), body)));
        }
    }
    let mut seen = Vec::new();
    for frame in 0..frames {
        if frame == frames / 2 {
            let striker = Body::dynamic().with_velocity(strikes);
            let striker = (Transform::at(-9.0, 0.5, 0.3), cube.clone(), striker);
            bodies.push(runtime.world_mut().spawn(striker));
            let body = runtime.world_mut().get_mut::<Body>(lift);
            body.expect("it is alive").velocity = Vec3::new(-1.0, 0.5, -1.0);
        }
        if frame == frames * 3 / 4 {
            runtime.world_mut().despawn(bodies[0]).expect("it is alive");
            bodies.remove(0);
        }
        if frame == frames * 7 / 8 {
            let grown = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.6)));
            let grows = runtime.world_mut().attach(bodies[1], grown);
            grows.expect("it is alive");
        }
        runtime.run_frames(1).expect("nothing fails");
        let contacts = runtime.world().global::<Contacts>().expect("always there");
        let world = runtime.world();
        let of = |&body: &Entity| {
            let place = world
                .get::<Transform>(body)
                .expect("it is alive")
                .translation;
            let velocity = world.get::<Body>(body).expect("it is alive").velocity;
            let impulses = contacts.iter().filter(|contact| contact.second == body);
            let impulse: f32 = impulses.map(|contact| contact.impulse).sum();
            (place, velocity, impulse.to_bits())
        };
        seen.push(bodies.iter().map(of).collect());
    }
    seen
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Skipping bodies at rest changes no bit.
    #[test]
    fn skipping_resting_bodies_changes_no_bit(
        columns in proptest::collection::vec((-6.0_f32..6.0, -6.0_f32..6.0, 1_u8..5, 0.0_f32..1.0), 1..7),
        strikes in (0.0_f32..30.0, 0.0_f32..3.0, -3.0_f32..3.0).prop_map(Vec3::from),
    ) {
        let skipped = heap(&columns, strikes, 160, 1);
        super::rest::IS_OFF.set(true);
        let looked_at = heap(&columns, strikes, 160, 1);
        super::rest::IS_OFF.set(false);
        for (frame, (one, other)) in skipped.iter().zip(&looked_at).enumerate() {
            prop_assert_eq!(one, other, "frame {}", frame);
        }
    }

    /// In tests even a few bodies are divided among threads; see `PIECE`.
    #[cfg(feature = "parallel")]
    #[test]
    fn bodies_come_out_the_same_on_any_number_of_threads(
        columns in proptest::collection::vec((-6.0_f32..6.0, -6.0_f32..6.0, 1_u8..5, 0.0_f32..1.0), 4..9),
        strikes in (0.0_f32..30.0, 0.0_f32..3.0, -3.0_f32..3.0).prop_map(Vec3::from),
        threads in 2_usize..6,
    ) {
        let alone = heap(&columns, strikes, 120, 1);
        let shared = heap(&columns, strikes, 120, threads);
        for (frame, (one, other)) in alone.iter().zip(&shared).enumerate() {
            prop_assert_eq!(one, other, "frame {}", frame);
        }
    }
}

/// A body rises past a wall and meets its face at the very moment at which it leaves its upper edge: it continues, and is not put below
/// the wall, from where it came.
#[test]
fn a_way_that_leaves_an_edge_is_not_led_back() {
    let parts = [part(Aabb::from_corners(
        Vec3::new(2.265_919_2, -7.575_312_6, 0.520_603_3),
        Vec3::new(2.365_919, -4.073_613, 1.451_450_3),
    ))];
    let start = Vec3::splat(1e4);
    let wall = Aabb::from_corners(
        Vec3::new(-1.258_461_4, -4.404_221_5, 4.179_260_3),
        Vec3::new(1.258_461_4, -3.391_971_8, 5.960_807),
    );
    let walls = [obstacle(wall.moved(start))];
    let target = start + Vec3::new(-10.445_205, 17.311_823, 11.288_163);
    for steps_over in [true, false] {
        let manner = Manner {
            down: Vec3::NEG_Y,
            steps_over,
        };
        let mut place = start;
        let hit = advance(&parts, &mut place, target, &walls, manner);
        match hit {
            None => assert_eq!(place, target),
            // Without steps it may stop at the edge, but no lower.
            Some(_) => assert!(!steps_over && place.y > start.y + 4.0, "{place}"),
        }
    }
}

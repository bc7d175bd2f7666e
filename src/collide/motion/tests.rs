use super::*;
use glam::Affine3A;
use proptest::prelude::*;

/// A body with its origin off the center of its box, so that an x/y slip or a forgotten offset shows.
fn body() -> PlacedBox {
    let own = Aabb::from_corners(Vec3::new(-0.5, 0.0, -1.0), Vec3::new(0.7, 2.0, 0.3));
    PlacedBox::new(&own, &Affine3A::IDENTITY)
}

fn obstacles() -> impl Strategy<Value = Vec<Aabb>> {
    let number = || -8.0_f32..8.0;
    let size = || 0.01_f32..4.0;
    let one = ([number(), number(), number()], [size(), size(), size()])
        .prop_map(|(corner, size)| Aabb::from_corner(corner.into(), size.into()));
    proptest::collection::vec(one, 0..20)
}

fn vector(range: f32) -> impl Strategy<Value = Vec3> {
    [-range..range, -range..range, -range..range].prop_map(Vec3::from)
}

fn is_free(placed: &PlacedBox, place: Vec3, obstacles: &[Aabb]) -> bool {
    let here = placed.at(place);
    !obstacles.iter().any(|obstacle| here.overlaps(obstacle))
}

proptest! {
    /// By the very expression that tells overlap, wherever in the world, however fast.
    #[test]
    fn a_body_that_was_free_stays_free(
        obstacles in obstacles(),
        start in vector(9.0),
        way in prop_oneof![vector(3.0), vector(300.0)],
        far in prop_oneof![Just(Vec3::ZERO), vector(10_000.0)],
    ) {
        let obstacles: Vec<Aabb> = obstacles.iter().map(|obstacle| obstacle.moved(far)).collect();
        let placed = body();
        let mut place = start + far;
        prop_assume!(is_free(&placed, place, &obstacles));
        let mut velocity = way;
        advance(&placed, &mut place, &mut velocity, way, &obstacles);
        prop_assert!(is_free(&placed, place, &obstacles));
        for axis in 0..3 {
            prop_assert!(velocity[axis] == way[axis] || velocity[axis] == 0.0);
        }
    }

    /// The order in which obstacles are listed does not matter: the nearest face stops the body.
    #[test]
    fn the_order_of_obstacles_does_not_matter(obstacles in obstacles(), start in vector(9.0), way in vector(20.0)) {
        let placed = body();
        prop_assume!(is_free(&placed, start, &obstacles));
        let end = |obstacles: &[Aabb]| {
            let (mut place, mut velocity) = (start, way);
            advance(&placed, &mut place, &mut velocity, way, obstacles);
            (place, velocity)
        };
        let reversed: Vec<Aabb> = obstacles.iter().rev().copied().collect();
        prop_assert_eq!(end(&obstacles), end(&reversed));
    }

    /// Along one axis the body ends where the nearest face is, and nowhere else.
    #[test]
    fn a_sweep_ends_at_the_nearest_face(obstacles in obstacles(), start in vector(9.0), axis in 0_usize..3, distance in -20.0_f32..20.0) {
        let placed = body();
        let here = placed.at(start);
        prop_assume!(is_free(&placed, start, &obstacles));
        let is_beside = |obstacle: &&Aabb| {
            (0..3).filter(|&other| other != axis).all(|other| {
                here.min[other] < obstacle.max[other] && obstacle.min[other] < here.max[other]
            })
        };
        let free = obstacles
            .iter()
            .filter(is_beside)
            .map(|obstacle| match distance > 0.0 {
                true => obstacle.min[axis] - here.max[axis],
                false => here.min[axis] - obstacle.max[axis],
            })
            .filter(|&gap| gap >= 0.0)
            .fold(distance.abs(), f32::min);
        let mut place = start;
        sweep(&placed, &mut place, axis, distance, &obstacles);
        let gone = (place[axis] - start[axis]) * distance.signum();
        prop_assert!((gone - free).abs() < 1e-4, "went {gone}, free were {free}");
    }

    #[test]
    fn one_obstacle_is_left_by_the_shortest_way(
        size in [0.5_f32..4.0, 0.5_f32..4.0, 0.5_f32..4.0],
        start in vector(2.0),
    ) {
        let placed = body();
        let obstacle = [Aabb::from_center(Vec3::ZERO, Vec3::from(size))];
        prop_assume!(!is_free(&placed, start, &obstacle));
        let least = placed.at(start).depth(&obstacle[0]).min_element();
        let (mut place, mut velocity) = (start, Vec3::ZERO);
        push_out(&placed, &mut place, &mut velocity, &obstacle);
        prop_assert!(is_free(&placed, place, &obstacle));
        prop_assert!((place.distance(start) - least).abs() < 1e-4);
    }
}

#[test]
fn stopping_near_zero_ends() {
    // The place is so small that its own neighbours do not move the box: the step must grow.
    let placed = body();
    for coordinate in [0.7, 0.700_000_1, -0.5, 1e-30, 0.0] {
        for axis in 0..3 {
            for face in [Face::Min, Face::Max] {
                let mut place = Vec3::splat(1e-38);
                stop_at(&placed, &mut place, axis, face, coordinate);
                let here = placed.at(place);
                match face {
                    Face::Min => assert!(here.min[axis] >= coordinate),
                    Face::Max => assert!(here.max[axis] <= coordinate),
                }
            }
        }
    }
}

use super::push_out::nearest_free;
use super::sweep::{Obstacle, around, is_free, sweep};
use crate::collide::aabb::Aabb;
use crate::collide::placed::PlacedBox;
use glam::{Affine3A, Vec3};
use proptest::prelude::*;

fn part(own: Aabb) -> PlacedBox {
    PlacedBox::new(&own, &Affine3A::IDENTITY, false)
}

fn obstacle(aabb: Aabb) -> Obstacle {
    Obstacle { aabb, slot: 0 }
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
    /// Whatever parts a body has, along whichever axis it goes: it has entered nothing, it went no farther than asked, and
    /// where something stopped it there is next to nothing between the two.
    #[test]
    fn a_sweep_goes_up_to_the_first_face(
        own in boxes(4),
        walls in boxes(8),
        far in prop_oneof![Just(0.0_f32), Just(1e4)],
        axis in 0_usize..3,
        distance in -20.0_f32..20.0,
    ) {
        let start = Vec3::splat(far);
        let parts: Vec<PlacedBox> = own.into_iter().map(part).collect();
        let walls: Vec<Obstacle> = walls.into_iter().map(|wall| obstacle(wall.moved(start))).collect();
        let (inside, outside): (Vec<Obstacle>, Vec<Obstacle>) = walls
            .iter()
            .partition(|wall| !is_free(&parts, start, &[**wall]));
        let mut place = start;
        let stop = sweep(&parts, &mut place, axis, distance, &walls);
        // What overlapped before holds nobody, and may still overlap.
        prop_assert!(inside.len() == walls.len() || is_free(&parts, place, &outside) || !inside.is_empty());
        let gone = place[axis] - start[axis];
        // Up to a face that rounding put a step away it may go back a step.
        let step = far.max(20.0) * 4.0 / (1 << 23) as f32;
        prop_assert!(gone * distance.signum() >= -step && gone.abs() <= distance.abs() + step);
        for other in (0..3).filter(|&other| other != axis) {
            prop_assert_eq!(place[other], start[other]);
        }
        if inside.is_empty() {
            let mut beyond = place;
            beyond[axis] += distance.signum() * (step * 4.0);
            match stop {
                Some(_) => prop_assert!(!is_free(&parts, beyond, &outside), "it stopped before nothing"),
                None => prop_assert_eq!(place[axis], start[axis] + distance),
            }
        }
    }

    #[test]
    fn a_free_place_is_free_and_known(own in boxes(3), walls in boxes(6)) {
        let parts: Vec<PlacedBox> = own.into_iter().map(part).collect();
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
        sweep(&parts, &mut place, 0, 50.0, &walls).expect("they are in the way");
        assert!(is_free(&parts, place, &walls));
        assert!((around(&parts, place).max.x - 1.7).abs() < 1e-5);
    }
}

//! Properties that must hold for any bodies thrown at any others.

use super::*;
use gerust::collide::TileGrid;
use proptest::prelude::*;

fn vector(range: std::ops::Range<f32>) -> impl Strategy<Value = Vec3> {
    (range.clone(), range.clone(), range).prop_map(Vec3::from)
}

/// Walls, and bodies that begin outside of them.
#[derive(Clone, Debug)]
struct Thrown {
    walls: Vec<Aabb>,
    bodies: Vec<(Aabb, Vec3)>,
    gravity: Vec3,
    dimensions: Dimensions,
    /// Where all of it is.
    origin: Vec3,
}

fn thrown(bodies: std::ops::Range<usize>) -> impl Strategy<Value = Thrown> {
    let wall =
        (vector(-8.0..8.0), vector(0.05..3.0)).prop_map(|(at, half)| Aabb::from_center(at, half));
    let body = (
        vector(-8.0..8.0),
        vector(0.1..0.8),
        vector(-1.0..1.0),
        0_u32..5,
    )
        .prop_map(|(at, half, towards, power)| {
            // Up to 100 widths of a frame.
            let speed = [0.5, 5.0, 60.0, 600.0, 6000.0][power as usize];
            (Aabb::from_center(at, half), towards * speed)
        });
    let walls = proptest::collection::vec(wall, 0..12);
    let bodies = proptest::collection::vec(body, bodies);
    let gravity = prop_oneof![Just(Vec3::ZERO), Just(Vec3::NEG_Y * 9.81)];
    let dimensions = prop_oneof![3 => Just(Dimensions::Three), 1 => Just(Dimensions::Two)];
    let origin = prop_oneof![2 => Just(Vec3::ZERO), 1 => Just(Vec3::new(1e4, -1e4, 1e4))];
    (walls, bodies, gravity, dimensions, origin).prop_map(
        |(walls, mut bodies, gravity, dimensions, origin)| {
            let flat = |aabb: &Aabb| match dimensions {
                Dimensions::Two => Aabb::from_corners(aabb.min.with_z(0.0), aabb.max.with_z(0.0)),
                Dimensions::Three => *aabb,
            };
            // Rounding far away must not bring together what is apart.
            let touches = |a: &Aabb, b: &Aabb| flat(a).grown(0.01).touches(&flat(b));
            bodies.retain(|(body, _)| walls.iter().all(|wall| !touches(wall, body)));
            Thrown {
                walls,
                bodies,
                gravity,
                dimensions,
                origin,
            }
        },
    )
}

impl Thrown {
    fn runtime(&self, map: impl Fn(Vec3) -> Vec3, walls_first: bool) -> (Runtime, Vec<Entity>) {
        let mut runtime = Runtime::new();
        runtime.world_mut().set_global(Gravity(map(self.gravity)));
        runtime.world_mut().set_global(self.dimensions);
        let place = |corner| map(corner + self.origin);
        let mapped = |aabb: &Aabb| Aabb::from_corners(place(aabb.min), place(aabb.max));
        let spawn_walls = |runtime: &mut Runtime| {
            let mut walls: Vec<&Aabb> = self.walls.iter().collect();
            if !walls_first {
                walls.reverse();
            }
            for wall in walls {
                spawn_box(runtime, mapped(wall));
            }
        };
        if walls_first {
            spawn_walls(&mut runtime);
        }
        let bodies = self
            .bodies
            .iter()
            .map(|(aabb, velocity)| {
                let body = Body::dynamic().with_velocity(map(*velocity));
                spawn_body(&mut runtime, mapped(aabb), body)
            })
            .collect();
        if !walls_first {
            spawn_walls(&mut runtime);
        }
        (runtime, bodies)
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Bodies thrown in any direction at any speed are in no wall in any frame, by the expression that detects overlaps.
    #[test]
    fn no_body_is_ever_in_a_wall(thrown in thrown(1..8)) {
        let (mut runtime, bodies) = thrown.runtime(|vector| vector, true);
        let walls: Vec<Aabb> = {
            runtime.settle().expect("nothing fails");
            let rows = runtime.world().rows_where::<&WorldBox, Lacking<Body>>();
            rows.iter().map(WorldBox::aabb).collect()
        };
        for frame in 0..40 {
            runtime.run_frames(1).expect("nothing fails");
            for &body in &bodies {
                let here = box_of(&runtime, body);
                for wall in &walls {
                    let overlaps = match thrown.dimensions {
                        Dimensions::Two => here.depth(wall).truncate().min_element() > 0.0,
                        Dimensions::Three => here.overlaps(wall),
                    };
                    prop_assert!(
                        !overlaps, "frame {frame}: {here:?} is in {wall:?}");
                }
            }
        }
    }

    #[test]
    fn the_order_in_which_walls_were_made_does_not_matter(thrown in thrown(1..2)) {
        let (mut one, bodies) = thrown.runtime(|vector| vector, true);
        let (mut other, other_bodies) = thrown.runtime(|vector| vector, false);
        for _ in 0..40 {
            one.run_frames(1).expect("nothing fails");
            other.run_frames(1).expect("nothing fails");
            prop_assert_eq!(end_of(&one, &bodies), end_of(&other, &other_bodies));
        }
    }

    /// Unless two hits tie exactly, and then ids decide.
    #[test]
    fn the_order_in_which_bodies_were_made_does_not_matter(thrown in thrown(2..9)) {
        let mut thrown = thrown;
        let mut apart: Vec<(Aabb, Vec3)> = Vec::new();
        for (body, velocity) in thrown.bodies {
            if apart.iter().all(|(other, _)| !other.grown(0.01).touches(&body)) {
                apart.push((body, velocity));
            }
        }
        thrown.bodies = apart;
        thrown.dimensions = Dimensions::Three;
        let (mut one, bodies) = thrown.runtime(|vector| vector, true);
        let mut reversed = thrown.clone();
        reversed.bodies.reverse();
        let (mut other, mut other_bodies) = reversed.runtime(|vector| vector, true);
        other_bodies.reverse();
        for frame in 0..40 {
            one.run_frames(1).expect("nothing fails");
            other.run_frames(1).expect("nothing fails");
            prop_assert_eq!(end_of(&one, &bodies), end_of(&other, &other_bodies), "frame {}", frame);
        }
    }

    #[test]
    fn a_mirrored_scene_comes_out_mirrored(thrown in thrown(1..8), axis in 0_usize..3) {
        let mirror = |mut vector: Vec3| {
            vector[axis] = -vector[axis];
            vector
        };
        let (mut one, bodies) = thrown.runtime(|vector| vector, true);
        let (mut other, other_bodies) = thrown.runtime(mirror, true);
        for frame in 0..40 {
            one.run_frames(1).expect("nothing fails");
            other.run_frames(1).expect("nothing fails");
            let mirrored: Vec<_> = end_of(&other, &other_bodies)
                .into_iter()
                .map(|(place, velocity)| (mirror(place), mirror(velocity)))
                .collect();
            prop_assert_eq!(end_of(&one, &bodies), mirrored, "frame {}", frame);
        }
    }

    #[test]
    fn without_walls_momentum_is_kept(
        bodies in proptest::collection::vec((vector(-3.0..3.0), vector(-9.0..9.0), -3.0_f32..6.0, 0.0_f32..1.0, 0.0_f32..2.0), 2..12),
    ) {
        let mut runtime = weightless();
        let powers = bodies.into_iter();
        let bodies: Vec<_> = powers
            .map(|(place, velocity, power, bounce, rub)| (place, velocity, 10.0_f32.powf(power), bounce, rub))
            .collect();
        let ids: Vec<Entity> = bodies
            .iter()
            .map(|&(place, velocity, mass, restitution, friction)| {
                let body = Body::dynamic().with_velocity(velocity).with_mass(mass);
                let body = body.with_restitution(restitution).with_friction(friction);
                spawn_body(&mut runtime, cube(0.6).moved(place), body)
            })
            .collect();
        let momentum = |runtime: &Runtime| {
            let each = ids.iter().zip(&bodies);
            each.map(|(&id, body)| (velocity_of(runtime, id) * body.2).as_dvec3())
                .sum::<glam::DVec3>()
        };
        let energy = |runtime: &Runtime| {
            let each = ids.iter().zip(&bodies);
            each.map(|(&id, body)| f64::from(velocity_of(runtime, id).length_squared() * body.2)).sum::<f64>()
        };
        let before = momentum(&runtime);
        let mut energy_before = energy(&runtime);
        let scale: f64 = bodies.iter().map(|body| f64::from(body.1.length() * body.2)).sum();
        for _ in 0..30 {
            runtime.run_frames(1).expect("nothing fails");
            let now = momentum(&runtime);
            prop_assert!((now - before).length() <= 1e-4 * scale, "{before} became {now}");
            let energy_now = energy(&runtime);
            prop_assert!(energy_now <= energy_before * 1.000_1, "energy rose from {energy_before} to {energy_now}");
            energy_before = energy_now;
        }
    }

    /// A slab, the same slab made of tiles that are entities, and the same as one grid: no difference, at any place.
    #[test]
    fn flush_tiles_equal_one_slab(
        start in 0.0_f32..4.0,
        half in 0.2_f32..0.9,
        speed in -400.0_f32..400.0,
        aside in -5.0_f32..5.0,
        away in prop_oneof![Just(0.0_f32), Just(4096.0), Just(10_000.0)],
    ) {
        let ends = [Floor::Slab, Floor::Tiles, Floor::Grid].map(|floor| {
            let mut runtime = Runtime::new();
            floor.lay(&mut runtime, Vec3::X * away);
            let place = Vec3::new(away + 2.0 + start, 1.0 + half, 4.0);
            let body = Body::dynamic().with_velocity(Vec3::new(speed, -3.0, aside));
            let body = spawn_body(&mut runtime, cube(half).moved(place), body);
            (0..60).map(|_| {
                runtime.run_frames(1).expect("nothing fails");
                (place_of(&runtime, body), velocity_of(&runtime, body))
            }).collect::<Vec<_>>()
        });
        prop_assert_eq!(&ends[0], &ends[1]);
        prop_assert_eq!(&ends[0], &ends[2]);
    }

    /// However it is put into a heap of blocks, a body comes out where nothing is, no farther away than any straight way out.
    #[test]
    fn a_body_is_pushed_out_by_the_shortest_free_way(
        blocks in proptest::collection::vec(vector(-1.5..1.5), 1..4),
        place in vector(-0.7..0.7),
    ) {
        let mut runtime = weightless();
        let ids: Vec<Entity> = blocks
            .iter()
            .map(|&block| spawn_box(&mut runtime, cube(0.5).moved(block)))
            .collect();
        let body = spawn_body(&mut runtime, cube(0.4).moved(place), Body::dynamic());
        runtime.run_frames(1).expect("nothing fails");
        let here = box_of(&runtime, body);
        let walls: Vec<Aabb> = ids.iter().map(|&id| box_of(&runtime, id)).collect();
        prop_assert!(walls.iter().all(|wall| !here.overlaps(wall)));
        let gone = place_of(&runtime, body).distance(place);
        let is_free = |place: Vec3| walls.iter().all(|wall| {
            wall.depth(&cube(0.4).moved(place)).min_element() < 1e-4
        });
        // Straight ways in a millimetre's steps.
        let straight = [Vec3::X, Vec3::NEG_X, Vec3::Y, Vec3::NEG_Y, Vec3::Z, Vec3::NEG_Z]
            .into_iter()
            .filter_map(|way| (0..5000).map(|step| step as f32 * 0.001).find(|&step| is_free(place + way * step)))
            .fold(f32::INFINITY, f32::min);
        prop_assert!(gone <= straight + 0.002, "it went {gone}, but {straight} is enough");
    }
}

#[derive(Clone, Copy)]
enum Floor {
    Slab,
    Tiles,
    Grid,
}

impl Floor {
    /// A floor of 16 x 8 m with its top at y = 1, in a frame of walls.
    fn lay(self, runtime: &mut Runtime, at: Vec3) {
        let mut slab = |corner: Vec3, size: Vec3| {
            spawn_box(runtime, Aabb::from_corner(at + corner, size));
        };
        match self {
            Self::Slab => {
                slab(Vec3::ZERO, Vec3::new(16.0, 1.0, 8.0));
                slab(Vec3::Y, Vec3::new(1.0, 1.0, 8.0));
                slab(Vec3::new(15.0, 1.0, 0.0), Vec3::new(1.0, 1.0, 8.0));
            }
            Self::Tiles => {
                for tile in 0..128_u8 {
                    let (x, z) = (f32::from(tile % 16), f32::from(tile / 16));
                    slab(Vec3::new(x, 0.0, z), Vec3::ONE);
                    if x == 0.0 || x == 15.0 {
                        slab(Vec3::new(x, 1.0, z), Vec3::ONE);
                    }
                }
            }
            Self::Grid => {
                let mut grid = TileGrid::new([16, 2, 8], Vec3::ONE).expect("it has tiles");
                for tile in 0..128 {
                    let (x, z) = (tile % 16, tile / 16);
                    grid.set_solid([x, 0, z], true);
                    grid.set_solid([x, 1, z], x == 0 || x == 15);
                }
                let place = Transform::at(at.x, at.y, at.z);
                runtime.world_mut().spawn((place, Collider::tiles(grid)));
            }
        }
    }
}

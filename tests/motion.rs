//! Bodies through the whole frame: what must hold whatever is thrown at what.

use gerust::collide::{Boxes, MapPlane, Solver, TileGrid};
use gerust::prelude::*;
use proptest::prelude::*;

fn cube(half: f32) -> Aabb {
    Aabb::from_center(Vec3::ZERO, Vec3::splat(half))
}

fn weightless() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Gravity(Vec3::ZERO));
    runtime
}

fn spawn_box(runtime: &mut Runtime, aabb: Aabb) -> Entity {
    let center = aabb.center();
    let own = Aabb::from_center(Vec3::ZERO, aabb.half_extents());
    runtime.world_mut().spawn((
        Transform::at(center.x, center.y, center.z),
        Collider::solid(own),
    ))
}

fn spawn_body(runtime: &mut Runtime, aabb: Aabb, body: Body) -> Entity {
    let entity = spawn_box(runtime, aabb);
    runtime
        .world_mut()
        .attach(entity, body)
        .expect("it is alive");
    entity
}

fn place_of(runtime: &Runtime, entity: Entity) -> Vec3 {
    runtime
        .world()
        .get::<Transform>(entity)
        .expect("it is alive")
        .translation
}

fn velocity_of(runtime: &Runtime, entity: Entity) -> Vec3 {
    runtime
        .world()
        .get::<Body>(entity)
        .expect("it is alive")
        .velocity
}

fn box_of(runtime: &Runtime, entity: Entity) -> Aabb {
    runtime
        .world()
        .get::<WorldBox>(entity)
        .expect("it is alive")
        .aabb()
}

fn leftovers(runtime: &Runtime) -> usize {
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    contacts.leftovers().count()
}

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

fn end_of(runtime: &Runtime, bodies: &[Entity]) -> Vec<(Vec3, Vec3)> {
    bodies
        .iter()
        .map(|&body| (place_of(runtime, body), velocity_of(runtime, body)))
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever is thrown wherever, however fast: by the expression that tells overlap, nothing is in a wall, in any frame.
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
        bodies in proptest::collection::vec((vector(-3.0..3.0), vector(-9.0..9.0), 0.1_f32..50.0, 0.0_f32..1.0, 0.0_f32..1.0), 2..12),
    ) {
        let mut runtime = weightless();
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

/// Every side, tall and wide bodies and walls, near and far from the origin, and up to 100 widths of the body a frame.
#[test]
fn bodies_stop_from_all_sides_however_fast_wherever() {
    let shapes = [
        Vec3::new(0.2, 2.0, 0.2),
        Vec3::new(2.0, 0.2, 0.7),
        Vec3::splat(0.5),
    ];
    for dimensions in [Dimensions::Two, Dimensions::Three] {
        let axes = if dimensions == Dimensions::Two { 2 } else { 3 };
        for (axis, sign) in (0..axes).flat_map(|axis| [(axis, -1.0), (axis, 1.0)]) {
            for origin in [Vec3::ZERO, Vec3::splat(10_000.0)] {
                for (half, wall_half) in shapes.iter().flat_map(|&a| shapes.map(|b| (a, b))) {
                    let mut runtime = weightless();
                    runtime.world_mut().set_global(dimensions);
                    let towards = Vec3::AXES[axis] * sign;
                    let wall = Aabb::from_center(origin, wall_half);
                    spawn_box(&mut runtime, wall);
                    let reach = half[axis] + wall_half[axis];
                    let start = origin - towards * (reach + 1.7);
                    let speed = 100.0 * 2.0 * half[axis] * 60.0;
                    let body = Body::dynamic().with_velocity(towards * speed);
                    let body = spawn_body(&mut runtime, Aabb::from_center(start, half), body);
                    runtime.run_frames(3).expect("nothing fails");
                    let here = box_of(&runtime, body);
                    assert!(
                        !here.overlaps(&box_of_wall(&runtime)),
                        "{here:?} from {start}"
                    );
                    let gap = ((origin - place_of(&runtime, body)) * towards)[axis] - reach;
                    // Two steps of a number of this size.
                    assert!((-0.001..=0.002).contains(&gap), "{gap} m short at {origin}");
                    assert_eq!(velocity_of(&runtime, body), Vec3::ZERO);
                    let contacts = runtime.world().global::<Contacts>().expect("always there");
                    assert_eq!(contacts.iter().len(), 1, "it is in contact at {origin}");
                }
            }
        }
    }
}

fn box_of_wall(runtime: &Runtime) -> Aabb {
    let rows = runtime.world().rows_where::<&WorldBox, Lacking<Body>>();
    rows.iter().next().expect("there is a wall").aabb()
}

/// One on the floor, a stack of three, and one that leans over an edge: once they are at rest they stay where they are, to
/// the bit, in each of 100,000 frames.
#[test]
fn rest_is_bit_stable() {
    let mut runtime = Runtime::new();
    runtime.profiler_mut().set_on(false);
    let floor = Aabb::from_corners(Vec3::new(-50.0, -1.0, -50.0), Vec3::new(50.0, 0.1, 50.0));
    spawn_box(&mut runtime, floor);
    let mut bodies = vec![spawn_body(
        &mut runtime,
        cube(0.37).moved(Vec3::new(0.3, 4.7, 0.9)),
        Body::dynamic(),
    )];
    for (number, half) in [0.5, 0.33, 0.21].into_iter().enumerate() {
        let place = Vec3::new(5.0 + 0.1 * number as f32, 1.0 + 1.3 * number as f32, 0.0);
        let body = Body::dynamic()
            .with_mass(1.0 + number as f32)
            .with_friction(0.3);
        bodies.push(spawn_body(&mut runtime, cube(half).moved(place), body));
    }
    bodies.push(spawn_body(
        &mut runtime,
        cube(0.4).moved(Vec3::new(5.45, 6.0, 0.3)),
        Body::dynamic(),
    ));
    runtime.run_frames(600).expect("nothing fails");
    let rest = end_of(&runtime, &bodies);
    assert_eq!(leftovers(&runtime), 0);
    for frame in 0..100_000 {
        runtime.run_frames(1).expect("nothing fails");
        assert_eq!(end_of(&runtime, &bodies), rest, "after {frame} frames");
    }
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    for contact in contacts.iter() {
        assert_eq!(contact.state, ContactState::Held);
    }
}

#[test]
fn a_lift_carries_what_stands_on_it_up_down_and_aside() {
    for velocity in [
        Vec3::Y,
        Vec3::NEG_Y,
        Vec3::X * 3.0,
        Vec3::new(2.0, -1.5, 1.0),
    ] {
        let mut runtime = Runtime::new();
        let lift = spawn_body(
            &mut runtime,
            Aabb::from_center(Vec3::ZERO, Vec3::new(2.0, 0.1, 2.0)),
            Body::kinematic(Vec3::ZERO),
        );
        let pallet = spawn_body(
            &mut runtime,
            cube(0.5).moved(Vec3::Y * 0.6),
            Body::dynamic(),
        );
        runtime.run_frames(5).expect("nothing fails");
        let before = place_of(&runtime, pallet) - place_of(&runtime, lift);
        runtime
            .world_mut()
            .get_mut::<Body>(lift)
            .expect("it is alive")
            .velocity = velocity;
        for frame in 0..120 {
            runtime.run_frames(1).expect("nothing fails");
            let apart = place_of(&runtime, pallet) - place_of(&runtime, lift);
            assert!(
                apart.abs_diff_eq(before, 1e-4),
                "{apart} at frame {frame}, moving {velocity}"
            );
            let contacts = runtime.world().global::<Contacts>().expect("always there");
            let standing = contacts.stands_on(pallet).expect("it stands on the lift");
            assert_eq!((standing.carrier, standing.face), (lift, Vec3::Y));
        }
        assert_eq!(leftovers(&runtime), 0);
    }
}

#[test]
fn a_kinematic_body_pushes_what_is_in_its_way_however_fast() {
    for speed in [1.0, 30.0, 600.0, 6000.0] {
        let mut runtime = weightless();
        let pusher = spawn_body(&mut runtime, cube(0.5), Body::kinematic(Vec3::X * speed));
        let pallet = spawn_body(
            &mut runtime,
            cube(0.5).moved(Vec3::X * 1.5),
            Body::dynamic(),
        );
        for _ in 0..60 {
            runtime.run_frames(1).expect("nothing fails");
            let (behind, ahead) = (box_of(&runtime, pusher), box_of(&runtime, pallet));
            assert!(
                ahead.min.x >= behind.max.x - 1e-3,
                "at {speed} m/s: {ahead:?} is behind {behind:?}"
            );
        }
        assert!(
            place_of(&runtime, pallet).x > 0.9 * speed,
            "it is ahead of the pusher"
        );
    }
}

#[test]
fn what_is_pushed_stays_at_the_face_that_pushes_it() {
    let mut runtime = Runtime::new();
    spawn_box(
        &mut runtime,
        Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(90.0, 0.0, 9.0)),
    );
    let sweeper = Body::kinematic(Vec3::new(1.3, 0.0, 0.0));
    let sweeper = spawn_body(&mut runtime, cube(0.5).moved(Vec3::Y * 0.5), sweeper);
    let pallet = Body::dynamic().with_friction(0.6);
    let pallet = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(1.2, 0.5, 0.2)),
        pallet,
    );
    runtime.run_frames(60).expect("nothing fails");
    for _ in 0..600 {
        runtime.run_frames(1).expect("nothing fails");
        let apart = place_of(&runtime, pallet).x - place_of(&runtime, sweeper).x;
        assert!((apart - 1.0).abs() < 1e-4, "{apart}");
        let contacts = runtime.world().global::<Contacts>().expect("always there");
        assert!(contacts.between(sweeper, pallet).is_some());
    }
}

#[test]
fn what_is_crushed_is_reported_and_stays_out_of_the_wall() {
    let mut runtime = weightless();
    let wall = spawn_box(
        &mut runtime,
        Aabb::from_corner(Vec3::new(3.0, -5.0, -5.0), Vec3::splat(10.0)),
    );
    let press = spawn_body(
        &mut runtime,
        Aabb::from_center(Vec3::X * -6.0, Vec3::splat(5.0)),
        Body::kinematic(Vec3::X * 2.0),
    );
    // A tube, so that there is no way aside.
    for aside in [Vec3::Y, Vec3::NEG_Y, Vec3::Z, Vec3::NEG_Z] {
        let around = Aabb::from_center(aside * 20.5, Vec3::splat(20.0));
        spawn_box(&mut runtime, around);
    }
    let pallet = spawn_body(&mut runtime, cube(0.5), Body::dynamic());
    runtime.run_frames(110).expect("nothing fails");
    let here = box_of(&runtime, pallet);
    assert!(!here.overlaps(&box_of(&runtime, wall)));
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    let left: Vec<_> = contacts
        .leftovers()
        .map(|contact| (contact.first, contact.second))
        .collect();
    assert_eq!(left, [(press, pallet)]);
}

#[test]
fn a_box_set_that_grows_into_a_wall_pushes_its_body_out() {
    let mut runtime = weightless();
    let wall = spawn_box(
        &mut runtime,
        Aabb::from_corner(Vec3::new(1.0, -5.0, -5.0), Vec3::splat(10.0)),
    );
    let floor = spawn_box(
        &mut runtime,
        Aabb::from_corner(Vec3::new(-9.0, -10.5, -5.0), Vec3::splat(10.0)),
    );
    let arm = Aabb::from_center(Vec3::new(0.5, -0.25, 0.0), Vec3::new(1.0, 0.5, 0.2));
    let collider = Collider::solid(cube(0.5)).with_set("reaching", [cube(0.5), arm]);
    let crane =
        runtime
            .world_mut()
            .spawn((Transform::at(0.4, 0.0, 0.0), collider, Body::dynamic()));
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(place_of(&runtime, crane), Vec3::new(0.4, 0.0, 0.0));
    let switch = |runtime: &mut Runtime, set: &str| {
        let collider = runtime
            .world_mut()
            .get_mut::<Collider>(crane)
            .expect("it is alive");
        collider.switch_to(set).expect("there is such a set");
    };
    switch(&mut runtime, "reaching");
    runtime.run_frames(1).expect("nothing fails");
    // The arm reaches 1.5 m ahead and 0.75 m down, into the wall and into the floor.
    assert!(place_of(&runtime, crane).abs_diff_eq(Vec3::new(-0.5, 0.25, 0.0), 1e-6));
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    let solids = [box_of(&runtime, wall), box_of(&runtime, floor)];
    for part in boxes.of(crane) {
        assert!(solids.iter().all(|solid| !part.overlaps(solid)));
    }
    drop(boxes);
    switch(&mut runtime, "default");
    runtime.run_frames(1).expect("nothing fails");
    assert!(place_of(&runtime, crane).abs_diff_eq(Vec3::new(-0.5, 0.25, 0.0), 1e-6));
}

#[test]
fn hundreds_a_second_thrown_into_a_pit_stay_inside() {
    let mut runtime = Runtime::new();
    let (inner, wall) = (4.0, 1.0);
    spawn_box(
        &mut runtime,
        Aabb::from_corners(Vec3::new(-6.0, -1.0, -6.0), Vec3::new(6.0, 0.0, 6.0)),
    );
    for axis in [0, 2] {
        for sign in [-1.0, 1.0] {
            let mut half = Vec3::new(6.0, 100.0, 6.0);
            half[axis] = wall / 2.0;
            let center = Vec3::Y * 100.0 + Vec3::AXES[axis] * (sign * (inner + wall / 2.0));
            spawn_box(&mut runtime, Aabb::from_center(center, half));
        }
    }
    let mut thrown = Vec::new();
    for frame in 0..120_u32 {
        for lane in 0..5_u32 {
            let number = frame * 5 + lane;
            let angle = number as f32 * 2.399;
            let place = Vec3::new(
                2.0 * angle.cos(),
                6.0 + lane as f32 * 1.2,
                2.0 * angle.sin(),
            );
            let body = Body::dynamic()
                .with_velocity(Vec3::new(9.0 * angle.sin(), -25.0, 30.0 * angle.cos()))
                .with_mass(0.5 + (number % 7) as f32)
                .with_restitution((number % 3) as f32 * 0.15)
                .with_friction(0.2);
            thrown.push(spawn_body(
                &mut runtime,
                cube(0.2 + 0.02 * (number % 10) as f32).moved(place),
                body,
            ));
        }
        runtime.run_frames(1).expect("nothing fails");
    }
    for _ in 0..60 {
        runtime.run_frames(1).expect("nothing fails");
        for &body in &thrown {
            let here = box_of(&runtime, body);
            assert!(here.min.y >= 0.0, "{here:?} is below the floor");
            assert!(
                here.min.x >= -inner && here.max.x <= inner,
                "{here:?} is in a wall"
            );
            assert!(
                here.min.z >= -inner && here.max.z <= inner,
                "{here:?} is in a wall"
            );
        }
    }
}

#[test]
fn more_iterations_leave_less_over() {
    let left = |iterations| {
        let mut runtime = weightless();
        runtime.world_mut().set_global(Solver { iterations });
        for number in 0..125_u8 {
            let (x, y, z) = (number % 5, number / 5 % 5, number / 25);
            let place = Vec3::new(f32::from(x), f32::from(y), f32::from(z)) * 0.7;
            spawn_body(&mut runtime, cube(0.5).moved(place), Body::dynamic());
        }
        runtime.run_frames(1).expect("nothing fails");
        leftovers(&runtime)
    };
    let (none, few, many) = (left(0), left(4), left(64));
    assert!(none > few && few > many, "{none}, {few}, {many}");
}

#[test]
fn an_infinite_mass_is_never_moved_by_others() {
    let mut runtime = weightless();
    let heavy = Body::dynamic().with_mass(f32::INFINITY);
    let heavy = spawn_body(&mut runtime, cube(0.5), heavy);
    for (number, axis) in [Vec3::X, Vec3::Y, Vec3::Z].into_iter().enumerate() {
        let body = Body::dynamic().with_mass(1e6).with_velocity(axis * -10.0);
        spawn_body(
            &mut runtime,
            cube(0.5).moved(axis * (1.5 + number as f32)),
            body,
        );
    }
    spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::splat(0.3)),
        Body::dynamic(),
    );
    spawn_body(
        &mut runtime,
        cube(0.2).moved(Vec3::NEG_X * 2.0),
        Body::kinematic(Vec3::X * 5.0),
    );
    runtime.run_frames(60).expect("nothing fails");
    assert_eq!(end_of(&runtime, &[heavy]), [(Vec3::ZERO, Vec3::ZERO)]);
}

#[test]
fn a_fast_body_does_not_pass_through_another_body() {
    // 30 m/s are two and a half widths of the bolt in a frame, and 6 m/s half of one.
    let cases = [
        (6.0, 0.5),
        (30.0, 0.5),
        (600.0, 0.5),
        (6000.0, 0.5),
        (6.0, 0.01),
        (30.0, 0.02),
        (600.0, 0.02),
    ];
    // From several places, so that a step would end now in the target and now behind it.
    for ((speed, half), start) in cases
        .into_iter()
        .flat_map(|case| (0..5_u8).map(move |start| (case, start)))
    {
        let mut runtime = weightless();
        let own = Aabb::from_center(Vec3::X * 15.0, Vec3::splat(0.5).with_x(half));
        let target = spawn_body(&mut runtime, own, Body::dynamic());
        let bolt = Body::dynamic().with_velocity(Vec3::X * speed);
        let start = Vec3::NEG_X * 0.11 * f32::from(start);
        let bolt = spawn_body(&mut runtime, cube(0.1).moved(start), bolt);
        runtime.run_frames(180).expect("nothing fails");
        assert!(
            place_of(&runtime, bolt).x < place_of(&runtime, target).x,
            "at {speed} m/s"
        );
        // Equal masses, no restitution: they go on together.
        let (one, other) = (
            velocity_of(&runtime, bolt).x,
            velocity_of(&runtime, target).x,
        );
        assert!((one - speed / 2.0).abs() < speed * 1e-5 && (other - one).abs() < speed * 1e-5);
    }
}

/// A hundred kilometres out, where numbers are 8 mm apart, a body at rest is still in contact with the ground.
#[test]
fn far_away_rest_is_a_contact_as_well() {
    for size in 0..12_u8 {
        let mut runtime = Runtime::new();
        let place = Vec3::splat(100_000.3);
        let ground = Aabb::from_center(place, Vec3::new(5.0, 0.7, 5.0));
        let ground = spawn_box(&mut runtime, ground);
        let half = 0.331 + 0.0137 * f32::from(size);
        // Off its origin, so that there is one more sum to round.
        let own = Aabb::from_center(Vec3::Y * half * 1.37, Vec3::splat(half));
        let start = Transform::at(place.x, place.y + 3.0, place.z);
        let body = (start, Collider::solid(own), Body::dynamic());
        let body = runtime.world_mut().spawn(body);
        runtime.run_frames(200).expect("nothing fails");
        for _ in 0..20 {
            runtime.run_frames(1).expect("nothing fails");
            let contacts = runtime.world().global::<Contacts>().expect("always there");
            assert!(contacts.stands_on(body).is_some(), "with {half} m");
        }
        let gap = box_of(&runtime, body).min.y - box_of(&runtime, ground).max.y;
        assert!((0.0..=0.032).contains(&gap), "{gap} m above the ground");
    }
}

#[test]
fn a_cart_on_a_moving_deck_works_in_world_space() {
    let mut runtime = Runtime::new();
    let quarter = Quat::from_rotation_y(std::f32::consts::FRAC_PI_2);
    let own = Aabb::from_center(Vec3::ZERO, Vec3::new(6.0, 0.5, 6.0));
    let barge = runtime.world_mut().spawn((
        Transform::at(0.0, 0.0, 0.0)
            .rotated(quarter)
            .scaled(Vec3::splat(2.0)),
        Collider::solid(own),
        Body::kinematic(Vec3::X * 3.0),
    ));
    let cart = runtime.world_mut().spawn((
        Transform::at(0.0, 1.0, 0.0),
        Collider::solid(cube(0.5)),
        Body::dynamic(),
    ));
    runtime.world_mut().link(cart, barge).expect("no cycle");
    // 20 m east of where the cart begins.
    let wall = spawn_box(
        &mut runtime,
        Aabb::from_corner(Vec3::new(20.0, -9.0, -9.0), Vec3::splat(30.0)),
    );
    let placed = |runtime: &Runtime| {
        runtime
            .world()
            .get::<WorldTransform>(cart)
            .expect("it is alive")
            .translation()
    };
    runtime.run_frames(60).expect("nothing fails");
    // It is as large as its parent's scale makes it, falls onto the deck, and goes along.
    let there = placed(&runtime);
    assert!(there.abs_diff_eq(Vec3::new(3.0, 2.0, 0.0), 1e-3), "{there}");
    runtime.run_frames(500).expect("nothing fails");
    let there = placed(&runtime);
    assert!(
        there.abs_diff_eq(Vec3::new(19.0, 2.0, 0.0), 1e-3),
        "the wall holds it: {there}"
    );
    assert!(!box_of(&runtime, cart).overlaps(&box_of(&runtime, wall)));
    assert!((place_of(&runtime, barge).x - 28.0).abs() < 1e-3);
}

#[test]
fn z_takes_no_part_in_a_scene_of_two_dimensions() {
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Dimensions::Two);
    let stairs = TileGrid::from_rows(
        ["...", "...", "###"],
        Vec3::new(4.0, 1.0, 1.0),
        MapPlane::Wall,
    );
    runtime.world_mut().spawn((
        Transform::at(0.0, 0.0, 90.0),
        Collider::tiles(stairs.expect("it has tiles")),
    ));
    let body = Body::dynamic().with_velocity(Vec3::new(2.0, 0.0, 7.0));
    let cart = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(1.0, 1.6, -40.0)),
        body,
    );
    let stuck = spawn_body(
        &mut runtime,
        cube(0.5).moved(Vec3::new(10.0, 1.2, 3.0)),
        Body::dynamic(),
    );
    runtime.run_frames(60).expect("nothing fails");
    let place = place_of(&runtime, cart);
    assert_eq!(place.y, 1.5, "it stands on the tiles");
    assert!(
        (place.z + 33.0).abs() < 1e-3 && (place.x - 3.0).abs() < 1e-3,
        "{place}"
    );
    assert_eq!(
        place_of(&runtime, stuck),
        Vec3::new(10.0, 1.5, 3.0),
        "nobody is pushed along z"
    );
    assert!(
        box_of(&runtime, cart).max.z < -32.0,
        "its own box keeps its thickness"
    );
}

#[test]
fn numbers_without_sense_are_refused_with_the_name_of_the_entity() {
    type Spoil = fn(&mut Body);
    let spoil: [(&str, Spoil); 7] = [
        ("a mass of 0", |body| body.mass = 0.0),
        ("a mass of NaN", |body| body.mass = f32::NAN),
        ("a mass of -2", |body| body.mass = -2.0),
        ("1e-20", |body| body.mass = 1e-39),
        ("a speed of", |body| body.velocity.y = 1e9),
        ("a restitution of 1.5", |body| body.restitution = 1.5),
        ("a friction of -1", |body| body.friction = -1.0),
    ];
    for (problem, spoil) in spoil {
        let mut runtime = weightless();
        let mut body = Body::dynamic().with_velocity(Vec3::X);
        spoil(&mut body);
        let truck = spawn_body(&mut runtime, cube(0.5), body);
        let other = spawn_body(
            &mut runtime,
            cube(0.5).moved(Vec3::Y * 9.0),
            Body::dynamic().with_velocity(Vec3::X),
        );
        runtime
            .world_mut()
            .attach(truck, Name::new("truck-3"))
            .expect("it is alive");
        let error = runtime.run_frames(1).expect_err("it is refused");
        let text = error.to_string();
        assert!(text.contains("truck-3") && text.contains(problem), "{text}");
        assert_eq!(error.entity(), Some(truck));
        assert_eq!(place_of(&runtime, truck), Vec3::ZERO, "it stays");
        assert!(place_of(&runtime, other).x > 0.0, "the others go on");
        runtime
            .world_mut()
            .attach(truck, Body::dynamic())
            .expect("it is alive");
        runtime.run_frames(1).expect("it is mended");
    }
    let boxes = [
        Aabb {
            min: Vec3::ONE,
            max: Vec3::ZERO,
        },
        Aabb {
            min: Vec3::NAN,
            max: Vec3::ONE,
        },
        Aabb {
            min: Vec3::ZERO,
            max: Vec3::INFINITY,
        },
    ];
    for own in boxes {
        let mut runtime = weightless();
        let gate = runtime.world_mut().spawn((
            Name::new("gate"),
            Transform::default(),
            Collider::solid(own),
        ));
        for _ in 0..2 {
            let error = runtime
                .run_frames(1)
                .expect_err("it is refused until it is mended");
            assert!(error.to_string().contains("gate"), "{error}");
        }
        runtime
            .world_mut()
            .get_mut::<Collider>(gate)
            .expect("it is alive")
            .set_own_box(cube(1.0));
        runtime.run_frames(1).expect("it is mended");
    }
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Gravity(Vec3::NAN));
    let falling = spawn_body(&mut runtime, cube(1.0), Body::dynamic());
    let error = runtime.run_frames(1).expect_err("nobody can fall");
    assert!(error.to_string().contains("Gravity"), "{error}");
    assert_eq!(place_of(&runtime, falling), Vec3::ZERO);
    let mut runtime = weightless();
    let point = (
        Name::new("gull"),
        Transform::at(f32::INFINITY, 0.0, 0.0),
        Body::dynamic(),
    );
    runtime.world_mut().spawn(point);
    let text = runtime
        .run_frames(1)
        .expect_err("it is nowhere")
        .to_string();
    assert!(
        text.contains("gull") && text.contains("not finite"),
        "{text}"
    );
    let mut runtime = weightless();
    let lost = spawn_body(&mut runtime, cube(1.0), Body::dynamic());
    runtime
        .world_mut()
        .get_mut::<Transform>(lost)
        .expect("it is alive")
        .translation
        .x = f32::NAN;
    let text = runtime
        .run_frames(1)
        .expect_err("it is nowhere")
        .to_string();
    assert!(text.contains("placement"), "{text}");
    runtime.world_mut().despawn(lost).expect("it is alive");
    runtime.run_frames(1).expect("it is gone");
}

#[test]
fn threads_do_not_change_what_comes_out() {
    let run = |threads| {
        let mut runtime = Runtime::new();
        runtime
            .set_threads(threads)
            .expect("two threads can be had");
        runtime.set_serial_below(std::time::Duration::ZERO);
        spawn_box(
            &mut runtime,
            Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(9.0, 0.0, 9.0)),
        );
        let bodies: Vec<Entity> = (0..60_u8)
            .map(|number| {
                let place = Vec3::new(
                    f32::from(number % 4) * 0.9,
                    1.0 + f32::from(number) * 0.4,
                    0.1,
                );
                spawn_body(
                    &mut runtime,
                    cube(0.4).moved(place),
                    Body::dynamic().with_restitution(0.4),
                )
            })
            .collect();
        runtime.run_frames(120).expect("nothing fails");
        end_of(&runtime, &bodies)
    };
    assert_eq!(run(1), run(if cfg!(feature = "parallel") { 2 } else { 1 }));
}

/// Crates one on the other, listed from the bottom or from the top: they stay where they are, to the bit.
#[test]
fn a_tall_stack_is_held_up() {
    for from_the_top in [false, true] {
        let mut runtime = Runtime::new();
        spawn_box(
            &mut runtime,
            Aabb::from_corners(Vec3::new(-9.0, -1.0, -9.0), Vec3::new(9.0, 0.0, 9.0)),
        );
        let mut levels: Vec<u8> = (0..12).collect();
        if from_the_top {
            levels.reverse();
        }
        let places: Vec<Vec3> = levels
            .iter()
            .map(|&level| Vec3::Y * (f32::from(level) + 0.5))
            .collect();
        let crates: Vec<Entity> = places
            .iter()
            .zip(&levels)
            .map(|(&place, &level)| {
                let body = Body::dynamic().with_mass(1.0 + f32::from(level));
                spawn_body(&mut runtime, cube(0.5).moved(place), body)
            })
            .collect();
        for frame in 0..120 {
            runtime.run_frames(1).expect("nothing fails");
            let now: Vec<Vec3> = crates.iter().map(|&id| place_of(&runtime, id)).collect();
            assert_eq!(
                now, places,
                "after {frame} frames, from the top: {from_the_top}"
            );
            assert_eq!(leftovers(&runtime), 0);
        }
    }
}

#[test]
fn layers_that_do_not_meet_neither_touch_nor_stop() {
    let mut runtime = weightless();
    let mut layers = Layers::default();
    let ghost = layers.add("ghost").expect("there is room");
    let wall = layers.add("wall").expect("there is room");
    runtime.world_mut().set_global(layers);
    let world = runtime.world_mut();
    let mover = |layer| {
        (
            Transform::at(-5.0, 0.0, 0.0),
            Collider::solid(cube(0.5)).in_layer(layer),
            Body::dynamic().with_velocity(Vec3::new(60.0, 0.0, 0.0)),
        )
    };
    world.spawn((
        Transform::default(),
        Collider::solid(cube(1.0)).in_layer(wall),
    ));
    let through = world.spawn(mover(ghost));
    let stopped = world.spawn(mover(Layer::default()));
    runtime.run_frames(10).expect("nothing fails");
    assert_eq!(place_of(&runtime, through).x, 5.0);
    assert_eq!(place_of(&runtime, stopped).x, -1.5);
}

#[test]
fn the_nearest_of_many_walls_stops_whatever_their_order() {
    for order in [[3.0, 5.0, 9.0], [9.0, 5.0, 3.0], [5.0, 9.0, 3.0]] {
        let mut runtime = weightless();
        for x in order {
            runtime
                .world_mut()
                .spawn((Transform::at(x, 0.0, 0.0), Collider::solid(cube(0.5))));
        }
        let body = runtime.world_mut().spawn((
            Transform::default(),
            Collider::solid(cube(0.25)),
            Body::dynamic().with_velocity(Vec3::new(1000.0, 0.0, 0.0)),
        ));
        runtime.run_frames(1).expect("nothing fails");
        assert_eq!(place_of(&runtime, body).x, 2.25);
    }
}

#[test]
fn a_wall_that_is_put_onto_a_body_pushes_it_out() {
    let mut runtime = weightless();
    let body = runtime.world_mut().spawn((
        Transform::at(0.9, 0.2, 0.0),
        Collider::solid(cube(0.5)),
        Body::dynamic(),
    ));
    runtime.run_frames(1).expect("nothing fails");
    runtime
        .world_mut()
        .spawn((Transform::default(), Collider::solid(cube(1.0))));
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(place_of(&runtime, body), Vec3::new(1.5, 0.2, 0.0));
}

#[test]
fn a_body_under_a_moved_parent_stops_in_world_space() {
    let mut runtime = weightless();
    let world = runtime.world_mut();
    let quarter = Quat::from_rotation_y(std::f32::consts::FRAC_PI_2);
    let deck = world.spawn((Transform::at(10.0, 0.0, 0.0).rotated(quarter),));
    let cart = world.spawn((
        Transform::at(0.0, 0.0, 2.0),
        Collider::solid(cube(0.5)),
        Body::dynamic().with_velocity(Vec3::new(60.0, 0.0, 0.0)),
    ));
    world.link(cart, deck).expect("no cycle");
    world.spawn((Transform::at(20.0, 0.0, 0.0), Collider::solid(cube(1.0))));
    runtime.run_frames(30).expect("nothing fails");
    let placed = runtime
        .world()
        .get::<WorldTransform>(cart)
        .expect("it is alive")
        .translation();
    assert!(
        placed.abs_diff_eq(Vec3::new(18.5, 0.0, 0.0), 1e-4),
        "{placed}"
    );
}

#[test]
fn what_hangs_below_a_body_does_not_block_it() {
    let mut runtime = weightless();
    let world = runtime.world_mut();
    let truck = world.spawn((
        Transform::default(),
        Collider::solid(cube(1.0)),
        Body::dynamic().with_velocity(Vec3::X),
    ));
    let cabin = world.spawn((Transform::at(1.5, 0.0, 0.0), Collider::solid(cube(1.0))));
    world.link(cabin, truck).expect("no cycle");
    runtime.run_frames(60).expect("nothing fails");
    assert!((place_of(&runtime, truck).x - 1.0).abs() < 1e-4);
}

#[test]
fn what_was_spawned_or_teleported_since_the_last_frame_is_solid_where_it_is() {
    let mut runtime = weightless();
    let body = runtime.world_mut().spawn((
        Transform::default(),
        Collider::solid(cube(0.5)),
        Body::dynamic().with_velocity(Vec3::new(600.0, 0.0, 0.0)),
    ));
    let wall = runtime
        .world_mut()
        .spawn((Transform::at(500.0, 0.0, 0.0), Collider::solid(cube(0.5))));
    runtime
        .world_mut()
        .get_mut::<Transform>(wall)
        .expect("it is alive")
        .translation
        .x = 5.0;
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(place_of(&runtime, body).x, 4.0);
}

//! Casts against brute force in `f64`, on boxes that are flush, without thickness, and touched at faces, edges and corners.

use gerust::collide::{Among, Boxes, MapPlane, Struck, TileGrid};
use gerust::prelude::*;
use glam::DVec3;

/// Numbers from a linear congruence: the same in every run.
struct Numbers(u64);

impl Numbers {
    fn below(&mut self, count: u64) -> u64 {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1);
        (self.0 >> 33) % count
    }

    /// A multiple of a half or a quarter, so that faces are often met exactly.
    fn coordinate(&mut self, steps: u64, of: f32) -> f32 {
        (self.below(2 * steps + 1) as f32 - steps as f32) * of
    }

    fn point(&mut self, steps: u64, of: f32) -> Vec3 {
        Vec3::new(
            self.coordinate(steps, of),
            self.coordinate(steps, of),
            self.coordinate(steps, of),
        )
    }
}

/// A moving box as a point, and the others larger by its size.
struct Larger {
    entity: Entity,
    min: DVec3,
    max: DVec3,
}

fn larger(parts: &[(Entity, Aabb)], start: &Aabb) -> Vec<Larger> {
    let parts = parts.iter().map(|(entity, part)| Larger {
        entity: *entity,
        min: part.min.as_dvec3() - start.max.as_dvec3(),
        max: part.max.as_dvec3() - start.min.as_dvec3(),
    });
    parts.collect()
}

/// When a point that starts a little off the origin is in a box: from and to, as shares of the way.
fn interval(part: &Larger, off: DVec3, way: DVec3) -> Option<(f64, f64)> {
    let (mut enter, mut leave) = (f64::NEG_INFINITY, f64::INFINITY);
    let mut sheets = Vec::new();
    for axis in 0..3 {
        let (near, far) = (part.min[axis] - off[axis], part.max[axis] - off[axis]);
        if way[axis] == 0.0 {
            if near >= 0.0 || far <= 0.0 {
                return None;
            }
            continue;
        }
        let (first, last) = (near / way[axis], far / way[axis]);
        let (first, last) = (first.min(last), first.max(last));
        (enter, leave) = (enter.max(first), leave.min(last));
        sheets.push((first, last));
    }
    // Sheets are entered and left at the same moment along one axis.
    let is_sheet = sheets.contains(&(enter, leave)) && enter == leave;
    (enter < leave || is_sheet).then_some((enter, leave))
}

/// The points to try: where the moving box has no width across its way, a little to all sides.
fn offsets(start: &Aabb, way: Vec3) -> Vec<DVec3> {
    const OFF: f64 = 1e-9;
    let mut all = vec![DVec3::ZERO];
    for axis in 0..3 {
        if way[axis] == 0.0 && start.size()[axis] == 0.0 {
            let side = |sign: f64| move |off: &DVec3| *off + DVec3::AXES[axis] * sign * OFF;
            all = all
                .iter()
                .map(side(1.0))
                .chain(all.iter().map(side(-1.0)))
                .collect();
        }
    }
    all
}

/// The share of the way at which the moving box is struck first, tried at each moment at which it comes to a box.
fn brute(parts: &[Larger], start: &Aabb, way: Vec3) -> Option<f64> {
    let inside = |part: &Larger| (0..3).all(|axis| part.min[axis] < 0.0 && part.max[axis] > 0.0);
    if parts.iter().any(inside) {
        return Some(0.0);
    }
    if way == Vec3::ZERO {
        return None;
    }
    let way_64 = way.as_dvec3();
    let by_offset: Vec<Vec<(f64, f64)>> = offsets(start, way)
        .iter()
        .map(|&off| {
            parts
                .iter()
                .filter_map(|part| interval(part, off, way_64))
                .collect()
        })
        .collect();
    let is_in = |moment: f64, (enter, leave): &(f64, f64)| {
        *enter <= moment && (moment < *leave || enter == leave && moment == *enter)
    };
    // One that is entered before the start is left alone, unless the way begins between several.
    let between = by_offset.len() > 1;
    let moments = by_offset
        .iter()
        .flatten()
        .map(|(enter, _)| *enter)
        .chain(between.then_some(0.0));
    moments
        .filter(|moment| (0.0..=1.0).contains(moment))
        .filter(|&moment| {
            by_offset
                .iter()
                .all(|all| all.iter().any(|interval| is_in(moment, interval)))
        })
        .filter(|&moment| between || by_offset[0].iter().any(|(enter, _)| *enter == moment))
        .min_by(f64::total_cmp)
}

/// Before the face that was struck there is nothing: at an edge, where two faces are met at the same moment, this tells an
/// outer face from one that a neighbor covers.
fn is_outer_face(parts: &[Larger], struck: &Struck, share: f64, way: Vec3) -> bool {
    let axis = (0..3).find(|&axis| struck.normal[axis] != 0.0);
    // What begins between two flush boxes, in the plane of their faces, has no outer face before it.
    let Some(axis) = axis.filter(|_| share > 0.0) else {
        return share == 0.0;
    };
    let way = way.as_dvec3();
    let enters = |part: &&Larger| {
        part.entity == struck.entity
            && interval(part, DVec3::ZERO, way).is_some_and(|(enter, _)| enter == share)
    };
    let Some(part) = parts.iter().find(enters) else {
        return true;
    };
    let first = |axis: usize| (part.min[axis] / way[axis]).min(part.max[axis] / way[axis]);
    let met: Vec<usize> = (0..3)
        .filter(|&axis| way[axis] != 0.0 && first(axis) == share)
        .collect();
    let is_outer = |axis: usize| {
        let mut point = way * share;
        for &other in &met {
            let off = if other == axis { -1e-4 } else { 1e-6 };
            point[other] += way[other].signum() * off;
        }
        let holds = |part: &Larger| {
            (0..3).all(|axis| part.min[axis] < point[axis] && point[axis] < part.max[axis])
        };
        !parts.iter().any(holds)
    };
    // In an inner corner of three boxes neighbors cover both faces.
    is_outer(axis) || !met.iter().any(|&axis| is_outer(axis))
}

fn world(numbers: &mut Numbers) -> (Runtime, Vec<Entity>) {
    let mut runtime = Runtime::new();
    let mut ids = Vec::new();
    for number in 0..14 {
        let size = Vec3::new(
            [0.0, 0.5, 1.0, 1.5, 2.0][numbers.below(5) as usize],
            [0.0, 0.5, 1.0, 1.5, 2.0][numbers.below(5) as usize],
            [0.0, 0.5, 1.0, 1.5, 2.0][numbers.below(5) as usize],
        );
        let own = Aabb::from_corner(Vec3::ZERO, size);
        let collider = match number {
            0 => {
                let rows = ["##.#", "####", ".##."];
                let grid = TileGrid::from_rows(rows, Vec3::new(0.5, 1.0, 0.5), MapPlane::Ground);
                Collider::tiles(grid.expect("it has tiles"))
            }
            1 => Collider::solid(own).with_box(own.moved(Vec3::X * size.x)),
            _ => Collider::solid(own),
        };
        let at = numbers.point(3, 0.5) - Vec3::splat(0.5);
        ids.push(
            runtime
                .world_mut()
                .spawn((Transform::at(at.x, at.y, at.z), collider)),
        );
    }
    runtime.settle().expect("all boxes are valid");
    (runtime, ids)
}

#[test]
fn casts_strike_what_brute_force_strikes() {
    let mut numbers = Numbers(7);
    let (mut struck_count, mut clear, mut outer_faces) = (0, 0, 0);
    let worlds = if cfg!(feature = "stress") { 1_000 } else { 100 };
    for _ in 0..worlds {
        let (runtime, ids) = world(&mut numbers);
        let boxes = runtime.world().global::<Boxes>().expect("always there");
        let parts: Vec<(Entity, Aabb)> = ids
            .iter()
            .flat_map(|&id| boxes.of(id).into_iter().map(move |part| (id, part)))
            .collect();
        let mut all = Vec::new();
        for _ in 0..100 {
            let half = match numbers.below(3) {
                0 => {
                    Vec3::splat(0.25)
                        * Vec3::new(numbers.below(3) as f32, 1.0, numbers.below(2) as f32)
                }
                _ => Vec3::ZERO,
            };
            let start = Aabb::from_center(numbers.point(12, 0.25), half);
            let way = match numbers.below(4) {
                0 => numbers.point(3, 2.0),
                1 => Vec3::AXES[numbers.below(3) as usize] * numbers.coordinate(8, 1.0),
                2 => numbers.point(12, 0.5) + numbers.point(9, 0.013),
                _ => numbers.point(1, 6.0),
            };
            let larger = larger(&parts, &start);
            let wanted = brute(&larger, &start, way);
            let found = boxes.cast_box(&start, way, &Among::all());
            let context = format!("{start:?} along {way}: {found:?}, wanted {wanted:?}");
            boxes.cast_box_all(&start, way, &Among::all(), &mut all);
            assert_eq!(all.first().copied(), found, "{context}");
            match (found, wanted) {
                (None, None) => clear += 1,
                (Some(struck), Some(share)) => {
                    struck_count += 1;
                    let distance = share * way.as_dvec3().length();
                    assert_eq!(struck.distance, distance as f32, "{context}");
                    assert!(struck.distance.is_sign_positive(), "{context}");
                    // Where boxes overlap, an edge of one may lie in the face of another. The edge of a sheet has no face.
                    let own = |part: &&(Entity, Aabb)| part.0 == struck.entity;
                    let overlaps = |part: &(Entity, Aabb)| {
                        parts
                            .iter()
                            .any(|(id, other)| *id != part.0 && other.overlaps(&part.1))
                    };
                    let is_sheet = |part: &(Entity, Aabb)| part.1.size().min_element() == 0.0;
                    if !parts
                        .iter()
                        .filter(own)
                        .any(|part| overlaps(part) || is_sheet(part))
                    {
                        outer_faces += 1;
                        assert!(
                            is_outer_face(&larger, &struck, share, way),
                            "{context} among {parts:?}"
                        );
                    }
                    assert!(
                        larger.iter().any(|part| part.entity == struck.entity),
                        "{context}"
                    );
                }
                _ => panic!("{context}"),
            }
        }
    }
    assert!(
        struck_count > 20 * worlds && clear > 20 * worlds,
        "{struck_count} struck, {clear} clear"
    );
    assert!(outer_faces > 5 * worlds, "{outer_faces} faces");
}

fn slabs(tops: [f32; 2]) -> (Runtime, [Entity; 2]) {
    let mut runtime = Runtime::new();
    let ids = [0, 1].map(|number| {
        let own = Aabb::from_corners(Vec3::new(0.0, -1.0, 0.0), Vec3::new(10.0, 0.0, 10.0));
        let at = Transform::at(10.0 * number as f32, tops[number], 0.0);
        runtime.world_mut().spawn((at, Collider::solid(own)))
    });
    runtime.settle().expect("all boxes are valid");
    (runtime, ids)
}

#[test]
fn a_ray_onto_a_seam_strikes_the_floor() {
    let (runtime, [left, right]) = slabs([0.0, 0.0]);
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    let cast = |from: Vec3, way: Vec3| boxes.cast(from, way, &Among::all());
    let down = cast(Vec3::new(10.0, 3.0, 5.0), Vec3::Y * -9.0).expect("the slabs are flush");
    assert_eq!(
        (down.entity, down.distance, down.normal),
        (left, 3.0, Vec3::Y)
    );
    for (slant, wanted) in [(1.0, right), (-1.0, left)] {
        let way = Vec3::new(2.0 * slant, -2.0, 0.0);
        let struck = cast(Vec3::new(10.0 - slant, 1.0, 5.0), way).expect("a slab is there");
        assert_eq!(
            (struck.entity, struck.normal),
            (wanted, Vec3::Y),
            "never an inner face"
        );
    }
    // In the plane of the floor, or along its edge, a ray only grazes it.
    assert_eq!(cast(Vec3::new(-5.0, 0.0, 5.0), Vec3::X * 30.0), None);
    assert_eq!(cast(Vec3::new(0.0, 3.0, 5.0), Vec3::Y * -9.0), None);
}

#[test]
fn a_ray_between_slabs_of_different_height_strikes_the_lower_one() {
    let (runtime, [_, lower]) = slabs([0.0, -0.5]);
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    let mut all = Vec::new();
    boxes.cast_all(
        Vec3::new(10.0, 3.0, 5.0),
        Vec3::Y * -9.0,
        &Among::all(),
        &mut all,
    );
    assert_eq!(all.len(), 2);
    let struck = boxes.cast(Vec3::new(10.0, 3.0, 5.0), Vec3::Y * -9.0, &Among::all());
    let struck = struck.expect("from there on there is no gap");
    assert_eq!((struck.distance, struck.normal), (3.5, Vec3::Y));
    assert!(
        all.iter()
            .any(|struck| struck.entity == lower && struck.distance == 3.5)
    );
}

#[test]
fn a_box_slides_along_walls_that_are_exactly_as_far_apart() {
    let mut runtime = Runtime::new();
    for side in [-1.0, 1.0] {
        let wall = Aabb::from_center(Vec3::new(0.0, 0.0, 1.5 * side), Vec3::new(10.0, 1.0, 1.0));
        runtime
            .world_mut()
            .spawn((Transform::default(), Collider::solid(wall)));
    }
    runtime.settle().expect("all boxes are valid");
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    let cart = Aabb::from_center(Vec3::X * -20.0, Vec3::splat(0.5));
    assert_eq!(boxes.cast_box(&cart, Vec3::X * 40.0, &Among::all()), None);
}

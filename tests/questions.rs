//! Questions against asking every box, and what they leave out.

use gerust::collide::{Among, Boxes, Found, MapPlane, Struck, TileGrid};
use gerust::prelude::*;
use proptest::prelude::*;

fn vector(size: f32) -> impl Strategy<Value = Vec3> {
    (-size..size, -size..size, -size..size).prop_map(Vec3::from)
}

#[derive(Clone, Debug)]
struct Asked {
    boxes: Vec<(Vec3, Vec3, bool)>,
    point: Vec3,
    way: Vec3,
    half: Vec3,
    radius: f32,
    count: usize,
}

fn asked() -> impl Strategy<Value = Asked> {
    let half = || (0.05_f32..2.0, 0.05_f32..2.0, 0.05_f32..2.0).prop_map(Vec3::from);
    let way = prop_oneof![
        vector(60.0),
        (-60.0_f32..60.0).prop_map(|x| Vec3::X * x),
        (-60.0_f32..60.0).prop_map(|z| Vec3::Z * z),
    ];
    (
        proptest::collection::vec((vector(15.0), half(), any::<bool>()), 0..200),
        vector(18.0),
        way,
        half(),
        0.0_f32..12.0,
        1_usize..12,
    )
        .prop_map(|(boxes, point, way, half, radius, count)| Asked {
            boxes,
            point,
            way,
            half,
            radius,
            count,
        })
}

/// A world of boxes, some of them grids and pairs of boxes, and all boxes of each entity.
fn world(asked: &Asked) -> (Runtime, Vec<(Entity, bool, Vec<Aabb>)>) {
    let mut runtime = Runtime::new();
    let mut ids = Vec::new();
    for (number, &(at, half, is_sensor)) in asked.boxes.iter().enumerate() {
        let own = Aabb::from_center(Vec3::ZERO, half);
        let mut collider = match number % 7 {
            5 => Collider::solid(own).with_box(own.moved(half * 3.0)),
            6 => {
                let grid = TileGrid::from_rows(["#..", "##."], half, MapPlane::Wall);
                Collider::tiles(grid.expect("it has tiles"))
            }
            _ => Collider::solid(own),
        };
        collider.set_sensor(is_sensor);
        let place = Transform::at(at.x, at.y, at.z);
        let id = runtime.world_mut().spawn((place, collider));
        if number % 3 == 0 {
            let body = match number % 2 {
                0 => Body::kinematic(Vec3::ZERO),
                _ => Body::immovable(),
            };
            runtime.world_mut().attach(id, body).expect("it is alive");
        }
        ids.push((id, is_sensor));
    }
    runtime.settle().expect("nothing fails");
    let all = {
        let boxes = runtime.world().global::<Boxes>().expect("always there");
        ids.into_iter()
            .map(|(id, is_sensor)| (id, is_sensor, boxes.of(id)))
            .collect()
    };
    (runtime, all)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn questions_are_answered_as_by_asking_every_box(asked in asked()) {
        let (runtime, all) = world(&asked);
        let boxes = runtime.world().global::<Boxes>().expect("always there");
        let start = Aabb::from_center(asked.point, asked.half);

        let mut overlapping = Vec::new();
        boxes.overlaps(&start, &Among::all(), &mut overlapping);
        let overlap = |parts: &Vec<Aabb>| parts.iter().any(|part| part.overlaps(&start));
        let wanted: Vec<Entity> = all.iter().filter(|(.., parts)| overlap(parts)).map(|(id, ..)| *id).collect();
        prop_assert_eq!(overlapping, wanted);

        let distance = |parts: &Vec<Aabb>| {
            let each = parts.iter().map(|part| part.nearest_point(asked.point).distance(asked.point));
            each.fold(f32::INFINITY, f32::min)
        };
        let mut by_distance: Vec<Found> = all
            .iter()
            .map(|(entity, _, parts)| Found { entity: *entity, distance: distance(parts) })
            .collect();
        by_distance.sort_by(|a, b| a.distance.total_cmp(&b.distance).then(a.entity.cmp(&b.entity)));
        let mut within = Vec::new();
        boxes.within(asked.point, asked.radius, &Among::all(), &mut within);
        let near: Vec<Found> = by_distance.iter().copied().filter(|found| found.distance <= asked.radius).collect();
        prop_assert_eq!(within, near);

        prop_assert_eq!(boxes.nearest(asked.point, f32::INFINITY, &Among::all()), by_distance.first().copied());
        let mut nearest = Vec::new();
        boxes.nearest_several(asked.point, asked.count, f32::INFINITY, &Among::all(), &mut nearest);
        prop_assert_eq!(&nearest[..], &by_distance[..asked.count.min(by_distance.len())]);

        for start in [start, Aabb { min: asked.point, max: asked.point }] {
            let mut struck = Vec::new();
            boxes.cast_box_all(&start, asked.way, &Among::all(), &mut struck);
            let mut wanted: Vec<Struck> = all.iter().filter_map(|(id, _, parts)| strike(*id, parts, &start, asked.way)).collect();
            wanted.sort_by(|a, b| a.distance.total_cmp(&b.distance).then(a.entity.cmp(&b.entity)));
            // `tests/casts.rs` has the cases in which digits decide.
            prop_assert_eq!(struck.len(), wanted.len());
            prop_assert!(struck.iter().zip(&wanted).all(|(found, wanted)| is_same(found, wanted)));
            prop_assert_eq!(boxes.cast_box(&start, asked.way, &Among::all()), struck.first().copied());
        }
    }

    #[test]
    fn answers_are_about_the_entities_in_question(asked in asked()) {
        let (runtime, all) = world(&asked);
        let boxes = runtime.world().global::<Boxes>().expect("always there");
        let but = all.first().map(|(id, ..)| *id);
        let even = |entity: Entity| entity.index().is_multiple_of(2);
        let mut among = Among::solids().matching(&even);
        if let Some(but) = but {
            among = among.excluding(but);
        }
        let mut found = Vec::new();
        boxes.within(asked.point, 1e4, &among, &mut found);
        let mut found: Vec<Entity> = found.into_iter().map(|found| found.entity).collect();
        found.sort();
        let asked_about = |id: Entity, is_sensor: bool| !is_sensor && even(id) && Some(id) != but;
        let wanted: Vec<Entity> = all.iter().filter(|(id, is_sensor, _)| asked_about(*id, *is_sensor)).map(|(id, ..)| *id).collect();
        prop_assert_eq!(found, wanted);
    }

    /// The moment of impact, felt for in small steps.
    #[test]
    fn the_time_of_impact_is_when_boxes_first_overlap(at in vector(6.0), half in vector(1.5), way in vector(20.0)) {
        let moving = Aabb::from_center(Vec3::ZERO, Vec3::new(0.4, 0.7, 0.2));
        let other = Aabb::from_center(at, half);
        prop_assume!(!moving.touches(&other));
        let overlaps_at = |share: f32| moving.moved(way * share).overlaps(&other);
        match moving.time_of_impact(way, &other) {
            Some(impact) => {
                prop_assert!((0.0..=1.0).contains(&impact.share));
                prop_assert!(!overlaps_at(impact.share - 1e-4));
                // Just behind it they overlap, unless they only graze an edge.
                let grazes = (1..400).all(|step| !overlaps_at(impact.share + step as f32 * 1e-5));
                let beyond = impact.share + 1e-3;
                prop_assert!(!grazes || beyond > 1.0 || !overlaps_at(beyond));
                prop_assert!(impact.normal.dot(way) < 0.0);
                prop_assert_eq!(impact.normal.length(), 1.0);
            }
            None => {
                let overlap = (0..=10_000).find(|&step| overlaps_at(step as f32 * 1e-4));
                prop_assert_eq!(overlap, None);
            }
        }
    }
}

fn strike(entity: Entity, parts: &[Aabb], start: &Aabb, way: Vec3) -> Option<Struck> {
    let each = parts.iter().filter_map(|part| {
        if start.overlaps(part) {
            return Some((0.0, Vec3::ZERO));
        }
        start
            .time_of_impact(way, part)
            .map(|impact| (impact.share, impact.normal))
    });
    let first = each.reduce(|first, other| if other.0 < first.0 { other } else { first });
    first.map(|(share, normal)| Struck {
        entity,
        distance: share * way.length(),
        point: start.center() + way * share,
        normal,
    })
}

/// Whether two answers are the same but for the last digits.
fn is_same(one: &Struck, other: &Struck) -> bool {
    let near = |a: f32, b: f32| (a - b).abs() <= 1e-5 * a.abs().max(1.0);
    one.entity == other.entity
        && one.normal == other.normal
        && near(one.distance, other.distance)
        && one.point.abs_diff_eq(other.point, 1e-4)
}

#[test]
fn a_flat_wall_and_a_ray_along_a_face() {
    let mut runtime = Runtime::new();
    let sheet = Aabb::from_center(Vec3::X * 5.0, Vec3::new(0.0, 1.0, 1.0));
    let sheet = runtime
        .world_mut()
        .spawn((Transform::default(), Collider::solid(sheet)));
    runtime.settle().expect("nothing fails");
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    let cast = |from: Vec3, way: Vec3| boxes.cast(from, way, &Among::all());
    let struck = cast(Vec3::ZERO, Vec3::X * 9.0).expect("a sheet is a wall");
    assert_eq!(
        (struck.entity, struck.distance, struck.normal),
        (sheet, 5.0, Vec3::NEG_X)
    );
    assert_eq!(
        cast(Vec3::new(5.0, -5.0, 0.0), Vec3::Y * 10.0),
        None,
        "it only slides along"
    );
    assert_eq!(cast(Vec3::ZERO, Vec3::X * 4.9), None);
    assert_eq!(cast(Vec3::ZERO, Vec3::NEG_X * 9.0), None);
    assert_eq!(cast(Vec3::ZERO, Vec3::ZERO), None);
}

#[test]
fn an_empty_world_has_no_answers() {
    let runtime = Runtime::new();
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    assert!(boxes.is_empty());
    let mut found = Vec::new();
    boxes.nearest_several(Vec3::ZERO, 3, f32::INFINITY, &Among::all(), &mut found);
    assert!(found.is_empty());
    assert_eq!(
        boxes.nearest(Vec3::ZERO, f32::INFINITY, &Among::all()),
        None
    );
    assert_eq!(boxes.cast(Vec3::ZERO, Vec3::X * 1e6, &Among::all()), None);
}

#[test]
fn without_bounds_everything_is_found() {
    let mut runtime = Runtime::new();
    let cube = Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5));
    let grid = TileGrid::from_rows(["#.#"], Vec3::ONE, MapPlane::Ground).expect("it has tiles");
    let ids = [
        runtime
            .world_mut()
            .spawn((Transform::at(-5e5, 0.0, 0.0), Collider::solid(cube))),
        runtime
            .world_mut()
            .spawn((Transform::at(3.0, 0.0, 4.0), Collider::tiles(grid))),
        runtime
            .world_mut()
            .spawn((Transform::at(9.0, 0.0, 0.0), Collider::solid(cube))),
    ];
    runtime.settle().expect("all boxes are valid");
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    for reach in [1e7, f32::MAX, f32::INFINITY] {
        let mut found = Vec::new();
        boxes.within(Vec3::ZERO, reach, &Among::all(), &mut found);
        assert_eq!(found.len(), 3, "{reach}");
        let mut overlapping = Vec::new();
        let all = Aabb {
            min: Vec3::splat(-reach),
            max: Vec3::splat(reach),
        };
        boxes.overlaps(&all, &Among::all(), &mut overlapping);
        assert_eq!(overlapping, ids, "{reach}");
    }
    let far = boxes.cast(Vec3::X * 20.0, Vec3::X * -1e38, &Among::all());
    assert_eq!(far.map(|struck| struck.entity), Some(ids[2]));
    assert_eq!(
        boxes.cast(Vec3::ZERO, Vec3::X * f32::INFINITY, &Among::all()),
        None
    );
}

#[test]
fn a_caller_that_keeps_its_list_allocates_once() {
    let mut runtime = Runtime::new();
    for x in 0..50_u8 {
        let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
        runtime
            .world_mut()
            .spawn((Transform::at(f32::from(x), 0.0, 0.0), cube));
    }
    runtime.settle().expect("nothing fails");
    let boxes = runtime.world().global::<Boxes>().expect("always there");
    let mut found = Vec::with_capacity(50);
    let room = found.as_ptr();
    for _ in 0..10 {
        boxes.within(Vec3::ZERO, 1e3, &Among::all(), &mut found);
        assert_eq!((found.len(), found.as_ptr()), (50, room));
    }
}

fn maze() -> impl Strategy<Value = TileGrid> {
    let tile = (0.2_f32..2.0, 0.2_f32..2.0, 0.2_f32..2.0).prop_map(Vec3::from);
    (tile, 1_u32..9, 1_u32..3, 1_u32..9, any::<u64>()).prop_map(|(tile, x, y, z, solid)| {
        let mut maze = TileGrid::new([x, y, z], tile).expect("it has tiles");
        for number in 0..x * y * z {
            let at = [number % x, number / x % y, number / (x * y)];
            maze.set_solid(at, solid.rotate_left(number * 7) & 3 == 0);
        }
        maze
    })
}

proptest! {
    /// Of two entities with many boxes the nearest two are found, in either order of the question, without visiting all of them.
    #[test]
    fn a_pair_is_explained_by_its_nearest_boxes(
        maze in maze(),
        other in proptest::collection::vec((vector(9.0), 0.05_f32..2.0), 1..4),
        second in proptest::option::of((maze(), vector(25.0))),
        flat in any::<bool>(),
    ) {
        let mut runtime = Runtime::new();
        if flat {
            *runtime.world_mut().global_mut::<Dimensions>().expect("it is there") = Dimensions::Two;
        }
        let world = runtime.world_mut();
        let one = world.spawn((Transform::default(), Collider::tiles(maze)));
        let other = match second {
            Some((maze, at)) => world.spawn((Transform::at(at.x, at.y, at.z), Collider::tiles(maze))),
            None => {
                let mut boxes = other.into_iter().map(|(center, half)| Aabb::from_center(center, Vec3::splat(half)));
                let first = Collider::solid(boxes.next().expect("there is one"));
                world.spawn((Transform::at(20.0, 0.0, 3.0), boxes.fold(first, Collider::with_box)))
            }
        };
        runtime.settle().expect("nothing fails");
        let world = runtime.world();
        let all = world.global::<Boxes>().expect("it is there");
        let axes = if flat { 2 } else { 3 };
        let apart = |a: &Aabb, b: &Aabb| (0..axes).map(|axis| -a.depth(b)[axis]).fold(f32::NEG_INFINITY, f32::max);
        let (ours, theirs) = (all.of(one), all.of(other));
        let wanted = ours.iter().flat_map(|a| theirs.iter().map(move |b| apart(a, b))).reduce(f32::min);
        for (a, b, counts) in [(one, other, [ours.len(), theirs.len()]), (other, one, [theirs.len(), ours.len()])] {
            let explained = world.explain_pair(a, b).expect("both are there");
            prop_assert_eq!([0, 1].map(|side: usize| explained.sides()[side].boxes), counts);
            let told = explained.axes().take(axes).map(|axis| -axis.depth).reduce(f32::max);
            if let Some(wanted) = wanted {
                let told = told.expect("both have boxes");
                prop_assert!((told - wanted).abs() <= 1e-4 * wanted.abs().max(1.0), "{told} and {wanted}");
            }
        }
    }
}

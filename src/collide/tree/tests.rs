use super::*;
use glam::Vec3;
use proptest::prelude::*;
use std::collections::BTreeMap;

/// Where boxes lie: the shapes of scenes that have made finders slow or wrong.
#[derive(Clone, Copy, Debug)]
enum Layout {
    Uniform,
    Clustered,
    Mixed,
    Line,
    OnePoint,
    Flat,
}

fn layout() -> impl Strategy<Value = Layout> {
    prop_oneof![
        Just(Layout::Uniform),
        Just(Layout::Clustered),
        Just(Layout::Mixed),
        Just(Layout::Line),
        Just(Layout::OnePoint),
        Just(Layout::Flat),
    ]
}

impl Layout {
    /// A box from three numbers between 0 and 1 and one more.
    fn place(self, at: Vec3, pick: f32) -> Aabb {
        let half = Vec3::splat(0.5);
        match self {
            Self::Uniform => Aabb::from_center(at * 12.0, half),
            Self::Clustered => Aabb::from_center(at * 3.0 + (pick * 4.0).floor() * 500.0, half),
            Self::Mixed => Aabb::from_center(at * 40.0, half * (0.1 + 10.0 * pick * pick * pick)),
            Self::Line => Aabb::from_center(Vec3::X * at.x * 100.0, half),
            Self::OnePoint => Aabb::from_center(Vec3::splat(3.0), half * pick),
            Self::Flat => Aabb::from_center((at * 20.0).with_z(0.0), half.with_z(1e30)),
        }
    }
}

#[derive(Clone, Debug)]
enum Step {
    Set(u32, Vec3, f32),
    Nudge(u32, Vec3),
    Remove(u32),
    Many(u32, u64),
    Sort,
    Check,
}

fn step() -> impl Strategy<Value = Step> {
    let at = || (0.0_f32..1.0, 0.0_f32..1.0, 0.0_f32..1.0).prop_map(Vec3::from);
    let id = || 0_u32..400;
    prop_oneof![
        8 => (id(), at(), 0.0_f32..1.0).prop_map(|(id, at, pick)| Step::Set(id, at, pick)),
        8 => (id(), at()).prop_map(|(id, at)| Step::Nudge(id, at)),
        4 => id().prop_map(Step::Remove),
        1 => (1_u32..300, any::<u64>()).prop_map(|(count, seed)| Step::Many(count, seed)),
        1 => Just(Step::Sort),
        2 => Just(Step::Check),
    ]
}

type Plain = BTreeMap<u32, Aabb>;

fn pairs_of(tree: &BoxTree, margin: f32) -> Vec<(u32, u32)> {
    let mut pairs = Vec::new();
    tree.pairs(margin, |a, b| pairs.push((a.min(b), a.max(b))));
    pairs.sort_unstable();
    pairs
}

fn plain_pairs(plain: &Plain, margin: f32) -> Vec<(u32, u32)> {
    let mut pairs = Vec::new();
    for (&a, box_a) in plain {
        for (&b, box_b) in plain.range(a + 1..) {
            if box_a.grown(margin).touches(box_b) {
                pairs.push((a, b));
            }
        }
    }
    pairs
}

fn check(tree: &BoxTree, plain: &Plain) -> Result<(), TestCaseError> {
    prop_assert_eq!(tree.len(), plain.len());
    prop_assert_eq!(pairs_of(tree, 0.0), plain_pairs(plain, 0.0));
    for (&id, wanted) in plain {
        prop_assert_eq!(tree.get(id), Some(*wanted));
        let mut found = Vec::new();
        tree.touching(wanted, |id| found.push(id));
        found.sort_unstable();
        let touching = plain.iter().filter(|(_, other)| other.touches(wanted));
        prop_assert_eq!(found, touching.map(|(&id, _)| id).collect::<Vec<_>>());
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(feature = "stress") { 40 } else { 16 }))]

    /// After any insertions, moves, removals, refits and sorts, a search finds the same pairs as a comparison of all.
    #[test]
    fn a_tree_finds_what_looking_at_everything_finds(
        layout in layout(),
        steps in proptest::collection::vec(step(), 1..200),
    ) {
        let mut tree = BoxTree::default();
        let mut plain = Plain::new();
        for step in steps.into_iter().chain([Step::Check]) {
            match step {
                Step::Set(id, at, pick) => {
                    tree.set(id, &layout.place(at, pick));
                    plain.insert(id, layout.place(at, pick));
                }
                Step::Nudge(id, by) => {
                    if let Some(aabb) = plain.get_mut(&id) {
                        *aabb = aabb.moved((by - 0.5) * 0.2);
                        tree.set(id, aabb);
                    }
                }
                Step::Remove(id) => {
                    tree.remove(id);
                    plain.remove(&id);
                }
                Step::Many(count, seed) => {
                    for id in 0..count {
                        let number = |salt: u64| {
                            let mixed = (u64::from(id) ^ seed).wrapping_add(salt).wrapping_mul(0x9e37_79b9_7f4a_7c15);
                            (mixed >> 40) as f32 / (1_u32 << 24) as f32
                        };
                        let aabb = layout.place(Vec3::new(number(1), number(2), number(3)), number(4));
                        tree.set(id, &aabb);
                        plain.insert(id, aabb);
                    }
                }
                Step::Sort => tree.sort(),
                Step::Check => {
                    tree.update();
                    check(&tree, &plain)?;
                }
            }
        }
    }

    #[test]
    fn pairs_across_trees_and_with_a_margin_equal_plain_loops(
        layout in layout(),
        places in proptest::collection::vec((0.0_f32..1.0, 0.0_f32..1.0, 0.0_f32..1.0, 0.0_f32..1.0), 0..300),
        margin in 0.0_f32..0.5,
    ) {
        let mut trees = [BoxTree::default(), BoxTree::default()];
        let mut plain = [Plain::new(), Plain::new()];
        for (number, (x, y, z, pick)) in places.into_iter().enumerate() {
            let aabb = layout.place(Vec3::new(x, y, z), pick);
            trees[number % 2].set(number as u32, &aabb);
            plain[number % 2].insert(number as u32, aabb);
        }
        trees.iter_mut().for_each(BoxTree::update);
        let mut found = Vec::new();
        trees[0].pairs_with(&trees[1], margin, |a, b| found.push((a, b)));
        found.sort_unstable();
        let mut wanted = Vec::new();
        for (&a, box_a) in &plain[0] {
            wanted.extend(plain[1].iter().filter(|(_, other)| box_a.grown(margin).touches(other)).map(|(&b, _)| (a, b)));
        }
        prop_assert_eq!(found, wanted);
        // `a` grown and `b` grown differ by rounding, so the margin of one tree is compared loosely.
        let near = |margin: f32| plain_pairs(&plain[0], margin).len();
        let count = pairs_of(&trees[0], margin).len();
        prop_assert!(near(margin - 1e-4) <= count && count <= near(margin + 1e-4));
    }
}

#[test]
fn an_empty_tree_finds_nothing() {
    let mut tree = BoxTree::default();
    let everywhere = Aabb::from_center(Vec3::ZERO, Vec3::splat(1e9));
    for _ in 0..2 {
        tree.update();
        tree.sort();
        tree.pairs(1.0, |_, _| panic!("there are no pairs"));
        tree.touching(&everywhere, |_| panic!("there are no boxes"));
        tree.pairs_with(&tree, 1.0, |_, _| panic!("there are no pairs"));
        tree.set(5, &Aabb::default());
        tree.remove(5);
    }
}

#[test]
fn movement_makes_a_tree_sort_itself_anew() {
    let mut tree = BoxTree::default();
    let at = |id: u32, spread: f32| {
        let (x, z) = ((id % 32) as f32, (id / 32) as f32);
        Aabb::from_center(Vec3::new(x, 0.0, z) * spread, Vec3::splat(0.5))
    };
    for id in 0..1024 {
        tree.set(id, &at(id, 1.0));
    }
    tree.sort();
    let fresh = tree.size();
    // Every box changes places with a distant one.
    for id in 0..1024 {
        tree.set(id, &at((id * 611) % 1024, 1.0));
    }
    tree.update();
    assert!(
        tree.size() <= fresh * MOST_GROWTH,
        "{} from {fresh}",
        tree.size()
    );
    assert_eq!(tree.loose, 0);
}

#[test]
#[should_panic(expected = "box 7 is not valid")]
fn a_box_that_is_no_box_is_refused() {
    let mut tree = BoxTree::default();
    tree.set(
        7,
        &Aabb {
            min: Vec3::NAN,
            max: Vec3::ONE,
        },
    );
}

#[test]
fn infinite_and_huge_regions_find_every_box_and_nothing_else() {
    for count in [0_u32, 1, 7, 8, 9, 300] {
        let mut tree = BoxTree::default();
        for id in 0..count {
            let at = Vec3::splat(id as f32 * 3.0 - 200.0);
            tree.set(id, &Aabb::from_corner(at, Vec3::ONE));
        }
        tree.update();
        for reach in [1e9, f32::MAX, f32::INFINITY] {
            let all = Aabb {
                min: Vec3::splat(-reach),
                max: Vec3::splat(reach),
            };
            let mut found = Vec::new();
            tree.touching(&all, |id| found.push(id));
            found.sort_unstable();
            assert!(found.iter().copied().eq(0..count), "{reach}: {found:?}");
            let mut pairs = 0;
            tree.pairs(reach, |a, b| {
                assert!(a < count && b < count && a != b);
                pairs += 1;
            });
            assert_eq!(pairs, count * count.saturating_sub(1) / 2);
            let mut across = 0;
            tree.pairs_with(&tree.clone(), reach, |_, _| across += 1);
            assert_eq!(across, count * count);
        }
        tree.touching(
            &Aabb {
                min: Vec3::NAN,
                max: Vec3::NAN,
            },
            |id| panic!("{id} is nowhere"),
        );
        tree.pairs(f32::NAN, |a, b| panic!("{a} and {b} are not near"));
    }
}

/// Ids far apart take no room for those between them, and are found like all others.
#[test]
fn ids_may_lie_anywhere() {
    let mut tree = BoxTree::default();
    let ids: Vec<u32> = (0..200)
        .flat_map(|number| [number, 70_000 + number * 3, u32::MAX - number])
        .collect();
    let place = |id: u32| Aabb::from_corner(Vec3::X * (id % 1_009) as f32 * 2.0, Vec3::ONE);
    for &id in &ids {
        tree.set(id, &place(id));
    }
    for sorted in [false, true] {
        if sorted {
            tree.sort();
        }
        tree.update();
        assert_eq!(tree.len(), ids.len());
        assert!(ids.iter().all(|&id| tree.get(id) == Some(place(id))));
        let mut found = Vec::new();
        tree.touching(&Aabb::from_center(Vec3::ZERO, Vec3::splat(1e6)), |id| {
            found.push(id)
        });
        found.sort_unstable();
        let mut wanted = ids.clone();
        wanted.sort_unstable();
        assert_eq!(found, wanted);
    }
    tree.move_all(|id| place(id).moved(Vec3::Y));
    assert_eq!(tree.get(u32::MAX), Some(place(u32::MAX).moved(Vec3::Y)));
    // Ids that were far become near as the tree grows.
    for id in 200..20_000 {
        tree.set(id, &place(id));
    }
    tree.update();
    assert_eq!(tree.get(70_003), Some(place(70_003).moved(Vec3::Y)));
    for &id in &ids {
        tree.remove(id);
        assert_eq!(tree.get(id), None);
    }
    assert_eq!(tree.len(), 19_800);
    assert!(tree.lanes.listed() < 200_000);
}

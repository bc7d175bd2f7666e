use super::*;
use glam::Vec3;
use proptest::prelude::*;

fn entry(number: usize, aabb: Aabb) -> BoxEntry {
    BoxEntry {
        aabb,
        entity: crate::World::new().spawn_numbered(number),
        layer: Layer::default(),
        is_sensor: false,
        is_obstacle: true,
    }
}

impl crate::World {
    /// An id with a given index.
    fn spawn_numbered(&mut self, number: usize) -> Entity {
        (0..number).for_each(|_| {
            self.spawn((0_u8,));
        });
        self.spawn((0_u8,))
    }
}

fn aabbs() -> impl Strategy<Value = Vec<Aabb>> {
    let number = || (-20_i8..20).prop_map(f32::from);
    let size = || prop_oneof![Just(0.0_f32), 0.0_f32..3.0, 10.0_f32..30.0];
    let one = ([number(), number(), number()], [size(), size(), size()])
        .prop_map(|(corner, size)| Aabb::from_corner(corner.into(), size.into()));
    proptest::collection::vec(one, 0..40)
}

fn list(aabbs: &[Aabb]) -> BoxList {
    let mut list = BoxList::default();
    list.refill(
        aabbs
            .iter()
            .enumerate()
            .map(|(number, aabb)| entry(number, *aabb)),
    );
    list
}

proptest! {
    #[test]
    fn pairs_equal_brute_force(aabbs in aabbs(), margin in prop_oneof![Just(0.0_f32), 0.0_f32..2.0]) {
        let mut found = Vec::new();
        list(&aabbs).pairs(&Layers::default(), margin, |a, b| {
            found.push((a.entity.index().min(b.entity.index()), a.entity.index().max(b.entity.index())));
        });
        found.sort_unstable();
        let mut expected = Vec::new();
        for (a, first) in (0_u32..).zip(&aabbs) {
            for (b, second) in (0_u32..).zip(&aabbs).skip(a as usize + 1) {
                // The margin goes to either box: their sum rounds differently by an ulp at most, and boxes lie on a grid.
                let by_first = first.grown(margin).touches(second);
                let by_second = second.grown(margin).touches(first);
                prop_assume!(by_first == by_second);
                if by_first {
                    expected.push((a, b));
                }
            }
        }
        prop_assert_eq!(found, expected);
    }

    #[test]
    fn neighbours_equal_brute_force(aabbs in aabbs(), region in aabbs()) {
        let list = list(&aabbs);
        for region in region {
            let mut found: Vec<u32> = list.touching(region).map(|entry| entry.entity.index()).collect();
            found.sort_unstable();
            let expected: Vec<u32> = (0..)
                .zip(&aabbs)
                .filter(|(_, aabb)| aabb.touches(&region))
                .map(|(number, _)| number)
                .collect();
            prop_assert_eq!(found, expected);
        }
    }
}

#[test]
fn boxes_that_are_not_finite_touch_nothing_and_hide_nothing() {
    let unit = Aabb::from_corner(Vec3::ZERO, Vec3::ONE);
    let odd = [
        Aabb {
            min: Vec3::NAN,
            max: Vec3::NAN,
        },
        Aabb {
            min: Vec3::NEG_INFINITY,
            max: Vec3::INFINITY,
        },
    ];
    let list = list(&[unit, odd[0], unit, odd[1]]);
    let mut pairs = 0;
    list.pairs(&Layers::default(), 0.0, |_, _| pairs += 1);
    assert_eq!(pairs, 1);
}

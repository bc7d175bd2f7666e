use crate::prelude::*;
use proptest::prelude::*;

/// A crane with a trolley and two lamps, a hook below the trolley, and a crate that stands alone.
fn world() -> (World, Vec<Entity>) {
    let mut world = World::new();
    crate::space::install(&mut world).expect("its names are free");
    let ids: Vec<Entity> = (0..6)
        .map(|_| world.spawn((Transform::default(),)))
        .collect();
    for (child, parent) in [(1, 0), (2, 0), (3, 0), (4, 1)] {
        world.link(ids[child], ids[parent]).expect("both are alive");
    }
    (world, ids)
}

proptest! {
    /// An entity gets the links of another one. The snapshot is refused unless the two are equal, and nothing changes.
    #[test]
    fn links_of_other_entities_are_refused(from in 0_usize..6, to in 0_usize..6) {
        let (mut world, ids) = world();
        let whole = world.snapshot().expect("all is registered");
        let mut forged = whole.clone();
        let links = whole.values[&ids[from]].get("links").cloned();
        let target = forged.values.get_mut(&ids[to]).expect("it is alive");
        match links {
            Some(links) => drop(target.insert("links".into(), links)),
            None => drop(target.remove("links")),
        }
        let restored = world.restore(&forged);
        match forged.digest() == whole.digest() {
            true => restored.expect("nothing was forged"),
            false => {
                let error = restored.expect_err("the links contradict each other");
                prop_assert!(error.entity().is_some(), "{error}");
            }
        }
        prop_assert_eq!(world.digest().expect("all is registered"), whole.digest());
    }
}

#[test]
fn a_cycle_of_parents_is_refused() {
    let mut world = World::new();
    crate::space::install(&mut world).expect("its names are free");
    let ids: Vec<Entity> = (0..4)
        .map(|_| world.spawn((Transform::default(),)))
        .collect();
    world.link(ids[1], ids[0]).expect("both are alive");
    world.link(ids[3], ids[2]).expect("both are alive");
    let mut forged = world.snapshot().expect("all is registered");
    // The first two, each the only child of the other.
    let (one, other) = (ids[0], ids[1]);
    for (own, linked) in [(one, other), (other, one)] {
        let node = super::LinkNode {
            parent: Some(linked),
            first_child: Some(linked),
            last_child: Some(linked),
            ..Default::default()
        };
        forged.put(own, "links", &node);
    }
    let error = world.restore(&forged).expect_err("it never ends");
    assert!(error.to_string().contains("form a cycle"), "{error}");
}

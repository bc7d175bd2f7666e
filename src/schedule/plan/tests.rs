use super::*;
use crate::schedule::rules::OrderWord;
use crate::schedule::system::System;
use crate::store::{Global, GlobalMut};
use proptest::prelude::*;

/// The stated order and the access of a made-up system.
#[derive(Clone, Debug, Default)]
struct Made {
    after: Vec<usize>,
    before: Vec<usize>,
    /// Of five globals: read, written.
    reads: [bool; 5],
    writes: [bool; 5],
}

struct Slot<const N: usize>;

fn access_of(made: &Made) -> Access {
    let mut access = Access::default();
    fn take<const N: usize>(made: &Made, access: &mut Access) {
        let claimed = match (made.writes[N], made.reads[N]) {
            (true, _) => {
                System::named("x")
                    .takes::<GlobalMut<Slot<N>>>()
                    .runs(|_| ())
                    .access
            }
            (false, true) => {
                System::named("x")
                    .takes::<Global<Slot<N>>>()
                    .runs(|_| ())
                    .access
            }
            (false, false) => return,
        };
        access.join(&claimed);
    }
    take::<0>(made, &mut access);
    take::<1>(made, &mut access);
    take::<2>(made, &mut access);
    take::<3>(made, &mut access);
    take::<4>(made, &mut access);
    access
}

fn made() -> impl Strategy<Value = Vec<Made>> {
    let one = |count: usize| {
        let few = proptest::collection::vec(0..count, 0..2);
        let some = proptest::array::uniform5(proptest::bool::weighted(0.2));
        (few.clone(), few, some, some).prop_map(|(after, before, reads, writes)| Made {
            after,
            before,
            reads,
            writes,
        })
    };
    (2_usize..14).prop_flat_map(move |count| proptest::collection::vec(one(count), count))
}

fn name(number: usize) -> String {
    format!("s{number}")
}

fn plan(systems: &[Made]) -> Result<PhasePlan, Error> {
    let names: Vec<String> = (0..systems.len()).map(name).collect();
    let accesses: Vec<Access> = systems.iter().map(access_of).collect();
    let orders: Vec<Vec<OrderWish>> = systems
        .iter()
        .map(|made| {
            let wish = |word, &target: &usize| OrderWish {
                word,
                target: name(target),
            };
            let after = made.after.iter().map(|at| wish(OrderWord::After, at));
            let before = made.before.iter().map(|at| wish(OrderWord::Before, at));
            after.chain(before).collect()
        })
        .collect();
    let candidates: Vec<Candidate<'_>> = (0..systems.len())
        .map(|at| Candidate {
            name: &names[at],
            labels: &[],
            orders: &orders[at],
            access: &accesses[at],
        })
        .collect();
    let all = [(Phase::Simulate, candidates)];
    Ok(Plan::new(&all)?.phases.remove(0))
}

/// The stated pairs, plainly.
fn stated(systems: &[Made]) -> Vec<(usize, usize)> {
    let mut pairs = Vec::new();
    for (at, made) in systems.iter().enumerate() {
        pairs.extend(made.after.iter().map(|&first| (first, at)));
        pairs.extend(made.before.iter().map(|&second| (at, second)));
    }
    pairs
}

/// Who is reached from whom, by trying every way (Warshall).
fn closure(count: usize, pairs: &[(usize, usize)]) -> Vec<Vec<bool>> {
    let mut reaches = vec![vec![false; count]; count];
    for &(first, second) in pairs {
        reaches[first][second] = true;
    }
    for via in 0..count {
        for from in 0..count {
            for to in 0..count {
                reaches[from][to] |= reaches[from][via] && reaches[via][to];
            }
        }
    }
    reaches
}

fn clash(a: &Made, b: &Made) -> bool {
    (0..5).any(|slot| {
        let used = |made: &Made| made.reads[slot] || made.writes[slot];
        used(a) && used(b) && (a.writes[slot] || b.writes[slot])
    })
}

proptest! {
    #[test]
    fn a_plan_keeps_every_order_and_only_follows_from_its_edges(systems in made()) {
        let count = systems.len();
        let pairs = stated(&systems);
        let reaches = closure(count, &pairs);
        let is_circle = (0..count).any(|at| reaches[at][at]);
        let planned = plan(&systems);
        if is_circle {
            let error = planned.expect_err("a circle cannot be planned");
            prop_assert!(error.is_cycle());
            // The circle that is shown is one: each step of it is stated.
            let message = error.to_string();
            let circle = message.split("circle: ").nth(1).and_then(|rest| rest.split(';').next());
            let path: Vec<usize> = circle
                .expect("the message shows it")
                .split(" → ")
                .map(|name| name[1..].parse().expect("a name of ours"))
                .collect();
            prop_assert!(path.len() >= 2 && path.first() == path.last());
            for step in path.windows(2) {
                prop_assert!(pairs.contains(&(step[0], step[1])), "{message}");
            }
            return Ok(());
        }
        let planned = planned.expect("nothing is in the way");
        let number = |name: &str| name[1..].parse::<usize>().expect("a name of ours");
        let sequence: Vec<usize> = planned.sequence().map(number).collect();
        let place = |system: usize| sequence.iter().position(|&at| at == system).expect("all are in it");
        for &(first, second) in &pairs {
            prop_assert!(place(first) < place(second));
        }
        let edges: Vec<(usize, usize)> = planned
            .edges()
            .map(|edge| (number(edge.first()), number(edge.second())))
            .collect();
        let ordered = closure(count, &edges);
        for first in 0..count {
            for second in 0..count {
                // What the edges imply is what the plan says.
                prop_assert_eq!(ordered[first][second], planned.order.is_before(first, second));
                if first < second && clash(&systems[first], &systems[second]) {
                    prop_assert!(ordered[first][second] || ordered[second][first], "clashing systems are ordered");
                }
                if first < second && pairs.is_empty() {
                    prop_assert!(!ordered[second][first], "nothing states the reverse");
                }
            }
        }
        // No edge follows from others.
        for (at, &edge) in edges.iter().enumerate() {
            let mut others = edges.clone();
            others.remove(at);
            prop_assert!(!closure(count, &others)[edge.0][edge.1], "an edge too many");
        }
        // Every reason is true.
        for edge in planned.edges() {
            let (first, second) = (number(edge.first()), number(edge.second()));
            match edge.reason() {
                Reason::Stated { .. } => prop_assert!(pairs.contains(&(first, second))),
                Reason::Clash { uses, registered_first } => {
                    prop_assert!(!uses.is_empty() && clash(&systems[first], &systems[second]));
                    prop_assert_eq!(*registered_first, first < second);
                }
            }
        }
        // Waves: no system of a wave comes before another one of the same wave.
        for wave in planned.waves() {
            for one in &wave {
                for other in &wave {
                    prop_assert!(!planned.order.is_before(number(one), number(other)));
                }
            }
        }
        // A chain of reasons is a chain.
        for (first, ordered) in ordered.iter().enumerate() {
            for (second, &is_ordered) in ordered.iter().enumerate() {
                let why = planned.why_before(&name(first), &name(second));
                prop_assert_eq!(why.is_some(), is_ordered);
                for (step, next) in why.iter().flatten().zip(why.iter().flatten().skip(1)) {
                    prop_assert_eq!(step.second(), next.first());
                }
            }
        }
    }

    #[test]
    fn those_that_take_part_keep_their_order(systems in made(), off in proptest::collection::vec(any::<bool>(), 14)) {
        let Ok(planned) = plan(&systems) else { return Ok(()) };
        let mut wanted = FixedBitSet::with_capacity(systems.len());
        for (at, &off) in off.iter().take(systems.len()).enumerate() {
            wanted.set(at, !off);
        }
        let (sequence, direct) = planned.restricted(&wanted);
        prop_assert_eq!(sequence.len(), wanted.count_ones(..));
        let edges: Vec<(usize, usize)> = direct
            .iter()
            .enumerate()
            .flat_map(|(place, direct)| direct.iter().map(move |&before| (before as usize, place)))
            .collect();
        let ordered = closure(sequence.len(), &edges);
        for first in 0..sequence.len() {
            for second in 0..sequence.len() {
                let before = planned.order.is_before(sequence[first] as usize, sequence[second] as usize);
                prop_assert_eq!(ordered[first][second], before);
            }
        }
    }
}

fn writes(slot: usize) -> Made {
    let mut made = Made::default();
    made.writes[slot] = true;
    made
}

#[test]
fn a_clash_gives_way_to_what_is_stated_even_through_others() {
    // s2 runs before s0, and s1 clashes with both: it cannot stay between them.
    let mut systems = vec![writes(0), writes(0), writes(0)];
    systems[2].reads[1] = true;
    systems[2].before = vec![0];
    let planned = plan(&systems).expect("it can be planned");
    assert_eq!(planned.sequence().collect::<Vec<_>>(), ["s2", "s0", "s1"]);
    let clashes: Vec<String> = planned
        .unstated_clashes()
        .map(|edge| edge.to_string())
        .collect();
    assert_eq!(
        clashes,
        [
            "`s0` and `s1` write global Slot<0>; registered first",
            "`s2` and `s1` write global Slot<0>; registered later, but ordered so through others",
        ]
    );
}

#[test]
fn the_longest_chain_is_found_by_weight() {
    let mut systems = vec![writes(0), writes(0), writes(1), writes(2)];
    systems[3].after = vec![2];
    let planned = plan(&systems).expect("it can be planned");
    assert_eq!(
        planned.longest_chain(&[1.0, 2.0, 4.0, 0.5]),
        (vec![2, 3], 4.5)
    );
    assert_eq!(
        planned.longest_chain(&[9.0, 2.0, 4.0, 0.5]),
        (vec![0, 1], 11.0)
    );
}

/// An order names a system by its name or a label, and no other system.
#[test]
fn an_order_applies_to_the_named_system_alone() {
    let mut runtime = crate::Runtime::bare();
    for name in ["sway", "stow", "lash"] {
        let system = System::named(name).label(&format!("{name} group"));
        let system = system.takes::<()>().runs(|()| ());
        runtime.add_system(system).expect("its name is free");
    }
    let last = System::named("count").after("stow").before("lash group");
    let last = last.takes::<()>().runs(|()| ());
    runtime.add_system(last).expect("its name is free");
    let plan = runtime.schedule().plan().expect("no cycle");
    let simulate = plan.phase(Phase::Simulate).expect("it has systems");
    let edges: Vec<_> = simulate
        .edges()
        .map(|edge| (edge.first(), edge.second()))
        .collect();
    assert_eq!(edges, [("stow", "count"), ("count", "lash")]);
}

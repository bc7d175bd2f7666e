//! Contacts compared with a check of every pair, while colliders come, go, move and are switched.

use gerust::collide::{MapPlane, TileGrid};
use gerust::prelude::*;
use proptest::prelude::*;
use std::collections::BTreeMap;

fn cube(half: f32) -> Aabb {
    Aabb::from_center(Vec3::ZERO, Vec3::splat(half))
}

fn weightless() -> Runtime {
    let mut runtime = Runtime::new();
    runtime.world_mut().set_global(Gravity(Vec3::ZERO));
    runtime
}

#[derive(Clone, Debug)]
enum Step {
    Spawn {
        at: Vec3,
        half: Vec3,
        layer: usize,
        kind: usize,
    },
    Despawn(usize),
    Move(usize, Vec3),
    MoveAll(Vec3),
    Turn(usize, f32),
    Switch(usize, bool),
    Detach(usize),
    BodyKind(usize, usize),
    NextSet(usize),
    Meet(usize, usize, bool),
    Frame,
}

/// Where things lie: spread out, in a heap, along a line, at one point.
fn place() -> impl Strategy<Value = Vec3> {
    let vector = |size: f32| (-size..size, -size..size, -size..size).prop_map(Vec3::from);
    prop_oneof![
        vector(12.0),
        vector(1.0),
        (-12.0_f32..12.0).prop_map(|x| Vec3::X * x),
        Just(Vec3::ZERO),
        // Whole numbers: faces that are flush.
        vector(3.0).prop_map(Vec3::round),
    ]
}

fn step() -> impl Strategy<Value = Step> {
    let half = || {
        let side = || prop_oneof![Just(0.5_f32), 0.1_f32..4.0];
        (side(), side(), side()).prop_map(Vec3::from)
    };
    let pick = || any::<usize>();
    prop_oneof![
        30 => (place(), half(), 0..LAYERS, 0..KINDS).prop_map(|(at, half, layer, kind)| Step::Spawn { at, half, layer, kind }),
        4 => pick().prop_map(Step::Despawn),
        10 => (pick(), place()).prop_map(|(which, by)| Step::Move(which, by)),
        1 => place().prop_map(Step::MoveAll),
        4 => (pick(), 0.0_f32..6.0).prop_map(|(which, angle)| Step::Turn(which, angle)),
        4 => (pick(), any::<bool>()).prop_map(|(which, on)| Step::Switch(which, on)),
        1 => pick().prop_map(Step::Detach),
        4 => (pick(), 0..4_usize).prop_map(|(which, kind)| Step::BodyKind(which, kind)),
        4 => pick().prop_map(Step::NextSet),
        1 => (0..LAYERS, 0..LAYERS, any::<bool>()).prop_map(|(a, b, meet)| Step::Meet(a, b, meet)),
        8 => Just(Step::Frame),
    ]
}

const LAYERS: usize = 3;
const KINDS: usize = 4;

struct Model {
    runtime: Runtime,
    layers: [Layer; LAYERS],
    ids: Vec<Entity>,
    known: BTreeMap<(Entity, Entity), u64>,
    frame: u64,
}

/// Nothing moves it.
fn floating() -> Body {
    let body = Body::dynamic().with_mass(f32::INFINITY);
    body.with_gravity_scale(0.0)
}

fn collider(half: Vec3, layer: Layer, kind: usize) -> Collider {
    let own = Aabb::from_center(Vec3::ZERO, half);
    let aside = Aabb::from_center(Vec3::X * 2.0, half * 0.5);
    let collider = match kind {
        0 => Collider::solid(own),
        1 => Collider::sensor(own).upright(),
        2 => Collider::solid(own).with_box(aside).with_set("folded", []),
        _ => {
            let grid = TileGrid::from_rows(["#.#", "##."], half * 2.0, MapPlane::Ground);
            Collider::tiles(grid.expect("it has tiles"))
        }
    };
    collider.in_layer(layer)
}

impl Model {
    fn new() -> Self {
        let mut runtime = Runtime::new();
        let layers = runtime
            .world_mut()
            .global_mut::<Layers>()
            .expect("always there");
        let layers = ["a", "b", "c"].map(|name| layers.add(name).expect("there is room"));
        let mut model = Self {
            runtime,
            layers,
            ids: Vec::new(),
            known: BTreeMap::new(),
            frame: 0,
        };
        model.crowd();
        model
    }

    /// Enough of each class that a change of one leaves most of its class as it is.
    fn crowd(&mut self) {
        let motions = [Motion::Static, Motion::Kinematic, Motion::Dynamic];
        for number in 0..75_u8 {
            let (x, z) = (f32::from(number % 9), f32::from(number / 9));
            let place = Transform::at(x * 1.3 - 6.0, 0.0, z * 1.3 - 6.0);
            let collider = collider(Vec3::splat(0.5), Layer::default(), 0);
            let mut body = floating();
            body.motion = motions[usize::from(number % 3)];
            let world = self.runtime.world_mut();
            self.ids.push(world.spawn((place, collider, body)));
        }
    }

    fn pick(&self, which: usize) -> Option<Entity> {
        (!self.ids.is_empty()).then(|| self.ids[which % self.ids.len()])
    }

    fn step(&mut self, step: Step) -> Result<(), TestCaseError> {
        let layers = self.layers;
        let picked = match step {
            Step::Despawn(which)
            | Step::Move(which, _)
            | Step::Turn(which, _)
            | Step::Switch(which, _)
            | Step::Detach(which)
            | Step::BodyKind(which, _)
            | Step::NextSet(which) => match self.pick(which) {
                None => return Ok(()),
                picked => picked,
            },
            _ => None,
        };
        let world = self.runtime.world_mut();
        match (step, picked) {
            (
                Step::Spawn {
                    at,
                    half,
                    layer,
                    kind,
                },
                _,
            ) => {
                let collider = collider(half, layers[layer], kind);
                self.ids
                    .push(world.spawn((Transform::at(at.x, at.y, at.z), collider)));
            }
            (Step::Despawn(_), Some(id)) => {
                world.despawn(id).expect("it is alive");
                self.ids.retain(|&other| other != id);
            }
            (Step::Move(_, by), Some(id)) => {
                world
                    .get_mut::<Transform>(id)
                    .expect("it is alive")
                    .translation += by * 0.3;
            }
            (Step::MoveAll(by), _) => {
                for transform in world.rows_mut::<&mut Transform>().iter_mut() {
                    transform.translation += by;
                }
            }
            (Step::Turn(_, angle), Some(id)) => {
                world
                    .get_mut::<Transform>(id)
                    .expect("it is alive")
                    .rotation = Quat::from_rotation_z(angle);
            }
            (Step::Switch(_, on), Some(id)) => {
                if world.has::<Collider>(id) {
                    world
                        .get_mut::<Collider>(id)
                        .expect("it has one")
                        .set_on(on);
                }
            }
            (Step::Detach(_), Some(id)) => {
                if world.has::<Collider>(id) {
                    world.detach::<Collider>(id).expect("it has one");
                }
            }
            (Step::BodyKind(_, kind), Some(id)) => {
                let body = match kind {
                    0 => Body::immovable(),
                    1 => Body::kinematic(Vec3::ZERO),
                    2 => floating(),
                    _ => {
                        if world.has::<Body>(id) {
                            world.detach::<Body>(id).expect("it has one");
                        }
                        return Ok(());
                    }
                };
                let is_grid = |collider: &Collider| collider.grid().is_some();
                let has_grid = world
                    .get::<Collider>(id)
                    .is_ok_and(|collider| is_grid(&collider));
                if !(has_grid && kind == 2) {
                    world.attach(id, body).expect("it is alive");
                }
            }
            (Step::NextSet(_), Some(id)) => {
                if let Ok(collider) = world.get_mut::<Collider>(id)
                    && collider.set_names().len() > 1
                {
                    let next = if collider.current_set() == "folded" {
                        "default"
                    } else {
                        "folded"
                    };
                    collider.switch_to(next).expect("there is such a set");
                }
            }
            (Step::Meet(a, b, meet), _) => {
                let known = world.global_mut::<Layers>().expect("always there");
                match meet {
                    true => known.meet(layers[a], layers[b]),
                    false => known.part(layers[a], layers[b]),
                }
                .expect("they are layers of this world");
            }
            (Step::Frame, _) => self.frame()?,
            _ => unreachable!("an entity was picked before"),
        }
        Ok(())
    }

    /// Runs a frame and compares what it found with looking at every pair.
    fn frame(&mut self) -> Result<(), TestCaseError> {
        self.runtime.run_frames(1).expect("nothing fails");
        self.frame += 1;
        let world = self.runtime.world();
        let boxes = world
            .global::<gerust::collide::Boxes>()
            .expect("always there");
        let layers = world.global::<Layers>().expect("always there");
        let contacts = world.global::<Contacts>().expect("always there");
        let mut wanted = Vec::new();
        let mut ids = self.ids.clone();
        ids.sort();
        let parts: Vec<Vec<Aabb>> = ids.iter().map(|&id| boxes.of(id)).collect();
        for (a, &first) in ids.iter().enumerate() {
            for (b, &second) in ids.iter().enumerate().skip(a + 1) {
                let near = |own: &Aabb, other: &Aabb| own.depth(other).min_element() >= -0.001;
                let touches = parts[a]
                    .iter()
                    .any(|own| parts[b].iter().any(|other| near(own, other)));
                let layer = |id| world.get::<Collider>(id).map(|collider| collider.layer());
                if touches
                    && layers.do_meet(
                        layer(first).expect("it has one"),
                        layer(second).expect("it has one"),
                    )
                {
                    wanted.push((first, second));
                }
            }
        }
        let pair = |contact: &Contact| (contact.first, contact.second);
        let found: Vec<_> = contacts.iter().map(pair).collect();
        prop_assert_eq!(&found, &wanted);
        // Events tell exactly what has changed, and the table since when.
        let mut posted = world.posted::<Contact>();
        // A collider that was moved past a body has met it; such pairs come last.
        let brief: Vec<_> = contacts.brief().map(pair).collect();
        let passed = posted.split_off(posted.len() - 2 * brief.len());
        prop_assert!(passed.iter().all(|contact| brief.contains(&pair(contact))));
        prop_assert!(brief.iter().all(|pair| !found.contains(pair)));
        let pairs = |state| -> Vec<(Entity, Entity)> {
            let those = posted.iter().filter(|contact| contact.state == state);
            those.map(pair).collect()
        };
        let begun: Vec<_> = found
            .iter()
            .copied()
            .filter(|pair| !self.known.contains_key(pair))
            .collect();
        let ended: Vec<_> = self
            .known
            .keys()
            .copied()
            .filter(|pair| !found.contains(pair))
            .collect();
        prop_assert_eq!(pairs(ContactState::Began), begun);
        prop_assert_eq!(pairs(ContactState::Ended), ended);
        prop_assert!(pairs(ContactState::Held).is_empty());
        prop_assert!(posted.is_sorted_by_key(pair));
        self.known.retain(|pair, _| found.contains(pair));
        for contact in contacts.iter() {
            let pair = (contact.first, contact.second);
            let since = *self.known.entry(pair).or_insert(self.frame);
            prop_assert_eq!(contact.since, since);
            let state = if since == self.frame {
                ContactState::Began
            } else {
                ContactState::Held
            };
            prop_assert_eq!(contact.state, state);
            prop_assert_eq!(
                contacts.between(contact.second, contact.first),
                Some(contact)
            );
        }
        for &id in &ids {
            let of: Vec<Entity> = contacts.of(id).map(|touching| touching.other).collect();
            let partner = |&(a, b): &(Entity, Entity)| match () {
                () if a == id => Some(b),
                () if b == id => Some(a),
                () => None,
            };
            let mut partners: Vec<Entity> = found.iter().filter_map(partner).collect();
            partners.sort();
            prop_assert_eq!(of, partners);
        }
        Ok(())
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn contacts_are_what_looking_at_every_pair_finds(steps in proptest::collection::vec(step(), 1..250)) {
        let mut model = Model::new();
        for step in steps.into_iter().chain([Step::Frame, Step::Frame]) {
            model.step(step)?;
        }
    }
}

#[test]
fn a_contact_of_several_boxes_is_that_of_the_deepest_two() {
    let mut runtime = Runtime::new();
    let cube = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
    let two = Collider::solid(cube).with_box(cube.moved(Vec3::X * 4.0));
    let truck = runtime.world_mut().spawn((Transform::default(), two));
    // In both: 0.2 m in the first from the right, 0.5 m in the second from above.
    let pad = Aabb::from_corners(Vec3::new(0.8, 0.5, -1.0), Vec3::new(5.0, 3.0, 1.0));
    let pad = runtime
        .world_mut()
        .spawn((Transform::default(), Collider::sensor(pad)));
    runtime.settle().expect("nothing fails");
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    let contact = contacts.between(truck, pad).expect("they touch");
    assert_eq!((contact.normal, contact.depth), (Vec3::Y, 0.5));
    assert!(contact.is_sensor && !contact.is_leftover);
}

#[test]
fn flat_gates_and_points_touch_as_any_box_does() {
    let mut runtime = Runtime::new();
    let gate = Aabb::from_center(Vec3::ZERO, Vec3::new(0.0, 1.0, 1.0));
    let gate = runtime
        .world_mut()
        .spawn((Transform::default(), Collider::sensor(gate)));
    let point = runtime
        .world_mut()
        .spawn((Transform::default(), Collider::sensor(Aabb::default())));
    runtime.settle().expect("nothing fails");
    let contacts = runtime.world().global::<Contacts>().expect("always there");
    assert!(contacts.between(gate, point).is_some());
}

#[test]
fn a_contact_begins_is_held_and_ends() {
    let mut runtime = weightless();
    let gate = runtime
        .world_mut()
        .spawn((Transform::default(), Collider::sensor(cube(1.0))));
    let truck = runtime.world_mut().spawn((
        Transform::at(-3.5, 0.0, 0.0),
        Collider::solid(cube(1.0)),
        Body::kinematic(Vec3::new(60.0, 0.0, 0.0)),
    ));
    runtime
        .world_mut()
        .global_mut::<Contacts>()
        .expect("always there")
        .set_held_events(true);
    let mut seen = Vec::new();
    for frame in 1..=8_u64 {
        runtime.run_frames(1).expect("nothing fails");
        for contact in runtime.world().posted::<Contact>() {
            assert_eq!(
                (contact.first, contact.second, contact.is_sensor),
                (gate, truck, true)
            );
            seen.push((frame, contact.state, contact.since));
        }
    }
    // One metre a frame: from -1.5 at frame 2 to 1.5 at frame 5.
    use ContactState::{Began, Ended, Held};
    assert_eq!(
        seen,
        [
            (2, Began, 2),
            (3, Held, 2),
            (4, Held, 2),
            (5, Held, 2),
            (6, Ended, 2)
        ]
    );
}

#[test]
fn a_contact_ends_when_one_of_the_two_goes_or_is_switched_off() {
    let mut runtime = weightless();
    let world = runtime.world_mut();
    let pad = world.spawn((Transform::default(), Collider::sensor(cube(1.0))));
    let gone = world.spawn((Transform::default(), Collider::solid(cube(1.0))));
    let off = world.spawn((Transform::at(0.0, 0.5, 0.0), Collider::solid(cube(1.0))));
    runtime.run_frames(1).expect("nothing fails");
    assert_eq!(
        runtime
            .world()
            .global::<Contacts>()
            .expect("always there")
            .iter()
            .len(),
        3
    );
    runtime.world_mut().despawn(gone).expect("it is alive");
    runtime
        .world_mut()
        .get_mut::<Collider>(off)
        .expect("it is alive")
        .set_on(false);
    runtime.run_frames(1).expect("nothing fails");
    let ended: Vec<_> = runtime
        .world()
        .posted::<Contact>()
        .iter()
        .map(|contact| (contact.first, contact.second, contact.state))
        .collect();
    let state = ContactState::Ended;
    assert_eq!(
        ended,
        [(pad, gone, state), (pad, off, state), (gone, off, state)]
    );
    assert_eq!(
        runtime
            .world()
            .global::<Contacts>()
            .expect("always there")
            .iter()
            .len(),
        0
    );
}

#[test]
fn there_are_at_most_32_layers() {
    let mut layers = Layers::default();
    for number in 1..32 {
        layers.add(&number.to_string()).expect("there is room");
    }
    assert_eq!(layers.add("31").ok(), layers.find("31"));
    let error = layers.add("one more").unwrap_err().to_string();
    assert!(error.contains("`one more`") && error.contains("32"));
}

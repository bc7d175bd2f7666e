//! The store compared with a plain model: after any operations the world holds the same as a `BTreeMap`.

use gerust::prelude::*;
use proptest::prelude::*;
use std::collections::BTreeMap;

#[derive(Clone, Copy, PartialEq, Debug)]
struct Tonnes(i32);
#[derive(Clone, PartialEq, Debug)]
struct Owner(String);
#[derive(Clone, Copy, PartialEq, Debug)]
struct Reefer;

#[derive(Clone, Default, PartialEq, Debug)]
struct ModelEntity {
    tonnes: Option<Tonnes>,
    owner: Option<Owner>,
    reefer: bool,
}

#[derive(Clone, Debug)]
enum Operation {
    SpawnPlain(i32),
    SpawnOwned(String, i32),
    SpawnReefer(i32),
    Despawn(usize),
    AttachTonnes(usize, i32),
    AttachOwner(usize, String),
    AttachReefer(usize),
    DetachTonnes(usize),
    DetachOwner(usize),
    DetachReefer(usize),
    WriteTonnes(usize, i32),
    AddToAll(i32),
    AddToReefers(i32),
    SpawnMany(Vec<i32>),
    DespawnMany(Vec<usize>),
    AttachMany(Vec<(usize, i32)>),
    DetachMany(Vec<usize>),
    SwapTwo(usize, usize),
}

fn operation() -> impl Strategy<Value = Operation> {
    use Operation::*;
    // Positions among all ids that were ever handed out, so that stale ones come up as well.
    let id = 0_usize..40;
    let number = -1000_i32..1000;
    prop_oneof![
        number.clone().prop_map(SpawnPlain),
        ("[a-z]{1,4}", number.clone()).prop_map(|(owner, number)| SpawnOwned(owner, number)),
        number.clone().prop_map(SpawnReefer),
        id.clone().prop_map(Despawn),
        (id.clone(), number.clone()).prop_map(|(id, number)| AttachTonnes(id, number)),
        (id.clone(), "[a-z]{1,4}").prop_map(|(id, owner)| AttachOwner(id, owner)),
        id.clone().prop_map(AttachReefer),
        id.clone().prop_map(DetachTonnes),
        id.clone().prop_map(DetachOwner),
        id.clone().prop_map(DetachReefer),
        (id, number.clone()).prop_map(|(id, number)| WriteTonnes(id, number)),
        number.clone().prop_map(AddToAll),
        number.clone().prop_map(AddToReefers),
        proptest::collection::vec(number.clone(), 0..6).prop_map(SpawnMany),
        proptest::collection::vec(0_usize..40, 0..8).prop_map(DespawnMany),
        proptest::collection::vec((0_usize..40, number), 0..8).prop_map(AttachMany),
        proptest::collection::vec(0_usize..40, 0..8).prop_map(DetachMany),
        (0_usize..40, 0_usize..40).prop_map(|(a, b)| SwapTwo(a, b)),
    ]
}

#[derive(Default)]
struct Pair {
    world: World,
    model: BTreeMap<Entity, ModelEntity>,
    ever: Vec<Entity>,
}

impl Pair {
    fn add(&mut self, entity: Entity, model: ModelEntity) {
        assert!(
            self.model.insert(entity, model).is_none(),
            "{entity} was handed out twice"
        );
        self.ever.push(entity);
    }

    /// The id at a position, and what the model knows of it; nothing before the first spawn.
    fn pick(&mut self, at: usize) -> Option<(Entity, Option<&mut ModelEntity>)> {
        let entity = *self.ever.get(at % self.ever.len().max(1))?;
        Some((entity, self.model.get_mut(&entity)))
    }

    fn attach<T: Component + PartialEq + std::fmt::Debug>(
        &mut self,
        at: usize,
        value: T,
        replace: impl FnOnce(&mut ModelEntity) -> Option<T>,
    ) {
        let Some((entity, model)) = self.pick(at) else {
            return;
        };
        let expected = model.map(replace);
        let got = self.world.attach(entity, value);
        match expected {
            Some(before) => assert_eq!(got.expect("it is alive"), before),
            None => assert!(got.unwrap_err().is_stale_entity()),
        }
    }

    fn detach<T: Component + PartialEq + std::fmt::Debug>(
        &mut self,
        at: usize,
        take: impl FnOnce(&mut ModelEntity) -> Option<T>,
    ) {
        let Some((entity, model)) = self.pick(at) else {
            return;
        };
        let expected = model.map(take);
        let got = self.world.detach::<T>(entity);
        match expected {
            Some(before) => assert_eq!(got.expect("it is alive"), before),
            None => assert!(got.unwrap_err().is_stale_entity()),
        }
    }

    fn carry_out(&mut self, operation: Operation) {
        match operation {
            Operation::SpawnPlain(number) => {
                let entity = self.world.spawn((Tonnes(number),));
                let tonnes = Some(Tonnes(number));
                self.add(
                    entity,
                    ModelEntity {
                        tonnes,
                        ..ModelEntity::default()
                    },
                );
            }
            Operation::SpawnOwned(owner, number) => {
                let owner = Owner(owner);
                let entity = self.world.spawn((owner.clone(), Tonnes(number)));
                let tonnes = Some(Tonnes(number));
                self.add(
                    entity,
                    ModelEntity {
                        tonnes,
                        owner: Some(owner),
                        reefer: false,
                    },
                );
            }
            Operation::SpawnReefer(number) => {
                // The other order of the same members must lead to the same table.
                let entity = self.world.spawn((Reefer, Tonnes(number)));
                let tonnes = Some(Tonnes(number));
                self.add(
                    entity,
                    ModelEntity {
                        tonnes,
                        owner: None,
                        reefer: true,
                    },
                );
            }
            Operation::Despawn(at) => {
                let Some((entity, _)) = self.pick(at) else {
                    return;
                };
                let was_alive = self.model.remove(&entity).is_some();
                assert_eq!(self.world.despawn(entity).is_ok(), was_alive);
            }
            Operation::AttachTonnes(at, number) => {
                self.attach(at, Tonnes(number), |model| {
                    model.tonnes.replace(Tonnes(number))
                });
            }
            Operation::AttachOwner(at, owner) => {
                let owner = Owner(owner);
                self.attach(at, owner.clone(), |model| model.owner.replace(owner));
            }
            Operation::AttachReefer(at) => self.attach(at, Reefer, |model| {
                std::mem::replace(&mut model.reefer, true).then_some(Reefer)
            }),
            Operation::DetachTonnes(at) => self.detach(at, |model| model.tonnes.take()),
            Operation::DetachOwner(at) => self.detach(at, |model| model.owner.take()),
            Operation::DetachReefer(at) => self.detach(at, |model| {
                std::mem::replace(&mut model.reefer, false).then_some(Reefer)
            }),
            Operation::WriteTonnes(at, number) => {
                let Some((entity, model)) = self.pick(at) else {
                    return;
                };
                let present = model.and_then(|model| model.tonnes.as_mut());
                let expected = present.map(|tonnes| tonnes.0 = number);
                let got = self
                    .world
                    .get_mut::<Tonnes>(entity)
                    .map(|tonnes| tonnes.0 = number);
                assert_eq!(got.ok(), expected);
            }
            Operation::AddToAll(number) => {
                self.world
                    .rows_mut::<&mut Tonnes>()
                    .each(|tonnes| tonnes.0 += number);
                for tonnes in self
                    .model
                    .values_mut()
                    .filter_map(|model| model.tonnes.as_mut())
                {
                    tonnes.0 += number;
                }
            }
            Operation::AddToReefers(number) => {
                let mut rows = self
                    .world
                    .rows_mut_where::<&mut Tonnes, (Having<Reefer>, Lacking<Owner>)>();
                for tonnes in rows.iter_mut() {
                    tonnes.0 += number;
                }
                for model in self
                    .model
                    .values_mut()
                    .filter(|model| model.reefer && model.owner.is_none())
                {
                    if let Some(tonnes) = &mut model.tonnes {
                        tonnes.0 += number;
                    }
                }
            }
            batch => self.carry_out_batch(batch),
        }
    }

    fn carry_out_batch(&mut self, operation: Operation) {
        let ids = |ever: &[Entity], at: &[usize]| -> Vec<Entity> {
            at.iter()
                .filter_map(|at| ever.get(at % ever.len().max(1)).copied())
                .collect()
        };
        match operation {
            Operation::SpawnMany(numbers) => {
                let spawned = self
                    .world
                    .spawn_many(numbers.iter().map(|&number| (Tonnes(number),)));
                assert_eq!(spawned.len(), numbers.len());
                for (entity, number) in spawned.into_iter().zip(numbers) {
                    let tonnes = Some(Tonnes(number));
                    self.add(
                        entity,
                        ModelEntity {
                            tonnes,
                            ..ModelEntity::default()
                        },
                    );
                }
            }
            Operation::DespawnMany(at) => {
                let ids = ids(&self.ever, &at);
                let alive = ids
                    .iter()
                    .filter(|id| self.model.remove(id).is_some())
                    .count();
                assert_eq!(self.world.despawn_many(ids), alive);
            }
            Operation::AttachMany(pairs) => {
                let at: Vec<usize> = pairs.iter().map(|&(at, _)| at).collect();
                let ids = ids(&self.ever, &at);
                let many: Vec<_> = ids
                    .into_iter()
                    .zip(pairs.iter().map(|&(_, number)| Tonnes(number)))
                    .collect();
                let mut alive = 0;
                for &(id, tonnes) in &many {
                    if let Some(model) = self.model.get_mut(&id) {
                        model.tonnes = Some(tonnes);
                        alive += 1;
                    }
                }
                assert_eq!(self.world.attach_many(many), alive);
            }
            Operation::DetachMany(at) => {
                let ids = ids(&self.ever, &at);
                let mut had = 0;
                for id in &ids {
                    had += usize::from(
                        self.model
                            .get_mut(id)
                            .is_some_and(|model| model.tonnes.take().is_some()),
                    );
                }
                assert_eq!(self.world.detach_many::<Tonnes>(ids), had);
            }
            Operation::SwapTwo(a, b) => {
                let pair = ids(&self.ever, &[a, b]);
                let &[a, b] = pair.as_slice() else { return };
                let tonnes = |id: &Entity| self.model.get(id).and_then(|model| model.tonnes);
                let expected = if a == b {
                    None
                } else {
                    tonnes(&a).zip(tonnes(&b))
                };
                let mut rows = self.world.rows_mut::<&mut Tonnes>();
                let found = rows.get_disjoint_mut([a, b]);
                assert_eq!(found.as_ref().map(|[a, b]| (**a, **b)), expected);
                if let Some([first, second]) = found {
                    std::mem::swap(first, second);
                }
                if let Some((first, second)) = expected {
                    self.model.get_mut(&a).expect("it has tonnes").tonnes = Some(second);
                    self.model.get_mut(&b).expect("it has tonnes").tonnes = Some(first);
                }
            }
            _ => unreachable!("not a batch"),
        }
    }

    fn compare(&self) {
        assert_eq!(self.world.len(), self.model.len());
        for &entity in &self.ever {
            let model = self.model.get(&entity);
            assert_eq!(self.world.contains(entity), model.is_some());
            let tonnes = self.world.get::<Tonnes>(entity).ok().map(|held| *held);
            assert_eq!(tonnes, model.and_then(|model| model.tonnes));
            let owner = self
                .world
                .get::<Owner>(entity)
                .ok()
                .map(|held| held.clone());
            assert_eq!(owner, model.and_then(|model| model.owner.clone()));
            assert_eq!(
                self.world.has::<Reefer>(entity),
                model.is_some_and(|model| model.reefer)
            );
        }
        let rows = self.world.rows::<(Entity, &Tonnes)>();
        let by_rows: BTreeMap<Entity, Tonnes> = rows
            .iter()
            .map(|(entity, tonnes)| (entity, *tonnes))
            .collect();
        let by_model: BTreeMap<Entity, Tonnes> = self
            .model
            .iter()
            .filter_map(|(&entity, model)| Some((entity, model.tonnes?)))
            .collect();
        assert_eq!(rows.count(), by_model.len());
        for &entity in &self.ever {
            assert_eq!(
                rows.get(entity).map(|(_, tonnes)| *tonnes),
                by_model.get(&entity).copied()
            );
        }
        assert_eq!(by_rows, by_model);
    }
}

proptest! {
    #[test]
    fn the_world_holds_what_a_map_would_hold(operations in proptest::collection::vec(operation(), 0..120)) {
        let mut pair = Pair::default();
        for operation in operations {
            pair.carry_out(operation);
            pair.compare();
        }
    }

    /// Recorded edits do what the same calls would have done at the end of the phase.
    #[test]
    fn edits_do_what_direct_calls_do(operations in proptest::collection::vec(operation(), 0..60)) {
        let mut runtime = Runtime::bare();
        let mut direct = World::new();
        let seeds: Vec<Entity> = (0..5).map(|i| runtime.world_mut().spawn((Tonnes(i),))).collect();
        for i in 0..5 {
            direct.spawn((Tonnes(i),));
        }
        let recorded = operations.clone();
        let mut ids = seeds.clone();
        runtime.add_system(System::named("record").takes::<Edits>().runs(move |mut edits| {
            for operation in &recorded {
                let id = |at: usize, ids: &Vec<Entity>| ids[at % ids.len()];
                match operation.clone() {
                    Operation::SpawnPlain(number) => ids.push(edits.spawn((Tonnes(number),))),
                    Operation::SpawnOwned(owner, number) => ids.push(edits.spawn((Owner(owner), Tonnes(number)))),
                    Operation::SpawnReefer(number) => ids.push(edits.spawn((Reefer, Tonnes(number)))),
                    Operation::Despawn(at) => edits.despawn(id(at, &ids)),
                    Operation::AttachTonnes(at, number) => edits.attach(id(at, &ids), Tonnes(number)),
                    Operation::AttachReefer(at) => edits.attach(id(at, &ids), Reefer),
                    Operation::DetachTonnes(at) => edits.detach::<Tonnes>(id(at, &ids)),
                    _ => {}
                }
            }
        })).expect("its name is free");
        runtime.run_frames(1).expect("nothing fails");

        let mut ids = seeds;
        let mut missed = 0;
        for operation in operations {
            let id = |at: usize, ids: &Vec<Entity>| ids[at % ids.len()];
            let outcome = match operation {
                Operation::SpawnPlain(number) => { ids.push(direct.spawn((Tonnes(number),))); Ok(()) }
                Operation::SpawnOwned(owner, number) => { ids.push(direct.spawn((Owner(owner), Tonnes(number)))); Ok(()) }
                Operation::SpawnReefer(number) => { ids.push(direct.spawn((Reefer, Tonnes(number)))); Ok(()) }
                Operation::Despawn(at) => direct.despawn(id(at, &ids)),
                Operation::AttachTonnes(at, number) => direct.attach(id(at, &ids), Tonnes(number)).map(drop),
                Operation::AttachReefer(at) => direct.attach(id(at, &ids), Reefer).map(drop),
                Operation::DetachTonnes(at) => direct.detach::<Tonnes>(id(at, &ids)).map(drop),
                _ => Ok(()),
            };
            missed += u64::from(outcome.is_err());
        }
        let tonnes = |world: &World| -> Vec<(bool, i32)> {
            let rows = world.rows::<(Entity, &Tonnes)>();
            let mut all: Vec<_> = rows.iter().map(|(entity, tonnes)| (world.has::<Reefer>(entity), tonnes.0)).collect();
            all.sort_unstable();
            all
        };
        prop_assert_eq!(runtime.world().len(), direct.len());
        prop_assert_eq!(tonnes(runtime.world()), tonnes(&direct));
        prop_assert_eq!(runtime.world().missed_edits().count(), missed);
    }
}

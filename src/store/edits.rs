//! Structural changes that are recorded now and carried out at the end of the phase.

use super::access::Access;
use super::claim::{Claim, Grant, Preparation, ReservedIds};
use super::component::Component;
use super::component_set::Components;
use super::entity::{Entities, Entity, Lane};
use super::world::World;
use crate::error::{Error, Kind};
use crate::panics::{Panics, after_all};
use crate::profile;
use rustc_hash::{FxHashMap, FxHashSet};
use std::any::{Any, TypeId};
use std::collections::VecDeque;
use std::collections::vec_deque::Drain;
use std::fmt;

/// Records structural changes while systems run.
///
/// Rows cannot appear or go while a system walks over them. So a system that spawns, despawns, attaches or detaches
/// takes `Edits`, once. The runtime carries out what it records at the end of the phase, system by system in registration
/// order, and within a system in the order of the calls. An edit on an entity that has gone by then is skipped and counted
/// ([`World::missed_edits`]).
///
/// If a system panics, the runtime discards all edits of the phase; ids that they have reserved are never used. If an edit
/// itself panics, because the drop of a component does or the clone of a template's, then all other edits of the phase are
/// carried out, and the frame ends with an error that names the system. A copy of a template that panics half-way leaves
/// nothing behind.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Launcher;
/// struct Pallet;
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().spawn((Launcher,));
/// runtime.add_system(
///     System::named("launch")
///         .takes::<(Rows<Entity, Having<Launcher>>, Edits)>()
///         .runs(|(launchers, mut edits)| {
///             for _ in launchers.iter() {
///                 edits.spawn((Pallet,));
///             }
///         }),
/// )?;
/// runtime.run_frames(3)?;
/// assert_eq!(runtime.world().rows::<&Pallet>().count(), 3);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Edits<'w> {
    record: &'w mut EditRecord,
    entities: &'w Entities,
}

impl fmt::Debug for Edits<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Edits").finish_non_exhaustive()
    }
}

impl Edits<'_> {
    /// Records a spawn, and returns the id under which the entity will live. Until the end of the phase the id is
    /// not alive, but it can be stored and named in further edits.
    pub fn spawn<B: Components>(&mut self, components: B) -> Entity {
        self.spawn_by(|entity| Spawn { entity, components })
    }

    /// Reserves an id and records an edit of a kind that another floor defines, which has to bring the entity to life.
    pub(crate) fn spawn_by<K: EditKind>(&mut self, edit: impl FnOnce(Entity) -> K) -> Entity {
        let entity = self
            .entities
            .reserved(self.record.lane, self.record.reserved);
        self.record.reserved += 1;
        self.record.push(edit(entity));
        entity
    }

    /// Records the end of an entity and its subtree.
    pub fn despawn(&mut self, entity: Entity) {
        self.record.push(Despawn(entity));
    }

    /// Records that a component is put on an entity; a value that is there already is replaced.
    ///
    /// # Panics
    ///
    /// If `T` is a tuple.
    pub fn attach<T: Component>(&mut self, entity: Entity, component: T) {
        self.record.push(Attach { entity, component });
    }

    /// Records that a component is taken off an entity.
    pub fn detach<T: Component>(&mut self, entity: Entity) {
        self.record.push(Detach::<T> {
            entity,
            component: std::marker::PhantomData,
        });
    }

    /// Records that the systems of a name or label are switched on or off; see
    /// [`Runtime::set_enabled`](crate::Runtime::set_enabled). It holds from the end of the phase on. A name that no system
    /// has is counted among the [missed edits](World::missed_edits).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Horns(u32);
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().set_global(Horns(0));
    /// runtime.add_system(
    ///     System::named("sound the horn once")
    ///         .takes::<(GlobalMut<Horns>, Edits)>()
    ///         .runs(|(mut horns, mut edits)| {
    ///             horns.0 += 1;
    ///             edits.set_enabled("sound the horn once", false);
    ///         }),
    /// )?;
    /// runtime.run_frames(3)?;
    /// assert_eq!(runtime.world().global::<Horns>()?.0, 1);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn set_enabled(&mut self, system_or_label: &str, enabled: bool) {
        self.record.push(Switch {
            target: system_or_label.to_owned(),
            enabled,
        });
    }

    /// Records an edit of a kind that another floor defines.
    pub(crate) fn push(&mut self, edit: impl EditKind) {
        self.record.push(edit);
    }
}

/// One kind of edit; every kind has a queue of its own, so that an edit needs no box.
pub(crate) trait EditKind: Sized + Send + 'static {
    fn apply(self, world: &mut World) -> Result<(), Error>;

    /// Carries out edits of the kind that follow each other: all of them, even if some panic.
    fn apply_run(run: Drain<'_, Self>, world: &mut World, panics: &mut Panics) {
        one_by_one(run, world, panics);
    }
}

fn one_by_one<K: EditKind>(run: impl Iterator<Item = K>, world: &mut World, panics: &mut Panics) {
    for edit in run {
        if let Some(Err(error)) = panics.catch(|| edit.apply(world)) {
            world.missed_edits.add(error);
        }
    }
}

/// Runs below this go one by one: setting up a batch would cost more than it saves.
const BATCH_FROM: usize = 16;

/// Leaves out the edits whose entity has gone, and counts them.
fn living<T>(
    run: impl Iterator<Item = T>,
    entity_of: impl Fn(&T) -> Entity,
    verb: &'static str,
    world: &mut World,
    panics: &mut Panics,
) -> Vec<T> {
    let mut living = Vec::with_capacity(run.size_hint().0);
    for edit in run {
        let entity = entity_of(&edit);
        if world.contains(entity) {
            living.push(edit);
        } else {
            let stale = Kind::StaleEntity { entity, verb };
            world.missed_edits.add(Error::from(stale));
            panics.catch(|| drop(edit));
        }
    }
    living
}

struct Spawn<B> {
    entity: Entity,
    components: B,
}

impl<B: Components> EditKind for Spawn<B> {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        world.spawn_reserved(self.entity, self.components);
        Ok(())
    }
}

struct Despawn(Entity);

impl EditKind for Despawn {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        world.despawn(self.0)
    }

    fn apply_run(run: Drain<'_, Self>, world: &mut World, panics: &mut Panics) {
        if run.len() < BATCH_FROM {
            return one_by_one(run, world, panics);
        }
        let many = living(run, |edit| edit.0, "despawned", world, panics);
        let mut seen = FxHashSet::default();
        let (first, again): (Vec<Self>, Vec<Self>) =
            many.into_iter().partition(|edit| seen.insert(edit.0));
        let ids: Vec<Entity> = first.iter().map(|edit| edit.0).collect();
        let gone = world.despawn_all(ids.iter().copied(), panics);
        // Named twice, or gone with an entity above it: what would have been missed one by one.
        one_by_one(again.into_iter(), world, panics);
        world.missed_edits.count += (ids.len() - gone) as u64;
    }
}

/// The edit of an entity that gets a component.
const GIVEN: &str = "given a component";

struct Attach<T> {
    entity: Entity,
    component: T,
}

impl<T: Component> EditKind for Attach<T> {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        if world.contains(self.entity) {
            return world.attach(self.entity, self.component).map(drop);
        }
        // Counted first: the drop of the component may panic.
        world.missed_edits.add(Error::from(Kind::StaleEntity {
            entity: self.entity,
            verb: GIVEN,
        }));
        Ok(())
    }

    fn apply_run(run: Drain<'_, Self>, world: &mut World, panics: &mut Panics) {
        if run.len() < BATCH_FROM {
            return one_by_one(run, world, panics);
        }
        let many = living(run, |edit| edit.entity, GIVEN, world, panics);
        let id = world.types.id_or_register::<T>();
        let many = many.into_iter().map(|edit| (edit.entity, edit.component));
        world.attach_all(id, many, panics);
    }
}

struct Detach<T> {
    entity: Entity,
    component: std::marker::PhantomData<fn() -> T>,
}

impl<T: Component> EditKind for Detach<T> {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        world.detach::<T>(self.entity).map(drop)
    }

    fn apply_run(run: Drain<'_, Self>, world: &mut World, panics: &mut Panics) {
        if run.len() < BATCH_FROM {
            return one_by_one(run, world, panics);
        }
        let verb = "stripped of a component";
        let many = living(run, |edit| edit.entity, verb, world, panics);
        if let Some(id) = world.types.id::<T>() {
            world.detach_all(id, many.into_iter().map(|edit| edit.entity), panics);
        }
    }
}

struct Switch {
    target: String,
    enabled: bool,
}

impl EditKind for Switch {
    fn apply(self, world: &mut World) -> Result<(), Error> {
        world.switches.push((self.target, self.enabled));
        Ok(())
    }
}

trait AnyQueue: Any + Send {
    fn apply_run(&mut self, count: usize, world: &mut World, panics: &mut Panics);
    fn clear(&mut self, panics: &mut Panics);
}

struct Queue<K>(VecDeque<K>);

impl<K: EditKind> AnyQueue for Queue<K> {
    fn apply_run(&mut self, count: usize, world: &mut World, panics: &mut Panics) {
        K::apply_run(self.0.drain(..count), world, panics);
    }

    fn clear(&mut self, panics: &mut Panics) {
        panics.drop_all(self.0.drain(..));
    }
}

/// Some edits of one kind in a row.
struct Run {
    queue: usize,
    count: usize,
}

/// The edits that one `Edits` claim has recorded: a queue per kind, and the order across kinds.
pub struct EditRecord {
    lane: Lane,
    reserved: u32,
    queues: Vec<Box<dyn AnyQueue>>,
    queue_of: FxHashMap<TypeId, usize>,
    order: Vec<Run>,
}

impl fmt::Debug for EditRecord {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("EditRecord").finish_non_exhaustive()
    }
}

impl EditRecord {
    fn push<K: EditKind>(&mut self, edit: K) {
        let queues = &mut self.queues;
        let queue = *self.queue_of.entry(TypeId::of::<K>()).or_insert_with(|| {
            queues.push(Box::new(Queue::<K>(VecDeque::new())));
            queues.len() - 1
        });
        let any: &mut dyn Any = &mut *self.queues[queue];
        let typed: &mut Queue<K> = any.downcast_mut().expect("queues are filed by their type");
        typed.0.push_back(edit);
        match self.order.last_mut() {
            Some(run) if run.queue == queue => run.count += 1,
            _ => self.order.push(Run { queue, count: 1 }),
        }
    }
}

impl Claim for Edits<'_> {}

impl Grant for Edits<'_> {
    type State = EditRecord;
    type Granted<'w> = Edits<'w>;
    const LANES: u32 = 1;

    fn declare(_: &mut Access) {}

    fn prepare(_: &mut Preparation<'_>) -> EditRecord {
        EditRecord {
            lane: Lane::ONLY,
            reserved: 0,
            queues: Vec::new(),
            queue_of: FxHashMap::default(),
            order: Vec::new(),
        }
    }

    fn grant<'w>(state: &'w mut EditRecord, world: &'w World) -> Result<Edits<'w>, Error> {
        Ok(Edits {
            record: state,
            entities: &world.entities,
        })
    }

    fn enter_lane(state: &mut EditRecord, lanes: &mut ReservedIds) {
        if !state.order.is_empty() {
            // Left over from a phase that a fault of the runtime cut off.
            Panics::default().catch(|| Self::discard(state));
        }
        state.lane = lanes.next_lane();
        state.reserved = 0;
    }

    fn report_reserved(state: &EditRecord, lanes: &mut ReservedIds) {
        lanes.report(state.lane, state.reserved);
    }

    fn apply(state: &mut EditRecord, world: &mut World) {
        let EditRecord { order, queues, .. } = state;
        after_all(|panics| {
            for run in order.drain(..) {
                profile::count("edits", run.count as u64);
                // A panic outside of the edits themselves, such as a tuple in place of a component, must not leave the others behind.
                let mut of_edits = Panics::default();
                panics.catch(|| queues[run.queue].apply_run(run.count, world, &mut of_edits));
                panics.join(of_edits);
            }
        });
    }

    fn discard(state: &mut EditRecord) {
        state.order.clear();
        after_all(|panics| {
            for queue in &mut state.queues {
                queue.clear(panics);
            }
        });
    }
}

/// The edits that could not be carried out: how many, and why for the first few.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// let gull = runtime.world_mut().spawn(("gull",));
/// runtime.add_system(
///     System::named("chase away twice")
///         .takes::<Edits>()
///         .runs(move |mut edits| {
///             edits.despawn(gull);
///             edits.despawn(gull);
///         }),
/// )?;
/// runtime.run_frames(1)?;
/// let missed = runtime.world().missed_edits();
/// assert_eq!(missed.count(), 1);
/// assert_eq!(missed.first_reasons()[0].entity(), Some(gull));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Default, Debug)]
pub struct MissedEdits {
    count: u64,
    first: Vec<Error>,
}

/// How many reasons are kept.
const REASONS_KEPT: usize = 16;

impl MissedEdits {
    pub(crate) fn add(&mut self, reason: Error) {
        self.count += 1;
        if self.first.len() < REASONS_KEPT {
            self.first.push(reason);
        }
    }

    /// How many edits were missed since the world was made.
    #[must_use]
    pub fn count(&self) -> u64 {
        self.count
    }

    /// Why, for the first 16 of them.
    #[must_use]
    pub fn first_reasons(&self) -> &[Error] {
        &self.first
    }
}

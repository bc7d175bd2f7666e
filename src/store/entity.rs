//! Entity ids and the slots behind them.

mod far;
mod lane;

pub(crate) use lane::Lane;

use far::FarSlots;
use lane::Origin;
use smallvec::SmallVec;
use std::fmt;
use std::num::NonZeroU32;
use std::ops::Range;

/// The id of one entity in one [`World`](crate::World).
///
/// An id is an index and a generation. When an entity is despawned its index may serve a later entity under the
/// next generation, so an id that was kept too long never reaches the components of another entity: every call that
/// takes it says that it is stale.
///
/// Eight bytes, and so is `Option<Entity>`. The order of ids (index first) is the stable order in which contacts,
/// edits and reports are listed.
///
/// # Example
///
/// ```
/// use gerust::World;
///
/// let mut world = World::new();
/// let crate_1 = world.spawn(("crate",));
/// world.despawn(crate_1)?;
/// let crate_2 = world.spawn(("another crate",));
///
/// assert_eq!(crate_1.index(), crate_2.index());
/// assert_ne!(crate_1, crate_2);
/// assert!(!world.contains(crate_1));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Entity {
    index: u32,
    generation: NonZeroU32,
}

impl Entity {
    /// Makes an id from an index and a generation that were stored elsewhere. The entity need not be alive.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Entity, World};
    /// use std::num::NonZeroU32;
    ///
    /// let mut world = World::new();
    /// let crate_1 = world.spawn(("crate",));
    /// let generation = NonZeroU32::new(crate_1.generation()).expect("it is at least 1");
    /// assert_eq!(Entity::from_parts(crate_1.index(), generation), crate_1);
    /// ```
    #[must_use]
    pub fn from_parts(index: u32, generation: NonZeroU32) -> Self {
        Self { index, generation }
    }

    /// The index of the slot that this entity occupies while it lives.
    ///
    /// Most indices are dense: freed slots are used again. But entities that a system spawns in a sudden burst beside other
    /// systems that spawn get indices from 2^31 on, so a list with a place for each index can get too long; use a map.
    #[must_use]
    pub fn index(self) -> u32 {
        self.index
    }

    /// How many entities have occupied this slot up to and including this one.
    #[must_use]
    pub fn generation(self) -> u32 {
        self.generation.get()
    }
}

impl fmt::Display for Entity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "#{}.{}", self.index, self.generation)
    }
}

impl fmt::Debug for Entity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

/// The id of a table, in order of creation.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct TableId(u32);

impl TableId {
    pub(crate) const NONE: Self = Self(u32::MAX);

    pub(crate) fn new(index: usize) -> Self {
        Self(u32::try_from(index).expect("fewer than 2^32 tables"))
    }

    #[inline]
    pub(crate) fn index(self) -> usize {
        self.0 as usize
    }
}

/// Where the components of an entity are.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct Location {
    pub(crate) table: TableId,
    pub(crate) row: u32,
}

#[derive(Clone, Copy, Debug)]
struct Slot {
    generation: NonZeroU32,
    /// `TableId::NONE` while no entity lives here.
    location: Location,
}

const VACANT: Location = Location {
    table: TableId::NONE,
    row: 0,
};

/// All slots, and which of them are free: 12 bytes per slot, 4 more while it is free.
///
/// Ids are handed out in one fixed sequence: the free slots, last freed first, then fresh slots. A plain spawn takes
/// the next place of the sequence. During a phase the sequence stands still, and the ids that edits reserve follow from
/// their [`Lane`] alone. [`Entities::commit`] then takes the used places out.
#[derive(Clone, Default, Debug)]
pub(crate) struct Entities {
    slots: Vec<Slot>,
    free: Vec<u32>,
    live: usize,
    far: FarSlots,
    /// By the key of a lane: how many ids it reserved in its last phase.
    used: Vec<u32>,
}

/// The ids that a world hands out next; see [`Snapshot::ids`](crate::store::Snapshot::ids). `serde` writes and reads it.
///
/// # Example
///
/// ```
/// let mut world = gerust::World::new();
/// let before = world.snapshot()?.ids();
/// world.spawn(("crate",));
/// assert_ne!(world.snapshot()?.ids(), before);
/// # Ok::<(), gerust::Error>(())
/// ```
#[cfg(feature = "snapshot")]
#[derive(Clone, PartialEq, Eq, Debug, Default, serde::Serialize, serde::Deserialize)]
pub struct IdSequence {
    slots: u32,
    /// Those of slots that have been used again.
    generations: Vec<(u32, NonZeroU32)>,
    free: Vec<u32>,
    /// The first far index that was never handed out.
    #[serde(default)]
    far: u32,
    /// How many ids each lane reserved in its last phase.
    #[serde(default)]
    used: Vec<u32>,
}

#[cfg(feature = "snapshot")]
impl IdSequence {
    /// Bytes of its lists.
    pub(crate) fn bytes(&self) -> usize {
        size_of_val(&self.generations[..])
            + size_of_val(&self.free[..])
            + size_of_val(&self.used[..])
    }
}

impl Entities {
    /// The same ids, with no entity alive.
    #[cfg(feature = "snapshot")]
    pub(crate) fn vacated(&self) -> Self {
        let mut vacated = self.clone();
        vacated.live = 0;
        vacated.far = FarSlots::continuing_from(self.far.next());
        for slot in &mut vacated.slots {
            slot.location = VACANT;
        }
        vacated
    }

    /// The first of some entities that these ids do not allow, and why.
    #[cfg(feature = "snapshot")]
    pub(crate) fn misfit(
        &self,
        alive: impl Iterator<Item = Entity>,
    ) -> Option<(Entity, &'static str)> {
        let mut is_free = fixedbitset::FixedBitSet::with_capacity(self.slots.len());
        for &index in &self.free {
            if is_free.put(index as usize) {
                let twice = Entity::from_parts(index, NonZeroU32::MIN);
                return Some((twice, "its index is listed as free twice"));
            }
        }
        for entity in alive {
            match self.slots.get(entity.index as usize) {
                None if self.far.was_handed_out(entity.index) => {}
                None => return Some((entity, "its id was never handed out")),
                Some(slot) if slot.generation != entity.generation => {
                    return Some((entity, "its generation is not the latest of its index"));
                }
                Some(_) if is_free.contains(entity.index as usize) => {
                    return Some((entity, "its index is listed as free"));
                }
                Some(_) => {}
            }
        }
        None
    }

    /// Whether [`Entities::sequence`] is still the same. O(slots).
    #[cfg(feature = "snapshot")]
    pub(crate) fn has_sequence(&self, sequence: &IdSequence) -> bool {
        let of_old = sequence.generations.iter().copied();
        self.slots.len() == sequence.slots as usize
            && self.far.next() == sequence.far
            && self.free == sequence.free
            && self.used == sequence.used
            && self.generations().eq(of_old)
    }

    /// Those of slots that have been used again.
    #[cfg(feature = "snapshot")]
    fn generations(&self) -> impl Iterator<Item = (u32, NonZeroU32)> {
        let slots = self.slots.iter().zip(0..);
        let reused = slots.filter(|(slot, _)| slot.generation != NonZeroU32::MIN);
        reused.map(|(slot, index)| (index, slot.generation))
    }

    /// The state that decides which ids are handed out from now on.
    #[cfg(feature = "snapshot")]
    pub(crate) fn sequence(&self) -> IdSequence {
        IdSequence {
            slots: self.slots.len() as u32,
            generations: self.generations().collect(),
            free: self.free.clone(),
            far: self.far.next(),
            used: self.used.clone(),
        }
    }

    /// No entity, and ids that continue a sequence with the given number of entities alive; `None` if the sequence is invalid.
    #[cfg(feature = "snapshot")]
    pub(crate) fn with_sequence(sequence: &IdSequence, alive: usize) -> Option<Self> {
        // A lane never reserves as many ids in a phase.
        const MOST_RESERVED: u32 = 1 << 26;
        let retired = sequence.generations.iter();
        let retired = retired.filter(|(_, generation)| *generation == NonZeroU32::MAX);
        // Each slot is lived in, free or retired. This is checked before they are allocated.
        let most_slots = alive + sequence.free.len() + retired.count();
        let reserves_too_many = sequence.used.iter().any(|&used| used > MOST_RESERVED);
        if sequence.slots as usize > most_slots || reserves_too_many {
            return None;
        }
        let fresh = Slot {
            generation: NonZeroU32::MIN,
            location: VACANT,
        };
        let mut slots = vec![fresh; sequence.slots as usize];
        for &(index, generation) in &sequence.generations {
            slots.get_mut(index as usize)?.generation = generation;
        }
        let is_known = |index: &u32| *index < sequence.slots;
        sequence.free.iter().all(is_known).then(|| Self {
            slots,
            free: sequence.free.clone(),
            live: 0,
            far: FarSlots::continuing_from(sequence.far),
            used: sequence.used.clone(),
        })
    }

    /// How many entities are alive.
    pub(crate) fn len(&self) -> usize {
        self.live
    }

    /// Bytes of all slots and of the list of free ones.
    pub(crate) fn bytes(&self) -> usize {
        self.slots.len() * size_of::<Slot>() + self.free.len() * size_of::<u32>() + self.far.bytes()
    }

    #[inline]
    pub(crate) fn locate(&self, entity: Entity) -> Option<Location> {
        self.locate_loosely(entity)
            .filter(|location| location.table != TableId::NONE)
    }

    /// Where an entity is; `TableId::NONE` if its id is reserved but it does not live yet. For callers to which that is
    /// one more table that does not match.
    #[inline]
    pub(crate) fn locate_loosely(&self, entity: Entity) -> Option<Location> {
        match self.slots.get(entity.index as usize) {
            Some(slot) => (slot.generation == entity.generation).then_some(slot.location),
            None => self.far.locate(entity.index),
        }
    }

    /// Moves a living entity; `entity` must be alive.
    #[inline]
    pub(crate) fn relocate(&mut self, entity: Entity, location: Location) {
        match self.slots.get_mut(entity.index as usize) {
            Some(slot) => slot.location = location,
            None => self.far.set(entity.index, location),
        }
    }

    /// Takes the next id and gives it a place.
    #[inline]
    pub(crate) fn allocate(&mut self, location: Location) -> Entity {
        self.live += 1;
        if let Some(index) = self.free.pop() {
            let slot = &mut self.slots[index as usize];
            slot.location = location;
            return Entity::from_parts(index, slot.generation);
        }
        let index = fresh_index(self.slots.len());
        self.slots.push(Slot {
            generation: NonZeroU32::MIN,
            location,
        });
        Entity::from_parts(index, NonZeroU32::MIN)
    }

    /// Takes an id for each row of a range, in the order in which [`Entities::allocate`] would hand them out.
    pub(crate) fn allocate_many(
        &mut self,
        table: TableId,
        rows: Range<u32>,
        ids: &mut Vec<Entity>,
    ) {
        ids.reserve(rows.len());
        self.live += rows.len();
        let reused = self.free.len().min(rows.len()) as u32;
        let (again, fresh) = (
            rows.start..rows.start + reused,
            rows.start + reused..rows.end,
        );
        for row in again {
            let index = self.free.pop().expect("the free slots were counted");
            let slot = &mut self.slots[index as usize];
            slot.location = Location { table, row };
            ids.push(Entity::from_parts(index, slot.generation));
        }
        let first = fresh_index(self.slots.len());
        // Checked once for all of them.
        fresh_index(self.slots.len() + fresh.len());
        ids.extend(
            (first..)
                .zip(fresh.clone())
                .map(|(index, _)| Entity::from_parts(index, NonZeroU32::MIN)),
        );
        self.slots.extend(fresh.map(|row| Slot {
            generation: NonZeroU32::MIN,
            location: Location { table, row },
        }));
    }

    /// Gives a committed reservation its place.
    pub(crate) fn settle(&mut self, entity: Entity, location: Location) {
        self.live += 1;
        self.relocate(entity, location);
    }

    /// Ends the life of an entity and says where it was. Its slot is free again under the next generation; a slot
    /// that has used up its generations is retired instead, so that no id ever comes back.
    pub(crate) fn release(&mut self, entity: Entity) -> Option<Location> {
        let location = self.locate(entity)?;
        self.end(entity);
        Some(location)
    }

    /// [`Entities::release`] for an entity that is known to be alive.
    #[inline]
    pub(crate) fn end(&mut self, entity: Entity) {
        self.live -= 1;
        self.burn(entity);
    }

    /// Makes sure that an id, which has just ended or was reserved in vain, never comes back.
    pub(crate) fn burn(&mut self, entity: Entity) {
        let Some(slot) = self.slots.get_mut(entity.index as usize) else {
            return self.far.burn(entity.index);
        };
        slot.location = VACANT;
        if let Some(next) = slot.generation.checked_add(1) {
            slot.generation = next;
            self.free.push(entity.index);
        }
    }

    /// The id at a place of the sequence.
    fn at_place(&self, place: usize) -> Entity {
        match self.free.len().checked_sub(place + 1) {
            Some(from_start) => {
                let index = self.free[from_start];
                Entity::from_parts(index, self.slots[index as usize].generation)
            }
            None => Entity::from_parts(
                fresh_index(self.slots.len() + place - self.free.len()),
                NonZeroU32::MIN,
            ),
        }
    }

    /// The `count`-th id (from 0) of a lane.
    pub(crate) fn reserved(&self, lane: Lane, count: u32) -> Entity {
        match lane.origin(count) {
            Origin::Place(place) => self.at_place(place),
            Origin::Far(index) => Entity::from_parts(index, NonZeroU32::MIN),
        }
    }

    /// The lanes of a phase, by their keys: each keeps its key from phase to phase.
    pub(crate) fn share_out(&self, keys: impl Iterator<Item = u32>, lanes: &mut Vec<Lane>) {
        let used: SmallVec<[u32; 32]> = keys
            .map(|key| self.used.get(key as usize).copied().unwrap_or(0))
            .collect();
        Lane::share_out(&used, self.far.next(), lanes);
    }

    /// Remembers how many ids the lane of a key has reserved.
    pub(crate) fn remember(&mut self, key: u32, used: u32) {
        let key = key as usize;
        if key >= self.used.len() {
            self.used.resize(key + 1, 0);
        }
        self.used[key] = used;
    }

    /// Takes the ids that lanes have reserved out of the sequence; what lies between them stays free.
    pub(crate) fn commit(&mut self, used: &[(Lane, u32)]) {
        let mut places: Vec<usize> = Vec::new();
        for &(lane, count) in used {
            for number in 0..count {
                match lane.origin(number) {
                    Origin::Place(place) => places.push(place),
                    Origin::Far(index) => self.far.take(index),
                }
            }
        }
        let Some(&last) = places.iter().max() else {
            return;
        };
        places.sort_unstable();
        let free_before = self.free.len();
        let first_fresh = self.slots.len();
        let fresh_needed = (last + 1).saturating_sub(free_before);
        self.slots.resize(
            first_fresh + fresh_needed,
            Slot {
                generation: NonZeroU32::MIN,
                location: VACANT,
            },
        );
        let is_used = |place: &usize| places.binary_search(place).is_ok();
        // Only the end of the free list is touched, unless it was used up, and then all of it is that end.
        let tail = self.free.split_off(free_before.saturating_sub(last + 1));
        let kept_free = tail
            .iter()
            .enumerate()
            .filter(|(from_tail, _)| !is_used(&(tail.len() - 1 - from_tail)))
            .map(|(_, &index)| index);
        // Gaps among the fresh slots are the last to be handed out, lowest index first, as if still fresh.
        let gaps = (0..fresh_needed)
            .rev()
            .filter(|fresh| !is_used(&(free_before + fresh)))
            .map(|fresh| fresh_index(first_fresh + fresh));
        self.free.extend(gaps.chain(kept_free));
    }
}

fn fresh_index(index: usize) -> u32 {
    u32::try_from(index)
        .ok()
        .filter(|&index| index < far::FAR)
        .expect("a world holds at most 2^31 entities")
}

#[cfg(test)]
mod tests;

//! Going back in memory.

use super::frame_loop::Runtime;
use crate::collide::{Contact, Contacts, KeptContacts, SavedContacts};
use crate::error::{Error, ErrorKind};
use crate::schedule::{Clock, Schedule};
use crate::store::{Component, KeptWorld, LastRuns, Scratch, Snapshot, World};
use std::collections::VecDeque;
use std::fmt;
use std::sync::Arc;

/// The state of a runtime at one time, in memory; from [`Runtime::keep`].
///
/// A moment shares unchanged values with the one before, 64 rows at a time. Cloning it is O(1).
#[derive(Clone)]
pub struct Moment(pub(super) Arc<Kept>);

pub(super) struct Kept {
    pub(super) clock: Clock,
    pub(super) world: KeptWorld,
    /// When systems last looked for changes.
    pub(super) runs: LastRuns,
    pub(super) contacts: Option<KeptContacts>,
    /// The systems that are switched off, and those of Setup that have had their run.
    pub(super) switches: Arc<Switches>,
}

impl Kept {
    /// To be filled.
    fn empty() -> Self {
        Self {
            clock: Clock::default(),
            world: KeptWorld::empty(),
            runs: LastRuns::new(),
            contacts: None,
            switches: Arc::default(),
        }
    }

    /// Bytes of the parts that it does not share with the moment before.
    fn fresh_bytes(&self) -> usize {
        let contacts = self.contacts.as_ref().map_or(0, KeptContacts::fresh_bytes);
        size_of::<Self>() + self.world.fresh_bytes() + contacts
    }

    /// Bytes of all parts, also of shared ones.
    fn all_bytes(&self) -> usize {
        let contacts = self.contacts.as_ref().map_or(0, KeptContacts::all_bytes);
        size_of::<Self>() + self.world.all_bytes() + contacts
    }
}

#[derive(Default)]
pub(super) struct Switches {
    pub(super) off: Vec<String>,
    pub(super) set_up: Vec<String>,
}

impl Switches {
    fn of(schedule: &Schedule) -> Self {
        Self {
            off: schedule.off_names().map(str::to_owned).collect(),
            set_up: schedule.set_up_names().map(str::to_owned).collect(),
        }
    }

    fn are_those_of(&self, schedule: &Schedule) -> bool {
        schedule.off_names().eq(&self.off) && schedule.set_up_names().eq(&self.set_up)
    }
}

/// Lists without values, whose memory the next moment uses.
#[derive(Default, Debug)]
struct Lists {
    world: Scratch,
    contacts: Vec<Arc<Vec<Contact>>>,
}

impl Moment {
    /// The number of the latest frame at that time.
    #[must_use]
    pub fn frame(&self) -> u64 {
        self.0.clock.frame()
    }

    /// The clock at that time.
    #[must_use]
    pub fn clock(&self) -> Clock {
        self.0.clock
    }

    /// The registered components at that time, for example to write them on another thread while the runtime runs on.
    /// O(entities · log entities + bytes).
    ///
    /// # Errors
    ///
    /// If the `Serialize` of a component returns an error; the message names the entity and the component.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(StandardKit)?;
    /// runtime.world_mut().spawn((Transform::default(), Velocity(Vec3::X)));
    /// runtime.run_frames(1)?;
    /// let (moment, digest) = (runtime.keep(), runtime.world().digest()?);
    /// let writer = std::thread::spawn(move || moment.snapshot());
    /// runtime.run_frames(10)?;
    /// let snapshot = writer.join().expect("it does not panic")?;
    /// assert_eq!(snapshot.digest(), digest);
    /// # Ok::<(), Error>(())
    /// ```
    pub fn snapshot(&self) -> Result<Snapshot, Error> {
        self.0.world.snapshot()
    }

    /// A global at that time; `None` if there was none, or if its type is not registered
    /// ([`World::register_global`](crate::World::register_global)). O(registered globals).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::collide::Gravity;
    ///
    /// let mut runtime = Runtime::new();
    /// let moment = runtime.keep();
    /// runtime.world_mut().set_global(Gravity(Vec3::ZERO));
    /// assert_eq!(moment.global::<Gravity>().map(|gravity| gravity.0.y), Some(-9.81));
    /// assert!(moment.global::<String>().is_none());
    /// ```
    #[must_use]
    pub fn global<T: Component>(&self) -> Option<&T> {
        self.0.world.global()
    }

    /// The events of the frame that the moment was kept after, in the order in which they were posted; none if their type is not registered
    /// ([`World::register_event`](crate::World::register_event)). O(registered events).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::collide::ContactState;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::sensor(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    /// runtime.world_mut().spawn_many([0.0, 0.4].map(|x| (Transform::at(x, 0.0, 0.0), cube.clone())));
    /// runtime.run_frames(1)?;
    /// let moment = runtime.keep();
    /// runtime.run_frames(1)?;
    /// let states: Vec<_> = moment.posted::<Contact>().iter().map(|contact| contact.state).collect();
    /// assert_eq!(states, [ContactState::Began]);
    /// # Ok::<(), Error>(())
    /// ```
    #[must_use]
    pub fn posted<E: Component>(&self) -> &[E] {
        self.0.world.posted().map_or(&[], |(_, events)| events)
    }

    /// How many events of a type were posted until then; 0 if the type is not registered. O(registered events).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// #[derive(Clone, serde::Serialize, serde::Deserialize)]
    /// struct Docked;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().register_event::<Docked>("docked")?;
    /// runtime.add_system(System::named("dock").takes::<Outbox<Docked>>().runs(|mut docked| docked.post(Docked)))?;
    /// runtime.run_frames(5)?;
    /// let moment = runtime.keep();
    /// assert_eq!((moment.posted_so_far::<Docked>(), moment.posted::<Docked>().len()), (5, 1));
    /// # Ok::<(), Error>(())
    /// ```
    #[must_use]
    pub fn posted_so_far<E: Component>(&self) -> u64 {
        self.0.world.posted::<E>().map_or(0, |(count, _)| count)
    }

    /// The names of the systems that were switched off, in the order of the phases.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::bare();
    /// runtime.add_system(System::named("tide").takes::<()>().runs(|()| {}))?;
    /// runtime.set_enabled("tide", false)?;
    /// assert_eq!(runtime.keep().systems_off(), ["tide"]);
    /// # Ok::<(), Error>(())
    /// ```
    #[must_use]
    pub fn systems_off(&self) -> &[String] {
        &self.0.switches.off
    }
}

impl fmt::Debug for Moment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Moment")
            .field("frame", &self.frame())
            .finish_non_exhaustive()
    }
}

impl Runtime {
    /// Copies the state of the runtime in memory: what [`Runtime::save`] writes, without writing it. Unregistered components, globals and
    /// events are not part of it.
    ///
    /// The first call lets the world note when rows of registered types are written, which adds about 5 % to a walk that writes them.
    /// O(rows / 64 + what was written since the last call + contacts).
    ///
    /// # Panics
    ///
    /// If the clone of a component, a global or an event panics.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// let cube = Collider::solid(Aabb::from_center(Vec3::ZERO, Vec3::splat(0.5)));
    /// let floor = Collider::solid(Aabb::from_center(Vec3::NEG_Y, Vec3::new(9.0, 1.0, 9.0)));
    /// runtime.world_mut().spawn((Transform::default(), floor));
    /// let pallet = runtime.world_mut().spawn((Transform::at(0.0, 3.0, 0.0), cube, Body::dynamic()));
    /// runtime.run_frames(20)?;
    /// let moment = runtime.keep();
    ///
    /// runtime.run_frames(60)?;
    /// let landed = runtime.world().digest()?;
    /// runtime.world_mut().despawn(pallet)?;
    ///
    /// runtime.go_back(&moment)?;
    /// assert_eq!(runtime.world().global::<Clock>()?.frame(), 20);
    /// runtime.run_frames(60)?;
    /// assert_eq!(runtime.world().digest()?, landed);
    /// # Ok::<(), Error>(())
    /// ```
    pub fn keep(&mut self) -> Moment {
        let previous = self.last_kept.take();
        let moment = self.keep_in(None, previous.as_ref(), &mut Lists::default());
        self.last_kept = Some(moment.clone());
        moment
    }

    /// [`Runtime::keep`] into an old moment that is no longer needed, if nothing else refers to it. Shares with the previous one.
    fn keep_in(
        &mut self,
        old: Option<Moment>,
        previous: Option<&Moment>,
        lists: &mut Lists,
    ) -> Moment {
        // A world that was replaced is installed by the next frame; until then it has nothing that is registered.
        let _ = self.meet_world();
        let previous = previous.map(|previous| &*previous.0);
        let old = old.map(|old| old.0);
        let mut arc = old
            .filter(|old| Arc::strong_count(old) == 1)
            .unwrap_or_else(|| Arc::new(Kept::empty()));
        let kept = Arc::get_mut(&mut arc).expect("nothing else refers to it");
        kept.clock = *self.clock_mut();
        let old = kept.contacts.take();
        kept.contacts = self.world.find_global::<Contacts>().map(|contacts| {
            let previous = previous.and_then(|previous| previous.contacts.as_ref());
            contacts.kept(previous, old, &mut lists.contacts)
        });
        let schedule = &self.schedule;
        kept.switches = match previous {
            Some(previous) if previous.switches.are_those_of(schedule) => {
                Arc::clone(&previous.switches)
            }
            _ => Arc::new(Switches::of(schedule)),
        };
        self.schedule.put_last_runs(&mut kept.runs);
        let previous = previous.map(|previous| &previous.world);
        self.world
            .keep_in(&mut kept.world, previous, &mut lists.world);
        Moment(arc)
    }

    /// Puts the runtime back to a moment that was kept of it. The frames that follow repeat bit for bit, within the limits of
    /// [`Runtime::save`]. Entities that came later are gone, and their ids are handed out again: drop all that you have stored of them.
    /// O(values), and about the cost of a frame.
    ///
    /// # Errors
    ///
    /// If the moment is that of another runtime, or of a world that was replaced: then nothing is changed. Also if the state is invalid, for
    /// example because a placement is not finite: the runtime then has that state.
    ///
    /// # Panics
    ///
    /// If the clone or the drop of a component panics.
    pub fn go_back(&mut self, moment: &Moment) -> Result<(), Error> {
        self.get_ready()?;
        let kept = &*moment.0;
        // Rows are written anew, so the next moment shares nothing with this one.
        self.last_kept = None;
        if !self.world.put_back(&kept.world) {
            return Err(Error::new(
                ErrorKind::InvalidArgument,
                "cannot go back: the moment was kept of another world; go back to one of this runtime",
            ));
        }
        self.world.set_global(kept.clock);
        self.world.put_globals_back(&kept.world);
        let Switches { off, set_up } = &*kept.switches;
        let contacts = kept.contacts.as_ref().map(KeptContacts::saved);
        self.take_up(off, set_up, contacts, |world| {
            world.put_events_back(&kept.world);
            world.put_changes_back(&kept.world, &kept.runs)
        })
    }

    /// Continues from a world that was put back: derives what is not kept, and replaces the contacts that this finds. `put_rest` puts
    /// events and changes back, and returns when systems last looked for changes.
    pub(super) fn take_up(
        &mut self,
        off: &[String],
        set_up: &[String],
        saved: Option<SavedContacts>,
        put_rest: impl FnOnce(&mut World) -> LastRuns,
    ) -> Result<(), Error> {
        self.schedule.switch_all_but(off);
        self.schedule.take_as_set_up(set_up);
        if let Some((contacts, saved)) = self.contacts_mut().zip(saved.as_ref()) {
            contacts.take_settings(saved);
        }
        let settled = self.settle();
        if let Some((contacts, saved)) = self.contacts_mut().zip(saved) {
            contacts.put_back(saved);
        }
        // Those that were found just now have begun before.
        self.world.forget_events();
        let runs = put_rest(&mut self.world);
        self.schedule.set_last_runs(&runs);
        settled
    }

    fn contacts_mut(&mut self) -> Option<&mut Contacts> {
        self.world.find_global_mut::<Contacts>()
    }
}

/// The last moments of a runtime, at most a given number: to rewind.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::Moments;
///
/// let mut runtime = Runtime::new();
/// let mut moments = Moments::ring(100);
/// for _ in 0..150 {
///     runtime.run_frames(1)?;
///     moments.keep(&mut runtime);
/// }
/// assert_eq!(moments.frames(), Some(51..=150));
/// moments.go_back(&mut runtime, 120)?;
/// assert_eq!(runtime.world().global::<Clock>()?.frame(), 120);
/// assert_eq!(moments.frames(), Some(51..=120), "the later ones are dropped");
/// assert!(moments.go_back(&mut runtime, 20).is_err());
/// # Ok::<(), Error>(())
/// ```
#[derive(Debug)]
pub struct Moments {
    most: usize,
    moments: VecDeque<Moment>,
    most_bytes: usize,
    /// Bytes of what each moment but the oldest does not share with the one before.
    later: usize,
    lists: Lists,
}

impl Moments {
    /// An empty ring that holds at most this number of moments, and at least one: a new one replaces the oldest.
    #[must_use]
    pub fn ring(most: usize) -> Self {
        Self {
            most: most.max(1),
            moments: VecDeque::new(),
            most_bytes: usize::MAX,
            later: 0,
            lists: Lists::default(),
        }
    }

    /// The same ring with a limit: it drops its oldest moments while all of them take more [memory](Self::memory) than a number of bytes. The
    /// latest moment stays.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Moments;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_kit(StandardKit)?;
    /// let gulls = (0..1_000_u16).map(|i| (Transform::at(f32::from(i), 0.0, 0.0), Velocity(Vec3::X)));
    /// runtime.world_mut().spawn_many(gulls);
    /// let mut moments = Moments::ring(600).within(1_000_000);
    /// for _ in 0..60 {
    ///     runtime.run_frames(1)?;
    ///     moments.keep(&mut runtime);
    /// }
    /// assert!(moments.memory() <= 1_000_000);
    /// assert!((10..30).contains(&moments.len()));
    /// # Ok::<(), Error>(())
    /// ```
    #[must_use]
    pub fn within(mut self, bytes: usize) -> Self {
        self.most_bytes = bytes;
        self
    }

    /// Adds the present moment of a runtime; see [`Runtime::keep`]. Once the ring is full, the new moment takes over the memory of the
    /// oldest one.
    ///
    /// # Panics
    ///
    /// As [`Runtime::keep`].
    pub fn keep(&mut self, runtime: &mut Runtime) {
        let is_full = self.moments.len() == self.most;
        let oldest = is_full.then(|| self.drop_oldest()).flatten();
        let moment = runtime.keep_in(oldest, self.moments.back(), &mut self.lists);
        if !self.moments.is_empty() {
            self.later += moment.0.fresh_bytes();
        }
        self.moments.push_back(moment);
        while self.memory() > self.most_bytes && self.moments.len() > 1 {
            self.drop_oldest();
        }
    }

    /// Drops the moments of a frame and of later ones. Returns how many it drops. O(dropped).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Moments;
    ///
    /// let mut runtime = Runtime::new();
    /// let mut moments = Moments::ring(10);
    /// for _ in 0..5 {
    ///     runtime.run_frames(1)?;
    ///     moments.keep(&mut runtime);
    /// }
    /// assert_eq!(moments.drop_from(4), 2);
    /// assert_eq!(moments.frames(), Some(1..=3));
    /// # Ok::<(), Error>(())
    /// ```
    pub fn drop_from(&mut self, frame: u64) -> usize {
        let dropped = self.moments.iter().rev();
        let dropped = dropped.take_while(|moment| moment.frame() >= frame).count();
        self.truncate(self.moments.len() - dropped);
        dropped
    }

    fn truncate(&mut self, kept: usize) {
        let dropped = self.moments.drain(kept..);
        let fresh = dropped.map(|moment| moment.0.fresh_bytes()).sum::<usize>();
        self.later = match kept {
            0 => 0,
            _ => self.later - fresh,
        };
    }

    /// How many moments it holds.
    #[must_use]
    pub fn len(&self) -> usize {
        self.moments.len()
    }

    /// Whether it holds none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.moments.is_empty()
    }

    /// All moments, the oldest first.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = &Moment> {
        self.moments.iter()
    }

    /// The frames of the oldest and the latest moment; `None` if there is no moment.
    #[must_use]
    pub fn frames(&self) -> Option<std::ops::RangeInclusive<u64>> {
        Some(self.moments.front()?.frame()..=self.moments.back()?.frame())
    }

    /// Puts a runtime back to the latest moment that was kept in a frame or before it, and drops the later moments.
    ///
    /// # Errors
    ///
    /// If there is no such moment; otherwise as [`Runtime::go_back`]. No moment is dropped then.
    ///
    /// # Panics
    ///
    /// As [`Runtime::go_back`].
    pub fn go_back(&mut self, runtime: &mut Runtime, frame: u64) -> Result<(), Error> {
        let later = self.moments.iter().rev();
        let later = later.take_while(|moment| moment.frame() > frame).count();
        let kept = self.moments.len() - later;
        let Some(moment) = kept.checked_sub(1).map(|at| &self.moments[at]) else {
            let frames = match self.frames() {
                Some(frames) => format!("name one from {} on", frames.start()),
                None => String::from("keep one first"),
            };
            return Err(Error::new(
                ErrorKind::InvalidArgument,
                format!(
                    "cannot go back to frame {frame}: no moment of it or of before was kept; {frames}"
                ),
            ));
        };
        runtime.go_back(moment)?;
        self.truncate(kept);
        Ok(())
    }

    /// Bytes of all moments, without what values refer to on the heap. Parts that moments share count once. O(rows / 64).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    /// use gerust::runtime::Moments;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.world_mut().spawn_many((0..1_000_u16).map(|i| (Transform::at(f32::from(i), 0.0, 0.0),)));
    /// let mut moments = Moments::ring(60);
    /// for _ in 0..60 {
    ///     moments.keep(&mut runtime);
    /// }
    /// let once = size_of::<Transform>() * 1_000;
    /// assert!(moments.memory() > once && moments.memory() < 3 * once, "nothing has moved");
    /// ```
    #[must_use]
    pub fn memory(&self) -> usize {
        let oldest = self.moments.front();
        oldest.map_or(0, |oldest| oldest.0.all_bytes() + self.later)
    }

    fn drop_oldest(&mut self) -> Option<Moment> {
        let oldest = self.moments.pop_front();
        if let Some(next) = self.moments.front() {
            self.later -= next.0.fresh_bytes();
        }
        oldest
    }
}

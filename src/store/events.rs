//! Events: messages that each inbox sees exactly once.

use super::access::{Access, ResourceKind};
use super::claim::{Claim, Grant, Preparation};
use super::component::{Component, short_name};
use super::world::World;
use crate::error::Error;
use crate::panics::Panics;
use atomic_refcell::{AtomicRef, AtomicRefMut};
#[cfg(feature = "snapshot")]
use std::any::TypeId;
use std::collections::{VecDeque, vec_deque};
use std::fmt;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Where a system puts events for others to see.
///
/// An event can be seen as soon as the system that posts it has ended: by systems that are registered later in the
/// same phase, by all later phases, and by earlier ones in the next frame. Nothing has to be registered.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Weighed { tonnes: f32 }
/// struct Total(f32);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Total(0.0));
/// runtime.add_system(
///     System::named("weigh")
///         .takes::<Outbox<Weighed>>()
///         .runs(|mut outbox| outbox.post(Weighed { tonnes: 20.0 })),
/// )?;
/// runtime.add_system(
///     System::named("add up")
///         .takes::<(Inbox<Weighed>, GlobalMut<Total>)>()
///         .runs(|(mut inbox, mut total)| {
///             for weighed in inbox.take_unread() {
///                 total.0 += weighed.tonnes;
///             }
///         }),
/// )?;
/// runtime.run_frames(3)?;
/// assert_eq!(runtime.world().global::<Total>()?.0, 60.0);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Outbox<'w, E>(AtomicRefMut<'w, Channel<E>>);

impl<E> fmt::Debug for Outbox<'_, E> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Outbox").finish_non_exhaustive()
    }
}

impl<E: Component> Outbox<'_, E> {
    /// Posts an event.
    pub fn post(&mut self, event: E) {
        self.0.events.push_back(event);
    }
}

/// Where a system sees the events that others have posted, each exactly once.
///
/// - A new inbox begins with the events posted since the latest frame began, also where older ones are still kept for
///   another inbox.
/// - Events that an inbox has not asked for are kept for it, also while its system is switched off: at most 65,536 of a type
///   beyond the current frame. Past that the oldest go, and [`World::unheard_events`] counts them.
/// - Events that an inbox has handed out count as seen, also if the system panics afterwards.
/// - If a phase fails, the events that its systems posted are taken back: they may name entities that never lived.
///
/// See [`Outbox`] for an example.
pub struct Inbox<'w, E> {
    channel: AtomicRef<'w, Channel<E>>,
    seen: &'w Arc<AtomicU64>,
}

impl<E: Component> fmt::Debug for Inbox<'_, E> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Inbox")
            .field("len", &self.len())
            .finish_non_exhaustive()
    }
}

/// As [`Inbox::take_unread`]: the events count as seen from now on.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Sum(u32);
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().set_global(Sum(0));
/// runtime.add_system(System::named("add up").phase(Phase::React).takes::<(Inbox<u32>, GlobalMut<Sum>)>().runs(
///     |(mut inbox, mut sum)| {
///         for number in &mut inbox {
///             sum.0 += number;
///         }
///     },
/// ))?;
/// runtime.world_mut().post(7_u32);
/// runtime.run_frames(2)?;
/// assert_eq!(runtime.world().global::<Sum>()?.0, 7);
/// # Ok::<(), gerust::Error>(())
/// ```
impl<'i, E: Component> IntoIterator for &'i mut Inbox<'_, E> {
    type Item = &'i E;
    type IntoIter = vec_deque::Iter<'i, E>;

    fn into_iter(self) -> Self::IntoIter {
        let from = self.seen.swap(self.channel.end(), Ordering::Relaxed);
        self.channel.since(from)
    }
}

impl<E: Component> Inbox<'_, E> {
    /// The events that this inbox has not seen yet, oldest first. From now on they count as seen.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut runtime = Runtime::new();
    /// runtime.add_system(
    ///     System::named("listen")
    ///         .takes::<Inbox<u32>>()
    ///         .runs(|mut inbox| {
    ///             assert_eq!(inbox.take_unread().count(), 1);
    ///             assert_eq!(inbox.take_unread().count(), 0);
    ///         }),
    /// )?;
    /// runtime.world_mut().post(7_u32);
    /// runtime.run_frames(1)?;
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn take_unread(&mut self) -> impl Iterator<Item = &E> {
        self.into_iter()
    }

    /// How many events this inbox has not seen yet.
    #[must_use]
    pub fn len(&self) -> usize {
        self.channel.since(self.seen.load(Ordering::Relaxed)).len()
    }

    /// Whether this inbox has seen all events.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

/// How many events of a type are kept for inboxes that do not ask.
const KEPT_FOR_SLOW_INBOXES: usize = 65_536;

/// All events of one type that an inbox may still ask for. Events are numbered from 0 in the order of posting.
pub(crate) struct Channel<E> {
    events: VecDeque<E>,
    /// The number of the oldest event that is kept.
    first: u64,
    /// The number of the first event of the current frame.
    frame_start: u64,
    inboxes: Vec<InboxPosition>,
    /// Events that went before any inbox had seen them.
    unheard: u64,
    /// The phase in which a system last posted, and the number of the first event of that phase.
    phase: (u64, u64),
}

/// How far an inbox has read.
struct InboxPosition {
    /// The system that takes it.
    #[cfg_attr(
        not(feature = "snapshot"),
        allow(dead_code, reason = "only saved files name it")
    )]
    system: Arc<str>,
    /// The number of the next event that it has not seen.
    seen: Arc<AtomicU64>,
}

impl<E> Default for Channel<E> {
    fn default() -> Self {
        Self {
            events: VecDeque::new(),
            first: 0,
            frame_start: 0,
            inboxes: Vec::new(),
            unheard: 0,
            phase: (0, 0),
        }
    }
}

impl<E> Channel<E> {
    pub(crate) fn end(&self) -> u64 {
        self.first + self.events.len() as u64
    }

    pub(crate) fn since(&self, number: u64) -> vec_deque::Iter<'_, E> {
        let skipped = number
            .saturating_sub(self.first)
            .min(self.events.len() as u64);
        self.events.range(skipped as usize..)
    }

    #[cfg(feature = "snapshot")]
    pub(crate) fn first(&self) -> u64 {
        self.first
    }

    #[cfg(feature = "snapshot")]
    pub(crate) fn frame_start(&self) -> u64 {
        self.frame_start
    }

    /// All of it, in memory.
    #[cfg(feature = "snapshot")]
    pub(crate) fn copied(&self) -> super::snapshot::CopiedEvents<E>
    where
        E: Clone,
    {
        let mut copy = super::snapshot::CopiedEvents {
            first: 0,
            frame_start: 0,
            events: Vec::new(),
            inboxes: Vec::new(),
        };
        self.copy_into(&mut copy);
        copy
    }

    /// All of it, in the place of an earlier copy.
    #[cfg(feature = "snapshot")]
    pub(crate) fn copy_into(&self, copy: &mut super::snapshot::CopiedEvents<E>)
    where
        E: Clone,
    {
        (copy.first, copy.frame_start) = (self.first, self.frame_start);
        copy.events.clear();
        copy.events.extend(self.events.iter().cloned());
        copy.inboxes.clear();
        for inbox in &self.inboxes {
            if Arc::strong_count(&inbox.seen) > 1 {
                let of_system = copy.inboxes.iter().filter(|(of, ..)| *of == inbox.system);
                let number = of_system.count() as u32;
                let seen = inbox.seen.load(Ordering::Relaxed);
                copy.inboxes.push((Arc::clone(&inbox.system), number, seen));
            }
        }
    }

    /// For each inbox: its system, its place among those of the system, and the next event that it has not seen.
    #[cfg(feature = "snapshot")]
    pub(crate) fn positions(&self) -> Vec<(String, u32, u64)> {
        let living = self.living();
        let position = |(number, at): (u32, usize)| {
            let inbox = &self.inboxes[at];
            let seen = inbox.seen.load(Ordering::Relaxed);
            (inbox.system.to_string(), number, seen)
        };
        living.into_iter().map(position).collect()
    }

    /// Places of inboxes whose systems are still there, each with its number among those of its system.
    #[cfg(feature = "snapshot")]
    fn living(&self) -> Vec<(u32, usize)> {
        let mut counts = rustc_hash::FxHashMap::<&str, u32>::default();
        let inboxes = self.inboxes.iter().enumerate();
        let living = inboxes.filter(|(_, inbox)| Arc::strong_count(&inbox.seen) > 1);
        let numbered = living.map(|(at, inbox)| {
            let count = counts.entry(&inbox.system).or_default();
            *count += 1;
            (*count - 1, at)
        });
        numbered.collect()
    }

    /// Replaces all events. Inboxes of systems that are not listed have seen all of earlier frames.
    #[cfg(feature = "snapshot")]
    pub(crate) fn put_back<S: std::ops::Deref<Target = str>>(
        &mut self,
        events: Vec<E>,
        first: u64,
        frame_start: u64,
        positions: &[(S, u32, u64)],
    ) {
        self.events = events.into();
        self.first = first;
        self.frame_start = frame_start;
        self.phase = (0, 0);
        for (number, at) in self.living() {
            let inbox = &self.inboxes[at];
            let mut listed = positions.iter();
            let known =
                listed.find(|(system, place, _)| **system == *inbox.system && *place == number);
            let seen = known.map_or(frame_start, |(_, _, seen)| *seen);
            inbox
                .seen
                .store(seen.clamp(first, self.end()), Ordering::Relaxed);
        }
    }

    /// Takes all events back.
    fn forget(&mut self, panics: &mut Panics) {
        self.first = self.end();
        self.frame_start = self.first;
        panics.drop_all(self.events.drain(..));
    }

    /// Notes that a system of a phase is about to post.
    fn enter_phase(&mut self, phase: u64) {
        if self.phase.0 != phase {
            self.phase = (phase, self.end());
        }
    }

    /// Takes the events of a phase back.
    fn take_back(&mut self, phase: u64, panics: &mut Panics) {
        if self.phase.0 != phase {
            return;
        }
        let kept = self.phase.1.saturating_sub(self.first) as usize;
        let taken = self.events.split_off(kept.min(self.events.len()));
        let end = self.end();
        for inbox in &self.inboxes {
            inbox.seen.fetch_min(end, Ordering::Relaxed);
        }
        panics.drop_all(taken);
    }

    /// Starts a frame: drops the events that every inbox has seen, and those beyond the limit for slow inboxes.
    fn start_frame(&mut self, panics: &mut Panics) {
        // An inbox whose system has gone is held by this channel alone.
        self.inboxes
            .retain(|inbox| Arc::strong_count(&inbox.seen) > 1);
        let wanted_from = self
            .inboxes
            .iter()
            .map(|inbox| inbox.seen.load(Ordering::Relaxed))
            .min()
            .unwrap_or(self.frame_start);
        let kept_at_most = self.end().saturating_sub(KEPT_FOR_SLOW_INBOXES as u64);
        let drop_until = wanted_from.max(kept_at_most).max(self.first);
        let seen_by_all = match self.inboxes.is_empty() {
            true => self.first,
            false => wanted_from,
        };
        self.unheard += drop_until.saturating_sub(seen_by_all.max(self.first));
        let count = (drop_until - self.first) as usize;
        self.first = drop_until;
        self.frame_start = drop_until + (self.events.len() - count) as u64;
        panics.drop_all(self.events.drain(..count));
    }
}

/// What the world can do with a channel without knowing its type.
#[derive(Clone, Copy)]
pub(crate) struct AnyChannel {
    start_frame: fn(&mut World, &mut Panics),
    take_back: fn(&mut World, &mut Panics),
    forget: fn(&mut World, &mut Panics),
    unheard: fn(&World) -> Option<UnheardEvents>,
    of_frame: fn(&World) -> u64,
    #[cfg(feature = "snapshot")]
    pub(crate) event: TypeId,
    #[cfg(feature = "snapshot")]
    pub(crate) event_name: &'static str,
    /// How many events an inbox may still ask for.
    #[cfg(feature = "snapshot")]
    pub(crate) waiting: fn(&World) -> usize,
}

/// Events of one type that some inbox, or every one for want of any, will never see.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Horn;
///
/// let mut runtime = Runtime::bare();
/// runtime.add_system(
///     System::named("sound").takes::<Outbox<Horn>>().runs(|mut outbox| outbox.post(Horn)),
/// )?;
/// runtime.run_frames(11)?;
/// let unheard = runtime.world().unheard_events();
/// assert_eq!((unheard[0].name(), unheard[0].inboxes()), ("Horn", 0));
/// assert_eq!(unheard[0].count(), 9, "those of the last two frames may still be asked for");
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct UnheardEvents {
    name: &'static str,
    inboxes: usize,
    count: u64,
}

impl UnheardEvents {
    /// The name of the event type, without its path.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.name
    }

    /// How many inboxes there are for the type; with 0, a listener was forgotten.
    #[must_use]
    pub fn inboxes(self) -> usize {
        self.inboxes
    }

    /// How many events went unheard.
    #[must_use]
    pub fn count(self) -> u64 {
        self.count
    }
}

fn unheard<E: Component>(world: &World) -> Option<UnheardEvents> {
    let channel = world.globals.cell::<Channel<E>>().ok()?.borrow();
    (channel.unheard > 0).then(|| UnheardEvents {
        name: short_name(std::any::type_name::<E>()),
        inboxes: channel.inboxes.len(),
        count: channel.unheard,
    })
}

fn of_frame<E: Component>(world: &World) -> u64 {
    let channel = world.globals.cell::<Channel<E>>();
    channel.map_or(0, |cell| {
        let channel = cell.borrow();
        channel.end() - channel.frame_start
    })
}

pub(crate) fn channel<E: Component>(world: &mut World) -> &mut Channel<E> {
    if world.globals.cell::<Channel<E>>().is_err() {
        world.channels.push(AnyChannel {
            start_frame: |world, panics| channel::<E>(world).start_frame(panics),
            take_back: |world, panics| {
                let phase = world.phase;
                channel::<E>(world).take_back(phase, panics);
            },
            forget: |world, panics| channel::<E>(world).forget(panics),
            unheard: unheard::<E>,
            of_frame: of_frame::<E>,
            #[cfg(feature = "snapshot")]
            event: TypeId::of::<E>(),
            #[cfg(feature = "snapshot")]
            event_name: std::any::type_name::<E>(),
            #[cfg(feature = "snapshot")]
            waiting: |world| {
                let channel = world.find_global::<Channel<E>>();
                channel.map_or(0, |channel| channel.events.len())
            },
        });
    }
    world.ensure_global::<Channel<E>>()
}

impl<E: Component> Claim for Outbox<'_, E> {}

impl<E: Component> Grant for Outbox<'_, E> {
    type State = ();
    type Granted<'w> = Outbox<'w, E>;

    fn declare(access: &mut Access) {
        access.add::<E>(ResourceKind::Event, true);
    }

    fn prepare(preparation: &mut Preparation<'_>) {
        channel::<E>(preparation.world);
    }

    fn grant<'w>((): &'w mut (), world: &'w World) -> Result<Outbox<'w, E>, Error> {
        let mut channel = world.globals.cell::<Channel<E>>()?.borrow_mut();
        channel.enter_phase(world.phase);
        Ok(Outbox(channel))
    }
}

impl<E: Component> Claim for Inbox<'_, E> {}

impl<E: Component> Grant for Inbox<'_, E> {
    type State = Arc<AtomicU64>;
    type Granted<'w> = Inbox<'w, E>;

    fn declare(access: &mut Access) {
        access.add::<E>(ResourceKind::Event, false);
    }

    fn prepare(preparation: &mut Preparation<'_>) -> Arc<AtomicU64> {
        let channel = channel::<E>(preparation.world);
        let seen = Arc::new(AtomicU64::new(channel.frame_start.max(channel.first)));
        channel.inboxes.push(InboxPosition {
            system: preparation.system.into(),
            seen: Arc::clone(&seen),
        });
        seen
    }

    fn grant<'w>(seen: &'w mut Arc<AtomicU64>, world: &'w World) -> Result<Inbox<'w, E>, Error> {
        Ok(Inbox {
            channel: world.globals.cell::<Channel<E>>()?.borrow(),
            seen,
        })
    }
}

mod world;

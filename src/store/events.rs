//! Events: messages that each inbox sees exactly once.

use super::access::{Access, ResourceKind};
use super::claim::{Claim, Grant, Preparation};
use super::component::Component;
use super::world::World;
use crate::error::Error;
use atomic_refcell::{AtomicRef, AtomicRefMut};
use std::collections::VecDeque;
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
///             for weighed in inbox.unread() {
///                 total.0 += weighed.tonnes;
///             }
///         }),
/// )?;
/// runtime.run_frames(3)?;
/// assert_eq!(runtime.world().global::<Total>()?.0, 60.0);
/// # Ok::<(), gerust::Error>(())
/// ```
pub struct Outbox<'w, E>(AtomicRefMut<'w, Channel<E>>);

impl<E: Component> Outbox<'_, E> {
    /// Posts an event.
    pub fn post(&mut self, event: E) {
        self.0.events.push_back(event);
    }
}

/// Where a system sees the events that others have posted, each exactly once.
///
/// Events that an inbox has not yet asked for are kept for it, at most 65,536 of a type beyond the current frame; past
/// that the oldest go. See [`Outbox`] for an example.
pub struct Inbox<'w, E> {
    channel: AtomicRef<'w, Channel<E>>,
    seen: &'w Arc<AtomicU64>,
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
    ///             assert_eq!(inbox.unread().count(), 1);
    ///             assert_eq!(inbox.unread().count(), 0);
    ///         }),
    /// )?;
    /// runtime.world_mut().post(7_u32);
    /// runtime.run_frames(1)?;
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn unread(&mut self) -> impl Iterator<Item = &E> {
        let from = self.seen.swap(self.channel.end(), Ordering::Relaxed);
        self.channel.since(from)
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

/// All events of one type that somebody may still want. Events are numbered from 0 in the order of posting.
pub(crate) struct Channel<E> {
    events: VecDeque<E>,
    /// The number of the oldest event that is kept.
    first: u64,
    /// The number of the first event of the current frame.
    frame_start: u64,
    /// For each inbox the number of the next event that it has not seen.
    inboxes: Vec<Arc<AtomicU64>>,
}

impl<E> Default for Channel<E> {
    fn default() -> Self {
        Self {
            events: VecDeque::new(),
            first: 0,
            frame_start: 0,
            inboxes: Vec::new(),
        }
    }
}

impl<E> Channel<E> {
    fn end(&self) -> u64 {
        self.first + self.events.len() as u64
    }

    fn since(&self, number: u64) -> impl ExactSizeIterator<Item = &E> {
        let skipped = number
            .saturating_sub(self.first)
            .min(self.events.len() as u64);
        self.events.range(skipped as usize..)
    }

    /// Starts a frame: what every inbox has seen goes, and so does what nobody has asked for in too long.
    fn start_frame(&mut self) {
        // An inbox whose system has gone is held by this channel alone.
        self.inboxes.retain(|inbox| Arc::strong_count(inbox) > 1);
        let wanted_from = self
            .inboxes
            .iter()
            .map(|inbox| inbox.load(Ordering::Relaxed))
            .min()
            .unwrap_or(self.frame_start);
        let kept_at_most = self.end().saturating_sub(KEPT_FOR_SLOW_INBOXES as u64);
        let drop_until = wanted_from.max(kept_at_most).max(self.first);
        self.events.drain(..(drop_until - self.first) as usize);
        self.first = drop_until;
        self.frame_start = self.end();
    }
}

fn channel<E: Component>(world: &mut World) -> &mut Channel<E> {
    if world.globals.cell::<Channel<E>>().is_err() {
        world
            .event_trims
            .push(|world| channel::<E>(world).start_frame());
    }
    world.ensure_global::<Channel<E>>()
}

impl World {
    /// Posts an event from outside of a system.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// world.post("horn");
    /// assert_eq!(world.posted::<&str>(), ["horn"]);
    /// ```
    pub fn post<E: Component>(&mut self, event: E) {
        channel::<E>(self).events.push_back(event);
    }

    /// The events of a type that were posted since the latest frame began, in order; for tests and tools, where no
    /// inbox is at hand.
    ///
    /// # Example
    ///
    /// ```
    /// let world = gerust::World::new();
    /// assert!(world.posted::<u32>().is_empty());
    /// ```
    #[must_use]
    pub fn posted<E: Component + Clone>(&self) -> Vec<E> {
        match self.globals.cell::<Channel<E>>() {
            Ok(cell) => {
                let channel = cell.borrow();
                channel.since(channel.frame_start).cloned().collect()
            }
            Err(_) => Vec::new(),
        }
    }

    /// Starts a frame for all event types.
    pub(crate) fn start_event_frame(&mut self) {
        for at in 0..self.event_trims.len() {
            self.event_trims[at](self);
        }
    }
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
        Ok(Outbox(world.globals.cell::<Channel<E>>()?.borrow_mut()))
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
        let seen = Arc::new(AtomicU64::new(channel.first));
        channel.inboxes.push(Arc::clone(&seen));
        seen
    }

    fn grant<'w>(seen: &'w mut Arc<AtomicU64>, world: &'w World) -> Result<Inbox<'w, E>, Error> {
        Ok(Inbox {
            channel: world.globals.cell::<Channel<E>>()?.borrow(),
            seen,
        })
    }
}

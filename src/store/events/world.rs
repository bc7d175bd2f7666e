//! Events outside of systems: those that a program posts, reads and drops.

use super::{Channel, UnheardEvents, channel};
use crate::panics::{Panics, after_all};
use crate::store::component::Component;
use crate::store::world::World;

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

    /// How many events of a type have been posted so far. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// struct Horn;
    ///
    /// let mut world = World::new();
    /// world.post(Horn);
    /// world.post(Horn);
    /// assert_eq!(world.posted_count::<Horn>(), 2);
    /// ```
    #[must_use]
    pub fn posted_count<E: Component>(&self) -> u64 {
        let channel = self.globals.cell::<Channel<E>>();
        channel.map_or(0, |cell| cell.borrow().end())
    }

    /// The events of a type from a number on; the first event ever posted has number 0. Older events may be gone: when a frame begins,
    /// those that every inbox has seen are dropped, and so are those before the latest 65,536. O(events returned).
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// #[derive(Clone, PartialEq, Debug)]
    /// struct Docked(&'static str);
    ///
    /// let mut world = World::new();
    /// world.post(Docked("barge"));
    /// let seen = world.posted_count::<Docked>();
    /// world.post(Docked("tug"));
    /// assert_eq!(world.posted_since::<Docked>(seen), [Docked("tug")]);
    /// ```
    #[must_use]
    pub fn posted_since<E: Component + Clone>(&self, number: u64) -> Vec<E> {
        let channel = self.globals.cell::<Channel<E>>();
        channel.map_or_else(
            |_| Vec::new(),
            |cell| cell.borrow().since(number).cloned().collect(),
        )
    }

    /// Drops all events of all types, so that no inbox sees them: for a world that was restored. O(events).
    ///
    /// # Panics
    ///
    /// If the drop of an event panics: then all are dropped, and the panic continues.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// #[derive(Clone)]
    /// struct Horn;
    ///
    /// let mut world = World::new();
    /// world.post(Horn);
    /// world.forget_events();
    /// assert_eq!((world.posted::<Horn>().len(), world.posted_count::<Horn>()), (0, 1));
    /// ```
    pub fn forget_events(&mut self) {
        after_all(|panics| {
            for at in 0..self.channels.len() {
                (self.channels[at].forget)(self, panics);
            }
        });
    }

    /// Takes back what the systems of the current phase have posted.
    pub(crate) fn take_events_back(&mut self, panics: &mut Panics) {
        for at in 0..self.channels.len() {
            (self.channels[at].take_back)(self, panics);
        }
    }

    /// Starts a frame for all event types.
    pub(crate) fn start_event_frame(&mut self, panics: &mut Panics) {
        for at in 0..self.channels.len() {
            (self.channels[at].start_frame)(self, panics);
        }
    }

    /// How many events of all types were posted since the latest frame began. O(event types).
    pub(crate) fn events_of_frame(&self) -> u64 {
        self.channels
            .iter()
            .map(|channel| (channel.of_frame)(self))
            .sum()
    }

    /// The event types of which events went unheard, in order of first use.
    #[must_use]
    pub fn unheard_events(&self) -> Vec<UnheardEvents> {
        self.channels
            .iter()
            .filter_map(|channel| (channel.unheard)(self))
            .collect()
    }
}

//! The ready ring; the README beside this file describes the protocol.

use crate::schedule::lineup::Lineup;
use std::sync::atomic::{AtomicBool, AtomicU32, AtomicUsize, Ordering};

/// Stands in a slot that is not filled yet.
const EMPTY: u32 = u32::MAX;

/// Places that are ready, in the order in which they became so. Each place is pushed once per round, so there is a slot
/// for each and nothing wraps around within a round.
#[derive(Default, Debug)]
struct Queue {
    slots: Vec<AtomicU32>,
    /// The next slot to fill.
    filled: AtomicUsize,
    /// The next slot to claim.
    claimed: AtomicUsize,
}

impl Queue {
    fn restart(&mut self, places: usize) {
        self.slots.resize_with(places, || AtomicU32::new(EMPTY));
        for slot in &mut self.slots {
            *slot.get_mut() = EMPTY;
        }
        *self.filled.get_mut() = 0;
        *self.claimed.get_mut() = 0;
    }

    fn push(&self, place: u32) {
        let slot = self.filled.fetch_add(1, Ordering::Relaxed);
        // Released, so that whoever claims the place sees what its predecessors wrote.
        self.slots[slot].store(place, Ordering::Release);
    }

    /// Takes the next place if its slot is filled. A slot is never claimed before that: whoever claims one is bound to
    /// run it, and must not have to wait for another thread first.
    fn claim(&self) -> Option<u32> {
        let mut next = self.claimed.load(Ordering::Relaxed);
        loop {
            let place = self.slots.get(next)?.load(Ordering::Acquire);
            if place == EMPTY {
                return None;
            }
            match self.claimed.compare_exchange_weak(
                next,
                next + 1,
                Ordering::AcqRel,
                Ordering::Relaxed,
            ) {
                Ok(_) => return Some(place),
                Err(current) => next = current,
            }
        }
    }
}

/// Hands the places of a lineup out to threads, each place once, none before its predecessors have ended.
#[derive(Default, Debug)]
pub(in crate::schedule) struct Ring {
    anybody: Queue,
    /// Places that only the thread of the caller may run.
    caller: Queue,
    /// By place: how many direct predecessors have not ended yet.
    waiting_for: Vec<AtomicU32>,
    ended: AtomicUsize,
    is_stopped: AtomicBool,
}

/// What a thread at the ring is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Role {
    /// The thread that the phase was started on.
    Leader,
    Helper,
}

impl Ring {
    /// Gets ready for a round. Nobody is at the ring then.
    pub(super) fn restart(&mut self, lineup: &Lineup) {
        let places = lineup.len();
        self.anybody.restart(places);
        self.caller.restart(places);
        self.waiting_for.resize_with(places, AtomicU32::default);
        for (waiting, &count) in self.waiting_for.iter_mut().zip(&lineup.waits_for) {
            *waiting.get_mut() = count;
        }
        *self.ended.get_mut() = 0;
        *self.is_stopped.get_mut() = false;
        for place in 0..places as u32 {
            if lineup.waits_for[place as usize] == 0 {
                self.push(lineup, place);
            }
        }
    }

    fn push(&self, lineup: &Lineup, place: u32) {
        match lineup.on_caller_thread[place as usize] {
            true => self.caller.push(place),
            false => self.anybody.push(place),
        }
    }

    /// Works until all places have ended or somebody has stopped the round. `run` says whether to go on; `idle` is
    /// called while nothing is ready, and may do other work.
    pub(super) fn work(
        &self,
        lineup: &Lineup,
        role: Role,
        run: impl Fn(u32) -> bool,
        idle: impl Fn(),
    ) {
        while !self.is_over(lineup) {
            let Some(place) = self.claim(role) else {
                idle();
                continue;
            };
            if run(place) {
                self.end(lineup, place);
            } else {
                self.is_stopped.store(true, Ordering::Relaxed);
            }
        }
    }

    fn is_over(&self, lineup: &Lineup) -> bool {
        self.ended.load(Ordering::Acquire) == lineup.len()
            || self.is_stopped.load(Ordering::Relaxed)
    }

    fn claim(&self, role: Role) -> Option<u32> {
        // What nobody else can do comes first.
        let own = match role {
            Role::Leader => self.caller.claim(),
            Role::Helper => None,
        };
        own.or_else(|| self.anybody.claim())
    }

    fn end(&self, lineup: &Lineup, place: u32) {
        for &follower in lineup.followers(place) {
            // The last predecessor to end has acquired what the others released.
            if self.waiting_for[follower as usize].fetch_sub(1, Ordering::AcqRel) == 1 {
                self.push(lineup, follower);
            }
        }
        self.ended.fetch_add(1, Ordering::Release);
    }
}

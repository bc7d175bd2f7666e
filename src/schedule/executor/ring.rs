//! The ready ring; the README beside this file describes the protocol.

use super::graph::Graph;
use super::sync::{
    AtomicBool, AtomicU8, AtomicU32, AtomicUsize, Ordering, Patience, Thread, current,
};

/// Marks a slot that is not filled yet.
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
        for slot in &self.slots {
            slot.store(EMPTY, Ordering::Relaxed);
        }
        self.filled.store(0, Ordering::Relaxed);
        self.claimed.store(0, Ordering::Relaxed);
    }

    fn push(&self, place: u32) {
        let slot = self.filled.fetch_add(1, Ordering::Relaxed);
        // Released, so that the thread that claims the place sees what its predecessors wrote.
        self.slots[slot].store(place, Ordering::Release);
    }

    /// Takes the next place if its slot is filled. A slot is never claimed before that: a thread that has claimed a
    /// slot must not wait for another thread to fill it.
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

    /// Whether a place could be claimed at this moment.
    fn has_ready(&self) -> bool {
        let next = self.claimed.load(Ordering::Relaxed);
        let slot = self.slots.get(next);
        slot.is_some_and(|slot| slot.load(Ordering::Relaxed) != EMPTY)
    }
}

/// Hands the places of a graph out to threads: each place once, and none before its predecessors have ended.
#[derive(Default, Debug)]
pub(crate) struct Ring {
    ordinary: Queue,
    /// Places that only the caller's thread may run.
    for_caller: Queue,
    /// By place: how many direct predecessors have not ended yet.
    waiting_for: Vec<AtomicU32>,
    ended: AtomicUsize,
    /// Threads that are inside of a place.
    running: AtomicUsize,
    is_stopped: AtomicBool,
}

/// The jobs that a thread may claim.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Role {
    /// The caller's thread: every place.
    Leader,
    /// Any other thread: ordinary places.
    Helper,
}

/// How many threads may be inside of a place at a time, and how one offers work to another.
pub(super) trait Threads: Sync {
    /// Calls `first` on this thread and `second` on this or any other, and returns when both have returned.
    fn join(&self, first: impl FnOnce() + Send, second: impl FnOnce() + Send);

    /// Calls `work` if this thread is free to help: not while it waits inside of a system. That system, and all that follow
    /// it, would have to wait for whole systems.
    fn help(&self, work: impl FnOnce());

    /// Further work is offered only while fewer threads than this are inside of a place.
    fn most_running(&self) -> usize;
}

impl Ring {
    /// Prepares a round. No thread is at the ring then.
    pub(super) fn restart(&mut self, graph: &Graph) {
        let places = graph.len();
        self.ordinary.restart(places);
        self.for_caller.restart(places);
        self.waiting_for.resize_with(places, || AtomicU32::new(0));
        for (waiting, &count) in self.waiting_for.iter().zip(graph.waits_for()) {
            waiting.store(count, Ordering::Relaxed);
        }
        self.ended.store(0, Ordering::Relaxed);
        self.running.store(0, Ordering::Relaxed);
        self.is_stopped.store(false, Ordering::Relaxed);
        for (place, &count) in (0..).zip(graph.waits_for()) {
            if count == 0 {
                self.push(graph, place);
            }
        }
    }

    fn push(&self, graph: &Graph, place: u32) {
        match graph.is_for_caller(place) {
            true => self.for_caller.push(place),
            false => self.ordinary.push(place),
        }
    }

    fn is_stopped(&self) -> bool {
        self.is_stopped.load(Ordering::Relaxed)
    }
}

/// One run of all places of a graph.
pub(super) struct Round<'r, R, T> {
    ring: &'r Ring,
    graph: &'r Graph,
    /// Runs a place, and returns whether the round continues.
    run: R,
    threads: T,
    /// The caller's thread, if it waits outside of the pool.
    caller: Option<Thread>,
}

/// The states of an offer.
const OFFERED: u8 = 0;
const TAKEN: u8 = 1;
const RETURNED: u8 = 2;

impl<'r, R, T> Round<'r, R, T>
where
    R: Fn(u32) -> bool + Sync,
    T: Threads,
{
    /// A round in which all threads belong to the pool.
    pub(super) fn in_pool(ring: &'r Ring, graph: &'r Graph, run: R, threads: T) -> Self {
        Self {
            ring,
            graph,
            run,
            threads,
            caller: None,
        }
    }

    /// A round that the calling thread leads from outside of the pool.
    pub(super) fn from_outside(ring: &'r Ring, graph: &'r Graph, run: R, threads: T) -> Self {
        Self {
            caller: Some(current()),
            ..Self::in_pool(ring, graph, run, threads)
        }
    }

    /// Runs ready places until none is left that this thread may claim, and until all threads to which this one has offered
    /// work have returned. It never waits for anything else.
    pub(super) fn work(&self, role: Role) {
        while let Some(place) = self.claim_patiently(role) {
            if !self.is_worth_offering() {
                self.run_place(place);
                continue;
            }
            let offer = AtomicU8::new(OFFERED);
            self.threads.join(
                || {
                    self.run_place(place);
                    self.drain(role, &offer);
                },
                || {
                    offer.store(TAKEN, Ordering::Relaxed);
                    self.help();
                    offer.store(RETURNED, Ordering::Relaxed);
                },
            );
        }
    }

    /// Takes an offer, on a thread that is free to.
    pub(super) fn help(&self) {
        self.threads.help(|| self.work(Role::Helper));
    }

    /// Runs ready places while an offer stands. What becomes ready after another thread has taken the offer is offered
    /// anew: here if that thread is still at work, and by the caller of this function if it has returned, so that offers
    /// nest no deeper than there are threads at work.
    fn drain(&self, role: Role, offer: &AtomicU8) {
        loop {
            match offer.load(Ordering::Relaxed) {
                RETURNED => return,
                TAKEN if self.is_worth_offering() => return self.work(role),
                _ => {}
            }
            match self.claim_patiently(role) {
                Some(place) => self.run_place(place),
                None => return,
            }
        }
    }

    /// Leads from outside of the pool until the round is over: runs the caller's places and helps with the others.
    /// `offer` asks the pool to work at the ring; `wait` is called with a number that grows while nothing can be claimed,
    /// and may park this thread.
    pub(super) fn lead_from_outside(&self, offer: impl Fn(), wait: impl Fn(u32)) {
        let mut turn = 0;
        while !self.is_over() {
            let Some(place) = self.claim(Role::Leader) else {
                wait(turn);
                turn += 1;
                continue;
            };
            turn = 0;
            if self.is_worth_offering() {
                offer();
            }
            self.run_place(place);
        }
    }

    fn is_worth_offering(&self) -> bool {
        self.ring.ordinary.has_ready()
            && self.ring.running.load(Ordering::Relaxed) + 1 < self.threads.most_running()
    }

    fn is_over(&self) -> bool {
        self.ring.ended.load(Ordering::Acquire) == self.graph.len() || self.ring.is_stopped()
    }

    fn claim(&self, role: Role) -> Option<u32> {
        if self.ring.is_stopped() {
            return None;
        }
        // The caller's own places first: no other thread can run them.
        let own = match role {
            Role::Leader => self.ring.for_caller.claim(),
            Role::Helper => None,
        };
        own.or_else(|| self.ring.ordinary.claim())
    }

    /// Claims a place, or waits some microseconds for one: a thread of the pool that finds nothing to do falls asleep after
    /// about 15 µs, and waking it costs about 40 µs.
    fn claim_patiently(&self, role: Role) -> Option<u32> {
        let mut patience = Patience::default();
        loop {
            if let Some(place) = self.claim(role) {
                return Some(place);
            }
            if !patience.wait(role == Role::Leader) || self.is_over() {
                return None;
            }
        }
    }

    fn run_place(&self, place: u32) {
        let ring = self.ring;
        ring.running.fetch_add(1, Ordering::Relaxed);
        let continues = (self.run)(place);
        ring.running.fetch_sub(1, Ordering::Relaxed);
        if continues {
            self.end(place);
        } else {
            ring.is_stopped.store(true, Ordering::Relaxed);
            self.wake_caller();
        }
    }

    /// Releases the followers of a place. The caller is woken for a place of its own and at the end.
    fn end(&self, place: u32) {
        let mut concerns_caller = false;
        for &follower in self.graph.followers(place) {
            // The last predecessor to end has acquired what the others released.
            if self.ring.waiting_for[follower as usize].fetch_sub(1, Ordering::AcqRel) == 1 {
                self.ring.push(self.graph, follower);
                concerns_caller |= self.graph.is_for_caller(follower);
            }
        }
        // Last of all: a round that is over has no place that is still to be pushed.
        let ended = self.ring.ended.fetch_add(1, Ordering::AcqRel) + 1;
        if concerns_caller || ended == self.graph.len() {
            self.wake_caller();
        }
    }

    fn wake_caller(&self) {
        if let Some(caller) = &self.caller {
            caller.unpark();
        }
    }
}

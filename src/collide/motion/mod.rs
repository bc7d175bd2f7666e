//! Motion: bodies that stop at what is solid, are carried and pushed by what is kinematic, and part from each other.
//!
//! All bodies are gathered into lists, moved there, and written back; what comes to rest is not written, so that nothing that
//! follows from its placement has to be done again.
//!
//! 0. Bodies that can meet nothing in this frame are left out ([`lone`]).
//! 1. What moves through everything goes first ([`kinematic`]), and what stands on it goes along ([`support`]).
//! 2. Each dynamic body looks at what is around its way ([`near`]); bodies that may meet form groups ([`groups`]).
//! 3. The bodies of a group fly from meeting to meeting, and exchange impulses ([`flight`]). This gives velocities and ways.
//! 4. They move along these ways, past all that is there, by guarded sweeps ([`commit`], on the geometry of [`sweep`]).
//!
//! What could not be kept apart shows in the contacts of the frame.

mod commit;
mod depths;
mod events;
mod flight;
mod friction;
mod gather;
mod groups;
mod kinematic;
mod lone;
mod meetings;
mod mover;
mod near;
mod push_out;
mod rest;
mod rows;
mod solid;
mod support;
mod surroundings;
mod sweep;

use super::aabb::Aabb;
use super::body::{Body, Gravity};
use super::boxes::{Boxes, Slot};
use super::collider::Collider;
use super::contacts::Contacts;
use super::layers::Layers;
use super::refused::RefusedBodies;
use super::threads::Threads;
use super::tree::BoxTree;
use crate::profile;
use crate::schedule::{Clock, Phase, System};
use crate::space::{LinkNode, Transform, WorldTransform};
use crate::store::{Entity, Global, GlobalMut, Rows};
use glam::Vec3;
use kinematic::Moved;
pub(super) use meetings::Meetings;
use mover::Movers;
use rustc_hash::FxHashMap;

/// How often dynamic bodies that overlap are moved apart in a frame: a global of every runtime.
///
/// Bodies overlap only if something puts them into each other: a spawn, a written transform, a box that grows. In each iteration
/// the pairs that overlap are moved apart by mass, one after the other (a Gauss-Seidel iteration), from the ground up, as far as
/// there is room. [`Contacts::leftovers`] lists the pairs that still overlap.
///
/// # Example
///
/// ```
/// use gerust::collide::Solver;
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// assert_eq!(runtime.world().global::<Solver>()?.iterations, 4);
/// runtime.world_mut().set_global(Solver::default().with_iterations(16));
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Solver {
    /// How often all pairs that overlap are moved apart in a frame at most.
    pub iterations: u32,
}

impl Default for Solver {
    fn default() -> Self {
        Self { iterations: 4 }
    }
}

impl Solver {
    /// The same with another number of iterations.
    #[must_use]
    pub fn with_iterations(mut self, iterations: u32) -> Self {
        self.iterations = iterations;
        self
    }
}

type MoverRows<'w> = Rows<
    'w,
    (
        Entity,
        &'static mut Transform,
        &'static mut Body,
        &'static WorldTransform,
        Option<&'static Collider>,
        Option<&'static LinkNode>,
    ),
>;
type Above<'w> = (
    Rows<'w, &'static LinkNode>,
    Rows<'w, &'static WorldTransform>,
);
type Settings<'w> = (
    Global<'w, Layers>,
    Global<'w, Gravity>,
    Global<'w, Clock>,
    Global<'w, Solver>,
);

/// The system that moves all bodies.
pub(super) fn system() -> System {
    let mut lists = Lists::default();
    System::named("move: bodies")
        .phase(Phase::Move)
        .after("move: boxes")
        .takes::<(
            MoverRows,
            Above,
            Settings,
            GlobalMut<Boxes>,
            Global<Contacts>,
            GlobalMut<RefusedBodies>,
            GlobalMut<Meetings>,
        )>()
        .runs(
            move |(mut rows, above, settings, mut boxes, contacts, mut refused, mut meetings)| {
                let (layers, gravity, clock, solver) = settings;
                let seconds = clock.step_seconds();
                let span = profile::part("gather bodies");
                let threads = Threads::of(&rows);
                let frame = gather::Frame {
                    gravity: gravity.0,
                    seconds,
                    margin: contacts.margin(),
                    threads: &threads,
                };
                boxes.forget_lone();
                lists.gather(&mut rows, &above.0, &boxes, &mut refused, frame);
                drop(span);
                meetings.clear();
                if contacts.is_stale() {
                    boxes.forget_relocated();
                }
                lists.resting.compare(
                    &layers,
                    (gravity.0, seconds, solver.iterations),
                    (boxes.is_flat(), lists.most_restitution),
                );
                meetings.threads = threads.clone();
                let mut step = Step {
                    lists: &mut lists,
                    meetings: &mut meetings,
                    rows: &rows,
                    links: &above.0,
                    boxes: &mut boxes,
                    layers: &layers,
                    contacts: &contacts,
                    seconds,
                    down: gravity.0.normalize_or_zero(),
                    // A speed that gravity adds in two frames counts as rest.
                    rest_speed: 2.0 * gravity.0.length() * seconds,
                    iterations: solver.iterations,
                    most_pairs: contacts.most_pairs(),
                    threads,
                    refused: &mut refused,
                    gravity: gravity.0,
                };
                profile::timed_part("move kinematic bodies", || step.move_kinematic());
                let fits = profile::timed_part("look around bodies", || step.look_around());
                match fits {
                    true => {
                        profile::timed_part("move dynamic bodies", || step.move_dynamic());
                        step.note_passed();
                        step.lay_down();
                    }
                    // The frame fails, and dynamic bodies stay where they are.
                    false => {
                        step.lists.lone.clear();
                        step.refused.refuse_crowd(step.most_pairs);
                    }
                }
                boxes.forget_stirred();
                let _span = profile::part("write bodies back");
                lists.write(&mut rows, &above);
                lists.lone.write(&mut rows, &mut boxes, &mut meetings);
            },
        )
}

/// Lists kept from frame to frame, so that a steady frame allocates nothing.
#[derive(Default)]
struct Lists {
    movers: Movers,
    /// The greatest of all bodies.
    most_restitution: f32,
    /// The boxes that have moved through everything, and their places in that list, by slot.
    moved: Vec<Moved>,
    moved_slots: FxHashMap<Slot, u32>,
    /// What sensors swept.
    moved_sensors: Vec<Aabb>,
    /// What these swept, by slot.
    pushers: BoxTree,
    pusher_slots: Vec<Slot>,
    /// What each dynamic body may sweep in this frame, by slot.
    ways: BoxTree,
    way_slots: Vec<Slot>,
    /// The bodies that are in an obstacle, and those that reach farther than they first did.
    inside: Vec<usize>,
    widened: Vec<usize>,
    /// The views of bodies, one list for each thread.
    views: Vec<surroundings::View>,
    /// Pairs of bodies that may meet, and those that each thread found.
    pairs: Vec<(u32, u32)>,
    found: Vec<Vec<(u32, u32)>>,
    /// What each body stands on.
    supports: Vec<Option<support::Support>>,
    /// The bodies that can meet nothing.
    lone: lone::Lone,
    /// The groups that are skipped.
    resting: rest::Resting,
    woken: Vec<Entity>,
    /// The outcomes of the bodies that collide, group by group, and their numbers in that list from the ground up.
    outcomes: Vec<groups::Outcome>,
    upwards: Vec<u32>,
    groups: groups::Groups,
    /// One for each thread.
    scratches: Vec<flight::Scratch>,
}

/// One frame of motion.
struct Step<'f, 'w> {
    lists: &'f mut Lists,
    meetings: &'f mut Meetings,
    rows: &'f MoverRows<'w>,
    links: &'f Rows<'w, &'static LinkNode>,
    boxes: &'f mut Boxes,
    layers: &'f Layers,
    contacts: &'f Contacts,
    seconds: f32,
    /// The direction of gravity, or zero.
    down: Vec3,
    rest_speed: f32,
    iterations: u32,
    most_pairs: usize,
    threads: Threads,
    refused: &'f mut RefusedBodies,
    gravity: Vec3,
}

impl Step<'_, '_> {
    /// What hangs directly below an entity.
    fn children(&self, entity: Entity) -> impl Iterator<Item = Entity> {
        children(self.links, entity)
    }
}

fn children<'l>(
    links: &'l Rows<'_, &'static LinkNode>,
    entity: Entity,
) -> impl Iterator<Item = Entity> + 'l {
    let first = links.get(entity).and_then(|links| links.first_child());
    std::iter::successors(first, |&child| links.get(child)?.next_sibling())
}

fn above(links: &Rows<'_, &'static LinkNode>, entity: Entity) -> impl Iterator<Item = Entity> {
    let parent = |entity| links.get(entity)?.parent();
    std::iter::successors(parent(entity), move |&entity| parent(entity))
}

#[cfg(test)]
mod tests;

//! Motion: bodies that stop at what is solid, are carried and pushed by what is kinematic, and part from each other.
//!
//! All bodies are gathered into lists, moved there, and written back; what comes to rest is not written, so that nothing that
//! follows from its placement has to be done again. Kinematic bodies go first ([`carry`]), then each dynamic one is carried
//! and pushed by them and swept along its own way ([`advance`], on the geometry of [`sweep`]), then those that overlap part
//! ([`meet`]). What could not be parted shows in the contacts of the frame.

mod advance;
mod carry;
mod depths;
mod gather;
mod meet;
mod meetings;
mod mover;
mod push_out;
mod surroundings;
mod sweep;

use super::body::{Body, Gravity, Motion};
use super::boxes::{Boxes, Slot};
use super::collider::Collider;
use super::contacts::Contacts;
use super::layers::Layers;
use super::refused::RefusedBodies;
use super::tree::BoxTree;
use crate::profile;
use crate::schedule::{Clock, Phase, System};
use crate::space::{LinkNode, Transform, WorldTransform};
use crate::store::{Entity, Global, GlobalMut, Rows};
use glam::Vec3;
pub(super) use meetings::{Meeting, Meetings};
use mover::{Movers, Surface};
use rustc_hash::FxHashMap;

/// How hard it is tried to part dynamic bodies that overlap: a global of every runtime.
///
/// Each time around, every pair that overlaps is moved apart by mass, one pair after the other (a Gauss-Seidel iteration), as
/// far as what stands around them lets it: from the ground up, and where there is no gravity in the order of their ids. Where few meet, one or two times are enough, and no
/// more are gone through than needed. In a crowd overlaps are left over; [`Contacts::leftovers`] lists them.
///
/// # Example
///
/// ```
/// use gerust::collide::Solver;
/// use gerust::prelude::*;
///
/// let mut runtime = Runtime::new();
/// assert_eq!(runtime.world().global::<Solver>()?.iterations, 4);
/// runtime.world_mut().set_global(Solver { iterations: 16 });
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Solver {
    /// How often all pairs that overlap are moved apart in a frame at most.
    pub iterations: u32,
}

impl Default for Solver {
    fn default() -> Self {
        Self { iterations: 4 }
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
                lists.gather(
                    &mut rows,
                    &above.0,
                    &boxes,
                    &mut refused,
                    gravity.0 * seconds,
                );
                drop(span);
                meetings.0.clear();
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
                    // What gravity adds in two frames is no bounce but rest.
                    rest_speed: 2.0 * gravity.0.length() * seconds,
                };
                profile::timed_part("move kinematic bodies", || step.move_kinematic());
                profile::timed_part("sweep dynamic bodies", || step.move_dynamic());
                profile::timed_part("part bodies", || step.part(solver.iterations));
                step.note_passed();
                let _span = profile::part("write bodies back");
                lists.write(&mut rows, &above);
            },
        )
}

/// Lists kept from frame to frame, so that a steady frame allocates nothing.
#[derive(Default)]
struct Lists {
    movers: Movers,
    /// How far each collider was moved that is kinematic, or hangs below what is.
    shifted: FxHashMap<Slot, Vec3>,
    /// What these swept, by slot.
    pushers: BoxTree,
    pusher_slots: Vec<Slot>,
    /// What each dynamic body may sweep in this frame, by slot.
    ways: BoxTree,
    way_slots: Vec<Slot>,
    /// Pairs of bodies that may meet, by height and ids.
    pairs: Vec<((u32, u64), u32, u32)>,
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
}

impl Step<'_, '_> {
    /// The entities that one hangs below, from its parent upwards.
    fn above(&self, entity: Entity) -> impl Iterator<Item = Entity> {
        above(self.links, entity)
    }

    /// How an obstacle answers when a body strikes it.
    fn surface(&self, slot: Slot) -> Surface {
        let item = self.boxes.item(slot);
        let body = item.has_body.then(|| self.rows.get(item.entity)).flatten();
        match body {
            Some((_, _, body, ..)) => Surface {
                velocity: match body.motion {
                    Motion::Kinematic => body.velocity,
                    _ => Vec3::ZERO,
                },
                restitution: body.restitution,
                friction: body.friction,
            },
            None => Surface {
                // It hangs below a kinematic body, or does not move.
                velocity: self
                    .lists
                    .shifted
                    .get(&slot)
                    .map_or(Vec3::ZERO, |shift| *shift / self.seconds),
                ..Surface::default()
            },
        }
    }
}

fn above(links: &Rows<'_, &'static LinkNode>, entity: Entity) -> impl Iterator<Item = Entity> {
    let parent = |entity| links.get(entity)?.parent();
    std::iter::successors(parent(entity), move |&entity| parent(entity))
}

#[cfg(test)]
mod tests;

//! All world boxes, in an order in which neighbours are found fast.

use super::aabb::Aabb;
use super::body::{Body, Motion};
use super::collider::{Collider, WorldBox};
use super::layers::{Layer, Layers};
use crate::schedule::{Phase, System};
use crate::space::WorldTransform;
use crate::store::{Entity, Global, GlobalMut, Rows};

/// The boxes of all colliders that take part, ordered along the x axis.
///
/// A pair or a neighbour is found by looking along x from the box in question: O(n log n) to order the boxes, and for
/// each box as many looks as there are boxes beside it along x.
#[derive(Default, Debug)]
pub(super) struct BoxList {
    /// By `min.x`, then by entity.
    entries: Vec<BoxEntry>,
    /// The greatest extent along x, so that a search knows how far back to begin.
    widest: f32,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct BoxEntry {
    pub(super) aabb: Aabb,
    pub(super) entity: Entity,
    pub(super) layer: Layer,
    pub(super) is_sensor: bool,
    /// Whether dynamic bodies stop at it.
    pub(super) is_obstacle: bool,
}

impl BoxList {
    fn refill(&mut self, entries: impl Iterator<Item = BoxEntry>) {
        self.entries.clear();
        // A box that has come to be infinite or not a number touches nothing, and must not spoil the order.
        self.entries
            .extend(entries.filter(|entry| entry.aabb.is_valid()));
        self.entries.sort_unstable_by(|a, b| {
            let by_place = a.aabb.min.x.total_cmp(&b.aabb.min.x);
            by_place.then_with(|| a.entity.cmp(&b.entity))
        });
        let widths = self.entries.iter().map(|entry| entry.aabb.size().x);
        self.widest = widths.fold(0.0, f32::max);
    }

    /// All boxes that touch a region.
    pub(super) fn touching(&self, region: Aabb) -> impl Iterator<Item = &BoxEntry> {
        // Rounding of `min.x + widest` must not lose a box, so the search begins a little earlier.
        let earliest = (region.min.x - self.widest).next_down();
        let start = self
            .entries
            .partition_point(|entry| entry.aabb.min.x < earliest);
        self.entries[start..]
            .iter()
            .take_while(move |entry| entry.aabb.min.x <= region.max.x)
            .filter(move |entry| entry.aabb.touches(&region))
    }

    /// Calls `found` for each pair of boxes of which one, grown by a margin, touches the other, and whose layers meet.
    pub(super) fn pairs(
        &self,
        layers: &Layers,
        margin: f32,
        mut found: impl FnMut(&BoxEntry, &BoxEntry),
    ) {
        for (position, a) in self.entries.iter().enumerate() {
            let grown = a.aabb.grown(margin);
            for b in &self.entries[position + 1..] {
                if b.aabb.min.x > grown.max.x {
                    break;
                }
                if grown.touches(&b.aabb) && layers.do_meet(a.layer, b.layer) {
                    found(a, b);
                }
            }
        }
    }
}

/// The system that brings all world boxes up to date with the world placements.
pub(super) fn system(phase: Phase, name: &str, after: Option<&str>) -> System {
    let system = System::named(name).phase(phase);
    let system = match after {
        Some(after) => system.after(after),
        None => system,
    };
    system
        .takes::<(
            Rows<(Entity, &Collider, &WorldTransform, &mut WorldBox)>,
            Rows<&Body>,
            GlobalMut<BoxList>,
        )>()
        .runs(|(mut rows, bodies, mut list)| {
            list.refill(
                rows.iter_mut()
                    .filter_map(|(entity, collider, placed, world_box)| {
                        world_box.0 = collider.own_box().enclosed(placed.affine());
                        let moves = bodies.get(entity).map(|body| body.motion);
                        collider.is_on().then_some(BoxEntry {
                            aabb: world_box.0,
                            entity,
                            layer: collider.layer(),
                            is_sensor: collider.is_sensor(),
                            is_obstacle: !collider.is_sensor() && moves != Some(Motion::Dynamic),
                        })
                    }),
            );
        })
}

/// The claim of systems that look boxes up.
pub(super) type Boxes<'w> = Global<'w, BoxList>;

#[cfg(test)]
mod tests;

//! From local to world placement, parents before children.

use super::link::say_farewell;
use super::links::{Links, next_in_preorder};
use super::transform::Transform;
use super::world_transform::WorldTransform;
use crate::schedule::{Phase, System};
use crate::store::{Entity, GlobalMut, Having, Lacking, Rows, World};
use glam::Affine3A;

/// Makes placement known to a world; does nothing the second time.
pub(crate) fn install(world: &mut World) {
    if world.global::<Preorder>().is_ok() {
        return;
    }
    world.ensure_global::<Preorder>();
    world.keep_component::<Links>(say_farewell);
    world.add_companion::<Transform, WorldTransform>();
    #[cfg(feature = "snapshot")]
    {
        const FREE: &str = "nobody else registers these types";
        world
            .register_component::<Transform>("transform")
            .expect(FREE);
        world.register_component::<Links>("links").expect(FREE);
        world
            .after_restore
            .push(|world| world.ensure_global::<Preorder>().mark_stale());
    }
}

/// All linked entities, each parent before its children, with the world placement of each.
///
/// The arrays are walked forward once a frame. They are built again when a link has changed, at most once per walk:
/// O(linked entities).
#[derive(Default, Debug)]
pub(super) struct Preorder {
    nodes: Vec<Node>,
    /// Kept apart from the nodes, so that the walk reads parents' placements from dense memory.
    placements: Vec<Affine3A>,
    is_stale: bool,
}

#[derive(Clone, Copy, Debug)]
struct Node {
    entity: Entity,
    /// The parent's position in the order; `NO_PARENT` for a root.
    parent: u32,
}

const NO_PARENT: u32 = u32::MAX;

impl Preorder {
    pub(super) fn mark_stale(&mut self) {
        self.is_stale = true;
    }

    fn rebuild(&mut self, links: &Rows<(Entity, &Links)>) {
        self.nodes.clear();
        let link_of = |entity| links.get(entity).map(|(_, links)| *links);
        for (root, root_links) in links.iter() {
            if root_links.parent().is_none() {
                self.push_subtree(root, link_of);
            }
        }
        self.placements.clear();
        self.placements.resize(self.nodes.len(), Affine3A::IDENTITY);
        self.is_stale = false;
    }

    fn push_subtree(&mut self, root: Entity, links: impl Fn(Entity) -> Option<Links> + Copy) {
        // The positions from the root down to the node pushed last: chains may be deep, so no recursion.
        let mut path: Vec<u32> = Vec::new();
        let mut at = Some(root);
        while let Some(entity) = at {
            let parent = links(entity).and_then(|links| links.parent());
            while let Some(&position) = path.last() {
                if Some(self.nodes[position as usize].entity) == parent {
                    break;
                }
                path.pop();
            }
            let position = u32::try_from(self.nodes.len()).expect("fewer than 2^32 entities");
            self.nodes.push(Node {
                entity,
                parent: path.last().copied().unwrap_or(NO_PARENT),
            });
            path.push(position);
            at = next_in_preorder(root, entity, links);
        }
    }

    /// Places every node. An entity without a transform passes its parent's placement on.
    fn place(&mut self, rows: &mut Rows<(&Transform, &mut WorldTransform), Having<Links>>) {
        for position in 0..self.nodes.len() {
            let node = self.nodes[position];
            let row = rows.get_mut(node.entity);
            let placement = match (node.parent, row) {
                (NO_PARENT, None) => Affine3A::IDENTITY,
                (parent, None) => self.placements[parent as usize],
                (NO_PARENT, Some((local, world))) => {
                    world.0 = local.affine();
                    world.0
                }
                (parent, Some((local, world))) => {
                    world.0 = self.placements[parent as usize] * local.affine();
                    world.0
                }
            };
            self.placements[position] = placement;
        }
    }
}

/// The two systems that place everything, in a phase and under names of the caller's choice.
pub(crate) fn placement_systems(phase: Phase, names: [&str; 2]) -> Vec<System> {
    vec![
        System::named(names[0])
            .phase(phase)
            .takes::<Rows<(&Transform, &mut WorldTransform), Lacking<Links>>>()
            .runs(|mut rows| rows.each(|(local, world)| world.0 = local.affine())),
        System::named(names[1])
            .phase(phase)
            .after(names[0])
            .takes::<(
                GlobalMut<Preorder>,
                Rows<(Entity, &Links)>,
                Rows<(&Transform, &mut WorldTransform), Having<Links>>,
            )>()
            .runs(|(mut order, links, mut rows)| {
                if order.is_stale {
                    order.rebuild(&links);
                }
                order.place(&mut rows);
            }),
    ]
}

#[cfg(test)]
mod tests;

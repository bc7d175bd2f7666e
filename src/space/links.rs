//! Who is whose parent, child and sibling.

use crate::store::{Borrowed, Entity, World};
use std::marker::PhantomData;

/// How the hierarchy stores its links: a component that no other floor can name, and so neither write nor copy.
mod node {
    use crate::store::Entity;

    #[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
    #[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
    pub struct Links {
        pub(in crate::space) parent: Option<Entity>,
        pub(in crate::space) first_child: Option<Entity>,
        pub(in crate::space) last_child: Option<Entity>,
        pub(in crate::space) previous_sibling: Option<Entity>,
        pub(in crate::space) next_sibling: Option<Entity>,
    }
}

/// The stored links. Lists of what a system reaches show it under the name of its public view.
pub(crate) use node::Links as LinkNode;

impl LinkNode {
    pub(crate) fn parent(&self) -> Option<Entity> {
        self.parent
    }

    pub(crate) fn first_child(&self) -> Option<Entity> {
        self.first_child
    }

    pub(crate) fn next_sibling(&self) -> Option<Entity> {
        self.next_sibling
    }

    pub(super) fn is_alone(&self) -> bool {
        self.parent.is_none() && self.first_child.is_none()
    }
}

/// The place of an entity in its hierarchy, to read: as an item of [`Rows`](crate::Rows) or by [`World::links`].
///
/// Entities without parent and children have none. Only [`World::link`], [`World::unlink`] and their edits change links.
/// This is a copy of them and no component, so nothing that a program does with it reaches the hierarchy:
///
/// ```compile_fail
/// use gerust::{World, space::Links};
///
/// fn forge(world: &mut World, links: Links) {
///     world.spawn((links,));
/// }
/// ```
///
/// The conditions [`Linked`](super::Linked) and [`Unlinked`](super::Unlinked) select the entities with and without links.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::space::Links;
///
/// let mut world = World::new();
/// let (portal, trolley) = (world.spawn(("portal",)), world.spawn(("trolley",)));
/// world.link(trolley, portal)?;
/// assert_eq!(world.links(trolley).and_then(|links| links.parent()), Some(portal));
/// let children = world.rows::<(Entity, Links)>();
/// assert_eq!(children.iter().filter(|(_, links)| links.parent() == Some(portal)).count(), 1);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Links {
    node: LinkNode,
    /// Components can be sent to other threads; this cannot, so it is none.
    no_component: PhantomData<*const ()>,
}

impl Links {
    #[inline]
    pub(super) fn of(node: &LinkNode) -> Self {
        Self {
            node: *node,
            no_component: PhantomData,
        }
    }

    /// The parent, if it has one.
    #[must_use]
    pub fn parent(&self) -> Option<Entity> {
        self.node.parent
    }

    /// The first of the children, if it has any.
    #[must_use]
    pub fn first_child(&self) -> Option<Entity> {
        self.node.first_child
    }

    /// The sibling after this one, if there is one.
    #[must_use]
    pub fn next_sibling(&self) -> Option<Entity> {
        self.node.next_sibling
    }
}

impl World {
    /// The links of an entity; `None` if it is no longer alive, or has neither parent nor children. O(1).
    #[must_use]
    pub fn links(&self, entity: Entity) -> Option<Links> {
        self.node(entity).map(|node| Links::of(&node))
    }

    fn node(&self, entity: Entity) -> Option<Borrowed<'_, LinkNode>> {
        // Asking first is cheaper than an error for entities that stand alone.
        self.has::<LinkNode>(entity)
            .then(|| self.get(entity).ok())
            .flatten()
    }

    /// The parent of an entity. O(1).
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let (portal, trolley) = (world.spawn(("portal",)), world.spawn(("trolley",)));
    /// world.link(trolley, portal)?;
    /// assert_eq!(world.parent(trolley), Some(portal));
    /// assert_eq!(world.parent(portal), None);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    #[must_use]
    pub fn parent(&self, entity: Entity) -> Option<Entity> {
        self.node(entity)?.parent
    }

    /// The children of an entity, in sibling order. Allocates nothing.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let stack = world.spawn(("stack",));
    /// let boxes = [world.spawn(("lower",)), world.spawn(("upper",))];
    /// for child in boxes {
    ///     world.link(child, stack)?;
    /// }
    /// assert!(world.children(stack).eq(boxes));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn children(&self, entity: Entity) -> impl Iterator<Item = Entity> {
        let first = self.node(entity).and_then(|links| links.first_child);
        std::iter::successors(first, |&child| self.node(child)?.next_sibling)
    }

    /// The parent of an entity, its parent, and so on up to the root. Allocates nothing.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let chain = ["rail", "portal", "trolley"].map(|name| world.spawn((name,)));
    /// world.link(chain[1], chain[0])?;
    /// world.link(chain[2], chain[1])?;
    /// assert!(world.ancestors(chain[2]).eq([chain[1], chain[0]]));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn ancestors(&self, entity: Entity) -> impl Iterator<Item = Entity> {
        std::iter::successors(self.parent(entity), |&above| self.parent(above))
    }

    /// Everything below an entity, depth first, in sibling order. Allocates nothing.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let [rail, portal, lamp, trolley] = ["rail", "portal", "lamp", "trolley"].map(|name| world.spawn((name,)));
    /// world.link(portal, rail)?;
    /// world.link(lamp, rail)?;
    /// world.link(trolley, portal)?;
    /// assert!(world.descendants(rail).eq([portal, trolley, lamp]));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn descendants(&self, entity: Entity) -> impl Iterator<Item = Entity> {
        let first = self.node(entity).and_then(|links| links.first_child);
        std::iter::successors(first, move |&below| {
            next_in_preorder(entity, below, |at| self.node(at).map(|links| *links))
        })
    }
}

/// The entity after `at` in a depth-first walk of what is below `top`.
pub(super) fn next_in_preorder(
    top: Entity,
    at: Entity,
    links: impl Fn(Entity) -> Option<LinkNode>,
) -> Option<Entity> {
    let mut here = links(at)?;
    if here.first_child.is_some() {
        return here.first_child;
    }
    let mut at = at;
    while at != top {
        if here.next_sibling.is_some() {
            return here.next_sibling;
        }
        at = here.parent?;
        here = links(at)?;
    }
    None
}

/// Finds an entity of a snapshot whose links contradict those of the others or form a cycle. O(linked).
#[cfg(feature = "snapshot")]
pub(super) fn check_links(snapshot: &crate::store::Snapshot) -> Result<(), (Entity, &'static str)> {
    let nodes: rustc_hash::FxHashMap<Entity, LinkNode> = snapshot.read_all("links").collect();
    let mut roots: Vec<Entity> = Vec::new();
    for (&entity, node) in &nodes {
        if node.parent.is_none() {
            roots.push(entity);
        }
        let is_there = |linked: Option<Entity>| linked.is_none_or(|id| nodes.contains_key(&id));
        let ends = [node.parent, node.first_child, node.last_child];
        if !ends.into_iter().all(is_there)
            || node.first_child.is_some() != node.last_child.is_some()
        {
            return Err((
                entity,
                "it is linked to an entity that the snapshot does not have",
            ));
        }
    }
    // Each node is reached from a root exactly once, by the children of its parent in order.
    let mut reached = roots.len();
    while let Some(parent) = roots.pop() {
        let mut before = None;
        let mut next = nodes[&parent].first_child;
        while let Some(child) = next {
            let Some(node) = nodes.get(&child) else {
                return Err((parent, "one of its children is missing"));
            };
            reached += 1;
            if node.parent != Some(parent)
                || node.previous_sibling != before
                || reached > nodes.len()
            {
                return Err((
                    child,
                    "its links contradict those of its parent or siblings",
                ));
            }
            roots.push(child);
            (before, next) = (Some(child), node.next_sibling);
        }
        if nodes[&parent].last_child != before {
            return Err((
                parent,
                "its last child does not end the list of its children",
            ));
        }
    }
    match nodes.iter().min_by_key(|&(&entity, _)| entity) {
        Some((&entity, _)) if reached < nodes.len() => Err((entity, "some links form a cycle")),
        _ => Ok(()),
    }
}

#[cfg(all(test, feature = "snapshot"))]
mod tests;

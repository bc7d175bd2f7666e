//! Who is whose parent, child and sibling.

use crate::store::{Entity, Held, World};

/// The place of an entity in its hierarchy. Entities without parent and children have none.
///
/// The hierarchy keeps it: it comes and goes with [`World::link`] and [`World::unlink`], and cannot be attached or
/// detached by hand. As a condition, `Having<Links>` tells linked entities from the rest.
///
/// # Example
///
/// ```
/// use gerust::{World, space::Links};
///
/// let mut world = World::new();
/// let (portal, trolley) = (world.spawn(("portal",)), world.spawn(("trolley",)));
/// world.link(trolley, portal)?;
/// assert_eq!(world.get::<Links>(trolley)?.parent(), Some(portal));
/// assert!(world.detach::<Links>(trolley).is_err());
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
#[cfg_attr(feature = "snapshot", derive(serde::Serialize, serde::Deserialize))]
pub struct Links {
    pub(super) parent: Option<Entity>,
    pub(super) first_child: Option<Entity>,
    pub(super) last_child: Option<Entity>,
    pub(super) previous_sibling: Option<Entity>,
    pub(super) next_sibling: Option<Entity>,
}

impl Links {
    /// The parent, if it has one.
    #[must_use]
    pub fn parent(&self) -> Option<Entity> {
        self.parent
    }

    /// The first of the children, if it has any.
    #[must_use]
    pub fn first_child(&self) -> Option<Entity> {
        self.first_child
    }

    /// The sibling after this one, if there is one.
    #[must_use]
    pub fn next_sibling(&self) -> Option<Entity> {
        self.next_sibling
    }

    pub(super) fn is_alone(&self) -> bool {
        self.parent.is_none() && self.first_child.is_none()
    }
}

impl World {
    fn links(&self, entity: Entity) -> Option<Held<'_, Links>> {
        // Asking first is cheaper than an error for entities that stand alone.
        self.has::<Links>(entity)
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
        self.links(entity)?.parent
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
        let first = self.links(entity).and_then(|links| links.first_child);
        std::iter::successors(first, |&child| self.links(child)?.next_sibling)
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
        let first = self.links(entity).and_then(|links| links.first_child);
        std::iter::successors(first, move |&below| {
            next_in_preorder(entity, below, |at| self.links(at).map(|links| *links))
        })
    }
}

/// The entity after `at` in a depth-first walk of what is below `top`.
pub(super) fn next_in_preorder(
    top: Entity,
    at: Entity,
    links: impl Fn(Entity) -> Option<Links>,
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

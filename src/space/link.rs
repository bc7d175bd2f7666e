//! Linking and unlinking.

use super::links::LinkNode;
use super::propagate::{Order, install};
use crate::error::{Error, Kind};
use crate::store::{Components, Entity, World};

/// A place among the children of a parent, for [`World::link_at`].
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum SiblingPlace {
    /// Before all others.
    First,
    /// After all others.
    Last,
    /// Right before this child.
    Before(Entity),
    /// Right after this child.
    After(Entity),
    /// After this number of others; after all of them if there are fewer.
    Index(usize),
}

impl World {
    /// Puts an entity under a parent, as its last child; a link to another parent is undone first. The entity keeps its
    /// local placement, so it moves with the new parent from the next [`Place`](crate::Phase::Place) on.
    ///
    /// O(depth) for an entity with children, because a cycle must be ruled out; O(1) for one without.
    ///
    /// # Errors
    ///
    /// If either is no longer alive, or if the parent is the entity itself or lies below it. The message shows the cycle. If
    /// this is the first link of a world and another type is registered there as `transform` or `links`.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{Name, World};
    ///
    /// let mut world = World::new();
    /// let spreader = world.spawn((Name::new("spreader"),));
    /// let container = world.spawn((Name::new("container"),));
    /// world.link(container, spreader)?;
    ///
    /// let error = world.link(spreader, container).unwrap_err();
    /// assert!(error.is_cycle());
    /// assert!(error.to_string().contains("spreader → container → spreader"));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn link(&mut self, child: Entity, parent: Entity) -> Result<(), Error> {
        self.link_at(child, parent, SiblingPlace::Last)
    }

    /// [`World::link`] at a place among the parent's children. An entity that is a child of the parent already changes its
    /// place.
    ///
    /// # Errors
    ///
    /// As [`World::link`], and if the place is named by an entity that is not a child of the parent, or is the entity
    /// itself.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::{World, space::SiblingPlace};
    ///
    /// let mut world = World::new();
    /// let stack = world.spawn(("stack",));
    /// let [lower, upper, top] = ["lower", "upper", "top"].map(|name| world.spawn((name,)));
    /// world.link(lower, stack)?;
    /// world.link_at(top, stack, SiblingPlace::Last)?;
    /// world.link_at(upper, stack, SiblingPlace::Before(top))?;
    /// assert!(world.children(stack).eq([lower, upper, top]));
    /// world.link_at(top, stack, SiblingPlace::Index(0))?;
    /// assert!(world.children(stack).eq([top, lower, upper]));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn link_at(
        &mut self,
        child: Entity,
        parent: Entity,
        place: SiblingPlace,
    ) -> Result<(), Error> {
        for (entity, verb) in [(child, "linked"), (parent, "linked to")] {
            if !self.contains(entity) {
                return Err(Error::from(Kind::StaleEntity { entity, verb }));
            }
        }
        self.refuse_cycle(child, parent)?;
        self.check_sibling(child, parent, place)?;
        install(self)?;
        self.unlink_if_linked(child);
        // The parent first: a tree that is linked from the top down so has its rows in the order in which it is placed.
        for entity in [parent, child] {
            if !self.has::<LinkNode>(entity) {
                self.attach(entity, LinkNode::default())?;
            }
        }
        let next = self.sibling_after(parent, place);
        let previous = match next {
            Some(next) => self.links_mut(next).previous_sibling.replace(child),
            None => self.links_mut(parent).last_child.replace(child),
        };
        *self.links_mut(child) = LinkNode {
            parent: Some(parent),
            previous_sibling: previous,
            next_sibling: next,
            ..*self.links_mut(child)
        };
        match previous {
            Some(previous) => self.links_mut(previous).next_sibling = Some(child),
            None => self.links_mut(parent).first_child = Some(child),
        }
        self.mark_order_stale();
        Ok(())
    }

    fn check_sibling(
        &self,
        child: Entity,
        parent: Entity,
        place: SiblingPlace,
    ) -> Result<(), Error> {
        match place {
            SiblingPlace::Before(sibling) | SiblingPlace::After(sibling)
                if sibling == child || self.parent(sibling) != Some(parent) =>
            {
                Err(Error::from(Kind::NoSibling {
                    entity: child,
                    child: self.label(child),
                    sibling: self.label(sibling),
                    parent: self.label(parent),
                }))
            }
            _ => Ok(()),
        }
    }

    /// The child of a parent before which a place lies; `None` for the place after all of them.
    fn sibling_after(&self, parent: Entity, place: SiblingPlace) -> Option<Entity> {
        match place {
            SiblingPlace::First => self.children(parent).next(),
            SiblingPlace::Last => None,
            SiblingPlace::Before(sibling) => Some(sibling),
            SiblingPlace::After(sibling) => self.get::<LinkNode>(sibling).ok()?.next_sibling,
            SiblingPlace::Index(index) => self.children(parent).nth(index),
        }
    }

    /// Makes an entity as the last child of a parent. O(components).
    ///
    /// # Errors
    ///
    /// If the parent is no longer alive; nothing is spawned then.
    ///
    /// # Example
    ///
    /// ```
    /// use gerust::prelude::*;
    ///
    /// let mut world = World::new();
    /// let portal = world.spawn((Transform::default(),));
    /// let trolley = world.spawn_under(portal, (Transform::at(0.0, 8.0, 0.0),))?;
    /// assert_eq!(world.parent(trolley), Some(portal));
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn spawn_under<B: Components>(
        &mut self,
        parent: Entity,
        components: B,
    ) -> Result<Entity, Error> {
        if !self.contains(parent) {
            let verb = "given a child";
            return Err(Error::from(Kind::StaleEntity {
                entity: parent,
                verb,
            }));
        }
        let child = self.spawn(components);
        self.link(child, parent)?;
        Ok(child)
    }

    /// Takes an entity out from under its parent; its children stay with it. The entity keeps its local placement, which
    /// from then on is relative to the world. Returns the parent that it had. O(1).
    ///
    /// # Errors
    ///
    /// If the entity is no longer alive.
    ///
    /// # Example
    ///
    /// ```
    /// let mut world = gerust::World::new();
    /// let (spreader, container) = (world.spawn(("spreader",)), world.spawn(("container",)));
    /// world.link(container, spreader)?;
    /// assert_eq!(world.unlink(container)?, Some(spreader));
    /// assert_eq!(world.unlink(container)?, None);
    /// # Ok::<(), gerust::Error>(())
    /// ```
    pub fn unlink(&mut self, child: Entity) -> Result<Option<Entity>, Error> {
        if !self.contains(child) {
            return Err(Error::from(Kind::StaleEntity {
                entity: child,
                verb: "unlinked",
            }));
        }
        let parent = self.unlink_if_linked(child);
        if parent.is_some() {
            self.drop_links_if_alone(child);
        }
        Ok(parent)
    }

    /// Undoes the link to a parent, leaving the child with links of its own.
    fn unlink_if_linked(&mut self, child: Entity) -> Option<Entity> {
        let parent = self.parent(child)?;
        let links = self.links_mut(child);
        let (previous, next) = (links.previous_sibling.take(), links.next_sibling.take());
        links.parent = None;
        match previous {
            Some(previous) => self.links_mut(previous).next_sibling = next,
            None => self.links_mut(parent).first_child = next,
        }
        match next {
            Some(next) => self.links_mut(next).previous_sibling = previous,
            None => self.links_mut(parent).last_child = previous,
        }
        self.drop_links_if_alone(parent);
        self.mark_order_stale();
        Some(parent)
    }

    /// Takes the links off an entity without parent and children: it is placed in one linear pass again.
    fn drop_links_if_alone(&mut self, entity: Entity) {
        if self.links_mut(entity).is_alone() {
            self.detach::<LinkNode>(entity)
                .expect("its links were just read");
        }
    }

    fn links_mut(&mut self, entity: Entity) -> &mut LinkNode {
        self.get_mut(entity)
            .expect("links name only entities that are linked in turn")
    }

    fn mark_order_stale(&mut self) {
        self.ensure_global::<Order>().mark_stale();
    }

    fn refuse_cycle(&self, child: Entity, parent: Entity) -> Result<(), Error> {
        let is_leaf = self.children(child).next().is_none();
        if child != parent && is_leaf {
            return Ok(());
        }
        let mut above_parent = std::iter::once(parent).chain(self.ancestors(parent));
        if !above_parent.any(|entity| entity == child) {
            return Ok(());
        }
        let mut path: Vec<String> = std::iter::once(parent)
            .chain(self.ancestors(parent))
            .take_while(|&entity| entity != child)
            .map(|entity| self.label(entity))
            .collect();
        path.push(self.label(child));
        path.reverse();
        path.push(self.label(child));
        Err(Error::from(Kind::LinkCycle {
            entity: child,
            child: self.label(child),
            parent: self.label(parent),
            fix: match path.len() {
                2 => String::from("name another entity as the parent"),
                _ => format!("unlink `{}` first", self.label(parent)),
            },
            cycle: shortened(&path),
        }))
    }
}

/// The most links of a cycle that a message shows.
const CYCLE_SHOWN: usize = 12;

fn shortened(path: &[String]) -> String {
    if path.len() <= CYCLE_SHOWN {
        return path.join(" → ");
    }
    let (head, tail) = (
        &path[..CYCLE_SHOWN / 2],
        &path[path.len() - CYCLE_SHOWN / 2..],
    );
    format!(
        "{} → … {} more … → {}",
        head.join(" → "),
        path.len() - CYCLE_SHOWN,
        tail.join(" → ")
    )
}

/// Before an entity goes: everything below it goes, and its parent forgets it.
pub(super) fn detach_links(world: &mut World, entity: Entity) {
    let below: Vec<Entity> = world.descendants(entity).collect();
    // From below upwards, so that no link ever names an entity that has gone.
    for &descendant in below.iter().rev() {
        world.unlink_if_linked(descendant);
        world.remove_entity(descendant);
    }
    if world.contains(entity) && world.has::<LinkNode>(entity) {
        world.unlink_if_linked(entity);
    }
    world.mark_order_stale();
}
